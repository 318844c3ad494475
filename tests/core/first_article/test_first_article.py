"""What is asked, what was measured, and whether that passes; tables in and out; when it is told as a finding."""

from __future__ import annotations

import csv
import io
import random
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.first_article.lines import Line, lines_of, sampled
from ledgecliff.core.first_article.measured import article, article_findings, from_touches, of_values, parts_measured
from ledgecliff.core.first_article.tables import article_csv, measured_in
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.record.entries import RecordEntry, correction
from ledgecliff.core.record.subjects import about, of_job
from tests.helpers import demo


def asked(**tolerance):
    """The demo with a tolerance at its first feature, the main bore."""
    return set_value(demo(), ("part", "features", 0, "tolerance"), Tolerance(**tolerance))


def kept(job, part, *values, at=0):
    """As the record has what was measured, hour by hour."""
    return [
        RecordEntry(
            id=derived_id("article", f"{part} {at} {k}"), kind=draft.kind, by="ada", on=draft.on, what=draft.what,
            at=f"2026-03-{1 + at:02d}T{k:02d}:00:00+00:00", numbers=dict(draft.numbers), data=dict(draft.data),
        )
        for k, draft in enumerate(of_values(job, part, values, "Ada", "bore gauge"))
    ]  # fmt: skip


class LinesTest(unittest.TestCase):
    def test_what_the_drawing_gives(self):
        job = asked(size=0.02, position=0.05, to="bolt hole SW", even=0.1)
        lines = {line.key: line for line in lines_of(job)}
        size = lines["main bore", "diameter"]
        self.assertEqual((size.nominal, size.low, size.high), (22.0, 21.98, 22.02))
        self.assertEqual(lines["main bore", "position from bolt hole SW"].high, 0.05)
        self.assertEqual(lines["main bore", "edge uneven by"].high, 0.1)
        self.assertFalse(lines["bolt hole SW", "diameter"].is_judged)
        # A hole right through has no depth that could be measured; a blind one has.
        for feature in job.part.features:
            blind = feature.depth is not None and not feature.through
            self.assertEqual((feature.name, "depth") in lines, blind, feature.name)
        for through in (True, False):
            hole = job.part.features[1].model_copy(update={"depth": 9.0, "through": through})
            lines = {line.key for line in lines_of(set_value(job, ("part", "features", 1), hole))}
            self.assertEqual((hole.name, "depth") in lines, not through)

    def test_on_a_limit_it_passes(self):
        line = Line("bore", "diameter", 22.0, 22.0 - 0.02, 22.0 + 0.02)
        for value, passes in ((22.02, True), (21.98, True), (22.0201, False), (21.9799, False)):
            self.assertEqual(line.passes(value), passes, value)
        # Summed from tenths, a limit is not the double that is typed for it.
        self.assertTrue(Line("a", "width", 0.1, 0.0, 0.1 + 0.2).passes(0.3))
        self.assertTrue(Line("a", "width", 0.3, 0.3, 0.4).passes(0.1 + 0.2))
        with self.assertRaises(ValueError):
            Line("a", "depth", 1.0).passes(1.0)
        for half in (Line("a", "depth", 1.0, low=0.9), Line("a", "depth", 1.0, high=1.1)):
            self.assertFalse(half.is_judged)
            with self.assertRaises(ValueError):
                half.passes(1.0)

    def test_sampling(self):
        self.assertEqual(sampled(5, 12), (1, 6, 11, 12))
        self.assertEqual(sampled(1, 3), (1, 2, 3))
        self.assertEqual(sampled(100, 1), (1,))
        for every, parts in ((0, 5), (1, 0)):
            with self.assertRaises(ValueError):
                sampled(every, parts)


class MeasuredTest(unittest.TestCase):
    def setUp(self):
        self.job = asked(size=0.02)
        self.line = lines_of(self.job)[0]

    def of(self, entries, part="1"):
        return next(each for each in article(self.job, entries, part) if each.line.key == self.line.key)

    def found(self, entries):
        return [each.message() for each in article_findings(self.job, entries)]

    def test_the_newest_counts_and_a_correction_in_the_place_of_the_wrong_one(self):
        first, second = kept(self.job, "1", (self.line, 22.5)), kept(self.job, "1", (self.line, 22.01), at=1)
        self.assertEqual(self.of(()).verdict, "")
        self.assertEqual(self.of(first).verdict, "FAIL")
        self.assertEqual((self.of(first + second).value, self.of(second + first).verdict), (22.01, "pass"))
        mended = correction(second[0], id=derived_id("mended"), at="2026-03-09T00:00:00+00:00", by="Bo",
                            numbers={"diameter": 22.3})  # fmt: skip
        self.assertEqual(self.of([*first, *second, mended]).verdict, "FAIL")
        gone = correction(mended, id=derived_id("gone"), at="2026-03-10T00:00:00+00:00", by="Bo", withdrawn=True)
        self.assertEqual(self.of([*second, mended, gone]).verdict, "")
        self.assertEqual((self.of(second).by, self.of(second).with_what), ("Ada", "bore gauge"))

    def test_told_as_long_as_the_part_that_was_measured_last_is_out(self):
        bad, good = kept(self.job, "1", (self.line, 22.5)), kept(self.job, "2", (self.line, 22.0), at=1)
        self.assertEqual(self.found(good), [])
        (words,) = self.found(bad)
        self.assertIn("measured 22.500 mm (Ada, 2026-03-01)", words)
        self.assertIn("21.980 mm to 22.020 mm", words)
        self.assertEqual(self.found(bad + good), [], "another part was measured since, and passes")
        self.assertEqual(parts_measured(self.job, bad + good), ("1", "2"))
        self.assertEqual(len(self.found(good + kept(self.job, "1", (self.line, 22.5), at=2))), 1)
        other = self.job.model_copy(update={"id": derived_id("another job")})
        self.assertEqual(list(article_findings(other, bad)), [], "of that name is not that job")

    def test_without_a_tolerance_nothing_fails(self):
        loose = demo()
        self.assertEqual(list(article_findings(loose, kept(loose, "1", (lines_of(loose)[0], 99.0)))), [])

    def test_a_part_must_be_called_something(self):
        with self.assertRaises(InvalidValueError):
            of_values(self.job, "  ", [(self.line, 1.0)], "", "")

    def test_sizes_from_touches(self):
        bore = about("feature", f"{self.job.id}/main bore", "main bore")
        touches = [
            RecordEntry(id=derived_id("touch", str(k)), kind="touch", at=f"2026-03-01T0{k}:00:00+00:00", by="ada",
                        on=on, numbers=numbers)
            for k, (on, numbers) in enumerate((
                ((of_job(self.job), bore), {"size": 22.03}), ((of_job(self.job), bore), {"size": 22.01}),
                ((of_job(self.job), bore), {"x": 1.0}), ((bore,), {"size": 9.0}),
            ))
        ]  # fmt: skip
        ((line, value, entry),) = from_touches(self.job, touches)
        self.assertEqual((line.key, value, entry.id), (self.line.key, 22.01, touches[1].id))
        self.assertEqual(from_touches(self.job, touches[2:]), [])


class TableTest(unittest.TestCase):
    def setUp(self):
        self.job = asked(size=0.02)

    def test_out_and_in_again(self):
        chance = random.Random(8)
        for unit in ("mm", "in"):
            values = [(line, chance.uniform(-50, 50)) for line in lines_of(self.job)]
            text = article_csv(article(self.job, kept(self.job, "1", *values)), unit)
            back = {line.key: value for line, value, _ in measured_in(text, self.job, "mm")}
            self.assertEqual(set(back), {line.key for line, _ in values})
            for line, value in values:
                self.assertAlmostEqual(back[line.key], value, 9)

    def test_a_measuring_tables_own_order_and_commas(self):
        text = "Measured;What;Feature;with\n22,013;diameter;main bore;=cmd()\n;depth;pocket;\n"
        ((line, value, instrument),) = measured_in("\ufeff" + text, self.job)
        self.assertEqual((line.key, value, instrument), (("main bore", "diameter"), 22.013, "=cmd()"))
        ((_, inches, _),) = measured_in("feature,what,measured,unit\nmain bore,diameter,0.866,in\n", self.job)
        self.assertAlmostEqual(inches, 0.866 * 25.4, 12)

    def test_cells_are_harmless(self):
        last = len(self.job.part.features) - 1
        job = set_value(self.job, ("part", "features", last, "name"), "=HYPERLINK(1)")
        line = next(each for each in lines_of(job) if "HYPERLINK" in each.feature)
        text = article_csv(article(job, kept(job, "1", (line, 10.1))))
        row = next(row for row in csv.DictReader(io.StringIO(text)) if "HYPERLINK" in row["feature"])
        self.assertFalse(row["feature"].startswith("="))
        self.assertEqual([each[0] for each in measured_in(text, job)], [line])

    def test_refused_with_line_and_reason(self):
        for text, words in (
            ("feature,what\n", "no column 'measured'"), ("", "no column"),
            ("feature,what,measured\nmain bore,diametre,1\n", "line 2"),
            ("feature,what,measured\nmain bore,diameter,wide\n", "'wide' is no number"),
            ("feature,what,measured\nmain bore,diameter,nan\n", "is no number"),
            ("feature,what,measured\nmain bore,diameter,1e9\n", "is no number"),
            ("feature,what,measured,unit\nmain bore,diameter,1,cm\n", "neither mm nor in"),
            ("feature,what,measured\nmain bore,diameter,1\nmain bore,diameter,2\n", "line 3"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(InvalidValueError, words):
                measured_in(text, self.job)


if __name__ == "__main__":
    unittest.main()
