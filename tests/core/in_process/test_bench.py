"""Steps beside the machine: what each does to the stock, what follows from it, and what is told of it.

A part of 60 x 40 x 20 in a blank of its own size, unless it says otherwise; volumes are worked out by hand.
"""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.bench import BENCH_KINDS, CAUTIONS, add_step, move_step, remove_step
from ledgecliff.core.edits.parts import remove_feature, rename_feature
from ledgecliff.core.edits.setups import remove_setup
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.bench import Cure, CutTabs, Fill, Glue, HeatTreat, Sand, Saw, TakeOut
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Bore, Outline, Pocket
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.core.route import scenes_of, wait_words
from tests.jobs import ON_BOARD, block_job, feature, plan_of, point, setup
from tests.rehearsals import rehearsed

ROUTINE = ProbingRoutine(depth=4, guess=0.6)
OP_10, OP_20 = derived_id("Op 10"), derived_id("Op 20")
WELL = feature("well", "pocket", (30, 20, 8), "+Z", length=30, width=20, depth=12, radius=3)
EYE = feature("eye", "bore", (30, 20, 20), diameter=12, through=True)


def step(kind, before=OP_10, **values):
    name = values.pop("name", kind.model_fields["kind"].default)
    return kind(id=derived_id(name, str(before)), name=name, before=before, **values)


def halved(*setups, **more):
    """A part of 110 x 40 x 20 whose blank is its left 60 alone."""
    return block_job(*setups, part=(110, 40, 20), allowance=Allowance(minus_x=0.0), **more)


def glued(x=60.0, wide=60.0, before=OP_10, **more):
    """Another half of the part's own height and depth, from ``x`` on."""
    return step(Glue, before, low=point(x, 0, 0), size=Size(x=wide, y=40, z=20), material="oak", **more)


def with_steps(job, *steps):
    return Job.model_validate(job.model_dump() | {"bench": [each.model_dump() for each in steps]})


def codes(plan):
    return {finding.code for finding in findings_of(plan)}


class ShapeTest(unittest.TestCase):
    def test_sawn_from_each_side(self):
        for off, at, size in (
            ("+X", 50, (50, 40, 20)), ("-X", 12, (48, 40, 20)), ("+Y", 33, (60, 33, 20)), ("-Y", 5, (60, 35, 20)),
            ("+Z", 19, (60, 40, 19)), ("-Z", 2.5, (60, 40, 17.5)),
        ):  # fmt: skip
            with self.subTest(off=off):
                plan = plan_of(with_steps(block_job(), step(Saw, off=off, at=at)))
                (done,) = plan.bench[0]
                self.assertAlmostEqual(done.after.volume, float(np.prod(size)), 6)
                self.assertAlmostEqual(done.gone.volume(), 48000 - float(np.prod(size)), 6)
                held = plan.setups[0].holding
                np.testing.assert_allclose(held.u_stock[1] - held.u_stock[0], size, atol=1e-9)
                self.assertTrue(plan.setups[0].before.raw.all())  # a saw leaves a raw face

    def test_what_was_cut_stays_cut_when_the_rest_is_sawn(self):
        first = setup(Outline(name="round", tool=2), probing=ROUTINE)
        second = setup(name="Op 20", up="-Z", offset="G55", probing=ROUTINE)
        job = block_job(first, second, stock=(64, 44, 26), allowance=Allowance(plus_z=0.0))
        plan = plan_of(with_steps(job, step(Saw, OP_20, off="-Z", at=-3)))
        before = plan.setups[1].before
        # 20 of the part and 3 of the hat, which is 2 wider all round.
        self.assertAlmostEqual(before.volume, 60 * 40 * 20 + 64 * 44 * 3, 3)
        mesh, raw = before.mesh, before.raw
        area = np.linalg.norm(
            np.cross(
                mesh.vertices[mesh.triangles[:, 1]] - mesh.vertices[mesh.triangles[:, 0]],
                mesh.vertices[mesh.triangles[:, 2]] - mesh.vertices[mesh.triangles[:, 0]],
            ), axis=1,
        ) / 2.0  # fmt: skip
        # Raw are the top (the blank ends there), the hat's sides and where it was sawn.
        self.assertAlmostEqual(float(area[raw].sum()), 60 * 40 + 2 * (64 + 44) * 3 + 64 * 44, 3)

    def test_glued_on(self):
        plan = plan_of(with_steps(halved(), glued()))
        (done,) = plan.bench[0]
        self.assertAlmostEqual(done.after.volume, 96000, 6)
        self.assertAlmostEqual(done.joint, 800, 6)
        self.assertEqual(len(done.after.pieces), 1)
        self.assertTrue(done.after.raw.all())

    def test_glued_where_something_was_cut_away(self):
        """To a wall that Op 10 has cut, where its outline took everything: the piece is there, and whole, in Op 20."""
        first = setup(Outline(name="round", tool=2), probing=ROUTINE)
        second = setup(name="Op 20", offset="G55", probing=ROUTINE)
        job = block_job(first, second, stock=(80, 40, 20), allowance=Allowance(minus_x=0.0))
        plan = plan_of(with_steps(job, glued(60, 15, OP_20)))
        self.assertAlmostEqual(plan.setups[0].after.volume, 48000, 3)
        self.assertAlmostEqual(plan.setups[1].before.volume, 48000 + 15 * 40 * 20, 3)
        self.assertAlmostEqual(plan.bench[1][0].joint, 800, 6)

    def test_filled_and_taken_out_again(self):
        """What the pocket took comes back, and goes again: the walls are cut ones."""
        first = setup(Pocket(name="well", tool=2, on="well"), probing=ROUTINE)
        second = setup(name="Op 20", offset="G55", probing=ROUTINE)
        third = setup(name="Op 30", offset="G56", probing=ROUTINE)
        job = block_job(first, second, third, features=(WELL,))
        plan = plan_of(with_steps(
            job, step(Fill, OP_20, feature="well", wait=30), step(TakeOut, derived_id("Op 30"), feature="well"),
        ))  # fmt: skip
        took = plan.setups[0].cutting.removed(0).volume()
        self.assertAlmostEqual(plan.setups[1].before.volume, 48000, 3)
        self.assertAlmostEqual(plan.bench[1][0].added.volume(), took, 6)
        self.assertAlmostEqual(plan.setups[2].before.volume, 48000 - took, 3)
        empty, again = plan.setups[0].after, plan.setups[2].before
        self.assertEqual(int((~again.raw).sum() > 0), 1)
        self.assertAlmostEqual(float((empty.solid - again.solid).volume()), 0.0, 6)
        self.assertNotIn("FILLER_STAYS", codes(plan))

    def test_cut_free_of_its_tabs(self):
        cut = Outline(name="round", tool=2, slot=6, tabs=3, below=0.5)
        first = setup(cut, hold=ON_BOARD, probing=ROUTINE)
        second = setup(name="Op 20", up="-Z", hold=ON_BOARD, offset="G55", probing=ROUTINE)
        sizes = {"stock": (100, 80, 20), "allowance": Allowance(plus_z=0.0)}
        with_tabs = plan_of(block_job(first, second, **sizes))
        freed = plan_of(with_steps(block_job(first, second, **sizes), step(CutTabs, OP_20)))
        self.assertGreater(with_tabs.setups[1].before.volume, 60000)
        self.assertAlmostEqual(freed.setups[1].before.volume, 48000, delta=0.1)

    def test_what_changes_nothing(self):
        steps = (step(Cure, wait=60), step(Sand, takes=0.1), step(HeatTreat, moves=0.1))
        plan = plan_of(with_steps(block_job(), *steps))
        self.assertIs(plan.bench[0][-1].after, plan.bench[0][0].before)

    def test_after_all(self):
        plan = plan_of(with_steps(block_job(stock=(70, 40, 20)), step(Saw, None, off="+X", at=60)))
        self.assertAlmostEqual(plan.setups[0].after.volume, 56000, 6)
        self.assertAlmostEqual(plan.finished.volume, 52000, 6)

    def test_the_same_stock_is_the_same_object(self):
        """An edit of what comes later does not work steps before it out again."""
        job = with_steps(halved(), glued())
        again = set_value(job, ("setups", 0, "hover", "gap"), 1.0)
        self.assertIs(plan_of(job).bench[0][0].after, plan_of(again).bench[0][0].after)


class FollowsTest(unittest.TestCase):
    def test_route_and_waits(self):
        plan = plan_of(with_steps(halved(), glued(wait=90), step(Sand, None)))
        scenes = scenes_of(plan)
        self.assertEqual([scene.kind for scene in scenes], ["stock", "bench", "setup", "bench", "finished"])
        self.assertEqual(scenes[1].detail, "wait 90 min")
        self.assertEqual([wait_words(minutes) for minutes in (5, 119, 120, 600, 1440)],
                         ["5 min", "119 min", "2 h", "10 h", "24 h"])  # fmt: skip

    def test_treatment_enters_between_both_sides(self):
        first = setup(Bore(name="eye", tool=2, on="eye"), probing=ROUTINE)
        at_eye = AxisDatum(source="feature", feature="eye")
        datum = Datum(x=at_eye, y=at_eye, z=AxisDatum(source="stock top"))
        second = setup(name="Op 20", offset="G55", probing=ROUTINE, datum=datum)
        job = block_job(first, second, features=(EYE,))

        def error(*steps):
            plan = plan_of(with_steps(job, *steps))
            return off_its_zero(plan, 1, "x").u

        plain = error()
        self.assertEqual(error(step(Cure, OP_20)), plain)
        self.assertEqual(error(step(HeatTreat, OP_10, moves=0.06)), plain)  # before anything was cut
        # Both together may move a thing by 0.06: the eye that gives the zero, and what it is compared with.
        moved = error(step(HeatTreat, OP_20, moves=0.04), step(HeatTreat, OP_20, moves=0.02, name="again"))
        self.assertAlmostEqual(moved, np.sqrt(plain**2 + 2.0 * 0.06**2 / 3.0), 12)

    def test_it_is_taken_out_for_it(self):
        """Carried over in one clamping a zero is where it was; not once the part has been at the bench."""
        first = setup(probing=ROUTINE)
        kept = Datum(**{axis: AxisDatum(source="carried over") for axis in "xyz"})
        second = setup(name="Op 20", probing=ROUTINE, datum=kept)
        job = block_job(first, second)
        self.assertNotIn("PLACE_NOT_GIVEN", codes(plan_of(job)))
        self.assertIn("PLACE_NOT_GIVEN", codes(plan_of(with_steps(job, step(Sand, OP_20)))))

    def test_what_an_offset_means(self):
        job = halved()
        plain, more = meaning_of(job, job.setups[0]), with_steps(job, glued())
        self.assertNotEqual(meaning_of(more, more.setups[0]), plain)
        waits = with_steps(job, step(Cure, wait=60), step(Sand))
        self.assertEqual(meaning_of(waits, waits.setups[0]), plain)
        later = with_steps(job, glued(before=None))
        self.assertEqual(meaning_of(later, later.setups[0]), plain)

    def test_the_simulated_machine_gets_what_was_glued(self):
        """Its middle along X lies in the middle of both halves, in five worlds: the blank off, which then overlaps with
        what is put to it or leaves a gap, and the vise off."""
        plan = plan_of(with_steps(halved(setup(probing=ROUTINE)), glued()))
        planned = plan.setups[0].located.m_offset
        for stock, fixture in ((0, 0), (0.4, 0), (-0.3, 0.2), (0.2, -0.3), (0, 0.4)):
            clamping = TrueClamping(name="Op 10", fixture_off=point(fixture, 0, 0), skew_deg=0.0)
            world = TrueWorld(seed=1, stock_off=point(stock, 0, 0), setups=(clamping,))
            result = rehearsed(plan, world=world).setups[0]
            with self.subTest(stock=stock, fixture=fixture):
                self.assertFalse(result.stopped)
                self.assertAlmostEqual(float(result.true[0]), float(planned[0]) + fixture, 6)
                self.assertAlmostEqual(float(result.found[0]), float(planned[0]) + fixture, delta=0.004)


class FindingTest(unittest.TestCase):
    def test_a_saw_in_the_part_or_in_the_air(self):
        for at, code in ((59.0, "SAW_INTO_PART"), (60.0, "SAW_MEETS_NOTHING"), (59.9999, None)):
            found = codes(plan_of(with_steps(block_job(), step(Saw, off="+X", at=at))))
            wanted = {code} if code else {"SAW_MEETS_NOTHING"}
            self.assertEqual(found & {"SAW_INTO_PART", "SAW_MEETS_NOTHING"}, wanted, at)
        clean = plan_of(with_steps(block_job(stock=(70, 40, 20)), step(Saw, off="+X", at=62)))
        self.assertFalse(codes(clean) & {"SAW_INTO_PART", "SAW_MEETS_NOTHING"})

    def test_what_is_glued_lies_against_it(self):
        cut = Bore(name="eye", tool=2, on="eye")
        at_joint = feature("eye", "bore", (60, 20, 20), diameter=12, through=True)
        beside = feature("eye", "bore", (90, 20, 20), diameter=12, through=True)
        for x, eye, code in (
            (60.0, at_joint, None), (60.0, beside, "JOINT_TRUSTED"), (59.0, at_joint, "GLUED_INTO_STOCK"),
            (60.5, at_joint, "GLUE_MEETS_NOTHING"),
        ):  # fmt: skip
            job = halved(setup(cut, probing=ROUTINE), features=(eye,))
            found = codes(plan_of(with_steps(job, glued(x))))
            with self.subTest(x=x, eye=eye.at.x):
                wanted = {code} if code else set()
                self.assertEqual(found & {"JOINT_TRUSTED", "GLUED_INTO_STOCK", "GLUE_MEETS_NOTHING"}, wanted)

    def test_both_pieces_together_must_hold_the_part(self):
        job = halved(setup(probing=ROUTINE))
        self.assertNotIn("STOCK_TOO_SMALL", codes(plan_of(with_steps(job, glued(wide=50.0)))))
        self.assertIn("STOCK_TOO_SMALL", codes(plan_of(with_steps(job, glued(wide=49.0)))))

    def test_filler(self):
        first = setup(Pocket(name="well", tool=2, on="well"), probing=ROUTINE)
        second = setup(name="Op 20", offset="G55", probing=ROUTINE)
        job = block_job(first, second, features=(WELL,))
        fill, out = step(Fill, OP_20, feature="well"), step(TakeOut, None, feature="well")
        for steps, wanted in (
            ((fill, out), set()), ((fill,), {"FILLER_STAYS"}), ((out,), {"FILLER_NOT_THERE"}),
            ((step(Fill, OP_10, feature="well"),), {"FILL_NOTHING"}),
        ):  # fmt: skip
            found = codes(plan_of(with_steps(job, *steps)))
            self.assertEqual(found & {"FILLER_STAYS", "FILLER_NOT_THERE", "FILL_NOTHING"}, wanted)

    def test_no_tabs(self):
        self.assertIn("NO_TABS_TO_CUT", codes(plan_of(with_steps(block_job(), step(CutTabs)))))
        cut = Outline(name="round", tool=2, slot=6, tabs=3, below=0.5)
        job = block_job(setup(cut, hold=ON_BOARD), stock=(100, 80, 20), allowance=Allowance(plus_z=0.0))
        self.assertNotIn("NO_TABS_TO_CUT", codes(plan_of(with_steps(job, step(CutTabs, None)))))


class EditTest(unittest.TestCase):
    def test_each_kind_is_added_and_planned(self):
        job = block_job(features=(WELL, EYE))
        for kind in BENCH_KINDS:
            # After the last setup there is nothing that a fixture would be made for.
            for place in (0,) if kind == "make fixture" else (0, 1):
                with self.subTest(kind=kind, place=place):
                    more = add_step(job, kind, place, derived_id("new", kind), plan_of(job))
                    self.assertEqual(plan_of(more).bench[place][0].step.kind, kind)
                    self.assertTrue(CAUTIONS[kind])
        with self.assertRaisesRegex(InvalidValueError, "made before the setup that it holds"):
            add_step(job, "make fixture", 1, derived_id("new"), plan_of(job))
        with self.assertRaisesRegex(InvalidValueError, "no pocket, slot, bore or hole"):
            add_step(block_job(), "fill", 0, derived_id("new"), plan_of(block_job()))

    def test_moved_from_place_to_place(self):
        second = setup(name="Op 20", offset="G55")
        job = with_steps(block_job(setup(), second), step(Cure, OP_10), step(Sand, OP_10))
        cure, sand = job.bench
        self.assertEqual([each.name for each in move_step(job, cure.id, 1).bench], ["sand", "cure"])
        later = move_step(job, sand.id, 1)
        self.assertEqual([[each.name for each in later.bench_before(k)] for k in (0, 1, 2)], [["cure"], ["sand"], []])
        last = move_step(later, sand.id, 1)
        self.assertEqual(last.bench_before(2)[0].name, "sand")
        with self.assertRaisesRegex(InvalidValueError, "nothing before the first step"):
            move_step(last, sand.id, 1)
        back = move_step(move_step(last, sand.id, -1), sand.id, -1)
        self.assertEqual([each.name for each in back.bench_before(0)], ["cure", "sand"])
        self.assertEqual(remove_step(job, cure.id).bench, (sand,))

    def test_setups_and_features_that_go_or_are_renamed(self):
        first = setup(Pocket(name="well", tool=2, on="well"))
        job = block_job(first, setup(name="Op 20", offset="G55"), features=(WELL,))
        job = with_steps(job, step(Fill, OP_20, feature="well"), step(Sand, OP_20))
        self.assertEqual([each.before for each in remove_setup(job, 1).bench], [None, None])
        self.assertEqual([each.before for each in remove_setup(job, 0).bench], [OP_20, OP_20])
        self.assertEqual(rename_feature(job, 0, "sump").bench[0].feature, "sump")
        with self.assertRaisesRegex(InvalidValueError, "step 'fill'"):
            remove_feature(job, 0)

    def test_what_leads_nowhere(self):
        with self.assertRaisesRegex(ValueError, "the setup it comes before is not in the job"):
            with_steps(block_job(), step(Cure, derived_id("Op 99")))
        with self.assertRaisesRegex(ValueError, "there is no feature 'well'"):
            with_steps(block_job(), step(Fill, feature="well"))
        with self.assertRaisesRegex(ValueError, "share one id"):
            with_steps(block_job(), step(Cure), step(Cure))


class JointTest(unittest.TestCase):
    def test_the_joint_is_that_of_the_bodies(self):
        """A piece on a step lies on both of its levels; one over a bore has a hole in its joint."""
        from ledgecliff.core.in_process.bench import Known, worked
        from ledgecliff.core.in_process.stock import InProcessStock

        steps = box((0, 0, 0), (30, 40, 20)) + box((0, 0, 0), (60, 40, 10))
        geometry = plan_of(block_job()).geometry
        on_top = step(Glue, low=point(0, 0, 20), size=Size(x=60, y=40, z=5), material="oak")
        done = worked(on_top, InProcessStock(steps.as_original(), 1), Known(manifold3d.Manifold()), geometry)
        self.assertAlmostEqual(done.joint, 30 * 40, 6)
        corner = step(Glue, low=point(30, 0, 10), size=Size(x=30, y=40, z=10), material="oak")
        done = worked(corner, InProcessStock(steps.as_original(), 1), Known(manifold3d.Manifold()), geometry)
        self.assertAlmostEqual(done.joint, 30 * 40 + 10 * 40, 6)
        beside = step(Glue, low=point(-15, 5, 0), size=Size(x=15, y=10, z=20), material="oak")
        done = worked(beside, InProcessStock(steps.as_original(), 1), Known(manifold3d.Manifold()), geometry)
        self.assertAlmostEqual(done.joint, 10 * 20, 6)


if __name__ == "__main__":
    unittest.main()
