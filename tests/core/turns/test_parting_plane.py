"""Cut from both sides to one plane: what is left there, on either side of it, and in five stated worlds.

The block is 60 x 40 x 20 with 2 more all round in X and Y.  Op 20 is Op 10 turned over about X.
"""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.items import Stroke
from ledgecliff.core.drawing.stage import setup_views
from ledgecliff.core.edits.parting import with_parting
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Hole, Outline, Seen
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.parting import PartingPlane
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.rehearsing import Rehearsing
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.parting import parting_of
from ledgecliff.core.turns.turn_plan import turns_of
from tests.jobs import block_job, feature, plan_of, setup

THROUGH = feature("through", "hole", (20, 15, 20), diameter=8, through=True)


PLANE = PartingPlane(at=12.0, past=0.25)
TOLD = {"PARTING_OUTSIDE", "PARTING_NOT_LEVEL", "PARTING_ONE_SIDE", "PARTING_MAY_NOT_MEET"}


def job_of(plane=PLANE, *, first=None, second=None, features=(THROUGH,), **more):
    one = setup(*(first or (Hole(name="a", tool=2, on="through", to_parting=plane is not None),)))
    two = setup(
        *(second or (Hole(name="b", tool=2, on="through", to_parting=plane is not None),)),
        name="Op 20", up="-Z", offset="G55", **more,
    )  # fmt: skip
    job = block_job(features=features, stock=(64, 44, 20), allowance=Allowance(plus_z=0.0))
    return job.model_copy(update={"parting": plane, "setups": (one, two)})


def codes(job):
    return {finding.code for finding in findings_of(plan_of(job))}


class CutTest(unittest.TestCase):
    def depth(self, plan, k):
        """How deep a hole of 8 in facets is, by what is taken of it."""
        taken, first = plan.setups[k].cutting.removed(0), plan.setups[0].cutting.removed(0)
        return float(taken.volume()) / float(first.slice(19.0).area())

    def test_a_hole_goes_to_it_from_each_side(self):
        """From above 20 - 12 + 0.25 deep; from below 12 + 0.25, the last 0.5 of which is open already."""
        plan = plan_of(job_of())
        self.assertAlmostEqual(self.depth(plan, 0), 8.25, delta=0.002)
        self.assertAlmostEqual(self.depth(plan, 1), 11.75, delta=0.002)
        self.assertAlmostEqual(plan.setups[0].wcs.reads((0, 0, 12))[2], -8.0)
        moved = set_value(job_of(), ("parting", "at"), 5.0)
        self.assertAlmostEqual(self.depth(plan_of(moved), 0), 15.25, delta=0.002)
        self.assertAlmostEqual(self.depth(plan_of(moved), 1), 4.75, delta=0.002)

    def test_the_outline_meets_there(self):
        for kind in (Outline, Seen):
            first, second = (kind(name=name, tool=2, to_parting=True) for name in "ab")
            plan = plan_of(job_of(first=(first,), second=(second,), features=()))
            ring = 64 * 44 - 60 * 40
            self.assertAlmostEqual(plan.setups[0].cutting.removed(0).volume(), ring * 8.25, delta=1.0)
            self.assertAlmostEqual(plan.setups[1].cutting.removed(0).volume(), ring * (20 - 8.25), delta=1.0)
            self.assertAlmostEqual(plan.finished.volume, 60 * 40 * 20, delta=20.0)
            if kind is Outline:
                self.assertAlmostEqual(parting_of(turns_of(plan)[0]).overlap, 0.5)

    def test_its_own_end_is_never_passed(self):
        """A blind hole that ends above the plane stays as deep as it is."""
        blind = THROUGH.model_copy(update={"through": None, "depth": 5.0})
        job = job_of(features=(blind,), second=(Outline(name="o", tool=2),))
        self.assertAlmostEqual(self.depth(plan_of(job), 0), 5.0, delta=0.002)

    def test_a_drills_point_goes_on_below(self):
        drilled = Hole(name="a", tool=2, on="through", to_parting=True, point=2.0)
        plan = plan_of(job_of(first=(drilled,)))
        self.assertAlmostEqual(20.0 - plan.setups[0].cutting.removed(0).bounding_box()[2], 10.25)


class FindingsTest(unittest.TestCase):
    def told(self, job):
        return codes(job) & TOLD

    def test_met_from_both_sides_nothing_is_told(self):
        self.assertEqual(self.told(job_of()), set())
        self.assertEqual(self.told(job_of(None)), set())

    def test_from_one_side_alone_it_stays_closed(self):
        job = job_of(second=(Outline(name="o", tool=2),))
        self.assertEqual(self.told(job), {"PARTING_ONE_SIDE"})
        # Another hole from the other side does not open this one.
        self.assertEqual(
            self.told(job_of(features=(THROUGH, feature("other", "hole", (40, 15, 20), diameter=8, through=True)),
                             second=(Hole(name="b", tool=2, on="other"),))),
            {"PARTING_ONE_SIDE"},
        )  # fmt: skip
        whole = set_value(job, ("setups", 0, "operations", 0, "to_parting"), False)
        self.assertEqual(self.told(whole), set())

    def test_where_it_does_not_lie_level_nothing_is_cut_and_it_is_told(self):
        job = job_of(PartingPlane(along="x", at=30.0))
        self.assertIn("PARTING_NOT_LEVEL", self.told(job))
        self.assertEqual(plan_of(job).setups[0].cutting.removed(0).volume(), 0.0)

    def test_outside_of_the_part(self):
        for at in (-1.0, 20.0, 25.0):
            self.assertIn("PARTING_OUTSIDE", self.told(job_of(PartingPlane(at=at))))

    def test_past_it_by_less_than_the_turn_may_be_off(self):
        job = job_of(PartingPlane(at=12.0, past=0.0))
        (found,) = [f for f in findings_of(plan_of(job)) if f.code == "PARTING_MAY_NOT_MEET"]
        ((path, value),) = found.fixes[0].changes
        self.assertEqual(self.told(set_value(job, path, value)), set())

    def test_without_a_plane_nothing_goes_to_it(self):
        with self.assertRaises(InvalidValueError):
            set_value(job_of(), ("parting",), None)
        job = with_parting(job_of(), None, plan_of(job_of()).geometry)
        self.assertFalse(any(one.to_parting for each in job.setups for one in each.operations))
        again = with_parting(job, "z", plan_of(job).geometry)
        self.assertEqual((again.parting.at, again.parting.past), (10.0, 0.2))

    def test_what_was_cut_to_another_plane_is_another_stock(self):
        first, moved = job_of(), set_value(job_of(), ("parting", "at"), 5.0)
        self.assertNotEqual(meaning_of(first, first.setups[1]), meaning_of(moved, moved.setups[1]))
        self.assertEqual(meaning_of(first, first.setups[0]), meaning_of(moved, moved.setups[0]))


class DrawnTest(unittest.TestCase):
    def at(self, setup, lens="hold"):
        return [
            [item.points for item in view.items if isinstance(item, Stroke) and item.source == "parting"]
            for view in setup_views(setup, lens)
        ]

    def test_it_moves_with_the_part(self):
        """Zero on the stock's top: from above 8 down; turned over the top is the part's underside, 12 down."""
        plan = plan_of(job_of())
        for setup_plan, reads in zip(plan.setups, (-8.0, -12.0), strict=True):
            above, front = self.at(setup_plan)
            self.assertEqual(above, [])
            ((start, end),) = front
            self.assertAlmostEqual(start[1], reads)
            self.assertAlmostEqual(end[1], reads)
            self.assertAlmostEqual(
                next(h.u_z for h in setup_plan.heights() if h.key == "parting") - setup_plan.wcs.u_origin[2], reads
            )

    def test_on_end_it_is_seen_upright(self):
        job = job_of(first=(Outline(name="o", tool=2),), second=(Outline(name="o", tool=2),))
        on_end = job.setups[1].model_copy(update={"orientation": Orientation(up="+X", right="+Z")})
        plan = plan_of(job.model_copy(update={"setups": (job.setups[0], on_end)}))
        above, front = self.at(plan.setups[1])
        for ((start, end),) in (above, front):
            self.assertAlmostEqual(start[0], end[0])
            self.assertAlmostEqual(start[0], 12.0 - plan.setups[1].wcs.u_origin[0])


class OffersTest(unittest.TestCase):
    def test_a_frame_without_room_for_its_roundings_is_refused_and_takes_no_other_way_along(self):
        both = (Hole(name="a", tool=2, on="through"), Outline(name="o", tool=2))
        plan = plan_of(job_of(first=both))
        ways = {offer.way: offer for offer in way_offers(plan, turns_of(plan)[0])}
        self.assertIn("too short for the roundings", ways["interlocking frame"].why_not)
        self.assertTrue(any(not offer.why_not for offer in ways.values()))


class TruthTest(unittest.TestCase):
    """What is left in the hole at the plane, in the simulated machine: Z of the second side from what it lies on."""

    WORLDS = tuple((off, past) for off in (-0.4, -0.1, 0.0, 0.2, 0.5) for past in (0.0, 0.15))

    def left(self, off, past):
        """The blank is ``off`` thicker than measured; both sides count from a top, so that they miss by it."""
        routine = ProbingRoutine(guess=1.0, depth=5.0)
        job = job_of(PartingPlane(at=12.0, past=past))
        setups = tuple(each.model_copy(update={"probing": routine}) for each in job.setups)
        plan = plan_of(job.model_copy(update={"setups": setups}))
        machine = Rehearsing(written_plan(plan), TrueWorld(stock_off=Point(x=0, y=0, z=off)))
        for k, setup_plan in enumerate(written_plan(plan).setups):
            machine.clamp(k)
            for text in setup_plan.probing_texts:
                self.assertEqual(machine.run(text.text).alarm, "")
            machine.cut_to(len(setup_plan.setup.operations))
        solid = machine.stock.solid
        x, y = 20.0, 15.0
        hits = [hit.position[2] for hit in solid.ray_cast((x + 0.37, y + 0.21, 100.0), (x + 0.37, y + 0.21, -100.0))]
        return sum(a - b for a, b in zip(hits[::2], hits[1::2], strict=True))

    def test_what_is_left_is_what_the_turn_is_off_less_what_both_go_past(self):
        for off, past in self.WORLDS:
            wanted = max(off - 2.0 * past, 0.0)
            self.assertAlmostEqual(self.left(off, past), wanted, delta=0.01, msg=(off, past))
