"""How deep a tool really cuts that is longer than it counts for."""

from __future__ import annotations

from collections.abc import Sequence

import manifold3d
import numpy as np

from ..feature_places import is_inside
from ..frames import Array

#: A surface that looks up by more than this (cosine) is left by the end of a tool; less is a wall.
_LOOKS_UP = 1e-3
#: Just above a surface (mm): above what doubles lose, below what any cut takes.
_JUST_ABOVE = 1e-3


def cut_deeper(states: Sequence[manifold3d.Manifold], longer: Sequence[float], up: Array) -> manifold3d.Manifold:
    """The last of the ``states`` of a stock, N + 1 of them about N operations, with everything that an operation has
    left at its tool's end so much lower as that tool is ``longer`` (mm), cutting from above (``up``).

    What an operation has left is where air stands since it: no tool goes over what another one has left.
    """
    mesh = states[-1].to_mesh64()
    places, triangles = np.array(mesh.vert_properties)[:, :3], np.array(mesh.tri_verts)
    corners = places[triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    sizes = np.linalg.norm(normals, axis=1)
    looks = np.divide(normals @ up, sizes, out=np.zeros(len(sizes)), where=sizes > 0.0)
    lowered: dict[bytes, float] = {}
    for triangle, middle in zip(triangles[looks > _LOOKS_UP], corners[looks > _LOOKS_UP].mean(axis=1), strict=True):
        above = middle + _JUST_ABOVE * up
        since = next((k for k, state in enumerate(states) if not is_inside(state, above)), 0)
        if since:
            lowered |= {places[corner].tobytes(): longer[since - 1] for corner in triangle}

    def down(moving: Array) -> Array:
        by = np.array([lowered.get(place.tobytes(), 0.0) for place in moving])
        lower: Array = moving - by[:, None] * up
        return lower

    return states[-1].warp_batch(down)
