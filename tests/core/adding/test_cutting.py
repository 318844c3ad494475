"""What is offered to be cut at a feature: figures by hand, all rules asked of the whole job, reasons that hold."""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.adding.cutting import cuttable
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.operations import Hole
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from tests.helpers import demo, demo_plan
from tests.jobs import block_job, feature, machine, plan_of, setup

WELL = feature("well", "hole", (30, 20, 20), diameter=12.0, depth=9.0, through=False)
DRILL = Cutter(tool=9, name="12 mm drill", shape="drill", diameter=12.0, length=120.0, flute=60.0, reach=70.0)


def offers(plan, index, name):
    return cuttable(plan, index, name, found_against(plan), found_against)


def bad(plan):
    return [each.key for each in found_against(plan) if each.severity in ("hazard", "error")]


class WellTest(unittest.TestCase):
    """A blind hole of 12 by 9 in a block whose stock stands 1.5 above the part."""

    def setUp(self):
        over = {"features": (WELL,), "stock": (60, 40, 21.5), "allowance": Allowance(plus_z=1.5)}
        self.plan = plan_of(block_job(**over))
        self.with_drill = plan_of(block_job(**over, cutters=(*machine().cutters, DRILL)))
        made = setup(Hole(name="made", tool=3, on="well", features=("well",)))
        self.done = plan_of(block_job(made, **over))

    def test_its_figures_are_those_of_a_cylinder(self):
        offer = offers(self.plan, 0, "well")[0]
        self.assertEqual(offer.title, "hole to its depth")
        volume = math.pi / 4.0 * 12.0**2 * (9.0 + 1.5) / 1000.0
        told = spell(offer.says, "mm")
        self.assertRegex(told, r"^T2, 10\.500 mm deep, takes \d\.\d\d cm³\.$")
        # The block's holes are as round as their facets.
        self.assertAlmostEqual(float(told.split()[-2]), volume, delta=0.02 * volume)

    def test_taking_it_brings_nothing_bad(self):
        offer = offers(self.plan, 0, "well")[0]
        self.assertEqual(offer.what.to(self.plan.job, 0).setups[0].operations[-1].features, ("well",))
        after = make_plan(offer.what.to(self.plan.job, 0), self.plan.models)
        self.assertLessEqual(set(bad(after)), set(bad(self.plan)))

    def test_a_drill_of_its_size_comes_before_end_mills(self):
        self.assertEqual(offers(self.with_drill, 0, "well")[0].what.tool, 9)
        self.assertEqual(offers(self.plan, 0, "well")[0].what.tool, 2, "the widest that goes in")

    def test_a_bore_right_through_a_blind_hole_is_refused(self):
        bore = offers(self.plan, 0, "well")[1]
        self.assertIsNone(bore.what)
        self.assertIn("out of the finished part", bore.says)
        volume = math.pi / 4.0 * 12.0**2 * (20.0 - 9.0) / 1000.0
        said = float(spell(bore.says, "mm").split(" cm³")[0].split()[-1])
        self.assertAlmostEqual(said, volume, delta=0.05 * volume)

    def test_once_it_is_made_nothing_is_left_of_it(self):
        offer = offers(self.done, 0, "well")[0]
        self.assertEqual((offer.what, offer.says), (None, "Nothing of it is left here: it is cut by 'made' in Op 10."))


class ReasonTest(unittest.TestCase):
    def test_a_side_that_is_not_up(self):
        (offer, *_) = offers(demo_plan(), 1, "pocket")
        self.assertEqual((offer.what, offer.says), (None, "It opens to +Z, which is not up in Op 20; it is in Op 10."))

    def test_no_cutter_goes_in(self):
        hole = offers(demo_plan(), 1, "bolt hole SW")[0]
        self.assertIsNone(hole.what)
        thinnest = min(cutter.diameter for cutter in demo().machine.cutters if cutter.shape == "flat")
        self.assertIn(f"{thinnest:.3f} mm wide", spell(hole.says, "mm"))

    def test_an_edge_wants_a_slanted_cutter(self):
        edge = feature("rim", "edge break", (30, 20, 20), diameter=12.0, width=1.0)
        flat = tuple(cutter for cutter in machine().cutters if cutter.shape != "slanted")
        (offer,) = offers(plan_of(block_job(features=(WELL, edge), cutters=flat)), 0, "rim")
        self.assertIn("no cutter with a slanted end", offer.says)
        (offer,) = offers(plan_of(block_job(features=(WELL, edge))), 0, "rim")
        self.assertNotIn("slanted", offer.says)

    def test_a_cutter_that_is_too_short_gives_way_to_a_longer_one(self):
        """The widest that goes in cuts 4 deep; the next has the length for 9."""
        stub, long = (
            Cutter(tool=tool, name=f"{width} mm", diameter=width, length=100.0, flute=flute, reach=flute)
            for tool, width, flute in ((2, 10.0, 4.0), (4, 6.0, 30.0))
        )
        plan = plan_of(block_job(features=(WELL,), cutters=(machine().cutters[0], stub, long)))
        self.assertEqual(offers(plan, 0, "well")[0].what.tool, 4)
        alone = plan_of(block_job(features=(WELL,), cutters=(machine().cutters[0], stub)))
        self.assertIsNone(offers(alone, 0, "well")[0].what)

    def test_nothing_is_for_a_boss_or_for_what_is_no_feature(self):
        boss = feature("stub", "boss", (30, 20, 20), diameter=10.0, depth=3.0)
        (offer,) = offers(plan_of(block_job(features=(boss,))), 0, "stub")
        self.assertIn("of this kind (boss)", offer.says)
        self.assertEqual(offers(demo_plan(), 0, "fixed jaw"), ())

    def test_it_ends_when_it_is_cancelled(self):
        plan = plan_of(block_job(features=(WELL,)))
        found = found_against(plan)
        self.assertRaises(CancelledError, cuttable, plan, 0, "well", found, found_against, lambda: True)
