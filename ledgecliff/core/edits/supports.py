"""Edits of supports: blocks under the stock, cut in place to its underside."""

from __future__ import annotations

import math
from collections.abc import Iterable

import manifold3d
import numpy as np

from ..blanks import transformed
from ..changing import add_item, remove_item, set_value
from ..errors import InvalidValueError
from ..holding import Block
from ..holding.supports import LEAST_ROOM, support_blocks
from ..model.holding import MOST_SUPPORTS, ChuckHold, JigHold, OwnHold, Support, supports_of
from ..model.job import Job
from ..plan import Plan

#: A new block fills so much of the circle that it stands in, and is no wider and no narrower than this (mm).
_OF_CIRCLE, _WIDEST, _NARROWEST = 0.9, 40.0, 4.0
#: What hangs free is looked for where the stock's underside is off what carries it, in patches of at least so much
#: (mm²), their circles to this (mm).
_PATCH, _CIRCLE = 25.0, 0.1


def with_support(plan: Plan, setup: int) -> Job:
    """One more support, where the widest patch of the stock hangs free; beyond what carries it before between that.

    Raises InvalidValueError for a setup whose hold takes none, or where nothing hangs free.
    """
    _takes_supports(plan.job, setup)
    path = ("setups", setup, "hold", "supports")
    return add_item(plan.job, path, _proposed(plan, setup))


def without_support(job: Job, setup: int, number: int) -> Job:
    """Without the support of that number, from 1 on.  Raises InvalidValueError where there is none."""
    support_at(job, setup, number)
    return remove_item(job, ("setups", setup, "hold", "supports"), number - 1)


def with_size(job: Job, setup: int, number: int, name: str, mm: float) -> Job:
    """A support of another place or size.  Raises InvalidValueError where there is none, or out of range."""
    support_at(job, setup, number)
    return set_value(job, ("setups", setup, "hold", "supports", number - 1, name), mm)


def support_at(job: Job, setup: int, number: int) -> Support:
    """Raises InvalidValueError where there is none of that number."""
    supports = supports_of(job.setups[setup].hold)
    if not 1 <= number <= len(supports):
        has = f"has {len(supports)}" if supports else "has none"
        raise InvalidValueError("support", f"'{job.setups[setup].name}' {has}; there is no number {number}")
    return supports[number - 1]


def _takes_supports(job: Job, setup: int) -> None:
    if isinstance(job.setups[setup].hold, ChuckHold | JigHold | OwnHold):
        name = job.setups[setup].name
        raise InvalidValueError(
            "support", f"'{name}' lies in what bears it all round; supports stand in vises, on plates and boards, "
            "and beside V-blocks",
        )  # fmt: skip
    if len(supports_of(job.setups[setup].hold)) >= MOST_SUPPORTS:
        raise InvalidValueError(
            "support", f"there are {MOST_SUPPORTS} already; take one away first, or make one larger"
        )


def _proposed(plan: Plan, setup: int) -> Support:
    level = plan.setups[setup].clamping.level
    u_stock = transformed(level.stock.solid, level.orientation.matrix())
    corner = level.u_stock[0]
    hangs = u_stock.project() - _outlines(block for block in level.blocks if block.kind != "base")
    beyond = hangs - _outlines(block for block in level.blocks if block.kind != "clamp").hull()
    about = (level.blocks, level.jaws, level.foot)
    # At an angle the widest place is over the very edge that it stands on: then off that.
    lowest = u_stock.trim_by_plane((0.0, 0.0, -1.0), -(level.seat + LEAST_ROOM)).project()
    for region in (beyond, hangs, hangs - lowest):
        for x, y, radius in _circles(region):
            side = round(min(_OF_CIRCLE * math.sqrt(2.0) * radius, _WIDEST), 1)
            made = Support(x=round(x - float(corner[0]), 1), y=round(y - float(corner[1]), 1), length=side, width=side)
            there = level.hold.model_copy(update={"supports": (made,)})
            if side >= _NARROWEST and support_blocks(level.fixture, there, u_stock, corner, about):
                return made
    raise InvalidValueError(
        "support", "the stock hangs free nowhere wide enough; lay it otherwise, or state the bed height of its vise"
    )


def _outlines(blocks: Iterable[Block]) -> manifold3d.CrossSection:
    """Blocks from above."""
    seen = [block.solid().project() for block in blocks]
    return manifold3d.CrossSection.batch_boolean([manifold3d.CrossSection(), *seen], manifold3d.OpType.Add)


def _circles(region: manifold3d.CrossSection) -> list[tuple[float, float, float]]:
    """Middle and radius of the widest circle in each patch (mm), the widest patch first."""
    from shapely import Polygon, maximum_inscribed_circle  # of all edits only these need it

    found = []
    for patch in region.decompose():
        if patch.area() < _PATCH:
            continue
        # Of one patch the ring that runs against the clock is its outside.
        rings = sorted((Polygon(ring) for ring in patch.to_polygons()), key=lambda ring: not ring.exterior.is_ccw)
        shape = Polygon(rings[0].exterior, [ring.exterior for ring in rings[1:]])
        middle, rim = np.array(maximum_inscribed_circle(shape, tolerance=_CIRCLE).coords)
        found.append((float(middle[0]), float(middle[1]), float(np.linalg.norm(rim - middle))))
    return sorted(found, key=lambda circle: -circle[2])
