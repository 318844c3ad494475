"""What a hand may get wrong in each method, as the readings would be without it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import get_args

from ..frames import Axis
from ..model.base import Model
from ..quantities import said
from .doubt import Slip
from .expected import Expected
from .readings import (
    Edge,
    HalfSize,
    KnownValue,
    LevelSide,
    Spigot,
    StandsAbove,
    StandsOver,
    Swept,
    TestCut,
    TopByIndicator,
    TopByTool,
    WallToWall,
)

#: The way a tool moves to reach a side that faces outward.
DIRECTION: dict[LevelSide, int] = {"left": 1, "front": 1, "right": -1, "back": -1}
assert set(DIRECTION) == set(get_args(LevelSide)), "every side has its way"
#: Inches typed as millimetres, and the other way round.
_INCH = 25.4
#: The widest tool and the tallest block that anybody touches with (mm).
_WIDEST, _TALLEST = 100.0, 250.0
#: The readings of each method.
_READINGS = ("reading", "reference_reading", "minus_reading", "plus_reading", "value", "before")


def slips(axis: Axis, reading: Model, away: float, expected: Expected) -> Iterator[Slip]:
    """Every slip that could be behind an offset which is found ``away`` from the plan (mm)."""
    yield from _other_places(axis, reading, expected)
    yield from _tool(reading, away, expected)
    yield from _size(axis, reading, expected)
    yield from _between(reading, away)
    yield from _must_read(reading)
    yield from _as_typed(reading)


def _with(reading: Model, words: str, /, **changes: object) -> Slip:
    return Slip(words, reading.model_copy(update=changes))


def _other_places(axis: Axis, reading: Model, expected: Expected) -> Iterator[Slip]:
    """Another surface than the one that was picked, or another round."""
    now = getattr(reading, "surface", "")
    if isinstance(reading, (HalfSize, Spigot)):
        other: dict[LevelSide, LevelSide] = {"left": "right", "right": "left", "front": "back", "back": "front"}
        yield _with(reading, f"the {other[reading.side]} side was touched", side=other[reading.side])
    for surface in expected.surfaces:
        if surface.axis != axis or isinstance(reading, (HalfSize, Spigot, WallToWall, Swept, KnownValue, TestCut)):
            continue
        reads = round(surface.reads, 6) + 0.0
        if isinstance(reading, Edge):
            if surface.side == reading.side and abs(reads - reading.should_read) < 1e-6:
                continue
            same = surface.side == reading.side and now in ("", surface.name)
            words = (
                f"what it must read is not the plan's {said(reads)}, such as half of the width forgotten"
                if same
                else f"the {surface.name} was touched"
            )
            yield _with(reading, words, side=surface.side, should_read=reads)
        elif surface.name != now:
            yield _with(reading, f"the {surface.name} was touched", should_read=reads)
        elif abs(reads - reading.should_read) > 1e-6:  # type: ignore[attr-defined]
            yield _with(reading, f"what it must read is not the plan's {said(reads)}", should_read=reads)
    if isinstance(reading, (Swept, Spigot, StandsOver, WallToWall)):
        for thing in expected.rounds:
            centre = thing.centre[0 if axis == "x" else 1]
            if abs(centre - reading.should_read) > 1e-6:
                yield _with(reading, f"it is the {thing.name}", should_read=centre)


def _tool(reading: Model, away: float, expected: Expected) -> Iterator[Slip]:
    if isinstance(reading, (Edge, HalfSize, Spigot)):
        diameter = reading.diameter
        if diameter:
            for changed in (0.0, 2.0 * diameter):
                yield _with(reading, "the tool's radius is forgotten, or taken twice", diameter=changed)
            words = "the radius goes the wrong way, or the other side was touched"
            yield _with(reading, words, diameter=-diameter)
        elif away * DIRECTION[reading.side] < 0.0 and 2.0 * abs(away) <= _WIDEST:
            words = f"the diameter is left 0, with a tool of {said(2.0 * abs(away))}"
            yield Slip(words, reading.model_copy(update={"diameter": 2.0 * abs(away)}), of_any_size=True)
        for tool in expected.tools:
            if abs(tool.diameter - diameter) > 1e-6:
                yield _with(reading, f"it was touched with T{tool.tool}", diameter=tool.diameter)
    elif isinstance(reading, (TopByTool, StandsAbove)):
        yield _with(reading, "the tool's length is left out", tool_length=0.0)
        for tool in expected.tools:
            if abs(tool.length - reading.tool_length) > 1e-6:
                yield _with(reading, f"the tool is T{tool.tool}, or its length is active", tool_length=tool.length)


def _size(axis: Axis, reading: Model, expected: Expected) -> Iterator[Slip]:
    for name, words in (("measured_size", "size"), ("spigot_diameter", "diameter")):
        size = getattr(reading, name, None)
        if size is None:
            continue
        yield _with(reading, f"half of the {words} is missing", **{name: 2.0 * size})
        yield _with(reading, f"half of the {words} is missing", **{name: 0.0})
        yield _with(reading, f"half of the {words} went the wrong way", **{name: -size})
        level = [surface.reads for surface in expected.surfaces if surface.axis == axis and surface.of_stock]
        if len(level) > 1 and name == "measured_size":
            width = max(level) - min(level)
            yield _with(reading, f"the {words} is not the stock's {said(width)}", measured_size=width)
    if isinstance(reading, TestCut):
        other = "minus" if reading.deeper == "plus" else "plus"
        yield _with(reading, f"the {other} side was cut deeper", deeper=other)
        yield _with(reading, "half of the step was typed", step=2.0 * reading.step)


def _between(reading: Model, away: float) -> Iterator[Slip]:
    """The block, paper or feeler."""
    gauge = getattr(reading, "gauge", None)
    if gauge is None or isinstance(reading, WallToWall):
        return
    if gauge:
        for changed in (0.0, 2.0 * gauge):
            yield _with(reading, "the block or paper is left out, or taken twice", gauge=changed)
        yield _with(reading, "the block or paper goes the wrong way", gauge=-gauge)
        return
    # Left out, a block puts the surface that much nearer to the tool than it is.
    nearer = away > 0.0 if isinstance(reading, TopByTool) else away * DIRECTION[reading.side] < 0.0  # type: ignore[attr-defined]
    if nearer and abs(away) <= _TALLEST:
        words = f"a block or feeler of {said(abs(away))} lay between and is not typed"
        yield Slip(words, reading.model_copy(update={"gauge": abs(away)}), of_any_size=True)


def _must_read(reading: Model) -> Iterator[Slip]:
    should = getattr(reading, "should_read", 0.0)
    if should:
        for changed in (0.0, 2.0 * should):
            yield _with(reading, "what it must read is left out, or taken off twice", should_read=changed)
        yield _with(reading, "what it must read has the wrong sign", should_read=-should)


def _as_typed(reading: Model) -> Iterator[Slip]:
    """Signs lost, inches for millimetres, the wrong one of two readings."""
    typed = {name: getattr(reading, name) for name in _READINGS if getattr(reading, name, None) is not None}
    for name, value in typed.items():
        if value:
            yield _with(reading, "the sign of a reading is lost", **{name: -value})
    if len(typed) > 1:
        yield _with(reading, "the signs of both readings are lost", **{name: -value for name, value in typed.items()})
    if isinstance(reading, TopByIndicator):
        changed = {"reading": reading.reference_reading, "reference_reading": reading.reading}
        yield _with(reading, "the two readings are exchanged", **changed)
    yield _with(reading, "the reading is in inches", **{name: value * _INCH for name, value in typed.items()})
    yield _with(
        reading, "inches are set, and it was read in mm", **{name: value / _INCH for name, value in typed.items()}
    )
