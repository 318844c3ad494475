"""What is typed when touching off by hand, by method."""

from __future__ import annotations

from ledgecliff.core.frames import Axis
from ledgecliff.core.touchoff.draft import ASKED, AxisDraft, Method

from .field_table import FieldSpec, length

_LOW: dict[Axis, str] = {"x": "Left wall", "y": "Front wall", "z": "Lower"}
_HIGH: dict[Axis, str] = {"x": "Right wall", "y": "Back wall", "z": "Upper"}
_READING = "As the control shows it, in machine coordinates, with its sign."
#: Fields of a method by other words than the usual ones.
_OWN: dict[tuple[Method, str], tuple[str, str]] = {
    ("over it, by eye", "reading"): ("Machine shows", "Machine position while it stands over that, by eye."),
    ("above it, by eye", "reading"): ("Machine shows", "Machine Z of the gauge line, with no length in force."),
    ("above it, by eye", "gauge"): ("About so far above", "From the surface to the tip, by eye."),
    ("known value", "reading"): ("Known value", "As the register or the fixture's own label has it."),
    ("test cut", "reading"): ("Offset now", "What the offset holds while the test cuts were made."),
    ("test cut", "size"): ("Step", "Measured between both cuts; half of it is the error."),
    ("spigot", "size"): ("Spigot diameter", "Measured; half of it goes on to its axis."),
    ("half a measured size", "size"): ("Measured size", "Of this part, by caliper; half of it goes on to the middle."),
    ("indicator against reference", "reading"): ("On the surface", "Machine Z when the dial shows the same."),
    ("indicator against reference", "second"): ("On the reference", "Machine Z on what the tools were set on."),
    ("indicator swept", "reading"): ("Stands still at", "Machine position where the swept indicator stands still."),
}


def correction_fields() -> tuple[FieldSpec, ...]:
    """After the hover check, or a first cut."""
    room = length(
        "Room at the hover check",
        "Between block and tip, by feeler; blank: not looked at. A tip that presses: less than 0.",
        "hover_room",
        optional=True,
    )
    by = (
        length(
            f"Correct {axis.upper()} by", "In the direction of the axis; blank: not.", "correct", axis, optional=True
        )
        for axis in ("x", "y", "z")
    )
    return (room, *by)


def axis_fields(axis: Axis, draft: AxisDraft) -> tuple[FieldSpec, ...]:
    """Of the draft's method, in the order of the work."""
    return tuple(_field(axis, draft.method, name) for name in ASKED[draft.method])


def _field(axis: Axis, method: Method, name: str) -> FieldSpec:
    label, why = _OWN.get((method, name)) or _usual(axis, method, name)
    return length(label, why, axis, name, optional=name in ("reading", "second", "size", "tool_length"))


def _usual(axis: Axis, method: Method, name: str) -> tuple[str, str]:
    match name:
        case "reading" if method == "wall to wall":
            return _LOW[axis], _READING
        case "second":
            return _HIGH[axis], _READING
        case "diameter":
            return "Tool diameter", "Of the edge finder or cutter; 0 for an indicator zeroed on the surface."
        case "gauge":
            return "Paper or block", "Paper, feeler or block between tool and surface; 0 for nothing."
        case "tool_length":
            return "Tool length", "From the gauge line, as in the tool table."
        case _:
            return "Reading", _READING
