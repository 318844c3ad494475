"""Two probes on one machine: each setup with its own, in touches, programs, sheet, by hand and as rehearsed."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.tools import add_probe, free_number, remove_probe, with_probe
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.base import Point
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueTool, TrueWorld
from ledgecliff.core.touchoff.draft import tools_of
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.helpers import codes, demo, demo_plan, models
from tests.rehearsals import rehearsed


def job():
    """Op 20 is probed with a longer stylus and a ball of 6."""
    of = add_probe(demo(), 1)
    for name, value in (("ball_diameter", 6.0), ("effective_radius", 2.988), ("stem_diameter", 4.0), ("length", 160.0)):
        of = set_value(of, (*of.probe_path(of.setups[1]), name), value)
    return of


def plan():
    return make_plan(job(), models())


class ChoiceTest(unittest.TestCase):
    def test_each_setup_has_its_own(self):
        made = plan()
        self.assertEqual([each.machine.probe.tool for each in made.setups], [30, 5])
        self.assertEqual(
            [{touch.ball_radius for touch in each.probing.touches} for each in made.setups], [{2.0}, {3.0}]
        )
        self.assertEqual(job().machine_of(job().setups[0]), job().machines[0])
        self.assertEqual(job().number_of(made.setups[1].machine), 0)
        self.assertNotIn(5, [free_number(job().machines[0]), free_number(made.setups[1].machine)])

    def test_what_is_changed_is_the_one_that_is_used(self):
        self.assertEqual(job().probe_path(job().setups[0]), ("machines", 0, "probe"))
        self.assertEqual(job().probe_path(job().setups[1]), ("machines", 0, "more_probes", 0))
        self.assertEqual(job().machines[0].probe, demo().machines[0].probe)

    def test_there_and_back(self):
        usual = with_probe(job(), 1, 30)
        self.assertIsNone(usual.setups[1].probing.probe)
        self.assertEqual(make_plan(usual, models()).setups[1].machine.probe.tool, 30)
        self.assertEqual(remove_probe(job(), 1), demo())
        with self.assertRaises(InvalidValueError):
            remove_probe(job(), 0)
        with self.assertRaises(InvalidValueError):
            remove_probe(with_probe(job(), 0, 5), 1)

    def test_numbers_are_no_ones_else(self):
        for path, value in (
            (("setups", 0, "probing", "probe"), 77),
            (("machines", 0, "more_probes", 0, "tool"), 30),
            (("machines", 0, "more_probes", 0, "tool"), 1),
        ):
            with self.assertRaises(InvalidValueError):
                set_value(job(), path, value)


class UseTest(unittest.TestCase):
    def test_programs_and_sheet_call_it(self):
        made = plan()
        for index, (mine, other) in enumerate((("T30 M6", "T5 M6"), ("T5 M6", "T30 M6"))):
            text = probing_text(made, index)
            self.assertIn(mine, text)
            self.assertNotIn(other, text)
        self.assertIn("2.988", probing_text(made, 1))
        page = sheet_html(made, "mm")
        self.assertIn("160.000", page)
        self.assertIn("142.600", page)

    def test_either_may_be_in_the_spindle_by_hand(self):
        for setup in plan().setups:
            self.assertEqual({(each.tool, each.length) for each in tools_of(setup.machine)} & {(30, 142.6), (5, 160.0)},
                             {(30, 142.6), (5, 160.0)})  # fmt: skip

    def test_nothing_more_is_found(self):
        self.assertEqual(codes(plan()) - codes(demo_plan()), set())


class TruthTest(unittest.TestCase):
    def test_each_finds_what_is_there(self):
        """In five stated worlds both setups are found where they are; too long a probe shifts its own Z."""
        made = plan()
        for off in (0.0, 0.1, -0.15, 0.2, -0.3):
            at = Point(x=off, y=-off, z=off / 4.0)
            world = TrueWorld(
                setups=(TrueClamping(name="Op 10", fixture_off=at), TrueClamping(name="Op 20", fixture_off=at))
            )
            done = rehearsed(made, world=world)
            self.assertEqual(done.alarms, ())
            for each in done.setups:
                np.testing.assert_allclose(each.difference, 0.0, atol=0.006)
        longer = rehearsed(made, world=TrueWorld(tools=(TrueTool(number=5, longer=0.05),)))
        self.assertAlmostEqual(longer.setups[0].difference[2], 0.0, delta=0.006)
        self.assertAlmostEqual(longer.setups[1].difference[2], 0.05, delta=0.006)
