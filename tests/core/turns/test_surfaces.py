"""Which physical surface gives an axis, followed through turns; bores of fixtures; what is carried."""

from __future__ import annotations

import json
import unittest

import numpy as np

from ledgecliff.core.budget.sides import far_side, off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.datums import ZeroBefore, place_wcs
from ledgecliff.core.edits.setups import tabs_at_words, with_tabs_at
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding import hold_part
from ledgecliff.core.model.holding import ReferenceBore, SoftJaws, ViseHold
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.turns.surface_words import surface_words
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import parse_job
from tests.helpers import demo, demo_plan, plan_with
from tests.jobs import block_job, plan_of, setup
from tests.older import version_5, without_ids
from tests.turn_jobs import LAST, ring, ring_plan, ring_with


class SurfaceTest(unittest.TestCase):
    def test_a_side_is_named_by_the_part_whichever_way_it_lies(self):
        """Turned about X the left end stays the part's -X; turned about Y it is +X."""
        left = AxisDatum(source="stock minus side")
        for right, expected in (("+X", "stock side −X"), ("-X", "stock side +X")):
            plan = plan_with((("setups", 1, "orientation", "right"), right), (("setups", 1, "datum", "x"), left))
            self.assertEqual(surface_words(plan.setups[1], "x"), expected)

    def test_every_source_has_words(self):
        for source, words in (
            ("stock centre", "stock centre, part X"),
            ("part plus side", "part side +X"),
            ("fixed jaw", "fixed jaw, against part side"),
        ):
            plan = plan_with((("setups", 1, "datum", "x"), AxisDatum(source=source)))
            self.assertIn(words, surface_words(plan.setups[1], "x"))
        self.assertEqual(surface_words(demo_plan().setups[1], "x"), "main bore")
        self.assertEqual(surface_words(ring_plan("on-pins").setups[1], "x"), "carried over")

    def test_centre_after_centre_leaves_the_length_out(self):
        """How far a blank is off its label does not matter when its middle is taken both times."""
        centre = AxisDatum(source="stock centre")
        raw = (("setups", 0, "operations"), ())

        def sizes(*edits):
            plan = plan_with(raw, *edits)
            pair = far_side(turns_of(plan)[0], plan)
            return [part.u for part in pair.enters if part.source.kind == "blank"]

        self.assertEqual(sizes((("setups", 1, "datum", "x"), centre), (("setups", 1, "datum", "y"), centre)), [])
        (size,) = sizes((("setups", 1, "datum", "x"), AxisDatum(source="stock plus side")))
        # From the middle to a side it is half of the length.
        self.assertAlmostEqual(size, 0.4 / np.sqrt(3.0), places=5)

    def test_the_housing_by_jaw_is_as_worked(self):
        """Example B with touches of 0.001 here: clamping 0.010, the stop's touch, and three cuts of 0.004 each."""
        from ledgecliff.core.plan import make_plan
        from ledgecliff.store.job_files import read_job
        from ledgecliff.store.part_models import load_models

        path = demo_job("float-housing-by-jaw")
        job = read_job(path)
        plan = make_plan(job, load_models(job, path))
        self.assertEqual(turns_of(plan)[0].way, "jaw and stop")
        pair = off_its_zero(plan, 1, "y")
        self.assertEqual((pair.asked.what, pair.asked.to), ("other side", "main bore"))
        skew = sum(each.u**2 for each in pair.enters if each.source.kind == "skew")
        by_hand = 0.010**2 + 0.001**2 + 3 * 0.004**2
        self.assertAlmostEqual(pair.u, np.sqrt(by_hand + skew), places=6)


class KnownBoreTest(unittest.TestCase):
    def test_it_lies_where_the_jaw_is_really_bored(self):
        """For a fixed jaw on each side: straight down there is air, and jaw all round."""
        for side in ("back", "front", "left", "right"):
            job = block_job()
            vise = job.machine.fixtures[0].model_copy(update={"fixed_jaw": side, "jaw_thickness": 30.0})
            bore = ReferenceBore(beside=21, behind=13, diameter=10, depth=15)
            hold = ViseHold(
                parallels_height=20, parallels_thickness=10, parallels_length=100,
                jaws=SoftJaws(depth=8, bore=bore),
            )  # fmt: skip
            plan = plan_of(job)
            holding = hold_part(hold, setup().orientation, vise, plan.setups[0].before, plan.geometry)
            known, jaw = holding.known_bore(), holding.block("fixed jaw").solid()
            top = jaw.bounding_box()[5]
            section = jaw.slice(top - 1.0)
            for off, material in ((0.0, False), (4.8, False), (5.4, True)):
                for way in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                    x, y = known.u_centre + off * np.array(way)
                    speck = section ^ type(section).circle(0.05, 8).translate((float(x), float(y)))
                    self.assertEqual(speck.area() > 1e-4, material, (side, off, way))

    def test_none_where_nothing_is_bored(self):
        self.assertIsNone(demo_plan().setups[0].holding.known_bore())
        datum = AxisDatum(source="fixture bore")
        plan = plan_with((("setups", 0, "datum", "x"), datum), (("setups", 0, "datum", "y"), datum))
        found = findings_of(plan)
        self.assertIn("TOUCH_NO_WALL", {finding.code for finding in found})
        self.assertNotIn("OUTSIDE_TRAVEL", {finding.code for finding in found}, "a touch without a wall goes nowhere")
        self.assertFalse([finding for finding in found if "inf" in finding.message() or "nan" in finding.message()])


class CarriedTest(unittest.TestCase):
    def test_z_too(self):
        """On the same board the same Z zero lies on its top both times."""
        over = AxisDatum(source="carried over")
        before, after = ring_with("on-pins", (("setups", 1, "datum", "z"), over)).setups
        self.assertAlmostEqual(float(after.located.m_offset[2]), float(before.located.m_offset[2]))
        self.assertAlmostEqual(float(after.wcs.u_origin[2]), after.holding.seat)

    def test_a_wcs_by_hand(self):
        """u_origin = the zero in the fixture's frame less the shift of the holding, axis by axis."""
        setup_plan = ring_plan("on-pins").setups[1]
        datum = Datum(**dict.fromkeys("xyz", AxisDatum(source="carried over", shift=1.5)))
        wcs = place_wcs(datum, setup_plan.holding, (), ZeroBefore((10.0, 20.0, 30.0), (0.0, 0.0, 0.0)))
        np.testing.assert_allclose(wcs.u_origin, np.array([11.5, 21.5, 31.5]) - setup_plan.holding.tf_s_u.shift)


class TypedTest(unittest.TestCase):
    def test_tabs_by_hand(self):
        job = with_tabs_at(ring("on-pins"), 1, LAST[3], "10, 35 60% 85")
        self.assertEqual(job.setups[1].operations[1].tabs_at, (0.1, 0.35, 0.6, 0.85))
        self.assertEqual(tabs_at_words(job.setups[1].operations[1].tabs_at), "10 35 60 85")
        self.assertEqual(with_tabs_at(job, 1, LAST[3], None).setups[1].operations[1].tabs_at, ())
        for text in ("ten", "10 120", "-5"):
            with self.subTest(text), self.assertRaises(InvalidValueError):
                with_tabs_at(job, 1, LAST[3], text)

    def test_a_file_of_version_2_means_the_same(self):
        data = version_5(demo()) | {"version": 2}
        for new in ("jigs", "accuracy"):
            del data["machine"][new]
        self.assertEqual(without_ids(parse_job(json.dumps(data), "old.json")), without_ids(demo()))

    def test_references_to_jigs_are_checked(self):
        job = ring("on-pins")
        hold = {"by": "jig", "pocket": "first"}
        with self.assertRaisesRegex(
            InvalidValueError, "at 'spoilboard' stands a spoilboard, which does not hold as a jig"
        ):
            set_value(job, ("setups", 0, "hold"), hold)
        with self.assertRaisesRegex(InvalidValueError, "the station it is clamped at is not on the machine"):
            set_value(job, ("setups", 0, "station"), "0" * 12)
