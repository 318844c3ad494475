"""The cycles that earn a datum: what each axis is taken from says which surface must be touched how."""

from __future__ import annotations

from ..feature_places import HOLLOW
from ..frames import AXES, Axis
from ..model.cycles import CycleKind, ProbeCycle, ProbedBody, Side
from ..model.orientation import Orientation
from ..model.part import WIDE, Feature
from ..model.setup import FROM_BEFORE, AxisDatum, DatumSource, Setup

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


#: Touched first at an index whose zero is only worked out, against what the plan expects there.
CONSISTENCY = ProbeCycle(name="consistency touch", kind="consistency", on="stock", action="measure")


def proposed_cycles(setup: Setup, features: tuple[Feature, ...]) -> tuple[ProbeCycle, ...]:
    """Skew first, for the others are touched along the turned axes; then X, Y, Z; a bore that gives both X and Y is
    one cycle.  What is carried over, or a fixture that stays, needs none; of an index that is only worked out, one
    touch tells whether the axes have taken the part where the plan has it."""
    datum = setup.datum
    cycles: list[ProbeCycle] = []
    if datum.skew is not None:
        body, side = datum.skew.split()[:2]
        cycles.append(ProbeCycle(name=f"skew from {datum.skew}", kind="edge angle", on=body, side=side))
    x, y = datum.x, datum.y
    if "rotary axis" in (y.source, datum.z.source):
        cycles.append(ProbeCycle(name="Y and Z from the rotary axis", kind="rotary axis", on="stock"))
    together = x.source == y.source and x.source in ("feature", "fixture bore", "dowel") and (
        (x.feature, x.dowel) == (y.feature, y.dowel)
    )  # fmt: skip
    named = next((each for each in features if each.name == x.feature), None)
    # Of a face, each axis has a touch of its own.
    together = together and (named is None or named.kind != "face")
    for axis in AXES:
        source = datum.axis(axis)
        if source.source in (*FROM_BEFORE, "fixture value", "rotary axis") or (together and axis == "y"):
            continue
        cycles.append(_cycle(axis, source, setup.orientation, features, both=together and axis == "x"))
    from_before = [datum.axis(axis).source for axis in AXES if datum.axis(axis).source in FROM_BEFORE]
    taken = len(from_before) == len(AXES) and (setup.index or "rotary index" in from_before)
    if taken:
        cycles.append(CONSISTENCY)
    return tuple(cycles)


def _cycle(
    axis: Axis, datum: AxisDatum, orientation: Orientation, features: tuple[Feature, ...], *, both: bool
) -> ProbeCycle:
    source, letter = datum.source, axis.upper()
    named = next((each for each in features if each.name == datum.feature), None)
    if named is not None and (axis == "z" or named.kind in (*WIDE, "face")):
        return _at_feature(axis, datum, orientation, named, both=both)
    which = "X and Y" if both else letter
    if source == "dowel":
        alone = None if both else axis
        return ProbeCycle(
            name=f"{which} from dowel {datum.dowel}", kind="boss", on="dowel", dowel=datum.dowel, axis=alone
        )
    if source in ("feature", "fixture bore"):
        on: ProbedBody = "feature" if source == "feature" else "fixture bore"
        name = f"{which} from {datum.feature or 'fixture bore'}"
        alone = None if both or axis == "z" else axis
        stands = named is not None and named.kind in _STANDING
        return ProbeCycle(name=name, kind="boss" if stands else "bore", on=on, feature=datum.feature, axis=alone)
    if source == "fixed jaw":
        return ProbeCycle(name=f"{letter} from fixed jaw", kind="surface", on="fixed jaw")
    if source == "stop":
        return ProbeCycle(name=f"{letter} from stop", kind="surface", on="stop")
    if source == "fixture face":
        return ProbeCycle(name=f"{letter} from fixture face {datum.face}", kind="surface", on=source, face=datum.face)
    if source in ("jaw minus end", "jaw plus end"):
        side = SIDE_OF[axis, -1 if "minus" in source else 1]
        return ProbeCycle(name=f"{letter} from {side} end of the jaw", kind="surface", on="jaw end", side=side)
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


def _at_feature(axis: Axis, datum: AxisDatum, orientation: Orientation, feature: Feature, *, both: bool) -> ProbeCycle:
    """Both walls for their middle, else the one wall, floor or face that is named."""
    name, letter = feature.name, axis.upper()
    if datum.source == "feature" and axis != "z" and feature.kind in WIDE:
        if both:
            return ProbeCycle(name=f"X and Y from {name}", kind="rectangle", on="feature", feature=name)
        kind: CycleKind = "inside width" if feature.kind in HOLLOW else "outside width"
        return ProbeCycle(name=f"{letter} from {name}", kind=kind, on="feature", feature=name, axis=axis)
    side = "top" if axis == "z" else wall_side(axis, datum.source, orientation, feature)
    words = name if axis == "z" or feature.kind == "face" else f"{name}, {side} wall"
    return ProbeCycle(name=f"{letter} from {words}", kind="surface", on="feature", feature=name, side=side)


def wall_side(axis: Axis, source: DatumSource, orientation: Orientation, feature: Feature) -> Side:
    """The side on which a wall stands; of a face, the one it looks to."""
    sign = 1 if source == "feature plus side" else -1
    if feature.kind == "face":
        sign = 1 if float(orientation.matrix()[AXES.index(axis)] @ feature.direction()) > 0.0 else -1
    return SIDE_OF[axis, sign]
