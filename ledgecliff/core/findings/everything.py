"""The one list of findings: against the plan by itself, and against what is known beside it.

Window, command line, sheets and release all show this list; none of them finds anything of its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace

from ..budget.budget import budget_rehearsed
from ..errors import RegisterError
from ..finding import Finding, Severity, fix
from ..frames import AXES
from ..model.machine import Machine
from ..plan import Plan
from ..quantities import said
from ..register.allocation import allocate
from ..register.checks import PresentValues, check_offsets, values_for
from ..register.entries import Entry
from ..rehearsal.results import Rehearsal
from ..rehearsal.spread import spread_of
from ..rehearsal.worlds import Worlds
from ..toolpaths.control_words import ControlWords
from ..toolpaths.programs import differences_of, programs_of
from ..toolpaths.summary import ProgramSummary
from .released_rules import Released, released_findings
from .rules import findings_of, in_order


@dataclass(frozen=True)
class Beside:
    """What is known beside a plan.

    ``entries`` are what the register keeps, by the machine's id in the order codes are given out; ``no_register`` says
    why it cannot be read.  ``programs`` are the toolpath programs by the name that operations call them by and
    what the control reads of itself, each as it was read or in words why not.  ``recorded`` is what the shop's record
    says against the plan, ``released`` what was released of it and stands.
    """

    entries: Mapping[str, tuple[Entry, ...]] = field(default_factory=dict)
    no_register: str = ""
    programs: Mapping[tuple[str, ControlWords], ProgramSummary | str] = field(default_factory=dict)
    recorded: tuple[Finding, ...] = ()
    released: tuple[Released, ...] = ()


NOTHING_BESIDE = Beside()


def found_against(
    plan: Plan, beside: Beside = NOTHING_BESIDE, cancelled: Callable[[], bool] = lambda: False
) -> tuple[Finding, ...]:
    """All findings, hazards first.  Raises as ``findings_of`` does."""
    found = [*findings_of(plan, cancelled), *_about_register(plan, beside), *_about_programs(plan, beside)]
    found += beside.recorded
    return in_order(plan, [*found, *released_findings(found, beside.released)])


def with_rehearsed(
    plan: Plan,
    found: tuple[Finding, ...],
    rehearsal: Rehearsal | None,
    worlds: Worlds | None = None,
    weighed: tuple[Finding, ...] = (),
) -> tuple[Finding, ...]:
    """The same list with what a rehearsal of that plan came to, one in many worlds, and what was weighed against it."""
    more = [*weighed] if rehearsal is None else [*weighed, *_about_rehearsal(rehearsal)]
    if worlds is not None:
        more += [*_about_worlds(worlds), *_about_spread(plan, worlds)]
    return in_order(plan, (*found, *more)) if more else found


def present_values(plan: Plan, beside: Beside) -> PresentValues:
    """What the controls hold when this very job runs."""
    return {
        key: value
        for machine in plan.job.machines
        for key, value in values_for(plan.job, beside.entries.get(machine.id, ()), machine).items()
    }


def _about_register(plan: Plan, beside: Beside) -> Iterator[Finding]:
    if beside.no_register:
        yield Finding(
            "REGISTER_NOT_READ",
            "warning",
            "",
            f"Whose offsets are whose is not known: {beside.no_register}",
            "Mend or name the register; until then look at the control's own table.",
        )
    for machine in plan.job.machines:
        entries = beside.entries.get(machine.id, ())
        for found in check_offsets(plan.job, entries, machine):
            yield _with_another_code(plan, found, entries, machine) if found.code == "OFFSET_TAKEN" else found


def _with_another_code(plan: Plan, found: Finding, entries: tuple[Entry, ...], machine: Machine) -> Finding:
    """With the code that the register would give the setup."""
    try:
        given = allocate(plan.job, entries, machine)
    except RegisterError:
        return found
    mine = next(
        (each for each in given if (plan.job.setups[each.setup].name, each.key) == (found.setup, found.about)), None
    )
    if mine is None or not mine.changes:
        return found
    path: tuple[str | int, ...] = ("setups", mine.setup, "offset")
    pattern = plan.job.setups[mine.setup].pattern
    if mine.key and pattern is not None:
        number = [kept.key for kept in pattern.codes].index(mine.key)
        path = ("setups", mine.setup, "pattern", "codes", number, "offset")
    another = fix(f"Use {mine.code} for {found.setup}", path, mine.code)
    return replace(found, fixes=(another,))


def _about_programs(plan: Plan, beside: Beside) -> Iterator[Finding]:
    present = present_values(plan, beside)
    for each in programs_of(plan):
        read = beside.programs.get((each.file, each.control)) if each.file else None
        if read is None:
            continue
        about = f"{each.operation_name}, {each.file}"
        if isinstance(read, str):
            words = f"{each.setup_name}: {read}"
            yield Finding("PROGRAM_NOT_FOUND", "warning", each.setup_name, words, _MEND_PROGRAM, about=about)
            continue
        for difference in differences_of(read, plan, each, present):
            where = f"{each.file}, line {difference.line}" if difference.line else each.file
            fact = f"{each.setup_name}: {where}: {difference.message}"
            yield Finding(difference.code, difference.severity, each.setup_name, fact, _MEND_PROGRAM, about=about)


_MEND_PROGRAM = "Correct the program where it was made, or the plan."


def _about_rehearsal(rehearsal: Rehearsal) -> Iterator[Finding]:
    """That a world stopped a program, or that a zero was found wrong in it."""
    for setup in rehearsal.every:
        for alarm in setup.alarms:
            yield Finding(
                "REHEARSAL_ALARM",
                "hazard" if setup.ran else "error",
                setup.name,
                f"{setup.full_name}, rehearsed in trial {rehearsal.seed}: {alarm}.".replace("..", "."),
                "See in the rehearsal where the ball was, and mend the step that it came to.",
                about=f"{setup.instance} {alarm}".strip(),
            )
        if (eye := setup.off_by_eye) is not None:
            axes = " and ".join(axis.upper() for axis, limit in zip(AXES, setup.limits, strict=True) if limit is None)
            yield Finding(
                "REHEARSAL_NOT_SET",
                "warning",
                setup.name,
                f"{setup.full_name}: no program sets {axes} of {setup.offset}; as put in by eye it is {said(eye)} off "
                f"in trial {rehearsal.seed}.",
                "Find it by hand before anything is cut, or add probing steps that set it.",
            )
        for words in setup.amiss:
            yield Finding(
                "REHEARSAL_OFF",
                "error",
                setup.name,
                f"{setup.full_name}, rehearsed in trial {rehearsal.seed}: {words}.",
                "The program finds a wrong zero in that world: look at its touches before it runs on the machine.",
                about=f"{setup.instance} {words}".strip(),
            )


def _about_worlds(worlds: Worlds) -> Iterator[Finding]:
    """Of each setup in how many worlds it was stopped, and in how many a zero was found wrong."""
    kinds: tuple[tuple[str, Severity, tuple[tuple[int, str, str], ...], str], ...] = (
        ("TRIALS_STOPPED", "hazard", worlds.alarms, "the control stops with an alarm"),
        ("TRIALS_OFF", "error", worlds.amiss, "a zero is found wrong"),
    )
    for code, severity, wrong, what in kinds:
        for name in dict.fromkeys(setup for _, setup, _ in wrong):
            mine = [(seed, words) for seed, setup, words in wrong if setup == name]
            count, (first, words) = len({seed for seed, _ in mine}), mine[0]
            fact = f"{name}: in {count} of {len(worlds.seeds)} trials {what}; in trial {first}: {words}."
            yield Finding(code, severity, name, fact.replace("..", "."), _SEE_TRIAL)


def _about_spread(plan: Plan, worlds: Worlds) -> Iterator[Finding]:
    """Where parts that were rehearsed scatter otherwise than the error budget has it: one of both is wrong."""
    for pair in spread_of(worlds.seen, budget_rehearsed(plan)):
        if not pair.agrees:
            asked, (mean, sd) = pair.budget.asked, pair.expected
            seen = f" from '{asked.to}'" if asked.to else ""
            yield Finding(
                "BUDGET_DISAGREES",
                "warning",
                "",
                f"In {len(pair.off)} trials '{asked.feature}'{seen} lies {said(pair.mean)} off on the average with a "
                f"deviation of {said(pair.sd)}, and by the error budget {said(mean)} with {said(sd)}: more apart than "
                "chance has it.",
                "Do not rely on either for this pair; tell the makers of this program, with the job.",
                about=" ".join(asked.key),
            )


_SEE_TRIAL = "Rehearse that trial and watch the ball; mend the step that it came to."
