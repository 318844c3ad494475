"""What a tool, an edge finder or an indicator can be brought to in a setup: sides, jaw, stop, tops and rounds.

The way a tool moves to reach a surface, and what that surface must read in the WCS, follow from the plan;
a hand only picks the surface.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Array, Axis
from ..model.holding import ViseHold
from ..probing.proposals import SIDE_OF, opens_upward
from ..setup_plan import SetupPlan
from .readings import LevelSide

Point2 = tuple[float, float]
#: Round features that are gone round from within, and from without.
_HOLLOW, _FULL = ("bore", "hole", "counterbore"), ("boss", "outer round")


@dataclass(frozen=True)
class Surface:
    """A level or upright face.  ``side`` is where it faces as seen from the front, ``reads`` its place along ``axis``
    in the WCS (mm); ``line`` is drawn on the plan, for a level one on the front view (WCS).  ``of_fixture`` is of what
    holds the part instead of the part's own."""

    name: str
    axis: Axis
    side: LevelSide | None
    reads: float
    line: tuple[Point2, Point2]
    of_fixture: bool = False

    @property
    def source(self) -> str:
        """Its key on drawing and tape."""
        return f"surface-{self.name}"

    @property
    def way(self) -> Point2:
        """How the tool moves to reach it, in the view it is drawn in."""
        return {None: (0.0, -1.0), "left": (1.0, 0.0), "right": (-1.0, 0.0), "front": (0.0, 1.0), "back": (0.0, -1.0)}[
            self.side
        ]


@dataclass(frozen=True)
class Round:
    """A bore to sweep or a spigot to touch: its centre in X and Y of the WCS, and its diameter (mm)."""

    name: str
    centre: Point2
    diameter: float
    hollow: bool

    @property
    def source(self) -> str:
        return f"surface-{self.name}"


def surfaces_of(setup: SetupPlan) -> tuple[Surface, ...]:
    """Sides of the stock as it comes into the setup, what holds it, and level tops."""
    holding, origin = setup.holding, setup.wcs.u_origin
    low, high = (corner - origin for corner in holding.u_stock)
    found = [_side(axis, sign, low, high) for (axis, sign) in SIDE_OF if axis != "z"]
    jaws = holding.jaws
    # Of jaws that centre, none has a place of its own.
    if jaws is not None and not jaws.vise.centring:
        axis = AXES[jaws.axis]
        block = holding.first_jaw()
        assert block is not None, "jaws have blocks"
        ends = (np.array(block.low) - origin, np.array(block.high) - origin)
        # The face looks at the stock, away from where the jaw stands.
        face = jaws.face - float(origin[jaws.axis])
        found.append(_upright("fixed jaw", axis, -jaws.toward, face, ends, of_fixture=True))
    stop = holding.block("stop")
    if stop is not None and isinstance(holding.hold, ViseHold) and holding.hold.stop is not None:
        ends = (np.array(stop.low) - origin, np.array(stop.high) - origin)
        at_left = holding.hold.stop.side == "left"
        face = float(ends[1 if at_left else 0][0])
        found.append(_upright("stop", "x", 1 if at_left else -1, face, ends, of_fixture=True))
    tops = {"stock top": float(high[2]), holding.seat_name: holding.reference - float(origin[2])}
    if jaws is not None:
        tops["jaw top"] = jaws.top - float(origin[2])
    found += [
        Surface(name, "z", None, z, ((float(low[0]) - 10.0, z), (float(high[0]) + 10.0, z))) for name, z in tops.items()
    ]
    return tuple(found)


def rounds_of(setup: SetupPlan) -> tuple[Round, ...]:
    """Round features that stand upright here, and the fixture's own bore."""
    found = [
        Round(feature.name, (reading.x, reading.y), feature.diameter, feature.kind in _HOLLOW)
        for feature, reading in zip(setup.features, setup.readings, strict=True)
        if feature.kind in (*_HOLLOW, *_FULL) and feature.diameter and opens_upward(setup.setup, feature)
    ]
    bore = setup.holding.known_bore()
    if bore is not None:
        x, y = (float(value) for value in bore.u_centre - setup.wcs.u_origin[:2])
        found.append(Round(bore.name, (x, y), bore.diameter, hollow=True))
    return tuple(found)


def _side(axis: Axis, sign: int, low: np.ndarray, high: np.ndarray) -> Surface:
    side = SIDE_OF[axis, sign]
    k = AXES.index(axis)
    return _upright(f"{side} side", axis, sign, float((high if sign > 0 else low)[k]), (low, high))


def _upright(
    name: str, axis: Axis, faces: int, at: float, ends: tuple[Array, Array], *, of_fixture: bool = False
) -> Surface:
    """``faces`` is the sign of the direction it looks in; it is as long as what is between two ``ends`` (3,)."""
    low, high = ends
    side: LevelSide = {("x", -1): "left", ("x", 1): "right", ("y", -1): "front", ("y", 1): "back"}[axis, faces]  # type: ignore[assignment]
    if axis == "x":
        return Surface(name, axis, side, at, ((at, float(low[1])), (at, float(high[1]))), of_fixture)
    return Surface(name, axis, side, at, ((float(low[0]), at), (float(high[0]), at)), of_fixture)
