"""Slips one by one: readings as they should have been, spoilt as a hand spoils them, are among what is proposed.

What is proposed is held against the readings before they were spoilt, field by field, so that no formula is repeated.
"""

from __future__ import annotations

import unittest

from ledgecliff.core.quantities import spell
from ledgecliff.core.touchoff.expected import Expected, ToolSize
from ledgecliff.core.touchoff.hand_tape import hand_results
from ledgecliff.core.touchoff.readings import (
    Edge,
    HalfSize,
    HandReadings,
    KnownValue,
    Spigot,
    Swept,
    TestCut,
    TopByIndicator,
    TopByTool,
    WallToWall,
)
from ledgecliff.core.touchoff.slips import slips
from ledgecliff.core.touchoff.surfaces import Round, Surface


def surface(name, axis, side, reads, **more):
    return Surface(name, axis, side, reads, ((0.0, 0.0), (1.0, 0.0)), **more)


#: Stock 100 x 60, its top 1.5 over the zero; a jaw at the back, parallels under it.
SURFACES = (
    surface("left side", "x", "left", -50.0), surface("right side", "x", "right", 50.0),
    surface("front side", "y", "front", -30.0), surface("back side", "y", "back", 30.0),
    surface("fixed jaw", "y", "front", 30.0, of_stock=False), surface("stop", "x", "right", -50.0, of_stock=False),
    surface("stock top", "z", None, 1.5), surface("parallels", "z", None, -28.0),
)  # fmt: skip
ROUNDS = (Round("main bore", (-18.0, 4.0), 22.0, hollow=True), Round("other bore", (25.0, -7.0), 8.0, hollow=True))
TOOLS = (ToolSize(3, 16.0, 88.0), ToolSize(5, 10.0, 104.0))
EXPECTED = Expected({"x": 0.0, "y": 0.0, "z": 0.0}, 1.0, SURFACES, ROUNDS, TOOLS)

LEFT = Edge(side="left", surface="left side", reading=-412.63, diameter=10.0, should_read=-50.0)
TOP = TopByTool(surface="stock top", reading=-210.4, tool_length=104.0, should_read=1.5)
BY_DIAL = TopByIndicator(surface="stock top", reading=-231.9, reference_reading=-212.4, should_read=1.5)
HALF = HalfSize(side="left", reading=-412.63, diameter=10.0, measured_size=99.2)
SPIGOT = Spigot(side="front", reading=-200.0, diameter=10.0, spigot_diameter=30.0)
WALLS = WallToWall(minus_reading=-80.0, plus_reading=22.0, diameter=10.0, should_read=5.0)
SWEPT = Swept(reading=-518.0, should_read=-18.0)
CUT = TestCut(before=-100.0, step=0.08, deeper="plus")


def proposed(axis, spoilt, away=0.0, expected=EXPECTED):
    return list(slips(axis, spoilt, away, expected))


def but(reading, **values):
    return reading.model_copy(update=values)


def saying(part, axis, spoilt, away=0.0, expected=EXPECTED):
    """What is proposed in words that hold a part."""
    return [slip.corrected for slip in proposed(axis, spoilt, away, expected) if part in slip.words]


def offset(axis, reading):
    lengths_from = "reference plane" if isinstance(reading, TopByIndicator) else "gauge line"
    readings = HandReadings.model_validate({"unit": "mm", "lengths_from": lengths_from, axis: reading.model_dump()})
    return hand_results(readings)[0].offset


class SpoiltTest(unittest.TestCase):
    def assert_proposed(self, axis, right, words, *, expected=EXPECTED, **spoils):
        """The readings as they were, under some words, of readings that were spoilt."""
        spoilt = right.model_copy(update=spoils)
        away = offset(axis, spoilt) - offset(axis, right)
        for slip in proposed(axis, spoilt, away, expected):
            same = all(
                abs(getattr(slip.corrected, name) - value) < 1e-6 if isinstance(value, float) else
                getattr(slip.corrected, name) == value
                for name, value in right.model_dump().items() if name not in ("method", "surface")
            )  # fmt: skip
            if same and words in slip.words:
                return slip
        return self.fail(f"none of {[slip.words for slip in proposed(axis, spoilt, away, expected)]} undoes {spoils}")

    def test_the_tool(self):
        bare = but(LEFT, diameter=0.0)
        self.assert_proposed("x", bare, "forgotten, or taken twice", diameter=10.0)
        self.assert_proposed("x", but(LEFT, diameter=20.0), "forgotten, or taken twice", diameter=10.0)
        wrong_way = LEFT.model_construct(**LEFT.model_dump() | {"diameter": -10.0})
        self.assertIn(-10.0, [s.corrected.diameter for s in proposed("x", LEFT) if "wrong way" in s.words])
        self.assertEqual(wrong_way.diameter, -10.0)
        self.assert_proposed("x", but(LEFT, diameter=16.0), "touched with T3", diameter=10.0)
        self.assertNotIn("T5", " ".join(s.words for s in proposed("x", LEFT)), "that is what is typed")

    def test_a_diameter_left_at_nought(self):
        """However thick the tool, as far as tools go; from either side."""
        for side, thick in (("left", 10.0), ("right", 12.0), ("left", 99.0)):
            right = but(LEFT, side=side, diameter=thick)
            slip = self.assert_proposed("x", right, "diameter is left 0", diameter=0.0)
            self.assertIn(f"with a tool of {thick:.3f} mm", spell(slip.words, "mm"))
            self.assertTrue(slip.of_any_size)
        for side, away in (("left", 5.0), ("right", -5.0), ("left", -51.0)):
            spoilt = but(LEFT, side=side, diameter=0.0)
            self.assertNotIn("left 0", " ".join(s.words for s in proposed("x", spoilt, away)), (side, away))
        self.assertNotIn("left 0", " ".join(s.words for s in proposed("x", LEFT, -5.0)), "one is typed")

    def test_lengths(self):
        self.assert_proposed("z", but(TOP, tool_length=88.0), "the tool is T3", tool_length=104.0)
        told = [slip for slip in proposed("z", TOP) if "T5" in slip.words]
        self.assertEqual(told, [], "that is what is typed")
        self.assertIn(0.0, [s.corrected.tool_length for s in proposed("z", TOP) if "left out" in s.words])

    def test_what_lay_between(self):
        gauged = but(LEFT, gauge=0.1)
        self.assert_proposed("x", LEFT, "left out, or taken twice", gauge=0.1)
        self.assert_proposed("x", but(LEFT, gauge=0.2), "left out, or taken twice", gauge=0.1)
        self.assertIn(-0.1, [s.corrected.gauge for s in proposed("x", gauged) if "goes the wrong way" in s.words])
        self.assertFalse(saying("block", "x", but(WALLS, gauge=0.1)))
        for axis, right, too_tall in (("x", LEFT, -251.0), ("z", TOP, 251.0)):
            for tall in (0.5, 50.0, 249.0):
                slip = self.assert_proposed(axis, but(right, gauge=tall), "is not typed", gauge=0.0)
                self.assertIn(f"of {tall:.3f} mm lay between", spell(slip.words, "mm"))
                self.assertTrue(slip.of_any_size)
            for away in (too_tall, -too_tall / 10.0):
                self.assertFalse(saying("is not typed", axis, right, away), away)
        right_side = but(LEFT, side="right", gauge=50.0)
        self.assert_proposed("x", right_side, "is not typed", gauge=0.0)

    def test_sizes(self):
        for axis, right, name, words in (
            ("x", HALF, "measured_size", "size"), ("y", SPIGOT, "spigot_diameter", "diameter"),
        ):  # fmt: skip
            size = getattr(right, name)
            self.assert_proposed(axis, right, f"half of the {words} is missing", **{name: size / 2.0})
            values = [getattr(s.corrected, name) for s in proposed(axis, right) if f"half of the {words}" in s.words]
            self.assertEqual(values, [2.0 * size, 0.0, -size])
        self.assert_proposed("x", but(HALF, measured_size=100.0), "not the stock's", measured_size=96.0)
        of_y = [s.corrected.measured_size for s in proposed("y", but(HALF, side="front")) if "stock's" in s.words]
        self.assertEqual(of_y, [60.0], "its width that way, the jaw's face left aside")
        one = Expected(EXPECTED.offsets, 1.0, SURFACES[:1])
        self.assertFalse(saying("stock's", "x", HALF, expected=one))
        self.assertFalse(saying("stock's", "y", SPIGOT))

    def test_the_other_side(self):
        for axis, right in (("x", HALF), ("y", SPIGOT)):
            for side, other in (("left", "right"), ("right", "left"), ("front", "back"), ("back", "front")):
                if (axis == "x") == (side in ("left", "right")):
                    turned = but(right, side=other)
                    self.assert_proposed(axis, turned, f"the {other} side was touched", side=side)

    def test_another_surface(self):
        """With what it reads taken from the plan, and its own side."""
        told = {s.words: s.corrected for s in proposed("x", LEFT) if "was touched" in s.words and "side" in s.words}
        self.assertEqual(
            set(told), {"the radius goes the wrong way, or the other side was touched", "the right side was touched"}
        )
        self.assertEqual(
            (told["the right side was touched"].side, told["the right side was touched"].should_read), ("right", 50.0)
        )
        self.assertIn("the stop was touched", [s.words for s in proposed("x", LEFT)])
        forgotten = self.assert_proposed("x", LEFT, "is not the plan's", should_read=-25.0)
        self.assertIn("half of the width forgotten", forgotten.words)
        self.assertFalse(saying("is not the plan's", "x", LEFT), "it is the plan's")
        from_z = {s.words: s.corrected.should_read for s in proposed("z", TOP) if "was touched" in s.words}
        self.assertEqual(from_z, {"the parallels was touched": -28.0})
        self.assert_proposed("z", TOP, "is not the plan's", should_read=0.0)
        self.assertFalse(saying("is not the plan's", "z", TOP))
        unnamed = but(LEFT, surface="", should_read=-25.0)
        self.assertTrue(saying("is not the plan's", "x", unnamed))

    def test_another_round(self):
        for axis, right, should in (("x", SWEPT, -18.0), ("y", but(SWEPT, should_read=4.0), 4.0)):
            told = {s.words: s.corrected.should_read for s in proposed(axis, right) if s.words.startswith("it is the")}
            other = 25.0 if axis == "x" else -7.0
            self.assertEqual(told, {"it is the other bore": other}, should)
        self.assertEqual(len([s for s in proposed("x", WALLS) if s.words.startswith("it is the")]), 2)
        self.assertFalse([s for s in proposed("x", LEFT) if s.words.startswith("it is the")])

    def test_what_it_must_read(self):
        self.assert_proposed("x", but(LEFT, should_read=0.0), "left out, or taken off twice", should_read=-50.0)
        self.assert_proposed("x", LEFT, "left out, or taken off twice", should_read=-25.0)
        self.assert_proposed("x", LEFT, "has the wrong sign", should_read=50.0)
        self.assertFalse(saying("must read is left", "x", but(LEFT, should_read=0.0)))

    def test_test_cuts(self):
        self.assert_proposed("y", CUT, "the plus side was cut deeper", deeper="minus")
        self.assert_proposed("y", but(CUT, deeper="minus"), "the minus side was cut deeper", deeper="plus")
        self.assert_proposed("y", CUT, "half of the step was typed", step=0.04)

    def test_as_typed(self):
        for axis, right, names in (
            ("x", LEFT, ("reading",)), ("x", WALLS, ("minus_reading", "plus_reading")), ("x", SWEPT, ("reading",)),
            ("z", BY_DIAL, ("reading", "reference_reading")), ("y", CUT, ("before",)),
            ("x", KnownValue(value=-360.0), ("value",)),
        ):  # fmt: skip
            values = {name: getattr(right, name) for name in names}
            for name, value in values.items():
                self.assert_proposed(axis, right, "the sign of a reading is lost", **{name: -value})
            inches = {name: value / 25.4 for name, value in values.items()}
            self.assert_proposed(axis, right, "the reading is in inches", **inches)
            in_mm = {name: value * 25.4 for name, value in values.items()}
            self.assert_proposed(axis, right, "inches are set", **in_mm)
            both = saying("both readings", axis, right)
            self.assertEqual(len(both), int(len(names) > 1))
            for slip in both:
                self.assertEqual({n: getattr(slip, n) for n in names}, {n: -v for n, v in values.items()})
        exchanged = {"reading": BY_DIAL.reference_reading, "reference_reading": BY_DIAL.reading}
        self.assert_proposed("z", BY_DIAL, "are exchanged", **exchanged)

    def test_each_changes_something(self):
        """What leaves the readings as they are explains nothing."""
        for axis, right in (("x", LEFT), ("z", TOP), ("z", BY_DIAL), ("x", HALF), ("y", SPIGOT), ("x", WALLS),
                            ("x", SWEPT), ("y", CUT)):  # fmt: skip
            for slip in proposed(axis, right, -3.0):
                self.assertNotEqual(slip.corrected, right, slip.words)
