"""Drawings of a turn: the stock before and after it, and any moment on the way."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..carried import pivot
from ..frames import Array, Turn, rotation_about
from ..plan import Plan
from ..setup_plan import SetupPlan
from ..solids.meshes import Mesh
from ..turns.turn_plan import TurnPlan, turns_of
from .bodies import KINDS, stock_solid
from .items import Drawing, Fill, Item, Label, Line, Lines, Point2, Stroke
from .line_work import Views, body_items, both_works, flat, point2
from .parting_line import parting_line
from .projection import PLAN, buffer_of, drawn_edges, regions, slanted, split_by_sight
from .turn_overlays import after_items, before_items

#: A hole's name stands this far below its edge (mm).
_LABEL_DROP = 3.0
#: How a turn is looked at while it is played, and how fine its sight test is.
_SLANTED, _MOMENT_PIXELS = slanted(24.0, 28.0), 300.0


def turn_views(plan: Plan, index: int, picked: str = "") -> Views:
    """The part from above before and after the turn that leads to setup ``index``, with the turn's axis and what
    registers it; ``picked`` may name a seat to look at."""
    before, after = plan.setups[index - 1], plan.setups[index]
    turn = Turn(before.setup.orientation, after.setup.orientation)
    worked = turns_of(plan)[index - 1]
    # Only what the zero is taken from, and what is picked, has its name: on a small part they would cover it.
    shown_names = {after.setup.datum.x.feature, after.setup.datum.y.feature, picked}
    drawings = []
    for name, setup in ((f"{before.setup.name}, as cut", before), (f"{after.setup.name}, as it comes in", after)):
        orientation = setup.setup.orientation
        shown = before.after if setup is before else after.before
        items = body_items(both_works(stock_solid(shown, orientation))[0], np.zeros(2))
        both = np.array(shown.u_corners(orientation))[:, :2]
        more = before_items(worked) if setup is before else after_items(worked, picked)
        drawn = [np.array(item.points) for item in more if isinstance(item, Stroke)]
        every = np.concatenate([both, *drawn])
        low, high = point2(every.min(axis=0)), point2(every.max(axis=0))
        items += _turn_axis(turn, _axis_place(worked, setup), low, high)
        items += more
        items += parting_line(plan.job.parting, orientation, PLAN, point2(both[0]), point2(both[1]), (0.0, 0.0))
        for feature in plan.job.part.features:
            if feature.name in shown_names and feature.is_round():
                at = orientation.matrix() @ np.array(feature.at.as_tuple())
                beside = (float(at[0]), float(at[1]) - (feature.diameter or 0.0) / 2.0 - _LABEL_DROP)
                items.append(Label(beside, feature.name, "centre", feature.name))
        drawings.append(Drawing(name, tuple(items), low, high))
    return drawings[0], drawings[1]


def _axis_place(turn: TurnPlan, setup: SetupPlan) -> Point2:
    """A place on the turn's axis, in ``u`` of a setup: where registered blanks are turned about, else the middle."""
    if turn.way in ("dowel pins", "interlocking frame"):
        place = pivot(turn.before.setup, turn.before.wcs, turn.before.geometry)
        return point2(setup.u_of(turn.before, np.array([*place, 0.0]))[:2])
    both = np.array(turn.before.after.u_corners(setup.setup.orientation))
    return point2(both.mean(axis=0))


def _turn_axis(turn: Turn, middle: Point2, low: Point2, high: Point2) -> Iterable[Item]:
    """The axis where it lies in the view; its letter at the end."""
    axis = turn.axis()
    line: Line = "center"
    if abs(axis[0]) > 0.999:
        yield Stroke(((low[0] - 10.0, middle[1]), (high[0] + 10.0, middle[1])), line, "turn-axis")
        yield Label((high[0] + 12.0, middle[1]), "X")
    elif abs(axis[1]) > 0.999:
        yield Stroke(((middle[0], low[1] - 10.0), (middle[0], high[1] + 10.0)), line, "turn-axis")
        yield Label((middle[0] + 2.0, high[1] + 10.0), "Y")


@dataclass(frozen=True, eq=False)
class Moment:
    """A drawing of a moment on the way, and the rotation (3, 3) about table axes that leads there."""

    drawing: Drawing
    matrix: Array


def turn_moment(plan: Plan, index: int, share: float) -> Moment:
    """A moment of the turn that leads to setup ``index``, seen slanting from the front.

    ``share`` goes from 0, as the setup before leaves the stock, to 1, as it comes in.  The view keeps one
    size all the way, so that what is drawn does not jump.
    """
    before = plan.setups[index - 1]
    turn = Turn(before.setup.orientation, plan.setups[index].setup.orientation)
    solid = stock_solid(before.after, before.setup.orientation)
    middle = (solid.mesh.vertices.min(axis=0) + solid.mesh.vertices.max(axis=0)) / 2.0
    matrix = rotation_about(turn.axis(), math.radians(turn.angle_deg()) * share)
    mesh = Mesh((solid.mesh.vertices - middle) @ matrix.T, solid.mesh.triangles)
    radius = float(np.linalg.norm(solid.mesh.vertices - middle, axis=1).max())
    buffer = buffer_of([mesh], _SLANTED, 2.0 * radius / _MOMENT_PIXELS)
    visible, _ = split_by_sight(*drawn_edges(mesh, _SLANTED), buffer)
    corners = mesh.vertices[mesh.triangles] @ _SLANTED[:2].T
    silhouette = manifold3d.CrossSection(list(corners), manifold3d.FillRule.NonZero)
    rings = tuple(tuple((float(x), float(y)) for x, y in ring) for ring in silhouette.to_polygons())
    items: list[Item] = [
        # Below all faces, so that no paper shines through between two of them.
        Fill(rings, "finished"),
        *(Fill(region.rings, region.kind) for region in regions(mesh, solid.kinds, KINDS, _SLANTED)),
        Lines(flat(visible), "visible"),
    ]
    axis = (_SLANTED @ turn.axis())[:2] * 1.25 * radius
    if float(np.linalg.norm(axis)) > 1e-6:
        items.append(Stroke((point2(-axis), point2(axis)), "center", "turn-axis"))
    name = f"{turn.in_shop_words()} · {share:.0%}"
    return Moment(Drawing(name, tuple(items), (-radius, -radius), (radius, radius)), matrix)
