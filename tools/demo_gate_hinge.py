"""The demo *gate hinge*: a foundry pattern glued up from two halves, its second side in a nest of the shop's own.

The part is 116 x 52 x 24, its zero at the lowest left front corner; the halves meet at X 58, where the eye is bored
through both.  The nest's zero is the middle of its seat, over which the part's middle comes to lie.
"""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.bench import Cure, Glue, Sand
from ledgecliff.core.model.holding import OwnHold, ViseHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Hover, Machine, ProbingRoutine
from ledgecliff.core.model.operations import Bore, Face, Outline, Seen
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.own_fixture import FixtureBore, FixtureFace, MovingPart, OwnFixture
from ledgecliff.core.model.part import Feature, ModelReference, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stock import Allowance, BlockStock
from tools.fixtures import MILL, station_id, with_fixtures

LENGTH, WIDTH, HEIGHT = 116.0, 52.0, 24.0
EYE_X, EYE_Y = LENGTH / 2.0, WIDTH / 2.0
BOLTS = tuple((x, y) for x in (16.0, 100.0) for y in (12.0, 40.0))


def point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def features() -> tuple[Feature, ...]:
    bolts = (
        Feature(name=f"bolt hole {k}", kind="hole", at=point(x, y, HEIGHT), opens_to="+Z", diameter=9, through=True)
        for k, (x, y) in enumerate(BOLTS, start=1)
    )
    return (
        Feature(name="hinge eye", kind="bore", at=point(EYE_X, EYE_Y, HEIGHT), opens_to="+Z", diameter=20),
        *bolts,
        Feature(
            name="counterbore", kind="counterbore", at=point(EYE_X, EYE_Y, 0), opens_to="-Z", diameter=32, depth=5,
            partner="hinge eye",
        ),
    )  # fmt: skip


def nest(reference: Callable[[str], ModelReference]) -> OwnFixture:
    def face(name: str, use: str, facing: str, x: float, y: float, z: float) -> FixtureFace:
        return FixtureFace.model_validate({"name": name, "use": use, "facing": facing, "at": point(x, y, z)})

    return OwnFixture(
        name="hinge nest",
        model=reference("hinge_nest"),
        faces=(
            face("seat", "seat", "+Z", 0, 0, 0),
            face("left pad", "against", "+X", -58, 0, 7),
            face("left pin", "against", "+Y", -30, -26, 7),
            face("right pin", "against", "+Y", 30, -26, 7),
        ),
        bores=(FixtureBore(name="zero bore", x=70, y=40, top=0, diameter=10, depth=20),),
        moving=(
            MovingPart(name="right toe", model=reference("hinge_nest_right_toe"), to="-X", travel=12),
            MovingPart(name="rear toe", model=reference("hinge_nest_rear_toe"), to="-Y", travel=12),
        ),
        seat_scatter=0.015,
    )


def gate_hinge(machine: Machine, reference: Callable[[str], ModelReference]) -> Job:
    routine = ProbingRoutine(stand_off=5, overtravel=5, depth=8, clearance=15, guess=3)
    hover = Hover(tool=2, block=75, gap=0.0, feed=200)
    centre, at_eye = AxisDatum(source="stock centre"), AxisDatum(source="feature", feature="hinge eye")
    top = Setup(
        id=derived_id("gate hinge", "Op 10"),
        name="Op 10",
        side="top side",
        machine=MILL,
        station=station_id("left vise"),
        hold=ViseHold(parallels_height=38, parallels_thickness=14, parallels_length=150),
        offset="G54",
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="part top")),
        probing=routine,
        hover=hover,
        operations=(
            Face(name="face the top", tool=1),
            Outline(name="outline down to the hat", tool=2),
            Seen(name="bolt holes", tool=3, features=tuple(f"bolt hole {k}" for k in range(1, 5))),
            Bore(name="eye through the joint", tool=2, on="hinge eye", beyond=0.5, features=("hinge eye",)),
        ),
        stock_assumed=Size(x=120, y=56, z=30),
    )
    underside = Setup(
        id=derived_id("gate hinge", "Op 20"),
        name="Op 20",
        side="underside",
        orientation=Orientation(up="-Z", right="+X"),
        machine=MILL,
        station=station_id("hinge nest"),
        hold=OwnHold(),
        offset="G55",
        datum=Datum(x=at_eye, y=at_eye, z=AxisDatum(source="fixture face", face="seat")),
        probing=routine,
        hover=hover,
        operations=(
            Face(name="face the hat off", tool=1),
            Seen(name="counterbore", tool=3, features=("counterbore",)),
        ),
        stock_assumed=Size(x=120, y=56, z=28.5),
    )
    return Job(
        id=derived_id("Gate hinge"),
        title="Gate hinge",
        note="Demo job of the Brackwater Tide Works: a foundry pattern of two halves, glued before it is cut.",
        part=Part(name="gate hinge", model=reference("gate_hinge"), features=features()),
        stock=BlockStock(
            material="lime wood",
            nominal=Size(x=60, y=56, z=30),
            measured=Size(x=60, y=56, z=30),
            varies=Spread(x=0.5, y=0.5, z=0.3),
            allowance=Allowance(minus_x=2.0, plus_z=1.5),
            grain="x",
            is_measured=True,
        ),
        bench=(
            Glue(
                id=derived_id("gate hinge", "glue"), name="glue the halves", before=top.id, wait=30,
                low=point(58, -2, -4.5), size=Size(x=60, y=56, z=30), material="lime wood",
                note="Both grains along X; clamp across the joint.",
            ),
            Cure(id=derived_id("gate hinge", "cure"), name="let it cure", before=top.id, wait=720),
            Sand(id=derived_id("gate hinge", "sand"), name="sand and seal", takes=0.05),
        ),
        machines=(_with_nest(machine, nest(reference)),),
        setups=(top, underside),
    )  # fmt: skip


def _with_nest(machine: Machine, fixture: OwnFixture) -> Machine:
    """The nest stands where the right vise did."""
    bare = machine.model_copy(
        update={
            "fixtures": tuple(each for each in machine.fixtures if each.name != "right vise"),
            "stations": tuple(each for each in machine.stations if each.fixture != "right vise"),
        }
    )
    return with_fixtures(bare, (fixture, point(-240, -180, -460)))
