"""Edits of part and stock without a window: names, features by dimensions, forms of stock."""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.edits.parts import (
    ENTERED,
    STOCK_FORMS,
    add_feature,
    name_feature,
    remove_feature,
    rename_feature,
    section_text,
    tilt_text,
    users_of,
    with_direction,
    with_section,
    with_shape,
    with_stock_form,
    with_stock_model,
    with_tilt,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.recognition.recognise import recognise
from tests.helpers import demo, demo_plan, geometry
from tests.jobs import bar_job, block_job, feature, plan_of
from tests.models import box, geometry_from

#: What one feature of its usual size takes from (or adds to) a block of 60 x 40 x 24, worked out by hand.
_TAKES = {
    "hole": math.pi * 3**2 * 24,
    "counterbore": math.pi * 5**2 * 8,
    "countersink": None,  # a cone whose angle is the feature's own; only its sign is known here
    "edge break": None,
    "pocket": (20 * 10 - (4 - math.pi) * 2.5**2) * 8,
    "slot": 20 * 5 * 8,
    "boss": -math.pi * 5**2 * 8,
    "chamfer": 60 * 1 * 1 / 2,
}


class NameTest(unittest.TestCase):
    def names(self, job):
        return [each.name for each in job.part.features]

    def test_a_name_is_changed_wherever_it_is_used(self):
        """By the job's own text: the old name is gone from it, the new one stands as often."""
        old = demo().model_dump_json()
        new = rename_feature(demo(), self.names(demo()).index("main bore"), "float bore").model_dump_json()
        self.assertNotIn('"main bore"', new)
        self.assertEqual(new.count('"float bore"'), old.count('"main bore"'))
        self.assertEqual(new.replace('"float bore"', '"main bore"'), old)

    def test_a_name_that_is_taken_or_empty_is_refused(self):
        for name in ("port", ""):
            with self.subTest(name=name), self.assertRaises(InvalidValueError):
                rename_feature(demo(), 0, name)

    def test_users_are_named_and_keep_a_feature_from_removal(self):
        users = users_of(demo(), "main bore")
        self.assertIn("Op 20, X zero", users)
        self.assertTrue(any("bore through the hat" in user for user in users), users)
        index = self.names(demo()).index("main bore")
        with self.assertRaisesRegex(InvalidValueError, "is used by Op 20, X zero"):
            remove_feature(demo(), index)

    def test_what_nothing_stands_on_goes_from_operations_too(self):
        index = self.names(demo()).index("bolt hole SW")
        self.assertTrue(any("bolt hole SW" in op.features for setup in demo().setups for op in setup.operations))
        job = remove_feature(demo(), index)
        self.assertNotIn('"bolt hole SW"', job.model_dump_json())
        self.assertEqual(len(job.part.features), len(demo().part.features) - 1)

    def test_a_found_face_is_named_once_under_a_free_name(self):
        found = next(each for each in recognise(geometry()) if each.kind == "face")
        once = name_feature(demo(), found, "datum face")
        twice = name_feature(once, found, "datum face")
        self.assertEqual(self.names(twice)[-2:], ["datum face", "datum face 2"])
        self.assertEqual(once.part.features[-1].direction().tolist(), list(found.direction))


class EnteredTest(unittest.TestCase):
    def setUp(self):
        self.job = block_job(part=(60, 40, 24), stock=(60, 40, 24))
        self.whole = plan_of(self.job).geometry.fine_solid.volume()

    def test_each_kind_takes_what_its_sizes_say(self):
        for kind in ENTERED:
            with self.subTest(kind=kind):
                job = add_feature(self.job, kind, plan_of(self.job))
                taken = self.whole - plan_of(job).geometry.fine_solid.volume()
                if _TAKES[kind] is None:
                    self.assertGreater(taken, 1.0)
                else:
                    self.assertAlmostEqual(taken / _TAKES[kind], 1.0, delta=0.01)

    def test_two_of_a_kind_have_two_names(self):
        job = add_feature(self.job, "hole", plan_of(self.job))
        job = add_feature(job, "hole", plan_of(job))
        self.assertEqual([each.name for each in job.part.features], ["hole", "hole 2"])

    def test_turned_to_another_side_its_length_stays_across(self):
        """A pocket's length cannot run along the way it opens."""
        job = add_feature(self.job, "pocket", plan_of(self.job))
        for way in ("+X", "-Y", "-Z"):
            turned = with_direction(job, 0, way).part.features[0]
            self.assertEqual(turned.opens_to, way)
            self.assertNotEqual(turned.lengthwise[1], way[1])

    def test_a_tilt_ends_with_a_square_direction(self):
        tilted = feature("oil", "hole", (30, 20, 24), diameter=5, through=True, skew={"x": 1, "y": 0, "z": 1})
        job = with_direction(block_job(features=(tilted,)), 0, "-X")
        self.assertEqual(job.part.features[0].direction().tolist(), [-1.0, 0.0, 0.0])

    def test_a_typed_tilt(self):
        """A hole drilled at 45° through 24 of height is 24 times the square root of 2 long."""
        job = add_feature(self.job, "hole", plan_of(self.job))
        tilted = with_tilt(job, 0, "1, 0 1")
        self.assertEqual(tilt_text(tilted.part.features[0].skew), "1 0 1")
        taken = self.whole - plan_of(tilted).geometry.fine_solid.volume()
        self.assertAlmostEqual(taken / (math.pi * 9 * 24 * 2**0.5), 1.0, delta=0.01)
        self.assertEqual(with_tilt(tilted, 0, "0 −3 1").part.features[0].opens_to, "-Y", "the nearest of the six")
        self.assertEqual(with_tilt(tilted, 0, " "), with_direction(job, 0, tilted.part.features[0].opens_to))
        for text in ("up", "1 2", "1 2 3 4", "0 0 0", "nan 0 1"):
            with self.subTest(text=text), self.assertRaises(InvalidValueError):
                with_tilt(job, 0, text)

    def test_a_tilted_pockets_length_stays_across(self):
        job = add_feature(self.job, "pocket", plan_of(self.job))
        tilted = with_tilt(job, 0, "1 0 1").part.features[0]
        self.assertEqual(float(tilted.across() @ tilted.direction()), 0.0)

    def test_block_and_bar(self):
        bar = with_shape(self.job, "bar", plan_of(self.job))
        self.assertAlmostEqual(plan_of(bar).geometry.fine_solid.volume() / (math.pi * 20**2 * 24), 1.0, delta=0.01)
        block = with_shape(bar, "block", plan_of(bar))
        self.assertAlmostEqual(plan_of(block).geometry.solid.volume(), 40 * 40 * 24, delta=40)


class StockFormTest(unittest.TestCase):
    def test_every_form_still_holds_the_part(self):
        """The finished part less the stock is nothing: a box, a bar and a tube's wall apart from its bore."""
        job = block_job(stock=(70, 46, 26), varies=(0.4, 0.2, 0.1))
        for form in STOCK_FORMS:
            with self.subTest(form=form):
                plan = plan_of(with_stock_form(job, form, plan_of(job)))
                outside = (plan.geometry.solid - plan.blank.solid).volume()
                if form == "tube":  # the bore is empty, and only the bore
                    bore = plan.job.stock.bore.measured
                    self.assertAlmostEqual(outside / (math.pi * bore**2 / 4 * 60), 1.0, delta=0.02)
                else:
                    self.assertAlmostEqual(outside, 0.0, delta=1.0)

    def test_back_and_forth_keeps_length_and_how_it_varies(self):
        job = block_job(stock=(70, 46, 26), varies=(0.4, 0.2, 0.1))
        bar = with_stock_form(job, "round bar", plan_of(job)).stock
        self.assertEqual((bar.along, bar.length.measured, bar.length.varies), ("x", 70.0, 0.4))
        self.assertGreaterEqual(bar.diameter.measured, math.hypot(46, 26))

    def test_a_section_is_typed_and_read_back(self):
        job = block_job()
        job = with_stock_form(job, "extrusion", plan_of(job))
        angle = with_section(job, "0 0, 40 0, 40 −0, 40 5, 5 5, 5 20, 0 20".replace("40 −0, ", ""))
        self.assertEqual(section_text(angle.stock.section), "0 0, 40 0, 40 5, 5 5, 5 20, 0 20")
        blank = plan_of(angle).blank
        self.assertAlmostEqual(blank.solid.volume(), (40 * 5 + 5 * 15) * 60, delta=1)

    def test_a_section_that_cannot_be_is_refused_and_says_how(self):
        job = block_job()
        job = with_stock_form(job, "extrusion", plan_of(job))
        for text in ("", "0 0, 40", "0 0, 40 0", "0 0, forty 0, 0 40", "0 0 0, 1 1 1, 2 2 2"):
            with self.subTest(text=text), self.assertRaises(InvalidValueError) as caught:
                with_section(job, text)
            self.assertIn("section", str(caught.exception))

    def test_a_casting_lies_about_the_part(self):
        casting = geometry_from(box((100, 100, 100), (210, 176, 140)), "casting")
        reference = ModelReference(path="casting.step", sha256="0" * 64)
        job = with_stock_model(demo(), reference, casting, demo_plan().geometry)
        at = job.stock.at
        # The casting's middle (155, 138, 120) comes to the part's (48, 32, 14).
        self.assertEqual((at.x, at.y, at.z), (48 - 155, 32 - 138, 14 - 120))


class BarStockTest(unittest.TestCase):
    def test_a_bar_becomes_the_block_round_it(self):
        job = bar_job()
        block = with_stock_form(job, "block", plan_of(job)).stock
        self.assertEqual(block.measured.as_tuple(), (80.0, 30.0, 30.0))
