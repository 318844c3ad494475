"""The texts that a plan's setups release: probing programs, hover check, and what makes a turn's registration."""

from __future__ import annotations

from functools import lru_cache

from ..model.machine import Machine
from ..model.setup import Setup
from ..plan import Plan
from ..setup_plan import SetupPlan
from ..turns.turn_plan import turns_of
from .registration import programs_of_turn, registration_programs
from .text import file_stem
from .writer import ProbingText, hover_program, probing_programs


def released_files(plan: Plan) -> dict[str, str]:
    """Every program that leaves, by the name of its file, in the order of the work: of each setup the probing programs
    and the hover check, then what bores for pins or cuts a frame.

    Raises PlanError or ProfileError when one cannot be written.
    """
    texts: dict[str, str] = {}
    for number, setup in enumerate(plan.job.setups):
        stem = f"{number + 1:02d}-{file_stem(setup.name)}"
        for each in probing_texts(plan, number):
            after = "" if each.after is None else f"-after-{file_stem(each.after)}"
            texts[f"{stem}-probe{after}.ngc"] = each.text
        texts[f"{stem}-hover.ngc"] = hover_text(plan, number)
    return texts | {f"{name}.ngc": text for name, text in registration_programs(plan).items()}


def probing_texts(plan: Plan, index: int) -> tuple[ProbingText, ...]:
    """The probing programs of a setup.  Raises PlanError or ProfileError when they cannot be written."""
    return _probing_texts(plan.setups[index].machine, plan.job.title, plan.setups[index], plan.before(index))


def probing_text(plan: Plan, index: int) -> str:
    """The probing program that a setup begins with."""
    return next((each.text for each in probing_texts(plan, index) if each.after is None), "")


def hover_text(plan: Plan, index: int) -> str:
    """The hover-check program of a setup."""
    return hover_program(plan.setups[index].machine, plan.job.title, plan.setups[index])


def registration_texts(plan: Plan, index: int) -> dict[str, str]:
    """Programs that a setup runs for the turn after it, by what they make: bores for pins, a frame's slot."""
    turns = turns_of(plan)
    return programs_of_turn(plan.job, turns[index]) if index < len(turns) else {}


@lru_cache(maxsize=128)
def _probing_texts(
    machine: Machine, title: str, plan: SetupPlan, before: Setup | None
) -> tuple[ProbingText, ...]:  # fmt: skip
    return probing_programs(machine, title, plan, before)
