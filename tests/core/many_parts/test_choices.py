"""One offset or many, probed or not: the worked example, and what is chosen when."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.many_parts.choices import Sources, compared, first_probed, one_offset, own_probed
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.duration import probing_seconds
from tests.draws import draws
from tests.helpers import shipped_plan


def shoes(number, *edits):
    plan = shipped_plan("rack-shoes")
    job = plan.job
    for path, value in edits:
        job = set_value(job, path, value)
    plan = make_plan(job, plan.models)
    return plan, compared(plan, plan.setups[number])


class FigureTest(unittest.TestCase):
    def test_worked_example(self):
        sources = Sources(seat=0.03, pattern=0.01, touch=0.003 / 2**0.5, machine=0.004)
        self.assertAlmostEqual(one_offset(sources), 0.032, places=3)
        self.assertAlmostEqual(2 * one_offset(sources), 0.064, places=3)
        self.assertAlmostEqual(own_probed(sources), 0.0045, places=4)
        self.assertAlmostEqual(2 * own_probed(sources), 0.009, places=3)

    def test_as_drawn(self):
        """Loads of parts drawn one source after the other: how far each lies from where its program has it."""
        chance = np.random.default_rng(2)
        sources = Sources(seat=0.03, pattern=0.012, touch=0.003, machine=0.004)
        n = draws(200_000, 1_000_000)
        seats, first, touch = (chance.normal(0, s, n) for s in (sources.seat, sources.seat, sources.touch))
        pattern, machine = chance.normal(0, sources.pattern, n), chance.normal(0, sources.machine, n)
        for expected, drawn in (
            (one_offset(sources), seats + pattern - machine),
            (first_probed(sources), seats + pattern - (first + touch) - machine),
            (own_probed(sources), seats + pattern - (seats + pattern + touch) - machine),
        ):
            self.assertAlmostEqual(float(drawn.std()) / expected, 1.0, delta=0.01)


class ChoiceTest(unittest.TestCase):
    def test_raw_stock_needs_no_probing(self):
        """1.25 lie beyond the ends, which vary by 0.6: 0.65 are left to clean up."""
        _, told = shoes(0)
        self.assertEqual((told.asked.what, round(told.asked.limit, 9)), ("clean-up", 0.65))
        best = told.choices[told.best]
        self.assertEqual((best.school, best.probed), ("local shifts", "none"))
        # Whether all are there is looked at, and nothing else takes time.
        self.assertEqual(best.minutes, min(each.minutes for each in told.choices))

    def test_a_tolerance_that_one_offset_does_not_keep_asks_for_probing(self):
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.015, "to": "pin bore"})
        stated = (("setups", 1, "pattern", "seat_scatter"), 0.03)
        plan, told = shoes(1, tolerance, stated)
        self.assertEqual((told.asked.what, told.asked.limit), ("tolerance", 0.015))
        best = told.choices[told.best]
        self.assertEqual((best.school, best.probed), ("own each", "every one"))
        self.assertFalse(told.choices[0].keeps)
        seconds = probing_seconds(plan.setups[1].probing, plan.setups[1].machine.probe)
        self.assertAlmostEqual(best.minutes, (5 * seconds + 12.0) / 60.0)
        # A wide one does not.
        _, told = shoes(1, (tolerance[0], {"position": 0.2, "to": "pin bore"}), stated)
        self.assertEqual(told.choices[told.best].probed, "none")

    def test_one_that_nothing_keeps(self):
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.001, "to": "pin bore"})
        self.assertIsNone(shoes(1, tolerance)[1].best)

    def test_too_few_offsets_rule_a_choice_out(self):
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.015, "to": "pin bore"})
        few = (("machines", 0, "extended"), {"count": 3})
        kept = (("setups", 1, "pattern", "codes"), [])
        taken = (("setups", 0, "pattern"), {"codes": [{"key": f"9-{k}", "offset": f"G5{k}"} for k in range(6, 10)]})
        self.assertFalse(shoes(1, few, kept, taken, tolerance)[1].choices[-1].enough)
        self.assertIsNone(shoes(1, few, kept, taken, tolerance)[1].best)

    def test_codes_beside_each(self):
        _, told = shoes(0)
        self.assertEqual([(c.school, c.probed, c.needed) for c in told.choices],
                         [("local shifts", "none", 1), ("own each", "none", 10)])  # fmt: skip
        _, told = shoes(1)
        self.assertEqual([c.needed for c in told.choices], [1, 1, 5, 5])

    def test_what_was_stated_counts(self):
        _, told = shoes(
            1, (("setups", 1, "pattern", "seat_scatter"), 0.05), (("setups", 1, "pattern", "pattern_error"), 0.02)
        )
        self.assertEqual((told.sources.seat, told.sources.pattern), (0.05, 0.02))
        self.assertTrue(told.sources.seat_stated and told.sources.pattern_stated)
        _, told = shoes(1)
        self.assertFalse(told.sources.seat_stated or told.sources.pattern_stated)
