"""The texts that a plan's setups release: probing programs, hover check, and what makes a turn's registration."""

from __future__ import annotations

from functools import lru_cache

from ..errors import LedgecliffError, PlanError
from ..fixture_making import fixture_cut
from ..model.bench import MakeFixture
from ..model.holding import BoardHold
from ..model.machine import Machine, OutputProfile
from ..model.setup import Setup
from ..patterns.instances import pattern_of
from ..plan import Plan
from ..setup_plan import SetupPlan
from ..turns.turn_plan import turns_of
from .fixture_program import fixture_program
from .instance_programs import instance_texts
from .profile import profile_of
from .registration import programs_of_turn, zero_mark_program
from .text import file_stem
from .writer import ProbingText, hover_program, probing_programs

#: So much of a job's title goes into the name of a file.
_LONGEST_JOB = 60


def released_files(plan: Plan) -> dict[str, str]:
    """Every program that leaves, by the name of its file, in the order of the work: of each setup the probing programs
    and the hover check, then what bores for pins or cuts a frame.

    Raises PlanError or ProfileError when one cannot be written.
    """
    files: dict[str, str] = {}
    for number in range(len(plan.setups)):
        for name, text in files_of_setup(plan, number).values():
            if name in files:
                raise PlanError(
                    f"Two programs would be called '{name}'; put {{nn}} and {{kk}} into how the profile calls files."
                )
            files[name] = text
    return files


def files_of_setup(plan: Plan, number: int) -> dict[str, tuple[str, str]]:
    """By what they do, the programs of one setup, each with the name of its file."""
    setup = plan.job.setups[number]
    made = {_probing_words(each): each.text for each in probing_texts(plan, number)}
    made["hover"] = hover_text(plan, number)
    made |= {kind.replace(" ", "-"): text for kind, text in making_texts(plan, number).items()}
    made |= {kind.replace(" ", "-"): text for kind, text in mark_texts(plan, number).items()}
    made |= {kind.replace(" ", "-"): text for kind, text in registration_texts(plan, number).items()}
    profile = profile_of(plan.job.machine_of(setup))
    return {
        what: (_file_name(plan, profile, number, what, count), text)
        for count, (what, text) in enumerate(made.items(), start=1)
    }


def programs_of_setup(plan: Plan, number: int) -> dict[str, str]:
    """How the setup's programs are called, by what they do; none where they cannot be written."""
    try:
        return {what: name for what, (name, _) in files_of_setup(plan, number).items()}
    except LedgecliffError:
        return {}


def probing_files(plan: Plan, number: int) -> list[tuple[ProbingText, str]]:
    """The probing programs of a setup with the names of their files.  Raises PlanError or ProfileError when they cannot
    be written."""
    files = files_of_setup(plan, number)
    return [(each, files[_probing_words(each)][0]) for each in probing_texts(plan, number)]


def _probing_words(text: ProbingText) -> str:
    """What a probing program does, as its file is called."""
    after = f"after-{file_stem(text.after)}" if text.after else ""
    instance = f"instance-{file_stem(text.instance)}" if text.instance else ""
    return "-".join(filter(None, ("probe", after, instance)))


def registration_files(plan: Plan, number: int) -> tuple[str, ...]:
    """How the files are called of what a setup runs for the turn after it; none where no program can be written."""
    try:
        files = files_of_setup(plan, number)
    except LedgecliffError:
        return ()
    return tuple(files[kind.replace(" ", "-")][0] for kind in registration_texts(plan, number))


def _file_name(plan: Plan, profile: OutputProfile, number: int, what: str, count: int) -> str:
    """How the ``count``-th program of a setup is called, from 1; ``number`` counts setups from 0."""
    setup = plan.job.setups[number]
    words = {
        "nn": f"{number + 1:02d}",
        "kk": f"{count:02d}",
        "setup": file_stem(setup.name),
        "what": what,
        "job": file_stem(plan.job.title)[:_LONGEST_JOB],
        "side": file_stem(setup.side),
        "version": file_stem(plan.job.revision),
    }
    return profile.files.format(**words) + profile.suffix


def probing_texts(plan: Plan, index: int) -> tuple[ProbingText, ...]:
    """The probing programs of a setup.  Raises PlanError or ProfileError when they cannot be written."""
    setup, job = plan.setups[index], plan.job
    pattern = pattern_of(job, index)
    if pattern is not None:
        return instance_texts(plan, index, pattern)
    return _probing_texts(setup.machine, job.title, setup, plan.before(index), job.held_before(index))


def probing_text(plan: Plan, index: int) -> str:
    """The probing program that a setup begins with."""
    return next((each.text for each in probing_texts(plan, index) if each.after is None), "")


def hover_text(plan: Plan, index: int) -> str:
    """The hover-check program of a setup."""
    setup = plan.setups[index]
    first = next((each for each in plan.instances(index) if each.is_on), None)
    if pattern_of(plan.job, index) is None or first is None:
        return hover_program(setup.machine, plan.job.title, setup)
    placed = plan.placed(index, first)
    return hover_program(placed.machine, plan.job.title, placed)


def registration_texts(plan: Plan, index: int) -> dict[str, str]:
    """Programs that a setup runs for the turn after it, by what they make: bores for pins, a frame's slot."""
    turns = turns_of(plan)
    return programs_of_turn(plan.job, turns[index]) if index < len(turns) else {}


def making_texts(plan: Plan, index: int) -> dict[str, str]:
    """The programs that cut in place what a setup is held in, by the names of their steps."""
    cuts = (fixture_cut(plan, each.step) for each in plan.bench[index] if isinstance(each.step, MakeFixture))
    return {file_stem(cut.step.name): fixture_program(plan.job, cut) for cut in cuts if cut is not None}


def mark_texts(plan: Plan, index: int) -> dict[str, str]:
    """The program that cuts a setup's zero mark into the bare board."""
    hold = plan.setups[index].setup.hold
    if not isinstance(hold, BoardHold) or hold.mark is None:
        return {}
    return {"zero mark": zero_mark_program(plan.job, plan.setups[index], hold.mark)}


@lru_cache(maxsize=128)
def _probing_texts(
    machine: Machine, title: str, plan: SetupPlan, before: Setup | None, held: Setup | None
) -> tuple[ProbingText, ...]:  # fmt: skip
    return probing_programs(machine, title, plan, before, held)
