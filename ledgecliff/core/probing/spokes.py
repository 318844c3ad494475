"""A round feature touched at chosen angles: what they make of one touch's error.

To first order the way to the wall at angle ``a`` is ``R + x cos a + y sin a`` long, so that with the matrix J of
``(cos a, sin a, 1)`` the centre and the radius have the covariance ``u² (JᵀJ)⁻¹``.  All round that is about ``u``; over
a short arc it is many times that.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..quantities import said
from .touches import Problem

#: Angles nearer than this are one (degrees).
_ALIKE_DEG = 1.0
#: A centre that is known so many times worse than one touch is told to be none.
_WORST = 25.0


def spokes(angles_deg: tuple[float, ...]) -> Array:
    """The matrix (N, 3) of ``(cos a, sin a, 1)``."""
    angles = np.radians(angles_deg)
    matrix: Array = np.column_stack([np.cos(angles), np.sin(angles), np.ones(len(angles))])
    return matrix


@lru_cache(maxsize=128)
def spoke_factors(angles_deg: tuple[float, ...]) -> tuple[float, float, float]:
    """How many times one touch's uncertainty that of the centre's X and Y and of the radius is; infinite where the
    angles give no centre."""
    matrix = spokes(angles_deg)
    if len(_ways(angles_deg)) < 3:
        return math.inf, math.inf, math.inf
    x, y, radius = (math.sqrt(float(value)) for value in np.diag(np.linalg.inv(matrix.T @ matrix)))
    return x, y, radius


def _ways(angles_deg: tuple[float, ...]) -> list[float]:
    """The angles that differ, within one turn."""
    ways: list[float] = []
    for angle in angles_deg:
        if all(abs(math.remainder(angle - other, 360.0)) >= _ALIKE_DEG for other in ways):
            ways.append(angle)
    return ways


def angle_problems(angles_deg: tuple[float, ...], number: int, name: str, repeatability: float) -> list[Problem]:
    """What angles lack that give no centre, or hardly one; ``number`` is the step's first touch."""
    listed = ", ".join(f"{angle:g}°" for angle in angles_deg)
    remedy = "Touch at three angles or more that lie well apart, best spread all round, such as 90°, 210° and 330°."
    ways = len(_ways(angles_deg))
    if ways < 3:
        fact = f"At {listed} {name} is touched from only {ways} side{'s' if ways > 1 else ''}, which gives no centre."
        return [Problem("ANGLES_GIVE_NO_CENTRE", number, fact, remedy)]
    worst = max(spoke_factors(angles_deg)[:2])
    if worst <= _WORST:
        return []
    fact = (
        f"At {listed} the centre of {name} is known only to ±{said(2.0 * worst * repeatability)}: "
        f"{worst:.0f} times worse than one touch."
    )
    return [Problem("ANGLES_GIVE_NO_CENTRE", number, fact, remedy, value=worst, limit=_WORST)]
