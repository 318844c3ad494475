"""A touch from above on a flat that leans: where no side of the stock lies level, as at an index between two squares.

A ball of radius ``r`` comes down on a plane through ``p`` with the unit normal ``n`` where its middle is at
``(n . p + r - n_x x - n_y y) / n_z``: the reading is that of a level surface ``r`` under it, since it is pushed on
straight down as far as in its calibration.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..contact.first_contact import Body, Feeler
from ..frames import Array
from ..model.cycles import ProbeCycle
from ..solids.areas import nearest_in, roomiest, shrunk
from .needs import begun_clear, no_landing, window_problems
from .step_context import Known, StepContext
from .touches import Quantity, Step, Touch

#: Flats that lean more than this are not touched from above (share of the normal along Z): the ball slides off.
_STEEPEST = 0.5
#: Normals and places of one flat differ by less (mm).
_FLAT = 1e-4
#: Flats smaller than this are none to touch (mm²).
_LEAST_AREA = 20.0
#: From so high above its highest point the ball is let down on the stock, and may meet it so far from the flat (mm).
_FROM_ABOVE, _MEETS = 5.0, 0.01


@dataclass(frozen=True, eq=False)
class _Flat:
    """A flat of the stock that leans: its normal (3,), how far along it, and its area seen from above."""

    normal: Array
    along: float
    area: manifold3d.CrossSection

    @property
    def slope(self) -> tuple[float, float]:
        """How much it rises or falls for a millimetre along X and along Y."""
        n_x, n_y, n_z = (abs(float(value)) for value in self.normal)
        return n_x / n_z, n_y / n_z

    def ball_at(self, x: float, y: float, radius: float) -> float:
        """How high the middle of a ball is that lies on it over a place."""
        n_x, n_y, n_z = (float(value) for value in self.normal)
        return (self.along + radius - n_x * x - n_y * y) / n_z


def slanted_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """One touch from above on the largest flat that leans and that the ball reaches, or where the user says."""
    radius = context.probe.ball_radius
    place, lacking = _place(context, cycle, known)
    (x, y), flat = place if place is not None else (_middle(context), None)
    slope_x, slope_y = (0.0, 0.0) if flat is None else flat.slope
    height = context.stock_top() if flat is None else flat.ball_at(x, y, radius) - radius
    w_x, w_y, w_z = (float(value) for value in np.array([x, y, height]) - context.wcs.u_origin)
    routine = context.routine
    touch = Touch(
        number=number,
        surface="stock, where it leans",
        axis="z",
        direction=-1,
        w_contact=(w_x, w_y, w_z),
        stand_off=routine.stand_off,
        overtravel=routine.overtravel,
        ball_radius=radius,
        wall=None,
        depth=0.0,
        feeds=context.feeds(cycle, routine.stand_off),
    )
    aside = context.aside(known, "stock", (x, y))
    unsure = context.unsure(known, "z", "stock") + context.varies("z") + slope_x * aside[0] + slope_y * aside[1]
    problems = window_problems(touch, unsure)
    touch = begun_clear(touch, unsure)
    if lacking is not None:
        remedy = "Say another place (At X, At Y) on a flat that the ball reaches from above, or take this step out."
        problems.append(no_landing(touch, f"the {touch.surface}", lacking, max(aside), remedy))
    finds = (Quantity("z", f"{touch.surface}, in Z", w_z),)
    return Step(cycle.kind, "", cycle, (touch,), (), finds, tuple(problems), slope=(slope_x, slope_y))


def _place(
    context: StepContext, cycle: ProbeCycle, known: Known
) -> tuple[tuple[tuple[float, float], _Flat] | None, float | None]:
    """Where to touch, and how much room there is where that is too little; None where all is well."""
    origin, radius = context.wcs.u_origin, context.probe.ball_radius
    own = None
    if cycle.at_x is not None or cycle.at_y is not None:
        x, y = _middle(context)
        own = (
            x if cycle.at_x is None else cycle.at_x + float(origin[0]),
            y if cycle.at_y is None else cycle.at_y + float(origin[1]),
        )
    best: tuple[tuple[float, float], _Flat] | None = None
    room = 0.0
    for flat in _flats(context.u_solid):
        # The ball meets a flat beside its own middle.
        met = flat.area.translate((radius * float(flat.normal[0]), radius * float(flat.normal[1])))
        wanted = own or _centre(met)
        inside = shrunk(met, 0.0, context.aside(known, "stock", wanted))
        at = nearest_in(inside, wanted)
        if at is not None and (own is None or at == own) and _meets(context, flat, at):
            return (at, flat), None
        widest = roomiest(met)
        if widest is not None and (best is None or widest[1] > room):
            best, room = (own or widest[0], flat), widest[1]
    return best, room


def _centre(area: manifold3d.CrossSection) -> tuple[float, float]:
    widest = roomiest(area)
    left, low, right, high = area.bounds()
    return widest[0] if widest is not None else ((left + right) / 2.0, (low + high) / 2.0)


def _middle(context: StepContext) -> tuple[float, float]:
    low, high = context.holding.u_stock
    return float(low[0] + high[0]) / 2.0, float(low[1] + high[1]) / 2.0


def _flats(u_solid: manifold3d.Manifold) -> Iterator[_Flat]:
    """Flats that lean and look up, those that are largest from above first."""
    mesh = u_solid.to_mesh64()
    corners = np.asarray(mesh.vert_properties, dtype=float)[:, :3][np.asarray(mesh.tri_verts)]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(across, axis=1)
    normals = across / np.maximum(size, 1e-300)[:, None]
    along = np.einsum("ij,ij->i", normals, corners[:, 0])
    leans = (normals[:, 2] > _STEEPEST) & (normals[:, 2] < 1.0 - _FLAT**2) & (size > 0.0)
    keys = np.round(np.column_stack([normals, along / 10.0])[leans] / _FLAT).astype(np.int64)
    triangles, found = corners[leans], []
    _, owner = np.unique(keys, axis=0, return_inverse=True)
    for k in range(int(owner.max()) + 1 if len(owner) else 0):
        chosen = np.flatnonzero(owner == k)
        area = manifold3d.CrossSection(list(triangles[chosen][:, :, :2]), manifold3d.FillRule.Positive)
        if area.area() > _LEAST_AREA:
            first = np.flatnonzero(leans)[chosen[0]]
            found.append(_Flat(normals[first], float(along[first]), area))
    yield from sorted(found, key=lambda flat: -flat.area.area())


def _meets(context: StepContext, flat: _Flat, at: tuple[float, float]) -> bool:
    """Whether the ball, let straight down there, first meets the stock, and there on the flat."""
    x, y = at
    top = max(context.stock_top(), context.holding.top()) + _FROM_ABOVE + context.probe.ball_diameter
    expected = flat.ball_at(x, y, context.probe.ball_radius)
    bodies = [Body("stock", context.u_solid, "stock")]
    bodies += [Body(block.name, block.solid()) for block in context.holding.blocks]
    met = Feeler.probe(context.probe, context.probe.body_diameter).first_contact(
        (x, y, top), (x, y, expected - 1.0), bodies
    )
    return met is not None and (met.body, met.part) == ("stock", "ball") and abs(top - met.travel - expected) < _MEETS
