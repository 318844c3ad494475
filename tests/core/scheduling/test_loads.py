"""A backlog in loads: what each load has room for, against every way to split small ones; waits; what is frozen."""

from __future__ import annotations

import itertools
import random
import time
import unittest
from dataclasses import replace

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.scheduling.backlog import Backlog, BacklogJob, Room, Step, checked_backlog
from ledgecliff.core.scheduling.loads import split
from ledgecliff.core.scheduling.loads_timing import filled, timed
from ledgecliff.core.scheduling.solver import Stopper
from tests.draws import draws

ROOM = Room({"vise": 2, "plate": 1}, pockets=6, offsets=4, minutes=240.0, between=15.0)


def job(name, minutes=60.0, tools=("T1",), kind="vise", **more):
    return BacklogJob(name, kind, (Step(minutes, tuple(tools)),), **more)


def loads_of(backlog, seconds=20.0):
    return split(checked_backlog(backlog), seconds, time.monotonic)


def names(backlog, found):
    return [{backlog.jobs[k].name for k, _ in load.steps} for load in found.loads]


def random_backlog(chance, jobs):
    made = tuple(
        job(f"J{k}", float(chance.randint(10, 110)),
            chance.sample([f"T{n}" for n in range(1, 6)], chance.randint(1, 3)),
            chance.choice(("vise", "vise", "plate")), due=chance.choice((None, 120.0, 300.0)))
        for k in range(jobs)
    )  # fmt: skip
    return Backlog(made, replace(ROOM, pockets=chance.randint(3, 5), minutes=float(chance.choice((120, 180)))))


def best_of_all(backlog):
    """The fewest loads, then tools changed, then minutes late, over every way to put jobs into loads in any order."""
    jobs, room, best = backlog.jobs, backlog.room, None
    for where in itertools.product(range(len(jobs)), repeat=len(jobs)):
        count = max(where) + 1
        if set(where) != set(range(count)) or (best is not None and count > best[0]):
            continue
        loads = [[each for each, at in zip(jobs, where, strict=True) if at == load] for load in range(count)]
        if any(
            sum(each.minutes for each in mine) > room.minutes
            or sum(each.offsets for each in mine) > room.offsets
            or len({tool for each in mine for tool in each.tools}) > room.pockets
            or any(sum(each.kind == kind for each in mine) > have for kind, have in room.stations.items())
            for mine in loads
        ):
            continue
        states = {frozenset(): 0}
        for mine in loads:
            needed, then = frozenset(tool for each in mine for tool in each.tools), {}
            for there, changes in states.items():
                kept = there - needed
                for keep in itertools.combinations(sorted(kept), min(len(kept), room.pockets - len(needed))):
                    key, cost = needed | set(keep), changes + len(needed - there)
                    then[key] = min(then.get(key, 99), cost)
            states = then
        clock, late = 0.0, 0.0
        for number, mine in enumerate(loads):
            clock += sum(each.minutes for each in mine) + (room.between if number else 0.0)
            late += sum(max(clock - each.due, 0.0) for each in mine if each.due is not None)
        cost = (count, min(states.values()), late)
        best = cost if best is None else min(best, cost)
    return best


def random_waiting(chance):
    """Two jobs of two steps that wait, and up to two others."""
    waiting = [
        BacklogJob(f"W{k}", "vise", tuple(
            Step(chance.randint(1, 6) * 10.0, (f"T{n}",), chance.choice((n, n, 1)) * chance.randint(1, 30) * 10.0)
            for n in range(2)
        ))
        for k in range(2)
    ]  # fmt: skip
    others = [job(f"J{k}", float(chance.randint(1, 8) * 10), ("T0",), "vise") for k in range(chance.randint(0, 2))]
    room = Room({"vise": 4}, 9, 9, float(chance.choice((80, 120, 200))), float(chance.choice((0, 20))))
    return Backlog((*waiting, *others), room)


def shortest_of_all(backlog):
    """The fewest loads and then the soonest end, over every way to cut steps one after the other and every place where
    that is broken into loads; all times are tens."""
    steps = [(k, n) for k, each in enumerate(backlog.jobs) for n in range(len(each.steps))]
    best = (len(steps), float("inf"))
    for order in itertools.permutations(steps):
        if any(order.index((k, n - 1)) > order.index((k, n)) for k, n in steps if n):
            continue
        for breaks in itertools.product((False, True), repeat=len(order) - 1):
            if 1 + sum(breaks) > best[0]:
                continue
            loads = [[order[0]]]
            for step, new in zip(order[1:], breaks, strict=True):
                loads += [[step]] if new else []
                loads[-1] += [] if new else [step]
            if (end := end_of(backlog, loads)) < float("inf"):
                best = min(best, (len(loads), end))
    return best


def end_of(backlog, loads):
    """A load begins as late as it must so that it does not last too long."""
    now, ends = -backlog.room.between, {}
    for load in loads:
        if sum(backlog.jobs[k].steps[n].minutes for k, n in load) > backlog.room.minutes:
            return float("inf")
        for begun in itertools.count(int(now + backlog.room.between), 10):
            after = float(begun)
            for k, n in load:
                step = backlog.jobs[k].steps[n]
                after = max(after, (ends[k, n - 1] if n else 0.0) + step.wait) + step.minutes
                ends[k, n] = after
            if after - begun <= backlog.room.minutes:
                break
            if begun > 2000:
                return float("inf")
        now = after
    return now


class SplitTest(unittest.TestCase):
    def test_against_every_way(self):
        chance = random.Random(4)
        for number in range(draws(6, 40)):
            backlog = random_backlog(chance, chance.randint(2, 5))
            found = loads_of(backlog)
            self.assertEqual((len(found.loads), found.changed), best_of_all(backlog)[:2], number)
            self.assertAlmostEqual(found.late, best_of_all(backlog)[2], msg=number)
            self.assertTrue(found.proven and found.loads_proven)
            self.assertEqual(found.least_changed, found.changed)

    def test_what_a_load_has_room_for(self):
        for jobs, room, count in (
            ([job("a"), job("b"), job("c")], ROOM, 2),  # two vises
            ([job("a", 200), job("b", 60)], ROOM, 2),  # four hours
            ([job("a", offsets=3), job("b", offsets=2)], ROOM, 2),
            ([job("a", tools=("T1", "T2")), job("b", tools=("T3", "T4"))], replace(ROOM, pockets=3), 2),
            ([job("a"), job("b"), job("c", kind="plate")], ROOM, 1),
        ):
            self.assertEqual(len(loads_of(Backlog(tuple(jobs), room)).loads), count)

    def test_tools_in_common_stay_in_the_magazine(self):
        """Two of each set, two vises: those of one set together, and only the other set is brought in after."""
        one, other = ("T1", "T2", "T3"), ("T4", "T5", "T6")
        jobs = tuple(job(name, tools=tools) for name, tools in (("a", one), ("b", other), ("c", one), ("d", other)))
        backlog = Backlog(jobs, replace(ROOM, pockets=6))
        found = loads_of(backlog)
        self.assertEqual((len(found.loads), found.changed), (2, 6))
        tight = loads_of(Backlog(jobs, replace(ROOM, pockets=3)))
        self.assertEqual(sorted(map(sorted, names(backlog, tight))), [["a", "c"], ["b", "d"]])
        self.assertEqual(tight.changed, 6)

    def test_a_wait_inside_a_job(self):
        """Cut 20, cure 60, cut 20: in one load where 60 of other work bridge it, else the machine waits there."""
        inlay = BacklogJob("inlay", "vise", (Step(20, ("T1",)), Step(20, ("T2",), wait=60)))
        given = Backlog((inlay,), ROOM)
        alone = loads_of(given)
        self.assertEqual((len(alone.loads), alone.loads[0].idle(given), alone.loads[0].end), (1, 60.0, 100.0))
        given = Backlog((inlay, job("b", 70.0)), ROOM)
        bridged = loads_of(given)
        self.assertEqual((len(bridged.loads), bridged.loads[0].idle(given), bridged.loads[0].end), (1, 0.0, 110.0))
        # With 75 minutes a load it cannot wait in one: the second half goes into the next, after 15 between.
        short = loads_of(Backlog((inlay, job("b", 40.0)), replace(ROOM, minutes=75.0)))
        at = {step: k for k, load in enumerate(short.loads) for step in load.steps}
        self.assertLess(at[0, 0], at[0, 1])
        first, then = short.loads[at[0, 0]], short.loads[at[0, 1]]
        self.assertGreaterEqual(then.end - 20.0 - (first.start + 20.0), 60.0 - 1e-6)

    def test_waits_against_every_order(self):
        """Each step at a time of its own: two that wait cannot both be the last of their load."""
        chance = random.Random(8)
        for number in range(draws(8, 60)):
            backlog = random_waiting(chance)
            found = loads_of(backlog)
            count, soonest = shortest_of_all(backlog)
            self.assertEqual(len(found.loads), count, number)
            self.assertAlmostEqual(found.loads[-1].end, soonest, msg=number)
            ends = {}
            for load in found.loads:
                self.assertLessEqual(load.end - load.start, backlog.room.minutes + 1e-9)
                free = load.start
                for (k, n), start in zip(load.steps, load.starts, strict=True):
                    step = backlog.jobs[k].steps[n]
                    self.assertGreaterEqual(start, free - 1e-9)
                    self.assertGreaterEqual(start, (ends[k, n - 1] if n else 0.0) + step.wait - 1e-9)
                    free = ends[k, n] = start + step.minutes
                self.assertAlmostEqual(free, load.end)
        self.assertEqual(len(ends), sum(len(each.steps) for each in backlog.jobs))

    def test_what_it_begins_with_has_room_too(self):
        """Whatever is found first can be cut as it is told, for it is what a search that is stopped leaves."""
        chance = random.Random(9)
        for _ in range(draws(60, 600)):
            many = [random_waiting(chance) for _ in range(3)]
            jobs = tuple(job for each in many for job in each.jobs)
            backlog = Backlog(jobs, replace(many[0].room, stations={"vise": 4}))
            first, ends = timed(backlog, filled(backlog)), {}
            for load in first.loads:
                self.assertLessEqual(load.end - load.start, backlog.room.minutes + 1e-9)
                self.assertLessEqual(len({k for k, _ in load.steps}), 4)
                for (k, n), start in zip(load.steps, load.starts, strict=True):
                    step = backlog.jobs[k].steps[n]
                    self.assertGreaterEqual(start, (ends[k, n - 1] if n else 0.0) + step.wait - 1e-9)
                    ends[k, n] = start + step.minutes
            self.assertEqual(len(ends), sum(len(job.steps) for job in jobs))

    def test_late_jobs_come_first(self):
        backlog = Backlog((job("a", 200), job("b", 200, due=210.0)), ROOM)
        self.assertEqual(names(backlog, loads_of(backlog)), [{"b"}, {"a"}])
        self.assertEqual(loads_of(backlog).late, 0.0)
        both = loads_of(Backlog((job("a", 200, due=210.0), job("b", 200, due=210.0)), ROOM))
        self.assertAlmostEqual(both.late, 415.0 - 210.0)

    def test_frozen_jobs_stay(self):
        backlog = Backlog((job("a", load=1), job("b"), job("c", load=0)), ROOM)
        found = names(backlog, loads_of(backlog))
        self.assertIn("c", found[0])
        self.assertIn("a", found[1])
        with self.assertRaisesRegex(InvalidValueError, "thaw"):
            loads_of(Backlog(tuple(job(name, load=0) for name in "abc"), ROOM))
        stopped = Stopper()
        stopped.stop()
        with self.assertRaisesRegex(InvalidValueError, "found in the time"):
            frozen = Backlog((job("a", 200, load=0), job("b", 200, load=0)), ROOM)
            split(frozen, 9.0, time.monotonic, stopper=stopped)
        two = Backlog((job("a"), job("b"), job("c")), ROOM)
        self.assertEqual(len(split(two, 9.0, time.monotonic, stopper=stopped).loads), 2)
        with self.assertRaisesRegex(InvalidValueError, "in load 9"):
            loads_of(Backlog((job("a", load=8),), ROOM))

    def test_twenty_four_with_a_bound(self):
        chance = random.Random(2)
        backlog = random_backlog(chance, 24)
        found = loads_of(backlog, seconds=6.0)
        self.assertEqual(sorted(k for load in found.loads for k, _ in load.steps), list(range(24)))
        self.assertLessEqual(found.least_loads, len(found.loads))
        # No fewer than the hours, the vises and the plate ask for.
        plates = sum(each.kind == "plate" for each in backlog.jobs)
        work = sum(each.minutes for each in backlog.jobs) / backlog.room.minutes
        self.assertGreaterEqual(len(found.loads), max(plates, (24 - plates) / 2, work))

    def test_what_no_load_has_room_for_is_named(self):
        for one, why in (
            (job("a", 300), "300 minutes"), (job("a", kind="trunnion"), "'trunnion'"), (job("a", offsets=9), "9 work"),
            (job("a", stations=3), "3 stations"), (job("a", tools=[f"T{k}" for k in range(7)]), "7 tools"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                checked_backlog(Backlog((one,), ROOM))


if __name__ == "__main__":
    unittest.main()
