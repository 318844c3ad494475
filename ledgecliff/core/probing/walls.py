"""Finding what a ball will meet: free walls of the in-process stock.

All in table-aligned part coordinates ``u``.  The stock is asked by upright lines through the
solid, so that holes, hats and slots count as they are.
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d

#: A wall is looked for this far inside and outside of where it should be (mm).
_SKIN = 0.1
_FAR = 10_000.0


@dataclass(frozen=True)
class Span:
    """Material from ``low`` to ``high`` along an upright line."""

    low: float
    high: float


def material(u_solid: manifold3d.Manifold, x: float, y: float) -> tuple[Span, ...]:
    """Where the upright line through (x, y) runs inside the solid, highest first."""
    hits = u_solid.ray_cast((x, y, _FAR), (x, y, -_FAR))
    heights = [float(hit.position[2]) for hit in hits]
    return tuple(Span(low, high) for high, low in zip(heights[0::2], heights[1::2], strict=False))


@dataclass(frozen=True)
class FreeWall:
    """The topmost stretch of wall that can be touched; ``overhung`` when stock hangs out over it."""

    low: float
    high: float
    overhung: bool


def free_wall(
    u_solid: manifold3d.Manifold, at: tuple[float, float], axis: int, direction: int, least: float
) -> FreeWall | None:
    """The wall met at ``at`` (x, y) when moving along ``axis`` (0 or 1) in ``direction``."""
    return free_wall_along(u_solid, at, (float(direction), 0.0) if axis == 0 else (0.0, float(direction)), least)


def free_wall_along(
    u_solid: manifold3d.Manifold, at: tuple[float, float], way: tuple[float, float], least: float
) -> FreeWall | None:
    """The wall met at ``at`` (x, y) when moving along the unit vector ``way``.

    It has material just inside and none just outside; of several stretches the topmost that is at
    least ``least`` high is taken.  None where there is no such wall.
    """
    in_air = material(u_solid, at[0] - way[0] * _SKIN, at[1] - way[1] * _SKIN)
    for span in material(u_solid, at[0] + way[0] * _SKIN, at[1] + way[1] * _SKIN):
        for low, high in _without(span, in_air):
            if high - low >= least:
                return FreeWall(low, high, overhung=any(other.low >= high - 1e-6 for other in in_air))
    return None


def material_before(
    u_solid: manifold3d.Manifold, at: tuple[float, float], way: tuple[float, float], height: float
) -> float:
    """How much material (mm) lies before a place at ``height`` for a ball that comes along ``way``."""
    far = (at[0] - way[0] * _FAR, at[1] - way[1] * _FAR, height)
    hits = u_solid.ray_cast(far, (at[0], at[1], height))
    if not hits:
        return 0.0
    x, y, _ = hits[0].position
    return max(float((at[0] - x) * way[0] + (at[1] - y) * way[1]), 0.0)


def _without(span: Span, others: tuple[Span, ...]) -> list[tuple[float, float]]:
    """What of ``span`` is left beside ``others`` (highest first), highest first."""
    left, top = [], span.high
    for other in others:
        if other.high <= span.low or other.low >= top:
            continue
        if other.high < top:
            left.append((other.high, top))
        top = min(top, other.low)
    if top > span.low:
        left.append((span.low, top))
    return left
