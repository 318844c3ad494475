"""What one operation takes away, as a region in both views of its setup."""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache

import manifold3d
import numpy as np

from ..setup_plan import SetupPlan
from .items import Fill
from .projection import FRONT

#: Pieces that are thinner than this on average are films, left where two cuts' facets of one wall differ (mm).
_FILM = 0.05
#: Films are looked for between so many heights at most, those of most corners.
_HEIGHTS = 4
#: Heights that differ by less than this are one (mm).
_SAME = 1e-3


@lru_cache(maxsize=64)
def taken(setup: SetupPlan, operation: int) -> tuple[Fill, Fill]:
    """The shadow of what the operation of that number removes, from above and from the front, in the setup's WCS
    (mm); what is cut under other stock belongs to it."""
    to_w = np.column_stack([setup.setup.orientation.matrix(), -setup.wcs.u_origin])
    pieces = list(_without_films(setup.cutting.removed(operation).transform(to_w)))
    to_front = np.column_stack([FRONT, np.zeros(3)])
    return _shadow(pieces), _shadow([piece.transform(to_front) for piece in pieces])


def _without_films(removed: manifold3d.Manifold) -> Iterator[manifold3d.Manifold]:
    """A wall that was cut before may bear a film as high as itself, whose shadow from the front would be as large as
    the whole: so what is taken is looked at between one height and the next."""
    if removed.is_empty():
        return
    z = np.asarray(removed.to_mesh64().vert_properties)[:, 2]
    heights, corners = np.unique(np.round(z / _SAME), return_counts=True)
    # Floors and tops are where many corners lie.
    levels = _SAME * np.sort(heights[np.argsort(-corners, kind="stable")[:_HEIGHTS]])
    slabs, rest = [], removed
    for level in levels[(levels > z.min() + _SAME) & (levels < z.max() - _SAME)].tolist():
        rest, below = rest.split_by_plane((0.0, 0.0, 1.0), level)
        slabs.append(below)
    for slab in (*slabs, rest):
        for piece in slab.decompose():
            if 2.0 * piece.volume() > _FILM * piece.surface_area():
                yield piece


def _shadow(pieces: list[manifold3d.Manifold]) -> Fill:
    areas = [piece.project() for piece in pieces]
    whole = manifold3d.CrossSection.batch_boolean(areas, manifold3d.OpType.Add) if areas else manifold3d.CrossSection()
    return Fill(tuple(tuple((float(x), float(y)) for x, y in ring) for ring in whole.to_polygons()), "taken")
