"""A job against the register: which values count for it, and what is told of the rest."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.errors import RegisterError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.checks import check_offsets, values_for
from ledgecliff.core.register.entries import Entry, Use, Value, claimed, made_resident, released, with_value
from ledgecliff.core.register.meaning import meaning_of
from tests.core.test_fence import board_plan
from tests.helpers import demo

OWN, VALUE = use_of(demo(), demo().setups[0]), Value(-520.0, -214.0, -409.5)
OTHER = Use("Lamp lid", "Op 10", "", OWN.fixture)


#: The same setup of the same title, with its zero at the stock's left side; and as registers of 0.6.0 had it.
ELSEWHERE = use_of(
    set_datum(demo(), 0, "x", "stock minus side"), set_datum(demo(), 0, "x", "stock minus side").setups[0]
)
OLD = Use(OWN.job, OWN.setup, "", OWN.fixture)


class OwnValueTest(unittest.TestCase):
    """Op 10 keeps its zero in G54."""

    def told(self, entry):
        """Codes of the findings, and whether the value counts."""
        return {finding.code for finding in check_offsets(demo(), [entry])}, (demo().machine.id, "G54") in values_for(
            demo(), [entry]
        )

    def test_each_way_a_value_can_stand_there(self):
        empty = Entry("G54")
        mine = with_value(claimed(empty, OWN), VALUE, "touches")
        theirs = with_value(claimed(empty, OTHER), VALUE, "touches")
        stays = with_value(made_resident(empty, OWN.fixture), VALUE, "tape")
        elsewhere = with_value(made_resident(empty, "rotary chuck"), VALUE, "tape")
        for words, entry, codes, counts in (
            ("nothing", empty, set(), False),
            ("its own", mine, set(), True),
            ("its own, given back", released(mine), set(), True),
            ("another job's", theirs, {"OFFSET_TAKEN"}, False),
            ("another job's, given back", released(theirs), {"OFFSET_STALE"}, False),
            ("another job's, claimed", claimed(released(theirs), OWN), {"OFFSET_STALE"}, False),
            ("its fixture's, on which its zero does not lie", stays, {"OFFSET_STALE"}, False),
            (
                "its own, for another zero",
                with_value(claimed(empty, ELSEWHERE), VALUE, "touches"),
                {"OFFSET_STALE"},
                False,
            ),
            (
                "its own, from before meanings",
                with_value(claimed(empty, OLD), VALUE, "touches"),
                {"OFFSET_STALE"},
                False,
            ),
            ("another fixture's", elsewhere, {"OFFSET_TAKEN"}, False),
        ):
            with self.subTest(words):
                self.assertEqual(self.told(entry), (codes, counts))

    def test_a_fixture_that_says_where_the_zero_is_has_its_value_for_any_part(self):
        job = demo()
        for axis, source in (("x", "fixture value"), ("y", "fixed jaw"), ("z", "parallels")):
            job = set_datum(job, 0, axis, source)
        stays = with_value(made_resident(Entry("G54"), OWN.fixture), VALUE, "tape")
        self.assertEqual(list(check_offsets(job, [stays])), [])
        self.assertIn((demo().machine.id, "G54"), values_for(job, [stays]))

    def test_what_changes_the_meaning_of_a_number_and_what_does_not(self):
        first = demo().setups[0]
        for path, value, same in (
            (("title",), "Another name", True),
            (("stock", "measured", "x"), 99.8, True),
            (("setups", 0, "offset"), "G57", True),
            (("setups", 0, "operations", 0, "name"), "face it", True),
            (("setups", 1, "orientation"), first.orientation, True),
            (("stock", "nominal", "x"), 99.0, False),
            (("setups", 0, "datum", "x", "shift"), 0.5, False),
            (("setups", 0, "orientation"), demo().setups[1].orientation, False),
            (("machines", 0, "stations", 0, "at", "x"), demo().machine.stations[0].at.x + 1.0, False),
            (("part", "model", "sha256"), "0" * 64, False),
            (("machines", 0, "lengths_from"), "reference plane", False),
        ):
            job = set_value(demo(), path, value)
            self.assertEqual(meaning_of(job, job.setups[0]) == OWN.meaning, same, path)
        # What is measured of a batch is not the zero's; a fence that stock lies against is.
        batch = set_value(demo(), ("stock", "batch"), {"sizes": [100.1]})
        self.assertEqual(meaning_of(batch, batch.setups[0]), OWN.meaning)
        fenced = board_plan("left").job
        bare = set_value(fenced, ("setups", 0, "hold", "fence"), None)
        self.assertNotEqual(meaning_of(fenced, fenced.setups[0]), meaning_of(bare, bare.setups[0]))
        # A setup hangs on what was cut before it.
        job = set_value(demo(), ("setups", 0, "operations"), first.operations[:1])
        self.assertNotEqual(meaning_of(job, job.setups[1]), meaning_of(demo(), demo().setups[1]))

    def test_registers_of_before_go_on_to_count(self):
        """As 0.9.0 wrote them; what a model gains since must not make them another zero."""
        digests = [meaning_of(demo(), setup) for setup in demo().setups]
        self.assertEqual(digests, ["6ca65cf949b83859", "3a141583786518ca"])

    def test_a_code_that_the_job_does_not_use_says_nothing(self):
        entry = with_value(claimed(Entry("G59"), OTHER), VALUE, "touches")
        self.assertEqual(list(check_offsets(demo(), [entry])), [])
        self.assertEqual(values_for(demo(), [entry]), {})


class IdentityTest(unittest.TestCase):
    """A code belongs to a job and a setup, not to what they are called."""

    def setUp(self):
        self.mine = with_value(claimed(Entry("G54"), OWN), VALUE, "touches")

    def told(self, job):
        return {finding.code for finding in check_offsets(job, [self.mine])}, (demo().machine.id, "G54") in values_for(
            job, [self.mine]
        )

    def test_a_renamed_job_and_setup_keep_their_code_and_value(self):
        job = set_value(set_value(demo(), ("title",), "Housing, old form"), ("setups", 0, "name"), "First clamping")
        self.assertEqual(self.told(job), (set(), True))

    def test_a_copy_that_became_another_job_owns_nothing(self):
        copy = demo().model_copy(update={"id": derived_id("copy")})
        self.assertEqual(self.told(copy), ({"OFFSET_TAKEN"}, False))
        with self.assertRaisesRegex(RegisterError, "Float housing · Op 10 has it"):
            claimed(self.mine, use_of(copy, copy.setups[0]))

    def test_another_setup_under_the_old_name_owns_nothing(self):
        other = set_value(demo(), ("setups", 0, "id"), derived_id("another clamping"))
        self.assertEqual(self.told(other), ({"OFFSET_TAKEN"}, False))

    def test_what_an_older_register_keeps_goes_by_name(self):
        old = with_value(claimed(Entry("G54"), OLD), VALUE, "touches")
        self.assertEqual([f.code for f in check_offsets(demo(), [old])], ["OFFSET_STALE"])
        renamed = set_value(demo(), ("setups", 0, "name"), "First clamping")
        self.assertEqual([f.code for f in check_offsets(renamed, [old])], ["OFFSET_TAKEN"])
