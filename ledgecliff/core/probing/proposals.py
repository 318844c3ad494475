"""The cycles that earn a datum: what each axis is taken from says which surface must be touched how."""

from __future__ import annotations

from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle, ProbedBody, Side
from ..model.orientation import Orientation
from ..model.part import Feature
from ..model.setup import AxisDatum, Setup

#: Sides as the machinist sees them, by axis and the sign of their place.
SIDE_OF: dict[tuple[Axis, int], Side] = {
    ("x", -1): "left",
    ("x", 1): "right",
    ("y", -1): "front",
    ("y", 1): "back",
    ("z", 1): "top",
}
#: Depths of a touch below an edge (mm) where the usual one is more than the wall has: a hat's rim, a wall in jaws.
SHALLOW_DEPTHS = (6.0, 5.0, 4.0, 3.0, 2.5, 2.2, 2.05)
#: Round features that are touched from outside.
_STANDING = ("boss", "outer round")
AXIS_OF: dict[Side, Axis] = {side: axis for (axis, _sign), side in SIDE_OF.items()}


def opens_upward(setup: Setup, feature: Feature) -> bool:
    """Whether the probe can come down into (or over) a feature in this setup."""
    return opens_up_when(feature, setup.orientation)


def opens_up_when(feature: Feature, orientation: Orientation) -> bool:
    """The same of any way the part may lie."""
    up = float((orientation.matrix() @ feature.direction())[2])
    return up > 0.999 or (up < -0.999 and (bool(feature.through) or feature.kind == "bore"))


def both_sides(what: str, axis: Axis) -> str:
    """What a cycle is called that touches both sides of something along an axis."""
    return f"{what}, both sides in {axis.upper()}"


def proposed_cycles(setup: Setup, features: tuple[Feature, ...]) -> tuple[ProbeCycle, ...]:
    """Skew first, for the others are touched along the turned axes; then X, Y, Z; a bore that gives both X and Y is
    one cycle.  What is carried over, or a fixture that stays, needs none."""
    datum = setup.datum
    cycles: list[ProbeCycle] = []
    if datum.skew is not None:
        body, side = datum.skew.split()[:2]
        cycles.append(ProbeCycle(name=f"skew from {datum.skew}", kind="edge angle", on=body, side=side))
    x, y = datum.x, datum.y
    if "rotary axis" in (y.source, datum.z.source):
        cycles.append(ProbeCycle(name="Y and Z from the rotary axis", kind="rotary axis", on="stock"))
    together = x.source == y.source and x.source in ("feature", "fixture bore") and x.feature == y.feature
    for axis in AXES:
        source = datum.axis(axis)
        if source.source in ("carried over", "fixture value", "rotary axis") or (together and axis == "y"):
            continue
        cycles.append(_cycle(axis, source, features, both=together and axis == "x"))
    return tuple(cycles)


def _cycle(axis: Axis, datum: AxisDatum, features: tuple[Feature, ...], *, both: bool) -> ProbeCycle:
    source, letter = datum.source, axis.upper()
    if source in ("feature", "fixture bore"):
        which = "X and Y" if both else letter
        on: ProbedBody = "feature" if source == "feature" else "fixture bore"
        name = f"{which} from {datum.feature or 'fixture bore'}"
        alone = None if both or axis == "z" else axis
        stands = any(each.name == datum.feature and each.kind in _STANDING for each in features)
        return ProbeCycle(name=name, kind="boss" if stands else "bore", on=on, feature=datum.feature, axis=alone)
    if source == "fixed jaw":
        return ProbeCycle(name=f"{letter} from fixed jaw", kind="surface", on="fixed jaw")
    if source == "parallels":
        return ProbeCycle(name="Z from what it lies on", kind="surface", on="parallels")
    body: ProbedBody = "part" if source.startswith("part") else "stock"
    if source.endswith("centre"):
        return ProbeCycle(name=both_sides(body, axis), kind="outside width", on=body, axis=axis)
    if axis == "z":
        # What can be touched is the stock as it lies there, whatever the zero counts from.
        return ProbeCycle(name="Z from stock top", kind="surface", on="stock", side="top")
    side = SIDE_OF[axis, -1 if "minus" in source else 1]
    return ProbeCycle(name=f"{letter} from {body} {side} side", kind="surface", on=body, side=side)
