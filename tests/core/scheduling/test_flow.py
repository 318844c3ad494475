"""Flow or batch: the handbook's thirty parts, a clock that walks through a day by itself, and what a failure costs."""

from __future__ import annotations

import random
import unittest

from ledgecliff.core.scheduling.flow import Side, Times, batch, flow
from tests.draws import draws

SIDES = (Side("Op 10", 21.0, 4), Side("Op 20", 9.0, 4))
TIMES = Times(tool_call=0.15, probing=0.6, loading=1.5, setting_up=12.0)


def together(at):
    """Six by common tools, four alone."""
    return 6 if len(at) == 2 else 4


class WorkedTest(unittest.TestCase):
    def test_batch(self):
        way = batch(30, SIDES, TIMES)
        self.assertAlmostEqual(way.cycles[0], 23.7)
        self.assertAlmostEqual(way.cycles[-1], 11.7)
        self.assertAlmostEqual(way.minutes, 1086.0)
        self.assertAlmostEqual(way.first_part, 746.7)
        self.assertEqual((way.in_work, max(span.parts for span in way.spans)), (30, 30))
        # On side 1 once more; on side 2 both again, each set up anew.
        self.assertAlmostEqual(way.fails[0], 23.7)
        self.assertAlmostEqual(way.fails[1], 12 + 23.7 + 12 + 11.7)

    def test_flow(self):
        way = flow(30, SIDES, TIMES, together)
        self.assertEqual([round(way.cycles[k], 9) for k in (0, 1, 29, 30)], [23.7, 35.1, 35.1, 11.7])
        self.assertAlmostEqual(way.minutes, 1077.3)
        self.assertAlmostEqual(way.first_part, 82.8)
        self.assertEqual((way.in_work, max(span.parts for span in way.spans)), (2, 2))
        self.assertAlmostEqual(flow(31, SIDES, TIMES, together).minutes - way.minutes, way.fails[1])

    def test_loaded_outside_only_the_first_waits_for_it(self):
        outside = Times(0.15, 0.6, 1.5, 12.0, loads="outside")
        # 22.2 and 10.2 a part; both sides set up, and the first part of each loaded, before the machine can begin.
        self.assertAlmostEqual(batch(30, SIDES, outside).minutes, 24 + 3 + 30 * 22.2 + 30 * 10.2)
        # 22.2, 29 cycles of 32.1, 10.2.
        self.assertAlmostEqual(flow(30, SIDES, outside, together).minutes, 24 + 1.5 + 22.2 + 29 * 32.1 + 10.2)
        slow = Times(0.15, 0.6, 40.0, 12.0, loads="outside")
        self.assertAlmostEqual(batch(3, SIDES[:1], slow).minutes, 12 + 40 + 40 + 40 + 22.2)


class WalkedTest(unittest.TestCase):
    def test_part_for_part(self):
        """Each part by itself, side after side, on a clock of its own."""
        chance = random.Random(6)
        for _ in range(draws(20, 200)):
            sides = tuple(
                Side(f"s{k}", chance.uniform(1, 30), chance.randint(1, 6)) for k in range(chance.randint(1, 4))
            )
            parts = chance.randint(1, 12)
            times = Times(*(chance.uniform(0, 3) for _ in range(3)), chance.uniform(0, 20))
            calls = {}

            def both(at, calls=calls, chance=chance, sides=sides):
                return calls.setdefault(at, chance.randint(1, sum(sides[k].tool_calls for k in at)))

            way, at_side, clock, done = flow(parts, sides, times, both), {0: 0}, len(sides) * times.setting_up, []
            fresh = 1
            while at_side:
                busy = tuple(sorted(at_side.values()))
                clock += (
                    sum(sides[k].minutes + times.probing + times.loading for k in busy) + both(busy) * times.tool_call
                )
                self.assertLessEqual(len(at_side), way.in_work)
                done += [clock for k in at_side.values() if k == len(sides) - 1]
                at_side = {part: k + 1 for part, k in at_side.items() if k + 1 < len(sides)}
                if fresh < parts:
                    at_side[fresh], fresh = 0, fresh + 1
            self.assertAlmostEqual(way.minutes, clock)
            self.assertAlmostEqual(way.first_part, done[0])
            self.assertEqual(len(done), parts)
            whole = batch(parts, sides, times)
            expected = sum(
                times.setting_up + parts * (s.minutes + s.tool_calls * times.tool_call + times.probing + times.loading)
                for s in sides
            )
            self.assertAlmostEqual(whole.minutes, expected)
            # On the last side one leaves with each cycle.
            last = [span.parts for span in whole.spans if span.what == "cycle"][-parts:]
            self.assertEqual(last, [parts - n for n in range(parts)] if len(sides) > 1 else [1] * parts)
            for way_ in (way, whole):
                for a, b in zip(way_.spans, way_.spans[1:], strict=False):
                    self.assertEqual(a.end, b.start)


if __name__ == "__main__":
    unittest.main()
