"""Centres of rotary axes from readings: each made by turning true things about a true centre, and worked back."""

from __future__ import annotations

import random
import unittest

import numpy as np
from pydantic import ValidationError
from scipy.spatial.transform import Rotation

from ledgecliff.core.edits.rotary import with_centre
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.touchoff.centres import centre_from
from ledgecliff.core.touchoff.hand_tape import centre_result
from ledgecliff.core.touchoff.readings import HandReadings
from tests.core.test_rotary_schools import A, C, indexed_job
from tests.draws import draws


def found(unit="mm", **centre):
    return centre_result(HandReadings.model_validate({"unit": unit, "centre": centre}))


def turned(place, centre, about, degrees):
    return Rotation.from_euler(about, degrees, degrees=True).apply(np.array(place) - centre) + centre


class WorkedBackTest(unittest.TestCase):
    def setUp(self):
        self.lot = random.Random(5)

    def place(self):
        return np.array([self.lot.uniform(-400, 400) for _ in range(3)])

    def test_a_bar_that_runs_out(self):
        for about in "xyz" * draws(4, 40):
            centre, bar = self.place(), self.lot.uniform(10, 60)
            middle = centre + np.array([self.lot.uniform(-0.3, 0.3) for _ in range(3)])
            a, b = (k for k in range(3) if "xyz"[k] != about)
            ends, tool, gauge = [], self.lot.uniform(80, 150), 0.1
            for degrees in (0.0, 180.0):
                at = turned(middle, centre, about, degrees)
                # An edge finder's radius cancels between both sides, which stand 5 beyond the bar.
                sides = {"sides": (at[a] - bar / 2.0 - 5.0, at[a] + bar / 2.0 + 5.0)}
                if about == "z":
                    ends.append({**sides, "second_sides": (at[b] - bar / 2.0 - 5.0, at[b] + bar / 2.0 + 5.0)})
                else:
                    ends.append({**sides, "top": at[b] + bar / 2.0 + gauge + tool})
            more = {"bar_diameter": bar, "tool_length": tool, "gauge": gauge, "about": about, "kind": "bar"}
            result = found(at_first=ends[0], turned_over=ends[1], **more)
            np.testing.assert_allclose([value for _, value in result.centre], centre[[a, b]], atol=1e-9)
            off = (middle - centre)[[a, b]]
            self.assertAlmostEqual(result.off, float(np.linalg.norm(off)))
            once = found(at_first=ends[0], **more)
            np.testing.assert_allclose([value for _, value in once.centre], middle[[a, b]], atol=1e-9)
            self.assertEqual((result.origin, once.origin), ("bar at 0 and 180", "bar at rest"))

    def test_faces_of_a_trunnion(self):
        """A table over or under its axis, touched with a ball from its open side, at any two angles, either sense."""
        for number in range(draws(30, 400)):
            _, y, z = self.place()
            height, radius = self.lot.uniform(-80, 80), self.lot.uniform(0, 5)
            angles = (90.0, -90.0) if number % 3 == 0 else (self.lot.uniform(30, 120), self.lot.uniform(-120, -30))
            sense, (about, across) = self.lot.choice(("right-handed", "left-handed")), ("xy", "yx")[number % 2]
            k = "xyz".index(across)
            touches = []
            for degrees in angles:
                way = Rotation.from_euler(about, degrees if sense == "right-handed" else -degrees, degrees=True)
                # Somewhere on the face as it stands, and a radius out of it.
                place = way.apply(np.eye(3)[k] * self.lot.uniform(-60, 60) + (0.0, 0.0, height + radius))
                touches.append({"degrees": degrees, across: place[k] + y, "z": place[2] + z})
            result = found(kind="trunnion faces", about=about, sense=sense, z_table=z + height, radius=radius,
                           first=touches[0], second=touches[1])  # fmt: skip
            self.assertEqual([axis for axis, _ in result.centre], [across, "z"])
            np.testing.assert_allclose([value for _, value in result.centre], (y, z), atol=1e-8)
            self.assertAlmostEqual(result.height, height, delta=1e-8)

    def test_faces_by_hand(self):
        """Touched at +90 at y -270.5 and at -90 at -150.5, radius 2: y is free of it, h = 120/2 - 2."""
        result = found(kind="trunnion faces", z_table=-330.25, radius=2.0, first={"degrees": 90, "y": -270.5},
                       second={"degrees": -90, "y": -150.5})  # fmt: skip
        self.assertEqual([axis for axis, _ in result.centre], ["y", "z"])
        np.testing.assert_allclose([value for _, value in result.centre], (-210.5, -388.25), atol=1e-9)
        self.assertAlmostEqual(result.height, 58.0)
        self.assertTrue(any("below it" in line.text for line in result.lines))

    def test_a_bore_is_not_the_axis(self):
        centre, bore = np.array([-402.12, -210.74, 0.0]), np.array([-402.11, -210.77, 0.0])
        over = turned(bore, centre, "z", 180.0)
        result = found(kind="table bore", at_0=bore[:2].tolist(), at_180=over[:2].tolist())
        np.testing.assert_allclose([value for _, value in result.centre], centre[:2], atol=1e-9)
        self.assertAlmostEqual(result.off, 0.0316227766, delta=1e-9)

    def test_level(self):
        """A table that lies off level by so much: the word at which it is level, both axes and senses."""
        for about in "xy":
            for sense, sign in (("right-handed", 1.0), ("left-handed", -1.0)):
                lean, k = 0.213, {"x": 1, "y": 0}[about]
                way = Rotation.from_euler(about, sign * lean, degrees=True)
                ends = [way.apply(np.eye(3)[k] * at) for at in (-100.0, 100.0)]
                apart = float(ends[1][k] - ends[0][k])
                result = found(kind="flat sweep", about=about, sense=sense, word_deg=0.35, z_low=float(ends[0][2]),
                               z_high=float(ends[1][2]), apart=apart)  # fmt: skip
                self.assertAlmostEqual(result.flat_deg, 0.35 - lean, delta=1e-9, msg=(about, sense))
                self.assertIn("sweep again", result.left)
        self.assertEqual(found(kind="flat sweep", z_low=1.0, z_high=1.004, apart=200).left, "")

    def test_a_spigot_and_its_square(self):
        """By hand: 12 mm tool, 20 mm spigot, paper 0.1; from the front 6 + 0.1 + 10 further on, from behind back."""
        for side, y in (("minus", -183.9), ("plus", -216.1)):
            result = found(kind="spigot", side=-200.0, from_side=side, tool_diameter=12, spigot_diameter=20, gauge=0.1,
                           top=-200.0, tool_length=110.0, gap=0.2, over=40.0)  # fmt: skip
            np.testing.assert_allclose([value for _, value in result.centre], (y, -320.1), atol=1e-9)
            self.assertIn("leans 0.2865° off square", result.left)

    def test_a_cut_from_opposite_sides(self):
        """The axis truly lies at 100.03, believed at 100: cuts meant 20 off it from +Y come out 19.97 and 20.03 off."""
        true, believed, off = 100.03, 100.0, 20.0
        first, second = believed + off - true, true - (believed - off)
        step, deeper = abs(first - second), "plus" if first < second else "minus"
        cut = {"kind": "test cut", "along": "y", "believed": believed, "step": step, "deeper": deeper}
        result = found(**cut)
        self.assertAlmostEqual(dict(result.centre)["y"], true)
        self.assertIn("there must be no step", result.left)
        self.assertIn("move it back", found(**cut, moved_along=3.0).left)
        done = cut | {"step": 0.004, "moved_along": 3.0}
        self.assertIn("still stands shifted", found(**done).left)
        self.assertEqual(found(**done, moved_back=True).left, "")

    def test_a_part_that_was_measured(self):
        """Cut in line from 0 and 180, the centre believed e too far: from 0 all lies where it is believed, from 180 as
        far short of it on the other side."""
        believed, true = -210.46, -210.5
        feature = 12.0
        first = feature + believed - true
        second = feature - (believed - true)
        result = found(kind="measured part", along="y", believed=believed, first=first, second=second)
        self.assertAlmostEqual(dict(result.centre)["y"], true)

    def test_inches_and_what_cannot_be(self):
        bore = {"kind": "table bore", "at_0": (-15.0, -8.0), "at_180": (-15.002, -8.004)}
        result = found("in", **bore)
        np.testing.assert_allclose([value for _, value in result.centre], np.array((-15.001, -8.002)) * 25.4)
        self.assertAlmostEqual(result.uncertainty, 0.01 / np.sqrt(2.0), msg="not a hundredth of an inch")
        sweep = {"kind": "flat sweep", "word_deg": 10.0, "z_low": 0.0, "z_high": 0.1, "apart": 8.0}
        self.assertAlmostEqual(found("in", **sweep).flat_deg, found(**sweep).flat_deg)
        near = {"kind": "trunnion faces", "z_table": 0, "radius": 1, "first": {"degrees": 90, "y": 0}}
        for centre, why in (
            (near | {"second": {"degrees": 80, "y": 1}}, "nearly the same"),
            (near | {"second": {"degrees": -10, "y": 1}}, "too level"),
            ({"kind": "bar", "at_first": {"sides": (0, 1)}, "bar_diameter": 5}, "give top"),
            ({"kind": "bar", "about": "z", "at_first": {"sides": (0, 1)}, "bar_diameter": 5}, "second_sides"),
            (
                {"kind": "test cut", "about": "y", "along": "y", "believed": 0, "step": 0, "deeper": "plus"},
                "lies along",
            ),
        ):
            with self.assertRaisesRegex(ValidationError, why):
                found(**centre)


class KeptTest(unittest.TestCase):
    def test_kept_with_the_day_and_how(self):
        bore = {"kind": "table bore", "at_0": (-402.2, -210.8), "at_180": (-402.0, -210.6)}
        job = with_centre(indexed_job(), 0, C, found(**bore), "2026-05-04")
        table = job.machine.carriers[1]
        self.assertEqual((table.centre.x, table.centre.y), (-402.1, -210.7))
        self.assertEqual((table.origin, table.found_on), ("table bore", "2026-05-04"))
        flat = found(kind="flat sweep", word_deg=0.02, z_low=0.0, z_high=0.0, apart=200)
        cradle = with_centre(job, 0, A, flat, "2026-05-05").machine.carriers[0]
        self.assertEqual((cradle.flat_deg, cradle.flat_swept_on), (0.02, "2026-05-05"))
        for axis, reading, why in (
            (A, bore, "lies along X"),
            (C, {"kind": "test cut", "about": "z", "along": "y", "believed": -210.0, "step": 0.2, "deeper": "plus"},
             "cut again"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                with_centre(indexed_job(), 0, axis, found(**reading), "2026-05-04")
        cut = {"kind": "test cut", "about": "x", "along": "y", "believed": -210.0, "step": 0.004, "deeper": "plus"}
        shifted = with_centre(job, 0, A, found(**cut, moved_along=3.0), "2026-05-06").machine.carriers[0]
        self.assertEqual((shifted.shift_in_place, shifted.centre.y, shifted.found_on), (3.0, -210.5, None))
        back = with_centre(job, 0, A, found(**cut, moved_along=3.0, moved_back=True), "2026-05-06").machine.carriers[0]
        self.assertEqual((back.shift_in_place, back.centre.y), (0.0, -209.998))
        self.assertEqual(centre_from(HandReadings.model_validate({"centre": bore}).centre).left, "")


if __name__ == "__main__":
    unittest.main()
