"""Days at a machine for the tests of its order: the handbook's, random ones, and an exact search written apart."""

from __future__ import annotations

import itertools
from dataclasses import replace

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.scheduling.problem import checked


def station(name, offset, *tasks, **more):
    rows = [{"name": f"t{k}", "tool": tool, "minutes": minutes} for k, (tool, minutes) in enumerate(tasks, start=1)]
    return {"name": name, "offset": offset, "tasks": rows, **more}


#: Chapter 10: the float housing's sides and the shoes.
TUESDAY = {
    "tool_call_s": 9,
    "offset_call_s": 2,
    "index_s": 0,
    "stations": [
        station("A", "G54", ("T1", 4.0), ("T2", 6.5), ("T3", 9.0), ("T5", 1.5)),
        station("B", "G55", ("T1", 2.0), ("T3", 3.5), ("T2", 2.5), ("T6", 1.0)),
        station("C", "G56", ("T2", 5.0), ("T3", 4.0), ("T5", 2.0), ("T6", 1.5)),
    ],
}


def random_day(chance, stations=4, tasks=5, tools=5):
    """Up to so many stations and tasks at each: some free, some turned, some the operator's, some after others."""
    rows, names = [], []
    for k in range(chance.randint(1, stations)):
        mine = [
            (chance.choice([f"T{n}" for n in range(tools)] + [None] * (chance.random() < 0.3)), chance.randint(0, 9))
            for _ in range(chance.randint(1, tasks))
        ]
        more = {"free": True} if chance.random() < 0.2 else {}
        if chance.random() < 0.5:
            more["angle"] = chance.choice((0, 90, 180))
        rows.append(station(f"S{k}", f"G{54 + k // chance.choice((1, 2))}", *mine, **more))
        names += [f"S{k}/t{n}" for n in range(1, len(mine) + 1)]
    # Earlier to later in one order of all, so that nothing waits in a circle.
    pairs = [sorted(chance.sample(range(len(names)), 2)) for _ in range(chance.choice((0, 0, 1, 3)) * (len(names) > 1))]
    costs = {name: chance.randint(0, 20) for name in ("tool_call_s", "offset_call_s", "index_s")}
    return {**costs, "stations": rows, "after": [[names[a], names[b]] for a, b in pairs]}


def exactly(problem):
    """The fewest tool calls, then indexes, then offset calls, by trying what may come next from every state."""
    needs = [sum(1 << each for each in mine) for mine in problem.needs]
    then = {a: b for run in problem.frozen for a, b in itertools.pairwise(run)}
    inner = set(then.values())
    layer = {(0, None, None, None, None): (0, 0, 0)}
    for _ in problem.tasks:
        found = {}
        for (done, last, tool, angle, offset), (tools, indexes, offsets) in layer.items():
            for k, task in enumerate(problem.tasks):
                if (
                    done >> k & 1
                    or needs[k] & ~done
                    or (then.get(last, k) != k)
                    or (k in inner and then.get(last) != k)
                ):
                    continue
                now = tuple(old if new is None else new for new, old in
                            zip((task.tool, task.angle, task.offset), (tool, angle, offset), strict=True))  # fmt: skip
                cost = (tools + (now[0] != tool), indexes + (now[1] != angle), offsets + (now[2] != offset))
                state = (done | 1 << k, k if k in then else None, *now)
                if state not in found or cost < found[state]:
                    found[state] = cost
        layer = found
    return min(layer.values())


def frozen_at_random(chance, problem):
    """With two or three tasks frozen, as far as that can be; itself where it cannot."""
    for _ in range(10):
        run = tuple(sorted(chance.sample(range(len(problem.tasks)), min(len(problem.tasks), chance.randint(2, 3)))))
        try:
            return checked(replace(problem, frozen=(run,))) if len(run) > 1 else problem
        except InvalidValueError:
            continue
    return problem


def shortest_of_all(problem):
    """The shortest time over every order that is allowed, and that among those with the fewest calls (minutes)."""
    best, least = [], []
    for order in itertools.permutations(range(len(problem.tasks))):
        where = {task: k for k, task in enumerate(order)}
        if any(where[each] > where[k] for k in order for each in problem.needs[k]):
            continue
        clock, tool, angle, offset, ends, calls = 0.0, None, None, None, {}, [0, 0, 0]
        for k in order:
            task, costs = problem.tasks[k], problem.costs
            for n, (new, old, s) in enumerate(
                ((task.tool, tool, costs.tool_call_s), (task.angle, angle, costs.index_s),
                 (task.offset, offset, costs.offset_call_s))
            ):  # fmt: skip
                if new is not None and new != old:
                    clock, calls[n] = clock + s / 60.0, calls[n] + 1
            tool, offset = task.tool or tool, task.offset or offset
            angle = angle if task.angle is None else task.angle
            clock = max([clock, *(ends[a] + wait for a, b, wait in problem.waits if b == k)])
            clock += task.minutes
            ends[k] = clock
        best.append(clock)
        least.append((*calls, clock))
    return min(best), min(least)
