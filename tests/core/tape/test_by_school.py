"""What each school of offsets keeps, on the tape of an indexed setup."""

from __future__ import annotations

import unittest

from ledgecliff.core.look import Look
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape.by_school import school_lines
from ledgecliff.core.tape.scenes import scene_tape
from tests.helpers import demo_plan, shipped_plan


class BySchoolTest(unittest.TestCase):
    def test_the_worked_example(self):
        """A90 C0 by hand: the zero, on the C axis, at (-402.120, -317.750, -388.490); the centre school's stays."""
        plan = shipped_plan("sluice-valve-block")
        lines = school_lines(plan, plan.setups[1])
        heads = [k for k, line in enumerate(lines) if line.kind == "heading"]
        offsets = {lines[k].text: [line.mm for line in lines[k + 1 : k + 4]] for k in heads}
        for words, wanted in (
            ("One at the centre of rotation", (-402.12, -210.5, -388.25)),
            ("One an index, worked out", (-402.12, -317.75, -388.49)),
            ("The model from the centre of rotation", (-45.0, -35.24, 47.25)),
        ):
            for found, value in zip(offsets[words], wanted, strict=True):
                self.assertAlmostEqual(found, value, places=6)
        self.assertEqual([line.mm for line in lines if "miss" in line.text], [0.24000000000000909])
        self.assertEqual(school_lines(demo_plan(), demo_plan().setups[0]), ())

    def test_where_the_axes_take_it(self):
        """Y of the new is Z of the old the other way, with what both centres add; each adds up to its total."""
        plan = shipped_plan("sluice-valve-block")
        scene = next(each for each in scenes_of(plan) if each.title == "Op 20")
        lines = scene_tape(Look(plan, scene), "datum").lines
        at = next(k for k, line in enumerate(lines) if line.text == "Y from rotary index")
        turned, added, total = lines[at + 1 : at + 4]
        self.assertEqual(turned.text, "Z of Op 10, G54, the other way")
        self.assertAlmostEqual(turned.mm + added.mm, total.mm)
        self.assertAlmostEqual(total.mm, -317.75)


if __name__ == "__main__":
    unittest.main()
