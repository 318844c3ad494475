"""One body by itself in plan and front view: faces, lines seen and hidden, and depth."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..once import lazy
from .bodies import KINDS, Solid
from .items import Drawing, Fill, Item, Lines, Point2
from .projection import ABOVE, FRONT, PLAN, Region, buffer_of, drawn_edges, regions, split_by_sight, without_doubles
from .raster import DepthBuffer

#: Plan and front of one scene.
Views = tuple[Drawing, Drawing]
#: Pixel of the sight test (mm) for a scene of ordinary size; larger scenes take a coarser one.
_PITCH = 0.45
_PIXELS = 500.0


@dataclass(frozen=True, eq=False)
class LineWork:
    """One body by itself in one view, in view coordinates of ``u``: faces, lines and depth."""

    solid: Solid
    view: Array
    visible: Array
    hidden: Array
    buffer: DepthBuffer

    @lazy
    def regions(self) -> list[Region]:
        return regions(self.solid.mesh, self.solid.kinds, KINDS, self.view)


#: What the two views of a setup are called: of a horizontal spindle the one along it, and the one from above, where its
#: Y points.
VIEW_NAMES = {"vertical": ("Plan", "Front"), "horizontal": ("Along the spindle", "From above")}
#: The second of them.
SECOND_VIEWS = {"vertical": FRONT, "horizontal": ABOVE}


def line_work(solid: Solid, view: Array) -> LineWork:
    low, high = bounds_of([solid], view)
    pitch = max(_PITCH, max(high[0] - low[0], high[1] - low[1]) / _PIXELS)
    buffer = buffer_of([solid.mesh], view, pitch)
    visible, hidden = split_by_sight(*drawn_edges(solid.mesh, view), buffer)
    return LineWork(solid, view, visible, without_doubles(hidden, visible), buffer)


@lru_cache(maxsize=64)
def both_works(solid: Solid, spindle: str = "vertical") -> tuple[LineWork, LineWork]:
    """Both views of a body: does not depend on how it is held or where the zero is."""
    return line_work(solid, PLAN), line_work(solid, SECOND_VIEWS[spindle])


def body_items(work: LineWork, shift: Array) -> list[Item]:
    """A body alone, moved by ``shift`` (2,) in the view: faces, then hidden, then visible lines."""
    return [
        *fills(work.regions, shift),
        Lines(flat(work.hidden) + shift, "hidden"),
        Lines(flat(work.visible) + shift, "visible", "stock"),
    ]


def flat(segments: Array) -> Array:
    """Stretches (N, 2, 3) in view coordinates without their depth."""
    return segments[:, :, :2]


def fills(painted: Iterable[Region], shift: Array) -> list[Item]:
    dx, dy = float(shift[0]), float(shift[1])
    return [
        Fill(tuple(tuple((x + dx, y + dy) for x, y in ring) for ring in region.rings), region.kind)
        for region in sorted(painted, key=lambda region: region.depth)
    ]


def bounds_of(solids: Iterable[Solid], view: Array) -> tuple[Point2, Point2]:
    points = np.concatenate([solid.mesh.vertices for solid in solids]) @ view.T
    low, high = points.min(axis=0), points.max(axis=0)
    return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))


def point2(place: Array) -> Point2:
    return (float(place[0]), float(place[1]))


def rectangle(low: Point2, high: Point2) -> tuple[Point2, ...]:
    return (low, (high[0], low[1]), high, (low[0], high[1]), low)
