"""What may give a setup of a first plan its zero, and how it is probed: from what is best to what will do.

How far the offset put in by eye may be off is stated with each: where a bore is narrow, or a wall low, the
machinist must come closer by eye, and the plan says how close.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle, Side
from ..model.holding import BoardHold, ChuckHold, Hold, VBlockHold
from ..model.machine import Probe, ProbingRoutine
from ..model.operations import Operation
from ..model.orientation import Orientation
from ..model.part import Feature
from ..model.setup import AxisDatum, Datum, DatumSource
from ..model.shop import TouchDefaults
from ..probing.proposals import SHALLOW_DEPTHS, both_sides
from ..recognition.matching import found_for
from ..sides.reach import reach_of
from ..solids.geometry import PartGeometry

#: Depths of a touch below an edge (mm), the usual first.
DEPTHS = (8.0, *SHALLOW_DEPTHS[:-1])


def depths_from(usual: float) -> list[float]:
    """The shop's usual depth of a touch, and the shallower ones."""
    return [usual, *(depth for depth in DEPTHS if depth < usual)]


#: Depths on low walls that Z is found before: a hat's sides, and a jaw over its parallels (mm).
_HAT_DEPTHS, _JAW_DEPTHS = (2.5, 2.2, 2.05), (5.0, 3.0, 2.2, 2.05)
#: Where along a bar it is touched, from its middle (mm).
_ALONG_BAR = (0.0, 15.0, -15.0, 30.0, -30.0, 45.0, -45.0)
#: A bore that gives a zero has room for the ball and this much more (mm), and so many are tried.
_BORE_ROOM, _MOST_BORES = 2.5, 3


@dataclass(frozen=True)
class Zero:
    """A datum, and the cycles that find it where those are not what the planner proposes by itself.

    The guess and the depth of touches are fitted to it afterwards.
    """

    datum: Datum
    cycles: tuple[ProbeCycle, ...] | None = None

    def routine(self, touches: TouchDefaults, guess: float, depth: float) -> ProbingRoutine:
        return touches.routine(guess=guess, depth=depth, cycles=self.cycles)


def first_zeros(hold: Hold) -> Iterator[Zero]:
    """Of the first setup, on raw stock: its middle, and the finished top below its top."""
    centre, end = AxisDatum(source="stock centre"), AxisDatum(source="stock plus side")
    if isinstance(hold, ChuckHold):
        axis = AxisDatum(source="rotary axis")
        yield Zero(Datum(x=end, y=axis, z=axis))
    if isinstance(hold, ChuckHold | VBlockHold):
        x = ProbeCycle(name="X from stock right side", kind="surface", on="stock", side="right")
        for moved in _ALONG_BAR:  # straps and jaws may stand where its middle is
            bar = ProbeCycle(name="Y and Z of the bar", kind="bar", on="stock", moved=moved)
            yield Zero(Datum(x=end, y=centre, z=AxisDatum(source="stock top")), (bar, x))
        yield Zero(Datum(x=end, y=centre, z=AxisDatum(source="stock top")))
    yield Zero(Datum(x=centre, y=centre, z=AxisDatum(source="part top")))
    if isinstance(hold, BoardHold):
        # The sheet has border to spare: what is cut lies where the board is known to be, wherever it lies on it.
        at = AxisDatum(source="fixture value")
        yield Zero(Datum(x=at, y=at, z=AxisDatum(source="part top")))


def later_zeros(bores: tuple[Feature, ...], operations: tuple[Operation, ...], seat: float) -> Iterator[Zero]:
    """Of a later setup, Z from what it lies on: touched, or where nothing of that sticks out, ``seat`` over the known
    place of a fixture that stays."""
    touched = ProbeCycle(name="Z from what it lies on", kind="surface", on="parallels")
    yield from _later_zeros(bores, operations, AxisDatum(source="parallels"), (touched,))
    yield from _later_zeros(bores, operations, AxisDatum(source="fixture value", shift=round(seat, 4)), ())


def _later_zeros(
    bores: tuple[Feature, ...], operations: tuple[Operation, ...], lies_on: AxisDatum, first: tuple[ProbeCycle, ...]
) -> Iterator[Zero]:
    """X and Y from a bore cut right through before; the finished sides; those once the hat is faced away."""
    for bore in bores[:_MOST_BORES]:
        at = AxisDatum(source="feature", feature=bore.name)
        yield Zero(Datum(x=at, y=at, z=lies_on))
    centre = AxisDatum(source="part centre")
    middle = Datum(x=centre, y=centre, z=lies_on)
    yield Zero(middle)
    facing = next((each.name for each in operations if each.removes == "face"), None)
    widths = [_both_sides("part", axis).model_copy(update={"on": "part", "after": facing}) for axis in AXES[:2]]
    if facing is not None:
        for depth in _HAT_DEPTHS:
            hat = [_both_sides("hat", axis).model_copy(update={"depth": depth}) for axis in AXES[:2]]
            yield Zero(middle, (*first, *hat, *widths))
        # Facing needs no more of X and Y than the eye gives.
        yield Zero(middle, (*first, *widths))
    for depth in _JAW_DEPTHS:
        jaw = ProbeCycle(name="Y from fixed jaw", kind="surface", on="fixed jaw", depth=depth)
        for source, cycle in (("part centre", widths[0]), *_ends(facing)):
            datum = Datum(x=AxisDatum(source=source), y=AxisDatum(source="fixed jaw"), z=lies_on)
            yield Zero(datum, (*first, jaw, cycle))

    for source, cycle in (("part centre", widths[0]), *_ends(facing)):
        # Where the jaw is hidden behind a tall part, a vise that stays is known by its place.
        known = Datum(x=AxisDatum(source=source), y=AxisDatum(source="fixture value"), z=lies_on)
        yield Zero(known, (*first, cycle))


def _both_sides(what: str, axis: Axis) -> ProbeCycle:
    return ProbeCycle(name=both_sides(what, axis), kind="outside width", on="stock", axis=axis)


def _ends(facing: str | None) -> tuple[tuple[DatumSource, ProbeCycle], ...]:
    """X from either end of the finished part."""
    sides: tuple[tuple[DatumSource, Side], ...] = (("part minus side", "left"), ("part plus side", "right"))
    return tuple(
        (source, ProbeCycle(name=f"X from part {side} side", kind="surface", on="part", side=side, after=facing))
        for source, side in sides
    )


def bores_for_zero(
    features: tuple[Feature, ...], geometry: PartGeometry, probe: Probe, orientation: Orientation
) -> tuple[Feature, ...]:
    """Holes right through along the setup's own upright that the ball goes into, the widest first."""
    up = orientation.matrix()[2]
    fitting = [
        feature
        for feature in features
        if feature.kind in ("hole", "bore")
        and (feature.diameter or 0.0) > probe.ball_diameter + _BORE_ROOM
        and abs(float(feature.direction() @ up)) > 1.0 - 1e-6
        and len(reach_of(feature, geometry)) == 2
        and _depth(feature, geometry) > 2.0 * probe.ball_radius
    ]
    return tuple(sorted(fitting, key=lambda feature: (-(feature.diameter or 0.0), feature.name)))


def _depth(feature: Feature, geometry: PartGeometry) -> float:
    """How deep a hole is, from the model where the job does not say."""
    found = found_for(feature, geometry)
    return feature.depth or (found.depth if found is not None else None) or 0.0
