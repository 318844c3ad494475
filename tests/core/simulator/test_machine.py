"""The simulated machine by itself, move by move: a block on the table, readings worked out by hand."""

from __future__ import annotations

import math
import random
import unittest
from unittest import mock

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.model.base import Point
from ledgecliff.core.simulator.machine import DECELERATION, FAR_BELOW, Alarm, SimulatedMachine, quiet
from ledgecliff.core.simulator.true_probe import DELAY_S, TrueProbe
from tests.helpers import demo

#: A block, and its top, left and front face (machine).
LOW, HIGH = (-520.0, -260.0, -480.0), (-480.0, -220.0, -450.0)
TOP, LEFT = HIGH[2], LOW[0]
MIDDLE = (-500.0, -240.0)
OF = demo().machines[0]
PROBE = OF.probe
#: The gauge line stands so far over the ball's centre.
HANG = PROBE.length - PROBE.effective_radius


def unit(*more, of=OF, truth=None, **named):
    """The machine with the block on it and the probe in its spindle."""
    offsets = {offset.number: np.zeros(3) for offset in of.offsets}
    made = SimulatedMachine(
        of, [Body("block", box(LOW, HIGH)), *more], offsets, quiet(), truth=truth or TrueProbe(), **named
    )
    made.change_tool(of.probe.tool)
    return made


def over(x, y, z):
    """The gauge line with the ball's centre at a place."""
    return (x, y, z + HANG)


def put(machine, x, y, z):
    machine.position = over(x, y, z)
    return machine


class TouchTest(unittest.TestCase):
    def down(self, machine, feed, depth=5.0):
        put(machine, *MIDDLE, TOP + 10.0)
        return machine.probe_towards(over(*MIDDLE, TOP - depth), feed, 7, must_touch=True)

    def test_the_top_reads_its_height_and_the_probes_length(self):
        """That is what the calibrated length means, at the touch feed."""
        reading = self.down(unit(), PROBE.touch_feed)
        self.assertAlmostEqual(reading[2], TOP + PROBE.length, places=6)
        self.assertEqual(reading[:2], MIDDLE)

    def test_a_side_reads_itself_less_the_effective_radius(self):
        for direction, face in ((1, LEFT), (-1, HIGH[0])):
            machine = put(unit(), face - 20.0 * direction, MIDDLE[1], TOP - 8.0)
            reading = machine.probe_towards(over(face + 5.0 * direction, MIDDLE[1], TOP - 8.0), PROBE.touch_feed, 1,
                                            must_touch=True)  # fmt: skip
            self.assertAlmostEqual(reading[0], face - direction * PROBE.effective_radius, places=6)

    def test_a_faster_touch_lags_by_its_feed(self):
        slow, fast = self.down(unit(), PROBE.touch_feed), self.down(unit(), 10.0 * PROBE.touch_feed)
        self.assertAlmostEqual(slow[2] - fast[2], 9.0 * PROBE.touch_feed / 60.0 * DELAY_S, places=6)
        other = self.down(unit(truth=TrueProbe(delay_s=0.01)), 600.0)
        usual = self.down(unit(), 600.0)
        self.assertAlmostEqual(usual[2] - other[2], 10.0 * (0.01 - DELAY_S), places=6)

    def test_it_stops_as_far_on_as_braking_takes(self):
        machine = unit()
        reading = self.down(machine, 600.0)
        lag = 10.0 * DELAY_S
        # From 10 mm/s; the reading is latched that much after the trigger, from where it brakes.
        self.assertAlmostEqual(reading[2] - machine.position[2], 10.0**2 / (2.0 * DECELERATION), places=6)
        self.assertGreater(lag, 0.0)
        self.assertTrue(machine.touching)

    def test_a_ball_that_is_larger_than_told(self):
        plain, larger = (
            self.down(unit(), PROBE.touch_feed),
            self.down(unit(truth=TrueProbe(radius_off=0.1)), PROBE.touch_feed),
        )
        self.assertAlmostEqual(larger[2] - plain[2], 0.1, places=6)

    def test_three_lobes(self):
        """Pretravel from the side is longer by the cosine of three times the direction; from above it is not."""
        lobed = TrueProbe(lobing=0.02)
        self.assertAlmostEqual(self.down(unit(truth=lobed), PROBE.touch_feed)[2], TOP + PROBE.length, places=6)
        for direction in (1, -1):
            face = LEFT if direction > 0 else HIGH[0]
            machine = put(unit(truth=lobed), face - 20.0 * direction, MIDDLE[1], TOP - 8.0)
            reading = machine.probe_towards(over(face + 5.0 * direction, MIDDLE[1], TOP - 8.0), PROBE.touch_feed, 1,
                                            must_touch=True)  # fmt: skip
            # cos 0 is 1, cos 540 is -1.
            later = 0.02 * direction
            self.assertAlmostEqual(reading[0], face - direction * (PROBE.effective_radius - later), places=6)

    def test_records(self):
        machine = unit()
        self.down(machine, PROBE.touch_feed)
        (touch,) = machine.touches
        self.assertEqual((touch.line, touch.body, touch.slow), (7, "block", True))
        took = math.dist(machine.motions[0].start, machine.motions[0].end) / PROBE.touch_feed * 60.0
        self.assertAlmostEqual(touch.at_s, took)
        self.assertEqual((machine.motions[-1].kind, machine.motions[-1].contact), ("search", ("block", "ball")))
        fast = unit()
        self.down(fast, 2.0 * PROBE.touch_feed)
        self.assertFalse(fast.touches[0].slow)

    def test_noise_is_along_the_move(self):
        class Two:
            def normal(self, mean, sigma):
                return mean + 2.0 * sigma

        machine = unit(truth=TrueProbe(repeatability=0.003))
        machine.noise = Two()
        self.assertAlmostEqual(self.down(machine, PROBE.touch_feed)[2], TOP + PROBE.length - 0.006, places=6)

    def test_nothing_there(self):
        machine = put(unit(), -400.0, -240.0, TOP + 10.0)
        target = over(-400.0, -240.0, TOP - 5.0)
        self.assertIsNone(machine.probe_towards(target, 100.0, 1, must_touch=False))
        self.assertEqual(machine.position, target)
        self.assertEqual(machine.motions[-1].kind, "guarded")
        with self.assertRaisesRegex(Alarm, "no contact by the end of the search"):
            machine.probe_towards(over(-400.0, -240.0, TOP - 9.0), 100.0, 1, must_touch=True)

    def test_a_search_that_ends_in_its_pretravel_has_not_triggered(self):
        machine = put(unit(), *MIDDLE, TOP + 10.0)
        hair = PROBE.ball_radius - 1e-4
        self.assertIsNone(machine.probe_towards(over(*MIDDLE, TOP + hair), 100.0, 1, must_touch=False))


class GuardTest(unittest.TestCase):
    def test_the_probe_must_be_switched_on(self):
        """The ball is pushed in by what is left of the search from the contact on."""
        of = set_value(demo(), ("machines", 0, "probe", "on_word"), "M64 P0").machines[0]
        machine = put(unit(of=of), *MIDDLE, TOP + 10.0)
        with self.assertRaisesRegex(Alarm, "the probe is not switched on: the ball was pushed 7.000 into the block"):
            machine.probe_towards(over(*MIDDLE, TOP + PROBE.ball_radius - 7.0), 100.0, 1, must_touch=True)
        self.assertEqual(machine.touches, [])
        again = put(unit(of=of), *MIDDLE, TOP + 10.0)
        again.probe_on = True
        self.assertIsNotNone(again.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True))
        self.assertTrue(unit().probe_on, "where nothing switches it, it is always on")

    def test_a_missed_trigger(self):
        machine = put(unit(truth=TrueProbe(missed=(2,))), *MIDDLE, TOP + 10.0)
        machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True)
        machine.probe_away(over(*MIDDLE, TOP + 10.0), 100.0, 2)
        with self.assertRaisesRegex(Alarm, "a trigger was missed: the ball was pushed"):
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 3, must_touch=True)

    def test_a_move_on_with_the_probe_deflected(self):
        machine = put(unit(), *MIDDLE, TOP + 10.0)
        machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True)
        deeper = over(*MIDDLE, TOP - 9.0)
        for what, move in (
            ("already deflected", lambda: machine.probe_towards(deeper, 100.0, 2, must_touch=True)),
            ("tool change with the probe deflected", lambda: machine.change_tool(OF.cutters[0].tool)),
            (
                "moved on with the probe deflected",
                lambda: machine.travel_to(deeper, "feed", 100.0, 2),
            ),
        ):
            with self.assertRaisesRegex(Alarm, what):
                move()
        machine.travel_to(over(*MIDDLE, TOP + 10.0), "feed", 100.0, 3)
        self.assertFalse(machine.touching)

    def test_away_from_contact(self):
        machine = put(unit(), *MIDDLE, TOP + 10.0)
        with self.assertRaisesRegex(Alarm, "not deflected before a move away"):
            machine.probe_away(over(*MIDDLE, TOP + 20.0), 100.0, 1)
        machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True)
        deeper = over(*MIDDLE, TOP - 3.0)
        with self.assertRaisesRegex(Alarm, "contact is not lost"):
            machine.probe_away(deeper, 100.0, 2)
        self.assertIsNone(machine.probe_away(deeper, 100.0, 2, must_lose=False))
        where = machine.probe_away(over(*MIDDLE, TOP + 10.0), 100.0, 3)
        self.assertAlmostEqual(where[2], TOP + PROBE.ball_radius + HANG, places=2)
        self.assertFalse(machine.touching)

    def test_what_else_of_the_probe_meets_something(self):
        """A stop beside the hole is met by the stem, not the ball: nothing is measured."""
        roof = Body("roof", box((-540.0, -300.0, TOP - 2.0), (LEFT - PROBE.stem_diameter, -200.0, TOP + 4.0)))
        machine = put(unit(roof), LEFT - 1.5 * PROBE.ball_diameter, MIDDLE[1], TOP - 12.0)
        with self.assertRaisesRegex(Alarm, "of the probe, not the ball, met the roof"):
            machine.probe_towards(over(LEFT - 12.0, MIDDLE[1], TOP - 12.0), 100.0, 1, must_touch=True)

    def test_only_the_probe_probes_and_never_turning(self):
        machine = unit()
        machine.spindle_on = True
        with self.assertRaisesRegex(Alarm, "the spindle turns with the probe in it"):
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True)
        machine.change_tool(OF.cutters[0].tool)
        self.assertFalse(machine.spindle_on, "a tool change stops it")
        with self.assertRaisesRegex(Alarm, "without the probe"):
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), 100.0, 1, must_touch=True)

    def test_a_move_of_nothing(self):
        machine = put(unit(), *MIDDLE, TOP + 10.0)
        with self.assertRaisesRegex(Alarm, "too short"):
            machine.probe_towards(over(*MIDDLE, TOP + 9.96), 100.0, 1, must_touch=True)
        self.assertIsNone(machine.probe_towards(over(*MIDDLE, TOP + 9.9), 100.0, 1, must_touch=False))

    def test_travel(self):
        machine = unit()
        low, high = OF.travel_min.as_tuple(), OF.travel_max.as_tuple()
        for k, axis in enumerate("XYZ"):
            for end, step in ((low[k], -0.01), (high[k], 0.01)):
                target = list(machine.position)
                target[k] = end + step
                with self.assertRaisesRegex(Alarm, f"{axis} .* is outside the travel"):
                    machine.travel_to(tuple(target), "rapid", 8000.0, 1)


class ToolTest(unittest.TestCase):
    CUTTER = OF.cutters[0]

    def test_lengths_of_the_table(self):
        machine = unit()
        self.assertEqual(machine.table_length(PROBE.tool), PROBE.length)
        self.assertEqual(machine.table_length(self.CUTTER.tool), self.CUTTER.tip_length)
        with self.assertRaisesRegex(Alarm, "H99 is not in the tool table"):
            machine.table_length(99)

    def test_how_far_it_could_go_down(self):
        for longer in (0.0, 3.5):
            machine = unit(longer={self.CUTTER.tool: longer})
            machine.change_tool(self.CUTTER.tool)
            machine.position = (*MIDDLE, TOP + self.CUTTER.tip_length + 12.0)
            self.assertAlmostEqual(machine.room_below(), 12.0 - longer, places=4)
        machine.position = (-300.0, -240.0, TOP + self.CUTTER.tip_length + 12.0)
        self.assertEqual(machine.room_below(), FAR_BELOW)
        machine.tool = 0
        machine._change_feeler()
        with self.assertRaisesRegex(Alarm, "no tool in the spindle"):
            machine.room_below()

    def test_collisions_and_what_a_cutter_may_go_through(self):
        soft = Body("board", box((-400.0, -260.0, -480.0), (-360.0, -220.0, -450.0)), cuttable=True)
        machine = unit(soft)
        machine.change_tool(self.CUTTER.tool)
        into = (-380.0, -240.0, TOP + self.CUTTER.tip_length - 3.0)
        above = (-380.0, -240.0, TOP + self.CUTTER.tip_length + 3.0)
        machine.position = above
        with self.assertRaisesRegex(Alarm, "collision: the .* met the board in an unguarded move"):
            machine.travel_to(into, "feed", 100.0, 1)
        for spindle, kind, passes in ((True, "feed", True), (True, "rapid", False), (False, "feed", False)):
            fresh = unit(soft)
            fresh.change_tool(self.CUTTER.tool)
            fresh.position, fresh.spindle_on = above, spindle
            if passes:
                fresh.travel_to(into, kind, 100.0, 1)
                fresh.travel_to(above, "rapid", 8000.0, 2)
                fresh.travel_to(into, "rapid", 8000.0, 3)  # where it has fed down already
                deeper = (into[0], into[1], into[2] - 1.0)
                with self.assertRaises(Alarm):
                    fresh.travel_to(deeper, "rapid", 8000.0, 4)
            else:
                with self.assertRaises(Alarm):
                    fresh.travel_to(into, kind, 100.0, 1)
        hard = unit()
        hard.change_tool(self.CUTTER.tool)
        hard.position, hard.spindle_on = (*MIDDLE, TOP + self.CUTTER.tip_length + 3.0), True
        with self.assertRaisesRegex(Alarm, "met the block"):
            hard.travel_to((*MIDDLE, TOP + self.CUTTER.tip_length - 3.0), "feed", 100.0, 1)

    def test_time(self):
        machine = put(unit(), *MIDDLE, TOP + 60.0)
        machine.travel_to(over(*MIDDLE, TOP + 30.0), "feed", 300.0, 1)
        machine.travel_to(over(MIDDLE[0] + 40.0, MIDDLE[1], TOP + 30.0), "rapid", 8000.0, 2)
        self.assertAlmostEqual(machine.seconds, 30.0 / 300.0 * 60.0 + 40.0 / 8000.0 * 60.0)
        self.assertAlmostEqual(machine.seconds, 6.3, msg="asked again")


class ShortCutTest(unittest.TestCase):
    """What is remembered of a search must give what looking anew would."""

    def test_against_a_machine_that_remembers_nothing(self):
        """A sloping block beside a post, touched again and again at the same place, a little beside it, and elsewhere,
        with moves across in between that may or may not meet the post."""
        slope = box((-40, -40, -40), (40, 40, 0)).rotate((0.0, 9.0, 0.0)).translate((*MIDDLE, TOP))
        post = box((-440.0, -260.0, TOP - 30.0), (-430.0, -220.0, TOP + 30.0))
        draw = random.Random(3)
        met = 0
        for _ in range(25):
            quick, plain = (
                SimulatedMachine(OF, [Body("slope", slope), Body("post", post)], {1: np.zeros(3)}, quiet())
                for _ in range(2)
            )
            x, y = MIDDLE[0] + draw.uniform(-15, 15), MIDDLE[1] + draw.uniform(-15, 15)
            for machine in (quick, plain):
                machine.change_tool(PROBE.tool)
                put(machine, x, y, TOP + 25.0)
            for _ in range(12):
                x, y = x + draw.choice((0.0, 0.0, 0.3, -4.0)), y + draw.choice((0.0, 0.0, 1.0))
                moves = [
                    ("travel", over(x, y, TOP + 25.0)),
                    ("probe", over(x, y, TOP + draw.uniform(-9.0, 9.0)), draw.choice((50.0, 600.0))),
                    ("away", over(x, y, TOP + draw.choice((12.0, 25.0)))),
                    ("travel", over(x + draw.choice((0.0, 0.0, 70.0)), y, TOP + draw.choice((20.0, 25.0)))),
                ]
                for move in moves:
                    told = [self.done(machine, move, forget=machine is plain) for machine in (quick, plain)]
                    self.assertEqual(*(words for words, _ in told), move)
                    np.testing.assert_allclose(*(place for _, place in told), atol=2e-3)
                    met += "post" in told[0][0]
        self.assertGreater(met, 5)

    @staticmethod
    def done(machine, move, *, forget):
        """What a move comes to, in words, and the reading or where it ended."""
        if forget:
            machine._met = None
        try:
            if move[0] == "probe":
                reading = machine.probe_towards(move[1], move[2], 1, must_touch=False)
                return ("nothing" if reading is None else "touched"), reading or machine.position
            if move[0] == "away" and machine.touching:
                return "away", machine.probe_away(move[1], 600.0, 2)
            machine.travel_to(move[1], "feed", 600.0, 3)
        except Alarm as alarm:
            machine.position, machine.touching = over(MIDDLE[0] - 30.0, MIDDLE[1], TOP + 40.0), False
            return str(alarm), machine.position
        return "there", machine.position

    def test_the_same_place_again_asks_the_solids_nothing(self):
        """Fast and slow, there and back: what the first search met is known."""
        # Far off, but it keeps moves at this height from being above everything.
        tower = Body("tower", box((-300.0, -100.0, -480.0), (-280.0, -80.0, TOP + 60.0)))
        for start, target in ((TOP + 10.0, TOP - 5.0), (TOP + 40.0, TOP - 2.0)):
            machine = put(unit(tower), *MIDDLE, start)
            with mock.patch.object(machine._feeler, "first_contact", wraps=machine._feeler.first_contact) as first:
                machine.probe_towards(over(*MIDDLE, target), 600.0, 1, must_touch=True)
                self.assertEqual(first.call_count, 1)
                with mock.patch.object(machine._feeler, "last_contact") as last:
                    machine.probe_away(over(*MIDDLE, TOP + 6.0), 600.0, 2)
                    machine.travel_to(over(*MIDDLE, TOP + 3.0), "feed", 600.0, 3)
                    machine.travel_to(over(*MIDDLE, TOP + 4.0), "feed", 600.0, 4)
                    machine.probe_towards(over(*MIDDLE, target), 60.0, 5, must_touch=True)
                    machine.travel_to(over(*MIDDLE, TOP + 4.0), "feed", 600.0, 6)
                    machine.probe_towards(over(*MIDDLE, target), 60.0, 7, must_touch=True)
                    self.assertEqual((first.call_count, last.call_count), (1, 0))

    def test_from_beside_the_line_or_beyond_where_it_began_is_looked_at(self):
        tower = Body("tower", box((-300.0, -100.0, -480.0), (-280.0, -80.0, TOP + 14.0)))
        machine = put(unit(tower), *MIDDLE, TOP + 10.0)
        machine.probe_towards(over(*MIDDLE, TOP - 5.0), 600.0, 1, must_touch=True)
        machine.travel_to(over(*MIDDLE, TOP + 9.0), "feed", 600.0, 2)
        for place in (over(MIDDLE[0] + 0.5, MIDDLE[1], TOP + 9.0), over(MIDDLE[0], MIDDLE[1] + 0.5, TOP + 9.0)):
            with mock.patch.object(machine._feeler, "first_contact", return_value=None) as first:
                machine.travel_to(place, "feed", 600.0, 3)
                machine.travel_to(over(*MIDDLE, TOP + 9.0), "feed", 600.0, 4)
            self.assertEqual(first.call_count, 2, place)
        machine.position = over(*MIDDLE, TOP + 11.0)
        with mock.patch.object(machine._feeler, "first_contact", return_value=None) as first:
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), 600.0, 5, must_touch=False)
        self.assertEqual(first.call_count, 1, "something may stand between")

    def test_along_the_surface_contact_is_not_lost(self):
        for aside in ((12.0, 0.0), (0.0, -12.0)):
            machine = put(unit(), *MIDDLE, TOP + 10.0)
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), 600.0, 1, must_touch=True)
            x, y, z = machine.position
            with self.assertRaisesRegex(Alarm, "contact is not lost"):
                machine.probe_away((x + aside[0], y + aside[1], z), 600.0, 2)
            with self.assertRaisesRegex(Alarm, "moved on with the probe deflected"):
                machine.travel_to((x + aside[0], y + aside[1], z), "feed", 600.0, 3)

    def test_what_only_grazes_is_met(self):
        """Across the top with the ball's middle over it and its lower part not."""
        for height, clear in ((0.4 * PROBE.ball_radius, False), (PROBE.ball_radius + 0.05, True)):
            machine = put(unit(), LEFT - 30.0, MIDDLE[1], TOP + height)
            target = over(MIDDLE[0], MIDDLE[1], TOP + height)
            if clear:
                machine.travel_to(target, "feed", 600.0, 1)
            else:
                with self.assertRaisesRegex(Alarm, "the ball met the block"):
                    machine.travel_to(target, "feed", 600.0, 1)


class BeginningTest(unittest.TestCase):
    def test_it_begins_over_the_middle_of_its_travel_at_the_top(self):
        low, high = Point(x=-300.0, y=-100.0, z=-400.0), Point(x=500.0, y=260.0, z=20.0)
        of = OF.model_copy(update={"travel_min": low, "travel_max": high})
        self.assertEqual(SimulatedMachine(of, [], {}, quiet()).position, (100.0, 80.0, 20.0))

    def test_slow_is_the_touch_feed_and_a_hair_more(self):
        for feed, slow in (
            (PROBE.touch_feed, True),
            (1.0005 * PROBE.touch_feed, True),
            (1.1 * PROBE.touch_feed, False),
        ):
            machine = put(unit(), *MIDDLE, TOP + 10.0)
            machine.probe_towards(over(*MIDDLE, TOP - 5.0), feed, 1, must_touch=True)
            self.assertEqual(machine.touches[0].slow, slow, feed)

    def test_a_cutter_that_slants_down_fast_is_not_upright(self):
        board = Body("board", box((-400.0, -260.0, -480.0), (-360.0, -220.0, -450.0)), cuttable=True)
        cutter = OF.cutters[0]
        for aside in ((1.0, 0.0), (0.0, 1.0)):
            machine = unit(board)
            machine.change_tool(cutter.tool)
            machine.spindle_on = True
            down = (-380.0, -240.0, TOP + cutter.tip_length - 3.0)
            machine.position = (*down[:2], TOP + cutter.tip_length + 3.0)
            machine.travel_to(down, "feed", 100.0, 1)
            machine.travel_to((*down[:2], TOP + cutter.tip_length + 3.0), "rapid", 8000.0, 2)
            machine.travel_to((down[0] + aside[0], down[1] + aside[1], machine.position[2]), "feed", 100.0, 3)
            with self.assertRaisesRegex(Alarm, "met the board"):
                machine.travel_to(down, "rapid", 8000.0, 4)
