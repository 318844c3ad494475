"""The demo *gland spindle*: a brass bar in a chuck on a fourth axis, four indexes, and then its end.

Along X, 30 in diameter and 110 long, its zero on the axis at the left end.  A square of 20 is cut on the right end, a
flat at each index, and a hole across; upright in a collet its end is faced and bored.
"""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.model.base import Point
from ledgecliff.core.model.carrier_body import BoxBody
from ledgecliff.core.model.holding import Chuck, ChuckHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Hover, Machine, ProbingRoutine
from ledgecliff.core.model.operations import Face, Hole, Region
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import Feature, ModelReference, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stations import IndexAngle, Mount, Rotary, Station
from ledgecliff.core.model.stock import Allowance, BarStock, Measure

LENGTH, DIAMETER, SQUARE, SQUARE_FROM = 110.0, 30.0, 20.0, 82.0
HOLE_X, HOLE, END_HOLE, END_DEEP = 60.0, 8.0, 8.5, 25.0
_GRIP = 32.0
_AT = Point(x=-560, y=-200, z=-330)
_COLLET_AT = Point(x=-180, y=-200, z=-430)


def _machine(mill: Machine) -> Machine:
    """The demos' mill with a chuck on a fourth axis where the left vise stands, and a collet for the end."""
    axis = Rotary(
        id=derived_id(mill.id, "axis", "fourth axis"), name="fourth axis", word="A", about="x", centre=_AT,
        uncertainty=0.008, origin="bar at 0 and 180", found_on="2026-03-02", sense="right-handed",
        sense_seen_on="2026-01-19", flat_swept_on="2026-03-02", repeat_deg=0.002, lowest_deg=-360, highest_deg=360,
    )  # fmt: skip
    body = Mount(
        id=derived_id(mill.id, "fourth axis body"), name="fourth-axis body", at=_AT,
        bodies=(
            BoxBody(
                name="fourth-axis body", low=Point(x=-240, y=-80, z=-130), high=Point(x=-80, y=80, z=80)
            ),
        ),
    )  # fmt: skip
    chuck = Chuck(name="fourth-axis chuck", diameter=100, length=80, height=130, seat_scatter=0.02)
    collet = Chuck(name="end collet", diameter=60, length=60, height=60, opens="up", seat_scatter=0.01)
    stations = tuple(
        Station(id=derived_id(mill.id, "station", fixture.name), name=fixture.name, fixture=fixture.name, at=at, on=on)
        for fixture, at, on in ((chuck, _AT, axis.id), (collet, _COLLET_AT, None))
    )
    return mill.model_copy(update={"fixtures": (chuck, collet), "carriers": (axis, body), "stations": stations})


def _setups(machine: Machine) -> tuple[Setup, ...]:
    chuck, collet = machine.stations
    routine = ProbingRoutine(stand_off=4, overtravel=4, depth=4, clearance=15, guess=1.5)
    end, axis = AxisDatum(source="stock plus side"), AxisDatum(source="rotary axis")
    over = AxisDatum(source="carried over")
    first = Setup(
        id=derived_id("gland spindle", "Op 10"),
        name="Op 10",
        side="flat 1 and the hole",
        machine=machine.id,
        station=chuck.id,
        index=(IndexAngle(word="A", degrees=0),),
        hold=ChuckHold(grip=_GRIP),
        offset="G54",
        datum=Datum(x=end, y=axis, z=axis),
        probing=routine,
        hover=Hover(tool=2, block=75, gap=0.0, feed=200),
        operations=(
            _flat(1),
            Hole(name="hole across", tool=3, on="cross hole", beyond=0.5, features=("cross hole",)),
        ),
    )
    others = [
        first.model_copy(
            update={
                "id": derived_id("gland spindle", f"Op {10 * k}"),
                "name": f"Op {10 * k}",
                "side": f"flat {k}",
                "index": (IndexAngle(word="A", degrees=90.0 * (k - 1)),),
                "datum": Datum(x=over, y=over, z=over),
                "operations": (_flat(k),),
            }
        )
        for k in (2, 3, 4)
    ]
    known = AxisDatum(source="fixture value")
    upright = first.model_copy(
        update={
            "id": derived_id("gland spindle", "Op 50"),
            "name": "Op 50",
            "side": "end",
            "station": collet.id,
            "index": (),
            "orientation": Orientation(up="+X", right="+Y"),
            "hold": ChuckHold(grip=25.0),
            "offset": "G55",
            "datum": Datum(x=known, y=known, z=known),
            "operations": (
                Face(name="face the end", tool=2),
                Hole(name="end bore", tool=3, on="end bore", features=("end bore",)),
            ),
        }
    )
    return (first, *others, upright)


def _flat(number: int) -> Region:
    """Over the square's side that is up, from its shoulder to the end: half the bar less half the square deep."""
    half = DIAMETER / 2.0
    return Region(
        name=f"flat {number}", tool=2, left=SQUARE_FROM, right=LENGTH + 2.0, front=-half - 1.0, back=half + 1.0,
        depth=half - SQUARE / 2.0, features=(f"flat {number}",),
    )  # fmt: skip


def gland_spindle(mill: Machine, reference: Callable[[str], ModelReference]) -> Job:
    at, middle = SQUARE / 2.0, (SQUARE_FROM + LENGTH) / 2.0
    flats = ((0, at, "+Z"), (at, 0, "+Y"), (0, -at, "-Z"), (-at, 0, "-Y"))
    machine = _machine(mill)
    return Job(
        id=derived_id("Gland spindle"),
        title="Gland spindle",
        note="Demo job of the Brackwater Tide Works: a valve's spindle, indexed on a fourth axis.",
        part=Part(
            name="gland spindle",
            model=reference("gland_spindle"),
            features=(
                *(
                    Feature(name=f"flat {k}", kind="face", at=Point(x=middle, y=y, z=z), opens_to=to)
                    for k, (y, z, to) in enumerate(flats, start=1)
                ),
                Feature(name="cross hole", kind="hole", at=Point(x=HOLE_X, y=0, z=DIAMETER / 2.0), opens_to="+Z",
                        diameter=HOLE, through=True),
                Feature(name="end bore", kind="hole", at=Point(x=LENGTH, y=0, z=0), opens_to="+X", diameter=END_HOLE,
                        depth=END_DEEP),
            ),
        ),
        stock=BarStock(
            material="brass bar, drawn",
            along="x",
            diameter=Measure(nominal=DIAMETER, measured=DIAMETER, varies=0.02),
            length=Measure(nominal=LENGTH + 1.0, measured=LENGTH + 1.0, varies=0.2),
            allowance=Allowance(plus_x=1.0),
            is_measured=True,
            prepared=("-Y", "+Y", "-Z", "+Z"),
        ),
        machines=(machine,),
        setups=_setups(machine),
    )  # fmt: skip
