"""Setups on turned stations, at two places, and tilted: planned once, placed by the chain, run on the machine."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import moved
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.errors import InvalidValueError, PlanError
from ledgecliff.core.frames import Placement, rotation
from ledgecliff.core.locating import located
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import PlateHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Rotary
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.playback import Playback
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.tape.probing import rehearsed_tape
from ledgecliff.core.touchoff.draft import draft_for, expected_of
from tests.core.reading_back.test_cycles import CYCLES, SkewTest, job_with
from tests.helpers import demo, demo_plan, models
from tests.jobs import block_job, plan_of, setup
from tests.rehearsals import rehearsed


def turned(job, degrees, station=0):
    """The job with a station of its machine turned about Z."""
    return set_value(job, ("machines", 0, "stations", station, "turn_deg"), float(degrees))


class TurnedStationTest(unittest.TestCase):
    def test_all_that_is_planned_stays_and_only_its_place_turns(self):
        job = job_with(CYCLES["bore"])
        square, askew = plan_of(job), plan_of(turned(job, 30))
        for before, after in zip(square.setups, askew.setups, strict=True):
            self.assertEqual(before.probing.steps, after.probing.steps)
            np.testing.assert_array_equal(before.wcs.u_origin, after.wcs.u_origin)
            at = np.array(job.machine.stations[0].at.as_tuple())
            # The offset is where its own fixture has it, turned about the fixture's zero.
            expected = at + rotation("z", 30.0) @ (before.located.m_offset - at)
            np.testing.assert_allclose(after.located.m_offset, expected, atol=1e-9)
            self.assertAlmostEqual(after.located.turn_deg, 30.0)
            self.assertEqual(before.located.turn_deg, 0.0)

    def test_every_place_of_the_wcs_is_where_the_part_is(self):
        """By the part's own corner, taken through the chain of placements, apart from the offset's formula."""
        planned = plan_of(turned(job_with(CYCLES["bore"]), -37.5)).setups[0]
        p_corner = np.array([150.0, 80.0, 30.0])
        u = planned.setup.orientation.matrix() @ p_corner
        station = planned.machine.stations[0]
        s = planned.holding.tf_s_u(u)
        c, sn = math.cos(math.radians(-37.5)), math.sin(math.radians(-37.5))
        m = np.array([c * s[0] - sn * s[1] + station.at.x, sn * s[0] + c * s[1] + station.at.y, s[2] + station.at.z])
        np.testing.assert_allclose(planned.located.m_of(planned.wcs.reads(p_corner)), m, atol=1e-9)
        both = planned.located.m_of(np.array([planned.wcs.reads(p_corner), (0.0, 0.0, 0.0)]))
        np.testing.assert_allclose(both, [m, planned.located.m_offset], atol=1e-9)

    def test_programs_do_it_where_offsets_can_be_turned(self):
        for degrees in (30.0, -90.0, 180.0, 5.25):
            for name in ("bore", "corner of two", "corner of four", "web", "surface", "edge angle in front"):
                with self.subTest(name, degrees=degrees):
                    plan = plan_of(turned(job_with(CYCLES[name]), degrees))
                    self.assertIn(f"turned as its station is, {degrees:g} degrees", probing_text(plan, 1))
                    self.assertEqual(read_back(plan, 1).differences, ())

    def test_the_simulated_machine_finds_it_there(self):
        """A part that lies off along the station's axes is found off along them; the turn is the station's own."""
        off = TrueClamping(name="Op 20", part_off=Point(x=0.4, y=-0.3, z=0.1))
        world = TrueWorld(setups=(off,), probe=StatedProbe(repeatability=0.0))
        for name in ("bore", "rectangle outside", "corner of two"):
            job = turned(job_with(CYCLES[name]), 30)
            job = set_value(job, ("machines", 0, "travel_max"), Point(x=200, y=400, z=100))
            plan = plan_of(job)
            result = rehearsed(plan, 1, world=world).setups[1]
            self.assertEqual(result.alarms, (), name)
            went = rotation("z", 30.0).T @ (result.found - result.assumed)
            np.testing.assert_allclose(went[:2], (0.4, -0.3), atol=0.004)
            self.assertAlmostEqual(result.turn_deg, 30.0, places=6)
            np.testing.assert_allclose(result.found[:2], result.true[:2], atol=0.004)
            self.assertEqual(result.amiss, ())

    def test_a_seeded_world_on_a_turned_station(self):
        """Fixture off, part askew in the vise, ball that repeats to a thousandth: both sides, by five seeds."""
        job = turned(turned(demo(), 20, 0), -15, 1)
        job = set_value(job, ("machines", 0, "travel_max"), Point(x=200, y=400, z=100))
        plan = _plan(job)
        for seed in range(5):
            done = rehearsed(plan, seed)
            self.assertEqual((done.alarms, done.amiss), ((), ()), seed)
            for result in done.setups:
                self.assertLess(np.abs(result.difference).max(), 0.006)

    def totals(self, planned, result):
        """What the tape of a rehearsal comes to, by the offset's axis."""
        tape = rehearsed_tape(planned, result, planned.machine.probe, 1)
        return {line.text: line.mm for line in tape.lines if line.kind == "total"}

    def test_the_tape_comes_to_what_the_program_wrote(self):
        """From the readings on paper: along the axes as they are turned, by station, by skew, or by both."""
        skewed = TrueClamping(name="Op 20", part_off=Point(x=0.3, y=-0.2, z=0.0), skew_deg=0.4)
        world = TrueWorld(setups=(skewed,), probe=StatedProbe(repeatability=0.0))
        for job in (turned(demo(), 30), turned(demo(), -135.5), demo()):
            plan = _plan(set_value(job, ("machines", 0, "travel_max"), Point(x=200, y=600, z=100)))
            result = rehearsed(plan, 2).setups[0]
            totals = self.totals(plan.setups[0], result)
            np.testing.assert_allclose([totals[f"G54 {axis}"] for axis in "XYZ"], result.found, atol=1e-3)
        for degrees in (0.0, 30.0):
            job = set_value(
                turned(SkewTest().job(), degrees), ("machines", 0, "travel_max"), Point(x=200, y=600, z=100)
            )
            plan = plan_of(job)
            result = rehearsed(plan, 1, world=world).setups[1]
            self.assertEqual(result.alarms, ())
            self.assertAlmostEqual(result.turn_deg, degrees + 0.4, delta=0.001)
            totals = self.totals(plan.setups[1], result)
            np.testing.assert_allclose([totals[f"G55 {axis}"] for axis in "XYZ"], result.found, atol=1e-3)

    def test_the_ball_is_played_beside_the_faces_it_touches(self):
        """However the station is turned, the path in the WCS is the same: the sides are 50 and 34 off the middle."""
        square, askew = (
            Playback(rehearsed(_plan(job), world=TrueWorld(probe=StatedProbe(repeatability=0.0))).setups[0],
                     demo().machine.probe)
            for job in (demo(), turned(demo(), 30))
        )  # fmt: skip
        for one, other in zip(square.moves()[1:], askew.moves()[1:], strict=True):
            np.testing.assert_allclose(one[1], other[1], atol=2e-3)
        ends = np.array([end for _, end, searched in askew.moves() if searched])
        for x, y, z in ends:
            self.assertLess(min(abs(abs(x) - 52.0), abs(abs(y) - 36.0), abs(z - 3.5)), 0.6)

    def test_what_cannot_be_done_there_is_refused_in_words(self):
        job = turned(demo(), 30)
        numbered = set_value(job, ("machines", 0, "profile"), "numbered-variable skip style")
        with self.assertRaisesRegex(
            PlanError, "'Op 10': its station is turned 30° about Z, and controls of this style"
        ):
            probing_text(_plan(numbered), 0)
        known = set_datum(set_datum(job, 0, "x", "fixture value"), 0, "y", "fixed jaw")
        with self.assertRaisesRegex(PlanError, "X and Y cannot be known one by one"):
            probing_text(_plan(known), 0)
        planned = _plan(job).setups[0]
        for by_hand in (draft_for, expected_of):
            with self.assertRaisesRegex(InvalidValueError, "readings by hand count along the machine's axes"):
                by_hand(planned)


def _plan(job):
    from ledgecliff.core.plan import make_plan

    return make_plan(job, models())


class TwoPlacesTest(unittest.TestCase):
    def test_one_plan_at_two_stations(self):
        """The same setup in both vises: one plan, two places, and each place's own offset."""
        planned = demo_plan().setups[0]
        left, right = planned.machine.stations
        elsewhere = planned.setup.model_copy(update={"station": right.id, "offset": "G57"})
        there = located(planned.machine, elsewhere, planned.holding, planned.wcs)
        np.testing.assert_allclose(
            there.m_offset - planned.located.m_offset, np.subtract(right.at.as_tuple(), left.at.as_tuple()), atol=1e-9
        )
        self.assertEqual((there.code, there.station), ("G57", right.id))

    def test_a_setup_moved_to_the_other_vise_is_found_there(self):
        """Both vises are alike, so nothing but the place changes; the machine finds the part in either."""
        job = demo()
        moved_job = set_value(job, ("setups", 0, "station"), job.machine.stations[1].id)
        here, there = demo_plan().setups[0], _plan(moved_job).setups[0]
        self.assertEqual(here.probing.steps, there.probing.steps)
        np.testing.assert_allclose(there.located.m_offset - here.located.m_offset, (280.0, 0.0, 0.0), atol=1e-9)
        plan = _plan(moved_job)
        done = rehearsed(plan, 3, job=moved_job)
        self.assertEqual((done.alarms, done.amiss), ((), ()))


class TiltedTest(unittest.TestCase):
    """A plate stands on a rotary axis: at an index everything is seen as it then lies."""

    def job(self, degrees, **more):
        job = block_job(setup(hold=PlateHold(), **more))
        axis = Rotary(
            id=derived_id("A"), name="A", word="A", about="x", centre=Point(x=0, y=-205, z=-440), sense="right-handed"
        )
        job = set_value(job, ("machines", 0, "carriers"), (axis,))
        plate = next(k for k, each in enumerate(job.machine.stations) if each.name == "plate")
        job = set_value(job, ("machines", 0, "stations", plate, "on"), axis.id)
        return set_value(job, ("setups", 0, "index"), (IndexAngle(word="A", degrees=degrees),))

    def test_a_quarter_brings_the_side_up_that_it_should(self):
        """Right-handed about +X, y goes to z: at A90 part +Y is up."""
        planned = plan_of(self.job(90.0)).setups[0]
        np.testing.assert_allclose(planned.setup.orientation.matrix() @ (0, 1, 0), (0, 0, 1), atol=1e-12)
        self.assertEqual(planned.located.turn_deg, 0.0)
        self._assert_placed(planned, 90.0)

    def test_any_angle(self):
        for degrees in (30.0, -61.7, 135.0):
            planned = plan_of(self.job(degrees)).setups[0]
            self.assertFalse(planned.setup.orientation.is_square)
            self.assertEqual(planned.located.turn_deg, 0.0)
            self._assert_placed(planned, degrees)

    def _assert_placed(self, planned, degrees):
        """Every corner of the part by hand: on the plate at nought, then about the axis."""
        square = plan_of(self.job(0.0)).setups[0]
        centre = np.array([0.0, -205.0, -440.0])
        turn = rotation("x", degrees)
        for p_corner in np.array([(0, 0, 0), (60, 0, 0), (0, 40, 20), (60, 40, 20)], dtype=float):
            flat = square.located.m_of(square.wcs.reads(p_corner))
            np.testing.assert_allclose(
                planned.located.m_of(planned.wcs.reads(p_corner)), centre + turn @ (flat - centre), atol=1e-9
            )
        for before, after in zip(square.holding.blocks, planned.holding.blocks, strict=True):
            stands = moved(before.solid(), Placement(turn, centre - turn @ centre).after(square.located.tf_m_u))
            seen = moved(after.solid(), planned.located.tf_m_u)
            self.assertAlmostEqual((stands - seen).volume() + (seen - stands).volume(), 0.0, delta=1e-3)

    def test_corners_of_what_lies_tilted(self):
        orientation = Orientation(tilted=(AxisTurn(about="x", degrees=30.0), AxisTurn(about="z", degrees=20.0)))
        plan = plan_of(block_job())
        corners = np.array([(x, y, z) for x in (0, 60) for y in (0, 40) for z in (0, 20)], dtype=float)
        turn = rotation("z", 20.0) @ rotation("x", 30.0)
        expected = corners @ turn.T
        for low, high in (plan.geometry.u_corners(orientation), plan.blank.u_corners(orientation)):
            np.testing.assert_allclose(low, expected.min(axis=0), atol=1e-6)
            np.testing.assert_allclose(high, expected.max(axis=0), atol=1e-6)

    def test_an_index_needs_an_axis_whose_sense_is_known(self):
        with self.assertRaisesRegex(InvalidValueError, "no rotary axis B carries 'plate'"):
            set_value(self.job(0.0), ("setups", 0, "index"), (IndexAngle(word="B", degrees=90.0),))
        unknown = set_value(self.job(0.0), ("machines", 0, "carriers", 0, "sense"), None)
        self.assertEqual(unknown.setups[0].index[0].degrees, 0.0)
        with self.assertRaisesRegex(InvalidValueError, "which way A turns is not known"):
            set_value(unknown, ("setups", 0, "index"), (IndexAngle(word="A", degrees=90.0),))


if __name__ == "__main__":
    unittest.main()
