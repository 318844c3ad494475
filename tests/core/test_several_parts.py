"""Several parts from one blank: joined, each with features of its own, until they are cut apart.

Blocks of 60 x 40 x 20 with a bore at (20, 15) and a hole from below, every 75 along X.
"""

from __future__ import annotations

import itertools
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.parts import rename_feature
from ledgecliff.core.edits.several_parts import beside_each_other, with_parts
from ledgecliff.core.errors import InvalidValueError, PlanError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.bench import Saw
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Bore, Face, Hole, Outline
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.recognition.recognise import recognise
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.several_parts import apart_before, cut_apart_in, gap_between, joined_at_the_end, names_of, parts_in
from ledgecliff.core.solids.geometry import Cylinder, Plane
from ledgecliff.core.tape.scenes import finished_tape
from ledgecliff.sheets.setup_sheet import sheet_html
from ledgecliff.store.job_files import read_job, write_job
from tests.helpers import demo_plan, models
from tests.jobs import IN_VISE, block_job, feature, plan_of, setup
from tests.rehearsals import rehearsed

BORE = feature("bore", "bore", (20, 15, 20), diameter=12.0, through=True)
BELOW = feature("below", "hole", (40, 25, 0), "-Z", diameter=6.0, depth=8.0, partner="bore")
ZERO = Datum(
    x=AxisDatum(source="stock minus side"), y=AxisDatum(source="stock minus side"), z=AxisDatum(source="part top")
)


def ids():
    numbers = itertools.count(1)
    return lambda: f"{next(numbers):012x}"


def single(*last, hat=5.0):
    """Outlines down to the hat, turned over about X, the hat faced off and what is ``last``."""
    hold = IN_VISE.model_copy(update={"parallels_height": 38.0})
    one = setup(
        Outline(name="outline", tool=2, below=0.5),
        Bore(name="bore", tool=3, on="bore", features=("bore",), beyond=0.2),
        hold=hold, datum=ZERO, probing=ProbingRoutine(depth=3.0, guess=0.6),
    )  # fmt: skip
    two = setup(
        Hole(name="below", tool=3, on="below", features=("below",)), *(last or (Face(name="hat", tool=2),)),
        name="Op 20", up="-Z", hold=hold, offset="G55", probing=ProbingRoutine(depth=3.0, guess=0.6),
    )  # fmt: skip
    job = block_job(one, two, part=(60, 40, 20), stock=(66, 46, 20 + hat), features=(BORE, BELOW))
    return set_value(job, ("stock", "allowance", "plus_z"), 0.0)


def several(count=2, shift=(75.0, 0.0, 0.0), job=None):
    return with_parts(plan_of(job or single()), count, shift, ids())


def with_saw(job, saw):
    return set_value(job, ("bench",), (saw,))


class EditTest(unittest.TestCase):
    def test_by_hand(self):
        job = several(3)
        self.assertEqual([copy.shift.x for copy in job.part.copies], [75.0, 150.0])
        names = [(each.name, each.at.x, each.on_copy, each.partner) for each in job.part.features]
        self.assertEqual(names[2:4], [("bore, part 2", 95.0, 2, None), ("below, part 2", 115.0, 2, "bore, part 2")])
        self.assertEqual(names[5][:2], ("below, part 3", 190.0))
        self.assertEqual(job.stock.measured.as_tuple(), (66 + 150, 46, 25))
        self.assertEqual(several(2, (75.0, 1.0, -2.0)).part.feature("below, part 2").at.as_tuple(), (115, 26, -2))
        self.assertEqual(
            [each.name for each in job.setups[0].operations], ["outline", "bore", "bore, part 2", "bore, part 3"]
        )
        self.assertEqual(job.setups[0].operations[3].on, "bore, part 3")

    def test_there_and_back_and_who_is_who(self):
        two, ids_of = several(2), lambda job: [copy.id for copy in job.part.copies]
        four = with_parts(plan_of(two), 4, (80.0, 0.0, 0.0), lambda: next(fresh))
        self.assertEqual(ids_of(four)[:1], ids_of(two))
        self.assertEqual(len(set(ids_of(four))), 3)
        for count in (0, 41, "twelve", ""):
            with self.assertRaisesRegex(InvalidValueError, "1 to 40 of them; give a whole number"):
                with_parts(plan_of(two), count, (80.0, 0.0, 0.0), ids())
        with self.assertRaisesRegex(InvalidValueError, "more than 10000 mm away"):
            with_parts(plan_of(two), 3, (0.0, -5000.1, 0.0), ids())
        back = with_parts(plan_of(four), 1, (80.0, 0.0, 0.0), ids())
        self.assertEqual(back, single())

    def test_features_follow_the_first_ones(self):
        """A place, a size, a new name; in the file too; a copy's own is never what is stated for it."""
        job = set_value(several(), ("part", "features", 0, "at", "y"), 18.0)
        self.assertEqual(job.part.feature("bore, part 2").at.y, 18.0)
        untouched = set_value(job, ("part", "features", 2, "at", "y"), 3.0)
        self.assertEqual(untouched.part.feature("bore, part 2").at.y, 18.0)
        renamed = rename_feature(job, 0, "main")
        self.assertEqual(renamed.setups[0].operations[2].on, "main, part 2")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "job.json"
            write_job(renamed, path)
            self.assertEqual(read_job(path), renamed)

    def test_refused(self):
        for count, shift, why in (
            (2, (59.0, 0.0, 0.0), "stand in each other"), (0, (75.0, 0.0, 0.0), "1 to 40"),
            (41, (75.0, 0.0, 0.0), "1 to 40"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                several(count, shift)
        self.assertEqual(len(several(2, (60.0, 0.0, 0.0)).part.copies), 1, "they may touch")
        with self.assertRaisesRegex(PlanError, "put them further apart"):
            plan_of(set_value(several(), ("part", "copies", 0, "shift", "x"), 30.0))
        data = several(3).model_dump()
        data["part"]["copies"][1]["id"] = data["part"]["copies"][0]["id"]
        with self.assertRaisesRegex(ValueError, "share an id or a name"):
            Job.model_validate(data)
        self.assertEqual(beside_each_other(plan_of(single())), (80.0, 0.0, 0.0))


fresh = (f"{k:012x}" for k in itertools.count(100))


class GeometryTest(unittest.TestCase):
    def test_as_many_times_the_part(self):
        for count in (2, 3):
            plan, one = plan_of(several(count)), plan_of(single())
            for name in ("solid", "fine_solid"):
                both = [getattr(each.geometry, name).volume() for each in (plan, one)]
                self.assertAlmostEqual(both[0] / both[1], count, places=9)
            self.assertEqual(len(plan.geometry.bodies), count)
            self.assertAlmostEqual(float(plan.geometry.high[0]), 60.0 + 75.0 * (count - 1), places=9)

    def test_each_face_is_where_its_triangles_are(self):
        job = with_parts(demo_plan(), 2, (3.0, 110.0, -7.0), ids())
        geometry = make_plan(job, models()).geometry
        for number, face in enumerate(geometry.faces):
            corners = geometry.coarse.vertices[geometry.coarse.triangles[geometry.face_of == number]].reshape(-1, 3)
            if isinstance(face, Plane):
                np.testing.assert_allclose(corners @ face.normal, face.offset, atol=1e-4)
            elif isinstance(face, Cylinder):
                away = np.linalg.norm(np.cross(corners - face.point, face.axis), axis=1)
                np.testing.assert_allclose(away, face.radius, atol=1e-3)

    def test_what_a_model_has_is_recognised_on_each(self):
        """The demo's own model twice, 110 apart along Y: all of it again, and nothing of the gap between."""
        job = with_parts(demo_plan(), 2, (0.0, 110.0, 0.0), ids())
        twice = make_plan(job, models()).geometry
        once = recognise(models().part)
        found = sorted((each.kind, *np.round(each.at, 4)) for each in recognise(twice))
        expected = sorted(
            (each.kind, *np.round(np.add(each.at, (0.0, dy, 0.0)), 4)) for each in once for dy in (0.0, 110.0)
        )
        self.assertEqual([row[0] for row in found], [row[0] for row in expected])
        np.testing.assert_allclose([row[1:] for row in found], [row[1:] for row in expected], atol=1e-3)


class RouteTest(unittest.TestCase):
    def codes(self, plan):
        return {finding.code for finding in findings_of(plan) if finding.code.startswith("PARTS")}

    def test_joined_until_the_hat_goes(self):
        plan = plan_of(several(2))
        self.assertEqual(parts_in(plan, plan.setups[0].after), (("1", "2"),))
        self.assertEqual(parts_in(plan, plan.finished), (("1",), ("2",)))
        self.assertEqual((cut_apart_in(plan), names_of(plan)), ("Op 20", ("1", "2")))
        self.assertEqual(self.codes(plan), set())
        self.assertIn("joined until Op 20", "".join(line.text for line in finished_tape(plan).lines))
        sheet = sheet_html(plan)
        self.assertIn("Joined until Op 20", sheet)
        self.assertIn("below, part 2", sheet)

    def test_never_cut_apart(self):
        keep = Face(name="hat", tool=2, leave=1.0)
        plan = plan_of(several(2, job=single(keep)))
        self.assertEqual((joined_at_the_end(plan), cut_apart_in(plan)), (("1", "2"), ""))
        self.assertEqual(self.codes(plan), {"PARTS_STILL_JOINED"})
        sawn = with_saw(plan.job, Saw(id="a" * 12, name="saw the hat off", off="-Z", at=0.0))
        self.assertEqual(cut_apart_in(plan_of(sawn)), "saw the hat off")
        self.assertEqual(self.codes(plan_of(sawn)), set())

    def test_apart_too_soon(self):
        """Sawn before the second setup, which holds them as one piece."""
        plan = plan_of(several(2))
        saw = Saw(id="a" * 12, name="saw", off="-Z", at=0.0, before=plan.job.setups[1].id)
        sawn = plan_of(with_saw(plan.job, saw))
        self.assertTrue(apart_before(sawn, 1))
        self.assertIn("PARTS_APART_TOO_SOON", self.codes(sawn))

    def test_a_cutter_between_them(self):
        """T2 is 12 wide: 12.5 apart it goes between, 11.5 apart it does not."""
        for apart, fires in ((12.5, False), (11.5, True)):
            plan = plan_of(several(2, (60.0 + apart, 0.0, 0.0)))
            self.assertAlmostEqual(gap_between(plan), apart)
            self.assertEqual("PARTS_TOO_CLOSE" in self.codes(plan), fires)
        self.assertAlmostEqual(gap_between(plan_of(several(3))), 15.0)
        self.assertIsNone(gap_between(plan_of(single())))
        self.assertEqual(joined_at_the_end(plan_of(single())), ())


class MeasuredTest(unittest.TestCase):
    def test_each_part_is_measured_by_itself(self):
        """In five stated blanks the second part's bore is 75 from the first one's, and so is what the steps read."""
        job = several(2)
        cycles = tuple(
            ProbeCycle(
                name=name, kind="bore", on="feature", feature=name, action="measure", after="bore, part 2", depth=3.0
            )
            for name in ("bore", "bore, part 2")
        )
        corner = ProbeCycle(name="corner", kind="corner", on="stock", corner="left front")
        top = ProbeCycle(name="top", kind="surface", on="stock", side="top")
        plan = plan_of(set_value(job, ("setups", 0, "probing", "cycles"), (corner, top, *cycles)))
        self.assertEqual(plan.setups[0].probing.problems, ())
        for seed in range(1, 6):
            done = rehearsed(plan, seed)
            result = done.setups[0]
            self.assertEqual(result.alarms, ())
            first, second = (np.array([result.results[k], result.results[k + 1]]) for k in (520, 530))
            np.testing.assert_allclose(second - first, (75.0, 0.0), atol=0.012)

    def test_far_against_near_for_each(self):
        world = TrueWorld(stock_off=Point(x=0.3, y=0.2, z=0.0))
        done = rehearsed(plan_of(several(2)), world=world)
        pairs = {pair.feature: pair.p_deviation for pair in done.pairs}
        self.assertEqual(set(pairs), {"below", "below, part 2"})
        np.testing.assert_allclose(pairs["below"], pairs["below, part 2"], atol=0.01)
        self.assertTrue(all(math.isfinite(value) for value in pairs["below"][:2]))


if __name__ == "__main__":
    unittest.main()
