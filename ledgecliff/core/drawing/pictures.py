"""Small slanted pictures of scenes, for the route: shaded faces and drawn edges.

The result holds numbers, not colours: which kind of face is at every pixel and how much light it
gets, and the visible edges in pixel coordinates.  Whoever shows it brings the colours.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..fixture_making import fixture_cut
from ..frames import Array, Axis, Turn, rotation, rotation_about
from ..model.bench import MakeFixture
from ..plan import Plan
from ..route import Scene
from ..setup_plan import SetupPlan
from ..solids.meshes import Mesh
from .bodies import Solid, part_solid, setup_solids, stock_solid
from .items import Point2
from .making_views import made_solids
from .parting_section import with_parting
from .projection import drawn_edges, face_normals, slanted, split_each_by_sight
from .raster import NOTHING, depth_and_triangles

_VIEW = slanted(28.0, 33.0)
#: Light from the upper left, a little towards the eye; view coordinates.
_LIGHT = np.array([-0.35, 0.75, 0.56])
_EMPTY = 255
#: A turn shows the part after this share of its way: so far that it is seen to turn, and still from outside.
_ON_ITS_WAY = 0.35


@dataclass(frozen=True, eq=False)
class Picture:
    """``kind`` (H, W) uint8, 255 where nothing is; ``light`` (H, W) 0 to 1; row 0 at the top.

    ``edges`` (N, 2, 2) are in pixels, x to the right and y down; ``parting`` likewise, where the parting
    plane goes through; ``mark`` is where the WCS zero lies.
    """

    kind: NDArray[np.uint8]
    light: NDArray[np.float64]
    edges: NDArray[np.float64]
    parting: NDArray[np.float64]
    mark: Point2 | None


def picture(solids: tuple[Solid, ...], width: int, height: int, u_zero: Array | None = None) -> Picture:
    """Solids fitted into ``width`` x ``height`` pixels, the zero (3,) marked if given."""
    corners = [solid.mesh.vertices[solid.mesh.triangles] @ _VIEW.T for solid in solids]
    normals = [face_normals(solid.mesh) @ _VIEW.T for solid in solids]
    kinds = np.concatenate([solid.kinds for solid in solids])
    corner, normal = np.concatenate(corners), np.concatenate(normals)
    facing = normal[:, 2] > 1e-6
    corner, normal, kinds = corner[facing], normal[facing], kinds[facing]
    flat = corner[:, :, :2].reshape(-1, 2)
    low, high = flat.min(axis=0), flat.max(axis=0)
    pitch = float(max((high[0] - low[0]) / (width - 3), (high[1] - low[1]) / (height - 3)))
    middle = (low + high) / 2.0
    low = middle - pitch * np.array([width - 2, height - 2]) / 2.0
    high = middle + pitch * np.array([width - 2, height - 2]) / 2.0
    buffer, triangle = depth_and_triangles(corner, low, high, pitch)
    nothing = triangle == NOTHING
    light = np.clip(normal @ _LIGHT, 0.0, 1.0)
    kind = np.where(nothing, _EMPTY, kinds[triangle]).astype(np.uint8)
    lines = [line for solid in solids for line in (solid.parting @ _VIEW.T,)]
    lots = [*(drawn_edges(solid.mesh, _VIEW) for solid in solids), *((each[:, 0], each[:, 1]) for each in lines)]
    split = split_each_by_sight(lots, buffer)
    edges = np.concatenate([seen[:, :, :2] for seen, _ in split[: len(solids)]])
    parting = np.concatenate([seen[:, :, :2] for seen, _ in split[len(solids) :]])
    rows = buffer.depth.shape[0]
    to_pixel, start = np.array([1.0, -1.0]) / pitch, np.array([0.0, float(rows)])

    return Picture(
        kind[::-1],
        np.where(nothing, 0.0, light[triangle])[::-1],
        (edges - low) * to_pixel + start,
        (parting - low) * to_pixel + start,
        None if u_zero is None else _point(((_VIEW @ u_zero)[:2] - low) * to_pixel + start),
    )


def _point(place: NDArray[np.float64]) -> Point2:
    return (float(place[0]), float(place[1]))


@lru_cache(maxsize=96)
def _setup_picture(setup: SetupPlan, width: int, height: int) -> Picture:
    stock, *others = setup_solids(setup, after=True)
    parted = with_parting(stock, setup.parting, setup.setup.orientation)
    return picture((parted, *others), width, height, setup.wcs.u_origin)


@lru_cache(maxsize=32)
def _solid_picture(solid: Solid, width: int, height: int) -> Picture:
    return picture((solid,), width, height)


@lru_cache(maxsize=64)
def _turn_picture(before: SetupPlan, after: SetupPlan, width: int, height: int) -> Picture:
    """What the setup before leaves, on its way over."""
    turn = Turn(before.setup.orientation, after.setup.orientation)
    lies = before.setup.orientation
    stock = with_parting(stock_solid(before.after, lies), before.parting, lies)
    matrix = rotation_about(turn.axis(), math.radians(turn.angle_deg()) * _ON_ITS_WAY)
    return picture((_turned(stock, matrix),), width, height)


@lru_cache(maxsize=16)
def _solids_picture(solids: tuple[Solid, ...], width: int, height: int) -> Picture:
    return picture(solids, width, height)


def sense_pictures(setup: SetupPlan, about: Axis, width: int, height: int) -> tuple[Picture, Picture]:
    """What a setup that stands level would look like with an axis under it at +90: right-handed, and left-handed."""
    solids = setup_solids(setup, after=False)
    right, left = (tuple(_turned(solid, rotation(about, degrees)) for solid in solids) for degrees in (90.0, -90.0))
    return picture(right, width, height), picture(left, width, height)


def _turned(solid: Solid, turn: Array) -> Solid:
    mesh = Mesh(solid.mesh.vertices @ turn.T, solid.mesh.triangles)
    return Solid(solid.name, mesh, solid.kinds, solid.parting @ turn.T)


def scene_picture(plan: Plan, scene: Scene, width: int, height: int) -> Picture:
    """The picture of a scene in pixels: of a turn, the part on its way over."""
    orientation, parting = plan.setups[0].setup.orientation, plan.job.parting
    if scene.kind == "turn" and scene.setup is not None:
        return _turn_picture(plan.setups[scene.setup - 1], plan.setups[scene.setup], width, height)
    if scene.kind == "setup" and scene.setup is not None:
        return _setup_picture(plan.setups[scene.setup], width, height)
    if scene.kind == "bench":
        index, done = plan.done_of(scene.step)
        if isinstance(done.step, MakeFixture) and (cut := fixture_cut(plan, done.step)) is not None:
            return _solids_picture(made_solids(cut), width, height)
        lies = plan.setups[min(index, len(plan.setups) - 1)].setup.orientation
        return _solid_picture(with_parting(stock_solid(done.after, lies), parting, lies), width, height)
    if scene.kind == "stock":
        blank = with_parting(stock_solid(plan.blank, orientation), parting, orientation)
        return _solid_picture(blank, width, height)
    part = with_parting(part_solid(plan.geometry.coarse, orientation), parting, orientation)
    return _solid_picture(part, width, height)
