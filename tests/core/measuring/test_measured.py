"""Recorded touches: known places in, the same places out; holes from a worn bore, and squared to another hole."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.layered_drawing import Circle, Measure
from ledgecliff.core.measuring.measured import KnownRing, RecordedTouches, measure
from ledgecliff.core.measuring.measured_drawing import COLUMNS, measured_sheet, table_rows
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.recorded import recorded
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueWorld
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.rehearsals import rehearsed


def winch_cheek():
    return make_plan(read_job(demo_job("winch-cheek")), Models()).setups[0]


class WinchCheekTest(unittest.TestCase):
    """An old cheek that lies 0.8 degrees turned, with its bore worn to 60.4 and each hole a known little off."""

    @classmethod
    def setUpClass(cls):
        cls.setup = winch_cheek()
        cls.turn = math.radians(0.8)
        cls.zero = np.array([-500.0, -230.0])
        rng = np.random.default_rng(8)
        cls.off = {f"hole {k}": rng.normal(0.0, 0.08, 2) for k in range(1, 13)}
        # What the others are squared to lies where it should, seen from the bore.
        cls.off["hole 7"] = np.array([0.0, 0.3])

    def touches(self, unit="mm", readings="machine", **more):
        """Ball centres on the true walls, worked out from places and diameters alone."""
        probe, per_unit = self.setup.machine.probe, 25.4 if unit == "in" else 1.0
        c, s = math.cos(self.turn), math.sin(self.turn)
        rows = []
        for step in self.setup.probing.steps:
            name = step.cycle.feature
            if name is None:
                continue
            feature = next(each for each in self.setup.features if each.name == name)
            at = np.array(feature.at.as_tuple()[:2]) - (90.0, 60.0) + self.off.get(name, np.zeros(2))
            centre = np.array([c * at[0] - s * at[1], s * at[0] + c * at[1]]) + self.zero
            radius = (60.4 if name == "shaft bore" else 10.6) / 2.0 - probe.effective_radius
            for way in ((-1, 0), (1, 0), (0, -1), (0, 1)):
                x, y = centre + radius * np.array(way)
                rows.append({"step": step.cycle.name, "x": x / per_unit, "y": y / per_unit, "z": -300.0 / per_unit})
        return RecordedTouches(setup="Op 10", unit=unit, readings=readings, touches=rows, **more)

    def expected(self, name, turned=0.0):
        feature = next(each for each in self.setup.features if each.name == name)
        at = np.array(feature.at.as_tuple()[:2]) - (90.0, 60.0) + self.off[name]
        c, s = math.cos(turned), math.sin(turned)
        return (c * at[0] - s * at[1], s * at[0] + c * at[1])

    def test_holes_from_the_bore_squared_to_a_hole(self):
        """Turned to hole 7 the part's own turn drops out, and each hole is off by what was put in."""
        for unit in ("mm", "in"):
            measured = measure(self.setup, self.touches(unit, reference="shaft bore", towards="hole 7"))
            self.assertAlmostEqual(measured.table_skew_deg, 0.8, places=6)
            self.assertEqual(len(measured.table), 12)
            for row in measured.table:
                np.testing.assert_allclose((row.x, row.y), self.expected(row.name), atol=1e-6)
                self.assertAlmostEqual(row.off, float(np.linalg.norm(self.off[row.name])), places=6)
                self.assertAlmostEqual(row.size, 10.6, places=6)
                self.assertEqual(row.allowed, 0.2)

    def test_without_it_they_lie_as_the_machine_sees_them(self):
        measured = measure(self.setup, self.touches(reference="shaft bore"))
        for row in measured.table:
            np.testing.assert_allclose((row.x, row.y), self.expected(row.name, self.turn), atol=1e-6)

    def test_a_skewed_wcs_turns_the_results(self):
        """In a WCS on the true bore, turned as the part is, places read as the part has them."""
        wcs = {"x": float(self.zero[0]), "y": float(self.zero[1]), "z": -450.0, "skew_deg": 0.8}
        measured = measure(self.setup, self.touches(wcs=wcs, reference="shaft bore"))
        step = next(each for each in measured.steps if each.step.cycle.feature == "hole 1")
        np.testing.assert_allclose((step.found["x"], step.found["y"]), self.expected("hole 1"), atol=1e-6)
        self.assertAlmostEqual(measured.table_skew_deg, 0.8)

    def test_contact_points_lie_on_the_walls(self):
        measured = measure(self.setup, self.touches())
        bore = next(each for each in measured.steps if each.step.cycle.feature == "shaft bore")
        for contact in bore.contacts:
            self.assertAlmostEqual(math.dist(contact[:2], self.zero), 30.2, places=6)
        self.assertLess(max(abs(value) for value in bore.residuals), 1e-9)

    def test_deviations_are_of_each_wall(self):
        """The bore is 0.2 wider all round and lies where the WCS has it: every wall is met 0.2 late."""
        found = measure(self.setup, self.touches(wcs={"x": -500, "y": -230, "z": -400, "skew_deg": 0.8}))
        bore = next(step for step in found.steps if step.step.cycle.feature == "shaft bore")
        # Turned by 0.8 degrees the walls are met 30.2 (1 - cos 0.8°) = 0.003 sooner.
        np.testing.assert_allclose(bore.deviations, 0.2 - 0.003, atol=0.001)
        self.assertEqual(bore.at_s, (None,) * 4)

    def test_an_offset_that_has_moved_far_must_be_confirmed(self):
        """More than three times the clamping scatter, or than the setup's own limit; in inches as well."""
        limit = 3 * self.setup.holding.clamping.standard
        for per_unit, unit in ((1.0, "mm"), (25.4, "in")):
            before = {"x": -500 / per_unit, "y": -230 / per_unit, "z": -400 / per_unit}
            now = {"x": (-500 + 0.9 * limit) / per_unit, "y": (-230 - 1.1 * limit) / per_unit, "z": -400 / per_unit}
            found = measure(self.setup, self.touches(unit, wcs=now, before=before))
            self.assertEqual([change.confirm for change in found.changes], [False, True, False])
            self.assertAlmostEqual(found.changes[1].by, -1.1 * limit)
        own = replace(
            self.setup,
            clamping=replace(self.setup.clamping, setup=set_value(self.setup.setup, ("probing", "jump"), 2.0)),
        )
        self.assertFalse(any(change.confirm for change in measure(own, self.touches(wcs=now, before=before)).changes))
        self.assertEqual(measure(self.setup, self.touches()).changes, ())

    def test_the_table_and_the_drawing(self):
        measured = measure(self.setup, self.touches(reference="shaft bore", towards="hole 7"))
        rows = {row[0]: dict(zip(COLUMNS, row, strict=True)) for row in table_rows(measured)}
        self.assertEqual(rows["hole 7"]["within"], "no", "0.3 off, 0.2 allowed")
        sheet = measured_sheet(measured)
        circles = [each for each in sheet.entities if isinstance(each, Circle)]
        self.assertAlmostEqual(circles[0].diameter, 60.4, places=6)
        self.assertEqual(len(circles), 13)
        lengths = sorted(each.mm for each in sheet.entities if isinstance(each, Measure) and each.along == "x")
        self.assertAlmostEqual(lengths[-1], max(abs(row.x) for row in measured.table))

    def test_what_does_not_fit_is_refused(self):
        good = self.touches()
        for change, words in (
            ({"reference": "head 1"}, "'head 1' was not measured"),
            ({"reference": "shaft bore", "towards": "nothing"}, "'nothing' was not measured"),
            ({"readings": "work offset"}, "need its values"),
            ({"touches": good.touches[:3]}, "4 touches, not 3"),
            ({"touches": (good.touches[0].model_copy(update={"step": "lid"}), *good.touches)}, "no step 'lid'"),
        ):
            with self.subTest(words), self.assertRaisesRegex(InvalidValueError, words):
                measure(self.setup, good.model_copy(update=change))


class CalibrationTest(unittest.TestCase):
    """A ring of 60.000: whatever radius was stated, the true one comes out, and where the stylus stands."""

    def calibrated(self, true_radius, off=(0.0, 0.0), lobe=0.0, unit="mm"):
        setup, per_unit = winch_cheek(), 25.4 if unit == "in" else 1.0
        rows = []
        for k, way in enumerate(((-1, 0), (1, 0), (0, -1), (0, 1))):
            reach = 30.0 - true_radius - (lobe if k < 2 else 0.0)
            x, y = -500.0 + off[0] + way[0] * reach, -200.0 + off[1] + way[1] * reach
            rows.append({"step": "measure shaft bore", "x": x / per_unit, "y": y / per_unit, "z": 0.0})
        ring = {
            "step": "measure shaft bore",
            "diameter": 60.0 / per_unit,
            "x": -500.0 / per_unit,
            "y": -200.0 / per_unit,
        }
        return measure(setup, RecordedTouches(setup="Op 10", unit=unit, touches=rows, ring=ring)).calibration

    def test_radius_and_stylus_offset(self):
        for unit in ("mm", "in"):
            found = self.calibrated(1.975, off=(0.012, -0.007), unit=unit)
            self.assertAlmostEqual(found.radius, 1.975, places=9)
            np.testing.assert_allclose(found.offset, (0.012, -0.007), atol=1e-9)

    def test_each_axis_by_itself(self):
        found = self.calibrated(1.98, lobe=0.004)
        self.assertAlmostEqual(found.radius_x, 1.984, places=9)
        self.assertAlmostEqual(found.radius_y, 1.98, places=9)

    def test_what_was_not_measured_is_no_ring(self):
        touches = [{"step": "Z from stock top", "x": 0, "y": 0, "z": 0}]
        for step in ("Z from stock top", "lid"):
            recorded = RecordedTouches(setup="Op 10", touches=touches, ring={"step": step, "diameter": 60.0})
            with self.assertRaisesRegex(InvalidValueError, "no measured bore or boss"):
                measure(winch_cheek(), recorded)

    def test_the_simulated_probe_is_calibrated_by_its_own_touches(self):
        """A ball 0.02 larger than stated, rehearsed in the bore of 60: its true effective radius comes out."""
        job = read_job(demo_job("winch-cheek"))
        plan = make_plan(job, Models())
        world = TrueWorld(probe=StatedProbe(radius_off=0.02, repeatability=0.0))
        result = rehearsed(plan, 1, world=world).setups[0]
        touches = recorded(plan.setups[0], result)
        ring = KnownRing(step="measure shaft bore", diameter=60.0)
        found = measure(plan.setups[0], touches.model_copy(update={"ring": ring})).calibration
        self.assertAlmostEqual(found.radius, job.machine.probe.effective_radius + 0.02, delta=0.003)
