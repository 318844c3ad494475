"""Whose surface it is: the blank's own, or that of a setup which cut it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from ..frames import Array
from ..model.operations import Operation
from ..model.part import Feature
from ..setup_plan import SetupPlan
from ..solids.in_process_stock import InProcessStock

#: Corners this near to a plane lie in it (mm).
_IN_PLANE = 1e-4
#: A cosine this near to one is of no angle.
_SQUARE = 1e-9


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


def face_in(features: Iterable[Feature], way: Array, level: float) -> Feature | None:
    """Which of a part's features is that plane; None where none is."""
    return next(
        (
            each
            for each in features
            if each.kind == "face"
            and float(each.direction() @ way) > 1.0 - _SQUARE
            and abs(float(way @ np.array(each.at.as_tuple())) - level) < _IN_PLANE
        ),
        None,
    )


def left_by(setup: SetupPlan, way: Array, level: float) -> Operation | None:
    """Which of a setup's operations left that plane; None where it is left by no single one."""
    cutting, operations = setup.cutting, setup.setup.operations
    left = (
        each
        for k, each in enumerate(operations)
        if not _ends_there(cutting.before(k), way, level) and _ends_there(cutting.before(k + 1), way, level)
    )
    return next(left, None)


def _ends_there(stock: InProcessStock, way: Array, level: float) -> bool:
    """Whether the stock has a face in the plane, or an edge or a round that reaches just to it."""
    heights = stock.mesh.vertices @ way - level
    there = np.abs(heights) < _IN_PLANE
    flat = there[stock.mesh.triangles].all(axis=1)
    return bool(flat.any()) or (bool(there.any()) and float(heights.max()) < _IN_PLANE)
