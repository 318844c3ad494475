"""Round stock upright in a chuck or collet that stands on the table, and its middle found from outside, on raw stock.

The chuck's axis is at (-400, -200), its face at Z -300; a bar of 30 by 60 stands 20 deep in it: so it reaches 40 up.
"""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.datums import datum_choices
from ledgecliff.core.edits.cycles import offers
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import Chuck, ChuckHold
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.on_table import on_table
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from tests.jobs import bar_job, block_job, plan_of, point, setup
from tests.rehearsals import rehearsed

STANDS = Chuck(name="C", diameter=100, length=80, height=85, opens="up")
ROUTINE = ProbingRoutine(depth=4, guess=0.6)
BOSS = ProbeCycle(name="its middle", kind="boss", on="stock")
TOP = ProbeCycle(name="top", kind="surface", on="stock", side="top")
#: Fixture off, part off in it, bar larger than measured (mm).
WORLDS = (
    ((0, 0, 0), (0, 0, 0), (0, 0, 0)), ((0.2, -0.1, 0.1), (0.05, 0.1, 0), (0.2, 0.2, 0)),
    ((-0.1, 0.3, 0), (0, -0.1, 0), (-0.25, -0.25, 0.1)), ((0, 0, -0.2), (0.1, 0, 0), (0.1, 0.1, -0.2)),
    ((0.3, 0.3, 0.05), (-0.1, -0.1, 0), (0, 0, 0.3)),
)  # fmt: skip


def job(x="stock centre", y="stock centre", z="stock top", cycles=(BOSS, TOP), *, stands=STANDS, **more):
    datum = Datum(x=AxisDatum(source=x), y=AxisDatum(source=y), z=AxisDatum(source=z))
    routine = ROUTINE.model_copy(update={"cycles": cycles})
    one = setup(hold=ChuckHold(grip=20), datum=datum, probing=routine, **more)
    return bar_job(one, along="z", diameter=30, length=60, fixtures=(stands,))


class PlaceTest(unittest.TestCase):
    def test_its_axis_and_face_are_where_it_stands(self):
        setup_plan = plan_of(job("fixture value", "fixture value", "fixture value", ())).setups[0]
        np.testing.assert_allclose(setup_plan.located.m_offset, (-400, -200, -300))
        heights = {rung.name: rung.u_z for rung in setup_plan.holding.heights()}
        self.assertEqual((heights["chuck face"], heights["stock top"], heights["table"]), (20.0, 60.0, -65.0))
        self.assertIsNone(setup_plan.holding.rotary_axis())

    def test_nothing_turns_it(self):
        sources = {choice.source for axis in "yz" for choice in datum_choices(axis, job(), 0)}
        self.assertNotIn("rotary axis", sources)
        self.assertEqual(job().machine.station(job().setups[0].station).on, None)

    def test_empty_it_stands_on_the_table(self):
        of = block_job(fixtures=(STANDS,))
        place = next(each for each in on_table(plan_of(of), of.machine) if each.station.name == "C")
        np.testing.assert_allclose(place.m_low, (-450, -250, -385))
        np.testing.assert_allclose(place.m_high, (-350, -150, -300))

    def test_a_body_longer_than_its_face_is_high_is_refused(self):
        with self.assertRaises(ValueError):
            Chuck(name="C", diameter=100, length=90, height=85, opens="up")


class TruthTest(unittest.TestCase):
    def found(self, of, world):
        fixture, part, bar = world
        clamping = TrueClamping(name="Op 10", fixture_off=point(*fixture), part_off=point(*part))
        done = rehearsed(plan_of(of), world=TrueWorld(stock_off=point(*bar), setups=(clamping,)))
        self.assertEqual((done.alarms, done.setups[0].amiss), ((), ()))
        return done.setups[0].found

    def test_its_middle_and_top_whatever_the_bar_measures(self):
        for world in WORLDS:
            fixture, part, bar = map(np.array, world)
            wanted = np.array((-400, -200, -260)) + fixture + part + (0, 0, bar[2])
            np.testing.assert_allclose(self.found(job(), world), wanted, atol=0.006)

    def test_from_its_face(self):
        of = job("fixture value", "fixture value", "parallels", None)
        for world in WORLDS:
            wanted = -300 + world[0][2]
            self.assertAlmostEqual(self.found_z(of, world), wanted, delta=0.005)

    def found_z(self, of, world):
        fixture, part, bar = world
        clamping = TrueClamping(name="Op 10", fixture_off=point(0, 0, fixture[2]), part_off=point(*part))
        done = rehearsed(plan_of(of), world=TrueWorld(stock_off=point(*bar), setups=(clamping,)))
        self.assertEqual(done.alarms, ())
        return done.setups[0].found[2]


class OfferTest(unittest.TestCase):
    def problems(self, of):
        return {problem.code for step in plan_of(of).setups[0].probing.steps for problem in step.problems}

    def test_it_is_offered_for_round_stock_that_stands_and_for_no_other(self):
        def offered(of):
            return any(
                cycle.kind == "boss" and cycle.on == "stock" for _, g in offers(plan_of(of).setups[0]) for cycle in g
            )

        self.assertTrue(offered(job()))
        self.assertFalse(offered(block_job()))
        self.assertFalse(offered(bar_job()))
        self.assertEqual(self.problems(job()), set())
        routine = ROUTINE.model_copy(update={"cycles": (BOSS,)})
        self.assertIn("TOUCH_NO_WALL", self.problems(block_job(setup(probing=routine))))

    def test_down_to_the_chucks_face_and_no_deeper(self):
        """40 stand out: with a ball of 4 and a Z that is found first, 37 is as deep as it goes."""
        for depth, fits in ((25, True), (39, False)):
            cycles = (TOP, BOSS.model_copy(update={"depth": depth}))
            self.assertEqual("TOUCH_TOO_DEEP" not in self.problems(job(cycles=cycles)), fits, depth)

    def test_nothing_speaks_against_it(self):
        self.assertEqual([each.code for each in findings_of(plan_of(job())) if each.severity != "note"], [])
