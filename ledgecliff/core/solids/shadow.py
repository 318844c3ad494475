"""What of a part stands in the way when it is looked at from above: outline and shadow.

Both are solids in table-aligned part coordinates (Z up).  The *shadow* is everything at or below
some material of the part: what a cutter coming from above must leave.  It is built exactly from
the triangles, one upright prism per patch of upward faces, so chamfers stay true.

A prism is a solid only where its patch, seen from above, does not lie over itself, and where the walls
round it touch nowhere.  The boolean library answers for any other with another volume and no error.  So
patches are halved until each is simple, each prism is held against the sum of its triangles' own, and the
union against the part.
"""

from __future__ import annotations

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..errors import InternalError
from ..frames import Array
from .adjacency import components
from .flat_area import filled
from .meshes import Mesh

#: Narrower than this seen from above (mm), a triangle counts as an upright wall.
_NARROW = 1e-5
#: Volumes of one thing worked out in two ways may differ by this share (rounding of doubles over many triangles).
_SAME_SHARE = 1e-9
#: Sums of tetrahedra about the origin are off by this share of the largest of them.
_LAST_DIGITS = 1e-14
#: Sections are kept to a hundred-millionth of a millimetre; a ring's area is off by that times its length.
_SECTION_GRID = 1e-7
#: Undersides nearer to the bottom than this belong to it (mm).
_HANGING = 1e-6
#: Of so many patches or more those that lie below wide ones are left out; wide is more than a share of the widest.
_MANY, _WIDE = 12, 0.2
_WHAT = "the shadow of the part"


def shadow(u_mesh: Mesh, bottom: float) -> manifold3d.Manifold:
    """Everything at or below the part, down to height ``bottom`` (mm, below the part).

    Raises InternalError where that cannot be made without losing some of the part.
    """
    upward, ignored = _seen_from_above(u_mesh)
    part = u_mesh.solid()
    patches, hidden = _not_under_others(u_mesh.vertices, _patches(upward))
    by_patch = [prism for patch in patches for prism in _prisms(u_mesh.vertices, patch, bottom)]
    result = _united(part, by_patch, bottom, ignored + hidden)
    if result is None:
        one_by_one = [
            prism for k in range(len(upward)) for prism in _prisms(u_mesh.vertices, upward[k : k + 1], bottom)
        ]
        result = _united(part, one_by_one, bottom, ignored)
    if result is None:
        raise InternalError(_WHAT, "it does not contain the part")
    return result


def _not_under_others(vertices: Array, patches: list[NDArray[np.int64]]) -> tuple[list[NDArray[np.int64]], float]:
    """Patches less those that lie wholly below wide ones, whose shadow holds theirs, and the area this may be wrong by.

    Seen from the side, the walls of every hole in a plate are such patches.
    """
    if len(patches) < _MANY:
        return patches, 0.0
    heights = vertices[:, 2]
    ends = [(float(heights[patch].min()), float(heights[patch].max())) for patch in patches]
    areas = [float(_areas_from_above(vertices[patch]).sum()) for patch in patches]
    wide = sorted((k for k in range(len(patches)) if areas[k] > _WIDE * max(areas)), key=lambda k: -ends[k][0])
    order = sorted(range(len(patches)), key=lambda k: -ends[k][1])
    over, kept, unsure = manifold3d.CrossSection(), [], 0.0
    for k in order:
        while wide and ends[wide[0]][0] >= ends[k][1] and wide[0] != k:
            over += _ground(vertices, patches[wide.pop(0)])
        beside = 0.0 if over.is_empty() else float((_ground(vertices, patches[k]) - over).area())
        if over.is_empty() or beside > _SECTION_GRID * _rim_length(vertices, patches[k]):
            kept.append(patches[k])
        else:
            unsure += _SECTION_GRID * _rim_length(vertices, patches[k])
    return kept, unsure


def _ground(vertices: Array, patch: NDArray[np.int64]) -> manifold3d.CrossSection:
    """What a patch covers, seen from above."""
    return manifold3d.CrossSection(list(vertices[patch][:, :, :2]), manifold3d.FillRule.Positive)


def _rim_length(vertices: Array, patch: NDArray[np.int64]) -> float:
    rim = _rim(patch)
    return float(np.linalg.norm(vertices[rim[:, 0], :2] - vertices[rim[:, 1], :2], axis=1).sum())


def _united(
    part: manifold3d.Manifold, prisms: list[manifold3d.Manifold], bottom: float, ignored: float
) -> manifold3d.Manifold | None:
    """The union; None where it lacks some of the part, or hangs over anywhere: then it lacks some of a prism.

    A solid that contains the part and reaches down to ``bottom`` from all of its own top contains the shadow.
    Below what was ``ignored`` (mm², as seen from above) it may hang over.
    """
    result = manifold3d.Manifold.batch_boolean([part, *prisms], manifold3d.OpType.Add)
    missing = float((part - result).volume())
    mesh = result.to_mesh64()
    corners = np.asarray(mesh.vert_properties, dtype=float)[:, :3][np.asarray(mesh.tri_verts, dtype=np.int64)]
    downward = -_areas_from_above(corners)
    hanging = float(downward[(downward > 0.0) & (corners[:, :, 2].max(axis=1) > bottom + _HANGING)].sum())
    allowed = ignored + _SAME_SHARE * float(np.abs(downward).sum())
    is_whole = missing <= _SAME_SHARE * float(result.volume()) and hanging <= allowed
    return result if is_whole else None


def _areas_from_above(corners: Array) -> Array:
    """Areas (K,) of triangles (K, 3, 2 or 3) as seen from above; negative from below (mm²)."""
    sides = corners[:, 1:, :2] - corners[:, :1, :2]
    areas: Array = (sides[:, 0, 0] * sides[:, 1, 1] - sides[:, 0, 1] * sides[:, 1, 0]) / 2.0
    return areas


def outline_area(u_solid: manifold3d.Manifold) -> manifold3d.CrossSection:
    """The part's outline seen from above, without its holes."""
    return filled(u_solid.project())


def _seen_from_above(mesh: Mesh) -> tuple[NDArray[np.int64], float]:
    """The triangles (K, 3) that face upward and have some width from above, and the area of those that have not."""
    flat = mesh.vertices[mesh.triangles][:, :, :2]
    areas = _areas_from_above(flat)
    longest = np.linalg.norm(np.roll(flat, -1, axis=1) - flat, axis=2).max(axis=1)
    wide = 2.0 * areas > _NARROW * longest
    upward: NDArray[np.int64] = mesh.triangles[wide]
    return upward, float(areas[~wide & (areas > 0.0)].sum())


def _patches(triangles: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Triangles grouped by connection over edges that just two of them share."""
    edges = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, edge_of, count = np.unique(edges, axis=0, return_inverse=True, return_counts=True)
    edge_of = edge_of.reshape(-1)
    order = np.argsort(edge_of, kind="stable")
    order = order[count[edge_of[order]] == 2]
    a, b = order[::2] // 3, order[1::2] // 3
    label = components(len(triangles), a, b)
    by_label = np.argsort(label, kind="stable")
    return np.split(triangles[by_label], np.flatnonzero(np.diff(label[by_label])) + 1) if len(triangles) else []


def _prisms(vertices: Array, patch: NDArray[np.int64], bottom: float) -> list[manifold3d.Manifold]:
    """What lies below a patch: one prism where that is a sound solid, else those of its halves, and so on."""
    prism = _prism(vertices, patch, bottom) if _is_simple(vertices, patch) else None
    if prism is not None:
        return [prism]
    if len(patch) == 1:
        raise InternalError(_WHAT, "the prism below one triangle is no sound solid")
    middles = vertices[patch][:, :, :2].mean(axis=1)
    order = np.argsort(middles[:, int(np.argmax(np.ptp(middles, axis=0)))], kind="stable")
    halves = (patch[order[: len(patch) // 2]], patch[order[len(patch) // 2 :]])
    return [prism for half in halves for piece in _patches(half) for prism in _prisms(vertices, piece, bottom)]


def _is_simple(vertices: Array, patch: NDArray[np.int64]) -> bool:
    """Whether a patch (K, 3), all triangles against the clock, covers no ground twice and its rim meets itself nowhere.

    No two corners of the rim may stand over each other, whatever their heights: the walls below would touch.
    """
    rim = _rim(patch)
    if len(rim) != len(np.unique(vertices[rim[:, 0], :2], axis=0)):
        return False
    flat = vertices[patch][:, :, :2]
    area = float(_areas_from_above(flat).sum())
    return area - float(_ground(vertices, patch).area()) < _SECTION_GRID * _rim_length(vertices, patch)


def _rim(patch: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges (K, 2) of a patch that no second triangle shares, each in the sense of its triangle."""
    edges = patch[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    size = int(patch.max()) + 1
    there, back = edges[:, 0] * size + edges[:, 1], edges[:, 1] * size + edges[:, 0]
    return edges[~np.isin(there, back)]


def _prism(vertices: Array, patch: NDArray[np.int64], bottom: float) -> manifold3d.Manifold | None:
    """The patch closed downward by upright walls and its own flattened copy at ``bottom``.

    None where the library's volume is not that of the triangles' own prisms.
    """
    used, local = np.unique(patch, return_inverse=True)
    local = local.reshape(patch.shape)
    top = vertices[used]
    low = top.copy()
    low[:, 2] = bottom
    count = len(used)
    a, b = _rim(local).T
    walls = np.concatenate([np.stack([b, a, a + count], 1), np.stack([b, a + count, b + count], 1)])
    triangles = np.concatenate([local, local[:, ::-1] + count, walls])
    corners = np.ascontiguousarray(np.concatenate([top, low]))
    solid = manifold3d.Manifold(manifold3d.Mesh64(corners, np.ascontiguousarray(triangles, dtype=np.uint64)))
    expected = _volume_below(vertices[patch], bottom)
    # Of a sliver far from the origin the library's own sum is not surer than its last digits.
    unsure = _SAME_SHARE * expected + _LAST_DIGITS * float(np.abs(corners).max()) ** 3
    if solid.status() != manifold3d.Error.NoError or abs(float(solid.volume()) - expected) > unsure:
        return None
    return solid


def _volume_below(corners: Array, bottom: float) -> float:
    """Volume between triangles (K, 3, 3) that face upward and a level: of each its area by its mean height."""
    return float(_areas_from_above(corners) @ (corners[:, :, 2].mean(axis=1) - bottom))
