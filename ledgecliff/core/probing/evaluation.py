"""From readings to surfaces, middles and offsets (handbook chapters 2 and 3).

``direction`` is +1 or -1: the way the ball, edge finder or cutter moved to reach the surface.  The
sign of every correction follows from it and is never typed.
"""

from __future__ import annotations

from dataclasses import dataclass


def surface_at(reading: float, direction: int, radius: float, gauge: float = 0.0) -> float:
    """Where the touched surface lies: ``reading + direction (radius + gauge)``, all in mm.

    ``radius`` is the effective radius of what touched, ``gauge`` the paper, feeler or block between.

    >>> surface_at(-412.630, +1, 5.0)
    -407.63
    """
    return reading + direction * (radius + gauge)


@dataclass(frozen=True)
class Opposite:
    """Two opposite walls: the middle between them, where the radius cancels, and their distance."""

    middle: float
    width: float


def between(surface_a: float, surface_b: float) -> Opposite:
    """Middle and distance (mm) of two surfaces that were touched from opposite directions."""
    return Opposite((surface_a + surface_b) / 2.0, abs(surface_b - surface_a))


def offset_for(found: float, should_read: float) -> float:
    """The work offset that makes a place found in machine coordinates read ``should_read`` (mm)."""
    return found - should_read
