"""The centre of a rotary axis from readings: every line of arithmetic, how well it is known, and what is left to do.

- Bar at 0 and 180: the axis is the middle of both middles, the bar is off it by half their distance.
- Trunnion faces: with ``n`` the face's way out at an angle and ``h`` its height over the axis, the middle of a ball
  that touches it lies at ``n . (p - C) = h + r``; with the table's own height these are three equations for the
  centre and ``h``.  At +90 and -90 they are ``y = (y+ + y-)/2`` and ``h = (y- - y+)/2 - r``.
- Flat: ``word - s atan((z_back - z_front) / L)``.
- Test cut: the axis lies half the step towards the machine side on which the cut went deeper.
- Measured part: believed less true is half of what the first lies beyond the second.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import assert_never

import numpy as np

from ..frames import Array, Axis
from ..model.stations import CentreOrigin
from ..tape_lines import TapeLine, note
from .centre_readings import (
    Bar,
    BarOnce,
    CentreReading,
    FlatSweep,
    MeasuredPart,
    SpigotByHand,
    TableBore,
    TestCutCentre,
    TrunnionFaces,
)


@dataclass(frozen=True)
class CentreFound:
    """``centre`` has the coordinates (mm) that were found, ``uncertainty`` (plus or minus) how well the worse of them
    is known; ``flat_deg`` the word's value that lies level, ``height`` of the table over the axis, ``off`` of the bar
    from it (mm), where they come of it.  ``left`` says what must still be done: until then nothing is finished;
    ``shift`` is what stands moved along for a test cut."""

    origin: CentreOrigin | None
    centre: tuple[tuple[Axis, float], ...]
    uncertainty: float
    lines: tuple[TapeLine, ...]
    flat_deg: float | None = None
    height: float | None = None
    off: float | None = None
    left: str = ""
    shift: float = 0.0


def centre_from(reading: CentreReading) -> CentreFound:
    match reading:
        case Bar():
            return _bar(reading)
        case TrunnionFaces():
            return _faces(reading)
        case TableBore():
            return _bore(reading)
        case FlatSweep():
            return _flat(reading)
        case SpigotByHand():
            return _spigot(reading)
        case TestCutCentre():
            return _test_cut(reading)
        case MeasuredPart():
            return _measured(reading)
        case _:
            assert_never(reading)


def _bar(reading: Bar) -> CentreFound:
    first, lines = _middle(reading, reading.at_first, "at 0" if reading.turned_over else "as it stands")
    if reading.turned_over is None:
        found = _totals(reading.across(), first)
        told = note("This is the middle of the bar, not of the axis: right for one index, or odd-shaped stock.")
        return CentreFound("bar at rest", _pair(reading.across(), first), reading.within, (*lines, *found, told))
    second, more = _middle(reading, reading.turned_over, "at 180")
    axis, off = (first + second) / 2.0, float(np.linalg.norm(first - second)) / 2.0
    lines += [*more, *_totals(reading.across(), axis)]
    lines += [
        TapeLine("the bar is off the axis by", off, "note", signed=False),
        TapeLine("an indicator on it runs out by", 2.0 * off, "note", signed=False),
    ]
    known = reading.within / math.sqrt(2.0)
    return CentreFound("bar at 0 and 180", _pair(reading.across(), axis), known, tuple(lines), off=off)


def _middle(reading: Bar, once: BarOnce, when: str) -> tuple[Array, list[TapeLine]]:
    (a, b), (low, high) = reading.across(), once.sides
    lines = [
        TapeLine(f"{a.upper()}, sides {when}", low),
        TapeLine("and", high),
        TapeLine(f"{a.upper()}, middle {when}", (low + high) / 2.0, "sum"),
    ]
    if once.second_sides is not None:
        low, high = once.second_sides
        other = (low + high) / 2.0
        lines += [TapeLine(f"{b.upper()}, sides {when}", low), TapeLine("and", high)]
    else:
        assert once.top is not None, "the reading's own validation asks for it"
        other = once.top - reading.tool_length - reading.gauge - reading.bar_diameter / 2.0
        lines += [
            TapeLine(f"{b.upper()}, gauge line on its top {when}", once.top),
            *_less(reading.tool_length, reading.gauge),
            TapeLine("half of the bar, −", -reading.bar_diameter / 2.0),
        ]
    return np.array([lines[2].mm, other]), [*lines, TapeLine(f"{b.upper()}, middle {when}", other, "sum")]


def _less(tool_length: float, gauge: float) -> list[TapeLine]:
    lines = [TapeLine("tool length, −", -tool_length)] if tool_length else []
    return [*lines, TapeLine("block or paper, −", -gauge)] if gauge else lines


def _faces(reading: TrunnionFaces) -> CentreFound:
    # About X a right-handed axis turns Z towards minus Y, about Y towards plus X.
    sign = 1.0 if (reading.sense == "right-handed") == (reading.about == "x") else -1.0
    (across, _), place = reading.across(), reading.across_of
    rows, values, lines = [[0.0, 1.0, 1.0]], [reading.z_table], [TapeLine("table level, its face", reading.z_table)]
    for touch in (reading.first, reading.second):
        s = math.sin(math.radians(sign * touch.degrees))
        c = math.cos(math.radians(touch.degrees))
        # -s (y - C_y) + c (z - C_z) = h + r, for C_y, C_z and h, with y the coordinate across.
        rows.append([s, -c, -1.0])
        values.append(reading.radius + s * place(touch) - c * touch.z)
        lines.append(TapeLine(f"face at {touch.degrees:+g}°, {across.upper()}".replace("-", "−"), place(touch)))
        if abs(c) > 1e-9:
            lines.append(TapeLine("  and Z", touch.z))
    inverse = np.linalg.inv(np.array(rows))
    y, z, height = (float(value) for value in inverse @ np.array(values))
    # Each reading enters by its share; of a tilted face both coordinates do.
    known = reading.within * float(np.linalg.norm(inverse, axis=1)[:2].max())
    lines += [
        TapeLine("radius of ball or finder", reading.radius),
        TapeLine("table over the axis", height, "sum"),
        *_totals((across, "z"), np.array([y, z])),
    ]
    if abs(height) > 1e-9:
        lines.append(note(f"The centre is not on the table's top: {'below' if height > 0 else 'above'} it."))
    return CentreFound("trunnion faces", ((across, y), ("z", z)), known, tuple(lines), height=height)


def _bore(reading: TableBore) -> CentreFound:
    first, second = np.array(reading.at_0), np.array(reading.at_180)
    middle, off = (first + second) / 2.0, float(np.linalg.norm(first - second)) / 2.0
    lines = [
        TapeLine(f"{axis}, bore at {angle}", float(place[k]))
        for angle, place in ((0, first), (180, second))
        for k, axis in enumerate("XY")
    ]
    lines += [*_totals(("x", "y"), middle), TapeLine("the bore is off the axis by", off, "note", signed=False)]
    known = reading.within / math.sqrt(2.0)
    return CentreFound("table bore", _pair(("x", "y"), middle), known, tuple(lines), off=off)


def _flat(reading: FlatSweep) -> CentreFound:
    rise = reading.z_high - reading.z_low
    # Right-handed about X what lies at +Y goes up; about Y what lies at +X goes down.
    sign = (1.0 if reading.sense == "right-handed" else -1.0) * (1.0 if reading.about == "x" else -1.0)
    leans = math.degrees(math.atan2(rise, reading.apart))
    flat = reading.word_deg - sign * leans
    left = "" if abs(rise) <= reading.within else "Go to that angle, and sweep again until both read alike."
    lines = [
        TapeLine("at the lower coordinate", reading.z_low),
        TapeLine("at the higher one", reading.z_high),
        TapeLine("rise", rise, "sum"),
        TapeLine("over", reading.apart, signed=False),
        note(f"The table leans {leans:+.4f}°; it lies level where the word reads {flat:.4f}°.".replace("-", "−")),
    ]
    if left:
        lines.append(note(left))
    return CentreFound(None, (), reading.within, tuple(lines), flat_deg=flat, left=left)


def _spigot(reading: SpigotByHand) -> CentreFound:
    (a, b), way = reading.across(), 1.0 if reading.from_side == "minus" else -1.0
    half_tool, half = reading.tool_diameter / 2.0, reading.spigot_diameter / 2.0
    first = reading.side + way * (half_tool + reading.gauge + half)
    second = reading.top - reading.tool_length - reading.gauge - half
    lines = [
        TapeLine(f"{a.upper()}, its side", reading.side),
        TapeLine("half of the tool", way * half_tool),
        *([TapeLine("paper", way * reading.gauge)] if reading.gauge else []),
        TapeLine("half of the spigot", way * half),
        TapeLine(f"{b.upper()}, gauge line on its top", reading.top),
        *_less(reading.tool_length, reading.gauge),
        TapeLine("half of the spigot, −", -half),
        *_totals((a, b), np.array([first, second])),
    ]
    leans = math.degrees(math.atan2(reading.gap, reading.over)) if reading.over else 0.0
    left = ""
    if leans:
        left = f"The blank leans {leans:.4f}° off square: square it and touch again."
        lines.append(note(left))
    return CentreFound(
        "spigot by hand", _pair((a, b), np.array([first, second])), reading.within, tuple(lines), left=left
    )


def _test_cut(reading: TestCutCentre) -> CentreFound:
    half = reading.step / 2.0 * (1.0 if reading.deeper == "plus" else -1.0)
    centre = reading.believed + half
    lines = [
        TapeLine(f"{reading.along.upper()} believed", reading.believed),
        TapeLine(f"half the step, towards the {reading.deeper} side", half),
        *_totals((reading.along,), np.array([centre])),
        note("Cutting both from the same machine side shows no step whatever the error."),
    ]
    left, shift = "", 0.0
    if reading.moved_along and not reading.moved_back:
        shift = reading.moved_along
        left = "The axis that was moved along still stands shifted: move it back before anything else is cut."
        lines.append(TapeLine("moved along, not moved back yet", reading.moved_along, "note"))
    elif reading.step > reading.within:
        left = "Correct it, move along by a fresh length, and cut again: there must be no step."
    if left:
        lines.append(note(left))
    known = reading.within / 2.0
    return CentreFound("test cut", ((reading.along, centre),), known, tuple(lines), left=left, shift=shift)


def _measured(reading: MeasuredPart) -> CentreFound:
    off = (reading.first - reading.second) / 2.0
    centre = reading.believed - off
    lines = [
        TapeLine("cut at the first index", reading.first),
        TapeLine("cut at the opposite one", reading.second),
        TapeLine("half of the one less the other: believed less true", off, "sum"),
        TapeLine(f"{reading.along.upper()} believed", reading.believed),
        *_totals((reading.along,), np.array([centre])),
    ]
    known = reading.within / math.sqrt(2.0)
    return CentreFound("measured part", ((reading.along, centre),), known, tuple(lines))


def _totals(axes: tuple[Axis, ...], values: Array) -> list[TapeLine]:
    return [TapeLine(f"centre {axis.upper()}", float(value), "total") for axis, value in zip(axes, values, strict=True)]


def _pair(axes: tuple[Axis, Axis], values: Array) -> tuple[tuple[Axis, float], ...]:
    return tuple((axis, float(value)) for axis, value in zip(axes, values, strict=True))
