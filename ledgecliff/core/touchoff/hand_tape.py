"""The tape of a touch-off by hand: every line of arithmetic from the reading to E, and how far E moved.

``surface = reading + d (r + t)`` and ``E = surface - s`` (docs/methods/by-hand.md), with ``d`` the way the tool
moved, ``r`` its radius and ``t`` the paper or feeler between.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial

from pydantic import ValidationError

from ..errors import InvalidValueError
from ..frames import Axis
from ..model.base import Model
from ..probing.evaluation import between, offset_for, surface_at
from ..tape_lines import Tape, TapeLine, heading, note
from .centres import CentreFound, centre_from
from .doubt import Doubt, doubt, width_doubt
from .expected import Expected
from .readings import (
    Edge,
    HalfSize,
    HandReadings,
    KnownValue,
    Spigot,
    StandsAbove,
    StandsOver,
    Swept,
    TestCut,
    TopByIndicator,
    TopByTool,
    WallToWall,
)
from .slips import DIRECTION, slips

#: Fields that are no lengths.
_ANGLES = ("degrees", "word_deg")
#: Stands for the code and axis of the offset that a line comes to.
_THE_OFFSET = "the offset"


@dataclass(frozen=True)
class AxisResult:
    """``offset`` is E of one axis (mm, M), ``before`` what it held; ``doubt`` is set when it is not as expected."""

    axis: Axis
    offset: float
    before: float | None
    lines: tuple[TapeLine, ...]
    doubt: Doubt | None

    @property
    def moved(self) -> float | None:
        return None if self.before is None else self.offset - self.before


def hand_results(readings: HandReadings, expected: Expected | None = None) -> tuple[AxisResult, ...]:
    """E of every axis that was read.  Readings are in the file's unit."""
    results = []
    scaled = _in_mm(readings)
    for axis in ("x", "y", "z"):
        reading = getattr(scaled, axis)
        if reading is None:
            continue
        lines, offset = _worked(axis, reading)
        code = f"{readings.offset} {axis.upper()}"
        lines = [replace(line, text=code) if line.text == _THE_OFFSET else line for line in lines]
        before = getattr(scaled.before, axis)
        if before is not None:
            lines += [TapeLine("before it held", before, "note"), TapeLine("moved by", offset - before, "note")]
        unsure = None
        if expected is not None and axis in expected.offsets:
            away = offset - expected.offsets[axis]
            wrong = slips(axis, reading, away, expected)
            unsure = doubt(axis, offset, expected.offsets[axis], expected.region, wrong, partial(_offset, axis))
        # Walls that are not as far apart as they should be say more than where their middle comes out.
        unsure = width_doubt(axis, reading, expected.varies.get(axis, 0.0) if expected is not None else 0.0) or unsure
        if unsure is not None:
            lines.append(note(f"⚠ {unsure.words}"))
        results.append(AxisResult(axis, offset, before, tuple(lines), unsure))
    return tuple(results)


def centre_result(readings: HandReadings) -> CentreFound | None:
    """What was found of a rotary axis, if anything was read there."""
    centre = _in_mm(readings).centre
    return None if centre is None else centre_from(centre)


def hand_tape(readings: HandReadings, expected: Expected | None = None) -> Tape:
    lines: list[TapeLine] = []
    for result in hand_results(readings, expected):
        lines += [heading(f"{readings.offset} {result.axis.upper()}"), *result.lines]
    if (found := centre_result(readings)) is not None:
        lines += [heading("Centre of the rotary axis" if found.centre else "Level of the rotary axis"), *found.lines]
    return Tape(readings.offset, "touched off by hand", tuple(lines))


def _in_mm(readings: HandReadings) -> HandReadings:
    """All lengths in millimetres."""
    if readings.unit == "mm":
        return readings
    data = readings.model_dump()
    for key in ("before", "x", "y", "z", "centre"):
        data[key] = _scaled(data[key])
    try:
        return HandReadings.model_validate(data | {"unit": "mm"})
    except ValidationError as error:
        place = " ".join(str(part) for part in error.errors()[0]["loc"])
        reason = "is too large for a length read in inches; look whether it was read in mm"
        raise InvalidValueError(place, reason) from error


def _scaled(given: object, name: str = "") -> object:
    """Inches in millimetres, angles as they are."""
    if isinstance(given, dict):
        return {key: _scaled(value, key) for key, value in given.items()}
    if isinstance(given, (tuple, list)):
        return tuple(_scaled(value) for value in given)
    return given * 25.4 if isinstance(given, float) and name not in _ANGLES else given


def _worked(axis: Axis, reading: Model) -> tuple[list[TapeLine], float]:
    match reading:
        case Edge():
            lines, surface = _touched(reading)
            return _ends(lines, surface, reading.should_read)
        case HalfSize():
            return _half_on(reading, reading.measured_size, "measured size")
        case Spigot():
            return _half_on(reading, reading.spigot_diameter, "spigot's diameter")
        case WallToWall():
            return _walls(axis, reading)
        case Swept():
            return _ends([TapeLine("indicator stands still at", reading.reading)], reading.reading, reading.should_read)
        case KnownValue():
            return [TapeLine(f"{axis.upper()}, {reading.origin}", reading.value, "total", "wcs")], reading.value
        case TopByTool():
            return _by_tool(reading)
        case TopByIndicator():
            return _by_indicator(reading)
        case StandsOver():
            over = reading.surface or "where it stands"
            lines = [TapeLine(f"over the {over}, by eye", reading.reading)]
            return _ends(lines, reading.reading, reading.should_read)
        case StandsAbove():
            return _by_eye_above(reading)
        case TestCut():
            return _test_cut(reading)
    raise AssertionError("every reading has its arithmetic")


def _offset(axis: Axis, reading: Model) -> float:
    return _worked(axis, reading)[1]


def _touched(touch: Edge | HalfSize | Spigot) -> tuple[list[TapeLine], float]:
    direction, radius = DIRECTION[touch.side], touch.diameter / 2.0
    sign = "+" if direction > 0 else "−"
    what = touch.surface or f"{touch.side} side"
    lines = [TapeLine(f"{what}, moving {sign}", touch.reading), TapeLine(f"radius, {sign}", direction * radius)]
    if touch.gauge:
        lines.append(TapeLine(f"paper or feeler, {sign}", direction * touch.gauge))
    surface = surface_at(touch.reading, direction, radius, touch.gauge)
    return [*lines, TapeLine("surface", surface, "sum")], surface


def _ends(lines: list[TapeLine], found: float, should_read: float) -> tuple[list[TapeLine], float]:
    offset = offset_for(found, should_read)
    return [
        *lines,
        TapeLine("must read, −", -should_read),
        TapeLine(_THE_OFFSET, offset, "total", "wcs"),
    ], offset


def _half_on(reading: HalfSize | Spigot, size: float, words: str) -> tuple[list[TapeLine], float]:
    """From a side half a size on, the way the tool moved, to the middle."""
    lines, surface = _touched(reading)
    half = DIRECTION[reading.side] * size / 2.0
    lines = [*lines, TapeLine(f"half of {words}", half), TapeLine("middle", surface + half, "sum")]
    return _ends(lines, surface + half, reading.should_read)


def _walls(axis: Axis, reading: WallToWall) -> tuple[list[TapeLine], float]:
    outward = -1 if reading.inside else 1
    radius = reading.diameter / 2.0
    minus = surface_at(reading.minus_reading, outward, radius, reading.gauge)
    plus = surface_at(reading.plus_reading, -outward, radius, reading.gauge)
    found = between(minus, plus)
    low, high = {"x": ("left", "right"), "y": ("front", "back")}.get(axis, ("minus", "plus"))
    lines = [
        TapeLine(f"{low} wall, reading", reading.minus_reading),
        TapeLine(f"{high} wall, reading", reading.plus_reading),
        TapeLine("middle, radius cancels", found.middle, "sum"),
        TapeLine("width found", found.width, "note", signed=False),
    ]
    if reading.expected_width is not None:
        lines.append(TapeLine("width expected", reading.expected_width, "note", signed=False))
    return _ends(lines, found.middle, reading.should_read)


def _by_tool(reading: TopByTool) -> tuple[list[TapeLine], float]:
    """Gauge line = E + w + H, over a block: ``E = reading - gauge - H - s``."""
    surface = reading.reading - reading.gauge - reading.tool_length
    lines = [TapeLine(f"{reading.surface or 'top'}, moving −, gauge line", reading.reading)]
    if reading.gauge:
        lines.append(TapeLine("block or paper, −", -reading.gauge))
    lines += [TapeLine("tool length, −", -reading.tool_length), TapeLine("surface", surface, "sum")]
    return _ends(lines, surface, reading.should_read)


def _by_eye_above(reading: StandsAbove) -> tuple[list[TapeLine], float]:
    """As with a tool on a block of about that height; with lengths from a plane the offset counts from there."""
    surface = reading.reading - reading.above - reading.tool_length - reading.plane
    lines = [
        TapeLine(f"above the {reading.surface or 'surface'}, gauge line", reading.reading),
        TapeLine("about so far above, by eye, −", -reading.above),
        TapeLine("length of what is in the spindle, −", -reading.tool_length),
    ]
    if reading.plane:
        lines.append(TapeLine("plane that lengths count from, −", -reading.plane))
    return _ends([*lines, TapeLine("surface", surface, "sum")], surface, reading.should_read)


def _by_indicator(reading: TopByIndicator) -> tuple[list[TapeLine], float]:
    """Lengths count from the reference, so the offset is how far the surface lies from it."""
    above = reading.reading - reading.reference_reading
    lines = [
        TapeLine(f"on the {reading.surface or 'surface'}", reading.reading),
        TapeLine("on the tools' reference, −", -reading.reference_reading),
        TapeLine("surface over the reference", above, "sum"),
    ]
    return _ends(lines, above, reading.should_read)


def _test_cut(reading: TestCut) -> tuple[list[TapeLine], float]:
    half = reading.step / 2.0 * (1.0 if reading.deeper == "plus" else -1.0)
    offset = reading.before + half
    return [
        TapeLine("offset before", reading.before),
        TapeLine(f"half the step, towards the {reading.deeper} side", half),
        TapeLine(_THE_OFFSET, offset, "total", "wcs"),
        note("Apply it, move along by a fresh length, cut again: there must be no step."),
        note("Then put the axis that was moved along back."),
    ], offset
