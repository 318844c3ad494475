"""The drawing of a fixture that is cut in place: its body as it will be, the cutter's ways, the zero."""

from __future__ import annotations

import numpy as np

from ..fixture_making import FixtureCut
from ..frames import Array
from ..holding.flat_beds import FENCE
from ..holding.supports import is_support
from ..programs.fixture_program import rings_of
from .bodies import Solid, block_solid
from .items import Drawing, Item, Label, Point2, Stroke, Zero
from .line_work import Views, body_items, both_works, bounds_of, point2
from .projection import FRONT, PLAN
from .turn_overlays import pin_circle

#: What is drawn of what holds the stock besides jaws and supports.
_BESIDE = ("jig", "plate", FENCE)


def making_views(cut: FixtureCut) -> Views:
    """About the zero that it is cut from."""
    setup = cut.setup
    cutter = setup.machine.cutter(cut.step.tool)
    radius = 0.0 if cutter is None else cutter.diameter / 2.0
    solids = made_solids(cut)
    items: list[list[Item]] = [[], []]
    for solid in solids:
        for k, work in enumerate(both_works(solid)):
            items[k] += body_items(work, -((PLAN, FRONT)[k] @ cut.u_zero)[:2])
    for pocket in cut.sunk:
        for ring in rings_of(pocket, radius):
            closed = [*ring.tolist(), ring[0].tolist()]
            items[0].append(Stroke(tuple((float(x), float(y)) for x, y in closed), "phantom", pocket.name))
        x, y = pocket.middle
        items[0].append(Label((x, y), pocket.name, "centre", pocket.name))
    for bore in cut.bored:
        items[0].append(pin_circle(np.array([bore.x, bore.y]), bore.diameter, "visible", bore.name))
    items[0].append(Zero((0.0, 0.0), ("X", "Y")))
    items[1].append(Zero((0.0, 0.0), ("X", "Z")))
    return (
        Drawing(f"Plan · {cut.what}", tuple(items[0]), *_about(solids, cut, PLAN)),
        Drawing("Front", tuple(items[1]), *_about(solids, cut, FRONT)),
    )


def made_solids(cut: FixtureCut) -> tuple[Solid, ...]:
    """What is cut, as it will be, and what stands beside that."""
    blocks = cut.setup.holding.blocks
    made = (block for block in blocks if block.kind == "jaw" or is_support(block) or block.name in _BESIDE)
    return tuple(block_solid(block) for block in made)


def _about(solids: tuple[Solid, ...], cut: FixtureCut, view: Array) -> tuple[Point2, Point2]:
    """Bounds that hold the bodies, the zero, which may lie beside them, and in plan what is cleared."""
    low, high = bounds_of(solids, view)
    shift = -(view @ cut.u_zero)[:2]
    places = [np.array(low) + shift, np.array(high) + shift, np.zeros(2)]
    if view is PLAN:
        places += [np.array(pocket.area.bounds()).reshape(2, 2)[k] for pocket in cut.sunk for k in (0, 1)]
    return point2(np.min(places, axis=0)), point2(np.max(places, axis=0))
