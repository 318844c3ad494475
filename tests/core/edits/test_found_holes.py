"""A hole nobody has drawn: in the blank from the beginning, probed, kept where it measures, cut around.

The old part is a block of 150 x 80 x 30 that is its own blank; the hole is put there about, and really is elsewhere.
"""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.found_holes import holes_in, typed_hole, with_found_hole, with_measured_holes
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.measuring.results_back import ReturnedResult, ReturnedResults, result_rows, returned
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.part import Feature
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.recognition.matching import match_features
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.solids.geometry import Cylinder
from tests.helpers import demo, demo_plan, models
from tests.jobs import IN_VISE, block_job, feature, plan_of, setup
from tests.rehearsals import rehearsed

CORNER = ProbeCycle(name="corner", kind="corner", on="stock", corner="left front")
TOP = ProbeCycle(name="top", kind="surface", on="stock", side="top")
HOLE = ProbeCycle(name="old hole", kind="bore", on="feature", feature="found hole 1", action="measure")
DRAWN = feature("drawn", "bore", (20, 20, 30), diameter=12.0, through=True)


def old_part(*cycles, up="+Z"):
    side = Datum(
        x=AxisDatum(source="stock minus side"), y=AxisDatum(source="stock minus side"), z=AxisDatum(source="stock top")
    )
    routine = ProbingRoutine(guess=1.0, depth=5.0, cycles=cycles or None)
    hold = IN_VISE.model_copy(update={"parallels_height": 32.0})
    one = setup(hold=hold, up=up, probing=routine, datum=side)
    return block_job(one, part=(150, 80, 30), stock=(150, 80, 30))


def put(job, at, diameter, depth=None, name="found hole 1"):
    return with_found_hole(plan_of(job), 0, name, at, diameter, depth)


def hole_rows(plan, feature="found hole 1"):
    steps = plan.setups[0].probing.steps
    return [row for row in result_rows(plan.setups[0]) if steps[row.step - 1].cycle.feature == feature]


class PutThereTest(unittest.TestCase):
    def test_where_it_reads_and_as_deep(self):
        """By hand: the zero is at part (0, 0, 30), or from below at (0, 80, 0) with Y the other way."""
        for up, at in (("+Z", (60, 25, 30)), ("-Z", (60, 55, 0))):
            for depth in (None, 12.0):
                made = put(old_part(up=up), (60, 25), 16.0, depth).part.feature("found hole 1")
                np.testing.assert_allclose(made.at.as_tuple(), at)
                self.assertEqual(
                    (made.opens_to, made.kind, made.through), (up, "hole" if depth else "bore", depth is None)
                )
        self.assertEqual(put(old_part(), (60, 25, -4.0), 16.0).part.feature("found hole 1").at.z, 26.0)

    def test_part_and_blank_both_have_it(self):
        whole = 150 * 80 * 30
        for depth, deep in ((None, 30.0), (12.0, 12.0)):
            plan = plan_of(put(old_part(), (60, 25), 16.0, depth))
            for solid in (plan.geometry.solid, plan.blank.solid, plan.setups[0].before.solid):
                self.assertAlmostEqual((whole - solid.volume()) / (math.pi * 64 * deep), 1.0, delta=0.02)
            fine = written_plan(plan).geometry.fine_solid
            self.assertAlmostEqual((whole - fine.volume()) / (math.pi * 64 * deep), 1.0, delta=4e-4)
            plan.check_part_is_left()
            self.assertEqual({f.code for f in findings_of(plan)} & {"FEATURE_NOT_REACHED", "NOT_FINISHED"}, set())

    def test_in_a_model_its_faces_are_the_models_and_its_own(self):
        """A model that is its own blank no more: the hole is in it and round it, and what was recognised stays."""
        job = demo()
        plan = make_plan(with_found_hole(demo_plan(), 0, "old", (-40.0, 25.0), 5.0), models())
        more = plan.geometry.faces[len(models().part.faces) :]
        self.assertEqual([type(face) for face in more][:1], [Cylinder])
        self.assertEqual(more[0].radius, 2.5)
        own = plan.geometry.face_of == len(models().part.faces)
        corners = plan.geometry.coarse.vertices[plan.geometry.coarse.triangles[own]].reshape(-1, 3)
        away = np.linalg.norm((corners - more[0].point)[:, :2], axis=1)
        np.testing.assert_allclose(away, 2.5, atol=1e-6)
        height = float(np.ptp(plan.geometry.solid.bounding_box()[2::3]))
        gone = models().part.solid.volume() - plan.geometry.solid.volume()
        self.assertAlmostEqual(gone / (math.pi * 2.5**2 * height), 1.0, delta=0.03)
        self.assertEqual(plan.geometry.extents, models().part.extents)
        blind = make_plan(with_found_hole(demo_plan(), 0, "old", (-40.0, 25.0), 5.0, 9.0), models()).geometry
        for number, level in ((0, False), (1, True)):
            ours = blind.coarse.triangles[blind.face_of == len(models().part.faces) + number]
            a, b, c = np.moveaxis(blind.coarse.vertices[ours], 1, 0)
            normal = np.cross(b - a, c - a)
            self.assertTrue(((np.abs(normal[:, 2]) > 0.5 * np.linalg.norm(normal, axis=1)) == level).all())
        again = match_features(plan.job.part.features, models().part)
        self.assertIn("old", again.kept)
        self.assertEqual(job.part.feature("old"), None)

    def test_refused(self):
        job = block_job(*old_part().setups, part=(150, 80, 30), stock=(150, 80, 30), features=(DRAWN,))
        for at, size, depth, name, why in (
            ((60, 25), 16.0, None, "drawn", "is a feature of the drawing"),
            ((160, 25), 16.0, None, "h", "there is no stock"),
            ((60, 25), 0.0, None, "h", "more than nought"), ((60, 25), 5.0, -1.0, "h", "more than nought"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                put(job, at, size, depth, name)
        with self.assertRaisesRegex(ValueError, "only a hole or bore"):
            Feature(name="x", kind="slot", at={"x": 0, "y": 0, "z": 0}, opens_to="+Z", found=True)
        for text in ("12", "1, 2, 3, 4, 5", "a, b, c"):
            with self.assertRaises(LedgecliffError):
                typed_hole(plan_of(old_part()), 0, text, "mm")

    def test_typed_in_inches_under_a_name_of_its_own(self):
        once = typed_hole(plan_of(old_part()), 0, "2, 1, 0.5", "in")
        twice = typed_hole(plan_of(once), 0, "100 mm, 40 mm, 8 mm, 5 mm", "in")
        made = twice.part.features
        self.assertEqual([each.name for each in made], ["found hole 1", "found hole 2"])
        np.testing.assert_allclose((made[0].at.x, made[0].at.y, made[0].diameter), (50.8, 25.4, 12.7))
        self.assertEqual((made[1].depth, made[1].kind), (5.0, "hole"))


class MeasuredTest(unittest.TestCase):
    """Put there about, measured, and kept: the old part's hole is really at (61.2, 24.1), 16.4 wide."""

    TRUE = ((61.2, 24.1), 16.4)

    def job(self, *cycles):
        rough = put(old_part(), (60, 25), 16.0)
        return set_value(rough, ("setups", 0, "probing", "cycles"), cycles or (CORNER, TOP, HOLE))

    def given(self, plan, x, y, size):
        values = {"x": x, "y": y, "size": size, "size x": size, "size y": size}
        rows = hole_rows(plan)
        results = tuple(ReturnedResult(step=row.step, key=row.key, value=values[row.key]) for row in rows)
        return returned(plan.setups[0], ReturnedResults(setup="Op 10", results=results))

    def test_kept_where_it_measures(self):
        plan = plan_of(self.job())
        self.assertEqual(plan.setups[0].probing.problems, ())
        self.assertEqual(read_back(plan, 0).differences, ())
        found = self.given(plan, *self.TRUE[0], self.TRUE[1])
        self.assertEqual(holes_in(plan, found), ("found hole 1",))
        kept = with_measured_holes(plan, 0, found)
        hole = kept.part.feature("found hole 1")
        np.testing.assert_allclose(hole.at.as_tuple(), (61.2, 24.1, 30.0), atol=1e-9)
        self.assertAlmostEqual(hole.diameter, 16.4)
        self.assertTrue(hole.through)

    def test_what_the_rehearsal_measures_is_kept_the_same(self):
        """The control runs its program on the part as it is kept: nothing is off any more."""
        plan = plan_of(with_measured_holes(plan_of(self.job()), 0, self.given(plan_of(self.job()), 61.2, 24.1, 16.4)))
        result = rehearsed(plan, 4).setups[0]
        self.assertEqual(result.alarms, ())
        rows = {row.key: result.results[row.parameter] for row in hole_rows(plan)}
        np.testing.assert_allclose((rows["x"], rows["y"]), (61.2, 24.1), atol=0.006)

    def test_a_zero_may_be_taken_from_it_then(self):
        plan = plan_of(self.job())
        kept = with_measured_holes(plan, 0, self.given(plan, *self.TRUE[0], self.TRUE[1]))
        kept = set_value(kept, ("setups", 0, "probing", "cycles"), None)
        for axis in ("x", "y"):
            kept = set_value(kept, ("setups", 0, "datum", axis), AxisDatum(source="feature", feature="found hole 1"))
        plan = plan_of(kept)
        self.assertEqual(plan.setups[0].probing.problems, ())
        for seed in range(1, 6):
            result = rehearsed(plan, seed).setups[0]
            self.assertEqual(result.alarms, ())
            np.testing.assert_allclose(result.found, result.true, atol=0.006)

    def test_not_from_a_zero_that_nobody_found(self):
        for cycles in ((HOLE, CORNER, TOP), (CORNER, TOP, HOLE.model_copy(update={"action": "set"}))):
            plan = plan_of(self.job(*cycles))
            with self.assertRaisesRegex(InvalidValueError, "from a zero that is itself not found yet"):
                with_measured_holes(plan, 0, self.given(plan, 61.2, 24.1, 16.4))
        plan = plan_of(self.job())
        with self.assertRaisesRegex(InvalidValueError, "no hole that was found"):
            corner = tuple(ReturnedResult(step=row.step, key=row.key, value=0.0) for row in hole_rows(plan, None))
            with_measured_holes(plan, 0, returned(plan.setups[0], ReturnedResults(setup="Op 10", results=corner)))


if __name__ == "__main__":
    unittest.main()
