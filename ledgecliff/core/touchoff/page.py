"""A page of touching off by hand: what can be chosen on it, and what it says (lengths to be spelled)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import assert_never

from ..frames import AXES, Axis
from ..model.stock import Stock
from ..quantities import said_signed
from ..register.entries import Entry
from ..setup_plan import SetupPlan
from .draft import ASKED, HALF_ON, AxisDraft, HandDraft, Method, size_doubt, width_of
from .expected import ToolSize
from .hand_tape import AxisResult
from .surfaces import rounds_of, surfaces_of

_ASKED_WORDS = {
    "reading": "the reading",
    "second": "the other reading",
    "size": "the measured size",
    "tool_length": "the tool's length",
}


def touchable(setup: SetupPlan, axis: Axis, method: Method) -> tuple[tuple[str, str], ...]:
    """Words and name of each thing that can be touched in this way; none where the method touches nothing."""
    faces = tuple(
        (surface.name, surface.name)
        for surface in surfaces_of(setup)
        if surface.axis == axis and (surface.of_stock or method not in HALF_ON)
    )
    rounds = rounds_of(setup) if axis != "z" else ()
    match method:
        case "indicator swept":
            return tuple((thing.name, thing.name) for thing in rounds if thing.hollow)
        case "wall to wall":
            between = setup.setup.datum.axis(axis).feature if width_of(setup, axis) is not None else None
            return ((between or "the stock", ""), *((thing.name, thing.name) for thing in rounds)) if rounds else ()
        case "edge" | "half a measured size" | "tool on top" | "indicator against reference" | "above it, by eye":
            return faces
        case "over it, by eye":
            return (("the zero itself", ""), *faces, *((thing.name, thing.name) for thing in rounds))
        case "spigot":
            return (*faces, *((thing.name, thing.name) for thing in rounds if not thing.hollow))
        case "known value" | "test cut":
            return ()
        case _:
            assert_never(method)


def asks_for_tool(method: Method) -> bool:
    """Something of the tool it is touched with has to be known."""
    return bool({"diameter", "tool_length"} & set(ASKED[method]))


def tool_of(tools: Sequence[ToolSize], draft: AxisDraft) -> int:
    """The number of the first tool whose numbers are typed, 0 for none."""
    asked = ASKED[draft.method]
    return next(
        (
            tool.tool
            for tool in tools
            if ("tool_length" not in asked or draft.tool_length == tool.length)
            and ("diameter" not in asked or draft.diameter == tool.diameter)
        ),
        0,
    )


def must_read(draft: AxisDraft) -> str:
    """What the place that is touched reads once the offset is right; empty where no place is touched."""
    match draft.method:
        case "known value" | "test cut":
            return ""
        case "edge" | "tool on top" | "indicator against reference" | "above it, by eye":
            what = draft.surface
        case "over it, by eye":
            what = draft.surface or "place it stands over"
        case "wall to wall" | "half a measured size" | "spigot" | "indicator swept":
            what = "middle"
        case _:
            assert_never(draft.method)
    return f"The {what} must read {said_signed(draft.should_read)}."


def offset_words(axis: Axis, result: AxisResult | None) -> str:
    """An axis of the offset, a dash while it is not known."""
    return f"{axis.upper()}  " + ("—" if result is None else said_signed(result.offset))


def all_offset_words(results: dict[Axis, AxisResult]) -> str:
    return "\n".join(offset_words(axis, results.get(axis)) for axis in AXES)


def moved_words(draft: AxisDraft, result: AxisResult | None) -> str:
    """What is still to be typed, then how far the offset moves from what it held."""
    if result is None:
        missing = draft.missing()
        return "Still to be typed: " + ", ".join(_ASKED_WORDS[each] for each in missing) if missing else ""
    if result.before is None or result.moved is None:
        return ""
    return f"It was {said_signed(result.before)}; it moves by {said_signed(result.moved)}."


def doubt_words(setup: SetupPlan, stock: Stock, draft: HandDraft, axis: Axis, result: AxisResult | None) -> str:
    """What speaks against the numbers of an axis, a line each."""
    if result is None:
        return ""
    doubts = [size_doubt(setup, stock, draft, axis), "" if result.doubt is None else result.doubt.words]
    return "\n".join(words for words in doubts if words)


def all_doubt_words(results: dict[Axis, AxisResult]) -> str:
    return "\n".join(result.doubt.words for result in results.values() if result.doubt is not None)


def kept_words(entry: Entry) -> str:
    """What the register has of the offset."""
    origin = f", {entry.origin}, {entry.at[:16].replace('T', ' ')} {entry.by}" if entry.origin else ""
    return f"{entry.code} in the register: {entry.state()}{origin}"
