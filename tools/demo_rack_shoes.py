"""The demo *rack shoes*: ten at a time on one plate, five on another beside it, from bars sawn to 64.5 ± 0.6.

A shoe is 62 x 40 x 18, its zero the lowest left front corner.  On the first plate two rows of five lie against blocks
behind them, 74 apart along X and the rows 118 apart; the back row's block was re-cut by 0.20 on the face that looks to
the front, so its shoes lie 0.20 further back.
"""

from __future__ import annotations

from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.holding import Clamp, Dowel, Plate, PlateHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Cutter, Hover, Machine, OffsetCode, Probe, ProbingRoutine
from ledgecliff.core.model.operations import Hole, Operation, Region
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BlockShape, Feature, Part
from ledgecliff.core.model.pattern import Grid, Group, KeptIn, OfInstance, Pattern, Recut
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stock import Allowance, BlockStock
from ledgecliff.core.model.work_offsets import ExtendedOffsets
from ledgecliff.core.patterns.places import recut_group
from ledgecliff.store.migrations import machine_id
from tools.fixtures import station_id, with_fixtures

LENGTH, WIDTH, HEIGHT = 62.0, 40.0, 18.0
#: What the bars are sawn to, how far that varies, and what lies beyond the part at the stop's end.
SAWN, VARIES, AT_STOP = 64.5, 0.6, 1.25
PITCH, ROWS_APART, RECUT = 74.0, 118.0, 0.20
NAME = "Mill 4, the wide table"
WIDE = machine_id(NAME)
BOLTS = ((12.0, 30.0), (50.0, 30.0))


def _point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def _machine() -> Machine:
    bare = Machine(
        id=WIDE,
        name=NAME,
        profile="numbered-variable skip style",
        travel_min=_point(-1060, -560, -560),
        travel_max=_point(0, 0, 0),
        offsets=tuple(OffsetCode(code=f"G{54 + k}", number=k + 1) for k in range(6)),
        extended=ExtendedOffsets(count=48),
        probe=Probe(
            tool=30, length=162.6, ball_diameter=4.0, effective_radius=1.982, stem_diameter=2.0, body_diameter=12.0,
            reach=40.0, travel_feed=1500, search_feed=300, touch_feed=60, back_off=1.0, repeatability=0.001,
        ),
        cutters=(
            Cutter(tool=1, name="10 mm end mill, long", diameter=10, length=142.0, flute=32, reach=56,
                   holder_diameter=28),
            Cutter(tool=2, name="6 mm end mill, long", diameter=6, length=136.0, flute=24, reach=50,
                   holder_diameter=22),
        ),
    )  # fmt: skip
    first = Plate(name="plate of ten", length=420, width=260, thickness=25)
    second = Plate(name="plate of five", length=420, width=140, thickness=25)
    return with_fixtures(bare, (first, _point(-820, -280, -500)), (second, _point(-300, -280, -500)))


def _setup(name: str, side: str, up: str, hold: PlateHold, datum: Datum, operations: tuple[Operation, ...]) -> Setup:
    first = name == "Op 10"
    return Setup(
        id=derived_id("rack shoes", name),
        name=name,
        side=side,
        machine=WIDE,
        station=station_id("plate of ten" if first else "plate of five", WIDE),
        orientation=Orientation.model_validate({"up": up, "right": "+X" if first else "-X"}),
        hold=hold,
        offset="G54" if first else "G55",
        datum=datum,
        probing=ProbingRoutine(stand_off=5, overtravel=4, depth=4, clearance=30, guess=1.5),
        hover=Hover(tool=1, block=75, gap=0.0, feed=200),
        operations=operations,
    )  # fmt: skip


def _hold(x: float, y: float, *stop: tuple[float, float]) -> PlateHold:
    """Against two pins behind, under two clamps in front: between shoes there is no room for either."""
    return PlateHold(
        x=x, y=y,
        dowels=tuple(Dowel(x=a, y=b, diameter=8, height=8) for a, b in (*stop, (12, 44), (50, 44))),
        clamps=tuple(Clamp(x=a, y=4, side="front", width=16, reach=6) for a in (14, 48)),
    )  # fmt: skip


def _first_pattern() -> Pattern:
    """One offset that programs shift: the plate stays where it is, and enough is left to clean up."""
    back = Group(key="row 2", name="back row", note="its block is not the one that came with the plate")
    recut = Recut(looks="-Y", depth=RECUT, on="2026-04-14", reason="its face was worn where the shoes rest")
    return Pattern(
        layout=Grid(columns=5, rows=2, column_pitch=PITCH, row_pitch=ROWS_APART),
        grouped_by="rows",
        groups=(Group(key="row 1", name="front row"), recut_group(back, recut)),
        instances=(OfInstance(place="4-2", state="skipped", reason="its clamp is away to be mended"),),
        school="local shifts",
        probed="none",
        seating=True,
        missing="skip it",
    )


def _second_pattern() -> Pattern:
    """An offset each, since what is bored must meet what was bored from the other side."""
    codes = tuple(KeptIn(key=f"{k}-1", offset=f"G54.1 P{k - 1}") for k in range(2, 6))
    return Pattern(layout=Grid(columns=5, column_pitch=PITCH), codes=codes, loads=2)


def rack_shoes() -> Job:
    pin_bore = Feature(
        name="pin bore", kind="bore", at=_point(31, 20, HEIGHT), opens_to="+Z", diameter=16, through=True
    )  # fmt: skip
    bolts = tuple(
        Feature(name=f"bolt hole {k}", kind="hole", at=_point(x, y, HEIGHT), opens_to="+Z", diameter=6.6, through=True)
        for k, (x, y) in enumerate(BOLTS, start=1)
    )
    heads = tuple(
        Feature(name=f"head {k}", kind="counterbore", at=_point(x, y, 0), opens_to="-Z", diameter=11, depth=7,
                partner=f"bolt hole {k}")
        for k, (x, y) in enumerate(BOLTS, start=1)
    )  # fmt: skip
    known = AxisDatum(source="fixture value")
    # From the plate's middle to the corner of the first shoe.
    corner = (-148 - SAWN / 2.0 + AT_STOP, -59 - WIDTH / 2.0)
    left, front = (AxisDatum(source="fixture value", shift=mm) for mm in corner)
    bored = (pin_bore, *bolts)
    bore = AxisDatum(source="feature", feature="pin bore")
    first = _setup(
        "Op 10", "upper side", "+Z", _hold(-148, -59, (-4, 30)), Datum(x=left, y=front, z=known),
        tuple(Hole(name=f"bore {each.name}", tool=2, on=each.name, features=(each.name,)) for each in bored),
    ).model_copy(update={"pattern": _first_pattern()})  # fmt: skip
    ends = {"front": -1, "back": WIDTH + 1, "depth": HEIGHT}
    second = _setup(
        "Op 20", "lower side", "-Z", _hold(-148, 0), Datum(x=bore, y=bore, z=known),
        (
            Region(name="trim the right end", tool=2, left=0.0, right=4.0, **ends),
            Region(name="trim the left end", tool=2, left=-LENGTH - 4.0, right=-LENGTH, **ends),
            *(Hole(name=f"sink {each.name}", tool=2, on=each.name, features=(each.name,)) for each in heads),
        ),
    ).model_copy(update={"pattern": _second_pattern()})  # fmt: skip
    size = Size(x=SAWN, y=WIDTH, z=HEIGHT)
    return Job(
        id=derived_id("Rack shoes"),
        title="Rack shoes",
        note="Demo job of the Brackwater Tide Works: shoes of a sluice's rack, ten at a time and then five.",
        part=Part(
            name="rack shoe", shape=BlockShape(size=Size(x=LENGTH, y=WIDTH, z=HEIGHT)),
            features=(pin_bore, *bolts, *heads),
        ),
        stock=BlockStock(
            material="steel flat, drawn, ends sawn",
            nominal=size,
            measured=size,
            varies=Spread(x=VARIES, y=0.02, z=0.02),
            is_measured=True,
            prepared=("-Y", "+Y", "-Z", "+Z"),
            allowance=Allowance(minus_x=AT_STOP),
        ),
        machines=(_machine(),),
        setups=(first, second),
    )  # fmt: skip
