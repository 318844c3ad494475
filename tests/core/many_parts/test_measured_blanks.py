"""Blanks of instances as they were measured: typed, kept from touches, and whether each cleans up where it lies.

The part is 60 x 40 x 20 in blanks of 62 x 42 x 22, one all round; sizes and what is left are worked out by hand.
"""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.patterns import own_of, with_measured, with_new_load, with_pattern, with_state
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.many_parts.measured_blanks import TooSmall, too_small_ends
from ledgecliff.core.many_parts.words import instance_words
from ledgecliff.core.model.holding import BoardHold, Dowel, Fence, PlateHold
from ledgecliff.core.model.pattern import Grid
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.quantities import spell
from tests.jobs import IN_VISE, block_job, plan_of, setup

ROUND = Allowance(minus_x=1.0, minus_y=1.0, minus_z=1.0)


def patterned(hold, *, x="fixture value", z="parallels", probed="every one", allowance=ROUND, fixtures=()):
    """Two of them in a row."""
    datum = Datum(x=AxisDatum(source=x), y=AxisDatum(source="fixture value"), z=AxisDatum(source=z))
    job = block_job(setup(hold=hold, datum=datum), stock=(62, 42, 22), allowance=allowance, fixtures=fixtures)
    return plan_of(with_pattern(job, 0, layout=Grid(columns=2, column_pitch=90.0), probed=probed))


def ends(plan, **sizes):
    found = too_small_ends(plan.setups[0], plan.job.setups[0].pattern, sizes)
    return {(end.axis, end.sign): round(end.lacks, 9) for end in found}


class WhereItLacksTest(unittest.TestCase):
    def test_laid_by_its_middle_half_at_either_end(self):
        plan = patterned(PlateHold())
        self.assertEqual(ends(plan, x=60.5, y=40.5), {})
        self.assertEqual(ends(plan, x=59.9), {("x", -1): 0.05, ("x", 1): 0.05})

    def test_pushed_against_something_at_the_far_end(self):
        fence, dowel = Fence(side="left", length=30), Dowel(x=66, y=20, diameter=8, height=8)
        self.assertEqual(ends(patterned(BoardHold(fence=fence)), x=60.5), {("x", 1): 0.5})
        self.assertEqual(ends(patterned(BoardHold(fence=fence)), x=61.0), {})
        self.assertEqual(ends(patterned(PlateHold(dowels=(dowel,))), x=60.5), {("x", -1): 0.5})
        # The fixed jaw stands at the back.
        self.assertEqual(ends(patterned(IN_VISE), y=40.75, x=60.5), {("y", -1): 0.25})
        centring = [vise.model_copy(update={"centring": True}) for vise in patterned(IN_VISE).job.machine.fixtures
                    if vise.name == "left vise"]  # fmt: skip
        self.assertEqual(ends(patterned(IN_VISE, fixtures=centring), y=40.75), {})
        # By its seat in Z.
        self.assertEqual(ends(patterned(PlateHold()), z=20.7), {("z", 1): 0.3})

    def test_where_its_zero_is_found_on_each(self):
        fence = BoardHold(fence=Fence(side="left", length=30))
        for source, lacks in (
            ("stock centre", {}), ("stock minus side", {("x", 1): 0.5}), ("stock plus side", {("x", -1): 0.5}),
        ):  # fmt: skip
            self.assertEqual(ends(patterned(fence, x=source), x=60.5), lacks, source)
            # Found on the first alone, the others lie as the fence has them.
            self.assertEqual(ends(patterned(fence, x=source, probed="first of the load"), x=60.5), {("x", 1): 0.5})
        self.assertEqual(ends(patterned(PlateHold(), z="stock top"), z=20.7), {("z", -1): 0.3})

    def test_an_end_that_is_finished_is_no_blank_s(self):
        """All two of the length are left at the right: the left end is cut already, and 60.5 is enough at the right."""
        plan = patterned(PlateHold(), allowance=Allowance(minus_x=0.0, minus_y=1.0, minus_z=1.0))
        self.assertEqual(ends(plan, x=60.5), {})
        self.assertEqual(ends(plan, x=57.0), {("x", 1): 0.5})


class KeptTest(unittest.TestCase):
    def test_told_for_those_that_are_on(self):
        plan = patterned(PlateHold())
        first, second = (each.key for each in plan.instances(0))
        job = with_measured(with_measured(plan.job, 0, [first], "x", 59.9), 0, [second], "x", 60.5)
        told = [each for each in findings_of(plan_of(job)) if each.code == "INSTANCE_TOO_SMALL"]
        self.assertIn("the blanks of 1 are measured too small", told[0].message("mm"))
        self.assertIn("lacks 0.05", told[0].message("mm"))
        both = with_measured(job, 0, [second], "x", 59.7)
        told = next(each for each in findings_of(plan_of(both)) if each.code == "INSTANCE_TOO_SMALL")
        self.assertIn("1, 2 are measured too small to clean up; that of 2 lacks 0.15", told.message("mm"))
        self.assertIn("blank X 60.5", spell(instance_words(plan_of(job).instances(0)[1]), "mm"))
        for now in (
            with_state(job, 0, [first], "skipped", "short"),
            with_measured(job, 0, [first], "x", 60.5),
            with_measured(job, 0, [first], "x", None),
            with_new_load(with_state(job, 0, [first], "finished"), 0),
            set_value(job, ("setups", 0, "orientation", "tilted"), [{"about": "z", "degrees": 10.0}]),
        ):
            self.assertNotIn("INSTANCE_TOO_SMALL", {each.code for each in findings_of(plan_of(now))})

    def test_each_axis_by_itself(self):
        plan = patterned(PlateHold())
        (first, _) = (each.key for each in plan.instances(0))
        job = with_measured(with_measured(plan.job, 0, [first], "x", 61.0), 0, [first], "z", 21.5)
        self.assertEqual(own_of(job, 0, first).measured.sizes(), {"x": 61.0, "z": 21.5})
        for axis in "xz":
            job = with_measured(job, 0, [first], axis, None)
        self.assertEqual(job, plan.job)
        with self.assertRaises(InvalidValueError):
            with_measured(job, 0, [first], "x", -3.0)
        self.assertEqual(TooSmall("x", 1, 0.5).lacks, 0.5)


if __name__ == "__main__":
    unittest.main()
