"""Figures of the record: against draws of a known scatter, with their number of values; taken over, and out of date."""

from __future__ import annotations

import math
import random
import statistics
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.figure import FromRecord
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.stock import size_scatter
from ledgecliff.core.plan import make_plan
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.figures import LEAST, figure_findings, figures_of, with_figure
from ledgecliff.core.record.subjects import about, of_fixture, of_probe
from tests.helpers import demo, models


def entry(number, subject, numbers, kind="measured"):
    at = f"2026-{1 + number // 600:02d}-{1 + number // 24 % 25:02d}T{number % 24:02d}:00:00+00:00"
    return RecordEntry(
        id=derived_id("figure", str(number), subject.id, kind),
        kind=kind,
        at=at,
        by="Ada",
        on=(subject,),
        numbers=numbers,
    )


class FiguresTest(unittest.TestCase):
    def setUp(self):
        self.job = set_value(demo(), ("stock", "lot"), "plate 26-11")
        machine = self.job.machines[0]
        self.vise, self.probe = of_fixture(machine, machine.fixtures[0]), of_probe(machine, machine.probe)
        self.lot = about("batch", "plate 26-11", "plate 26-11")

    def figure(self, entries, what):
        (found,) = [each for each in figures_of(self.job, entries) if each.what.startswith(what)]
        return found

    def test_a_fixture_that_repeats_to_one_side(self):
        """Of |N(0, s)| with an unknown place the figure comes out as s, which is what the plan draws from it."""
        chance, true = random.Random(4), 0.013
        drawn = [0.4 + abs(chance.gauss(0.0, true)) for _ in range(4000)]
        entries = [entry(k, self.vise, {"y off": value, "x off": 5 * k}) for k, value in enumerate(drawn)]
        found = self.figure(entries, "left vise")
        self.assertEqual((found.number, found.values), ("y off", 4000), "along which it closes, not across")
        self.assertAlmostEqual(found.figure, true, delta=0.03 * true)
        centring = set_value(self.job, ("machines", 0, "fixtures", 0, "centring"), True)
        (plain,) = [each for each in figures_of(centring, entries) if each.what.startswith("left vise")]
        self.assertAlmostEqual(plain.figure, statistics.stdev(drawn), 12)

    def test_a_touch_pooled_over_its_series(self):
        """Hand-worked: 1 2 3 has 2 over two, 10 14 has 8 over one: (2 + 8) / 3 in all."""
        values = [("ring", 1), ("ring", 2), ("ring", 3), ("block", 10), ("block", 14)]
        entries = [entry(k, self.probe, {name: value / 1000}) for k, (name, value) in enumerate(values)]
        found = self.figure(entries, "probe T30")
        self.assertAlmostEqual(found.figure, math.sqrt(10 / 3) / 1000, 12)
        self.assertEqual((found.values, found.number), (4, "block, ring"), "three are free, as of four values")

    def test_only_what_was_measured_again_and_again_with_that_probe(self):
        mine = [entry(k, self.probe, {"ring": k / 1000}) for k in range(4)]
        few = self.figure(mine, "probe T30")
        self.assertEqual((few.figure, few.values, few.newest), (None, 4, mine[-1].at[:10]))
        one = self.figure(mine[:1], "probe T30")
        self.assertEqual((one.figure, one.newest), (None, ""))
        others = [entry(k, self.probe, {"ring": 9.0 + k}, "touch") for k in range(10, 20)]
        others += [entry(k, self.vise, {"ring": 9.0 + k}) for k in range(20, 30)]
        self.assertEqual(self.figure([*mine, *others], "probe T30"), few)
        self.assertEqual(self.figure([entry(1, self.vise, {"y off": 0.0})], "left vise").values, 1)

    def test_blanks_of_a_lot(self):
        chance = random.Random(7)
        entries = [
            entry(k, self.lot, {"x": 100 + chance.uniform(-0.8, 0.8), "y": 68 + chance.uniform(-0.1, 0.1), "z": 34.0})
            for k in range(3000)
        ]
        found = self.figure(entries, "blanks of plate")
        for value, wanted in zip(found.figure, (0.8, 0.1, 0.0), strict=True):
            self.assertAlmostEqual(value, wanted, delta=0.03 * wanted + 1e-9)
        job = with_figure(self.job, found)
        self.assertEqual(job.stock.spread(), found.figure)
        self.assertEqual({each.origin for each in size_scatter(job.stock)}, {"from the record"})
        self.assertEqual(figures_of(demo(), entries)[-1].what.startswith("blanks"), False, "no lot is named")

    def test_too_few_values_and_values_before_a_mark(self):
        entries = [entry(k, self.vise, {"y off": k / 1000}) for k in range(LEAST - 1)]
        found = self.figure(entries, "left vise")
        self.assertEqual((found.figure, found.lacking), (None, 1))
        with self.assertRaisesRegex(InvalidValueError, "1 more are needed"):
            with_figure(self.job, found)
        entries += [entry(10, self.vise, {}, "mark"), *(entry(k, self.vise, {"y off": 0.0}) for k in range(11, 17))]
        self.assertEqual(self.figure(entries, "left vise").values, 6)

    def test_taken_over_it_says_where_it_comes_from_until_it_is_typed_over(self):
        entries = [entry(k, self.vise, {"y off": (-1) ** k / 1000}) for k in range(9)]
        found = self.figure(entries, "left vise")
        job = with_figure(self.job, found)
        vise = job.machines[0].fixtures[0]
        self.assertEqual((vise.clamping_scatter, vise.scatter_from.values), (found.figure, 9))
        clamping = make_plan(job, models()).setups[0].holding.clamping
        self.assertEqual((clamping.origin, clamping.freedom, clamping.size), ("from the record", 8.0, found.figure))
        typed = set_value(job, ("machines", 0, "fixtures", 0, "clamping_scatter"), 0.02)
        clamping = make_plan(typed, models()).setups[0].holding.clamping
        self.assertEqual((clamping.origin, clamping.freedom), ("stated", math.inf))
        again = job.model_validate_json(job.model_dump_json())
        self.assertEqual(again, job)

    def told(self, job, entries):
        return [(each.code, each.message()) for each in figure_findings(job, entries)]

    def test_older_or_fewer_than_stated(self):
        entries = [entry(k, self.vise, {"y off": (-1) ** k / 1000}) for k in range(9)]
        job = with_figure(self.job, self.figure(entries, "left vise"))
        self.assertEqual(self.told(job, entries), [])
        self.assertEqual(self.told(self.job, []), [], "stated by hand, of no values")
        ((code, words),) = self.told(job, entries[:7])
        self.assertEqual(code, "FIGURE_OUT_OF_DATE")
        self.assertIn("9 values", words)
        self.assertIn("has 7 values", words)
        self.assertEqual(len(self.told(job, [*entries, entry(20, self.vise, {}, "mark")])), 1, "ground since")
        newer = FromRecord(
            number="y off", values=3, newest="2026-12-01", figure=job.machines[0].fixtures[0].clamping_scatter
        )
        path = ("machines", 0, "fixtures", 0, "scatter_from")
        self.assertEqual(len(self.told(set_value(job, path, newer), entries)), 1)
        typed = set_value(job, ("machines", 0, "fixtures", 0, "clamping_scatter"), 0.02)
        self.assertEqual(self.told(typed, []), [], "typed over, it is nobody's figure but one's own")


if __name__ == "__main__":
    unittest.main()
