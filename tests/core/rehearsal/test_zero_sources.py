"""Zeros from walls, middles, floors and faces of features, and from what stands beside the part: five stated worlds.

The block is 120 x 80 x 30 and lies in the left vise, whose jaws' middle is at X -520, its fixed jaw at Y -180 and its
bed at Z -480, on parallels of 30: so its planned corner is at (-580, -260, -450).  What is expected follows from that.
"""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.datums import datum_choices
from ledgecliff.core.edits.cycles import cycles_at
from ledgecliff.core.holding.stops import dowel_contacts
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import Dowel, PlateHold, Stop
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Pocket, Slot
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stations import AxisTurn, Mount
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.clamped import Laid, clamp, true_blank
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.core.touchoff.draft import draft_for
from ledgecliff.core.touchoff.keeping import results_of
from tests.jobs import IN_VISE, block_job, feature, plan_of, point, setup, station_id
from tests.rehearsals import rehearsed

SIZE = (120, 80, 30)
FEATURES = (
    feature("step", "slot", (0, 40, 30), lengthwise="+Y", length=80, width=40, depth=8),
    feature("guide", "slot", (60, 30, 30), lengthwise="+X", length=120, width=12, depth=10),
    feature("well", "pocket", (90, 62, 18), lengthwise="+X", length=36, width=24, radius=4, depth=12),
    feature("rib", "web", (90, 43, 24), "+Y", width=14, lengthwise="+X", length=36, depth=12),
    feature("ledge", "face", (10, 60, 22)),
    feature("riser", "face", (20, 60, 26), "-X"),
)
ROUTINE = ProbingRoutine(depth=4, guess=0.5, stand_off=2.5, overtravel=1.5)
#: Fixture off, part off in it, blank larger than measured (mm).
WORLDS = (
    ((0, 0, 0), (0, 0, 0), (0, 0, 0)),
    ((0.2, -0.1, 0.05), (0.1, 0.15, 0.02), (0, 0, 0)),
    ((-0.15, 0.2, -0.1), (0, 0, 0), (0.2, 0.3, 0.1)),
    ((0, 0, 0.1), (-0.2, -0.1, 0), (-0.3, -0.2, -0.1)),
    ((0.1, 0.1, 0), (0.1, 0, 0.1), (0.3, -0.4, 0.05)),
)
#: A touch's own scatter and what its cycle is rounded to (mm).
WITHIN = 0.005


def at(source, name=None, **more):
    return AxisDatum(source=source, feature=name, **more)


JAW, LIES_ON = at("fixed jaw"), at("parallels")


def job_of(x, y, z=LIES_ON, *, features=FEATURES, **more):
    """Everything is cut in the first setup, from the blank's middle and its top; the second takes its zero there."""
    cuts = (Slot(name="a", tool=2, on="step"), Slot(name="b", tool=3, on="guide"), Pocket(name="c", tool=3, on="well"))
    one = setup(*cuts, probing=ROUTINE)
    values = {"datum": Datum(x=x, y=y, z=z), "probing": ROUTINE, "offset": "G55"} | more
    two = setup(name="Op 20", **values)
    return block_job(one, two, part=SIZE, stock=SIZE, features=features)


def probing_of(job):
    return plan_of(job).setups[-1].probing


def found_in(job, world):
    fixture, part, blank = (Point(x=p[0], y=p[1], z=p[2]) for p in world)
    stated = TrueWorld(
        stock_off=blank, setups=(TrueClamping(name="Op 20", fixture_off=fixture, part_off=part),)
    )  # fmt: skip
    done = rehearsed(plan_of(job), world=stated)
    assert done.alarms == (), done.alarms
    assert done.setups[1].amiss == (), done.setups[1].amiss
    return done.setups[1].found


def of_part(place, world):
    """A place of the finished part: of what the blank is larger, half is between its middle and the fixed jaw, and all
    of it under its top."""
    fixture, part, blank = map(np.array, world)
    return np.array((-580, -260, -450)) + place + fixture + part + (0, -blank[1] / 2.0, blank[2])


class FeatureTest(unittest.TestCase):
    def held_to(self, job, place, axes="xyz"):
        for world in WORLDS:
            found, wanted = found_in(job, world), of_part(place, world)
            for axis in axes:
                k = "xyz".index(axis)
                self.assertAlmostEqual(found[k], wanted[k], delta=WITHIN, msg=(axis, world))

    def test_the_middle_and_floor_of_a_pocket(self):
        well = at("feature", "well")
        self.held_to(job_of(well, well, well), (90, 62, 18))

    def test_two_inner_walls_and_a_ledge(self):
        job = job_of(at("feature minus side", "well"), at("feature plus side", "well"), at("feature", "ledge"))
        self.held_to(job, (72, 74, 22))

    def test_two_chosen_faces_whose_own_edge_is_gone(self):
        """A riser and a groove's wall, which no edge joins, and the floor of the groove; moved by a shift of each."""
        x, y = at("feature", "riser", shift=1.5), at("feature minus side", "guide", shift=-2.0)
        self.held_to(job_of(x, y, at("feature", "guide", shift=0.25)), (21.5, 22, 20.25))

    def test_the_middle_of_a_slot_and_of_a_rib(self):
        self.held_to(job_of(at("feature", "riser"), at("feature", "guide")), (20, 30, 0), "xy")
        self.held_to(job_of(at("feature", "riser"), at("feature", "rib")), (20, 43, 0), "xy")
        self.held_to(job_of(at("feature", "riser"), at("feature plus side", "rib")), (20, 50, 0), "xy")

    def test_turned_by_a_quarter(self):
        """Part +Y to the right: part X then runs to the front, and what lay to the right lies there."""
        job = job_of(at("feature plus side", "well"), at("feature minus side", "well"), at("feature", "well"),
                     right="+Y")  # fmt: skip
        for world in WORLDS:
            fixture, part, blank = map(np.array, world)
            # 80 along X about the jaws' middle, 120 along Y to the jaw.
            wanted = np.array((-486, -288, -432)) + fixture + part + (0, -blank[0] / 2.0, blank[2])
            np.testing.assert_allclose(found_in(job, world), wanted, atol=WITHIN)

    def test_the_error_of_one_wall_is_that_of_one_touch(self):
        def read(plan, axis):
            """What readings of the second side alone leave of its zero, in standard deviations of one."""
            entering = off_its_zero(plan, 1, axis).enters
            of_second = [part.u for part in entering if part.source.kind == "reading" and "Op 20" in part.source.name]
            return float(np.linalg.norm(of_second)) / plan.job.machine.probe.repeatability

        self.assertAlmostEqual(read(plan_of(job_of(at("feature", "well"), JAW)), "x"), 1.0 / np.sqrt(2.0))
        self.assertAlmostEqual(read(plan_of(job_of(at("feature minus side", "well"), JAW)), "x"), 1.0)
        plan = plan_of(job_of(at("feature", "riser"), JAW, at("feature", "well")))
        for axis in "xz":
            self.assertAlmostEqual(read(plan, axis), 1.0)

    def test_what_can_be_chosen(self):
        job = job_of(JAW, JAW)
        words = {axis: [choice.words for choice in datum_choices(axis, job, 1)] for axis in "xyz"}
        for axis, said in (
            ("x", {"well, middle", "well, left side", "well, right side", "riser", "jaw left end", "jaw right end"}),
            ("y", {"guide, middle", "rib, front side", "rib, back side"}),
            ("z", {"well, floor", "guide, floor", "ledge"}),
        ):
            self.assertLessEqual(said, set(words[axis]), axis)
        self.assertFalse({"guide, middle", "rib, middle", "ledge", "stop"} & set(words["x"]))
        self.assertFalse({"riser", "jaw left end"} & set(words["y"]))


class FalseTest(unittest.TestCase):
    """What is not there, or not so, is said, and not touched somewhere else."""

    def codes(self, job):
        return {problem.code for step in probing_of(job).steps for problem in step.problems}

    def test_a_feature_that_looks_elsewhere_gives_nothing(self):
        self.assertEqual(self.codes(job_of(at("feature", "riser"), at("feature", "riser"))), {"TOUCH_NO_WALL"})
        self.assertIn("TOUCH_NO_WALL", self.codes(job_of(at("feature minus side", "guide"), JAW)))
        upside_down = job_of(at("feature minus side", "well"), JAW, at("feature", "ledge"), up="-Z")
        self.assertIn("TOUCH_NO_WALL", self.codes(upside_down))
        # A riser looks to -X; what looks that way as it lies gives that axis.
        self.assertEqual(self.codes(job_of(at("part centre"), at("feature", "riser"), right="+Y")), set())

    def test_another_wall_in_its_plane_is_not_taken_for_it(self):
        """A second, deeper-cut pocket has its left wall in the same plane, nearer to the stock's middle."""
        other = feature("other", "pocket", (90, 20, 8), lengthwise="+X", length=36, width=18, radius=4, depth=22)
        narrow = FEATURES[2].model_copy(update={"width": 5.0, "radius": 1.0})
        features = tuple(narrow if each.name == "well" else each for each in FEATURES)
        job = job_of(at("feature minus side", "well"), JAW, features=(*features, other))
        one = job.setups[0]
        cut = (*one.operations, Pocket(name="d", tool=3, on="other"))
        job = job.model_copy(update={"setups": (one.model_copy(update={"operations": cut}), job.setups[1])})
        (touch,) = next(step for step in probing_of(job).steps if step.cycle.on == "feature").touches
        # 5 wide, it leaves the ball of 4 no room for what is not known; the other would.
        y = touch.w_contact[1] + float(plan_of(job).setups[1].wcs.u_origin[1])
        self.assertTrue(59.5 <= y <= 64.5, y)
        self.assertTrue(self.codes(job))

    def test_another_floor_at_its_height_is_not_taken_for_it(self):
        """A floor too small for the ball, beside a ledge that lies as high."""
        slit = feature("slit", "pocket", (60, 60, 22), lengthwise="+X", length=8, width=3, radius=1, depth=8)
        job = job_of(at("part centre"), JAW, at("feature", "slit"), features=(*FEATURES, slit))
        one = job.setups[0]
        cut = (*one.operations, Pocket(name="d", tool=3, on="slit"))
        job = job.model_copy(update={"setups": (one.model_copy(update={"operations": cut}), job.setups[1])})
        self.assertIn("TOUCH_NO_LANDING", self.codes(job))

    def test_what_can_be_touched_of_each(self):
        one = job_of(JAW, JAW).setups[0]
        names = {each.name: [(c.kind, c.side or c.axis or c.corner) for c in cycles_at(one, each)] for each in FEATURES}
        self.assertEqual(names["ledge"], [("surface", "top")])
        self.assertEqual(names["riser"], [("surface", "left")])
        self.assertEqual(names["rib"], [("outside width", "y"), ("surface", "front"), ("surface", "back")])
        self.assertEqual(
            [way for kind, way in names["well"] if kind == "surface"], ["left", "right", "front", "back", "top"]
        )


class SaidTest(unittest.TestCase):
    def test_where_the_zeros_are_in_the_programs_head(self):
        well = at("feature", "well")
        for sources, words in (
            ((well, at("feature plus side", "well"), well), ("middle of well", "well, back side", "floor of well")),
            ((at("feature", "riser"), at("feature", "rib"), at("feature", "ledge")),
             ("face riser", "middle of rib", "face ledge")),
            ((at("jaw minus end"), JAW, LIES_ON), ("jaw left end", "fixed jaw", "parallels")),
        ):  # fmt: skip
            text = probing_text(plan_of(job_of(*sources)), 1)
            for letter, said in zip("XYZ", words, strict=True):
                self.assertIn(f"({letter}0 is the {said})", text)


class BesideThePartTest(unittest.TestCase):
    def test_the_ends_of_the_jaw(self):
        """150 wide about -520; it moves with the vise, and neither with the part nor with its size."""
        for side, place in (("minus", -595), ("plus", -445)):
            job = job_of(at(f"jaw {side} end", shift=1.0), JAW)
            for world in WORLDS:
                self.assertAlmostEqual(found_in(job, world)[0], place + 1.0 + world[0][0], delta=WITHIN)

    def test_a_stop_wider_than_the_part(self):
        """A block of 10 along Y is met beside by a stop of 20; pushed against it, a longer one lies further off."""
        for side, face in (("left", -580), ("right", -460)):
            hold = IN_VISE.model_copy(update={"stop": Stop(side=side, height=50), "parallels_thickness": 4.0})
            datum = Datum(x=at("stop"), y=JAW, z=at("stock top"))
            routine = ROUTINE.model_copy(update={"guess": 0.3})
            job = block_job(
                setup(hold=hold, datum=datum, probing=routine, name="Op 20"), part=(120, 10, 30), stock=(120, 10, 30)
            )  # fmt: skip
            for fixture, part, blank in WORLDS:
                off = TrueClamping(name="Op 20", fixture_off=Point(x=fixture[0], y=fixture[1], z=fixture[2]))
                off = off.model_copy(update={"part_off": Point(x=part[0], y=0, z=0)})
                world = TrueWorld(stock_off=Point(x=blank[0], y=0, z=0), setups=(off,))
                done = rehearsed(plan_of(job), world=world)
                self.assertEqual((done.alarms, done.setups[0].amiss), ((), ()))
                self.assertAlmostEqual(done.setups[0].found[0], face + fixture[0], delta=WITHIN)
                self.assertAlmostEqual(done.setups[0].difference[0], 0.0, delta=WITHIN)

    def test_a_stop_that_the_stock_covers_is_not_touched(self):
        hold = IN_VISE.model_copy(update={"stop": Stop(side="left", height=50)})
        steps = probing_of(job_of(at("stop"), JAW, hold=hold)).steps
        step = next(step for step in steps if step.cycle.on == "stop")
        self.assertTrue(step.problems)

    def test_a_dowel_that_the_part_is_against(self):
        """The plate's middle is at (-400, -200); the block lies with its middle there, two dowels before it."""
        dowels = (
            Dowel(x=30, y=-5, diameter=10, height=14), Dowel(x=90, y=-5, diameter=10, height=14),
            Dowel(x=-5, y=40, diameter=10, height=14),
        )  # fmt: skip
        datum = Datum(x=at("dowel", dowel=3), y=at("dowel", dowel=1), z=at("stock top"))
        routine = ROUTINE.model_copy(update={"depth": 5})
        job = block_job(
            setup(hold=PlateHold(dowels=dowels), datum=datum, probing=routine, name="Op 20"), part=SIZE, stock=SIZE
        )  # fmt: skip
        for fixture, _part, blank in WORLDS:
            off = TrueClamping(name="Op 20", fixture_off=Point(x=fixture[0], y=fixture[1], z=fixture[2]))
            world = TrueWorld(stock_off=Point(x=blank[0], y=blank[1], z=blank[2]), setups=(off,))
            done = rehearsed(plan_of(job), world=world)
            self.assertEqual((done.alarms, done.setups[0].amiss), ((), ()))
            wanted = np.array((-400 - 60 - 5, -200 - 40 - 5)) + fixture[:2]
            np.testing.assert_allclose(done.setups[0].found[:2], wanted, atol=0.01)


class MeaningTest(unittest.TestCase):
    def test_another_dowel_or_wall_is_another_zero(self):
        hold = PlateHold(dowels=tuple(Dowel(x=x, y=-5, diameter=10, height=14) for x in (30, 90)))
        sources = (at("dowel", dowel=1), at("dowel", dowel=2), at("feature", "well"), at("feature plus side", "well"))
        jobs = [
            job_of(source, at("part centre"), at("part top"), hold=hold, station=station_id("plate"))
            for source in sources
        ]
        self.assertEqual(len({meaning_of(job, job.setups[1]) for job in jobs}), len(jobs))


class ByHandTest(unittest.TestCase):
    """Found by hand, each source comes to the offset that the plan has: the reading is worked out from its place."""

    def found(self, job, **typed):
        setup_plan = plan_of(job).setups[1]
        draft = draft_for(setup_plan)
        for axis, values in typed.items():
            draft = draft.model_copy(update={axis: draft.axis(axis).model_copy(update=values)})
        return draft, {each.axis: each.offset for each in results_of(setup_plan, draft)}, setup_plan.located.m_offset

    def test_between_walls_and_at_one(self):
        """The well's walls are at X -508 and -472; its back wall at Y -186.  The edge finder is 10 wide."""
        draft, found, wanted = self.found(
            job_of(at("feature", "well"), at("feature plus side", "well")),
            x={"reading": -508 + 5, "second": -472 - 5, "diameter": 10.0}, y={"reading": -186 - 5, "diameter": 10.0},
        )  # fmt: skip
        self.assertEqual((draft.x.method, draft.x.inside, draft.x.expected_width), ("wall to wall", True, 36.0))
        self.assertEqual((draft.y.method, draft.y.surface, draft.y.side), ("edge", "well, back side", "front"))
        np.testing.assert_allclose((found["x"], found["y"]), wanted[:2])

    def test_at_a_face_and_at_the_jaws_end(self):
        draft, found, wanted = self.found(
            job_of(at("feature", "riser"), JAW, at("feature", "ledge")),
            x={"reading": -560 - 5, "diameter": 10.0}, z={"reading": -428 + 118.5, "tool_length": 118.4, "gauge": 0.1},
        )  # fmt: skip
        self.assertEqual((draft.x.surface, draft.z.surface), ("riser", "ledge"))
        np.testing.assert_allclose((found["x"], found["z"]), (wanted[0], wanted[2]))
        draft, found, wanted = self.found(job_of(at("jaw plus end"), JAW), x={"reading": -445 + 5, "diameter": 10.0})
        self.assertAlmostEqual(found["x"], wanted[0])


class TiltedTest(unittest.TestCase):
    def test_dowels_stay_on_a_plate_that_is_tilted(self):
        """Along the plate's own X and Y, whatever the blank measures and however the plate stands."""
        dowels = (Dowel(x=30, y=-5, diameter=10, height=14), Dowel(x=-5, y=40, diameter=10, height=14))
        flat = block_job(setup(hold=PlateHold(dowels=dowels)), part=SIZE, stock=SIZE)
        machine, one = flat.machines[0], flat.setups[0]
        for about, degrees in (("x", 30.0), ("y", 40.0), ("x", 90.0), ("z", 20.0)):
            turned = (AxisTurn(about=about, degrees=degrees),)
            face = Mount(id="0123456789ab", name="face", at=point(-300, -200, -300), turned=turned)
            stations = tuple(
                each.model_copy(update={"on": face.id, "at": point(0, 0, 0)}) if each.id == one.station else each
                for each in machine.stations
            )
            there = machine.model_copy(update={"carriers": (*machine.carriers, face), "stations": stations})
            job = flat.model_copy(update={"machines": (there,)})
            written = written_plan(plan_of(job))
            for blank in ((0, 0, 0), (0.6, 0.4, 0.2), (-0.5, 0.7, -0.3)):
                stock = true_blank(job, written.geometry, None, point(*blank))
                laid = Laid(one, stock, written.geometry, planned=written.setups[0].holding)
                held = clamp(there, laid, TrueClamping(name="Op 10")).holding
                middles = [held.tf_s_u(np.mean([block.low, block.high], axis=0))[:2]
                           for block in (held.block("dowel 1"), held.block("dowel 2"))]  # fmt: skip
                np.testing.assert_allclose(middles, ((-30, -45), (-65, 0)), atol=1e-6, err_msg=f"{about} {blank}")
            # And they meet what they meet: both touch, and one that is moved into the stock stands in it.
            for x, into in ((-5.0, False), (-4.0, True), (-7.0, False)):
                moved = (dowels[0], dowels[1].model_copy(update={"x": x}))
                hold = PlateHold(dowels=moved)
                setups = (one.model_copy(update={"hold": hold}),)
                first, second = dowel_contacts(plan_of(job.model_copy(update={"setups": setups})).setups[0].holding)
                self.assertEqual((first.into, second.into), (False, into), (about, x))
                self.assertAlmostEqual(first.gap, 0.0, places=4)
                self.assertAlmostEqual(second.gap, max(-5.0 - x, 0.0), places=4)


class OwnPlaceTest(unittest.TestCase):
    def job(self, x, y, on="stock", side="top"):
        cycle = ProbeCycle(name="top", kind="surface", on=on, side=side, at_x=x, at_y=y)
        return job_of(at("part centre"), JAW, probing=ROUTINE.model_copy(update={"cycles": (cycle,)}))

    def test_it_is_touched_where_the_user_says(self):
        """The zero is at the part's middle in X and at the fixed jaw in Y; the step's foot ends at X -40."""
        (step,) = probing_of(self.job(35.0, -75.0)).steps
        self.assertEqual(step.touches[0].w_contact[:2], (35.0, -75.0))
        self.assertEqual(step.problems, ())
        (step,) = probing_of(self.job(35.0, None)).steps
        self.assertEqual(step.touches[0].w_contact[0], 35.0)

    def test_over_a_pocket_or_at_an_edge_it_is_refused_and_stays(self):
        for place in ((30.0, -18.0), (59.0, -75.0), (-50.0, -75.0)):
            (step,) = probing_of(self.job(*place)).steps
            self.assertEqual(step.touches[0].w_contact[:2], place)
            self.assertIn("TOUCH_NO_LANDING", {problem.code for problem in step.problems})

    def test_on_either_parallel(self):
        """They stick out 15 beyond the part to either side, 10 wide against the jaws."""
        for place, good in (((67.5, -5.0), True), ((-67.5, -75.0), True), ((67.5, -40.0), False)):
            (step,) = probing_of(self.job(*place, on="parallels", side=None)).steps
            self.assertEqual(step.touches[0].w_contact[:2], place)
            self.assertEqual(not step.problems, good, place)
