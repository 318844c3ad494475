"""Which feature is which: after a rename, and in a changed version of the model."""

from __future__ import annotations

import unittest

from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.new_job import recognised_features, with_changed_model
from ledgecliff.core.recognition.matching import found_for, match_features
from tests.helpers import demo, geometry
from tests.models import box, cylinder, geometry_from, less, trial_plate


def plate(*holes, length=100, name="plate"):
    """A 100 x 60 x 12 plate with through holes (x, y, diameter)."""
    cuts = [cylinder((x, y, -1), d, 14) for x, y, d in holes]
    return geometry_from(less(box((0, 0, 0), (length, 60, 12)), *cuts), f"{name} {holes} {length}")


HOLES = ((20, 15, 8), (50, 15, 8), (80, 15, 8), (50, 45, 20))


def named(part, *names):
    """Recognised holes in the order of x and y, under given names."""
    holes = sorted((f for f in recognised_features(part) if f.kind == "hole"), key=lambda f: (f.at.y, f.at.x))
    return tuple(f.model_copy(update={"name": name}) for f, name in zip(holes, names, strict=True))


class FoundForTest(unittest.TestCase):
    def test_every_named_feature_of_the_demo_is_found(self):
        for feature in demo().part.features:
            found = found_for(feature, geometry())
            self.assertIsNotNone(found, feature.name)
            self.assertAlmostEqual(found.diameter or 0, feature.diameter or found.diameter or 0)

    def test_another_diameter_or_place_is_another_feature(self):
        bore = demo().part.features[0]
        self.assertIsNone(found_for(bore.model_copy(update={"diameter": 21.0}), geometry()))
        self.assertIsNone(found_for(bore.model_copy(update={"at": bore.at.model_copy(update={"x": 31.0})}), geometry()))

    def test_either_end_of_a_through_hole(self):
        hole = demo().part.features[1]
        self.assertEqual(hole.at.z, 0)
        top = hole.model_copy(update={"at": hole.at.model_copy(update={"z": 28.0})})
        self.assertEqual(found_for(top, geometry()), found_for(hole, geometry()))


class ChangedModelTest(unittest.TestCase):
    NAMES = ("left", "middle", "right", "big")

    def match(self, *holes, length=100):
        before = plate(*HOLES)
        return match_features(named(before, *self.NAMES), plate(*holes, length=length, name="changed"))

    def test_the_same_model_keeps_everything(self):
        report = match_features(recognised_features(trial_plate()), trial_plate())
        self.assertEqual((report.moved, report.lost), ((), ()))
        self.assertEqual(len(report.kept), len(recognised_features(trial_plate())))

    def test_a_moved_and_a_widened_hole_keep_their_names(self):
        report = self.match((20, 15, 8), (52, 15, 8), (80, 15, 8), (50, 45, 22))
        self.assertEqual(set(report.kept), {"left", "right"})
        moved = dict(report.moved)
        self.assertIn("X +2.000", moved["middle"])
        self.assertIn("diameter 20 is now 22", moved["big"])
        self.assertEqual(report.lost, ())

    def test_names_do_not_jump_to_a_neighbour(self):
        """All shift by 4: each goes on with its own, though the next hole would be a match too."""
        report = self.match((24, 15, 8), (54, 15, 8), (84, 15, 8), (54, 45, 20))
        at = {feature.name: feature.at.x for feature in report.features}
        self.assertEqual(at, {"left": 24, "middle": 54, "right": 84, "big": 54})

    def test_what_is_gone_is_listed_and_kept_as_it_was(self):
        report = self.match((20, 15, 8), (80, 15, 8), (50, 45, 20))
        self.assertEqual(report.lost, ("middle",))
        self.assertEqual({f.name: f.at.x for f in report.features}["middle"], 50)

    def test_operations_and_datums_stay_with_their_features(self):
        job, report = with_changed_model(demo(), ModelReference(path="x.step", sha256="0" * 64), geometry())
        self.assertEqual(report.lost, ())
        self.assertEqual(job.setups, demo().setups)
        self.assertEqual(job.part.model.path, "x.step")
        self.assertEqual([f.name for f in job.part.features], [f.name for f in demo().part.features])
