"""The fewest tool calls, proven: everything that a tool can do is done while it is in.

To do more with the tool that is in never costs a call later, so only states where it can do nothing more are looked at,
call by call.  With one call more allowed each time, the first number with which all can be done is the least; where the
states are too many, what has been proven until then is a bound.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from .space import NONE, Bools, Ints, Space

#: More states at a time are not looked at when proving (of days with so many tasks; of longer ones fewer), and when
#: only a good order is wanted.
_OF_TASKS = 60
MOST_STATES, A_FEW, A_HANDFUL = 400_000, 400, 12


@dataclass(frozen=True)
class Fewest:
    """No order has fewer than ``bound`` tool calls; ``tasks`` is one with ``found``."""

    bound: int
    found: int
    tasks: tuple[int, ...]

    @property
    def proven(self) -> bool:
        return self.bound == self.found


def few_tool_calls(space: Space, going_on: Callable[[int], bool] = lambda _calls: True) -> Fewest:
    """An order with few tool calls, found at once: of all states only those that promise most, first a handful, then
    as long as it may go on some more."""
    search = _Search(space)
    calls = search.of_a_few(A_HANDFUL, lambda _calls: True)
    assert calls is not None, "nothing has it given up"
    found = Fewest(search.least, calls, search.order_with(calls))
    search = _Search(space)
    more = search.of_a_few(A_FEW, going_on)
    return found if more is None or more >= calls else Fewest(search.least, more, search.order_with(more))


def fewest_tool_calls(space: Space, known: Fewest, going_on: Callable[[int], bool], most: int = MOST_STATES) -> Fewest:
    """The fewest tool calls, from a ``known`` order; ``going_on`` is told the bound as it rises, and says whether to go
    on."""
    bound = known.bound
    while bound < known.found and going_on(bound):
        search = _Search(space)
        reached = search.can_with(bound, most, going_on)
        if reached is None:
            break
        if reached:
            return Fewest(bound, bound, search.order_with(bound))
        bound += 1
    return Fewest(bound, known.found, known.tasks)


@dataclass(frozen=True, eq=False)
class _States:
    """States (S, runs) with the tool that is in each (S,), and the call and state (S,) that each came from."""

    done: Bools
    tool: Ints
    calls_before: Ints
    parent: Ints

    def __len__(self) -> int:
        return len(self.done)

    def of(self, which: Any) -> _States:
        return _States(self.done[which], self.tool[which], self.calls_before[which], self.parent[which])


class _Search:
    """States by how many tools have been called."""

    def __init__(self, space: Space) -> None:
        self._space = space
        nothing = np.array([NONE])
        start = _States(space.closed(space.begun(), NONE), nothing, nothing, nothing)
        self.least = int(space.left.least(start.done, start.tool).min())
        self._layers: dict[int, _States] = {0: start}

    def can_with(self, calls: int, most: int, going_on: Callable[[int], bool]) -> bool | None:
        """Whether all can be done with so many tool calls; None where that was given up."""
        for depth in range(calls + 1):
            states = self._layers.get(depth)
            if states is None:
                continue
            if states.done.all(axis=1).any():
                return True
            if len(states) * len(self._space.runs) > most * _OF_TASKS or not going_on(calls):
                return None
            for inner, then in self._called(states, depth):
                if not going_on(calls):
                    return None
                keep = depth + inner + self._space.left.least(then.done, then.tool) <= calls
                if keep.any():
                    self._add(depth + inner, then.of(keep))
        return False

    def of_a_few(self, width: int, going_on: Callable[[int], bool]) -> int | None:
        """With how many calls all is done, of only the states that promise most; None where that was given up."""
        depth = 0
        while going_on(depth):
            states = self._layers.get(depth)
            if states is not None:
                if states.done.all(axis=1).any():
                    return depth
                least = self._space.left.least(states.done, states.tool)
                best = np.lexsort((-states.done.sum(axis=1), least))[:width]
                states = self._layers[depth] = states.of(best)
                for inner, then in self._called(states, depth):
                    if not going_on(depth):
                        return None
                    self._add(depth + inner, then)
            depth += 1
        return None

    def order_with(self, calls: int) -> tuple[int, ...]:
        """Tasks of a way to where all is done; with one tool station after station, as far as they may."""
        space, way = self._space, list[tuple[Bools, int]]()
        depth, at = calls, int(np.flatnonzero(self._layers[calls].done.all(axis=1))[0])
        while depth >= 0:
            states = self._layers[depth]
            way.append((states.done[at], depth))
            depth, at = int(states.calls_before[at]), int(states.parent[at])
        before, tasks, station = np.zeros(len(space.runs), dtype=bool), list[int](), NONE
        for done, _ in reversed(way):
            # A frozen run of several tools comes first: the others are done with the tool that it ends with.
            left = sorted(
                (run for run in space.order if done[run] and not before[run]), key=lambda run: space.is_plain[run]
            )
            now = before.copy()
            while left:
                can = [run for run in left if all(now[each] for each in space.needs[run])]
                beside = can if space.is_plain[can[0]] else []
                run = next((each for each in beside if self._station(each, 0) == station), can[0])
                tasks += space.runs[run]
                station = self._station(run, -1)
                now[run] = True
                left.remove(run)
            before = done
        return tuple(tasks)

    def _station(self, run: int, end: int) -> int:
        return self._space.problem.tasks[self._space.runs[run][end]].station

    def _called(self, states: _States, depth: int) -> Iterator[tuple[int, _States]]:
        """What comes of calling each tool and doing all that it can: with how many calls, and the states then."""
        space = self._space

        def after(done: Bools, tool: int, mine: Bools) -> _States:
            at = np.flatnonzero(mine)
            return _States(done, np.full(len(at), tool), np.full(len(at), depth), at)

        for tool in range(space.tool_count):
            done = space.closed(states.done, tool)
            more = (done != states.done).any(axis=1)
            if more.any():
                yield 1, after(done[more], tool, more)
        for run in np.flatnonzero(~space.is_plain).tolist():
            may = space.can(states.done, run)
            held = states.tool == space.tools.first[run]
            for is_in in (True, False):
                mine = may & (held == is_in)
                if mine.any():
                    done, last = states.done[mine].copy(), int(space.tools.last[run])
                    done[:, run] = True
                    calls = int(space.tools.inner[run]) + (0 if is_in else 1)
                    yield calls, after(space.closed(done, last), last, mine)

    def _add(self, depth: int, more: _States) -> None:
        """With what is there already, each state once."""
        there = self._layers.get(depth)
        if there is not None:
            more = _States(
                np.concatenate([there.done, more.done]), np.concatenate([there.tool, more.tool]),
                np.concatenate([there.calls_before, more.calls_before]), np.concatenate([there.parent, more.parent]),
            )  # fmt: skip
        keys = np.column_stack([np.packbits(more.done, axis=1), more.tool.astype(np.int16)[:, None].view(np.uint8)])
        keys = np.ascontiguousarray(keys)
        _, first = np.unique(keys.view(np.dtype((np.void, keys.shape[1]))).ravel(), return_index=True)
        self._layers[depth] = more.of(np.sort(first))
