"""A work offset that was probed on the machine, into the register."""

from __future__ import annotations

from collections.abc import Iterable

from ..errors import InvalidValueError
from ..measuring.measured import Measurement
from ..probing.touches import Quantity
from ..quantities import format_length, said_signed
from .entries import Entry, Use, Value, claimed, with_value


def kept_measurement(
    measured: Measurement, entry: Entry, use: Use, others: Iterable[Entry], *, confirmed: bool = False
) -> Entry:
    """The offset's next entry: what the control wrote, with what was found as its origin.

    Raises InvalidValueError when it has moved so far that somebody must confirm it first, RegisterError when another
    setup has the code.
    """
    far = [change for change in measured.changes if change.confirm]
    if far and not confirmed:
        moved = ", ".join(f"{change.axis.upper()} by {format_length(change.by, 'mm', sign=True)} mm" for change in far)
        raise InvalidValueError(
            measured.offset,
            f"it has moved {moved}, more than clamping does. A chip, another part, or the wrong offset? Confirm it to "
            "keep it",
        )
    if entry.use != use:
        entry = claimed(entry, use, others)
    x, y, z = measured.m_zero
    z -= measured.setup.machine.length_shift()  # as the control's table shows it
    lines = [f"{sum(len(step.contacts) for step in measured.steps)} touches"]
    lines += [
        f"{step.step.title}: {quantity.words} {_found(quantity, step.found[quantity.key])}"
        for step in measured.steps
        for quantity in step.step.finds
    ]
    return with_value(entry, Value(x, y, z, measured.skew_deg), "touches", tuple(lines), use)


def _found(quantity: Quantity, value: float) -> str:
    """To be spelled in whatever unit the register is read in."""
    return f"{value:+.4f}°" if quantity.is_angle else said_signed(value)
