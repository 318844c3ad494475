"""A closed way for a cutter cut into stretches: those over tabs apart from the rest."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from .outlines import Edge, RoundedOutline

#: Places along the way are looked for this far apart (mm).
_LOOK_EVERY = 0.05


@dataclass(frozen=True)
class Stretch:
    """Part of the way along one edge, and whether the cutter must stay above a tab there."""

    edge: Edge
    on_tab: bool


def stretches(outline: RoundedOutline, shift: Array, tabs: Array, tab_length: float) -> list[Stretch]:
    """The outline moved by ``shift`` (2,) and gone round with the clock, so that the piece inside is climb milled.

    Tabs of ``tab_length`` along the way stand where it passes ``tabs`` (N, 2), places in the outline's own numbers.
    """
    x, y = float(shift[0]), float(shift[1])
    edges = [
        Edge((e.end[0] + x, e.end[1] + y), (e.start[0] + x, e.start[1] + y), -e.bulge) for e in reversed(outline.edges)
    ]
    middles = _along(edges, tabs + shift)
    ends = sorted(place for middle in middles for place in (middle - tab_length / 2.0, middle + tab_length / 2.0))
    made, gone = [], 0.0
    for edge in edges:
        length = length_of(edge)
        cuts = [0.0, *(place - gone for place in ends if 1e-9 < place - gone < length - 1e-9), length]
        for start, end in itertools.pairwise(cuts):
            middle = gone + (start + end) / 2.0
            on_tab = any(abs(middle - tab) < tab_length / 2.0 for tab in middles)
            made.append(Stretch(_part(edge, start / length, end / length), on_tab))
        gone += length
    return made


def _along(edges: list[Edge], places: Array) -> list[float]:
    """How far along a closed way (mm) it passes nearest to each of ``places`` (N, 2)."""
    if len(places) == 0:
        return []
    at, gone, reached = [], 0.0, []
    for edge in edges:
        length = length_of(edge)
        count = max(math.ceil(length / _LOOK_EVERY), 1)
        for k in range(count):
            at.append(_part(edge, 0.0, k / count).end if k else edge.start)
            reached.append(gone + k / count * length)
        gone += length
    points = np.array(at)
    return [reached[int(np.argmin(np.linalg.norm(points - place, axis=1)))] for place in places]


def length_of(edge: Edge) -> float:
    """Along the edge (mm): an arc's radius times its angle, which is four times the bulge's arc tangent."""
    if not edge.bulge:
        return math.dist(edge.start, edge.end)
    return edge.radius * abs(4.0 * math.atan(edge.bulge))


def _part(edge: Edge, start: float, end: float) -> Edge:
    """The part of an edge between two shares of its length."""
    if not edge.bulge:
        a, b = np.array(edge.start), np.array(edge.end)
        p, q = a + start * (b - a), a + end * (b - a)
        return Edge((float(p[0]), float(p[1])), (float(q[0]), float(q[1])))
    sweep = 4.0 * math.atan(edge.bulge)
    (x, y), radius = edge.centre, edge.radius
    first = math.atan2(edge.start[1] - y, edge.start[0] - x)

    def at(share: float) -> tuple[float, float]:
        angle = first + share * sweep
        return (x + radius * math.cos(angle), y + radius * math.sin(angle))

    return Edge(at(start), at(end), math.tan(sweep * (end - start) / 4.0))
