"""Small jobs without a model, entered by dimensions, whose numbers can be worked out by hand."""

from __future__ import annotations

from typing import Any

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point, Size, Spread
from ledgecliff.core.model.holding import BoardHold, Plate, Spoilboard, VBlock, ViseHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Hover
from ledgecliff.core.model.operations import Operation
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.part import BarShape, BlockShape, Feature, Part
from ledgecliff.core.model.setup import AxisDatum, Datum, Setup
from ledgecliff.core.model.stock import Allowance, BarStock, BlockStock, Measure
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.solids.geometry import Models
from tests.helpers import demo

PLATE = Plate(name="plate", at=Point(x=-400, y=-200, z=-450), length=400, width=300, thickness=20)
BOARD = Spoilboard(name="board", at=Point(x=-400, y=-200, z=-450), length=600, width=400, thickness=18, may_cut=1.0)
V_BLOCK = VBlock(
    name="V", at=Point(x=-400, y=-200, z=-420), length=100, width=60, height=50, groove=40, angle_deg=90, along="x"
)
IN_VISE = ViseHold(vise="left vise", parallels_height=30, parallels_thickness=10, parallels_length=150)
ON_BOARD = BoardHold(board="board", tape=0.2)


def point(x: float, y: float, z: float) -> Point:
    return Point(x=x, y=y, z=z)


def feature(name: str, kind: Any, at: tuple[float, float, float], opens_to: Any = "+Z", **sizes: Any) -> Feature:
    return Feature(name=name, kind=kind, at=point(*at), opens_to=opens_to, **sizes)


def setup(
    *operations: Operation, name: str = "Op 10", up: Any = "+Z", right: Any = "+X", hold: Any = IN_VISE, **more: Any
) -> Setup:
    centre = AxisDatum(source="stock centre")
    values = {
        "offset": "G54",
        "datum": Datum(x=centre, y=centre, z=AxisDatum(source="stock top")),
        "hover": Hover(tool=2),
    } | more
    return Setup(name=name, orientation=Orientation(up=up, right=right), hold=hold, operations=operations, **values)


def machine(**changes: Any) -> Any:
    return demo().machine.model_copy(update={"plates": (PLATE,), "boards": (BOARD,), "v_blocks": (V_BLOCK,)} | changes)


def block_job(
    *setups: Setup,
    part: tuple[float, float, float] = (60, 40, 20),
    stock: tuple[float, float, float] = (60, 40, 20),
    features: tuple[Feature, ...] = (),
    allowance: Allowance | None = None,
    varies: tuple[float, float, float] = (0, 0, 0),
    **changes: Any,
) -> Job:
    """A block part in a block of stock, the stock measured as on its label."""
    size, blank = (Size(**dict(zip("xyz", sizes, strict=True))) for sizes in (part, stock))
    return Job(
        title="test block",
        part=Part(name="block", shape=BlockShape(size=size), features=features),
        stock=BlockStock(
            material="aluminium", nominal=blank, measured=blank, varies=Spread(x=varies[0], y=varies[1], z=varies[2]),
            allowance=allowance or Allowance(),
        ),
        machine=machine(**changes),
        setups=setups or (setup(),),
    )  # fmt: skip


def bar_job(
    *setups: Setup, diameter: float = 30, length: float = 80, along: Any = "x", features: tuple[Feature, ...] = ()
) -> Job:
    """A round bar that is the finished part already, but for its features."""
    return Job(
        title="test bar",
        part=Part(name="bar", shape=BarShape(along=along, diameter=diameter, length=length), features=features),
        stock=BarStock(
            material="brass",
            along=along,
            diameter=Measure(nominal=diameter, measured=diameter),
            length=Measure(nominal=length, measured=length),
        ),
        machine=machine(),
        setups=setups or (setup(),),
    )


def plan_of(job: Job) -> Plan:
    return make_plan(job, Models())


def codes(job: Job) -> set[str]:
    return {finding.code for finding in findings_of(plan_of(job))}
