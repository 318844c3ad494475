"""Setups made from an order of sides: a first plan that every value of can then be changed."""

from __future__ import annotations

from collections.abc import Iterable

import manifold3d
import numpy as np

from ..blanks import transformed
from ..cuts import below
from ..frames import DIRECTIONS, Orientation, PartDirection, direction_vector, shown
from ..model.holding import ParallelsSet, ViseHold
from ..model.machine import Cutter, Hover, Machine, ProbingRoutine
from ..model.operations import Bore, Face, Operation, Outline, Seen
from ..model.part import Feature
from ..model.setup import AxisDatum, Datum, Setup
from ..recognition.matching import found_for
from ..solids.geometry import PartGeometry
from ..solids.shadow import outline_area
from ..solids.tracked import InProcessStock
from .order import Grip, Order, SideStates, facing_and_hat, grip_for, side_up
from .reach import reach_of

#: Jaws stay this far below what is cut beside them (mm).
_CLEAR = 0.5
#: Where nothing is cut beside the jaws they hold this share of the height, within these limits (mm).
_GRIP_SHARE, _GRIP_LEAST, _GRIP_MOST = 0.4, 4.0, 20.0
#: Parallels where the shop's library has none (mm).
_PARALLELS = ParallelsSet(name="parallels", heights=(20.0,), thickness=10.0, length=150.0)
#: A bore that gives the next zero has room for the ball and this much more (mm).
_BORE_ROOM = 2.5
#: Less stock than this beside the outline is facets and rounding (mm³).
_CRUMBS = 60.0


def setups_for(
    order: Order,
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    blank: InProcessStock,
    machine: Machine,
    parallels: tuple[ParallelsSet, ...] = (),
) -> tuple[Setup, ...]:
    """One setup a side, in a vise: faced, cut round and cut as far as seen from above.

    The machine needs a vise and a cutter.  Later setups take X and Y from a bore that was cut right
    through before where there is one, else from the finished outline; Z from what they lie on.
    """
    states = SideStates(geometry, blank)
    _, hat = facing_and_hat(order.sides[0], geometry, blank)
    bore = _bore_for(order.sides, features, geometry, machine, hat)
    made: set[str] = set()
    setups: list[Setup] = []
    for k, side in enumerate(order.sides):
        cut_before = frozenset(order.sides[:k])
        before = states.after(cut_before)
        grip = grip_for(side, before, states.cut(cut_before, side))
        orientation = _orientation(side, grip, geometry, setups[-1].orientation if setups else None)
        mine = [f.name for f in features if f.name not in made and side in reach_of(f, geometry)]
        made.update(mine)
        through = bore if k == 0 and bore is not None else None
        operations = _operations(orientation, before, geometry, machine, mine, through)
        setups.append(
            Setup(
                name=f"Op {10 * (k + 1)}",
                side=f"{shown(side)} side",
                orientation=orientation,
                hold=_hold(orientation, before, geometry, machine, parallels or (_PARALLELS,)),
                offset=machine.offsets[min(k, len(machine.offsets) - 1)].code,
                datum=_datum(k, orientation, bore),
                hover=Hover(tool=_cutter(machine, "end").tool),
                operations=operations,
            )
        )
    return tuple(setups)


def _bore_for(
    sides: Iterable[PartDirection],
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    machine: Machine,
    hat: float,
) -> Feature | None:
    """The widest hole right through from the first side that the probe's ball goes into.

    Its wall, ``hat`` included, must be high enough for a touch whatever the first guess is off.
    """
    first = next(iter(sides))
    opposite = direction_vector(first)
    fitting = [
        feature
        for feature in features
        if feature.kind in ("hole", "bore")
        and (feature.diameter or 0.0) > machine.probe.ball_diameter + _BORE_ROOM
        and abs(float(feature.direction() @ opposite)) > 1.0 - 1e-6
        and len(reach_of(feature, geometry)) == 2
        and _depth(feature, geometry) + hat > 2.0 * (machine.probe.ball_radius + ProbingRoutine().guess)
    ]
    return max(fitting, key=lambda feature: (feature.diameter or 0.0, feature.name), default=None)


def _depth(feature: Feature, geometry: PartGeometry) -> float:
    """How deep a hole is, from the model where the job does not say."""
    found = found_for(feature, geometry)
    return feature.depth or (found.depth if found is not None else None) or 0.0


def _orientation(side: PartDirection, grip: Grip, geometry: PartGeometry, before: Orientation | None) -> Orientation:
    """``side`` up, the gripped faces to the jaws, and the left end still left where that can be."""
    usual = side_up(side, geometry)
    across = grip.across if grip.across is not None else "XYZ".index(usual.away()[1])
    level = next(letter for k, letter in enumerate("XYZ") if k != across and letter != side[1])
    right = "+" + level
    if before is not None and before.right[1] == level:
        right = before.right
    return Orientation(up=side, right=next(way for way in DIRECTIONS if way == right))


def _beside(before: InProcessStock, orientation: Orientation, geometry: PartGeometry) -> bool:
    """Whether stock stands outside of the part's outline, below its top, in this orientation."""
    matrix = orientation.matrix()
    top = float((np.array([geometry.low, geometry.high]) @ matrix.T)[:, 2].max())
    bottom = float(before.u_corners(orientation)[0][2])
    outline = manifold3d.Manifold.extrude(outline_area(transformed(geometry.solid, matrix)), top - bottom + 2.0)
    standing = below(transformed(before.solid, matrix), top) - outline.translate((0.0, 0.0, bottom - 1.0))
    return bool(standing.volume() > _CRUMBS)


def _operations(
    orientation: Orientation,
    before: InProcessStock,
    geometry: PartGeometry,
    machine: Machine,
    made: list[str],
    bore: Feature | None,
) -> tuple[Operation, ...]:
    part = np.array([geometry.low, geometry.high]) @ orientation.matrix().T
    side = shown(orientation.up)
    operations: list[Operation] = []
    if before.u_corners(orientation)[1][2] > part[:, 2].max() + 0.01:
        operations.append(Face(name=f"face {side}", tool=_cutter(machine, "face").tool))
    if _beside(before, orientation, geometry):
        operations.append(Outline(name="outline", tool=_cutter(machine, "end").tool))
    operations.append(Seen(name=f"all seen from {side}", tool=_cutter(machine, "small").tool, features=tuple(made)))
    if bore is not None:
        operations.append(Bore(name=f"{bore.name} right through", tool=_cutter(machine, "end").tool, on=bore.name))
    return tuple(operations)


def _cutter(machine: Machine, use: str) -> Cutter:
    """The widest one to face with, the widest flat end mill under 20 mm, or the thinnest one."""
    cutters = sorted(machine.cutters, key=lambda cutter: (cutter.diameter, cutter.tool))
    ends = [cutter for cutter in cutters if cutter.shape == "flat" and cutter.diameter <= 20.0] or cutters
    return {"face": cutters[-1], "end": ends[-1], "small": ends[0]}[use]


def _hold(
    orientation: Orientation,
    before: InProcessStock,
    geometry: PartGeometry,
    machine: Machine,
    sets: tuple[ParallelsSet, ...],
) -> ViseHold:
    """The first vise, on the parallels that come nearest to the grip that is wanted without giving more."""
    vise = machine.vises[0]
    low, high = before.u_corners(orientation)
    part_low = float((np.array([geometry.low, geometry.high]) @ orientation.matrix().T)[:, 2].min())
    if _beside(before, orientation, geometry):
        grip = part_low - float(low[2]) - _CLEAR
    else:
        grip = min(max(_GRIP_SHARE * float(high[2] - low[2]), _GRIP_LEAST), _GRIP_MOST)
    wanted = max(vise.jaw_height - max(grip, vise.grip_min), 1.0)
    heights = [(h, s) for s in sets for h in s.heights if wanted - 1e-6 <= h < vise.jaw_height]
    height, chosen = min(heights, key=lambda pair: pair[0], default=(round(wanted, 3), sets[0]))
    return ViseHold(
        vise=vise.name,
        parallels_height=height,
        parallels_thickness=chosen.thickness,
        parallels_length=chosen.length,
    )


def _datum(k: int, orientation: Orientation, bore: Feature | None) -> Datum:
    if k == 0:
        centre = AxisDatum(source="stock centre")
        return Datum(x=centre, y=centre, z=AxisDatum(source="part top"))
    upright = bore is not None and abs(float(orientation.matrix()[2] @ bore.direction())) > 1.0 - 1e-6
    sideways = (
        AxisDatum(source="feature", feature=bore.name)
        if bore is not None and upright
        else AxisDatum(source="part centre")
    )
    return Datum(x=sideways, y=sideways, z=AxisDatum(source="parallels"))
