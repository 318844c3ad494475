"""From a finished touch-off to the register, and back to it when a reading must be corrected."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import ValidationError

from ..errors import InvalidValueError
from ..frames import AXES
from ..quantities import said_signed
from ..register.entries import Entry, Use, Value, claimed, with_value
from ..setup_plan import SetupPlan
from .draft import HandDraft, brought_up_to_date, draft_for, expected_of, readings_of
from .hand_tape import AxisResult, hand_results
from .readings import Before


def results_of(setup: SetupPlan, draft: HandDraft) -> tuple[AxisResult, ...]:
    """The offset of every axis that is typed whole, with doubts against the plan.  Raises InvalidValueError."""
    readings = readings_of(draft)
    return () if readings is None else hand_results(readings, expected_of(setup))


def kept(setup: SetupPlan, draft: HandDraft, entry: Entry, use: Use, others: Iterable[Entry]) -> Entry:
    """The offset's next entry: found by hand, with every line of the tape as its origin.

    An axis that was not found keeps what the offset held, where that was not found for something else.  Raises
    InvalidValueError when nothing gives an axis, RegisterError when another setup has the code.
    """
    results = {result.axis: result for result in results_of(setup, draft)}
    if not results:
        raise InvalidValueError(draft.offset, "no axis is found yet; type its readings first")
    values: dict[str, float] = {}
    for axis in AXES:
        if axis in results:
            values[axis] = results[axis].offset
        elif entry.value is not None and entry.found_for is not None and not entry.was_found_for(use):
            raise InvalidValueError(
                axis.upper(),
                f"it is not found yet, and what {draft.offset} holds was found for "
                f"{entry.found_for.words()}; find it too",
            )
        elif entry.value is not None:
            values[axis] = getattr(entry.value, axis)
        else:
            raise InvalidValueError(axis.upper(), f"it is not found yet, and {draft.offset} holds nothing to keep")
    lines = tuple(
        f"{result.axis.upper()}: {line.text.strip()}" + ("" if line.mm is None else f" {said_signed(line.mm)}")
        for result in results.values()
        for line in result.lines
    )
    if entry.use != use:
        entry = claimed(entry, use, others)
    turn = entry.value.turn_deg if entry.value is not None else 0.0
    value = Value(values["x"], values["y"], values["z"], turn)
    return with_value(entry, value, "tape", lines, use, draft.model_dump_json())


def draft_from(setup: SetupPlan, entry: Entry, use: Use) -> HandDraft:
    """What was typed for this very setup, brought up to date; else a new draft that knows what the offset held."""
    if entry.readings and entry.found_for is not None and entry.found_for.is_for(use):
        try:
            return brought_up_to_date(setup, HandDraft.model_validate_json(entry.readings))
        except ValidationError:
            pass  # written by another version: what it came to stands in the register all the same
    value = entry.value
    return draft_for(setup, Before() if value is None else Before(x=value.x, y=value.y, z=value.z))
