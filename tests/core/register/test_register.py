"""The register's rules: who may have a code, what is stale, what is given out, and in which order."""

from __future__ import annotations

import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import RegisterError
from ledgecliff.core.model.work_offsets import ExtendedOffsets, code_of, codes_of
from ledgecliff.core.register.allocation import allocate, allocated, use_of
from ledgecliff.core.register.entries import (
    Entry,
    Use,
    Value,
    claimed,
    cleared,
    found,
    labelled,
    made_resident,
    released,
    with_value,
)
from tests.helpers import demo

LID = Use("Lamp lid", "Op 10", fixture="left vise")
HOUSING = Use("Float housing", "Op 10", fixture="left vise")
VALUE = Value(-520.0, -214.0, -409.5)


def extended(count=48):
    return demo().machine.model_copy(update={"extended": ExtendedOffsets(count=count)})


def entries(*changed, count=6):
    """G54 on, with some of them replaced."""
    given = {entry.code: entry for entry in changed}
    return tuple(given.get(f"G{number}", Entry(f"G{number}")) for number in range(54, 54 + count))


class CodesTest(unittest.TestCase):
    def test_standard_and_extended_ones_say_how_they_are_written(self):
        codes = {code.code: code for code in codes_of(extended())}
        self.assertEqual(len(codes), len(demo().machine.offsets) + 48)
        self.assertEqual((codes["G55"].level, codes["G55"].number, codes["G55"].parameter), (2, 2, 5241))
        more = codes["G54.1 P7"]
        self.assertEqual((more.level, more.number, more.parameter), (20, 7, 7001 + 120))
        self.assertEqual(len(codes_of(demo().machine)), len(demo().machine.offsets))

    def test_a_code_is_known_however_it_is_written(self):
        for words in ("G54.1 P7", "g54.1p7", " G54.1  p7 "):
            self.assertEqual(code_of(extended(), words).number, 7)
        for words in ("G54.1 P49", "G54.1", "P7", ""):
            self.assertIsNone(code_of(extended(), words))


class UseTest(unittest.TestCase):
    def test_a_code_is_kept_for_one_setup_at_a_time(self):
        entry = claimed(Entry("G54"), LID)
        self.assertEqual(claimed(entry, LID).use, LID)
        with self.assertRaisesRegex(RegisterError, "G54: Lamp lid · Op 10 has it; release it there"):
            claimed(entry, HOUSING)
        self.assertEqual(claimed(released(entry), HOUSING).use, HOUSING)
        with self.assertRaisesRegex(RegisterError, "nothing to release"):
            released(Entry("G54"))

    def test_a_setup_has_one_code(self):
        held = claimed(Entry("G54"), LID)
        with self.assertRaisesRegex(RegisterError, "has G54 already"):
            claimed(Entry("G55"), LID, (held,))
        other = Use("Lamp lid", "Op 10", instance="2")
        self.assertEqual(claimed(Entry("G55"), other, (held,)).use, other)

    def test_a_resident_fixtures_code_is_for_what_it_holds(self):
        entry = made_resident(Entry("G54"), "left vise")
        self.assertEqual(claimed(entry, LID).use, LID)
        elsewhere = Use("Lamp lid", "Op 20", fixture="plate")
        with self.assertRaisesRegex(RegisterError, "stays with the left vise"):
            claimed(entry, elsewhere)
        with self.assertRaisesRegex(RegisterError, "release it first"):
            made_resident(claimed(Entry("G54"), elsewhere), "left vise")
        self.assertEqual(made_resident(entry, "").resident, "")

    def test_a_value_of_another_job_is_stale_until_it_is_found_again(self):
        entry = with_value(claimed(Entry("G54"), LID), VALUE, "touches")
        self.assertEqual((entry.state(), entry.is_stale), ("in use", False))
        left = released(entry)
        self.assertEqual(left.state(), "free, old value")
        other = claimed(left, HOUSING)
        self.assertEqual((other.state(), other.is_stale), ("stale", True))
        self.assertFalse(with_value(other, VALUE, "tape").is_stale)
        self.assertEqual(cleared(other).state(), "to be found")

    def test_what_stays_is_not_stale(self):
        """A vise that stays has its value for whatever is clamped in it, where the zero follows from the vise alone."""
        entry = with_value(made_resident(Entry("G54"), "left vise"), VALUE, "tape")
        self.assertFalse(claimed(entry, replace(LID, of_fixture=True)).is_stale)
        self.assertTrue(claimed(entry, LID).is_stale)
        self.assertEqual(entry.state(), "resident")

    def test_text_that_finds_no_room_is_refused_or_cut(self):
        """A server's columns hold 200 characters; what happened is told as far as there is room."""
        for change in (labelled, made_resident):
            self.assertEqual(len(change(Entry("G54"), "x" * 200).what) > 0, True)
            with self.assertRaisesRegex(RegisterError, "201 characters is too long"):
                change(Entry("G54"), "x" * 201)
        entry = claimed(Entry("G54"), Use("A job " + "j" * 190, "Op " + "s" * 190))
        self.assertEqual(len(released(entry).what), 200)

    def test_several_changes_at_once_are_all_told(self):
        self.assertEqual(labelled(claimed(Entry("G54"), LID), " lid ").what, "claimed, label")
        self.assertEqual(labelled(Entry("G54", 3, what="claimed", at="2026"), "lid").what, "label")


class SearchTest(unittest.TestCase):
    def test_every_word_must_occur_somewhere(self):
        rows = entries(
            labelled(claimed(Entry("G54"), LID), "near the door"),
            made_resident(Entry("G55"), "rotary chuck"),
        )
        for text, codes in (
            ("door", ["G54"]), ("LAMP op", ["G54"]), ("chuck", ["G55"]), ("free", ["G56", "G57", "G58", "G59"]),
            ("g57", ["G57"]), ("lamp chuck", []), ("", [f"G{n}" for n in range(54, 60)]),
        ):  # fmt: skip
            self.assertEqual([entry.code for entry in found(rows, text)], codes, text)


class AllocationTest(unittest.TestCase):
    def codes(self, *changed, job=None, count=6):
        return [each.code for each in allocate(job or demo(), entries(*changed, count=count))]

    def test_as_planned_where_that_is_free(self):
        self.assertEqual(self.codes(), ["G54", "G55"])

    def test_another_jobs_code_is_left_alone(self):
        self.assertEqual(self.codes(claimed(Entry("G54"), LID)), ["G56", "G55"])

    def test_what_a_setup_has_it_keeps(self):
        use = use_of(demo(), demo().setups[1])
        self.assertEqual(self.codes(claimed(Entry("G58"), use)), ["G54", "G58"])

    def test_a_resident_fixtures_code_goes_to_its_setup(self):
        job = demo()
        fixture = use_of(job, job.setups[0]).fixture
        self.assertEqual(self.codes(made_resident(Entry("G59"), fixture))[0], "G59")
        self.assertEqual(self.codes(made_resident(Entry("G54"), "rotary chuck"))[0], "G56")

    def test_codes_without_an_old_value_come_first(self):
        old = released(with_value(claimed(Entry("G56"), LID), VALUE, "tape"))
        self.assertEqual(self.codes(claimed(Entry("G54"), LID), old)[0], "G57")

    def test_two_setups_planned_on_one_code_get_two(self):
        job = set_value(demo(), ("setups", 1, "offset"), "G54")
        self.assertEqual(self.codes(job=job), ["G54", "G55"])
        given_ = allocated(job, allocate(job, entries()))
        self.assertEqual([setup.offset for setup in given_.setups], ["G54", "G55"])

    def test_too_few_are_told_with_their_number(self):
        with self.assertRaisesRegex(RegisterError, "1 more work offset is needed and none is free"):
            self.codes(count=1)
        with self.assertRaisesRegex(RegisterError, "2 more work offsets are needed"):
            self.codes(claimed(Entry("G54"), LID), count=1)

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.sampled_from(("free", "other", "resident", "old", "mine")), min_size=6, max_size=6))
    def test_no_code_is_given_twice_nor_taken_from_anyone(self, states):
        job = demo()
        mine = use_of(job, job.setups[0])
        rows, owned = [], False
        for k, state in enumerate(states):
            entry = Entry(f"G{54 + k}")
            match state:
                case "other":
                    entry = claimed(entry, Use("Old job", f"Op {k}", fixture="plate"))
                case "resident":
                    entry = made_resident(entry, f"jig {k}")
                case "old":
                    entry = with_value(entry, VALUE, "typed")
                case "mine" if not owned:
                    entry, owned = claimed(entry, mine), True
            rows.append(entry)
        try:
            given_ = [each.code for each in allocate(job, rows)]
        except RegisterError:
            free = sum(entry.is_free for entry in rows) + owned
            self.assertLess(free, len(job.setups))
            return
        self.assertEqual(len(set(given_)), len(job.setups))
        for code, setup in zip(given_, job.setups, strict=True):
            entry = next(entry for entry in rows if entry.code == code)
            # Whoever gets a code may also claim it.
            self.assertEqual(claimed(entry, use_of(job, setup)).use, use_of(job, setup))
