"""The bodies of a scene, with the lines where the parting plane goes through what is cut."""

from __future__ import annotations

from ..fixture_making import fixture_cut
from ..lenses import LensKey
from ..model.bench import MakeFixture
from ..model.orientation import Orientation
from ..plan import Plan
from ..route import Scene
from .bodies import Solid, holding_solids, part_solid, stock_solid
from .making_views import made_solids
from .parting_section import with_parting


def scene_solids(plan: Plan, scene: Scene, lens: LensKey, operation: int) -> tuple[Solid, ...]:
    """The bodies that a scene shows, in ``u`` of its setup, as a view that can be turned freely wants them."""
    first, parting = plan.setups[0].setup.orientation, plan.job.parting
    if scene.kind == "setup" and scene.setup is not None:
        setup = plan.setups[scene.setup]
        orientation, count = setup.setup.orientation, len(setup.setup.operations)
        stock = setup.cutting.after(min(operation, count - 1)) if lens == "cut" and count else setup.before
        return (with_parting(stock_solid(stock, orientation), parting, orientation), *holding_solids(setup))
    if scene.kind == "turn" and scene.setup is not None:
        before = plan.setups[scene.setup - 1]
        lies = before.setup.orientation
        return (with_parting(stock_solid(before.after, lies), parting, lies),)
    if scene.kind == "bench":
        index, done = plan.done_of(scene.step)
        if isinstance(done.step, MakeFixture) and (cut := fixture_cut(plan, done.step)) is not None:
            return made_solids(cut)
        lies = plan.setups[min(index, len(plan.setups) - 1)].setup.orientation
        return (with_parting(stock_solid(done.after, lies), parting, lies),)
    if scene.kind == "stock" and lens == "stock":
        return (with_parting(stock_solid(plan.blank, first), parting, first),)
    lies = Orientation() if lens in ("part", "sides") else first
    return (with_parting(part_solid(plan.geometry.coarse, lies), parting, lies),)
