"""What a drawing that is read gives: circles and closed outlines."""

from __future__ import annotations

from dataclasses import dataclass

from ledgecliff.core.registration.outlines import Edge


@dataclass(frozen=True)
class DrawnShapes:
    """``circles`` by centre x, y and diameter, and ``outlines`` as closed ways of edges and arcs (mm)."""

    circles: tuple[tuple[float, float, float], ...]
    outlines: tuple[tuple[Edge, ...], ...]
