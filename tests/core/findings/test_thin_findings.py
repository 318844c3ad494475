"""Thin places that are clamped on: what is proposed to be left there, and the reminder that it must go.

The block is 60 x 40 x 20.  Op 10 has +Z up, Op 20 is turned over, Op 30 has +Z up again.
"""

from __future__ import annotations

import unittest

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.operations import Bore, EdgeBreak, Face, Hole, Pocket, Seen
from ledgecliff.core.remedies.tried import tried, with_fix
from tests.jobs import block_job, feature, plan_of, setup

#: A wall of 1 beside the jaws' band; a floor of 1; both under the 1.5 that are stated.
WALL = feature("well", "pocket", (30, 20, 6), length=40, width=38, depth=14, lengthwise="+X", radius=4)
FLOOR = feature("well", "pocket", (30, 20, 1), length=40, width=20, depth=19, lengthwise="+X", radius=4)
HOLE = feature("hole", "hole", (6, 6, 20), diameter=4, depth=5)
CUT = Pocket(name="hollow", tool=3, on="well")
DRILLED = (Hole(name="h", tool=2, on="hole"),)


def job_of(well, *first, again=DRILLED, third=True):
    one = setup(*(first or (CUT,)))
    two = setup(name="Op 20", up="-Z", offset="G55")
    three = setup(*again, name="Op 30", offset="G56")
    return block_job(one, two, *((three,) if third else ()), features=(well, HOLE))


def thin(of, name="Op 20"):
    return [f for f in findings_of(plan_of(of)) if f.code == "THIN_WHILE_CLAMPED" and f.setup == name]


def cured(of, finding):
    """Labels of the fixes that hold, each tried on a copy and judged by all rules."""
    plan = plan_of(of)
    found = findings_of(plan)
    return [fix.label for fix in finding.fixes if tried(plan, found, [finding], fix, findings_of) is not None]


class LeftTest(unittest.TestCase):
    def test_pressed_on_it_is_cut_once_that_side_is_up_again(self):
        (finding,) = thin(job_of(WALL))
        self.assertEqual(finding.severity, "error")
        labels = [fix.label for fix in finding.fixes]
        self.assertIn("Cut 'hollow' in Op 30", labels)
        moved = with_fix(job_of(WALL), finding.fixes[labels.index("Cut 'hollow' in Op 30")])
        self.assertEqual([len(each.operations) for each in moved.setups], [0, 0, 2])
        self.assertEqual(thin(moved), [])
        self.assertAlmostEqual(plan_of(moved).finished.volume, plan_of(job_of(WALL)).finished.volume, places=6)

    def test_a_floor_may_be_left_as_thick_as_is_stated(self):
        (finding,) = thin(job_of(FLOOR))
        labels = [fix.label for fix in finding.fixes]
        self.assertEqual(labels, ["Cut 'hollow' in Op 30", "Leave ⟦0.5⟧ in 'hollow' until Op 30"])
        self.assertEqual(cured(job_of(FLOOR), finding), labels)
        left = with_fix(job_of(FLOOR), finding.fixes[1])
        self.assertAlmostEqual(plan_of(left).setups[1].thinnest.mm, 1.5)
        self.assertEqual(thin(left), [])
        self.assertAlmostEqual(plan_of(left).finished.volume, plan_of(job_of(FLOOR)).finished.volume, places=6)

    def test_where_that_side_never_comes_up_again_it_is_only_left(self):
        (finding,) = thin(job_of(FLOOR, third=False))
        self.assertEqual([fix.label for fix in finding.fixes], ["Leave ⟦0.5⟧ in 'hollow'"])
        self.assertEqual(cured(job_of(FLOOR, third=False), finding), ["Leave ⟦0.5⟧ in 'hollow'"])
        (wall,) = thin(job_of(WALL, third=False))
        self.assertEqual(wall.fixes, ())

    def test_what_has_no_part_in_it_is_not_proposed(self):
        (finding,) = thin(job_of(FLOOR, Hole(name="h", tool=2, on="hole"), CUT))
        self.assertFalse(any("'h'" in fix.label for fix in finding.fixes))


class ReminderTest(unittest.TestCase):
    def told(self, of):
        return [(f.setup, f.about) for f in findings_of(plan_of(of)) if f.code == "LEFT_SOLID"]

    def test_until_something_takes_it(self):
        left = CUT.model_copy(update={"leave": 0.5})
        self.assertEqual(self.told(job_of(FLOOR, left)), [("Op 10", "hollow")])
        self.assertEqual(self.told(job_of(FLOOR, left, again=(CUT,))), [])
        self.assertEqual(self.told(job_of(FLOOR, left, again=(Seen(name="all", tool=3),))), [])
        self.assertEqual(self.told(job_of(FLOOR, left, again=(left,))), [("Op 30", "hollow")])
        self.assertEqual(self.told(job_of(FLOOR)), [])

    def test_of_the_top_only_its_own_side_takes_it(self):
        left = Face(name="rough", tool=1, leave=0.3)
        self.assertEqual(self.told(job_of(FLOOR, left)), [("Op 10", "rough")])
        self.assertEqual(self.told(job_of(FLOOR, left, again=(Face(name="fine", tool=1),))), [])
        of = job_of(FLOOR, left, third=False)
        under = of.setups[1].model_copy(update={"operations": (Face(name="under", tool=1),)})
        self.assertEqual(self.told(of.model_copy(update={"setups": (of.setups[0], under)})), [("Op 10", "rough")])


class EdgeTest(unittest.TestCase):
    """An eye of 12 at X 20 with a break of 1 at its mouth, and a pocket whose wall beside it is as thin as it says."""

    @staticmethod
    def _job(wall, order="eye well rim", **more):
        eye = feature("eye", "bore", (20, 20, 20), diameter=12, through=True)
        rim = feature("rim", "edge break", (20, 20, 20), diameter=14, depth=1)
        well = feature(
            "well", "pocket", (26 + wall + 10, 20, 8), length=20, width=24, depth=12, lengthwise="+X", radius=3
        )
        cuts = {
            "eye": Bore(name="eye", tool=2, on="eye"), "well": Pocket(name="well", tool=3, on="well"),
            "rim": EdgeBreak(name="rim", tool=4, on=("rim",)),
        }  # fmt: skip
        return block_job(setup(*(cuts[each] for each in order.split()), **more), features=(eye, rim, well))

    def _found(self, of):
        return [each for each in findings_of(plan_of(of)) if each.code == "EDGE_BROKEN_LATE"]

    def test_broken_before_the_wall_is_thin(self):
        (finding,) = self._found(self._job(1.0))
        self.assertIn("'rim' breaks the edge of a wall that 'well' has left thinner than", finding.fact)
        mended = with_fix(self._job(1.0), finding.fixes[0])
        self.assertEqual([each.name for each in mended.setups[0].operations], ["eye", "rim", "well"])
        self.assertEqual(self._found(mended), [])
        self.assertEqual(cured(self._job(1.0), finding), ["'rim' before 'well'"])
        self.assertAlmostEqual(plan_of(mended).finished.volume, plan_of(self._job(1.0)).finished.volume, 6)

    def test_thick_walls_and_thin_ones_that_came_so(self):
        self.assertEqual(self._found(self._job(1.6)), [])
        self.assertEqual(len(self._found(self._job(1.3))), 1)
        self.assertEqual(len(self._found(self._job(1.6, least_wall=1.9))), 1)
        self.assertEqual(self._found(self._job(1.0, least_wall=0.0)), [])
        # Bored last, the eye itself makes the wall thin: then its edge is broken before that.
        self.assertEqual([each.advice for each in self._found(self._job(1.0, "well eye rim"))],
                         ["Break that edge before 'eye', while the wall is still solid."])  # fmt: skip
