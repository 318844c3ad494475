"""The toolpath programs that a job's operations name, each beside what the plan has for it."""

from __future__ import annotations

from dataclasses import dataclass

from ..plan import Plan
from ..register.checks import PresentValues
from .checks import Difference, check_operation, check_program, setups_in
from .control_words import UNKNOWN_CONTROL, ControlWords, control_words
from .instance_checks import check_instances
from .summary import ProgramSummary


@dataclass(frozen=True)
class ProgramOf:
    """An operation and the file it names; ``offset`` and ``tool`` are what the plan has, ``control`` is what
    the machine's reads.  Numbers count from 0."""

    setup: int
    operation: int
    setup_name: str
    operation_name: str
    file: str
    offset: str
    tool: int
    control: ControlWords = UNKNOWN_CONTROL


def programs_of(plan: Plan) -> tuple[ProgramOf, ...]:
    """Every operation, also those that name no file yet."""
    return tuple(
        ProgramOf(
            k,
            n,
            setup.name,
            operation.name,
            operation.program,
            setup.offset,
            operation.tool,
            control_words(plan.job.machine_of(setup)),
        )
        for k, setup in enumerate(plan.job.setups)
        for n, operation in enumerate(setup.operations)
    )


@dataclass(frozen=True)
class Floor:
    """What the part lies on where an offset has its zero, and how high that is there (mm, WCS)."""

    setup: str
    seat: str
    w_z: float


def floor_in(plan: Plan, offset: str, own: int | None = None) -> Floor | None:
    """Of the setup that keeps its zero in ``offset``; of several the one that the program belongs to (``own``), and of
    none where that is not known."""
    setups = setups_in(plan, offset, own)
    if len(setups) != 1:
        return None
    (setup,) = setups
    return Floor(setup.setup.name, setup.holding.seat_name, setup.holding.seat - float(setup.wcs.u_origin[2]))


def differences_of(
    summary: ProgramSummary, plan: Plan, of: ProgramOf | None, present: PresentValues | None = None
) -> tuple[Difference, ...]:
    """A program against its operation, if it is one's, and against machine and plan, in the order of its lines."""
    own: list[Difference] = []
    if of is not None:
        codes = frozenset(each.offset for each in plan.instances(of.setup) if each.offset is not None)
        own = [
            *check_operation(summary, plan.setups[of.setup], of.operation, codes),
            *check_instances(summary, plan, of.setup, of.operation),
        ]
    found = check_program(summary, plan, present, None if of is None else of.setup)
    return tuple(sorted((*own, *found), key=lambda difference: difference.line))
