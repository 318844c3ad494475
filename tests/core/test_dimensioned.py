"""Parts entered by dimensions: the solid that follows, against volumes worked out by hand."""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.dimensioned import part_geometry
from ledgecliff.core.errors import PlanError
from ledgecliff.core.feature_list import feature_list
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.part import BarShape, BlockShape, Part
from ledgecliff.core.recognition.recognise import recognise
from ledgecliff.core.solids.geometry import Models
from tests.jobs import block_job, feature, plan_of

BLOCK = BlockShape(size=Size(x=60, y=40, z=20))


def volume(*features, shape=BLOCK):
    return part_geometry(Part(name="p", shape=shape, features=features), Models()).fine_solid.volume()


class VolumeTest(unittest.TestCase):
    def test_block_and_bar(self):
        self.assertAlmostEqual(volume(), 60 * 40 * 20)
        bar = volume(shape=BarShape(along="x", diameter=30, length=80))
        self.assertAlmostEqual(bar / (math.pi * 225 * 80), 1, delta=2e-4)

    def test_each_kind_of_feature(self):
        whole = 60 * 40 * 20
        for made, change in (
            (feature("h", "hole", (20, 20, 20), diameter=8, depth=12), -math.pi * 16 * 12),
            (feature("h", "hole", (20, 20, 20), diameter=8, through=True), -math.pi * 16 * 20),
            (feature("c", "counterbore", (20, 20, 0), "-Z", diameter=14, depth=5), -math.pi * 49 * 5),
            (feature("b", "boss", (30, 20, 26), diameter=10, depth=6), math.pi * 25 * 6),
            (feature("p", "pocket", (30, 20, 12), length=30, width=20, depth=8), -30 * 20 * 8),
            (feature("s", "slot", (30, 20, 20), length=60, width=6, depth=4), -60 * 6 * 4),
            (feature("s", "slot", (60, 20, 10), "+X", length=40, width=6, depth=4, lengthwise="+Y"), -40 * 6 * 4),
        ):
            with self.subTest(made.kind):
                self.assertAlmostEqual((volume(made) - whole) / change, 1, delta=2e-3)

    def test_a_hole_with_a_broken_edge(self):
        """A frustum's ring: from radius 5 at the mouth to 4 one below."""
        hole = feature("h", "hole", (20, 20, 20), diameter=8, depth=12)
        edge = feature("e", "edge break", (20, 20, 20), diameter=10, depth=1)
        ring = math.pi / 3 * (25 + 20 + 16) - math.pi * 16
        self.assertAlmostEqual((volume(hole) - volume(hole, edge)) / ring, 1, delta=1e-2)

    def test_a_tilted_hole(self):
        """Through a plate at 45°: a cylinder cut slanting has the plate's thickness times √2 along its axis."""
        tilted = feature("t", "hole", (30, 20, 20), diameter=6, through=True, skew={"x": 1, "y": 0, "z": 1})
        self.assertAlmostEqual((60 * 40 * 20 - volume(tilted)) / (math.pi * 9 * 20 * math.sqrt(2)), 1, delta=2e-3)

    def test_a_blind_hole_that_leans_has_its_whole_mouth(self):
        """Cut off by the top through its axis, what it takes is a section times the axis' length, however it leans."""
        for skew in ({"x": 1, "y": 0, "z": 1}, {"x": 0.3, "y": -0.6, "z": 1}, {"x": 0, "y": 0.02, "z": 1}):
            leaning = feature("t", "hole", (30, 20, 20), diameter=6, depth=10, skew=skew)
            self.assertAlmostEqual((48000 - volume(leaning)) / (math.pi * 9 * 10), 1, delta=2e-3)

    def test_features_that_leave_nothing(self):
        with self.assertRaisesRegex(PlanError, "leave nothing"):
            volume(feature("p", "pocket", (30, 20, 0), length=90, width=80, depth=30))


class RecogniseTest(unittest.TestCase):
    def test_what_was_entered_is_recognised(self):
        features = (
            feature("h", "hole", (20, 20, 20), diameter=8, depth=12),
            feature("p", "pocket", (42, 20, 12), length=20, width=16, depth=8, radius=3, lengthwise="+X"),
        )
        part = part_geometry(Part(name="p", shape=BLOCK, features=features), Models())
        found = {f.kind: f for f in recognise(part) if f.kind in ("hole", "pocket")}
        self.assertAlmostEqual(found["hole"].diameter, 8, delta=1e-6)
        self.assertAlmostEqual(found["hole"].depth, 12, delta=1e-6)
        self.assertAlmostEqual(found["pocket"].length, 20, delta=1e-6)
        self.assertAlmostEqual(found["pocket"].radius, 3, delta=1e-6)

    def test_another_name_makes_no_other_solid(self):
        one, two = (
            part_geometry(
                Part(name="p", shape=BLOCK, features=(feature(name, "hole", (9, 9, 20), diameter=4),)), Models()
            )
            for name in ("a", "b")
        )
        self.assertIs(one, two)


class FeatureListTest(unittest.TestCase):
    def test_named_first_then_the_rest_once(self):
        hole = feature("pilot", "hole", (20, 20, 20), diameter=8, depth=12)
        rows = feature_list(plan_of(block_job(features=(hole,), stock=(60, 40, 22))))
        self.assertEqual((rows[0].name, rows[0].index, rows[0].named), ("pilot", 0, True))
        self.assertEqual(dict(rows[0].sizes), {"diameter": 8.0, "depth": 12.0})
        self.assertEqual(sum(row.kind == "hole" for row in rows), 1)
        self.assertFalse(any(row.named for row in rows[1:]))

    def test_raw_and_finished_faces(self):
        """The stock stands over the part above and below, its sides are those of the part."""
        rows = {row.name: row for row in feature_list(plan_of(block_job(stock=(60, 40, 22))))}
        self.assertEqual(rows["face +Z"].surface, "finished")
        self.assertEqual(rows["face +X"].surface, "raw")
        widths = {round(dict(row.sizes)["width"]): row.surface for row in rows.values() if row.kind == "web"}
        self.assertEqual(widths, {60: "raw", 40: "raw", 20: "finished"})
