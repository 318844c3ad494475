"""Rules about supports: that each carries, stands free, and is cut to what it carries."""

from __future__ import annotations

from collections.abc import Iterator

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..finding import Finding
from ..fixture_making import cut_in_levels, inside_support
from ..holding.flat_beds import FENCE
from ..holding.supports import SupportSeat, is_support, touched_by
from ..model.bench import MakeFixture
from ..model.machine import Cutter
from ..plan import Plan
from ..quantities import said, said_area, said_volume
from ..setup_plan import SetupPlan
from ..solids.geometry import COARSE_DEFLECTION

#: A support that carries with less than this share of its top carries on edges, and of what it carries so much may be
#: cut away.
_SHARE, _CUT_AWAY = 0.05, 0.5
#: Less than this is rounding (mm³), and a cutter on its floor is this far over it (mm).
_CRUMB, _SKIN = 1.0, 0.01


def _supports(plan: Plan) -> Iterator[tuple[SetupPlan, SupportSeat]]:
    for setup in plan.setups:
        for each in setup.supports:
            yield setup, each


def carries_nothing(plan: Plan) -> Iterator[Finding]:
    for setup, each in _supports(plan):
        if each.block is not None and each.share >= _SHARE:
            continue
        name, on = setup.setup.name, each.floor.name
        if each.block is not None:
            why = f"only {said_area(each.area)} of its top, {each.share:.0%}, meet the stock's underside"
        elif each.room is None:
            why = "nothing of the stock lies over it"
        elif each.room <= 0.0:
            why = f"the stock reaches down to the {on} there, and leaves no room for it"
        else:
            why = f"the stock lies {said(each.room)} over the {on} there, too little for a block"
        yield Finding(
            "SUPPORT_NO_SEAT", "error", name,
            f"{name}: {each.name} does not carry the stock: {why}.",
            "Put it under a flat face that stands free, make it smaller, or take it away.", about=each.name,
        )  # fmt: skip


def stands_in_something(plan: Plan) -> Iterator[Finding]:
    for setup, each in _supports(plan):
        if each.block is None:
            continue
        solid = each.block.solid()
        for other in setup.clamping.level.blocks:
            into = 0.0 if other.name == each.name else float((solid ^ other.solid()).volume())
            if into > _CRUMB:
                yield Finding(
                    "SUPPORT_MEETS", "error", setup.setup.name,
                    f"{setup.setup.name}: {each.name}, which stands on the {each.floor.name}, goes {said_volume(into)} "
                    f"into {other.name}.",
                    "Move it beside that, or make it smaller.", about=each.name,
                )  # fmt: skip


def floor_unknown(plan: Plan) -> Iterator[Finding]:
    for setup, each in _supports(plan):
        if each.block is not None and not each.floor.known:
            fixture, name = setup.holding.fixture.name, setup.setup.name
            yield Finding(
                "SUPPORT_FLOOR_UNKNOWN", "warning", name,
                f"{name}: {each.name} stands beside {fixture} on the table, and how high that one's bed is over the "
                "table is not known: neither is how high the block must be.",
                f"State the bed height of {fixture} (Hold), or put the support between its jaws.", about=each.name,
            )  # fmt: skip


def not_cut(plan: Plan) -> Iterator[Finding]:
    """A level one is cut in place by a step; a sloping one by a toolpath from its model."""
    made = {each.before for each in plan.job.bench if isinstance(each, MakeFixture)}
    for setup, each in _supports(plan):
        name = setup.setup.name
        if each.block is None:
            continue
        if each not in cut_in_levels(setup):
            way = f"slopes by {said(each.high - each.low)}" if not each.is_level else "stands tilted with its station"
            yield Finding(
                "SUPPORT_SLOPES", "note", name,
                f"{name}: the top of {each.name} {way}: level passes do not make it.",
                "Cut it in place with a toolpath made from its model (support JOB --stl FILE), from the zero that the "
                f"model is in. Under rounds it has facets, up to {said(COARSE_DEFLECTION)} proud: fit those by hand.",
                about=each.name,
            )  # fmt: skip
        elif setup.setup.id not in made:
            yield Finding(
                "SUPPORT_NOT_CUT", "warning", name,
                f"{name}: no step cuts {each.name} to the stock's underside: it carries as well as the block happens "
                "to be high.",
                "Cut it in place in a step of the route (make the fixture).", about=each.name,
            )  # fmt: skip


def cutter_meets(plan: Plan) -> Iterator[Finding]:
    """Over the top of a support the cutter, and its holder, pass by jaws, a fence and other blocks before they are
    cut; clamps and screws are not there yet."""
    making = {each.before: each for each in plan.job.bench if isinstance(each, MakeFixture)}
    for setup in plan.setups:
        step = making.get(setup.setup.id)
        cutter = setup.machine.cutter(step.tool) if step is not None else None
        if step is None or cutter is None:
            continue
        cut = cut_in_levels(setup)
        raw = {each.name: _uncut(each) for each in cut}
        there = [
            block
            for block in setup.clamping.level.blocks
            if block.kind in ("jaw", "base") or block.name == FENCE or is_support(block)
        ]
        for each in cut:
            tool, holder = _swept(each, cutter)
            # Into what of another block is cut off as well a tool may go, but no holder.
            met = [
                block.name
                for block in there
                if block.name != each.name
                and float((tool ^ block.solid()).volume() + (holder ^ raw.get(block.name, block.solid())).volume())
                > _CRUMB
            ]
            if met:
                yield Finding(
                    "SUPPORT_CUTTER_MEETS", "hazard", setup.setup.name,
                    f"'{step.name}': over the top of {each.name} T{cutter.tool} {cutter.name} or its holder runs into "
                    f"{' and '.join(met)}.",
                    "Move the support further away, make it smaller, or use a thinner or longer cutter.",
                    about=step.name,
                )  # fmt: skip


def _uncut(each: SupportSeat) -> manifold3d.Manifold:
    assert each.block is not None, "only those that stand are cut"
    return box(each.block.low, (*each.block.high[:2], each.high + each.support.cut))


def _swept(each: SupportSeat, cutter: Cutter) -> tuple[manifold3d.Manifold, manifold3d.Manifold]:
    """Where cutter and holder are while they go over the top of a support, each as high as it is long."""
    assert each.block is not None, "only those that stand are cut"
    low, high = np.array(each.block.low[:2]), np.array(each.block.high[:2])
    inside, head = inside_support(each, cutter.diameter / 2.0), each.high + cutter.depth

    def over(radius: float, bottom: float, top: float) -> manifold3d.Manifold:
        return box((*(low + inside - radius), bottom), (*(high - inside + radius), top))

    tool = over(cutter.diameter / 2.0, each.high + _SKIN, head)
    if cutter.depth >= cutter.length:
        return tool, manifold3d.Manifold()
    return tool, over(cutter.holder_diameter / 2.0, head, each.high + cutter.length)


def undercut(plan: Plan) -> Iterator[Finding]:
    """What a support carries is not to be cut away over it."""
    for setup, each in _supports(plan):
        if each.block is None or each.share < _SHARE:
            continue
        matrix = setup.clamping.level.orientation.matrix()
        left = float(touched_by(each.block, transformed(setup.after.solid, matrix)).area())
        if left < _CUT_AWAY * each.area:
            name = setup.setup.name
            yield Finding(
                "SUPPORT_UNDERCUT", "hazard", name,
                f"{name} cuts away {1.0 - left / each.area:.0%} of what {each.name} carries: what is left hangs over "
                "it under the cutter.",
                "Put it where the underside stays, or make that cut in another setup.", about=each.name,
            )  # fmt: skip


RULES = (carries_nothing, stands_in_something, floor_unknown, not_cut, cutter_meets, undercut)
