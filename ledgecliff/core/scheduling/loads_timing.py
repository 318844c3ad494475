"""When the steps of loads are cut, one after the other on one machine, and what comes into the magazine for each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .backlog import Backlog, JobStep, Load, Split, tools_of
from .problem import Tool

#: Times that differ by less are the same (minutes).
_SAME = 1e-9


def timed(backlog: Backlog, loads: Sequence[Sequence[JobStep]], begins: Mapping[int, float] | None = None) -> Split:
    """Loads one after the other, each with its steps in the order in which they are given; its bounds are the least
    that can be said.

    Each step is cut as soon as it can be.  Where a load would last too long so, since its first one could be cut long
    before the others, it begins later: as ``begins`` says of it, or when the first one can be cut at latest.
    """
    new = _brought_in(backlog, loads)
    now, ends, found = 0.0, dict[JobStep, float](), list[Load]()
    for number, steps in enumerate(loads):
        start = now + (backlog.room.between if number else 0.0)
        starts = _starts(backlog, steps, start, ends)
        if steps and ends[steps[-1]] - starts[0] > backlog.room.minutes + _SAME:
            later = start + _begins_at(backlog, steps) if begins is None else begins[number]
            starts = _starts(backlog, steps, max(start, later), ends)
        start = min(starts, default=start)
        now = max((ends[step] for step in steps), default=start)
        found.append(Load(tuple(steps), starts, new[number], start, now))
    out = {k: load.end for load in found for k, _ in load.steps}
    late = sum(max(out[k] - job.due, 0.0) for k, job in enumerate(backlog.jobs) if job.due is not None)
    every = tools_of(backlog, [(k, n) for k, job in enumerate(backlog.jobs) for n in range(len(job.steps))])
    return Split(tuple(found), sum(map(len, new)), late, 1, len(every), 0.0, proven=False)


def _starts(backlog: Backlog, steps: Sequence[JobStep], start: float, ends: dict[JobStep, float]) -> tuple[float, ...]:
    """Each as soon as the one before is cut, and its own job's last one long enough; ``ends`` hears of each."""
    now, starts = start, list[float]()
    for k, n in steps:
        step = backlog.jobs[k].steps[n]
        now = max(now, (ends[k, n - 1] if n else 0.0) + step.wait)
        starts.append(now)
        now += step.minutes
        ends[k, n] = now
    return tuple(starts)


def in_good_order(backlog: Backlog, steps: Sequence[JobStep]) -> tuple[JobStep, ...]:
    """The steps of one load so that waits are bridged: of what can begin first that after which most is to come.

    A step whose job was begun in another load comes as late as it may have to wait for that.
    """
    left, order = sorted(steps), list[JobStep]()
    inside = frozenset(steps)
    now, ready = (
        0.0,
        {(k, n): _since_another_load(backlog, k, n) for k, n in steps if not n or (k, n - 1) not in inside},
    )
    while left:
        soon = [each for each in left if each in ready]
        can = [each for each in soon if ready[each] <= now + _SAME]
        if not can:
            now = min(ready[each] for each in soon)
            continue
        best = max(can, key=lambda each: (_after(backlog, each, inside), -each[0], -each[1]))
        left.remove(best)
        order.append(best)
        now += backlog.jobs[best[0]].steps[best[1]].minutes
        then = (best[0], best[1] + 1)
        if then in inside:
            ready[then] = now + backlog.jobs[then[0]].steps[then[1]].wait
    return tuple(order)


def _since_another_load(backlog: Backlog, k: int, n: int) -> float:
    """How long after a load's start a step can have to wait at most: for what was cut in the load before, or for the
    beginning of all."""
    wait = backlog.jobs[k].steps[n].wait
    return max(wait - backlog.room.between, 0.0) if n else wait


def _after(backlog: Backlog, step: JobStep, inside: frozenset[JobStep]) -> float:
    """What of its job follows in the same load: waits and cutting."""
    k, n = step
    total = 0.0
    while (k, n + 1) in inside:
        n += 1
        total += backlog.jobs[k].steps[n].wait + backlog.jobs[k].steps[n].minutes
    return total


def length_of(backlog: Backlog, steps: Sequence[JobStep]) -> float:
    """How long a load of these steps takes at most from its first cut on, in a good order."""
    order = in_good_order(backlog, steps)
    return _at_latest(backlog, order)[1] - _begins_at(backlog, order)


def _begins_at(backlog: Backlog, order: Sequence[JobStep]) -> float:
    return _at_latest(backlog, order[:1])[0]


def _at_latest(backlog: Backlog, order: Sequence[JobStep]) -> tuple[float, float]:
    """When the last of some steps is begun and cut, from when the load could begin: waits for other loads in full."""
    start, now, ends = 0.0, 0.0, dict[JobStep, float]()
    for k, n in order:
        step = backlog.jobs[k].steps[n]
        start = max(now, ends[k, n - 1] + step.wait if (k, n - 1) in ends else _since_another_load(backlog, k, n))
        now = ends[k, n] = start + step.minutes
    return start, now


def filled(backlog: Backlog) -> list[tuple[JobStep, ...]]:
    """Jobs by due date, each into the first load that has room: a beginning, in which only what is frozen may find
    none."""
    jobs = backlog.jobs
    order = sorted(range(len(jobs)), key=lambda k: (jobs[k].due is None, jobs[k].due or 0.0, k))
    order.sort(key=lambda k: len(jobs) if (load := jobs[k].load) is None else load)
    loads: list[list[JobStep]] = []
    for k in order:
        at, earliest = jobs[k].load, 0
        for n in range(len(jobs[k].steps)):
            load = earliest if at is None else at
            while True:
                while len(loads) <= load:
                    loads.append([])
                if at is not None or has_room(backlog, [*loads[load], (k, n)]):
                    break
                load += 1
            loads[load].append((k, n))
            earliest = load
    return [in_good_order(backlog, steps) for steps in loads if steps or backlog.frozen]


def has_room(backlog: Backlog, steps: Sequence[JobStep]) -> bool:
    room, jobs = backlog.room, {k for k, _ in steps}
    of_kind: dict[str, int] = {}
    for k in jobs:
        job = backlog.jobs[k]
        of_kind[job.kind] = of_kind.get(job.kind, 0) + job.stations
    return (
        all(count <= room.stations.get(kind, 0) for kind, count in of_kind.items())
        and sum(backlog.jobs[k].offsets for k in jobs) <= room.offsets
        and len(tools_of(backlog, steps)) <= room.pockets
        and length_of(backlog, steps) <= room.minutes + _SAME
    )


def _brought_in(backlog: Backlog, loads: Sequence[Sequence[JobStep]]) -> list[tuple[Tool, ...]]:
    """Tools that come in for each load.  What has to leave is what is needed again last of all (Belady, *A study of
    replacement algorithms for a virtual-storage computer*, 1966), which changes the fewest."""
    needs = [tools_of(backlog, steps) for steps in loads]
    there: set[Tool] = set()
    found: list[tuple[Tool, ...]] = []
    for number, mine in enumerate(needs):
        found.append(tuple(sorted(mine - there, key=str)))
        there |= mine
        while len(there) > backlog.room.pockets:
            again = _needed_again(there - mine, needs, number)
            if not again:
                break  # more than the magazine has: what is frozen has no room
            there.remove(max(sorted(again, key=str), key=lambda tool: again[tool]))
    return found


def _needed_again(tools: set[Tool], needs: Sequence[frozenset[Tool]], number: int) -> Mapping[Tool, int]:
    """In which later load each is needed again; after all of them where it is not."""
    return {tool: next((k for k in range(number + 1, len(needs)) if tool in needs[k]), len(needs)) for tool in tools}
