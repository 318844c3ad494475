"""A job from a model: stock round the part and named features at once, then a first plan for its sides.

The part is shown as soon as it is read; which sides are cut in which order, and how each is held, is worked out
after that, with progress, and can be left at any time with the best so far.
"""

from __future__ import annotations

from collections.abc import Callable

from .blanks import blank
from .errors import LedgecliffError
from .first_plan.blanks import blanks_for, stock_round
from .first_plan.making import Enough, FirstPlan, make_first_plan
from .model.base import Size
from .model.holding import Vise, ViseHold
from .model.identity import derived_id
from .model.job import Job
from .model.machine import Hover
from .model.part import BlockShape, Feature, ModelReference, Part
from .model.setup import AxisDatum, Datum, Setup
from .model.shop import Shop
from .model.stock import BlockStock, Stock
from .programs.targets import free_beside
from .recognition.matching import Reimport, as_feature, match_features
from .recognition.recognise import recognise
from .sides.left import side_up
from .sides.order import Order, Proposal, facing_and_hat, placed_for, proposing
from .solids.geometry import Models, PartGeometry

#: What gets a name by itself; faces and webs are named when somebody wants to work with them.
_NAMED = ("hole", "counterbore", "countersink", "boss", "pocket", "slot", "edge break", "chamfer")
#: So many orders are planned before the best of them is taken.
_MOST_ORDERS = 3
#: How far the planning is: so many steps done of so many, and in words what goes on.
Progress = Callable[[int, int, str], None]


def job_for_model(
    reference: ModelReference, geometry: PartGeometry, title: str, shop: Shop, new_id: str
) -> Job:  # fmt: skip
    """A new job of the id ``new_id``: stock round the part, features named as recognised, and one setup that cuts
    nothing yet."""
    part = Part(name=title, model=reference, features=recognised_features(geometry))
    return _bare_job(part, geometry, title, shop, new_id)


def job_for_block(size: Size, title: str, shop: Shop, new_id: str) -> Job:
    """A new job without a model: a rectangular part whose features are entered next, in stock of its own size."""
    from .dimensioned import part_geometry

    part = Part(name=title, shape=BlockShape(size=size))
    return _bare_job(part, part_geometry(part, Models()), title, shop, new_id)


def recognised_features(geometry: PartGeometry) -> tuple[Feature, ...]:
    return tuple(as_feature(found) for found in recognise(geometry) if found.kind in _NAMED)


def _bare_job(part: Part, geometry: PartGeometry, title: str, shop: Shop, new_id: str) -> Job:
    stock = blanks_for(geometry, shop)[0]
    setup = _bare_setup(shop, geometry, derived_id(new_id, "0"))
    return Job(id=new_id, title=title, part=part, stock=stock, machines=(shop.machine,), setups=(setup,))


def _bare_setup(shop: Shop, geometry: PartGeometry, setup_id: str) -> Setup:
    """One setup that cuts nothing, to start from."""
    machine = shop.machine
    centre = AxisDatum(source="stock centre")
    station, vise = machine.standing(Vise)[0]
    return Setup(
        id=setup_id,
        name="Op 10",
        machine=machine.id,
        orientation=side_up("+Z", geometry),
        station=station.id,
        hold=ViseHold(
            parallels_height=max(vise.jaw_height - max(vise.grip_min, 4.0), 1.0),
            parallels_thickness=10.0,
            parallels_length=vise.jaw_width,
        ),
        offset=free_beside(machine, ()) or machine.offsets[0].code,
        datum=Datum(x=centre, y=centre, z=AxisDatum(source="stock top")),
        hover=Hover(tool=machine.cutters[0].tool),
        probing=shop.touches.routine(),
    )


# --- the first plan -----------------------------------------------------------------------------


def first_plan(
    job: Job,
    models: Models,
    shop: Shop,
    enough: Enough = lambda: False,
    progress: Progress = lambda _done, _of, _words: None,
) -> FirstPlan:
    """``job`` with stock and setups as one would run them, as far as the rules can tell.

    For each stock the part may be cut from, the best orders are planned until one has neither hazard nor error.
    ``enough`` is asked again and again; once it says so the best so far is returned, or ``job`` as it is.
    """
    from .dimensioned import part_geometry

    geometry = part_geometry(job.part, models)
    best: FirstPlan | None = None
    for stock in blanks_for(geometry, shop):
        proposal = _proposal(job.part.features, geometry, job.model_copy(update={"stock": stock}), enough, progress)
        # A setup more than the fewest is for where the fewest cannot be run.
        orders = sorted(proposal.orders, key=lambda order: order.extra)
        for k, order in enumerate(orders[:_MOST_ORDERS]):
            if best is not None and enough():
                return best
            progress(k, min(len(orders), _MOST_ORDERS), f"planning {order.in_words()}")
            placed = job.model_copy(update={"stock": _stock_for(stock, order, geometry, shop)})
            try:
                made = with_order(placed, order, geometry, models, shop, enough)
            except LedgecliffError:
                continue
            if best is None or len(made.cannot) < len(best.cannot):
                best = made
            if not made.cannot:
                return made
    return best or FirstPlan(job)


def _proposal(
    features: tuple[Feature, ...], geometry: PartGeometry, job: Job, enough: Enough, progress: Progress
) -> Proposal:
    """The best proposal there is until it is enough."""
    last: Proposal | None = None
    movable = job.stock.form == "block"
    for last in proposing(features, geometry, blank(job.stock, geometry), movable, job.stock.prepared):
        progress(last.tried, max(last.of, 1), "weighing orders of sides")
        if last.orders and enough():
            break
    assert last is not None, "a search yields at once"
    return last


def _stock_for(stock: Stock, order: Order, geometry: PartGeometry, shop: Shop) -> Stock:
    """A block whose hat is meant to lie under the first side lies along its axis; other stock stays as it is."""
    if isinstance(stock, BlockStock) and stock == stock_round(geometry, shop):
        return stock_round(geometry, shop, order.sides[0])
    return stock


def with_order(
    job: Job, order: Order, geometry: PartGeometry, models: Models, shop: Shop, enough: Enough = lambda: False
) -> FirstPlan:
    """``job`` with its setups made anew from an order of sides, the stock's hat below the first of them.

    Steps beside the machine come after as many setups as they did; where some come before all of them the blank stays
    where it lies, since what is sawn off or glued on lies by the part.
    """
    stock, first = job.stock, order.sides[0]
    start = blank(stock, geometry, models.stock)
    if stock.form == "block" and not job.bench_before(0) and placed_for(first, geometry, start) is not start:
        facing, _ = facing_and_hat(first, geometry, start)
        axis = first[1].lower()
        sides: dict[str, float | None] = {f"minus_{axis}": None, f"plus_{axis}": None}
        sides["plus_" + axis if first[0] == "+" else "minus_" + axis] = round(facing, 6)
        stock = stock.model_copy(update={"allowance": stock.allowance.model_copy(update=sides)})
    return make_first_plan(job.model_copy(update={"stock": stock}), order, geometry, models, shop, enough)


def with_changed_model(job: Job, reference: ModelReference, geometry: PartGeometry) -> tuple[Job, Reimport]:
    """``job`` for another version of its model: names, datums and operations stay with the features they meant.

    The report says which features were kept, which moved or changed, and which nothing in the new model
    matches; those stay as they were, so that nothing that refers to them is lost.
    """
    report = match_features(job.part.features, geometry)
    part = job.part.model_copy(update={"model": reference, "shape": None, "features": report.features})
    return job.model_copy(update={"part": part}), report
