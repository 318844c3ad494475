"""Dimensioned drawings on named layers, as data: paths, circles, dimensions and words (mm).

Lengths in words are to be spelled (``spell``).  Whoever writes it gives each layer its line; arcs stay arcs.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .registration.outlines import Edge


@dataclass(frozen=True)
class Path:
    """A closed way along edges and arcs."""

    layer: str
    edges: tuple[Edge, ...]


@dataclass(frozen=True)
class Circle:
    layer: str
    centre: tuple[float, float]
    diameter: float


@dataclass(frozen=True)
class Words:
    layer: str
    at: tuple[float, float]
    text: str
    height: float = 4.0


@dataclass(frozen=True)
class Measure:
    """A dimension between two places, along x or y; its line lies at ``line`` on the other axis."""

    layer: str
    start: tuple[float, float]
    end: tuple[float, float]
    along: str
    line: float

    @property
    def base(self) -> tuple[float, float]:
        """Where the dimension's line begins."""
        return (self.start[0], self.line) if self.along == "x" else (self.line, self.start[1])

    @property
    def mm(self) -> float:
        k = 0 if self.along == "x" else 1
        return abs(self.end[k] - self.start[k])


Entity = Path | Circle | Words | Measure


@dataclass(frozen=True)
class Sheet:
    """``name`` goes into the file's name, ``title`` onto the sheet."""

    name: str
    title: str
    entities: tuple[Entity, ...]

    @property
    def layers(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(entity.layer for entity in self.entities))

    def bounds(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Lowest and highest corner of all that is drawn."""
        points: list[tuple[float, float]] = []
        for entity in self.entities:
            match entity:
                case Path():
                    points += [point for edge in entity.edges for point in edge_extent(edge)]
                case Circle():
                    (x, y), r = entity.centre, entity.diameter / 2.0
                    points += [(x - r, y - r), (x + r, y + r)]
                case Measure():
                    points += [entity.start, entity.end, entity.base]
                case Words():
                    points.append(entity.at)
        xs, ys = zip(*points, strict=True)
        return (min(xs), min(ys)), (max(xs), max(ys))


def edge_extent(edge: Edge) -> list[tuple[float, float]]:
    """End points of an edge; of an arc the ends of its circle's axes as well, where it passes them."""
    if not edge.bulge:
        return [edge.start, edge.end]
    (x, y), r = edge.centre, edge.radius
    start = np.arctan2(edge.start[1] - y, edge.start[0] - x)
    sweep = 4.0 * np.arctan(edge.bulge)
    passed = []
    for k in range(4):
        angle = k * np.pi / 2.0
        turn = (angle - start) % (2.0 * np.pi) if sweep > 0 else -((start - angle) % (2.0 * np.pi))
        if abs(turn) <= abs(sweep):
            passed.append((float(x + r * np.cos(angle)), float(y + r * np.sin(angle))))
    return [edge.start, edge.end, *passed]
