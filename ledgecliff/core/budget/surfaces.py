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
    gets; None where that is the blank's own.

    That is the one which left something there that it had not got: where a blank has no allowance, what a setup goes
    over without taking anything away stays the blank's.
    """
    cut: int | None = None
    for setup in setups[:index]:
        if not _ends_there(setup.before, way, level) and _ends_there(setup.after, way, level):
            cut = setup.index
    return cut


def _ends_there(stock: InProcessStock, way: Array, level: float) -> bool:
    """Whether the stock has a face in the plane, or an edge or a round that reaches just to it."""
    heights = stock.mesh.vertices @ way - level
    there = np.abs(heights) < _IN_PLANE
    flat = there[stock.mesh.triangles].all(axis=1)
    return bool(flat.any()) or (bool(there.any()) and float(heights.max()) < _IN_PLANE)
