"""Guided pages for centres: what they ask for is what the readings need, and what is wrong is named by its label."""

from __future__ import annotations

import unittest

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.touchoff.centre_guides import guides_for, reading_of
from ledgecliff.core.touchoff.centre_readings import FlatSweep, TestCutCentre
from ledgecliff.core.touchoff.centres import centre_from
from tests.core.rehearsal.test_indexed import COLUMN
from tests.core.test_rotary_schools import TABLE, TILTING

#: Something for every field that nothing stands in at first.
TYPED = {"gap": "0", "over": "", "apart": "200", "bar_diameter": "30", "spigot_diameter": "20", "tool_diameter": "12"}


def typed(guide, **more):
    return {asked.key: "0" for asked in guide.asked if not asked.begins} | TYPED | more


class GuidesTest(unittest.TestCase):
    def test_every_page_comes_to_something(self):
        seen = set()
        for axis in (TILTING, TABLE, COLUMN):
            for guide in guides_for(axis):
                found = centre_from(reading_of(axis, guide, typed(guide), "mm"))
                seen.add(guide.title)
                self.assertTrue(found.centre or found.flat_deg is not None, (axis.name, guide.title))
                self.assertNotIn(axis.about, dict(found.centre))
                self.assertGreater(len(guide.steps), 1)
        self.assertEqual(len(seen), 8)

    def test_by_hand_in_inches_with_sums(self):
        (faces,) = (guide for guide in guides_for(TILTING) if guide.kind == "trunnion faces")
        given = {"z_table": "-330.25 mm", "radius": "2 mm", "first.y": "-270.5mm", "second.y": "-150.5 mm"}
        found = centre_from(reading_of(TILTING, faces, given, "in"))
        self.assertAlmostEqual(dict(found.centre)["y"], -210.5)
        self.assertAlmostEqual(dict(found.centre)["z"], -388.25)

    def test_what_is_missing_or_wrong_is_named(self):
        (faces,) = (guide for guide in guides_for(TILTING) if guide.kind == "trunnion faces")
        unseen = TILTING.model_copy(update={"sense": None})
        for axis, given, why in (
            (TILTING, {}, "Z of the face, level: nothing is typed"),
            (TILTING, typed(faces, **{"first.y": "about 5"}), "Y there: 'about 5' is not understood"),
            (TILTING, typed(faces, **{"first.degrees": "ninety"}), "First angle: 'ninety'"),
            (TILTING, typed(faces, **{"second.degrees": "85"}), "nearly the same"),
            (TILTING, typed(faces, radius="-2"), "Radius of ball or finder"),
            (unseen, typed(faces), "run the sense test first"),
        ):
            with self.assertRaisesRegex(InvalidValueError, why):
                reading_of(axis, faces, given, "mm")

    def test_the_shift_of_a_test_cut(self):
        (cut,) = (guide for guide in guides_for(TABLE) if guide.kind == "test cut")
        given = typed(cut, step="0.004", moved_along="3", along="y")
        reading = reading_of(TABLE, cut, given, "mm")
        self.assertIsInstance(reading, TestCutCentre)
        self.assertIn("still stands shifted", centre_from(reading).left)
        self.assertEqual(centre_from(reading_of(TABLE, cut, given | {"moved_back": "yes"}, "mm")).left, "")
        left = TILTING.model_copy(update={"sense": "left-handed"})
        (level,) = (guide for guide in guides_for(left) if guide.kind == "flat sweep")
        self.assertEqual(reading_of(left, level, typed(level), "mm"), FlatSweep(
            sense="left-handed", word_deg=0.0, z_low=0.0, z_high=0.0, apart=200.0,
        ))  # fmt: skip


if __name__ == "__main__":
    unittest.main()
