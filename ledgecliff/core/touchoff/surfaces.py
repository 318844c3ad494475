"""What a tool, an edge finder or an indicator can be brought to in a setup: sides, jaw, stop, tops and rounds.

The way a tool moves to reach a surface, and what that surface must read in the WCS, follow from the plan;
a hand only picks the surface.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..datums import datum_words, fixture_place
from ..feature_places import HOLLOW, gives, zero_place
from ..frames import AXES, Array, Axis
from ..holding.holding import KnownFace
from ..model.setup import AxisDatum
from ..probing.proposals import SIDE_OF, opens_upward, wall_side
from ..setup_plan import SetupPlan
from .readings import LevelSide

Point2 = tuple[float, float]
#: Half of what is drawn of a feature's wall, whose ends are not known (mm).
_HALF_SEEN = 5.0
#: A wall this far outside of the part is none (mm).
_ON = 0.01
#: Round features that are gone round from within, and from without.
_HOLLOW, _FULL = ("bore", "hole", "counterbore"), ("boss", "outer round")


@dataclass(frozen=True)
class Surface:
    """A level or upright face.  ``side`` is where it faces as seen from the front, ``reads`` its place along ``axis``
    in the WCS (mm); ``line`` is drawn on the plan, for a level one on the front view (WCS).  Of the
    sides ``of_stock`` half its size leads to its middle; of what holds it, and of a feature's walls, it does not."""

    name: str
    axis: Axis
    side: LevelSide | None
    reads: float
    line: tuple[Point2, Point2]
    of_stock: bool = True

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
    """Sides of the stock as it comes into the setup, what holds it, tops, and features' walls, faces and floors."""
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
        found.append(_upright("fixed jaw", axis, -jaws.toward, face, ends, of_stock=False))
    if jaws is not None:
        found += _along_the_jaws(setup, 1 - jaws.axis)
    found += [_own_face(face, origin) for face in (holding.own.faces if holding.own is not None else ())]
    tops = {"stock top": float(high[2]), holding.seat_name: holding.reference - float(origin[2])}
    if jaws is not None:
        tops["jaw top"] = jaws.top - float(origin[2])
    found += [
        Surface(name, "z", None, z, ((float(low[0]) - 10.0, z), (float(high[0]) + 10.0, z))) for name, z in tops.items()
    ]
    taken = {surface.name for surface in found}
    return (*found, *(each for each in _of_features(setup) if each.name not in taken))


def _on_part(setup: SetupPlan, k: int, place: float) -> bool:
    low, high = (float(corner[k] - setup.wcs.u_origin[k]) for corner in setup.holding.u_part)
    return low - _ON < place < high + _ON


def _along_the_jaws(setup: SetupPlan, k: int) -> list[Surface]:
    """The jaw's ends where the zero is taken from one, since they lie far out, and the stop's face, which looks at the
    stock."""
    holding, origin, axis, found = setup.holding, setup.wcs.u_origin, AXES[k], []
    jaw, stop = holding.first_jaw(), holding.block("stop")
    if jaw is not None and setup.setup.datum.axis(axis).source in ("jaw minus end", "jaw plus end"):
        ends = (np.array(jaw.low) - origin, np.array(jaw.high) - origin)
        for sign, end in zip((-1, 1), ends, strict=True):
            found.append(_upright(f"jaw {SIDE_OF[axis, sign]} end", axis, sign, float(end[k]), ends, of_stock=False))
    face = fixture_place(axis, AxisDatum(source="stop"), holding)
    if stop is not None and face is not None:
        ends = (np.array(stop.low) - origin, np.array(stop.high) - origin)
        looks = 1 if face == stop.high[k] else -1
        found.append(_upright("stop", axis, looks, face - float(origin[k]), ends, of_stock=False))
    return found


def _own_face(face: KnownFace, origin: Array) -> Surface:
    """A face of a fixture of the shop's own, called as what gives a zero is."""
    axis, level = AXES[face.axis], face.level - float(origin[face.axis])
    low, high = (end - origin for end in (face.region.min(axis=(0, 1)), face.region.max(axis=(0, 1))))
    name = datum_words(axis, AxisDatum(source="fixture face", face=face.name))
    if axis == "z":
        return Surface(name, axis, None, level, ((float(low[0]), level), (float(high[0]), level)), of_stock=False)
    return _upright(name, axis, face.sign, level, (low, high), of_stock=False)


def _of_features(setup: SetupPlan) -> list[Surface]:
    """Walls, faces and floors, each as what gives a zero is called; a machinist knows how far they go."""
    found, lies, origin = [], setup.setup.orientation, setup.wcs.u_origin
    for feature in setup.features:
        for k, axis in enumerate(AXES):
            for source in gives(feature, axis, lies):
                if axis != "z" and feature.kind != "face" and source == "feature":
                    continue  # a middle, of which no one surface is touched
                name = datum_words(axis, AxisDatum(source=source, feature=feature.name))
                x, y, z = lies.matrix() @ zero_place(feature, source, axis, lies.matrix()[k]) - origin
                if not _on_part(setup, k, float((x, y, z)[k])):
                    continue  # a slot at the part's edge has no wall there
                near, far = np.array([x, y, z]) - _HALF_SEEN, np.array([x, y, z]) + _HALF_SEEN
                if axis == "z":
                    found.append(Surface(name, "z", None, float(z), ((near[0], float(z)), (far[0], float(z)))))
                    continue
                looks = 1 if wall_side(axis, source, lies, feature) in ("right", "back") else -1
                looks = -looks if feature.kind in HOLLOW else looks
                found.append(_upright(name, axis, looks, float((x, y)[k]), (near, far), of_stock=False))
    return found


def rounds_of(setup: SetupPlan) -> tuple[Round, ...]:
    """Round features that stand upright here, and the fixture's own bore."""
    found = [
        Round(feature.name, (reading.x, reading.y), feature.diameter, feature.kind in _HOLLOW)
        for feature, reading in zip(setup.features, setup.readings, strict=True)
        if feature.kind in (*_HOLLOW, *_FULL) and feature.diameter and opens_upward(setup.setup, feature)
    ]
    for number in range(1, len(getattr(setup.holding.hold, "dowels", ())) + 1):
        block = setup.holding.block(f"dowel {number}")
        assert block is not None, "each dowel has its block"
        x, y = ((np.array(block.low) + block.high) / 2.0 - setup.wcs.u_origin)[:2]
        found.append(Round(block.name, (float(x), float(y)), block.high[0] - block.low[0], hollow=False))
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
    name: str, axis: Axis, faces: int, at: float, ends: tuple[Array, Array], *, of_stock: bool = True
) -> Surface:
    """``faces`` is the sign of the direction it looks in; it is as long as what is between two ``ends`` (3,)."""
    low, high = ends
    side: LevelSide = {("x", -1): "left", ("x", 1): "right", ("y", -1): "front", ("y", 1): "back"}[axis, faces]  # type: ignore[assignment]
    if axis == "x":
        return Surface(name, axis, side, at, ((at, float(low[1])), (at, float(high[1]))), of_stock)
    return Surface(name, axis, side, at, ((float(low[0]), at), (float(high[0]), at)), of_stock)
