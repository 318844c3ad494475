"""Where each setup's zero is, and what every named feature reads there.

``w = R p - u_origin`` (docs/methods/frames-and-signs.md), with ``u_origin`` the zero in table-aligned part
coordinates; each of its three axes may come from another surface.  What the work offset must hold follows from
where the setup stands (``locating``).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import assert_never

import numpy as np

from .feature_places import gives, zero_place
from .frames import AXES, Array, Axis
from .holding import Holding
from .holding.holding import has_bore
from .model.holding import Chuck, ChuckHold, PlateHold, Vise, ViseHold
from .model.job import Job
from .model.orientation import Orientation, axis_of, exact_direction, shown
from .model.own_fixture import OwnFixture
from .model.part import WIDE, Feature
from .model.setup import FROM_BEFORE, SOURCES, AxisDatum, Datum, DatumSource
from .places import as_it_lies, may_index
from .tape_lines import Tape, TapeLine, heading, note

#: A cosine above this is of no angle.
_SQUARE = 1.0 - 1e-9
_SIDES = {"x": ("left", "right"), "y": ("front", "back")}


@dataclass(frozen=True, eq=False)
class Wcs:
    """A setup's work coordinate system as planned."""

    orientation: Orientation
    u_origin: Array

    @property
    def p_origin(self) -> Array:
        """The zero (3,) in P."""
        origin: Array = self.orientation.matrix().T @ self.u_origin
        return origin + 0.0

    def reads(self, p_point: Array | tuple[float, float, float]) -> Array:
        """What a part point (3,) reads in this WCS."""
        reading: Array = self.orientation.matrix() @ np.asarray(p_point, dtype=float) - self.u_origin
        return reading + 0.0


@dataclass(frozen=True)
class ZeroBefore:
    """Where (3,) the zero of the setup before is in the frame of what holds this one: as its value ``stays`` on the
    machine, and as the rotary axes have ``turned`` it along with what holds the part."""

    stays: tuple[float, float, float]
    turned: tuple[float, float, float]


def datum_words(axis: Axis, datum: AxisDatum) -> str:
    """The source of a zero as it is said at the machine, sides by name instead of by sign."""
    words = str(datum.source)
    if axis in _SIDES:
        for sign, side in zip(("minus", "plus"), _SIDES[axis], strict=True):
            words = words.replace(f"{sign} ", f"{side} ")
    if datum.feature is not None:
        return ", ".join([datum.feature, *filter(None, [words.removeprefix("feature").strip()])])
    if datum.face is not None:
        return f"fixture face {datum.face}"
    return words if datum.dowel is None else f"dowel {datum.dowel}"


def source_height(
    axis: Axis,
    datum: AxisDatum,
    holding: Holding,
    features: tuple[Feature, ...],
    s_zeros: ZeroBefore | None = None,
) -> float:
    """Where the source of one axis lies in ``u`` along that axis, without the datum's shift.

    ``s_zeros`` is the zero of the setup before, where an axis is taken from that.
    """
    k = AXES.index(axis)
    stock = (float(holding.u_stock[0][k]), float(holding.u_stock[1][k]))
    part = (float(holding.u_part[0][k]), float(holding.u_part[1][k]))
    match datum.source:
        case "stock centre":
            return sum(stock) / 2.0
        case "part centre":
            return sum(part) / 2.0
        case "stock minus side":
            return stock[0]
        case "part minus side":
            return part[0]
        case "stock plus side" | "stock top":
            return stock[1]
        case "part plus side" | "part top":
            return part[1]
        case "fixed jaw":
            # Turned jaws give the other axis its zero; for this one the middle of the stock stands in.
            jaws = holding.jaws
            return jaws.face if jaws is not None and jaws.axis == k else sum(stock) / 2.0
        case "parallels":
            return holding.reference
        case "feature" | "feature minus side" | "feature plus side":
            feature = next(feature for feature in features if feature.name == datum.feature)
            row = holding.orientation.matrix()[k]
            return float(row @ zero_place(feature, datum.source, axis, row))
        case "jaw minus end" | "jaw plus end" | "stop" | "dowel" | "fixture face":
            found = fixture_place(axis, datum, holding)
            # Without such a thing the middle of the stock stands in, and the probing plan says that there is none.
            return sum(stock) / 2.0 if found is None else found
        case "fixture bore":
            bore = holding.known_bore()
            # Without such a bore the middle of the stock stands in, and the probing plan says that there is none.
            return float(bore.u_centre[k]) if bore is not None else sum(stock) / 2.0
        case "fixture value":
            return float(holding.u_zero[k])
        case "rotary axis":
            # A chuck's axis goes through the middle of what it holds; without one the middle stands in.
            return sum(stock) / 2.0
        case "carried over" | "rotary index":
            assert s_zeros is not None, "the job's own validation keeps the first setup from it"
            s_zero = s_zeros.stays if datum.source == "carried over" else s_zeros.turned
            return float(holding.tf_s_u.inverse()(np.array(s_zero))[k])
        case _:
            assert_never(datum.source)


def fixture_place(axis: Axis, datum: AxisDatum, holding: Holding) -> float | None:
    """Where in ``u`` along X or Y an end of the fixed jaw, the stop's face, a dowel's middle or a face of a fixture of
    the shop's own is; None without one, or where it looks another way."""
    k, jaws = AXES.index(axis), holding.jaws
    match datum.source:
        case "jaw minus end" | "jaw plus end":
            block = holding.first_jaw()
            if block is None or jaws is None or jaws.axis == k:
                return None
            return block.low[k] if datum.source == "jaw minus end" else block.high[k]
        case "stop":
            block = holding.block("stop")
            if block is None or jaws is None or jaws.axis == k:
                return None
            at_low = block.low[k] + block.high[k] < float(holding.u_stock[0][k] + holding.u_stock[1][k])
            return block.high[k] if at_low else block.low[k]
        case "fixture face":
            face = holding.face(datum.face)
            return face.level if face is not None and face.axis == k else None
        case _:
            block = holding.block(f"dowel {datum.dowel}")
            return None if block is None else (block.low[k] + block.high[k]) / 2.0


def place_wcs(datum: Datum, holding: Holding, features: tuple[Feature, ...], s_zeros: ZeroBefore | None = None) -> Wcs:
    u_origin = np.array(
        [source_height(axis, datum.axis(axis), holding, features, s_zeros) + datum.axis(axis).shift for axis in AXES]
    )
    return Wcs(holding.orientation, u_origin)


def coordinate_tape(feature: Feature, wcs: Wcs, setup_name: str) -> Tape:
    """How one feature's coordinates come about: part coordinate, turn, less the zero."""
    matrix = wcs.orientation.matrix()
    p_point, w_point = np.array(feature.at.as_tuple()), wcs.reads(feature.at.as_tuple())
    lines: list[TapeLine] = []
    for k, axis in enumerate(AXES):
        lines += [
            heading(f"{axis.upper()} of {feature.name}"),
            *_along(axis, matrix[k], p_point, feature.name),
            TapeLine("less the zero", -float(wcs.u_origin[k]), source="wcs"),
            TapeLine(f"{axis.upper()} reads", float(w_point[k]), "total", feature.name),
        ]
    lines.append(note(wcs.orientation.in_shop_words()))
    return Tape(feature.name, f"in {setup_name}", tuple(lines))


def _along(axis: Axis, row: Array, p_point: Array, source: str) -> list[TapeLine]:
    """Where a place lies along a machine axis, whose direction in part coordinates is ``row`` (3,)."""
    there, direction = float(row @ p_point), exact_direction(row)
    if direction is not None:
        return [
            TapeLine(f"part {direction[1]}", float(p_point[axis_of(direction)]), source=source),
            TapeLine(f"machine {axis.upper()} is part {shown(direction)}", there),
        ]
    # Where the part does not lie square, more than one of its coordinates goes into it.
    shares = [
        TapeLine(f"part {name}, times {share:.6f}".replace("-", "−"), float(value * share), source=source)
        for name, value, share in zip("XYZ", p_point, row, strict=True)
        if abs(share) > 1e-9
    ]
    return [*shares, TapeLine(f"along machine {axis.upper()}", there, "sum")]


@dataclass(frozen=True)
class DatumChoice:
    """One thing an axis' zero can be taken from, with its words for a list."""

    words: str
    source: DatumSource
    feature: str | None = None
    dowel: int | None = None
    face: str | None = None

    def is_of(self, datum: AxisDatum) -> bool:
        mine = (self.source, self.feature, self.dowel, self.face)
        return mine == (datum.source, datum.feature, datum.dowel, datum.face)


def _words_of_feature(axis: Axis, source: DatumSource, feature: Feature) -> str:
    """In a list, where its middle stands beside its walls and its floor."""
    words = datum_words(axis, AxisDatum(source=source, feature=feature.name))
    if source != "feature" or feature.kind not in WIDE:
        return words
    return f"{words}, floor" if axis == "z" else f"{words}, middle"


def datum_choices(axis: Axis, job: Job, setup: int) -> tuple[DatumChoice, ...]:
    """What can be offered for the zero of ``axis``: each source that fits the setup, and what features have to give."""
    hold, orientation = job.setups[setup].hold, job.setups[setup].orientation
    out_of_place: set[DatumSource] = {"feature", "feature minus side", "feature plus side", "dowel", "fixture face"}
    fixture = job.machine_of(job.setups[setup]).fixture_at(job.setups[setup].station)
    if setup == 0:
        out_of_place |= set(FROM_BEFORE)
    elif not may_index(job.machine_of(job.setups[setup]), job.setups[setup - 1], job.setups[setup]):
        out_of_place.add("rotary index")
    if not isinstance(hold, ChuckHold) or (isinstance(fixture, Chuck) and fixture.stands):
        out_of_place.add("rotary axis")
    if not has_bore(hold, fixture):
        out_of_place.add("fixture bore")
    across = "x" if isinstance(fixture, Vise) and fixture.fixed_jaw in ("left", "right") else "y"
    if not isinstance(hold, ViseHold) or axis == across:
        out_of_place |= {"jaw minus end", "jaw plus end", "stop"}
    elif hold.stop is None or hold.stop.at_jaw_end:
        out_of_place.add("stop")
    plain = [
        DatumChoice(datum_words(axis, AxisDatum(source=source)), source)
        for source in SOURCES[axis]
        if source not in out_of_place
    ]
    if axis != "z" and isinstance(hold, PlateHold):
        plain += [DatumChoice(f"dowel {number}", "dowel", None, number) for number in range(1, len(hold.dowels) + 1)]
    if isinstance(fixture, OwnFixture):
        machine, of = job.machine_of(job.setups[setup]), job.setups[setup]
        # How the station stands: a face looks another way there than in the fixture's own frame.
        turn = as_it_lies(machine, of).orientation.matrix() @ of.orientation.matrix().T
        plain += [
            DatumChoice(f"fixture face {face.name}", "fixture face", face=face.name)
            for face in fixture.faces
            if abs(float(turn[AXES.index(axis), face.axis])) > _SQUARE
        ]
    of_features = [
        DatumChoice(_words_of_feature(axis, source, feature), source, feature.name)
        for feature in job.part.features
        for source in gives(feature, axis, orientation)
    ]
    return (*plain, *of_features)
