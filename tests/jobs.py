"""Small jobs without a model, entered by dimensions, whose numbers can be worked out by hand."""

from __future__ import annotations

from typing import Any

from ledgecliff.core.edits.standing import Standing, with_standing
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.holding import BoardHold, Fixture, Plate, Spoilboard, VBlock, ViseHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Hover, Machine
from ledgecliff.core.model.operations import Operation
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BarShape, BlockShape, Feature, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stations import Rotary, Station
from ledgecliff.core.model.stock import Allowance, BarStock, BlockStock, Measure
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.solids.geometry import Models
from tests.helpers import demo

PLATE = Plate(name="plate", length=400, width=300, thickness=20)
BOARD = Spoilboard(name="board", length=600, width=400, thickness=18, may_cut=1.0)
V_BLOCK = VBlock(name="V", length=100, width=60, height=50, groove=40, angle_deg=90, along="x")
#: Where each of them stands (mm).
PLACES = {
    "plate": (-400, -200, -450), "board": (-400, -200, -450), "V": (-400, -200, -420), "C": (-400, -200, -300),
    "nest": (-300, -200, -400),
}  # fmt: skip
#: What holds a setup of each kind where nothing else is said.
STANDS = {"vise": "left vise", "plate": "plate", "board": "board", "v-block": "V", "chuck": "C", "own": "nest"}
IN_VISE = ViseHold(parallels_height=30, parallels_thickness=10, parallels_length=150)
ON_BOARD = BoardHold(tape=0.2)


def point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def feature(name: str, kind: Any, at: tuple[float, float, float], opens_to: Any = "+Z", **sizes: Any) -> Feature:
    return Feature(name=name, kind=kind, at=point(*at), opens_to=opens_to, **sizes)


def setup(
    *operations: Operation, name: str = "Op 10", up: Any = "+Z", right: Any = "+X", hold: Any = IN_VISE, **more: Any
) -> Setup:
    """A setup of the test machine, at the station of the first fixture that holds so."""
    centre = AxisDatum(source="stock centre")
    values = {
        "offset": "G54",
        "datum": Datum(x=centre, y=centre, z=AxisDatum(source="stock top")),
        "hover": Hover(tool=2),
        "station": station_id(STANDS[hold.by]),
        "machine": demo().machine.id,
    } | more
    return Setup(
        id=derived_id(name),
        name=name,
        orientation=Orientation(up=up, right=right),
        hold=hold,
        operations=operations,
        **values,
    )


def station_id(fixture: str) -> str:
    """The station where a fixture of the demo's or the tests' machine stands."""
    return derived_id(demo().machine.id, "station", fixture)


def standing_at(fixture: Fixture, at: tuple[float, float, float]) -> Standing:
    """A fixture at a place of the machine."""
    station = Station(id=station_id(fixture.name), name=fixture.name, fixture=fixture.name, at=point(*at))
    return Standing(fixture, station)


def machine(*fixtures: Fixture, **changes: Any) -> Machine:
    """The demo's machine with plate, board and V-block; ``fixtures`` stand in place of those of their name."""
    result = demo().machine.model_copy(update=changes)
    for fixture in (PLATE, BOARD, V_BLOCK, *fixtures):
        if result.fixture(fixture.name) is None:
            result = with_standing(result, standing_at(fixture, PLACES[fixture.name]))
        replaced = tuple(fixture if each.name == fixture.name else each for each in result.fixtures)
        result = result.model_copy(update={"fixtures": replaced})
    seen = (each.model_copy(update={"sense": "right-handed"}) if isinstance(each, Rotary) else each
            for each in result.carriers)  # fmt: skip
    return result.model_copy(update={"carriers": tuple(seen)})


def block_job(
    *setups: Setup,
    part: tuple[float, float, float] = (60, 40, 20),
    stock: tuple[float, float, float] = (60, 40, 20),
    features: tuple[Feature, ...] = (),
    allowance: Allowance | None = None,
    varies: tuple[float, float, float] = (0, 0, 0),
    fixtures: tuple[Fixture, ...] = (),
    **changes: Any,
) -> Job:
    """A block part in a block of stock, the stock measured as on its label."""
    size, blank = (Size(**dict(zip("xyz", sizes, strict=True))) for sizes in (part, stock))
    return Job(
        id=derived_id("test block"),
        title="test block",
        part=Part(name="block", shape=BlockShape(size=size), features=features),
        stock=BlockStock(
            material="aluminium", nominal=blank, measured=blank, varies=Spread(x=varies[0], y=varies[1], z=varies[2]),
            allowance=allowance or Allowance(),
        ),
        machines=(machine(*fixtures, **changes),),
        setups=setups or (setup(),),
    )  # fmt: skip


def bar_job(
    *setups: Setup,
    diameter: float = 30,
    length: float = 80,
    along: Any = "x",
    features: tuple[Feature, ...] = (),
    fixtures: tuple[Fixture, ...] = (),
) -> Job:
    """A round bar that is the finished part already, but for its features."""
    return Job(
        id=derived_id("test bar"),
        title="test bar",
        part=Part(name="bar", shape=BarShape(along=along, diameter=diameter, length=length), features=features),
        stock=BarStock(
            material="brass",
            along=along,
            diameter=Measure(nominal=diameter, measured=diameter),
            length=Measure(nominal=length, measured=length),
        ),
        machines=(machine(*fixtures),),
        setups=setups or (setup(),),
    )


def plan_of(job: Job) -> Plan:
    return make_plan(job, Models())


def codes(job: Job) -> set[str]:
    return {finding.code for finding in findings_of(plan_of(job))}
