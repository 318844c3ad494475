"""Bodies of carriers: where they stand, what they do to plan and findings, and the simulated machine turning them."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.blanks import box
from ledgecliff.core.carrier_bodies import body_solid, standing_bodies
from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.contact.turning import meets_turning
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.carrier_body import BoxBody, ColumnBody, RoundBody
from ledgecliff.core.model.stations import AxisTurn, Mount
from ledgecliff.core.places import tf_m_station
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.simulator.axes import Axes, planned_axes
from ledgecliff.core.simulator.machine import Alarm, SimulatedMachine, quiet
from ledgecliff.core.sweeps import highest_swept
from tests.core.findings.test_index_findings import SWEPT
from tests.core.test_places import FACE, A, C, index, rotary, with_places
from tests.core.test_rotary_schools import TABLE, indexed_job
from tests.draws import draws
from tests.helpers import shipped_plan
from tests.jobs import plan_of, point

AHEAD = {"x": (0, 0, 1), "y": (0, 0, 1), "z": (0, -1, 0)}


def corners(solid):
    return np.asarray(solid.to_mesh64().vert_properties)[:, :3]


def block(name, low, high):
    return BoxBody(name=name, low=point(*low), high=point(*high))


def codes(plan, *only):
    return [(each.code, each.setup) for each in findings_of(plan) if each.code in only]


class BodyTest(unittest.TestCase):
    def test_faces_of_a_column(self):
        """Each face is as far out as stated, all round from the first, and looks where it is said to."""
        for along, ahead in AHEAD.items():
            for faces in (3, 4, 5, 8, 13):
                column = ColumnBody(name="c", at=point(7, -3, 2), along=along, length=50, faces=faces, distance=30)
                places = corners(body_solid(column)) - (7, -3, 2)
                axis = np.eye(3)["xyz".index(along)]
                np.testing.assert_allclose((places @ axis).min(), 0.0, atol=1e-6)
                np.testing.assert_allclose((places @ axis).max(), 50.0, atol=1e-6)
                for k in range(faces):
                    out = Rotation.from_rotvec(axis * 2.0 * math.pi * k / faces).apply(ahead)
                    self.assertAlmostEqual((places @ out).max(), 30.0, places=5, msg=(along, faces, k))

    def test_a_round_lies_within_its_facets(self):
        solid = body_solid(RoundBody(name="r", at=point(0, 0, 0), along="y", length=10, diameter=80))
        across = corners(solid)[:, [0, 2]]
        for turn in np.linspace(0.0, 2.0 * math.pi, 77):
            reach = (across @ (math.cos(turn), math.sin(turn))).max()
            self.assertTrue(40.0 - 1e-6 <= reach < 40.1)

    def test_it_stands_where_a_station_at_that_place_stands(self):
        lot = random.Random(3)

        def place():
            return tuple(round(lot.uniform(-400, 400), 3) for _ in range(3))

        for _ in range(draws(10, 200)):
            corner = place()
            body = block("b", corner, tuple(value + 30.0 for value in corner))
            tilt = tuple(AxisTurn(about=lot.choice("xyz"), degrees=lot.uniform(-180, 180)) for _ in range(2))
            lower = rotary("A", lot.choice("xyz"), place(), sense=lot.choice(("right-handed", "left-handed")))
            upper = rotary("C", lot.choice("xyz"), place(), on=A, flat_deg=lot.uniform(-5, 5))
            upper = upper.model_copy(update={"bodies": (body,)})
            face = Mount(id=FACE, name="face", on=C, at=point(*place()), turned=tilt, tilt_x_deg=lot.uniform(-2, 2),
                         tilt_y_deg=lot.uniform(-2, 2), bodies=(body,))  # fmt: skip
            at = index(A=lot.uniform(-180, 180), C=lot.uniform(-180, 180))
            centre = np.array(upper.centre.as_tuple())
            for on, zero in ((FACE, (0, 0, 0)), (C, centre)):
                machine, station = with_places(lower, upper, face, at=np.add(corner, zero), on=on)
                found = [each for each in standing_bodies(machine, at) if each.owner == on]
                self.assertEqual([each.on for each in found], [C])
                expected = tf_m_station(machine, station, at)
                places = corners(found[0].m_solid)
                for offset in ((0, 0, 0), (30, 0, 30), (30, 30, 30)):
                    gone = np.linalg.norm(places - expected(np.array(offset, dtype=float)), axis=1).min()
                    self.assertLess(gone, 1e-5)

    def test_what_stands_on_the_table_is_taken_along_by_nothing(self):
        post = Mount(id=FACE, name="post", at=point(10, 0, 0), bodies=(block("post", (0, 0, 0), (5, 5, 5)),))
        machine, _ = with_places(rotary("A", "x", (0, 0, 0)), post)
        (body,) = standing_bodies(machine, index(A=90.0))
        self.assertEqual((body.name, body.on), ("post", None))
        np.testing.assert_allclose(body.m_solid.bounding_box(), (10, 0, 0, 15, 5, 5))


def trunnion(*, arm=None, post=None, deep=0.0, indexes=((0, 0), (90, 0))):
    """A block on a turntable's plate, the plate's underside at Z -361, with a body of the table from there down."""
    top = block("top", (-100, -100, -40.0 - 361.0 + deep), (100, 100, -361.0 + deep))
    table = TABLE.model_copy(update={"bodies": (top,)})
    cradle = SWEPT.model_copy(update={"bodies": () if arm is None else (block("arm", *arm),)})
    carriers = [cradle, table]
    if post is not None:
        carriers.append(Mount(id=FACE, name="stand", at=point(0, 0, 0), bodies=(block("post", *post),)))
    return indexed_job(*carriers, indexes=indexes)


class AboutTest(unittest.TestCase):
    def test_a_fixture_in_its_carrier(self):
        for deep, fires in ((0.0, False), (2.0, True)):
            found = codes(plan_of(trunnion(deep=deep)), "STANDS_IN_CARRIER")
            self.assertEqual(found, [("STANDS_IN_CARRIER", name) for name in ("Op 10", "Op 20")] if fires else [])

    def test_what_is_turned_through(self):
        """The cradle's arm sweeps a circle about x whose axis is at y -210.5, z -388.25; a post beside it, or in it."""
        arm = ((-700, -20, -20), (-660, 20, 100))  # 102 from the axis at most
        for gap, fires in ((5.0, False), (-5.0, True)):
            beside = -210.5 + math.hypot(20, 100) + gap
            post = ((-700, beside, -600), (-640, beside + 40, -200))
            plan = plan_of(trunnion(arm=arm, post=post))
            found = [each for each in findings_of(plan) if each.code == "SWEEP_MEETS_NEIGHBOUR"]
            self.assertEqual([each.setup for each in found], ["Op 10", "Op 20"] if fires else [], gap)
            for each in found:
                self.assertIn(f"'{SWEPT.name}' sweeps arm of {SWEPT.name} through post of stand", each.fact)

    def test_between_its_ends_only(self):
        """Posts by lot about the arm's circle, against the arm turned half a degree at a time between the ends; all
        round where nobody has said which way the axis turns."""
        lot, told = random.Random(9), []
        arm, centre = ((-1000, -20, -20), (-960, 20, 100)), np.array((0.0, -210.5, -388.25))
        for _ in range(draws(8, 300)):
            low, high = -lot.uniform(0.0, 120.0), lot.uniform(90.0, 200.0)
            sense = lot.choice(("right-handed", "left-handed", None))
            angle, out = lot.uniform(0.0, 2.0 * math.pi), lot.uniform(85.0, 125.0)
            y, z = centre[1] + out * math.sin(angle), centre[2] + out * math.cos(angle)
            post = ((-1000, y - 6, z - 6), (-940, y + 6, z + 6))
            # Of an unknown sense there are no indexes.
            indexes = ((0, 0), (90, 0)) if sense else ((0, 0),)
            job = trunnion(arm=arm, post=post, indexes=indexes)
            number = next(k for k, each in enumerate(job.machine.carriers) if each.id == SWEPT.id)
            for field, value in (("lowest_deg", low), ("highest_deg", high), ("sense", sense)):
                job = set_value(job, ("machines", 0, "carriers", number, field), value)
            found = [each for each in findings_of(plan_of(job)) if each.code == "SWEEP_MEETS_NEIGHBOUR"]
            fires = {each.setup for each in found if "post" in each.fact}
            ends = (0.0, 360.0) if sense is None else (low, high)
            turned = np.arange(*ends, 0.5) * (1.0 if sense != "left-handed" else -1.0)
            solid = box(*arm)
            meets = {}
            for grown in (-0.3, 0.3):
                other = box(np.subtract(post[0], grown), np.add(post[1], grown))
                other = other.translate(-centre)
                meets[grown] = any((solid.rotate((turn, 0.0, 0.0)) ^ other).volume() > 0.0 for turn in turned)
            if meets[-0.3] == meets[0.3]:
                self.assertEqual(
                    fires,
                    ({"Op 10", "Op 20"} if sense else {"Op 10"}) if meets[0.3] else set(),
                    (low, high, sense, post),
                )
                told.append(meets[0.3])
        self.assertEqual(set(told), {False, True})

    def test_close_to_its_ends_and_to_the_circle(self):
        """Turned level either way the arm's side comes 20 below the axis, half-way its corner 101.98 above it."""
        arm, top = ((-1000, -20, -20), (-960, 20, 100)), math.hypot(20, 100)
        corner = math.degrees(math.atan2(20, 100))

        def is_told(low, high, y, z, *, sense="right-handed"):
            (y, above), (z, upper) = np.add(y, -210.5), np.add(z, -388.25)
            job = trunnion(arm=arm, post=((-1000, y, z), (-940, above, upper)), indexes=((0, 0),))
            number = next(k for k, each in enumerate(job.machine.carriers) if each.id == SWEPT.id)
            for field, value in (("lowest_deg", low), ("highest_deg", high), ("sense", sense)):
                job = set_value(job, ("machines", 0, "carriers", number, field), value)
            return codes(plan_of(job), "SWEEP_MEETS_NEIGHBOUR") != []

        for gap, fires in ((-0.05, True), (0.05, False)):
            below = (-60.0, -20.0 - gap)
            self.assertEqual(is_told(-40, 90, (-60, -50), below), fires)
            self.assertEqual(is_told(-90, 40, (50, 60), below), fires)
            self.assertEqual(is_told(-40, 90, (50, 60), below, sense="left-handed"), fires)
        for gap, fires in ((-0.02, True), (0.2, False)):
            # So that the corner comes there in the midst of a step.
            self.assertEqual(is_told(-corner - 75.25, 104.75 - corner, (-20, 20), (top + gap, top + 40)), fires)
        for sense in (None, "right-handed"):
            self.assertEqual(is_told(-20, 20, (-60, -50), (-60, -15), sense=sense), sense is None)

    def test_past_what_another_axis_carries(self):
        """A bar on a turntable of its own beside the arm's circle, left pointing away from it: nobody knows how it
        stands.  On the plain table it stays as it is."""
        arm = ((-1000, -20, -20), (-960, 20, 100))
        bar = block("bar", (-10, 20, -20), (10, 140, 20))
        for gap, fires in ((-5.0, True), (5.0, False)):
            beside = -210.5 + math.hypot(20, 100) + math.hypot(10, 140) + gap
            other = rotary("B", "z", (-980.0, beside, -388.25)).model_copy(update={"bodies": (bar,)})
            stand = Mount(id=FACE, name="stand", at=other.centre, bodies=(bar,))
            for carrier, told in ((other, fires), (stand, False)):
                job = trunnion(arm=arm)
                job = set_value(job, ("machines", 0, "carriers"), (*job.machine.carriers, carrier))
                found = [each for each in findings_of(plan_of(job)) if each.code == "SWEEP_MEETS_NEIGHBOUR"]
                self.assertEqual(["through bar of" in each.fact for each in found], [True, True] if told else [], gap)

    def test_a_turntable_turns_past_its_own_cradle(self):
        """The plate's farthest corner goes round C; an arm of the cradle, which C does not take along, within that."""
        setup = plan_of(trunnion()).setups[0]
        plate = corners(setup.holding.blocks[0].solid()) @ setup.located.tf_m_u.turn.T + setup.located.tf_m_u.shift
        reach = float(np.hypot(*(plate[:, :2] - (-402.12, -210.74)).T).max())
        for gap, fires in ((2.0, False), (-2.0, True)):
            left = -402.12 - reach - gap
            arm = ((left - 30, -20, 20), (left, 20, 45))
            found = codes(plan_of(trunnion(arm=arm)), "SWEEP_MEETS_NEIGHBOUR")
            self.assertEqual([setup for _, setup in found], ["Op 10", "Op 20"] if fires else [])

    def test_what_a_vise_has_below_its_bed(self):
        """Of the valve's vise 50 mm stand below the bed: they sweep past a post that jaws and stock would clear, and
        stand in a table that is that much too high."""
        plan = shipped_plan("sluice-valve-block")
        path = ("machines", 0, "carriers")
        for bed, fires in ((50.0, True), (1.0, False)):
            job = set_value(plan.job, ("machines", 0, "fixtures", 0, "bed_height"), bed)
            number = len(job.machine.carriers) - 1
            # Beside the stock, where jaws come 69 from the axis and the vise's lower edge 85.
            post = block("rail", (-456.0, -80, 170), (-449.0, -75, 174))
            for carrier, bodies in ((number, (post,)), (0, ()), (1, ())):
                job = set_value(job, (*path, carrier, "bodies"), bodies)
            found = [each for each in findings_of(make_plan(job, plan.models)) if each.code == "SWEEP_MEETS_NEIGHBOUR"]
            self.assertEqual(any("body of trunnion vise through rail" in each.fact for each in found), fires, bed)
        for higher, fires in ((0.0, False), (3.0, True)):
            top = set_value(plan.job, (*path, 1, "bodies", 0, "at", "z"), -474.0 + higher)
            found = codes(make_plan(top, plan.models), "STANDS_IN_CARRIER")
            self.assertEqual(len(found), 6 if fires else 0)

    def test_higher_than_the_nose(self):
        job = trunnion(arm=((-700, -20, -20), (-660, 20, 100)))
        top = -388.25 + math.hypot(20, 100)
        for spare, fires in ((0.5, False), (-0.5, True)):
            low = set_value(job, ("machines", 0, "travel_max", "z"), max(top, self._swept(job)) + spare)
            self.assertEqual(bool(codes(plan_of(low), "SWEEP_MEETS_NOSE")), fires)

    def _swept(self, job):
        return max(highest_swept(setup) for setup in plan_of(job).setups)

    def test_the_probe_meets_what_carries(self):
        """An arm up beside the block, in the stylus' way to its left side, on the machine as in the plan."""
        plan, told = shipped_plan("sluice-valve-block"), ("MEETS_NEIGHBOUR", "TOUCH_WAY_BLOCKED")
        self.assertEqual(codes(plan, *told), [])
        tall = block("tall", (-470, -60, 90), (-450, 60, 130))
        job = set_value(plan.job, ("machines", 0, "carriers", 0, "bodies"), (tall,))
        plan = make_plan(job, plan.models)
        names = {block.name for block in plan.setups[0].neighbours.blocks}
        self.assertIn("tall of cradle", names)
        (first, *_) = rehearse(written_plan(plan), TrueWorld()).setups
        self.assertIn("contact on the way over", first.alarms[0])
        self.assertLessEqual({(code, "Op 10") for code in told}, set(codes(plan, *told)))


class TurningTest(unittest.TestCase):
    LINE = (np.zeros(3), np.array([1.0, 0.0, 0.0]))

    def meets(self, low, high, degrees=180.0, moved=((0, 0, -1), (10, 100, 0))):
        return meets_turning(Body("arm", box(*moved)), Body("post", box(low, high)), self.LINE, degrees)

    def test_by_hand(self):
        """The edge at y 100, z 0 comes to the underside at z 50 after 30 degrees, at y 86.6; the face under the arm
        comes to a corner at y 80, z -50 after atan(50 / 80), a millimetre thick."""
        self.assertAlmostEqual(self.meets((0, 80, 50), (10, 120, 60)), 30.0, delta=0.06)
        corner = math.degrees(math.atan2(50, 80) - math.asin(1.0 / math.hypot(80, 50)))
        self.assertAlmostEqual(self.meets((0, 70, -60), (10, 80, -50), -180.0), corner, delta=0.06)

    def test_not_that_far_not_beside_and_not_out_of_reach(self):
        self.assertIsNone(self.meets((0, 80, 50), (10, 120, 60), 29.9))
        for just_over in np.arange(30.01, 30.1, 0.01):
            self.assertIsNotNone(self.meets((0, 80, 50), (10, 120, 60), just_over))
        self.assertIsNone(self.meets((10.01, 80, 50), (20, 120, 60)))
        self.assertIsNone(self.meets((0, 101, -50), (10, 120, 60)))
        self.assertIsNone(self.meets((0, 80, 50), (10, 120, 60), -180.0))

    def test_what_it_runs_on(self):
        """A plate against its face at the start is what it is screwed to."""
        self.assertIsNone(self.meets((0, 0, 0), (10, 40, 5), 0.0))
        self.assertIsNone(self.meets((10, -50, -50), (20, 50, 50)))

    def test_against_small_steps(self):
        lot = random.Random(8)
        for _ in range(draws(6, 100)):
            low = np.array([0.0, lot.uniform(20, 80), lot.uniform(10, 60)])
            high = low + np.array([10, lot.uniform(2, 30), lot.uniform(2, 30)])
            found = self.meets(tuple(low), tuple(high), 170.0)
            post = box(low, high)
            stepped = None
            for degrees in np.arange(0.0, 170.0, 0.05):
                arm = box((0, 0, -1), (10, 100, 0)).rotate((degrees, 0, 0))
                if (arm ^ post).volume() > 1e-6:
                    stepped = degrees
                    break
            self.assertEqual(found is None, stepped is None)
            if stepped is not None:
                self.assertTrue(stepped - 0.1 <= found <= stepped + 0.06, (found, stepped))


class MachineTest(unittest.TestCase):
    def turned(self, way_round, moves, post, sense="right-handed"):
        """The alarm, if any, of an arm on A that turns by words, a post beside it."""
        axis = rotary("A", "x", (0, 0, 0), sense=sense).model_copy(update={"way_round": way_round})
        machine, _ = with_places(axis)
        arm, stands = Body("arm", box((0, 0, -1), (10, 100, 0)), carrier=A), Body("post", box(*post))
        machine = machine.model_copy(update={"travel_max": point(0, 0, 900)})
        unit = SimulatedMachine(machine, [arm, stands], {}, quiet(), axes=Axes(planned_axes(machine)))
        for degrees in moves:
            try:
                unit.turn_to("A", degrees)
            except Alarm as alarm:
                return str(alarm)
        return ""

    def test_a_collision_on_the_way_round(self):
        above, below = ((0, 80, 50), (10, 120, 60)), ((0, 80, -60), (10, 120, -50))
        for way_round, moves, post, meets in (
            ("counts turns", (90.0,), above, True),
            ("counts turns", (90.0,), below, False),
            ("counts turns", (-90.0,), above, False),
            ("counts turns", (-90.0,), below, True),
            ("counts turns", (-90.0, 270.0), below, True),
            ("nearer way", (270.0,), above, False),
            ("nearer way", (270.0,), below, True),
            ("nearer way", (90.0,), above, True),
            ("sign is the way", (270.0,), above, True),
            ("sign is the way", (-270.0,), above, False),
            ("sign is the way", (-270.0,), below, True),
        ):
            alarm = self.turned(way_round, moves, post)
            self.assertEqual("collision: arm met post" in alarm, meets, (way_round, moves, post))
        self.assertIn("collision", self.turned("counts turns", (90.0,), below, sense="left-handed"))

    def test_a_post_in_the_cradles_way_stops_the_demo_before_metal(self):
        plan = shipped_plan("sluice-valve-block")
        stands = len(plan.job.machine.carriers) - 1
        post = block("crate", (-590.0, 70, 0), (-570.0, 120, 172))
        job = set_value(plan.job, ("machines", 0, "carriers", stands, "bodies"), (post,))
        bad = make_plan(job, plan.models)
        self.assertIn(("SWEEP_MEETS_NEIGHBOUR", "Op 20"), codes(bad, "SWEEP_MEETS_NEIGHBOUR"))
        first, second, *_ = rehearse(written_plan(bad), TrueWorld()).setups
        self.assertEqual(first.alarms, ())
        self.assertIn("met crate of trunnion stands", second.alarms[0])


if __name__ == "__main__":
    unittest.main()
