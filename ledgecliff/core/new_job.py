"""A job from a model: stock round the part, named features, and a first plan for its sides."""

from __future__ import annotations

import math

import numpy as np

from .blanks import blank
from .frames import AXES
from .model.base import Size, Spread
from .model.holding import ParallelsSet, ViseHold
from .model.job import Job
from .model.machine import Hover, Machine
from .model.part import BlockShape, Feature, ModelReference, Part
from .model.setup import AxisDatum, Datum, Setup
from .model.shop import Shop
from .model.stock import Allowance, BlockStock
from .recognition.matching import Reimport, as_feature, match_features
from .recognition.recognise import recognise
from .sides.order import Order, facing_and_hat, placed_for, propose, side_up
from .sides.setups import setups_for
from .solids.geometry import PartGeometry
from .solids.tracked import InProcessStock

#: What gets a name by itself; faces and webs are named when somebody wants to work with them.
_NAMED = ("hole", "counterbore", "countersink", "boss", "pocket", "slot", "edge break", "chamfer")
#: Stock comes in whole steps of this (mm), and saw cuts vary by that.
_STEP, _SAW_CUT = 0.5, 0.5


def job_for_model(reference: ModelReference, geometry: PartGeometry, title: str, shop: Shop) -> Job:
    """A new job: a block of stock round the part, features named as recognised, sides in the proposed order."""
    part = Part(name=title, model=reference, features=recognised_features(geometry))
    return _planned(part, geometry, title, shop)


def job_for_block(size: Size, title: str, shop: Shop) -> Job:
    """A new job without a model: a rectangular part whose features are entered next, in stock of its own size."""
    from .dimensioned import part_geometry
    from .solids.geometry import Models

    part = Part(name=title, shape=BlockShape(size=size))
    return _planned(part, part_geometry(part, Models()), title, shop)


def recognised_features(geometry: PartGeometry) -> tuple[Feature, ...]:
    return tuple(as_feature(found) for found in recognise(geometry) if found.kind in _NAMED)


def _planned(part: Part, geometry: PartGeometry, title: str, shop: Shop) -> Job:
    stock = stock_round(geometry, shop)
    job = Job(title=title, part=part, stock=stock, machine=shop.machine, setups=(_bare_setup(shop.machine, geometry),))
    orders = propose(part.features, geometry, blank(stock, geometry)).orders
    return with_order(job, orders[0], geometry, blank(stock, geometry), shop.parallels) if orders else job


def stock_round(geometry: PartGeometry, shop: Shop) -> BlockStock:
    """A block that stands out as far as the shop likes, rounded up; the first side is taken to be +Z."""
    over = np.array([2.0 * shop.side_allowance] * 2 + [shop.top_allowance + shop.hat])
    wanted = geometry.high - geometry.low + over
    x, y, z = (math.ceil(round(float(v) / _STEP, 6)) * _STEP for v in wanted)
    size = Size(x=x, y=y, z=z)
    longest = AXES[int(np.argmax(wanted))]
    return BlockStock(
        material=shop.material,
        nominal=size,
        measured=size,
        varies=Spread(**{longest: _SAW_CUT}),
        allowance=Allowance(plus_z=shop.top_allowance),
    )


def _bare_setup(machine: Machine, geometry: PartGeometry) -> Setup:
    """One setup that cuts nothing, to start from where nothing was recognised."""
    centre = AxisDatum(source="stock centre")
    vise = machine.vises[0]
    return Setup(
        name="Op 10",
        orientation=side_up("+Z", geometry),
        hold=ViseHold(
            vise=vise.name,
            parallels_height=max(vise.jaw_height - max(vise.grip_min, 4.0), 1.0),
            parallels_thickness=10.0,
            parallels_length=vise.jaw_width,
        ),
        offset=machine.offsets[0].code,
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="stock top")),
        hover=Hover(tool=machine.cutters[0].tool),
    )


def with_order(
    job: Job, order: Order, geometry: PartGeometry, start: InProcessStock, parallels: tuple[ParallelsSet, ...]
) -> Job:
    """``job`` with its setups made anew from an order of sides, the stock's hat below the first of them."""
    stock, first = job.stock, order.sides[0]
    if stock.form != "model":
        facing, _ = facing_and_hat(first, geometry, start)
        axis = first[1].lower()
        sides: dict[str, float | None] = {f"minus_{axis}": None, f"plus_{axis}": None}
        sides["plus_" + axis if first[0] == "+" else "minus_" + axis] = round(facing, 6)
        stock = stock.model_copy(update={"allowance": stock.allowance.model_copy(update=sides)})
        start = placed_for(first, geometry, start)
    setups = setups_for(order, job.part.features, geometry, start, job.machine, parallels)
    return job.model_copy(update={"setups": setups, "stock": stock})


def with_changed_model(job: Job, reference: ModelReference, geometry: PartGeometry) -> tuple[Job, Reimport]:
    """``job`` for another version of its model: names, datums and operations stay with the features they meant.

    The report says which features were kept, which moved or changed, and which nothing in the new model
    matches; those stay as they were, so that nothing that refers to them is lost.
    """
    report = match_features(job.part.features, geometry)
    part = job.part.model_copy(update={"model": reference, "shape": None, "features": report.features})
    return job.model_copy(update={"part": part}), report
