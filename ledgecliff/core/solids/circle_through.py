"""The circle on which corners of a facetted round lie."""

from __future__ import annotations

import math

import numpy as np

from ..frames import Array


def circle_through(points: Array, within: float) -> tuple[Array, float] | None:
    """Centre (2,) and radius of the circle on which all of ``points`` (N, 2) lie to ``within`` (mm); None where they
    lie on none.

    ``x² + y² = 2 a x + 2 b y + c`` by least squares about their own middle (I. Kåsa, IEEE Trans. Instrum. Meas. 25,
    1976), which is the circle itself where there is one.
    """
    if len(points) < 3:
        return None
    middle = points.mean(axis=0)
    near = points - middle
    rows = np.column_stack([2.0 * near, np.ones(len(near))])
    solved, _, rank, _ = np.linalg.lstsq(rows, (near**2).sum(axis=1), rcond=None)
    if rank < 3:
        return None
    centre = solved[:2]
    radius = math.sqrt(max(float(solved[2] + centre @ centre), 0.0))
    if float(np.abs(np.linalg.norm(near - centre, axis=1) - radius).max()) > within:
        return None
    return middle + centre, radius
