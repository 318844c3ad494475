"""The lines to type at a control's offset page, and small corrections of what it holds.

Some controls *set* the value that is typed, some *add* it to what stands there: one for the other puts the zero as far
off as the whole offset.  Which it is is said once for the machine, and shown with the lines.
"""

from __future__ import annotations

from collections.abc import Mapping

from ..frames import AXES, Axis
from ..model.machine import Machine, OffsetEntry
from ..quantities import said_signed
from ..setup_plan import SetupPlan
from .draft import HandDraft
from .hand_tape import AxisResult

#: A correction below what a control shows is none (mm).
_NONE = 5e-5
#: How a control takes what is typed, in words.
WAYS: dict[OffsetEntry, str] = {
    "not said": "not said yet",
    "sets": "sets it: what is typed stands there afterwards",
    "adds": "adds it to what stands there",
}


def lines_to_type(
    entry: OffsetEntry, code: str, now: Mapping[Axis, float | None], wanted: Mapping[Axis, float]
) -> tuple[str, ...]:
    """A line for each axis that changes, lengths to be spelled; ``now`` is what the control holds, as far as that is
    known, and ``wanted`` what it must hold (mm)."""
    if entry == "not said":
        return ("Say first whether this control sets or adds what is typed: try it with a code that is free.",)
    lines = []
    for axis in AXES:
        if axis not in wanted:
            continue
        held, must = now.get(axis), wanted[axis]
        if held is not None and abs(must - held) < _NONE:
            continue
        where = f"{code} {axis.upper()}"
        if entry == "sets":
            lines.append(f"{where}: type {said_signed(must)}")
        elif held is None:
            lines.append(f"{where}: what it holds is not known; set it to 0 there, then type {said_signed(must)}")
        else:
            lines.append(
                f"{where}: type {said_signed(must - held)}, so that {said_signed(held)} becomes {said_signed(must)}"
            )
    return tuple(lines) or (f"{code} holds it already; nothing is to be typed.",)


def corrections_of(setup: SetupPlan, draft: HandDraft) -> dict[Axis, float]:
    """By how much each axis is to be corrected (mm): as typed, and in Z by the room that the hover check has left over.

    Where the block has more room than planned the surface lies lower than the control thinks: Z goes down by that.
    """
    found = {axis: mm for axis in AXES if (mm := getattr(draft.correct, axis)) is not None}
    if draft.hover_room is not None:
        room = draft.hover_room - setup.setup.hover.gap
        found["z"] = found.get("z", 0.0) - room
    return found


def touched_lines(machine: Machine, draft: HandDraft, results: Mapping[Axis, AxisResult]) -> tuple[str, ...]:
    """What to type once it is touched off, from what the offset held before."""
    now = {axis: getattr(draft.before, axis) for axis in AXES}
    return lines_to_type(machine.offset_entry, draft.offset, now, {axis: r.offset for axis, r in results.items()})


def correcting_lines(
    machine: Machine, setup: SetupPlan, draft: HandDraft, results: Mapping[Axis, AxisResult]
) -> tuple[str, ...]:
    """What to type for a correction, from what was found, or what the offset held where nothing was."""
    corrections = {axis: mm for axis, mm in corrections_of(setup, draft).items() if abs(mm) >= _NONE}
    if not corrections:
        return ()
    now = {axis: results[axis].offset if axis in results else getattr(draft.before, axis) for axis in AXES}
    if machine.offset_entry == "adds":
        return tuple(f"{draft.offset} {axis.upper()}: type {said_signed(mm)}" for axis, mm in corrections.items())
    unknown = [axis.upper() for axis in corrections if now[axis] is None]
    if unknown:
        which = f"{draft.offset} holds in {' and '.join(unknown)}"
        return (f"What {which} is not known: touch it off, or put it into the register.",)
    wanted = {axis: held + mm for axis, mm in corrections.items() if (held := now[axis]) is not None}
    return lines_to_type(machine.offset_entry, draft.offset, now, wanted)
