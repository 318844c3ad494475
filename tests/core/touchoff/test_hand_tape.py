"""Touch-off by hand: every worked number of docs/methods, signs from the side, slips named."""

from __future__ import annotations

import random
import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from ledgecliff.core.touchoff.expected import Expected
from ledgecliff.core.touchoff.hand_tape import hand_results, hand_tape
from ledgecliff.core.touchoff.readings import HandReadings


def found(expected=None, unit="mm", lengths_from="gauge line", before=None, **axes):
    """E by axis for readings given as plain values."""
    data = {"unit": unit, "lengths_from": lengths_from, **axes}
    if before is not None:
        data["before"] = before
    return {r.axis: r for r in hand_results(HandReadings.model_validate(data), expected)}


def edge(side, reading, **more):
    return {"method": "edge", "side": side, "reading": reading, "diameter": 10.0, **more}


class WorkedNumbersTest(unittest.TestCase):
    def test_edge_finder_on_the_left(self):
        """Ø10, X -412.630 → surface -407.630; that side of a measured 96.04 reads -48.02 → E -359.610."""
        result = found(x=edge("left", -412.630, should_read=-48.02))["x"]
        self.assertAlmostEqual(result.offset, -359.610)
        self.assertIn(-407.630, [round(line.mm, 6) for line in result.lines if line.mm is not None])

    def test_the_same_by_half_the_measured_size(self):
        reading = {"method": "half a measured size", "side": "left", "reading": -412.630, "diameter": 10.0}
        self.assertAlmostEqual(found(x=reading | {"measured_size": 96.04})["x"].offset, -359.610)

    def test_indicator_against_the_tools_reference(self):
        """-212.400 on the block, -231.865 on the parallels, Z0 28.5 above them → 9.035."""
        reading = {"method": "indicator against reference", "reading": -231.865, "reference_reading": -212.400,
                   "should_read": -28.5}  # fmt: skip
        self.assertAlmostEqual(found(z=reading, lengths_from="reference plane")["z"].offset, 9.035)

    def test_a_block_under_a_tool_of_known_length(self):
        """Gauge line = E + w + H: 118.4 long, over a 50 block on the parallels at -28.5."""
        machine_z = -300.0
        reading = {"method": "tool on top", "reading": machine_z - 28.5 + 50.0 + 118.4, "gauge": 50.0,
                   "tool_length": 118.4, "should_read": -28.5}  # fmt: skip
        self.assertAlmostEqual(found(z=reading)["z"].offset, machine_z)

    def test_spigot_from_the_front(self):
        """axis = surface + D/2."""
        reading = {"method": "spigot", "side": "front", "reading": -200.0, "diameter": 10.0, "spigot_diameter": 30.0}
        self.assertAlmostEqual(found(y=reading)["y"].offset, -200.0 + 5.0 + 15.0)

    def test_step_of_a_test_cut(self):
        reading = {"method": "test cut", "before": -100.0, "step": 0.08, "deeper": "plus"}
        self.assertAlmostEqual(found(y=reading)["y"].offset, -99.96)

    def test_swept_and_known(self):
        swept = {"method": "indicator swept", "reading": -240.5, "should_read": -18.0}
        known = {"method": "known value", "value": -33.3, "origin": "left vise"}
        results = found(x=swept, y=known)
        self.assertEqual((results["x"].offset, results["y"].offset), (-222.5, -33.3))


class AddsUpTest(unittest.TestCase):
    """What stands on the tape must be what was worked out: added line by line it comes to every sum and to E."""

    def test_every_method(self):
        draw = random.Random(8)
        for _ in range(40):
            some = lambda low=-400.0, high=400.0: round(draw.uniform(low, high), 3)  # noqa: E731
            side, touched = draw.choice(("left", "right")), {"reading": some(), "should_read": some(-60, 60)}
            by_tool = touched | {"diameter": some(0, 20), "gauge": draw.choice((0.0, some(0.02, 2.0))), "side": side}
            gauge = draw.choice((0.0, 50.0))
            by_eye = {"method": "above it, by eye", "tool_length": some(50, 200), "above": some(0, 20), **touched}
            by_indicator = {"method": "indicator against reference", "reference_reading": some(), **touched}
            for axis, lengths_from, reading in (
                ("x", "gauge line", {"method": "edge", **by_tool}),
                ("x", "gauge line", {"method": "half a measured size", "measured_size": some(5, 90), **by_tool}),
                ("x", "gauge line", {"method": "spigot", "spigot_diameter": some(5, 90), **by_tool}),
                ("x", "gauge line", {"method": "indicator swept", **touched}),
                ("x", "gauge line", {"method": "known value", "value": some()}),
                ("z", "gauge line", {"method": "tool on top", "tool_length": some(50, 200), "gauge": gauge, **touched}),
                ("z", "reference plane", by_indicator),
                ("x", "gauge line", {"method": "over it, by eye", **touched}),
                ("z", "gauge line", by_eye),
                ("z", "reference plane", by_eye | {"plane": some()}),
                ("x", "gauge line", {"method": "test cut", "before": some(), "step": some(0.01, 1),
                                     "deeper": draw.choice(("plus", "minus"))}),
            ):  # fmt: skip
                with self.subTest(reading["method"], reading=reading):
                    result = found(lengths_from=lengths_from, **{axis: reading})[axis]
                    self.assert_adds_up(result)

    def assert_adds_up(self, result):
        so_far, totals = 0.0, []
        for line in result.lines:
            if line.mm is None or line.kind == "note":
                continue
            if line.kind == "item":
                so_far += line.mm
            else:
                totals.append(line.mm)
                if line.text.startswith("X, ") or line.text.startswith("Z, "):
                    so_far = line.mm  # a value that is only taken over
                self.assertAlmostEqual(line.mm, so_far, msg=line.text)
        self.assertAlmostEqual(totals[-1], result.offset)

    def test_a_step_goes_towards_the_side_that_was_cut_deeper(self):
        for deeper, offset in (("plus", -99.6), ("minus", -100.4)):
            reading = {"method": "test cut", "before": -100.0, "step": 0.8, "deeper": deeper}
            self.assertAlmostEqual(found(y=reading)["y"].offset, offset)

    def test_words_say_what_was_touched_and_which_way(self):
        on_top = {"method": "tool on top", "reading": 1.0, "tool_length": 90.0}
        by_indicator = {"method": "indicator against reference", "reading": 1.0, "reference_reading": 2.0}
        for reading, axis, lengths_from, first in (
            (edge("left", 1.0), "x", "gauge line", "left side, moving +"),
            (edge("right", 1.0), "x", "gauge line", "right side, moving −"),
            (edge("back", 1.0, surface="fixed jaw"), "y", "gauge line", "fixed jaw, moving −"),
            (on_top, "z", "gauge line", "top, moving −, gauge line"),
            (on_top | {"surface": "jaw top"}, "z", "gauge line", "jaw top, moving −, gauge line"),
            (by_indicator, "z", "reference plane", "on the surface"),
            (by_indicator | {"surface": "parallels"}, "z", "reference plane", "on the parallels"),
        ):  # fmt: skip
            self.assertEqual(found(lengths_from=lengths_from, **{axis: reading})[axis].lines[0].text, first)


class SignTest(unittest.TestCase):
    @given(st.floats(-500, 500), st.floats(0, 30), st.floats(0, 1), st.floats(1, 300))
    def test_both_sides_of_one_block_agree_on_its_middle(self, low, diameter, gauge, width):
        """Readings made from where the walls are: each method finds the middle, whichever side it touched."""
        r = diameter / 2.0 + gauge
        left, right, middle = low - r, low + width + r, low + width / 2.0
        common = {"diameter": diameter, "gauge": gauge}
        for reading in (
            {"method": "half a measured size", "side": "left", "reading": left, "measured_size": width, **common},
            {"method": "half a measured size", "side": "right", "reading": right, "measured_size": width, **common},
            {"method": "wall to wall", "minus_reading": left, "plus_reading": right, **common},
            {"method": "spigot", "side": "left", "reading": left, "spigot_diameter": width, **common},
            {"method": "edge", "side": "left", "reading": left, "should_read": -width / 2.0, **common},
            {"method": "edge", "side": "right", "reading": right, "should_read": width / 2.0, **common},
        ):
            self.assertAlmostEqual(found(x=reading)["x"].offset, middle, places=6)

    def test_a_pocket_is_touched_from_within(self):
        reading = {
            "method": "wall to wall",
            "minus_reading": 5.0,
            "plus_reading": 25.0,
            "diameter": 10.0,
            "inside": True,
        }
        result = found(x=reading)["x"]
        self.assertAlmostEqual(result.offset, 15.0)
        self.assertIn(30.0, [line.mm for line in result.lines if line.text == "width found"])

    @given(st.floats(-20, 20))
    def test_inches_are_the_same_place(self, inches):
        mm = found(x=edge("left", inches * 25.4) | {"diameter": 12.7})["x"].offset
        inch = found(x=edge("left", inches) | {"diameter": 0.5}, unit="in")["x"].offset
        self.assertAlmostEqual(mm, inch, places=6)


class DoubtTest(unittest.TestCase):
    def words(self, away, **change):
        reading = edge("left", -412.630 + away, should_read=-48.02, **change)
        result = found(Expected({"x": -359.610}, 1.0), x=reading)["x"]
        return "" if result.doubt is None else result.doubt.words

    def test_within_the_region_nothing_is_said(self):
        self.assertEqual(self.words(0.9), "")

    def test_each_slip_is_named(self):
        for away, words in (
            (-5.2, "radius is forgotten"),
            (10.3, "wrong way, or the other side"),
            (48.02, "must read is left out"),
            (96.5, "wrong sign"),
            (-96.5, "lay between and is not typed"),
            (22.0, "Look at the reading"),
        ):
            self.assertIn(words, self.words(away), away)

    def test_a_block_height(self):
        reading = {"method": "tool on top", "reading": -100.0, "gauge": 50.0, "tool_length": 118.4}
        result = found(Expected({"z": -100.0 - 118.4}, 1.0), z=reading)["z"]
        self.assertIn("block or paper is left out", result.doubt.words)
        self.assertAlmostEqual(result.doubt.away, -50.0)

    def test_what_was_before_and_how_far_it_moved(self):
        result = found(x=edge("left", -412.630), before={"x": -400.0})["x"]
        self.assertAlmostEqual(result.moved, -7.630)
        tape = hand_tape(HandReadings.model_validate({"x": edge("left", -412.630), "before": {"x": -400.0}}))
        self.assertIn("moved by", [line.text for line in tape.lines])


class RefusalTest(unittest.TestCase):
    def test_what_does_not_fit_together(self):
        tool = {"method": "tool on top", "reading": 0.0, "tool_length": 100.0}
        indicator = {"method": "indicator against reference", "reading": 0.0, "reference_reading": 1.0}
        for data, words in (
            ({"x": edge("front", 0.0)}, "says nothing of X"),
            ({"z": tool, "lengths_from": "reference plane"}, "cannot be mixed"),
            ({"z": indicator}, "goes with lengths from a reference plane"),
            ({}, "no axis has a reading"),
            ({"x": {"method": "guessing", "reading": 1.0}}, "guessing"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValidationError, words):
                HandReadings.model_validate(data)
