"""Features named as what they are: rows, bolt circles, obround pockets, half rounds; and equal ones named together."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.edits.parts import alike_features, name_alike, rename_feature
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.operations import Hole
from ledgecliff.core.recognition.recognise import recognise
from tests.corpus import corpus_part
from tests.jobs import block_job, feature, setup
from tests.models import box, cylinder, geometry_from, less, moved, plus, turned


def names(part):
    return [found.name for found in recognise(part)]


def obround(length, width, height):
    half = (length - width) / 2.0
    ends = [cylinder((x, 0, 0), width, height) for x in (-half, half)]
    return plus(box((-half, -width / 2, 0), (half, width / 2, height)), *ends)


class PatternTest(unittest.TestCase):
    def test_a_row_is_counted_from_one_end(self):
        holes = [f for f in recognise(corpus_part("long bar")) if f.kind == "hole"]
        ordered = sorted(holes, key=lambda f: f.name)
        self.assertEqual([f.name for f in ordered], [f"row 1, hole {n}" for n in range(1, 7)])
        self.assertEqual([round(f.at[0]) for f in ordered], [20, 64, 108, 152, 196, 240])

    def test_a_grid_is_rows(self):
        found = names(corpus_part("six hole plate"))
        self.assertEqual(sum(name.startswith("row 1, hole") for name in found), 3)
        self.assertEqual(sum(name.startswith("row 2, hole") for name in found), 3)

    def test_a_bolt_circle_runs_round_and_leaves_the_bore_alone(self):
        holes = {f.name: np.array(f.at) for f in recognise(corpus_part("bolt ring")) if f.kind == "hole"}
        self.assertIn("hole 1", holes)
        places = [holes[f"bolt circle 1, hole {n}"] for n in range(1, 9)]
        for a, b in zip(places, (*places[1:], places[0]), strict=True):
            self.assertAlmostEqual(float(np.linalg.norm(a - b)), 2 * 50 * math.sin(math.pi / 8), places=3)

    def test_no_pattern_where_there_is_none(self):
        """Four corners of an oblong; uneven pitch; one hole of another depth; holes from different sides."""
        cases = {
            "oblong": [cylinder((x, y, -1), 6, 30) for x in (10, 70) for y in (10, 40)],
            "uneven": [cylinder((x, 25, -1), 6, 30) for x in (10, 30, 51)],
            "deeper": [cylinder((x, 25, z), 6, 30) for x, z in ((10, 12), (30, 12), (50, 8))],
        }
        for words, cuts in cases.items():
            part = geometry_from(less(box((0, 0, 0), (80, 50, 20)), *cuts), words)
            found = [f.name for f in recognise(part) if f.kind == "hole"]
            self.assertTrue(all(name.startswith("hole ") for name in found), f"{words}: {found}")

    def test_patterns_do_not_hang_on_how_the_part_lies(self):
        plate = less(box((0, 0, 0), (100, 40, 12)), *(cylinder((15 + 23 * k, 20, -1), 7, 20) for k in range(4)))
        for k in range(3):
            part = geometry_from(turned(plate, (1, 2, 3 + k), 0.7 + k), f"turned {k}")
            found = sorted(name for name in names(part) if "hole" in name)
            self.assertEqual(found, [f"row 1, hole {n}" for n in range(1, 5)])


class ObroundTest(unittest.TestCase):
    def test_pocket_and_window(self):
        for low, name, through in ((8, "obround pocket 1", False), (-1, "obround window 1", True)):
            plate = less(box((0, 0, 0), (100, 60, 20)), moved(obround(52, 12, 40), (50, 30, low)))
            (pocket,) = [f for f in recognise(geometry_from(plate, name)) if f.kind == "pocket"]
            self.assertEqual((pocket.name, pocket.through), (name, through))
            self.assertAlmostEqual(pocket.length, 52, places=2)
            self.assertAlmostEqual(pocket.width, 12, places=2)
            self.assertAlmostEqual(pocket.radius, 6, places=4)

    def test_other_pockets_are_not(self):
        self.assertNotIn("obround pocket 1", names(corpus_part("rounded shell")))
        self.assertIn("pocket 1", names(corpus_part("rounded shell")))


class HalfRoundTest(unittest.TestCase):
    def test_faces_of_one_round_are_one(self):
        """The ear's half round is written as two faces, the plate's ends as three."""
        self.assertEqual([n for n in names(corpus_part("ear bracket")) if "round" in n], ["half round 1"])
        self.assertEqual(
            [n for n in names(corpus_part("round ended plate")) if "round" in n], ["half round 1", "half round 2"]
        )

    def test_quarter_rounds_stay_apart(self):
        found = [n for n in names(corpus_part("rounded plate")) if "round" in n]
        self.assertEqual(found, [f"outer round {n}" for n in range(1, 5)])


class AlikeTest(unittest.TestCase):
    def job(self):
        holes = [feature(f"hole {k}", "hole", (10 * k, 20, 20), diameter=5, through=True) for k in (1, 2, 3)]
        wide = feature("bore", "hole", (50, 20, 20), diameter=9, through=True)
        return block_job(setup(Hole(name="drill", tool=3, on="hole 2")), features=(*holes, wide))

    def test_equal_ones_are_named_together_and_stay_what_is_used(self):
        job = rename_feature(self.job(), 1, "bolt hole")
        self.assertEqual(alike_features(job, 1), (0, 1, 2))
        named = name_alike(job, 1)
        self.assertEqual([f.name for f in named.part.features], ["bolt hole 1", "bolt hole 2", "bolt hole 3", "bore"])
        self.assertEqual(named.setups[0].operations[0].on, "bolt hole 2")

    def test_names_of_others_are_not_taken(self):
        job = rename_feature(rename_feature(self.job(), 3, "pin 2"), 0, "pin")
        with self.assertRaisesRegex(InvalidValueError, "'pin 2' is the name of another feature"):
            name_alike(job, 0)

    def test_a_number_at_the_end_is_not_doubled(self):
        self.assertEqual(name_alike(self.job(), 0).part.features[0].name, "hole 1")
