"""Entries that stand after corrections, limits and jumps by hand, and the record out and in again without loss."""

from __future__ import annotations

import itertools
import random
import statistics
import unittest
from datetime import UTC, datetime, timedelta, timezone

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.drift import FACTOR, LEAST, Mark, Value, drift, limits_of
from ledgecliff.core.record.entries import RecordEntry, standing
from ledgecliff.core.record.exchange import lines_of, read_lines, read_table, table_of
from ledgecliff.core.record.subjects import split_words, subjects_of_job, subjects_of_setup
from ledgecliff.core.record.times import moment
from tests.draws import draws
from tests.helpers import demo
from tests.store.test_record_db import NASTY, entry, many

DAY = datetime(2026, 3, 2, 7, 0, tzinfo=timezone(timedelta(hours=1)))


def values(numbers, days=1.0):
    return [Value((DAY + timedelta(days=k * days)).isoformat(), x, str(k)) for k, x in enumerate(numbers)]


class TimesTest(unittest.TestCase):
    def test_as_the_library_reads_them(self):
        chance = random.Random(4)
        for _ in range(draws(200, 2000)):
            zone = timezone(timedelta(minutes=chance.randint(-1439, 1439)))
            at = datetime.fromtimestamp(chance.uniform(-6e10, 2e11), UTC).astimezone(zone)
            for told in (at, at.replace(microsecond=0)):
                self.assertAlmostEqual(moment(told.isoformat()), told.timestamp(), places=4)
        self.assertEqual(moment("2026-03-09T07:30Z"), moment("2026-03-09 08:30:00+01:00"))

    def test_what_is_no_time(self):
        for wrong in ("2026-02-29T07:30:00Z", "2026-03-09T24:00:00Z", "2026-03-09T07:30:00", "2026-3-9T07:30Z", "now",
                      "2026-03-09T07:60Z", "2026-03-09T07:30+25:00", "0000-01-01T00:00Z"):  # fmt: skip
            with self.assertRaises(ValueError, msg=wrong):
                moment(wrong)


class StandingTest(unittest.TestCase):
    def test_the_last_correction_stands_at_its_place_in_time(self):
        first, second = entry(1, numbers={"x": 1.0}), entry(2, numbers={"x": 2.0})
        mended = entry(5, corrects=first.id, numbers={"x": 1.5})
        again = entry(9, corrects=mended.id, numbers={"x": 1.25})
        for told in itertools.permutations((first, second, mended, again)):
            found = standing(told)
            self.assertEqual([each.numbers["x"] for each in found], [1.25, 2.0])
            self.assertEqual([each.at for each in found], [first.at, second.at])
        gone = entry(10, corrects=again.id, withdrawn=True)
        self.assertEqual(standing([first, mended, again, gone, second]), [second])
        # What it corrects is not here: it stands by itself.
        self.assertEqual(standing([mended]), [mended])

    def test_circles_end(self):
        """Only a record that was tampered with has them; it is read all the same."""
        one, other = entry(1), entry(2)
        circle = [one.model_copy(update={"corrects": other.id}), other.model_copy(update={"corrects": one.id})]
        self.assertEqual(standing(circle), [])
        self.assertEqual(len(standing([*circle, entry(3)])), 1)

    def test_what_is_no_entry(self):
        for field, value in (
            ("at", "2026-03-09T07:30"), ("at", "yesterday"), ("kind", "guess"), ("id", "x"), ("corrects", entry(1).id),
            ("withdrawn", True),
            ("numbers", {"x": float("nan")}), ("data", {"x": float("inf")}), ("what", 30_000 * "x"),
        ):  # fmt: skip
            with self.assertRaises(ValueError, msg=field):
                entry(1, **{field: value})


class DriftTest(unittest.TestCase):
    def test_limits_by_hand(self):
        """Moving ranges 2 1 3 1 2 1 2: mean 12/7; values of mean 11.5."""
        numbers = (10.0, 12.0, 11.0, 14.0, 13.0, 11.0, 10.0, 12.0)
        found = drift(values(numbers))
        mean, moving = sum(numbers) / 8, 12 / 7
        self.assertEqual(FACTOR, 2.66)
        self.assertAlmostEqual(found.limits.mean, mean)
        self.assertAlmostEqual(found.limits.moving_range, moving)
        self.assertAlmostEqual(found.limits.low, mean - 2.66 * moving)
        self.assertAlmostEqual(found.limits.high, mean + 2.66 * moving)
        self.assertEqual((found.jumps, found.lacking), ((), 0))

    def test_before_there_are_eight_nothing_is_said(self):
        for count in range(LEAST):
            found = drift(values([0.0, 50.0] * 4)[:count])
            self.assertEqual((found.limits, found.jumps, found.proposal, found.lacking), (None, (), "", LEAST - count))

    def test_of_normal_values_few_are_called_jumps(self):
        chance, called, count = random.Random(3), 0, 0
        for _ in range(draws(40, 400)):
            numbers = [chance.gauss(5.0, 0.01) for _ in range(30)]
            found = drift(values(numbers))
            called += sum("beyond" in jump.why for jump in found.jumps)
            count += 30
            # The limits are about three standard deviations to either side.
            half = (found.limits.high - found.limits.low) / 2
            self.assertLess(abs(half / statistics.stdev(numbers) - 3.0), 1.6)
        self.assertLess(called / count, 0.01)

    def test_jumps(self):
        quiet = [0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0, 1.0, 0.0]
        far = drift(values([*quiet, 9.0]))
        self.assertEqual([(jump.index, jump.why) for jump in far.jumps], [(9, "beyond the limits")])
        self.assertIn("newest value is beyond the limits", far.proposal)
        past = drift(values([9.0, *quiet]))
        self.assertEqual([jump.index for jump in past.jumps], [0])
        self.assertEqual(past.proposal, "")
        low = [-1.0, 1.0] * 4
        # The mean is 2.8 / 15; of the eight the last is above it too.
        side = drift(values([*low, *[0.4] * 7]))
        self.assertEqual([(jump.index, jump.why) for jump in side.jumps],
                         [(13, "7 in a row above the mean"), (14, "8 in a row above the mean")])  # fmt: skip
        # Six are not enough.
        six = [0.0, 1.0, 0.0, 0.0, 1.0, 1.0, 0.0, 1.0, *[1.0] * 4]
        self.assertFalse([jump for jump in drift(values(six)).jumps if "row" in jump.why])
        self.assertFalse(drift(values([3.0] * 12)).jumps, "the same every time is no jump")

    def test_from_a_mark_on_it_is_counted_anew(self):
        numbers = [1.0, 1.1] * 5 + [7.0, 7.1] * 5
        whole = drift(values(numbers))
        self.assertTrue(whole.jumps)
        at = values(numbers)[10].at
        # The same moment in another zone.
        elsewhere = datetime.fromisoformat(at).astimezone(timezone(timedelta(hours=-8))).isoformat()
        for told in (at, elsewhere):
            found = drift(values(numbers), [Mark(told, "jaws cut anew")])
            self.assertEqual((found.since, found.jumps), (10, ()))
            self.assertAlmostEqual(found.limits.mean, 7.05)
        late = drift(values(numbers), [Mark(values(numbers)[-3].at, "calibrated")])
        self.assertEqual((late.limits, late.lacking), (None, 5))

    def test_a_straight_way_out_is_foretold(self):
        """A thousandth a day with a scatter of a ten-thousandth: by hand, from the last value to the upper limit."""
        chance = random.Random(5)
        numbers = [0.001 * k + chance.gauss(0.0, 0.0001) for k in range(9)]
        found = drift(values(numbers))
        if found.jumps and found.jumps[-1].index == 8:
            self.assertIn("newest value", found.proposal)
        else:
            self.assertRegex(found.proposal, r"moves by \+0\.00(09|10|11) a day")
        self.assertEqual(drift(values([1.0, 1.2, 1.1, 1.0, 1.2, 1.1, 1.0, 1.2])).proposal, "")
        self.assertAlmostEqual(limits_of([1.0, 3.0]).mean, 2.0)


class ExchangeTest(unittest.TestCase):
    def test_out_and_in_again(self):
        told = list(many(draws(400, 4000)))
        told += [
            entry(10_000 + k, what=what) for k, what in enumerate(("'=x", "=x", "'", "-1.5", "+", "a\r\nb", "", NASTY))
        ]
        told.append(entry(20_000, corrects=told[0].id, withdrawn=True))
        self.assertEqual(list(read_lines("\n".join(lines_of(told)).split("\n"))), told)
        table = table_of(told)
        self.assertEqual(list(read_table(table)), told)
        for cell in table.replace('"', "").split(","):
            self.assertFalse(cell.startswith("="), cell)

    def test_what_cannot_be_read_is_named(self):
        whole = "\n".join(lines_of(many(3)))
        for text, why in (
            ("", "is empty"), ("{", "line 1: is no JSON"), ('{"format": "other"}', "line 1: does not say"),
            (whole.replace('"version": 1', '"version": 2'), "version 2"), (whole + "\n[1]", "line 5, entry"),
            (whole.replace('"by": "Ada"', '"by": 7', 1), "line 2, by"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                list(read_lines(text.split("\n")))
        table = table_of(many(3))
        for text, why in ((table.replace("kind", "sort", 1), "line 1"), (table + "x\n", "1 cells"),
                          (table.replace("{}", "{", 1), "is no JSON")):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                list(read_table(text))


class SubjectsTest(unittest.TestCase):
    def test_what_is_used_in_a_setup(self):
        job = demo()
        every = {(each.kind, each.id): each for each in subjects_of_job(job)}
        used = subjects_of_setup(job, job.setups[0])
        kinds = {each.kind for each in used}
        self.assertEqual(kinds, {"job", "setup", "machine", "offset", "station", "fixture", "probe", "tool"})
        for each in used:
            if each.kind != "offset":
                self.assertEqual(every[each.kind, each.id], each)
        tools = {operation.tool for operation in job.setups[0].operations}
        self.assertEqual(len([each for each in used if each.kind == "tool"]), len(tools))
        self.assertEqual(split_words("fixture: left vise"), ("fixture", "left vise"))
        self.assertEqual(split_words("door: the left one"), (None, "door: the left one"))

    def test_an_entry_is_about_what_it_names(self):
        one = RecordEntry(id=derived_id("a"), kind="note", at=DAY.isoformat(), by="Ada", on=subjects_of_job(demo()))
        self.assertTrue(one.is_about("job", demo().id))
        self.assertFalse(one.is_about("machine", demo().id))


if __name__ == "__main__":
    unittest.main()
