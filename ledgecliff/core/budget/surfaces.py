"""Whose surface it is: the blank's own, or that of a setup which cut it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..frames import Array
from ..setup_plan import SetupPlan
from ..solids.in_process_stock import InProcessStock

#: Corners this near to a plane lie in it (mm).
_IN_PLANE = 1e-4


def cut_in(setups: Sequence[SetupPlan], index: int, way: Array, level: float) -> int | None:
    """Which setup before ``index`` cut the plane ``level`` out along ``way`` (3,) in P, on the stock that the setup
    gets; None where that is still the blank's own.

    Where it ends with an edge or a round, what those belong to counts; of what is raw in part, the blank.
    """
    if _in_plane(setups[index].before, way, level, raw=True):
        return None
    for setup in setups[:index]:
        if _in_plane(setup.after, way, level, raw=False):
            return setup.index
    return None


def _in_plane(stock: InProcessStock, way: Array, level: float, *, raw: bool) -> bool:
    mesh = stock.mesh
    there = np.abs(mesh.vertices @ way - level) < _IN_PLANE
    which = stock.raw if raw else ~stock.raw
    flat = there[mesh.triangles].all(axis=1)
    # Where nothing lies flat in it, whatever touches it counts.
    met = flat if flat.any() else there[mesh.triangles].any(axis=1)
    return bool(np.any(met & which))
