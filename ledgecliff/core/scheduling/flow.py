"""Flow or batch: all parts one side after the other, or all sides beside each other so that every cycle ends a part.

Times in minutes (docs/methods/flow-and-loads.md).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

#: Who loads: the operator between cycles, or a robot or pallet while the machine cuts.
Loading = Literal["inside", "outside"]
What = Literal["set up", "load", "cycle"]


@dataclass(frozen=True)
class Side:
    """One side of a part: what is cut on it, and how many tool calls it takes by itself."""

    name: str
    minutes: float
    tool_calls: int


@dataclass(frozen=True)
class Times:
    """A tool call; probing and loading of a part on one side; setting a side up once."""

    tool_call: float
    probing: float
    loading: float
    setting_up: float
    loads: Loading = "inside"


@dataclass(frozen=True)
class Span:
    """What is done from when to when, on which ``sides`` (from 0); ``parts`` are in work meanwhile."""

    what: What
    sides: tuple[int, ...]
    start: float
    end: float
    parts: int


@dataclass(frozen=True)
class Way:
    """One of the two ways: its spans, when the first part is finished, how many are in work at most, and what a part
    costs that fails on each side (until as many are good)."""

    spans: tuple[Span, ...]
    first_part: float
    in_work: int
    fails: tuple[float, ...]

    @property
    def minutes(self) -> float:
        return self.spans[-1].end

    @property
    def cycles(self) -> tuple[float, ...]:
        """How long each lasts, in their order."""
        return tuple(span.end - span.start for span in self.spans if span.what == "cycle")


@dataclass(frozen=True)
class FlowAsked:
    """How many parts with which sides; ``together`` says how many tool calls the sides of a cycle (from 0) take."""

    parts: int
    sides: tuple[Side, ...]
    times: Times
    together: Callable[[tuple[int, ...]], int]

    def ways(self) -> dict[str, Way]:
        """Both ways by what they are called."""
        return {
            "batch": batch(self.parts, self.sides, self.times),
            "flow": flow(self.parts, self.sides, self.times, self.together),
        }


def batch(parts: int, sides: Sequence[Side], times: Times) -> Way:
    """All parts on the first side, then all on the second.

    A part that fails on a later side needs the earlier ones again, each set up anew, and then its own.
    """
    day = _Day(times)
    first_part = 0.0
    for k, side in enumerate(sides):
        day.add("set up", (k,), times.setting_up, parts if k else 0)
        for n in range(parts):
            # Those that are begun, without those that are finished.
            in_work = (parts if k else n + 1) - (n if k + 1 == len(sides) else 0)
            day.cycle((k,), _cut(side.minutes, side.tool_calls, 1, times), 1, 0 if n + 1 == parts else 1, in_work)
            if k + 1 == len(sides) and n == 0:
                first_part = day.now
    each = [_cycle(_cut(side.minutes, side.tool_calls, 1, times), 1, times) for side in sides]
    fails = [
        each[k] if k == 0 else sum(times.setting_up + minutes for minutes in each[: k + 1]) for k in range(len(sides))
    ]
    return Way(tuple(day.spans), first_part, max(span.parts for span in day.spans), tuple(fails))


def flow(parts: int, sides: Sequence[Side], times: Times, together: Callable[[tuple[int, ...]], int]) -> Way:
    """All sides beside each other: a part goes on by one side a cycle, the first and last cycles are partial.

    ``together`` says how many tool calls the sides of a cycle take.  A part that fails costs one cycle more.
    """
    day = _Day(times)
    day.add("set up", tuple(range(len(sides))), times.setting_up * len(sides), 0)
    first_part, count = 0.0, parts + len(sides) - 1
    cycles = [tuple(k for k in range(len(sides)) if 0 <= n - k < parts) for n in range(count)]
    for n, at in enumerate(cycles):
        cut = _cut(sum(sides[k].minutes for k in at), together(at), len(at), times)
        day.cycle(at, cut, len(at), len(cycles[n + 1]) if n + 1 < count else 0, len(at))
        if n == len(sides) - 1:
            first_part = day.now
    whole = tuple(range(len(sides)))
    more = _cycle(_cut(sum(side.minutes for side in sides), together(whole), len(sides), times), len(sides), times)
    return Way(tuple(day.spans), first_part, min(parts, len(sides)), (more,) * len(sides))


def _cut(minutes: float, tool_calls: int, parts: int, times: Times) -> float:
    """How long the machine is busy with some parts."""
    return minutes + tool_calls * times.tool_call + parts * times.probing


def _cycle(cut: float, parts: int, times: Times) -> float:
    """A cycle among others: who loads outside is done when the machine is, or it waits for them."""
    loading = parts * times.loading
    return cut + loading if times.loads == "inside" else max(cut, loading)


class _Day:
    """Spans one after the other."""

    def __init__(self, times: Times) -> None:
        self._times, self.now, self.spans = times, 0.0, list[Span]()
        self._loaded = False

    def add(self, what: What, sides: tuple[int, ...], minutes: float, parts: int) -> None:
        self.spans.append(Span(what, sides, self.now, self.now + minutes, parts))
        self.now += minutes
        self._loaded = False

    def cycle(self, sides: tuple[int, ...], cut: float, parts: int, following: int, in_work: int) -> None:
        """Some parts are cut; those of the following cycle are loaded meanwhile where that is done outside."""
        times = self._times
        if times.loads == "inside":
            self.add("cycle", sides, cut + parts * times.loading, in_work)
            return
        if not self._loaded:
            self.add("load", sides, parts * times.loading, in_work)
        self.add("cycle", sides, max(cut, following * times.loading), in_work)
        self._loaded = following > 0
