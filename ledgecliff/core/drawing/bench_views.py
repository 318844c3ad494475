"""Drawings of a step beside the machine: the stock as it leaves it, what went dash-dotted, what came on made out."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import transformed
from ..fixture_making import fixture_cut
from ..in_process.bench import BenchDone
from ..model.bench import MakeFixture
from ..plan import Plan
from ..solids.meshes import mesh_of
from .bodies import Solid, stock_solid
from .items import Drawing, Item, Label, Line, Lines
from .line_work import Views, body_items, both_works, bounds_of, flat
from .making_views import making_views
from .part_views import size_dimensions
from .projection import FRONT, PLAN


def bench_views(plan: Plan, step: str) -> Views:
    """In the orientation of the setup that comes after, P zero as origin."""
    index, done = plan.done_of(step)
    if isinstance(done.step, MakeFixture) and (cut := fixture_cut(plan, done.step)) is not None:
        return making_views(cut)
    orientation = plan.setups[min(index, len(plan.setups) - 1)].setup.orientation
    matrix = orientation.matrix()
    after = stock_solid(done.after, orientation)
    items: list[list[Item]] = [list(body_items(work, np.zeros(2))) for work in both_works(after)]
    shown = [after]
    parts: tuple[tuple[manifold3d.Manifold, str, Line], ...] = (
        (done.gone, "goes", "phantom"), (done.added, "comes on", "visible"),
    )  # fmt: skip
    for solid, words, style in parts:
        if solid.is_empty():
            continue
        mesh = mesh_of(transformed(solid, matrix))
        piece = Solid("stock", mesh, np.zeros(len(mesh.triangles), dtype=np.int64))
        shown.append(piece)
        low, high = np.array(transformed(solid, matrix).bounding_box()).reshape(2, 3)
        for k, (work, view) in enumerate(zip(both_works(piece), (PLAN, FRONT), strict=True)):
            items[k].append(Lines(flat(work.visible), style, words))
            middle = (view @ (low + high))[:2] / 2.0
            items[k].append(Label((float(middle[0]), float(middle[1])), words, "centre", words))
    ends = np.array(done.after.u_corners(orientation))
    for k, view in enumerate((PLAN, FRONT)):
        items[k] += size_dimensions(ends, view, "stock", lane=1)
    return (
        Drawing(f"Plan · {_said(done)}", tuple(items[0]), *bounds_of(shown, PLAN)),
        Drawing("Front", tuple(items[1]), *bounds_of(shown, FRONT)),
    )


def _said(done: BenchDone) -> str:
    changes = not (done.added.is_empty() and done.gone.is_empty())
    return f"after '{done.step.name}'" if changes else "nothing of its shape changes"
