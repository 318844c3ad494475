"""The order of a day: the fewest tool calls, indexes and offset calls, then the shortest time; or by time alone.

An exact search over what is done finds and proves it as long as its states have room.  Where it runs out of that, or
the machine may have to wait, a constraint solver goes on from the best that is known.  What is not proven has a bound.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

from .best_order import A_FEW, Best, Weights, best_order, proving_width
from .counting import Order, busy_minutes, counted, idle_minutes, station_after_station
from .critical_path import longest_first, longest_ways
from .problem import Problem
from .solver import Stopper, solved
from .space import NONE, Space
from .tidying import tidied
from .tool_calls import few_tool_calls, fewest_tool_calls

By = Literal["lexicographic", "time"]
#: The share of the time after which the proof of the fewest tool calls is given up, a search over a few states, and
#: that over all.
_TOOLS_UNTIL, _FEW_UNTIL, _EXACT_UNTIL = 0.4, 0.6, 0.9
#: With more tasks the solver's model is too large to be of use.
_SOLVABLE = 120
#: Times that differ by less are the same (minutes).
_SAME = 1e-7


@dataclass(frozen=True)
class Bound:
    """What no order is below: tool calls, and time (minutes)."""

    tool_calls: int
    minutes: float


@dataclass(frozen=True)
class Ordered:
    """The best order found, against the ``naive`` one, station after station.

    ``proven`` says that no order has fewer tool calls (by time: takes less); ``all_proven`` that none is better by
    anything that counts.
    """

    order: Order
    naive: Order
    bound: Bound
    proven: bool = False
    all_proven: bool = False


def put_in_order(
    problem: Problem,
    seconds: float,
    clock: Callable[[], float],
    *,
    by: By = "lexicographic",
    stopper: Stopper | None = None,
    told: Callable[[Ordered], None] = lambda _ordered: None,
) -> Ordered:
    """The best order that is found in about so many ``seconds`` of a ``clock``; stopped, what was found until then.
    ``told`` hears of it as it gets better or its bound rises."""
    day = _Day(problem, seconds, clock, by, stopper or Stopper(), told)
    if by == "time":
        day.by_time()
    else:
        day.by_calls()
    return day.now


class _Day:
    """An order while it gets better."""

    def __init__(
        self,
        problem: Problem,
        seconds: float,
        clock: Callable[[], float],
        by: By,
        stopper: Stopper,
        told: Callable[[Ordered], None],
    ) -> None:
        self._problem, self._by, self._stopper, self._told = problem, by, stopper, told
        self._seconds, self._clock, self._begun = seconds, clock, clock()
        self._space = Space(problem)
        naive = station_after_station(problem)
        least = int(self._space.left.least(self._space.begun(), NONE).min())
        self._tell(Ordered(naive, naive, Bound(least, self._least_minutes(least))))

    def _least_minutes(self, tool_calls: int) -> float:
        """All that is cut, so many tool calls, and each offset and angle at least once; or the longest way, waits and
        all."""
        tasks, costs = self._problem.tasks, self._problem.costs
        offsets = len({task.offset for task in tasks if task.offset is not None})
        angles = len({task.angle for task in tasks if task.angle is not None})
        calls = tool_calls * costs.tool_call_s + offsets * costs.offset_call_s + angles * costs.index_s
        return max(self._problem.work_minutes + calls / 60.0, *longest_ways(self._problem))

    def by_calls(self) -> None:
        weights = Weights.lexicographic(self._problem)
        whole = self._by_counts(weights)
        proven = whole is not None and whole.proven
        if proven:
            self._bound(tool_calls=self.now.order.tool_calls)
        elif self._left() > 0.0:
            found = solved(self._space, self.now.order, self._left(), weights=weights, stopper=self._stopper)
            self._better(found.order)
            self._bound(tool_calls=-(-found.bound // weights.tool))
            proven = found.proven
        if proven and idle_minutes(self._problem, self.now.order) > _SAME and self._left() > 0.0:
            found = solved(
                self._space, self.now.order, self._left(), keeping=self.now.order.counts[:3], stopper=self._stopper,
                told=lambda order, _bound: self._better(order),
            )  # fmt: skip
            self._better(found.order)
            proven = found.proven
        elif idle_minutes(self._problem, self.now.order) > _SAME:
            proven = False
        self._tell(replace(self.now, all_proven=proven))

    def by_time(self) -> None:
        weights = Weights.by_time(self._problem)
        for tasks in longest_first(self._problem, self._until(_TOOLS_UNTIL)):
            self._better(counted(self._problem, tasks))
        whole = self._by_counts(weights)
        if whole is not None and whole.proven:
            # Without any waiting none is shorter than this.
            self._bound(minutes=self._problem.work_minutes + _calls_minutes(self._problem, whole))
        if not self.now.proven and self._left() > 0.0:
            found = solved(
                self._space, self.now.order, self._left(), stopper=self._stopper,
                told=lambda order, _bound: self._better(order),
            )  # fmt: skip
            self._better(found.order)
            self._bound(minutes=self.now.order.minutes if found.proven else found.bound / 60_000.0)
        self._tell(replace(self.now, all_proven=self.now.proven))

    def _by_counts(self, weights: Weights) -> Best | None:
        """The fewest tool calls, then the best by weights over a few states, and over all: that last one, if found."""
        few = few_tool_calls(self._space, self._until(_TOOLS_UNTIL))
        self._better(counted(self._problem, few.tasks))
        fewest = fewest_tool_calls(self._space, few, self._until(_TOOLS_UNTIL))
        self._better(counted(self._problem, fewest.tasks))
        self._bound(tool_calls=fewest.bound, minutes=self._least_minutes(fewest.bound))
        upper = _cost(self.now.order, weights)
        self._take(best_order(self._space, weights, A_FEW, upper, self._until(_FEW_UNTIL)))
        upper = _cost(self.now.order, weights)
        whole = best_order(self._space, weights, proving_width(self._space), upper, self._until(_EXACT_UNTIL))
        self._take(whole)
        return whole

    # --- what is known now ---------------------------------------------------------------------

    def _tell(self, now: Ordered) -> None:
        self.now = now
        self._told(now)

    def _take(self, found: Best | None) -> None:
        if found is not None:
            self._better(counted(self._problem, found.tasks))

    def _better(self, order: Order) -> None:
        """Takes an order that is better than the one known."""
        old, new = self.now.order, order
        if self._by == "time":
            better = new.minutes < old.minutes - _SAME
        else:
            shorter = new.counts[:3] == old.counts[:3] and new.minutes < old.minutes - _SAME
            better = new.counts[:3] < old.counts[:3] or shorter
        if better:
            self._tell(self._judged(replace(self.now, order=tidied(self._problem, order))))

    def _bound(self, tool_calls: int = 0, minutes: float = 0.0) -> None:
        """Takes a bound where it is higher than the one known."""
        bound = Bound(max(self.now.bound.tool_calls, tool_calls), max(self.now.bound.minutes, minutes))
        self._tell(self._judged(replace(self.now, bound=bound)))

    def _judged(self, now: Ordered) -> Ordered:
        if self._by == "time":
            return replace(now, proven=now.order.minutes <= now.bound.minutes + _SAME)
        return replace(now, proven=now.order.tool_calls == now.bound.tool_calls)

    # --- time ----------------------------------------------------------------------------------

    def _left(self) -> float:
        """For the solver."""
        if self._stopper.stopped or len(self._problem.tasks) > _SOLVABLE:
            return 0.0
        return self._begun + self._seconds - self._clock()

    def _until(self, share: float) -> Callable[[int], bool]:
        """Whether to go on until that share of the time."""
        end = self._begun + share * self._seconds
        return lambda _state: not self._stopper.stopped and self._clock() < end


def _cost(order: Order, weights: Weights) -> int:
    return order.tool_calls * weights.tool + order.indexes * weights.index + order.offset_calls * weights.offset


def _calls_minutes(problem: Problem, found: Best) -> float:
    return busy_minutes(problem, counted(problem, found.tasks)) - problem.work_minutes
