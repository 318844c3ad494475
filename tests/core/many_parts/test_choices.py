"""One offset or many, probed or not: the worked example, and what is chosen when."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.budget.instances import instance_off
from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.station_rules import offset_each
from ledgecliff.core.many_parts.choices import compared
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


def worked(number=1, probed=None):
    """Seat 0.03, stations 0.01, touches 0.003 and machine 0.004 of the worked example, on blanks that are all alike."""
    edits = [
        (("setups", number, "pattern", "seat_scatter"), 0.03),
        (("setups", number, "pattern", "pattern_error"), 0.01),
        (("machines", 0, "probe", "repeatability"), 0.003),
        (("machines", 0, "accuracy"), 0.004),
        (("stock", "varies"), {"x": 0.0, "y": 0.0, "z": 0.0}),
    ]
    return shoes(number, *edits, *([(("setups", number, "pattern", "probed"), probed)] if probed else []))


class FigureTest(unittest.TestCase):
    def along_y(self, probed):
        """Standard deviation of where an instance of the second setup is cut in its blank, but for what the first has
        left, and for how it lies askew."""
        plan, _ = worked()
        first = plan.setups[0].setup.id
        pair = instance_off(plan, 1, probed)
        own = [
            float(by[1]) * source.scatter.standard
            for by, source in zip(pair.moved.T, pair.sources, strict=True)
            if first not in source.key and source.kind != "skew"
        ]
        return float(np.linalg.norm(own))

    def test_worked_example(self):
        """One offset 0.032 at one standard deviation, each found by itself by two touches 0.0045; found on the first,
        whose seat counts as well, by lot below."""
        self.assertAlmostEqual(self.along_y("none"), 0.032, places=3)
        self.assertAlmostEqual(self.along_y("every one"), 0.0045, places=4)

    def test_as_drawn(self):
        """Loads of parts drawn one source after the other: how far each lies from where its program has it."""
        chance = np.random.default_rng(2)
        n = draws(200_000, 1_000_000)
        seats, first, touch = (chance.normal(0, s, n) for s in (0.03, 0.03, 0.003 / 2**0.5))
        pattern, machine = chance.normal(0, 0.01, n), chance.normal(0, 0.004, n)
        for probed, drawn in (
            ("none", seats + pattern - machine),
            ("first of the load", seats + pattern - (first + touch) - machine),
            ("every one", seats + pattern - (seats + pattern + touch) - machine),
        ):
            self.assertAlmostEqual(float(drawn.std()) / self.along_y(probed), 1.0, delta=0.01, msg=probed)

    def test_the_budget_of_the_job_is_of_how_it_is_probed(self):
        """A feature against one of the setup before: the more stations share, the farther off."""
        worst = []
        for probed in ("every one", "none", "first of the load"):
            plan, _ = worked(probed=probed)
            worst.append(max(pair.u for pair in budget_of(plan).pairs if pair.asked.what != "size"))
        self.assertEqual(worst, sorted(worst))
        self.assertGreater(worst[1], 2.0 * worst[0])

    def test_what_the_first_part_has_left_is_its_own(self):
        """Its seat and its blank are drawn for themselves, the fixture and the touches once for both."""
        pair = instance_off(worked()[0], 1, "first of the load")
        of_first = {source.kind for source in pair.sources if source.key.startswith("first ")}
        self.assertTrue({"lies", "lands"} <= of_first)
        self.assertFalse(of_first & {"stands", "station", "centre", "index"})


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
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.04, "to": "pin bore"})
        stated = (("setups", 1, "pattern", "seat_scatter"), 0.03)
        plan, told = shoes(1, tolerance, stated)
        self.assertEqual((told.asked.what, told.asked.limit), ("tolerance", 0.04))
        best = told.choices[told.best]
        self.assertEqual((best.school, best.probed), ("own each", "every one"))
        self.assertFalse(told.choices[0].keeps)
        seconds = probing_seconds(plan.setups[1].probing, plan.setups[1].machine.probe)
        self.assertAlmostEqual(best.minutes, (5 * seconds + 12.0) / 60.0)
        # A wide one does not.
        _, told = shoes(1, (tolerance[0], {"position": 2.0, "to": "pin bore"}), stated)
        self.assertEqual(told.choices[told.best].probed, "none")

    def test_one_that_nothing_keeps(self):
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.001, "to": "pin bore"})
        self.assertIsNone(shoes(1, tolerance)[1].best)

    def test_too_few_offsets_rule_a_choice_out(self):
        tolerance = (("part", "features", 3, "tolerance"), {"position": 0.04, "to": "pin bore"})
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
        stated = (("setups", 1, "pattern", "seat_scatter"), 0.05), (("setups", 1, "pattern", "pattern_error"), 0.02)
        for edits, origin, station_size in ((stated, "stated", 0.02), ((), "assumed", 0.01)):
            pair = shoes(1, *edits)[1].choices[0].pair
            station = next(each.source.scatter for each in pair.enters if each.source.kind == "station")
            self.assertEqual((station.origin, station.size), (origin, station_size))
            seats = {each.source.scatter.size for each in pair.enters if each.source.kind == "lies"}
            self.assertEqual(seats == {0.05}, bool(edits))


class FindingTest(unittest.TestCase):
    """Whether it pays to find every instance by itself: told where it does, where it does not, and else not at all."""

    TIGHT = (("part", "features", 3, "tolerance"), {"position": 0.04, "to": "pin bore"})
    WIDE = (("part", "features", 3, "tolerance"), {"position": 2.0, "to": "pin bore"})
    NONE = (("setups", 1, "pattern", "probed"), "none")

    def told(self, *edits):
        plan, _ = shoes(1, *edits)
        return {each.code: each for each in offset_each(plan) if each.setup == "Op 20"}

    def test_it_pays(self):
        found = self.told(self.TIGHT, self.NONE)
        self.assertEqual(list(found), ["OFFSET_EACH_PAYS"])
        self.assertIn("5 offsets and", found["OFFSET_EACH_PAYS"].message())
        self.assertEqual(self.told(self.TIGHT), {}, "each is found already")
        self.assertEqual(self.told(self.WIDE, self.NONE), {}, "and here it is near enough")

    def test_it_does_not(self):
        found = self.told(self.WIDE)
        self.assertEqual(list(found), ["OFFSET_EACH_DOES_NOT_PAY"])
        self.assertIn("one offset, local shifts, none probed", found["OFFSET_EACH_DOES_NOT_PAY"].message())

    def test_where_nothing_keeps_it(self):
        never = (("part", "features", 3, "tolerance"), {"position": 0.001, "to": "pin bore"})
        self.assertEqual(self.told(never, self.NONE), {})


if __name__ == "__main__":
    unittest.main()
