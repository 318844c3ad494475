"""A work offset that was probed on the machine, into the register: from its touches, or from results that came back."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..measuring.measured import Change, Measurement
from ..measuring.results_back import Returned
from ..probing.touches import Quantity
from ..quantities import format_length, said_signed
from .entries import Entry, Use, Value, claimed, with_value


@dataclass(frozen=True)
class FoundOffset:
    """What a control holds in the offset of a code, how far that has moved it, and in ``lines`` what was found."""

    offset: str
    value: Value
    changes: tuple[Change, ...]
    lines: tuple[str, ...]


def by_touches(measured: Measurement) -> FoundOffset:
    """What recorded touches amount to."""
    x, y, z = measured.m_zero
    z -= measured.setup.machine.length_shift()  # as the control's table shows it
    lines = [f"{sum(len(step.contacts) for step in measured.steps)} touches"]
    lines += [
        f"{step.step.title}: {quantity.words} {_found(quantity, step.found[quantity.key])}"
        for step in measured.steps
        for quantity in step.step.finds
    ]
    return FoundOffset(measured.offset, Value(x, y, z, measured.skew_deg), measured.changes, tuple(lines))


def by_results(returned: Returned) -> FoundOffset:
    """What results that came back amount to."""
    x, y, z = returned.m_zero
    z -= returned.setup.machine.length_shift()
    lines = ["results that came back"]
    lines += [
        f"{each.step.title}: {quantity.words} {_found(quantity, each.found[quantity.key])}"
        for each in returned.steps
        for quantity in each.step.finds
    ]
    return FoundOffset(returned.offset, Value(x, y, z, returned.skew_deg), returned.changes, tuple(lines))


def kept_measurement(
    found: FoundOffset, entry: Entry, use: Use, others: Iterable[Entry], *, confirmed: bool = False
) -> Entry:
    """The offset's next entry: what the control wrote, with what was found as its origin.

    Raises InvalidValueError when it has moved so far that somebody must confirm it first, RegisterError when another
    setup has the code.
    """
    far = [change for change in found.changes if change.confirm]
    if far and not confirmed:
        moved = ", ".join(f"{change.axis.upper()} by {format_length(change.by, 'mm', sign=True)} mm" for change in far)
        raise InvalidValueError(
            found.offset,
            f"it has moved {moved}, more than clamping does. A chip, another part, or the wrong offset? Confirm it to "
            "keep it",
        )
    if entry.use != use:
        entry = claimed(entry, use, others)
    return with_value(entry, found.value, "touches", found.lines, use)


def _found(quantity: Quantity, value: float) -> str:
    """To be spelled in whatever unit the register is read in."""
    return f"{value:+.4f}°" if quantity.is_angle else said_signed(value)
