"""Results that come back of programs over all instances of a pattern: whose they are, and who was missing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..patterns.instances import Instance, code_key, master_key, pattern_of
from ..plan import Plan
from ..programs.instance_programs import SEATING, turns_of
from ..quantities import Unit, mm_per
from ..setup_plan import SetupPlan
from .results_back import ResultRow, ReturnedResult, numbered_values, result_rows


@dataclass(frozen=True)
class KeptOfInstance:
    """What a setup's programs keep of one instance: ``rows`` of the steps that touch it, and in variable ``outcome``
    whether it is missing or does not seat; None where nobody looks.  ``setup`` is the setup as it stands there, and
    ``offset_key`` what its offset is kept for in the register, nothing for the setup's own."""

    instance: Instance
    setup: SetupPlan
    rows: tuple[ResultRow, ...]
    outcome: int | None
    offset_key: str


@dataclass(frozen=True)
class ReturnedOfInstance:
    """``missing`` is None where nothing came back of it; of one that is, there are no other results."""

    kept: KeptOfInstance
    missing: bool | None
    results: tuple[ReturnedResult, ...]


def kept_of_instances(plan: Plan, index: int) -> tuple[KeptOfInstance, ...]:
    """Of each instance that is on and touched; none for a setup without a pattern, or where there is no room for the
    results of all."""
    pattern = pattern_of(plan.job, index)
    if pattern is None:
        return ()
    kept = []
    for turn in turns_of(plan, index, pattern):
        seats = any(step.kind in SEATING for step in turn.planned.probing.steps)
        touched = [
            number
            for number, step in enumerate(turn.planned.probing.steps, start=1)
            if turn.probed or step.kind in SEATING
        ]
        if not touched:
            continue
        rows = tuple(row for row in result_rows(turn.planned, turn.places) if row.step in touched)
        key = code_key(pattern, turn.each.place)
        kept.append(
            KeptOfInstance(
                turn.each, turn.planned, rows, turn.places.first if seats else None,
                "" if key == master_key(pattern) else key,
            )
        )  # fmt: skip
    return tuple(kept)


def parsed_of_instances(
    kept: Sequence[KeptOfInstance], text: str, unit: Unit, whose: str
) -> tuple[ReturnedOfInstance, ...]:
    """Pasted lines such as ``#500 = 1.44``, in the control's unit, as results of each instance in mm and degrees.

    What stands beside the outcome of one that was missing is left over from another run and is not taken.  Raises
    InvalidValueError, naming the line, and for an outcome that is neither 0 nor 1.
    """
    rows = {row.parameter: row for each in kept for row in each.rows}
    outcomes = {each.outcome for each in kept if each.outcome is not None}
    values = numbered_values(text, rows.keys() | outcomes, whose)
    found = []
    for each in kept:
        outcome = None if each.outcome is None else values.get(each.outcome)
        if outcome not in (None, 0.0, 1.0):
            raise InvalidValueError(
                "results",
                f"#{each.outcome} of instance {each.instance.name} says how it went, 0 or 1, not {outcome:g}; look at "
                "the numbers",
            )
        results = tuple(
            ReturnedResult(
                step=row.step, key=row.key, value=values[row.parameter] * (1.0 if row.is_angle else mm_per(unit))
            )
            for row in each.rows
            if row.parameter in values and not outcome
        )
        told = None if outcome is None and not results else bool(outcome)
        found.append(ReturnedOfInstance(each, told, results))
    return tuple(found)


def said_of_missing(found: Sequence[ReturnedOfInstance]) -> str:
    """Who was missing, in a line; nothing where nobody was."""
    names = [each.kept.instance.name for each in found if each.missing]
    if not names:
        return ""
    return f"⚠ Missing or not seated: instance{'s' if len(names) > 1 else ''} {', '.join(names)}."
