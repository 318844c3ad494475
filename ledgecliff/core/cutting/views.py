"""The part as a cutter sees it from above: its shadow, what is open, and plain bodies to cut with.

Everything is in table-aligned part coordinates (Z up).
"""

from __future__ import annotations

from functools import lru_cache
from typing import TypeAlias

import manifold3d
import numpy as np

from ..blanks import transformed
from ..errors import ModelFileError
from ..frames import Array
from ..model.orientation import DIRECTIONS, Orientation, PartDirection
from ..model.part import Feature
from ..once import lazy
from ..registration.removed import part_middle
from ..solids.geometry import PartGeometry
from ..solids.meshes import Mesh, mesh_of
from ..solids.shadow import shadow

#: How far cut volumes stand out over the stock, so that no two faces coincide (mm).
PROUD = 2.0
UPRIGHT = 1.0 - 1e-4
#: Depths that differ by no more are the same (mm).
_AS_DEEP = 1e-9

Solid: TypeAlias = manifold3d.Manifold
Section: TypeAlias = manifold3d.CrossSection

#: For each side that is up, the usual one to the right.
_RIGHT_OF: dict[PartDirection, PartDirection] = {
    up: next(way for way in DIRECTIONS if way[1] != up[1] and way[0] == "+") for up in DIRECTIONS
}


class View:
    """The part as seen from above in one orientation; ``mesh`` is its coarse or its fine one."""

    def __init__(self, mesh: Mesh, geometry: PartGeometry, orientation: Orientation) -> None:
        self.mesh, self.geometry, self.orientation = mesh, geometry, orientation
        self.matrix = orientation.matrix()
        self.bottom, self.top = (float(corner[2]) for corner in geometry.u_corners(orientation))

    def u(self, p_point: tuple[float, float, float]) -> Array:
        point: Array = self.matrix @ np.array(p_point)
        return point

    @property
    def middle(self) -> Array:
        """Of the part's box (2,) in ``u``."""
        return part_middle(self.geometry, self.orientation)

    def shadow(self) -> Solid:
        """Everything at or below the part, to well below it."""
        return _shadow(self.mesh, self.geometry, self.orientation, self.bottom - 2.0 * PROUD)

    @lazy
    def solid(self) -> Solid:
        """The part as it lies."""
        return transformed(self.mesh.solid(), self.matrix)

    def shadow_to(self, beyond: float) -> Solid:
        """The shadow down to below a cut that goes ``beyond`` the part's underside."""
        if beyond <= PROUD:
            return self.shadow()  # deep enough, and made already
        return _shadow(self.mesh, self.geometry, self.orientation, self.bottom - beyond - PROUD)

    def open_at(self, height: float) -> Section:
        """Where nothing of the part stands over or at ``height``: its shadow's section, the other way round."""
        low, high = (np.array(corner) for corner in np.array(self.shadow().bounding_box()).reshape(2, 3))
        size = high[:2] - low[:2] + 4.0 * PROUD
        square = Section.square(tuple(size)).translate(tuple(low[:2] - 2.0 * PROUD))
        return square - self.shadow().slice(height)


@lru_cache(maxsize=64)
def view_of(mesh: Mesh, geometry: PartGeometry, orientation: Orientation) -> View:
    return View(mesh, geometry, orientation)


def shadows_of(geometry: PartGeometry) -> dict[PartDirection, Mesh]:
    """Those that the coarse mesh throws with each of its sides up: what ``PartGeometry.shadows`` keeps."""
    ups = {up: view_of(geometry.coarse, geometry, _usual(up)) for up in DIRECTIONS}
    return {up: mesh_of(view.shadow()) for up, view in ups.items()}


def _usual(up: PartDirection) -> Orientation:
    return Orientation(up=up, right=_RIGHT_OF[up])


def _shadow(mesh: Mesh, geometry: PartGeometry, orientation: Orientation, bottom: float) -> Solid:
    """With a side of the part up it is the same one however the part is turned about that."""
    up = orientation.square_up()
    if up is None:
        return _shadow_of(mesh, orientation, bottom)
    usual = _usual(up)
    made = _kept_shadow(mesh, geometry, up, bottom)
    if made is None:
        made = _shadow_of(mesh, usual, bottom)
    return made if orientation == usual else transformed(made, orientation.matrix() @ usual.matrix().T)


@lru_cache(maxsize=64)
def _kept_shadow(mesh: Mesh, geometry: PartGeometry, up: PartDirection, bottom: float) -> Solid | None:
    """What was worked out beforehand, where that is of this mesh, a solid, and as deep."""
    kept = geometry.shadows.get(up)
    if kept is None or mesh is not geometry.coarse or abs(float(kept.vertices[:, 2].min()) - bottom) > _AS_DEEP:
        return None
    try:
        return kept.solid()
    except ModelFileError:
        return None


@lru_cache(maxsize=64)
def _shadow_of(mesh: Mesh, orientation: Orientation, bottom: float) -> Solid:
    solid = shadow(Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles), bottom)
    solid.status()  # solids are worked out when first asked; ask now, so that the cache keeps the result
    return solid


def is_upright(feature: Feature, orientation: Orientation) -> bool:
    """Whether a feature's axis stands upright in this orientation, either way up."""
    return abs(float(orientation.matrix()[2] @ feature.direction())) > UPRIGHT


def opens_up(feature: Feature, orientation: Orientation) -> bool:
    return float(orientation.matrix()[2] @ feature.direction()) > UPRIGHT


#: A section smaller than this has no area (mm²).
_NO_AREA = 1e-9


def prism(section: Section, low: float, high: float) -> Solid:
    """Everything over and under a section between two heights; nothing where that has no area, as of a slot whose
    length is not told, or the upper is not above the lower."""
    if high <= low or section.area() < _NO_AREA:
        return Solid()
    return Solid.extrude(section, high - low).translate((0.0, 0.0, low))


def over(u_low: Array, u_high: Array, floor: float) -> Solid:
    """Everything over ``floor`` between two corners, and a little beyond them; nothing where that lies higher."""
    low = np.array([*(u_low[:2] - PROUD), floor])
    size = np.array([*(u_high[:2] + PROUD), max(float(u_high[2]) + PROUD, floor)]) - low
    return Solid.cube(tuple(size)).translate(tuple(low))
