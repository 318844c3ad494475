"""The job refuses what cannot be, and edits give another whole job."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from ledgecliff.core import changing
from ledgecliff.core.edits import lying
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import rotation
from ledgecliff.core.model.holding import Dowel, PlateHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.orientation import Orientation, orientation_from_matrix
from ledgecliff.core.model.setup import SOURCES, AxisDatum
from tests.helpers import changed, demo
from tests.jobs import block_job, feature, setup


class RefusalTest(unittest.TestCase):
    """Each refusal names the field and says what would be right."""

    def assert_refused(self, path, value, words):
        with self.assertRaisesRegex(InvalidValueError, words) as caught:
            changing.set_value(demo(), path, value)
        self.assertTrue(caught.exception.field)

    def test_sizes_are_positive_and_finite(self):
        for value in (0.0, -5.0, float("nan"), float("inf"), 1e9):
            with self.subTest(value):
                self.assert_refused(("stock", "measured", "x"), value, "stock, measured, x: ")

    def test_references_lead_somewhere(self):
        self.assert_refused(("setups", 0, "station"), "0" * 12, "the station it is clamped at is not on the machine")
        self.assert_refused(("machines", 0, "stations", 0, "fixture"), "third vise", "no fixture 'third vise'")
        self.assert_refused(("setups", 0, "hover", "tool"), 77, "tool T77 is not in the machine's cutters")
        self.assert_refused(
            ("setups", 0, "datum", "x"), AxisDatum(source="feature", feature="nothing"), "no feature 'nothing'"
        )
        self.assert_refused(
            ("setups", 0, "datum", "x"), AxisDatum(source="feature", feature="pocket"), "'pocket' has no width"
        )
        self.assert_refused(("part", "features", 6, "partner"), "nobody", "no feature 'nobody'")

    def test_names_are_unique(self):
        self.assert_refused(("setups", 1, "name"), "Op 10", "two setups share the name 'Op 10'")
        self.assert_refused(("part", "features", 1, "name"), "main bore", "two features share the name")
        self.assert_refused(("machines", 0, "stations", 1, "name"), "left vise", "two stations share the name")
        self.assert_refused(("machines", 0, "offsets", 1, "code"), "G54", "two work offsets are called by G54")

    def test_machine_makes_sense(self):
        self.assert_refused(("machines", 0, "probe", "stem_diameter"), 4.0, "stem 4.0 is not thinner")
        self.assert_refused(("machines", 0, "probe", "effective_radius"), 2.5, "must lie just under half")
        self.assert_refused(("machines", 0, "travel_max", "z"), -600, "travel along Z ends before it begins")
        self.assert_refused(("machines", 0, "fixtures", 0, "opening_max"), 5, "not below the largest")
        self.assert_refused(("machines", 0, "cutters", 0, "tool"), 30, "two tools share one number")

    def test_a_source_fits_its_axis(self):
        self.assert_refused(("setups", 0, "datum", "z", "source"), "fixed jaw", "cannot give the zero of Z")
        self.assert_refused(("setups", 0, "datum", "x", "source"), "parallels", "cannot give the zero of X")
        self.assert_refused(("setups", 0, "datum", "x", "source"), "feature", "name the feature when")

    def test_unknown_fields_are_refused(self):
        with self.assertRaises(ValidationError):
            Job.model_validate({**demo().model_dump(), "colour": "blue"})


class SetValueTest(unittest.TestCase):
    def test_only_the_value_changes(self):
        before = demo()
        after = changing.set_value(before, ("setups", 1, "hold", "parallels_height"), 25.0)
        self.assertEqual(after.setups[1].hold.parallels_height, 25.0)
        self.assertEqual(before.setups[1].hold.parallels_height, 24.0)
        self.assertEqual(changing.set_value(after, ("setups", 1, "hold", "parallels_height"), 24.0), before)

    def test_what_lies_beside_stays_the_same_object(self):
        """So that what is kept of it is found again without comparing it all."""
        before = demo()
        after = changing.set_value(before, ("setups", 1, "hold", "parallels_height"), 25.0)
        self.assertIs(after.setups[0], before.setups[0])
        self.assertIs(after.setups[1].datum, before.setups[1].datum)
        self.assertIs(after.machines[0], before.machines[0])
        self.assertIs(after.part, before.part)

    def test_what_it_fits_is_checked_all_the_same(self):
        """What refers to a name that is changed elsewhere is told, though it is not changed itself."""
        names = [each.name for each in demo().part.features]
        with self.assertRaises(InvalidValueError):
            changing.set_value(demo(), ("part", "features", names.index("main bore"), "name"), "another bore")

    def test_path_in_words(self):
        self.assertEqual(
            changing.path_words(("setups", 0, "hold", "parallels_height")), "setup 1, hold, parallels height"
        )


def against_a_dowel():
    """A block with a hole and a pocket, its second setup against a dowel of a plate."""
    features = (
        feature("main bore", "hole", (15, 20, 20), diameter=10),
        feature("pocket", "pocket", (40, 20, 12), length=24, width=20, depth=8),
    )
    hold = PlateHold(dowels=(Dowel(x=-4, y=20, diameter=8, height=10),))
    return block_job(setup(), setup(name="Op 20", hold=hold, offset="G55"), features=features)


class SetDatumTest(unittest.TestCase):
    def test_every_offered_source_can_be_taken(self):
        for axis, sources in SOURCES.items():
            for source in sources:
                if source == "fixture face":
                    continue  # a fixture of the shop's own alone has one: tests.core.holding.test_own_fixture
                feature = None if not source.startswith("feature") else "main bore"
                if feature is not None and (axis == "z" or source != "feature"):
                    feature = "pocket"
                job = lying.set_datum(against_a_dowel(), 1, axis, source, feature, 1 if source == "dowel" else None)
                self.assertEqual(job.setups[1].datum.axis(axis).source, source)

    def test_the_shift_is_kept(self):
        job = changed((("setups", 0, "datum", "x", "shift"), 2.5))
        self.assertEqual(lying.set_datum(job, 0, "x", "stock minus side").setups[0].datum.x.shift, 2.5)

    def test_a_foreign_source_is_refused(self):
        with self.assertRaises(InvalidValueError):
            lying.set_datum(demo(), 0, "x", "parallels")


class TurnAndOrientTest(unittest.TestCase):
    def test_turning_end_for_end(self):
        """About Y from part +Z up, +X right: the underside comes up and X points the other way."""
        job = lying.turn_setup(demo(), 1, "y", 180)
        self.assertEqual(job.setups[1].orientation, Orientation(up="-Z", right="-X"))

    def test_four_quarter_turns_lead_back(self):
        job = demo()
        start = job.setups[1].orientation
        for _ in range(4):
            before = job.setups[1].orientation.matrix()
            after = rotation("z", 90) @ before
            job = changing.set_value(job, ("setups", 1, "orientation"), orientation_from_matrix(after))
        self.assertEqual(job.setups[1].orientation, start)

    def test_words_of_a_turn(self):
        self.assertEqual(lying.turn_words("x", 180), "about X, front to back")

    def test_an_up_direction_that_rules_out_the_right_one_takes_its_place(self):
        job = lying.orient_setup(demo(), 0, up="+X")
        self.assertEqual(job.setups[0].orientation, Orientation(up="+X", right="+Z"))
        job = lying.orient_setup(demo(), 0, right="-Y")
        self.assertEqual(job.setups[0].orientation, Orientation(up="+Z", right="-Y"))
