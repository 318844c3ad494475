"""A job of a run that is made many times: its sides, and both ways to make it in words."""

from __future__ import annotations

from collections.abc import Mapping

from ..errors import InvalidValueError
from ..model.identity import Id
from ..model.run import Run, RunJob, RunStation
from ..scheduling.flow import FlowAsked, Side, Times, Way
from ..scheduling.flow_reading import counted_sides
from .posting import clock_words
from .tasks import problem_of

#: Times that differ by less are told as the same (minutes).
_SAME = 0.05
#: What both ways are called.
WAYS = {"batch": "Batch by side", "flow": "Flow"}


def many_of(run: Run) -> tuple[RunJob, ...]:
    """The jobs of a run, those of several sides first."""
    return tuple(sorted(run.jobs, key=lambda each: len(_sides(run, each.job)) < 2))


def _sides(run: Run, job: Id) -> list[RunStation]:
    """A station for each of its setups, as the run has them."""
    first: dict[Id, RunStation] = {}
    for station in run.stations:
        if station.job == job:
            first.setdefault(station.setup, station)
    return list(first.values())


def flow_of_run(run: Run, job: Id) -> FlowAsked:
    """Of one part at a time on each side, whatever is done of it today.

    Raises InvalidValueError where the run has nothing of the job, or one tool number means two tools.
    """
    stations = _sides(run, job)
    if not stations:
        raise InvalidValueError("job", "has no station in this run; load a setup of it")
    there = {each.id for each in stations}
    cut = tuple(each for each in run.stations if each.id in there)
    only = run.model_copy(
        update={"stations": cut, "actions": (), "after": (), "frozen": (), "done": (), "rough_first": False}
    )
    sides, together = counted_sides(problem_of(only).problem)
    many = run.many
    times = Times(run.tool_call_s / 60.0, many.probing, many.loading, many.setting_up, many.loads)
    return FlowAsked(many.parts, sides, times, together)


def way_words(name: str, way: Way) -> str:
    cycles = (
        f"the first cycle {way.cycles[0]:.1f}, the longest {max(way.cycles):.1f}, the last {way.cycles[-1]:.1f} min"
    )
    first = f"the first part is finished after {clock_words(way.first_part)}"
    return f"{WAYS[name]}: {way.minutes:.1f} min in all, {first}, up to {way.in_work} in work; {cycles}."


def fails_words(sides: tuple[Side, ...], way: Way) -> str:
    costs = ", ".join(f"on {side.name} {cost:.1f}" for side, cost in zip(sides, way.fails, strict=True))
    return f"A part that fails costs so many minutes more: {costs}."


def compared_ways(ways: Mapping[str, Way]) -> str:
    """Which is done sooner, and which has the first part earlier."""
    batch, flow = ways["batch"], ways["flow"]
    by, early = batch.minutes - flow.minutes, batch.first_part - flow.first_part
    done = f"{WAYS['flow' if by > 0.0 else 'batch']} is done {abs(by):.1f} min sooner"
    first = f"{WAYS['flow' if early > 0.0 else 'batch'].lower()} has the first part {clock_words(abs(early))} earlier"
    done = done if abs(by) >= _SAME else "Both take as long"
    return f"{done}; {first if abs(early) >= _SAME else 'both have the first part at one time'}."


def flow_words(asked: FlowAsked) -> list[str]:
    """Both ways, and what each costs."""
    ways, sides = asked.ways(), asked.sides
    cuts = ", ".join(f"{side.name} {side.minutes:g} min with {side.tool_calls} tool calls" for side in sides)
    both = asked.together(tuple(range(len(sides))))
    each = [line for name, way in ways.items() for line in (way_words(name, way), fails_words(sides, way))]
    return [f"{cuts}; {both} tool calls with all sides in one cycle.", compared_ways(ways), *each]
