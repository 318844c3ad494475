"""Where a work offset should be: the datum's true surfaces of a true clamping."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import assert_never

import numpy as np

from ..blanks import moved
from ..datums import fixture_place, source_height
from ..feature_places import zero_place
from ..frames import AXES, IDENTITY, Array, Axis, Placement
from ..holding import Holding
from ..model.part import Feature
from ..model.setup import Setup
from .clamped import TrueSetup


@dataclass(frozen=True, eq=False)
class Wanted:
    """What a setup's zero is taken from: its datum, as it was ``planned``, and the features it may name.

    ``tf_p_cut`` places each feature, in P, where its own setup really cut it; ``p_zero`` (3,) is the planned zero in P,
    where a zero that is carried over belongs.  ``turn`` (3, 3) is how the offset is turned about Z from the machine's
    axes: what an axis is taken from counts along the axis as it is turned.
    """

    setup: Setup
    planned: Holding
    features: tuple[Feature, ...]
    tf_p_cut: dict[str, Placement]
    p_zero: Array
    turn: Array


def true_offset(wanted: Wanted, true: TrueSetup) -> Array:
    """The work offset (3,) that would be right: the datum's true surfaces, read in M.

    Where a skew is looked for, axes meet where the true surfaces do, not each at the middle of the stock.
    """
    setup = wanted.setup
    back = Placement(wanted.turn.T, np.zeros(3))
    if setup.datum.skew is not None and all(
        setup.datum.axis(axis).source.startswith(("stock", "part")) for axis in AXES[:2]
    ):
        u_zero = np.array(
            [source_height(axis, setup.datum.axis(axis), true.holding, wanted.features) + setup.datum.axis(axis).shift
             for axis in AXES]
        )  # fmt: skip
        x, y, _ = back(true.tf_m_p(true.holding.orientation.matrix().T @ u_zero))
        along = np.array([x, y, _true_source("z", wanted, true, back)])
    else:
        along = np.array([_true_source(axis, wanted, true, back) for axis in AXES])
    offset: Array = wanted.turn @ along
    return offset


def _true_source(axis: Axis, wanted: Wanted, true: TrueSetup, back: Placement) -> float:
    """Where the source of one axis truly is along that axis as the offset is turned, from the machine's zero."""
    datum, k, holding = wanted.setup.datum.axis(axis), AXES.index(axis), true.holding

    def held(u_place: Array) -> float:
        return float(back(true.tf_m_held(u_place))[k]) + datum.shift

    def of_part(p_place: Array) -> float:
        return float(back(true.tf_m_p(p_place))[k])

    match datum.source:
        case "parallels":
            return held(np.array([0.0, 0.0, holding.reference]))
        case "fixture value":
            return held(holding.u_zero)
        case "fixed jaw":
            face = np.zeros(3)
            face[k] = holding.jaws.face if holding.jaws is not None else math.nan
            return held(face)
        case "jaw minus end" | "jaw plus end" | "stop" | "dowel" | "fixture face":
            found = np.zeros(3)
            stands_at = fixture_place(axis, datum, holding)
            found[k] = math.nan if stands_at is None else stands_at
            return held(found)
        case "rotary axis":
            turned_about = holding.rotary_axis()
            return math.nan if turned_about is None else held(np.array([0.0, *turned_about]))
        case "fixture bore":
            bore = holding.known_bore()
            return math.nan if bore is None else held(np.array([*bore.u_centre, 0.0]))
        case "carried over" | "rotary index":
            return of_part(wanted.p_zero)
        case "feature" | "feature minus side" | "feature plus side":
            feature = next(feature for feature in wanted.features if feature.name == datum.feature)
            p_place = zero_place(feature, datum.source, axis, holding.orientation.matrix()[k])
            return of_part(wanted.tf_p_cut.get(feature.name, IDENTITY)(p_place)) + datum.shift
        case (
            "stock centre" | "stock minus side" | "stock plus side" | "stock top"
            | "part centre" | "part minus side" | "part plus side" | "part top"
        ):  # fmt: skip
            return _of_body(axis, wanted, true, back) + datum.shift
        case _:
            assert_never(datum.source)


def _of_body(axis: Axis, wanted: Wanted, true: TrueSetup, back: Placement) -> float:
    """A stock or part plane, taken at the middle of the stock across that axis."""
    datum, k, holding = wanted.setup.datum.axis(axis), AXES.index(axis), true.holding
    middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    if axis == "z":
        planned_below_top = float(wanted.planned.u_stock[1][2]) - source_height(
            axis, datum, wanted.planned, wanted.features
        )
        middle[2] = float(holding.u_stock[1][2]) - planned_below_top
    else:
        middle[k] = source_height(axis, datum, holding, wanted.features)
    place = back(true.tf_m_p(holding.orientation.matrix().T @ middle))
    if datum.source in ("stock minus side", "stock plus side") and axis != "z":
        low, high = _ends(true, back, k, float(place[1 - k]))
        return low if datum.source == "stock minus side" else high
    return float(place[k])


def _ends(true: TrueSetup, back: Placement, k: int, across: float) -> tuple[float, float]:
    """From where to where the true stock reaches along X (0) or Y (1) at a place on the other axis (mm).

    Once it has been turned over a little askew, its farthest corners lie beyond its sides' middles.
    """
    solid = moved(true.holding.stock.solid, back.after(true.tf_m_p))
    # The other axis is turned up: (x, y, z) to (y, z, x) for Y, to (z, x, y) for X.
    if k == 1:
        left, _, right, _ = solid.transform(((0, 1, 0, 0), (0, 0, 1, 0), (1, 0, 0, 0))).slice(across).bounds()
        return left, right
    _, low, _, high = solid.transform(((0, 0, 1, 0), (1, 0, 0, 0), (0, 1, 0, 0))).slice(across).bounds()
    return low, high


def true_turn_deg(setup: Setup, true: TrueSetup) -> float:
    """How far the part is really turned about Z from how it lies along the machine's axes (degrees)."""
    turn = true.tf_m_p.turn @ setup.orientation.matrix().T
    return math.degrees(math.atan2(float(turn[1, 0]), float(turn[0, 0])))
