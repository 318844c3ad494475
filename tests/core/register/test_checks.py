"""A job against the register: which values count for it, and what is told of the rest."""

from __future__ import annotations

import unittest

from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.checks import check_offsets, values_for
from ledgecliff.core.register.entries import Entry, Use, Value, claimed, made_resident, released, with_value
from tests.helpers import demo

OWN, VALUE = use_of(demo(), demo().setups[0]), Value(-520.0, -214.0, -409.5)
OTHER = Use("Lamp lid", "Op 10", "", OWN.fixture)


class OwnValueTest(unittest.TestCase):
    """Op 10 keeps its zero in G54."""

    def told(self, entry):
        """Codes of the findings, and whether the value counts."""
        return {finding.code for finding in check_offsets(demo(), [entry])}, "G54" in values_for(demo(), [entry])

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
            ("its fixture's", stays, set(), True),
            ("another fixture's", elsewhere, {"OFFSET_TAKEN"}, False),
        ):
            with self.subTest(words):
                self.assertEqual(self.told(entry), (codes, counts))

    def test_a_code_that_the_job_does_not_use_says_nothing(self):
        entry = with_value(claimed(Entry("G59"), OTHER), VALUE, "touches")
        self.assertEqual(list(check_offsets(demo(), [entry])), [])
        self.assertEqual(values_for(demo(), [entry]), {})
