"""The best order by what it costs, run by run: all states with as much done are looked at together.

Of states that are alike (the same done, the same tool, offset and angle) only the cheapest goes on; of those the ones
that can still beat the best order known.  As long as none was left out for want of room the order is proven best.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from .problem import Problem
from .space import NONE, Bools, Ends, Ints, Space, counted_in

#: So many states at a time prove, of days with so many tasks and of longer ones fewer; with a few a good order is found
#: at once.
_PROVES, _OF_TASKS, A_FEW = 60_000, 60, 300


@dataclass(frozen=True)
class Weights:
    """What a tool call, an index and an offset call count, as whole numbers."""

    tool: int
    index: int
    offset: int

    @staticmethod
    def lexicographic(problem: Problem) -> Weights:
        """One call less of the first kind is worth any number of the others."""
        more = 4 * len(problem.tasks) + 1
        return Weights(more * more, more, 1)

    @staticmethod
    def by_time(problem: Problem) -> Weights:
        """In thousandths of a second."""
        costs = problem.costs
        return Weights(*(round(1000.0 * s) for s in (costs.tool_call_s, costs.index_s, costs.offset_call_s)))


def proving_width(space: Space) -> int:
    """How many states at a time there is room for."""
    return min(_PROVES, _PROVES * _OF_TASKS * _OF_TASKS // max(len(space.runs), 1) ** 2)


@dataclass(frozen=True)
class Best:
    """Tasks in their order, what it costs by the weights, and whether no order costs less."""

    tasks: tuple[int, ...]
    cost: int
    proven: bool


@dataclass(frozen=True, eq=False)
class _Layer:
    """States (S,) with as many runs done: what is in, the ``cost`` until then and the ``least`` in the end, and from
    which state of the layer before they come by which ``run``."""

    done: Bools
    tool: Ints
    offset: Ints
    angle: Ints
    cost: Ints
    least: Ints
    parent: Ints
    run: Ints

    def __len__(self) -> int:
        return len(self.cost)

    def of(self, which: Any) -> _Layer:
        return _Layer(*(getattr(self, name)[which] for name in self.__dataclass_fields__))


def best_order(
    space: Space,
    weights: Weights,
    width: int,
    upper: int | None = None,
    going_on: Callable[[int], bool] = lambda _layer: True,
) -> Best | None:
    """None where nothing is found at no more than ``upper``, or it was given up."""
    search = _Search(space, weights)
    layers, whole = [search.start()], True
    for number in range(len(space.runs)):
        if not going_on(number):
            return None
        layer = search.next(layers[-1], upper, lambda: going_on(number))  # noqa: B023 - called at once
        if layer is None:
            return None
        if len(layer) > width:
            # The most promising ones; of those alike the ones that have got there for less.
            layer, whole = layer.of(np.lexsort((layer.cost, layer.least))[:width]), False
        layers.append(layer)
    at = int(np.argmin(layers[-1].cost))
    cost, runs = int(layers[-1].cost[at]), list[int]()
    for layer in reversed(layers[1:]):
        runs.append(int(layer.run[at]))
        at = int(layer.parent[at])
    return Best(tuple(task for run in reversed(runs) for task in space.runs[run]), cost, whole)


class _Search:
    def __init__(self, space: Space, weights: Weights) -> None:
        self._space, self._weights = space, weights
        ends = (space.tools, space.angles, space.offsets)
        self._inner = sum(
            (weight * each.inner for weight, each in zip(_each(weights), ends, strict=True)),
            np.zeros(len(space.runs), dtype=np.int64),
        )
        self._with_angle, self._with_offset = (_with(each) for each in (space.angles, space.offsets))

    def start(self) -> _Layer:
        nothing, none = np.zeros(1, dtype=np.int64), np.full(1, NONE)
        done = self._space.begun()
        return _Layer(done, none, none, none, nothing, nothing, nothing, none)

    def next(self, before: _Layer, upper: int | None, going_on: Callable[[], bool]) -> _Layer | None:
        """With one run more, wherever one can be next; None where nothing keeps to ``upper``, or it was given up."""
        found = []
        for run in range(len(self._space.runs)):
            if not going_on():
                return None
            each = self._with_run(before, run)
            if len(each):
                found.append(each)
        if not found:
            return None
        names = before.__dataclass_fields__
        whole = _Layer(*(np.concatenate([getattr(each, name) for each in found]) for name in names))
        whole = whole.of(np.argsort(whole.cost, kind="stable"))
        ids = np.column_stack([whole.tool, whole.offset, whole.angle]).astype(np.int16).view(np.uint8)
        keys = np.ascontiguousarray(np.column_stack([np.packbits(whole.done, axis=1), ids]))
        _, first = np.unique(keys.view(np.dtype((np.void, keys.shape[1]))).ravel(), return_index=True)
        whole = whole.of(np.sort(first))
        whole = replace(whole, least=self._least(whole))
        if upper is None:
            return whole
        keep = whole.least <= upper
        return whole.of(keep) if keep.any() else None

    def _with_run(self, before: _Layer, run: int) -> _Layer:
        """What comes of doing a run next, wherever it can be."""
        at = np.flatnonzero(self._space.can(before.done, run))
        space, weights = self._space, self._weights
        cost, ends = before.cost[at] + self._inner[run], []
        for now, each, weight in (
            (before.tool[at], space.tools, weights.tool),
            (before.angle[at], space.angles, weights.index),
            (before.offset[at], space.offsets, weights.offset),
        ):
            first, last = int(each.first[run]), int(each.last[run])
            if first == NONE:
                ends.append(now)
            else:
                cost = cost + weight * (now != first)
                ends.append(np.full(len(at), last))
        tool, angle, offset = ends
        done = before.done[at]
        done[:, run] = True
        return _Layer(done, tool, offset, angle, cost, cost, at, np.full(len(at), run))

    def _least(self, layer: _Layer) -> Ints:
        """What each costs in the end at least."""
        weights = self._weights
        least: Ints = layer.cost + weights.tool * self._space.left.least(layer.done, layer.tool)
        least = least + weights.index * _least_left(layer.done, layer.angle, self._with_angle)
        return least + weights.offset * _least_left(layer.done, layer.offset, self._with_offset)


def _each(weights: Weights) -> tuple[int, int, int]:
    return weights.tool, weights.index, weights.offset


def _with(ends: Ends) -> Bools:
    """Runs (rows) that begin with each offset or angle (columns)."""
    count = int(max(ends.first.max(), ends.last.max())) + 1
    found: Bools = ends.first[:, None] == np.arange(count)[None, :]
    return found


def _least_left(done: Bools, now: Ints, of_run: Bools) -> Ints:
    """How often an offset or angle is still called at least: once each that is left, but the one that is in."""
    if not of_run.shape[1]:
        return np.zeros(len(done), dtype=np.int64)
    left: Bools = counted_in(~done, of_run) > 0
    is_in = now != NONE
    free = np.zeros(len(done), dtype=np.int64)
    free[is_in] = left[is_in, now[is_in]]
    least: Ints = left.sum(axis=1) - free
    return least
