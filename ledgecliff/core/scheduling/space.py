"""A problem as arrays, for searches over what is done: many states at a time.

A state is what is done, a row of ``done`` (states, runs), with the tool that is in.  How many tool calls are left at
least is looked up: of one tool as many as the station that calls it most often; of two stations' tools the shortest
common supersequence of theirs (Maier, *The complexity of some problems on subsequences and supersequences*, 1978: any
order of all that is left calls tools in a sequence that has every station's own as a subsequence).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .problem import Problem, Tool

Bools = NDArray[np.bool_]
Ints = NDArray[np.int64]
#: What is not there: no tool, offset or angle.
NONE = -1
#: So many states are counted at once.
_AT_ONCE = 50_000
#: So many places all tables of common sequences have together at most.
_ROOM = 100_000


@dataclass(frozen=True)
class Ends:
    """Of what changes (tools, offsets or angles) the number with which every run begins and ends, and how often it
    changes inside; ``NONE`` where a run has none."""

    first: Ints
    last: Ints
    inner: Ints


class Space:
    """``runs`` of tasks, what each ``needs`` (of runs), and where it begins and ends."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.runs = problem, problem.runs
        of = {task: k for k, run in enumerate(self.runs) for task in run}
        self.needs = [
            sorted({of[each] for task in run for each in problem.needs[task]} - {k}) for k, run in enumerate(self.runs)
        ]
        self.order = _topological(self.needs)
        self.tools = self._ends([task.tool for task in problem.tasks])
        self.offsets = self._ends([task.offset for task in problem.tasks])
        self.angles = self._ends([task.angle for task in problem.tasks])
        self.tool_count = len({task.tool for task in problem.tasks if task.tool is not None})
        #: Runs that one tool does, or none.
        self.is_plain: Bools = (self.tools.first == self.tools.last) & (self.tools.inner == 0)
        self.left = ToolsLeft(self)

    def _ends(self, values: Sequence[object]) -> Ends:
        """Numbers in place of values."""
        numbers = {value: k for k, value in enumerate(dict.fromkeys(each for each in values if each is not None))}
        rows = []
        for run in self.runs:
            mine = [numbers[values[task]] for task in run if values[task] is not None]
            inner = sum(a != b for a, b in itertools.pairwise(mine))
            rows.append((mine[0], mine[-1], inner) if mine else (NONE, NONE, 0))
        first, last, inner_ = np.array(rows, dtype=np.int64).T
        return Ends(first, last, inner_)

    def begun(self) -> Bools:
        """Nothing is done yet: one state."""
        return np.zeros((1, len(self.runs)), dtype=bool)

    def can(self, done: Bools, run: int) -> Bools:
        """In which states a run can be next."""
        may: Bools = ~done[:, run]
        if self.needs[run]:
            may = may & done[:, self.needs[run]].all(axis=1)
        return may

    def closed(self, done: Bools, tool: int) -> Bools:
        """With all done that one tool can do, or nobody needs a tool for."""
        done = done.copy()
        mine = [k for k in self.order if self.is_plain[k] and self.tools.first[k] in (tool, NONE)]
        for k in mine:
            done[:, k] |= self.can(done, k)
        return done


class ToolsLeft:
    """How many tool calls are left at least; tables by how far each station is."""

    def __init__(self, space: Space) -> None:
        problem, count = space.problem, space.tool_count
        run_of = {task: k for k, run in enumerate(space.runs) for task in run}
        used = [task.tool for task in problem.tasks]
        ids: dict[Tool | None, int] = {
            tool: k for k, tool in enumerate(dict.fromkeys(each for each in used if each is not None))
        }
        chains, loose = [], []
        for station in range(len(problem.stations)):
            mine = [k for k, task in enumerate(problem.tasks) if task.station == station and task.tool is not None]
            chain = _chain(problem, mine)
            if chain is None:
                loose += mine
            elif chain:
                chains.append(chain)
        self.count = count
        self.chains = [tuple(ids[problem.tasks[k].tool] for k in chain) for chain in chains]
        # How far a chain is: of its tasks those whose runs are done.
        self.weights = np.zeros((len(space.runs), len(chains)), dtype=np.int64)
        for column, chain in enumerate(chains):
            for task in chain:
                self.weights[run_of[task], column] += 1
        self.loose = np.zeros((len(space.runs), count), dtype=bool)
        for task in loose:
            self.loose[run_of[task], ids[problem.tasks[task].tool]] = True
        self.next_past = [_next_past(chain, count) for chain in self.chains]
        self.calls = [_calls_left(chain, count) for chain in self.chains]
        sizes = [len(chain) + 1 for chain in self.chains]
        self.groups = [
            (group, _common(tuple(self.chains[k] for k in group)), self._others(group))
            for group in _groups(sizes)
        ]  # fmt: skip

    def _others(self, group: tuple[int, ...]) -> Bools:
        """Tools that none of these stations ever calls."""
        others = np.ones(self.count, dtype=bool)
        for k in group:
            others[list(self.chains[k])] = False
        return others

    def least(self, done: Bools, tool: Ints | int) -> Ints:
        """For every state (S,) with the tool that is in, which goes on without a call."""
        places = counted_in(done, self.weights)
        held = np.broadcast_to(np.asarray(tool, dtype=np.int64), (len(done),))
        calls = np.zeros((len(done), self.count), dtype=np.int64)
        if self.loose.any():
            calls = (counted_in(~done, self.loose) > 0).astype(np.int64)
            is_in = held >= 0
            calls[np.flatnonzero(is_in), held[is_in]] = 0
        for column in range(len(self.chains)):
            places[:, column] = self.next_past[column][held, places[:, column]]
            np.maximum(calls, self.calls[column][places[:, column]], out=calls)
        least: Ints = calls.sum(axis=1)
        for group, table, others in self.groups:
            common = table[tuple(places[:, k] for k in group)]
            if others.any():
                common = common + calls[:, others].sum(axis=1)
            np.maximum(least, common, out=least)
        return least


def counted_in(rows: Bools, columns: NDArray[Any]) -> Ints:
    """How much of each column (N, C) the rows (S, N) have; small floats are counted fastest, and are exact here."""
    floats = columns.astype(np.float32)
    parts = [
        (rows[k : k + _AT_ONCE].astype(np.float32) @ floats).astype(np.int64) for k in range(0, len(rows), _AT_ONCE)
    ]
    return np.concatenate(parts) if parts else np.zeros((0, columns.shape[1]), dtype=np.int64)


def _groups(sizes: Sequence[int]) -> list[tuple[int, ...]]:
    """Stations three at a time, or two, as long as all their tables together have room."""
    for count in (3, 2):
        groups = list(itertools.combinations(range(len(sizes)), count))
        if groups and sum(math.prod(sizes[k] for k in group) for group in groups) <= _ROOM:
            return groups
    return []


def _next_past(chain: tuple[int, ...], count: int) -> Ints:
    """Where a chain is once the tool that is in has done what it can at once; the last row is for no tool."""
    table = np.tile(np.arange(len(chain) + 1), (count + 1, 1))
    for tool in range(count):
        for k in range(len(chain) - 1, -1, -1):
            if chain[k] == tool:
                table[tool, k] = table[tool, k + 1]
    return table


def _calls_left(chain: tuple[int, ...], count: int) -> Ints:
    """How often the rest of a chain calls each tool."""
    table = np.zeros((len(chain) + 1, count), dtype=np.int64)
    for k in range(len(chain) - 1, -1, -1):
        table[k] = table[k + 1]
        if k + 1 == len(chain) or chain[k + 1] != chain[k]:
            table[k, chain[k]] += 1
    return table


@lru_cache(maxsize=512)
def _common(chains: tuple[tuple[int, ...], ...]) -> Ints:
    """The length of the shortest common supersequence of what is left of chains, runs of one tool counted once."""
    shape = tuple(len(chain) + 1 for chain in chains)
    table = np.zeros(shape, dtype=np.int64)
    for places in itertools.product(*(range(size - 1, -1, -1) for size in shape)):
        tools = {chain[k] for chain, k in zip(chains, places, strict=True) if k < len(chain)}
        best = 0
        for tool in tools:
            then = tuple(_past(chain, k, tool) for chain, k in zip(chains, places, strict=True))
            calls = 1 + int(table[then])
            best = calls if best == 0 else min(best, calls)
        table[places] = best
    return table


def _past(chain: tuple[int, ...], k: int, tool: int) -> int:
    while k < len(chain) and chain[k] == tool:
        k += 1
    return k


def _chain(problem: Problem, tasks: list[int]) -> list[int] | None:
    """Tasks in the order in which they must come; None where they need not come in one."""
    within: dict[int, int] = {}
    for task in tasks:
        within[task] = len(_all_before(problem, task) & set(tasks))
    chain = sorted(tasks, key=lambda task: within[task])
    return chain if [within[task] for task in chain] == list(range(len(chain))) else None


def _all_before(problem: Problem, task: int) -> set[int]:
    found, open_ = set[int](), [task]
    while open_:
        for each in problem.needs[open_.pop()]:
            if each not in found:
                found.add(each)
                open_.append(each)
    return found


def _topological(needs: list[list[int]]) -> list[int]:
    """Runs so that each comes after what it needs."""
    done, order = set[int](), list[int]()
    while len(order) < len(needs):
        can = [k for k in range(len(needs)) if k not in done and all(each in done for each in needs[k])]
        order += can
        done |= set(can)
    return order
