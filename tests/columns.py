"""Solids as upright columns of material, worked out from their triangles alone: a second way to look at a solid.

No boolean library has a part in it: a line upward through a closed mesh goes in and out at the triangles that it
meets, and between those is material.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ledgecliff.core.frames import Array
from ledgecliff.core.solids.meshes import Mesh


def places_over(*meshes: Mesh, count: int = 400, seed: int = 0) -> Array:
    """Places (count, 2) over all of some meshes, drawn by lot so that none lies on an edge."""
    low = np.min([mesh.vertices[:, :2].min(axis=0) for mesh in meshes], axis=0)
    high = np.max([mesh.vertices[:, :2].max(axis=0) for mesh in meshes], axis=0)
    places: Array = low + np.random.default_rng(seed).random((count, 2)) * (high - low)
    return places


def crossings(mesh: Mesh, places: Array) -> list[Array]:
    """For each place (N, 2) the heights at which a line upward meets the mesh, lowest first."""
    corners = mesh.vertices[mesh.triangles]
    found: list[Array] = []
    for x, y in places:
        a, b, c = (corners[:, k, :2] - (x, y) for k in range(3))
        # Of each triangle the areas of the three with the place in one corner's stead: alike in sign inside.
        shares = np.stack([_cross(b, c), _cross(c, a), _cross(a, b)])
        inside = (shares > 0).all(axis=0) | (shares < 0).all(axis=0)
        weights = shares[:, inside] / shares[:, inside].sum(axis=0)
        found.append(np.sort((weights.T * corners[inside][:, :, 2]).sum(axis=1)))
    return found


def _cross(a: Array, b: Array) -> Any:
    return a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]


def lacking(inner: Mesh, outer: Mesh, places: Array) -> float:
    """The most that a column of ``inner`` stands out of the columns of ``outer`` (mm); nought inside of it."""
    worst = 0.0
    for mine, theirs in zip(crossings(inner, places), crossings(outer, places), strict=True):
        spans = list(zip(theirs[::2], theirs[1::2], strict=True))
        for low, high in zip(mine[::2], mine[1::2], strict=True):
            covered = [(max(low, a), min(high, b)) for a, b in spans if min(high, b) > max(low, a)]
            worst = max(worst, (high - low) - sum(b - a for a, b in covered))
    return float(worst)
