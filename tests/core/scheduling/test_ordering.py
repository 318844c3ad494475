"""The order of a day: fewest calls, proven; shortest with waits; bounds that hold; what is refused."""

from __future__ import annotations

import copy
import itertools
import random
import time
import unittest
from dataclasses import replace
from unittest import mock

from ledgecliff.core.errors import InternalError, InvalidValueError
from ledgecliff.core.scheduling.best_order import Weights, best_order
from ledgecliff.core.scheduling.counting import counted, station_after_station
from ledgecliff.core.scheduling.critical_path import longest_first, longest_ways
from ledgecliff.core.scheduling.ordering import put_in_order
from ledgecliff.core.scheduling.problem import checked
from ledgecliff.core.scheduling.reading import read_problem
from ledgecliff.core.scheduling.solver import Stopper, solved
from ledgecliff.core.scheduling.space import Space
from ledgecliff.core.scheduling.tidying import tidied
from ledgecliff.core.scheduling.tool_calls import Fewest, few_tool_calls, fewest_tool_calls
from ledgecliff.core.scheduling.why import called_again
from tests.core.scheduling.problems import TUESDAY, exactly, frozen_at_random, random_day, shortest_of_all, station
from tests.draws import draws


def ordered(problem, seconds=20.0, **more):
    return put_in_order(problem, seconds, time.monotonic, **more)


def with_waits(plain, *waits):
    return read_problem({**plain, "waits": [list(each) for each in waits]})


class WorkedTest(unittest.TestCase):
    def test_tuesday(self):
        """Setup after setup 12 tool calls and 3 offset calls; best 6 and 7, five tools and one of them twice."""
        problem = read_problem(TUESDAY)
        found = ordered(problem)
        self.assertEqual(found.naive.counts[:3], (12, 0, 3))
        self.assertEqual(found.order.counts[:3], (6, 0, 7))
        self.assertTrue(found.proven and found.all_proven)
        self.assertEqual(found.bound.tool_calls, 6)
        # 42.5 of work, 6 x 9 s and 7 x 2 s; 12 x 9 s and 3 x 2 s.
        self.assertAlmostEqual(found.order.minutes, 42.5 + (54 + 14) / 60)
        self.assertAlmostEqual(found.naive.minutes, 42.5 + (108 + 6) / 60)
        tools = [tool for tool, _ in itertools.groupby(problem.tasks[k].tool for k in found.order.tasks)]
        self.assertEqual(sorted(tools), ["T1", "T2", "T3", "T3", "T5", "T6"])
        (why,) = called_again(problem, found.order.tasks)
        self.assertEqual((why.tool, why.calls, why.why), ("T3", 2, "A needs T2 before T3, B the reverse"))

    def test_the_handbook_s_own_order_counts_as_it_says(self):
        problem = read_problem(TUESDAY)
        names = ["A/t1", "B/t1", "B/t2", "B/t3", "A/t2", "C/t1", "C/t2", "A/t3", "A/t4", "C/t3", "C/t4", "B/t4"]
        numbers = {problem.name(k): k for k in range(len(problem.tasks))}
        self.assertEqual(counted(problem, [numbers[name] for name in names]).counts[:3], (6, 0, 7))

    def test_by_time_calls_may_be_spent_on_offsets(self):
        """Where an offset call takes a minute and a tool call a second, stations are done one after the other."""
        dear = read_problem({**TUESDAY, "tool_call_s": 1, "offset_call_s": 60})
        found = ordered(dear, by="time")
        self.assertEqual((found.order.tool_calls, found.order.offset_calls), (12, 3))
        self.assertTrue(found.proven)
        self.assertAlmostEqual(found.bound.minutes, 42.5 + (12 + 180) / 60)
        self.assertEqual(ordered(dear).order.counts[:3], (6, 0, 7))


class ExactTest(unittest.TestCase):
    def test_against_a_search_written_apart(self):
        chance = random.Random(20)
        for number in range(draws(60, 200)):
            problem = read_problem(random_day(chance))
            found = ordered(problem)
            self.assertEqual(found.order.counts[:3], exactly(problem), number)
            self.assertEqual(found.bound.tool_calls, found.order.tool_calls)
            self.assertTrue(found.all_proven)
            self.assertAlmostEqual(found.order.minutes, counted(problem, found.order.tasks).minutes)

    def test_with_frozen_runs(self):
        chance = random.Random(5)
        for number in range(draws(40, 200)):
            problem = frozen_at_random(chance, read_problem(random_day(chance, stations=3, tasks=4)))
            found = ordered(problem)
            self.assertEqual(found.order.counts[:3], exactly(problem), number)
            self.assertTrue(found.all_proven)

    def test_from_whatever_order_is_known(self):
        """Also where no good one is: the proof finds the fewest by itself."""
        chance = random.Random(8)
        for number in range(draws(40, 200)):
            problem = frozen_at_random(chance, read_problem(random_day(chance)))
            space, naive = Space(problem), station_after_station(problem)
            known = Fewest(0, naive.tool_calls, naive.tasks)
            fewest = fewest_tool_calls(space, known, lambda _bound: True)
            self.assertEqual((fewest.found, fewest.proven), (exactly(problem)[0], True), number)
            self.assertEqual(counted(problem, fewest.tasks).tool_calls, fewest.found)

    def test_what_is_said_to_be_proven_is(self):
        """With hardly any room for states it is not proven, or it is the best all the same."""
        chance, proven = random.Random(13), 0
        for number in range(draws(25, 150)):
            problem = read_problem(random_day(chance, stations=3, tasks=4))
            with (
                mock.patch("ledgecliff.core.scheduling.ordering.proving_width", return_value=2),
                mock.patch("ledgecliff.core.scheduling.ordering.A_FEW", 1),
                mock.patch("ledgecliff.core.scheduling.ordering._SOLVABLE", 0),
            ):
                found = ordered(problem)
            best = exactly(problem)
            self.assertLessEqual(best, found.order.counts[:3], number)
            self.assertLessEqual(found.bound.tool_calls, best[0])
            proven += found.all_proven
            if found.all_proven:
                self.assertEqual(found.order.counts[:3], best, number)
        self.assertGreater(proven, 0)

    def test_the_solver_by_itself_finds_the_same(self):
        chance = random.Random(3)
        for number in range(draws(8, 60)):
            problem = read_problem(random_day(chance, stations=3, tasks=4))
            known = station_after_station(problem)
            found = solved(Space(problem), known, 20.0, weights=Weights.lexicographic(problem))
            self.assertTrue(found.proven)
            self.assertEqual(found.order.counts[:3], exactly(problem), number)
            weights = Weights.lexicographic(problem)
            counts = found.order.counts
            cost = counts[0] * weights.tool + counts[1] * weights.index + counts[2] * weights.offset
            self.assertEqual(found.bound, cost)

    def test_with_waits_against_every_order(self):
        chance = random.Random(11)
        for number in range(draws(10, 60)):
            plain = random_day(chance, stations=3, tasks=3)
            names = [f"{row['name']}/{task['name']}" for row in plain["stations"] for task in row["tasks"]]
            if not 2 <= len(names) <= 7:
                continue
            a, b = sorted(chance.sample(range(len(names)), 2))
            problem = with_waits(plain, (names[a], names[b], chance.choice((0.5, 7, 40))))
            shortest, fewest = shortest_of_all(problem)
            by_time, by_calls = ordered(problem, by="time"), ordered(problem)
            # Times are counted in whole thousandths of a second.
            self.assertAlmostEqual(by_time.order.minutes, shortest, delta=1e-3, msg=number)
            self.assertTrue(by_time.proven)
            self.assertEqual(by_calls.order.counts[:3], fewest[:3], number)
            self.assertAlmostEqual(by_calls.order.minutes, fewest[3], delta=1e-3, msg=number)
            self.assertTrue(by_calls.all_proven)

    def test_filler_cures_while_something_else_is_cut(self):
        """A/t3 may begin an hour after A/t2: by time the others are done in that hour."""
        problem = with_waits(TUESDAY, ("A/t2", "A/t3", 60))
        found = ordered(problem, by="time")
        starts = dict(zip(found.order.tasks, found.order.starts, strict=True))
        self.assertGreaterEqual(starts[2] - (starts[1] + 6.5), 60.0 - 1e-3)
        self.assertLess(found.order.minutes, 82.0)
        self.assertGreater(found.naive.minutes, 104.0)


class LongestWayTest(unittest.TestCase):
    def test_what_cures_begins_first(self):
        """A is 5, cures 60, then 10; B is 20 of other tools.  By hand: 5 + 60 + 10, B all in between."""
        b = station("B", "G54", *((f"T{k}", 5) for k in (1, 2, 3, 4)))
        a = station("A", "G55", ("T5", 5), ("T6", 10))
        plain = {"tool_call_s": 6, "offset_call_s": 0, "stations": [b, a], "waits": [["A/t1", "A/t2", 60]]}
        problem = read_problem(plain)
        self.assertEqual(longest_ways(problem), (20.0, 15.0, 10.0, 5.0, 75.0, 10.0))
        first = next(longest_first(problem, lambda _k: True))
        self.assertEqual(first, (4, 0, 1, 2, 3, 5))
        self.assertAlmostEqual(counted(problem, first).minutes, 0.1 + 75.0)
        found = ordered(problem, by="time", seconds=3.0)
        self.assertAlmostEqual(found.order.minutes, 75.1)
        self.assertGreaterEqual(found.bound.minutes, 75.0)

    def test_frozen_runs_and_waits_one_after_the_other(self):
        one = {"offset_call_s": 0, "tool_call_s": 0}
        a, b = (station(name, "G54", ("T1", 1), ("T1", 2), free=True) for name in "AB")
        problem = read_problem({**one, "stations": [a, b]})
        self.assertEqual(longest_ways(problem), (1.0, 2.0, 1.0, 2.0))
        self.assertEqual(longest_ways(replace(problem, frozen=((0, 3, 1),))), (5.0, 2.0, 1.0, 4.0))
        # A1, C1; A2 at 61; C2 may begin at 101 and A3 at 112: by hand.
        rows = [station("A", "G54", *(("T1", 1),) * 3), station("C", "G54", *(("T1", 1),) * 2)]
        waits = [["A/t1", "A/t2", 60], ["A/t2", "A/t3", 50], ["C/t1", "C/t2", 99]]
        problem = read_problem({**one, "stations": rows, "waits": waits})
        first = next(longest_first(problem, lambda _k: True))
        self.assertEqual(first, (0, 3, 1, 4, 2))
        self.assertEqual(counted(problem, first).starts, (0.0, 1.0, 61.0, 101.0, 112.0))

    def test_every_order_is_one_and_none_is_below_the_longest_way(self):
        chance, problem = random.Random(20), read_problem(TUESDAY)
        for _ in range(draws(60, 600)):
            plain = random_day(chance)
            names = [f"{row['name']}/{task['name']}" for row in plain["stations"] for task in row["tasks"]]
            if len(names) < 2:
                continue
            a, b = sorted(chance.sample(range(len(names)), 2))
            problem = frozen_at_random(chance, with_waits(plain, (names[a], names[b], chance.choice((0.5, 7, 40)))))
            longest = max(longest_ways(problem))
            for tasks in longest_first(problem, lambda _k: True):
                self.assertGreaterEqual(counted(problem, tasks).minutes, longest - 1e-9)
                for run in problem.frozen:
                    at = tasks.index(run[0])
                    self.assertEqual(tasks[at : at + len(run)], run)
        self.assertEqual(list(longest_first(problem, lambda _k: False)), [])


class TidiedTest(unittest.TestCase):
    def test_station_by_station(self):
        problem = read_problem({
            "tool_call_s": 9, "offset_call_s": 2,
            "stations": [station(name, "G54", ("T1", 1), ("T1", 2)) for name in "ABC"],
        })  # fmt: skip
        mixed = counted(problem, (4, 0, 2, 3, 5, 1))
        self.assertEqual(tidied(problem, mixed).tasks, (0, 1, 2, 3, 4, 5))
        frozen = replace(problem, frozen=((4, 0),))
        self.assertEqual(tidied(frozen, mixed).tasks, (4, 0, 1, 2, 3, 5))
        # A's second one needs B's first: at B it is gone on, and then back to A.
        crossed = replace(problem, before=(*problem.before, (2, 1)))
        self.assertEqual(tidied(crossed, counted(crossed, (2, 0, 1, 4, 3, 5))).tasks, (0, 2, 3, 1, 4, 5))
        turned = replace(problem, tasks=tuple(replace(each, angle=90.0 * (each.station % 2)) for each in problem.tasks))
        order = counted(turned, (4, 0, 5, 2, 3, 1))
        self.assertEqual(tidied(turned, order).tasks, (0, 4, 5, 2, 3, 1))
        # C must wait a minute after A: begun with A it would end later, so it stays as it is.
        waits = replace(problem, waits=((4, 5, 9.0),))
        order = counted(waits, (4, 0, 1, 2, 3, 5))
        self.assertEqual(tidied(waits, order), order)

    def test_it_costs_no_more_and_nothing_is_before_its_need(self):
        chance = random.Random(21)
        for _ in range(draws(60, 600)):
            plain = random_day(chance)
            problem = frozen_at_random(chance, read_problem(plain)) if chance.random() < 0.5 else read_problem(plain)
            for tasks in longest_first(problem, lambda _k: True):
                order = counted(problem, tasks)
                after = tidied(problem, order)
                self.assertEqual(after.counts[:3], order.counts[:3])
                self.assertLessEqual(after.minutes, order.minutes + 1e-7)
                for run in problem.frozen:
                    at = after.tasks.index(run[0])
                    self.assertEqual(after.tasks[at : at + len(run)], run)


class LargeTest(unittest.TestCase):
    @staticmethod
    def day(seed, *, shuffled=False):
        """60 tasks with 12 tools over 8 stations, tools in one order but for two inversions a station."""
        chance, rows = random.Random(seed), []
        for k in range(8):
            tools = sorted(chance.sample(range(12), 8 if k < 4 else 7))
            for _ in range(2):
                n = chance.randrange(len(tools) - 1)
                tools[n], tools[n + 1] = tools[n + 1], tools[n]
            if shuffled:
                chance.shuffle(tools)
            rows.append(station(f"S{k}", f"G{54 + k}", *((f"T{tool:02}", chance.randint(1, 9)) for tool in tools)))
        return read_problem({"tool_call_s": 9, "offset_call_s": 2, "index_s": 5, "stations": rows})

    def test_tool_calls_are_proven(self):
        for seed in range(draws(2, 20)):
            problem = self.day(seed)
            space = Space(problem)
            few = few_tool_calls(space)
            fewest = fewest_tool_calls(space, few, lambda _bound: True)
            self.assertTrue(fewest.proven)
            self.assertEqual(counted(problem, fewest.tasks).tool_calls, fewest.found)
            self.assertLessEqual(fewest.found, few.found)
            # With one call less there is no order: the search over runs, which knows no closing, finds none.
            weights = Weights.lexicographic(problem)
            self.assertIsNone(best_order(space, weights, 10**6, fewest.found * weights.tool - 1))

    def test_a_bound_that_is_not_reached_holds(self):
        for seed in range(draws(2, 10)):
            problem = self.day(seed, shuffled=True)
            found = ordered(problem, seconds=3.0)
            self.assertLessEqual(found.bound.tool_calls, found.order.tool_calls)
            self.assertLessEqual(found.bound.minutes, found.order.minutes + 1e-6)
            self.assertEqual(found.proven, found.bound.tool_calls == found.order.tool_calls)
            few = fewest_tool_calls(Space(problem), few_tool_calls(Space(problem)), lambda _bound: True, most=50)
            self.assertLessEqual(few.bound, found.order.tool_calls)

    def test_stopped_it_keeps_what_it_has_and_says_so_on_the_way(self):
        problem, heard, stopper = self.day(1, shuffled=True), [], Stopper()

        def told(now):
            heard.append(now)
            if now.order is not now.naive:
                stopper.stop()

        found = ordered(problem, seconds=60.0, stopper=stopper, told=told)
        self.assertEqual(found.order, heard[-1].order)
        self.assertFalse(found.all_proven)
        costs = [each.order.counts for each in heard]
        self.assertEqual(costs, sorted(costs, reverse=True))
        bounds = [each.bound.tool_calls for each in heard]
        self.assertEqual(bounds, sorted(bounds))

    def test_two_hundred_tasks(self):
        chance = random.Random(1)
        rows = [station(f"S{k}", "G54", *((chance.randint(1, 15), 1.0) for _ in range(10))) for k in range(20)]
        found = ordered(read_problem({"stations": rows}), seconds=2.0)
        self.assertLess(found.order.tool_calls, found.naive.tool_calls)
        self.assertLessEqual(found.bound.tool_calls, found.order.tool_calls)


class DegenerateTest(unittest.TestCase):
    def test_days_with_hardly_anything(self):
        for rows, counts in (
            ([station("A", "G54", (None, 3.0))], (0, 0, 0, 3.0)),
            ([station("A", "G54", (None, 3.0), (None, 1.0)), station("B", "G55", (None, 1.0))], (0, 0, 0, 5.0)),
            ([station("A", "G54", ("T1", 0.0))], (1, 0, 1, 0.0)),
            ([station("Ä/Ö", "G54", ("T1", 1.0), free=True, angle=-90)], (1, 1, 1, 1.0)),
            ([station("A", "G54", *[("T1", 1.0)] * 40)], (1, 0, 1, 40.0)),
            ([station("A", "G54"), station("B", "G54", ("T1", 1.0))], (1, 0, 1, 1.0)),
        ):
            for by in ("lexicographic", "time"):
                found = ordered(read_problem({"stations": rows}), by=by)
                self.assertEqual((*found.order.counts[:3], round(found.order.minutes, 9)), counts, rows)
                self.assertTrue(found.all_proven)

    def test_long_stations_and_many_tasks_do_not_hang(self):
        """Two of 250: the tables of common sequences have no room, and an order and a bound come all the same."""
        chance, rows = random.Random(1), []
        for name in "AB":
            rows.append(station(name, name, *((chance.randint(1, 9), 1.0) for _ in range(250))))
        found = ordered(read_problem({"stations": rows}), seconds=2.0)
        self.assertEqual(sorted(found.order.tasks), list(range(500)))
        self.assertLessEqual(found.bound.tool_calls, found.order.tool_calls)
        rows.append(station("C", "C", ("T1", 1.0)))
        with self.assertRaisesRegex(InvalidValueError, "more than 500"):
            read_problem({"stations": rows})


class FrozenTest(unittest.TestCase):
    def test_a_frozen_run_stays_together(self):
        """B's T1 and T3 and then A's T1, as they are frozen: T1 is called twice now, and T3 may be once more."""
        problem = read_problem(TUESDAY)
        frozen = checked(replace(problem, frozen=((4, 5, 0),)))
        found = ordered(frozen)
        at = found.order.tasks.index(4)
        self.assertEqual(found.order.tasks[at : at + 3], (4, 5, 0))
        # An exact search where nothing but the frozen ones' next may follow them.
        best = min(
            counted(problem, order).counts[:3]
            for order in self._orders(problem, (4, 5, 0))
        )  # fmt: skip
        self.assertEqual(found.order.counts[:3], best)
        self.assertTrue(found.all_proven)
        by_solver = solved(Space(frozen), station_after_station(frozen), 30.0, weights=Weights.lexicographic(frozen))
        self.assertEqual(by_solver.order.counts[:3], best)

    @staticmethod
    def _orders(problem, frozen):
        """All orders of three stations' tasks with the frozen ones together, whatever is best per state left out."""
        small = [
            tuple(k for k, task in enumerate(problem.tasks) if task.station == n) for n in range(len(problem.stations))
        ]

        def go(done, left):
            if not any(left):
                yield done
            for n, mine in enumerate(left):
                if not mine:
                    continue
                k = mine[0]
                if done and done[-1] in frozen[:-1] and frozen[frozen.index(done[-1]) + 1] != k:
                    continue
                if k in frozen[1:] and (not done or done[-1] != frozen[frozen.index(k) - 1]):
                    continue
                yield from go((*done, k), [rest[1:] if i == n else rest for i, rest in enumerate(left)])

        return go((), small)

    def test_against_what_must_come_before_it_is_refused(self):
        problem = read_problem(TUESDAY)
        for frozen, why in (((1, 0),), "comes after"), (((0, 4), (4, 5)), "in it twice"), (((4, 1), (0, 5)), "circle"):
            with self.assertRaisesRegex(InvalidValueError, why):
                checked(replace(problem, frozen=frozen))


class ReadTest(unittest.TestCase):
    def test_what_is_wrong_is_named(self):
        for change, why in (
            (lambda day: day.pop("stations"), "no list 'stations'"),
            (lambda day: day["stations"].clear(), "no tasks"),
            (lambda day: day["stations"][0].update(name=""), "1 to 200 letters"),
            (lambda day: day["stations"][1].update(name="A"), "'A' is there twice"),
            (lambda day: day["stations"][0]["tasks"][0].update(minutes=-1), "A, task 1, minutes: is no time"),
            (lambda day: day["stations"][0]["tasks"][0].update(minutes=float("nan")), "is no time"),
            (lambda day: day["stations"][0]["tasks"][0].update(tool=True), "neither a number nor a name"),
            (lambda day: day["stations"][0]["tasks"][1].update(name="t1"), "two tasks 't1'"),
            (lambda day: day["stations"][0].update(angle="up"), "no number of degrees"),
            (lambda day: day["stations"][0].update(angle=float("inf")), "no number of degrees"),
            (lambda day: day["stations"][0].update(free="yes"), "neither true nor false"),
            (lambda day: day.update(tool_call_s="9"), "tool_call_s: is no time"),
            (lambda day: day.update(after=[["A/t1"]]), "is not two tasks"),
            (lambda day: day.update(after=[["A/t1", "A/t9"]]), "no task 'A/t9'"),
            (lambda day: day.update(after=[["A/t1", "A/t1"]]), "before itself"),
            (lambda day: day.update(after=[["A/t2", "B/t1"], ["B/t3", "A/t1"]]), "circle"),
            (lambda day: day.update(waits=[["A/t1", "A/t2"]]), "and minutes"),
            (lambda day: day.update(waits=[["A/t1", "A/t2", -3]]), "is no time"),
        ):
            day = copy.deepcopy(TUESDAY)
            change(day)
            with self.assertRaisesRegex(InvalidValueError, why):
                read_problem(day)
        with self.assertRaisesRegex(InvalidValueError, "no object"):
            read_problem([1])

    def test_first_the_earlier_one(self):
        problem = read_problem({**TUESDAY, "after": [["C/t4", "A/t1"]]})
        order = ordered(problem).order.tasks
        self.assertLess(order.index(11), order.index(0))

    def test_an_order_that_is_none(self):
        problem = read_problem(TUESDAY)
        with self.assertRaises(InternalError):
            counted(problem, range(11))
        with self.assertRaises(InternalError):
            counted(problem, [1, 0, *range(2, 12)])


if __name__ == "__main__":
    unittest.main()
