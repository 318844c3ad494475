"""Faces of a fixture of the shop's own, which may be touched: upright ones beside the part, and level ones that the
part and whatever stands on them leave free.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d

from ..frames import AXES
from ..holding.holding import KnownFace
from ..model.cycles import ProbeCycle
from ..solids.areas import nearest_in, room_about, roomiest, shrunk
from .needs import MARGIN, no_landing, not_as_it_lies
from .side_touches import Approach, UprightSide, free_along, wall_touch
from .step_context import Known, StepContext
from .touches import AxisSetting, Problem, Quantity, Step, Touch

#: A face goes on to be itself so far above and below its own level (mm).
_SKIN = 0.01


def fixture_face_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """An upright face, where the part leaves any of it free."""
    face, holding = context.holding.face(cycle.face), context.holding
    there = face is not None and face.axis != 2
    # Without it a touch is planned all the same, at the stock's side, and said not to be there.
    k, sign = (face.axis, face.sign) if face is not None and there else (0, -1)
    axis = AXES[k]
    place = face.level if face is not None and there else float(holding.u_stock[0][0])
    low, high = holding.u_stock
    within, floor = (float(low[1 - k]), float(high[1 - k])), holding.seat
    block = holding.block("fixture")
    if face is not None and there and block is not None:
        ends, heights = face.region[:, :, 1 - k], face.region[:, :, 2]
        within, floor = (float(ends.min()), float(ends.max())), float(heights.min())
        context = replace(context, u_solid=context.u_solid + block.solid(), u_top=float(heights.max()))
    side = UprightSide(axis, -sign, place, within)
    wanted = _free_middle(context, k, within)
    along = free_along(context, cycle, known, [side], wanted)
    words = f"fixture face {cycle.face}"
    approach = Approach(words, axis, side.direction, side.at(along), floor=floor, body="fixture", within=within)
    touch, problems = wall_touch(context, cycle, approach, known, number)
    if not there:
        problems = [not_as_it_lies(touch)]
    at = place - float(context.wcs.u_origin[k])
    sets = (AxisSetting(axis, at if cycle.reads is None else cycle.reads, at),)
    finds = (Quantity(axis, f"{words} in {axis.upper()}", at),)
    return Step("surface", f"{axis.upper()} from {words}", cycle, (touch,), sets, finds, tuple(problems))


def _free_middle(context: StepContext, k: int, within: tuple[float, float]) -> float:
    """Along an upright face, the middle of the longer stretch that the stock leaves beside itself."""
    low, high = (float(corner[1 - k]) for corner in context.holding.u_stock)
    before, beyond = low - within[0], within[1] - high
    if max(before, beyond) <= 0.0:
        return sum(within) / 2.0
    return (within[0] + low) / 2.0 if before > beyond else (within[1] + high) / 2.0


@dataclass(frozen=True, eq=False)
class LevelSpot:
    """Where a level face can be touched: the ``area`` (``u``) that is free, the roomiest place in it, its height."""

    name: str
    at: tuple[float, float]
    height: float
    area: manifold3d.CrossSection


def level_spot(context: StepContext, name: str | None) -> LevelSpot | None:
    """On the level face of that name; on the roomiest of all where none is named.  None where the fixture is none of
    the shop's own, or nothing of such a face is free."""
    own = context.holding.own
    faces = () if own is None else own.faces
    wanted = [face for face in faces if face.axis == 2 and name in (None, face.name)]
    found = []
    for face in wanted:
        area = _free_area(context, face)
        place = roomiest(area)
        if place is not None:
            at = _plain(context, place[0], area)
            found.append((place[1], LevelSpot(face.name, at, face.level, area)))
    return max(found, key=lambda each: each[0])[1] if found else None


def _plain(
    context: StepContext, at: tuple[float, float], area: manifold3d.CrossSection
) -> tuple[float, float]:  # fmt: skip
    """The same place in numbers that can be said: whole tenths of a millimetre in the WCS."""
    x, y = (float(value) for value in context.wcs.u_origin[:2])
    rounded = (round(at[0] - x, 1) + x, round(at[1] - y, 1) + y)
    return nearest_in(area, rounded) or at


def _free_area(context: StepContext, face: KnownFace) -> manifold3d.CrossSection:
    """A level face, less the stock over it and all that stands higher; where that is deeper below the stock's top than
    the stylus reaches, less what its thicker body needs beside the stock too."""
    area = manifold3d.CrossSection(list(face.region[:, :, :2]), manifold3d.FillRule.NonZero)
    over, probe = context.u_solid.project(), context.probe
    if float(context.holding.u_stock[1][2]) - face.level + context.varies("z") + MARGIN > probe.reach:
        over = over.offset(probe.body_diameter / 2.0 + MARGIN, manifold3d.JoinType.Round)
    area -= over
    for block in context.holding.blocks:
        above = block.solid().trim_by_plane((0.0, 0.0, 1.0), face.level + _SKIN)
        if not above.is_empty():
            area -= above.project()
    return area


def spot_problems(
    context: StepContext, touch: Touch, spot: LevelSpot, at: tuple[float, float], known: Known
) -> list[Problem]:
    """Whether the ball stays on the face wherever it may come down about a place."""
    x, y = (context.unsure(known, axis, "fixture", at) for axis in ("x", "y"))
    if nearest_in(shrunk(spot.area, touch.ball_radius, (x, y)), at) == at:
        return []
    room = max(room_about(spot.area, at), 0.0)
    return [no_landing(touch, f"the fixture's face {spot.name}", room, max(x, y))]
