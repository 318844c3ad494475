"""The true world as a value: drawn by streams, stated, stored; tools, offsets, debris and axes that are not as told."""

from __future__ import annotations

import unittest

import numpy as np
from pydantic import ValidationError
from scipy.spatial.transform import Rotation

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import AXES
from ledgecliff.core.holding.contact import seat_outline
from ledgecliff.core.model.base import Point
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.clamped import Laid, clamp
from ledgecliff.core.rehearsal.drawn_world import drawn_world, stream
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.rehearsing import Rehearsing
from ledgecliff.core.rehearsal.standing import true_axes
from ledgecliff.core.rehearsal.tipping import on_debris, underside
from ledgecliff.core.rehearsal.true_world import AxisError, Debris, OldOffset, TrueClamping, TrueTool, TrueWorld
from ledgecliff.core.simulator.axes import Axes
from tests.core.simulator.test_axes import trunnion
from tests.helpers import demo, demo_plan, geometry, models
from tests.rehearsals import rehearsed

EXACT = {"probe": {"repeatability": 0.0}}


def written(job=None):
    return written_plan(demo_plan() if job is None else make_plan(job, models()))


class DrawnTest(unittest.TestCase):
    def test_the_same_seed_gives_the_same_world_and_another_another(self):
        plan = written()
        self.assertEqual(drawn_world(plan, 7), drawn_world(plan, 7))
        a, b = drawn_world(plan, 7), drawn_world(plan, 8)
        for one, other in zip(a.setups, b.setups, strict=True):
            self.assertNotEqual(one.part_off, other.part_off)
        self.assertNotEqual(a.stock_off, b.stock_off)

    def test_each_source_has_a_stream_of_its_own(self):
        """Whatever else is drawn more of, less of, or called, what is not touched stays as it was drawn."""
        before = drawn_world(written(), 3)
        changes = {
            "a name": set_value(demo(), ("setups", 0, "name"), "First side"),
            "a guess": set_value(demo(), ("setups", 0, "probing", "guess"), 0.5),
            "one setup less": demo().model_copy(update={"setups": demo().setups[1:]}),
        }
        for what, job in changes.items():
            after = drawn_world(written(job), 3)
            with self.subTest(what):
                self.assertEqual(after.setups[-1], before.setups[-1])
                self.assertEqual(after.stock_off, before.stock_off)
        guessed = drawn_world(written(changes["a guess"]), 3)
        share = 0.5 / demo().setups[0].probing.guess
        wanted = share * np.array(before.setups[0].fixture_off.as_tuple())
        np.testing.assert_allclose(guessed.setups[0].fixture_off.as_tuple(), wanted)
        self.assertEqual(guessed.setups[0].part_off, before.setups[0].part_off)

    def test_streams_do_not_run_alike(self):
        """No two of many streams give the same, and together they are as even as one."""
        drawn = np.array([stream(s, name, axis).uniform() for s in range(40) for name in "abcd" for axis in AXES])
        self.assertEqual(len(np.unique(drawn)), len(drawn))
        self.assertAlmostEqual(drawn.mean(), 0.5, delta=0.05)
        self.assertAlmostEqual(drawn.var(), 1.0 / 12.0, delta=0.01)

    def test_what_is_drawn_stays_within_what_is_told(self):
        plan, job = written(), demo()
        spread = np.array(job.stock.spread())
        for seed in range(60):
            world = drawn_world(plan, seed)
            self.assertTrue((np.abs(world.stock_off.as_tuple()) <= spread).all())
            for true, setup in zip(world.setups, job.setups, strict=True):
                self.assertLessEqual(np.abs(true.fixture_off.as_tuple()).max(), setup.probing.guess)
                self.assertGreaterEqual(true.part_off.z, 0.0)  # it may stand proud of its seat, never in it
                # The fixed jaw is at the back.
                self.assertLessEqual(true.part_off.y, 0.0)

    def test_a_world_that_is_kept_gives_the_same_rehearsal(self):
        plan = written()
        world = drawn_world(plan, 4)
        again = TrueWorld.model_validate_json(world.model_dump_json())
        self.assertEqual(again, world)
        first, second = rehearse(plan, world), rehearse(plan, again)
        for a, b in zip(first.setups, second.setups, strict=True):
            np.testing.assert_array_equal(a.found, b.found)
        self.assertEqual(first.pairs, second.pairs)

    def test_readings_scatter_by_the_seed_alone(self):
        """Two worlds that differ in nothing else find the offset a little apart."""
        plan = written()
        a, b = (rehearse(plan, TrueWorld(seed=seed)).setups[0].found for seed in (1, 2))
        self.assertTrue(0.0 < np.abs(a - b).max() < 0.01)

    def test_what_is_stated_twice_is_refused(self):
        for field in (
            {"setups": [{"name": "Op 10"}] * 2},
            {"tools": [{"number": 2, "longer": 1.0}, {"number": 2, "longer": 2.0}]},
            {"offsets": [{"code": "G54", "at": {"x": 0, "y": 0, "z": 0}}] * 2},
            {"axes": [{"axis": "tilt"}] * 2},
        ):
            with self.assertRaisesRegex(ValidationError, "is stated twice; state it once"):
                TrueWorld.model_validate(field)


class ToolsAndOffsetsTest(unittest.TestCase):
    def test_a_longer_tool_stands_nearer_in_the_hover_check(self):
        """A cutter 0.3 longer than told leaves 0.3 less under it; a longer probe is the other way about."""
        plan = demo_plan()
        world = TrueWorld.model_validate(EXACT)
        told = rehearsed(plan, world=world).setups[0]
        longer = world.model_copy(update={"tools": (TrueTool(number=2, longer=0.3),)})  # which the check uses
        self.assertAlmostEqual(rehearsed(plan, world=longer).setups[0].hover_gap - told.hover_gap, -0.3, places=6)
        probe = plan.job.machine.probe.tool
        found = rehearsed(plan, world=world.model_copy(update={"tools": (TrueTool(number=probe, longer=0.3),)}))
        # It touches 0.3 sooner, so everything is found 0.3 higher.
        self.assertAlmostEqual(found.setups[0].found[2] - told.found[2], 0.3, places=6)
        self.assertAlmostEqual(found.setups[0].hover_gap - told.hover_gap, 0.3, places=6)
        self.assertTrue(any("Z of G54 is found" in words for words in found.setups[0].amiss))

    def test_what_an_earlier_job_left_in_the_offset_is_where_the_probe_goes(self):
        """80 to the left of the part the first search meets nothing, and nothing is written over what stood there."""
        plan = demo_plan()
        planned = plan.setups[0].located.m_offset
        off = Point(x=planned[0] - 80.0, y=planned[1], z=planned[2])
        left = TrueWorld(offsets=(OldOffset(code="G54", at=off),))
        result = rehearsed(plan, world=left).setups[0]
        self.assertTrue(result.stopped)
        np.testing.assert_allclose(result.found, off.as_tuple())
        elsewhere = TrueWorld(offsets=(OldOffset(code="G59", at=off),))
        self.assertFalse(rehearsed(plan, world=elsewhere).setups[0].stopped)


class DebrisTest(unittest.TestCase):
    SEAT = np.array([(-50.0, -30.0), (50.0, -30.0), (50.0, 30.0), (-50.0, 30.0)])

    def test_on_one_edge_it_rests_on_the_other(self):
        """1 under the right edge of 100: it rises from nothing to 1, by 0.01 a millimetre."""
        plane = underside(self.SEAT, np.zeros(2), np.array([(50.0, 5.0, 1.0)]))
        np.testing.assert_allclose(plane, (0.01, 0.0, 0.5), atol=1e-9)
        # A quarter of the way in, the same chip tips it more: 1 in 75.
        plane = underside(self.SEAT, np.zeros(2), np.array([(25.0, 0.0, 1.0)]))
        np.testing.assert_allclose(plane, (1.0 / 75.0, 0.0, 50.0 / 75.0), atol=1e-9)

    def test_chips_that_a_higher_one_bridges_do_nothing(self):
        high = np.array([(50.0, 0.0, 1.0)])
        low = np.array([(50.0, 0.0, 1.0), (0.0, 10.0, 0.49), (-40.0, -20.0, 0.09)])
        np.testing.assert_allclose(underside(self.SEAT, np.zeros(2), high), underside(self.SEAT, np.zeros(2), low))
        self.assertGreater(underside(self.SEAT, np.zeros(2), np.vstack([high, (-50.0, 0.0, 0.2)]))[2], 0.55)

    def test_nothing_goes_through_anything_and_it_lies_on_three(self):
        rng = np.random.default_rng(2)
        for _ in range(40):
            debris = np.column_stack([rng.uniform((-50, -30), (50, 30), (3, 2)), rng.uniform(0.05, 2.0, 3)])
            weight = rng.uniform((-20, -10), (20, 10))
            a, b, c = underside(self.SEAT, weight, debris)
            carried = np.vstack([np.column_stack([self.SEAT, np.zeros(4)]), debris])
            gaps = carried[:, 0] * a + carried[:, 1] * b + c - carried[:, 2]
            self.assertGreater(gaps.min(), -1e-6)
            touching = carried[gaps < 1e-6, :2]
            self.assertGreaterEqual(len(touching), 3)
            # The centre of gravity is over what carries it: it is a mean of those places.
            from scipy.optimize import nnls

            shares, rest = nnls(np.vstack([touching.T, np.ones(len(touching))]), np.array([*weight, 1.0]))
            self.assertLess(rest, 1e-6)
            self.assertGreater(shares.sum(), 0.999)

    def test_what_falls_off_is_refused(self):
        with self.assertRaisesRegex(ValueError, "falls off"):
            underside(self.SEAT, np.array([60.0, 0.0]), np.zeros((0, 3)))

    def test_the_clamped_part_lies_on_it(self):
        """The float housing on two parallels, a chip of 0.2 on the back one's right end."""
        plan = demo_plan()
        holding, setup = plan.setups[0].holding, plan.job.setups[0]
        outline = seat_outline(holding)
        middle = ((holding.u_stock[0] + holding.u_stock[1]) / 2.0)[:2]
        x, y = outline.corners.max(axis=0) - middle - 1.0
        chip = Debris(x=x, y=y, thickness=0.2)
        true = clamp(
            plan.job.machine, Laid(setup, holding.stock, geometry()), TrueClamping(name="Op 10", debris=(chip,))
        )
        flat = clamp(plan.job.machine, Laid(setup, holding.stock, geometry()), TrueClamping(name="Op 10"))
        lies = true.tf_m_p.after(flat.tf_m_p.inverse())
        np.testing.assert_allclose(lies.turn @ lies.turn.T, np.eye(3), atol=1e-12)
        m_of = flat.tf_m_held
        for (u, v), at_least in ((c, 0.0) for c in outline.corners):
            there = m_of(np.array([u, v, holding.seat]))
            self.assertGreater((lies(there) - there)[2], at_least - 1e-4)
        there = m_of(np.array([x + middle[0], y + middle[1], holding.seat]))
        self.assertAlmostEqual((lies(there) - there)[2], 0.2, delta=1e-3)

    def test_it_is_refused_where_nothing_carries(self):
        """Between the parallels, and beyond the part."""
        holding = demo_plan().setups[0].holding
        for x, y in ((0.0, 0.0), (90.0, 0.0)):
            with self.assertRaisesRegex(InvalidValueError, "nothing carries the stock at"):
                on_debris("Op 10", holding, (Debris(x=x, y=y, thickness=0.2),))

    def test_a_rehearsal_on_a_chip_is_found_out(self):
        """A chip of 0.4 under the part tips it, so its sides and its top are not where one touch each has them."""
        plan = demo_plan()
        holding = plan.setups[1].holding
        outline = seat_outline(holding)
        middle = ((holding.u_stock[0] + holding.u_stock[1]) / 2.0)[:2]
        x, y = outline.corners.max(axis=0) - middle - 1.0
        chip = TrueClamping(name="Op 20", debris=(Debris(x=x, y=y, thickness=0.4),))
        clean, tipped = (rehearsed(plan, world=TrueWorld(setups=s)) for s in ((), (chip,)))
        self.assertEqual((clean.alarms, clean.amiss), ((), ()))
        off = (
            [np.abs(pair.p_deviation).max() for pair in clean.pairs],
            [np.abs(pair.p_deviation).max() for pair in tipped.pairs],
        )
        self.assertGreater(max(off[1]), 0.05)
        self.assertLess(max(off[0]), 0.02)


class AxesTest(unittest.TestCase):
    def test_an_axis_that_is_not_as_entered(self):
        of, station = trunnion()
        place = np.array([-380.0, -190.0, -340.0])
        error = AxisError(axis="tilt", off=Point(x=0, y=0.3, z=-0.2), flat_off_deg=1.5, sense="the other way")
        axes = Axes(true_axes(of, (error,)))
        axes.angles["A"] = 41.5
        # 40 degrees from level, the other way, about a line 0.3 and 0.2 beside.
        centre = np.array([0.0, -199.7, -350.2])
        there = Rotation.from_euler("x", -40, degrees=True).apply(place - centre) + centre
        np.testing.assert_allclose(axes.tf_now_nought(station.on and of.carriers[0].id)(place), there, atol=1e-9)
        self.assertEqual(len(true_axes(of, (AxisError(axis="another machine's"),))), 2)


class StepsTest(unittest.TestCase):
    def test_steps_by_hand_are_the_rehearsal(self):
        """Clamped, run block by block and cut by hand: the same offsets, pairs and stock."""
        plan = written()
        world = drawn_world(plan, 2)
        whole = rehearse(plan, world)
        steps = Rehearsing(plan, world)
        for k, planned in enumerate(plan.setups):
            now = steps.clamp(k)
            for text in planned.probing_texts:
                lines = list(steps.steps(text.text))
                self.assertGreater(len(lines), 20)
                self.assertLess(max(lines), len(text.text.splitlines()) + 1)
            np.testing.assert_array_equal(now.found, whole.setups[k].found)
            for end in range(1, len(planned.setup.operations) + 1):
                steps.cut_to(end)
        self.assertEqual([p.p_deviation for p in steps.measure()], [p.p_deviation for p in whole.pairs])

    def test_cut_to_an_operation_takes_that_much(self):
        plan = written()
        steps = Rehearsing(plan, TrueWorld())
        now = steps.clamp(0)
        before = steps.stock.solid.volume()
        volumes = []
        for end in range(1, len(now.planned.setup.operations) + 1):
            steps.cut_to(end)
            volumes.append(steps.stock.solid.volume())
        self.assertEqual(sorted(volumes, reverse=True), volumes)
        wanted = demo_plan().setups[0]
        for k, volume in enumerate(volumes[:-1]):
            # Cut where the offset was by eye, which here is right.
            self.assertAlmostEqual(volume / wanted.cutting.before(k + 1).solid.volume(), 1.0, delta=2e-3)
        self.assertLess(volumes[-1], before)


if __name__ == "__main__":
    unittest.main()
