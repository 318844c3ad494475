"""How deep a tool really cuts that is longer than it counts for."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import numpy as np

from ..errors import LedgecliffError
from ..feature_places import is_inside
from ..frames import Array

#: A surface that looks up by more than this (cosine) is left by the end of a tool; less is a wall.
_LOOKS_UP = 1e-3
#: And by more than this it is level.
_LEVEL = 1.0 - 1e-6
#: Just above a surface (mm): above what doubles lose, below what any cut takes.
_JUST_ABOVE = 1e-3
#: A triangle is looked at in its middle, and so near to its corners (a share of the way there).
_TO_CORNERS = 0.98
#: What stands out of the stock by more than this share of it, in volume, was never there.
_ROUNDING = 1e-7


class UntoldDepthError(LedgecliffError):
    """What the operation of that number leaves cannot be told: its tool goes right through, or the like."""

    def __init__(self, operation: int) -> None:
        super().__init__(f"operation {operation} leaves what cannot be told")
        self.operation = operation


def cut_deeper(states: Sequence[manifold3d.Manifold], longer: Sequence[float], up: Array) -> manifold3d.Manifold:
    """The last of the ``states`` of a stock, N + 1 of them about N operations, with everything that an operation has
    left at its tool's end so much lower as that tool is ``longer`` (mm), cutting from above (``up``).

    What an operation has left is where air stands since it: no tool goes over what another one has left.  A shorter
    tool leaves no more than there was.  Raises UntoldDepthError where a longer one cuts through.
    """
    last = states[-1]
    mesh = last.to_mesh64()
    places, triangles = np.array(mesh.vert_properties)[:, :3], np.array(mesh.tri_verts)
    corners = places[triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    sizes = np.linalg.norm(normals, axis=1)
    looks = np.divide(normals @ up, sizes, out=np.zeros(len(sizes)), where=sizes > 0.0)
    flat: dict[bytes, float] = {}
    sloped: dict[bytes, float] = {}
    deepest, facing = 0, looks > _LOOKS_UP
    for triangle, at, look in zip(triangles[facing], corners[facing], looks[facing], strict=True):
        middle = at.mean(axis=0)
        since = next((k for k, state in enumerate(states) if not is_inside(state, middle + _JUST_ABOVE * up)), 0)
        by = longer[since - 1] if since else 0.0
        spots = np.vstack([middle, middle + _TO_CORNERS * (at - middle)])
        if by > 0.0 and min(_room(last, spot, -up, by) for spot in spots) < by:
            raise UntoldDepthError(since - 1)
        if by < 0.0:
            by = -min(_room(states[since - 1], spot, up, -by) for spot in spots)
        if abs(longer[since - 1]) > abs(longer[deepest]):
            deepest = since - 1
        lowered = flat if look > _LEVEL else sloped
        for corner in triangle:
            key = places[corner].tobytes()
            lowered[key] = min(by, lowered.get(key, by), key=abs)
    # A slope ends where the level surface does that it has an edge in common with, whoever has left that.
    lowered = sloped | flat

    def down(moving: Array) -> Array:
        by = np.array([lowered.get(place.tobytes(), 0.0) for place in moving])
        lower: Array = moving - by[:, None] * up
        return lower

    left = last.warp_batch(down)
    if not left.volume() > 0.0 or (left - states[0]).volume() > _ROUNDING * states[0].volume():
        raise UntoldDepthError(deepest)
    return left


def _room(solid: manifold3d.Manifold, place: Array, way: Array, most: float) -> float:
    """How far (mm) it is from a place on a surface, through a solid along ``way``, to where that ends; ``most`` at
    most."""
    start = place + _JUST_ABOVE * way
    hits = solid.ray_cast(tuple(start), tuple(place + most * way)) if most > _JUST_ABOVE else ()
    return min((float(np.linalg.norm(np.array(hit.position) - place)) for hit in hits), default=most)
