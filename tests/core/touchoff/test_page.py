"""What a page of touching off offers and says."""

from __future__ import annotations

import unittest
from typing import get_args

from ledgecliff.core.frames import AXES
from ledgecliff.core.quantities import spell
from ledgecliff.core.register.entries import Entry, Use, Value, claimed, with_value
from ledgecliff.core.touchoff.draft import Method, draft_for, readings_of, tools_of, with_method, with_picked, with_tool
from ledgecliff.core.touchoff.keeping import results_of
from ledgecliff.core.touchoff.page import (
    all_doubt_words,
    all_offset_words,
    asks_for_tool,
    doubt_words,
    kept_words,
    moved_words,
    must_read,
    offset_words,
    tool_of,
    touchable,
)
from tests.helpers import demo, demo_plan

from .test_draft import typed


class TouchableTest(unittest.TestCase):
    def setUp(self):
        self.first, self.second = demo_plan().setups

    def names(self, setup, axis, method):
        return [name for _, name in touchable(setup, axis, method)]

    def test_an_edge_is_of_its_axis(self):
        sides = self.names(self.first, "x", "edge")
        self.assertTrue(sides)
        self.assertTrue(all("left" in name or "right" in name for name in sides), sides)
        self.assertFalse(set(sides) & set(self.names(self.first, "y", "edge")))

    def test_half_a_size_goes_on_from_the_part_alone(self):
        """Half of the part's size behind a jaw leads nowhere."""
        jaws = {name for name in self.names(self.first, "y", "edge") if "jaw" in name}
        self.assertTrue(jaws)
        self.assertFalse(jaws & set(self.names(self.first, "y", "half a measured size")))

    def test_rounds_by_what_finds_them(self):
        """The bore of Op 20 is swept and measured wall to wall; no indicator sweeps what is no round."""
        self.assertIn("main bore", self.names(self.second, "x", "indicator swept"))
        self.assertIn("main bore", self.names(self.second, "x", "wall to wall"))
        self.assertNotIn("main bore", self.names(self.second, "x", "spigot"), "it is hollow")
        self.assertNotIn("main bore", self.names(self.second, "z", "wall to wall"))
        self.assertEqual(touchable(self.second, "x", "wall to wall")[0], ("the stock", ""))

    def test_what_is_typed_from_a_label_touches_nothing(self):
        for method in ("known value", "test cut"):
            self.assertEqual(touchable(self.first, "x", method), ())

    def test_every_method_has_an_answer(self):
        for method in get_args(Method):
            for axis in AXES:
                self.assertIsInstance(touchable(self.first, axis, method), tuple)
                draft = with_method(self.first, draft_for(self.first), axis, method)
                self.assertIsInstance(must_read(draft.axis(axis)), str)


class ToolTest(unittest.TestCase):
    def test_it_is_known_by_what_is_typed(self):
        setup, cutters = demo_plan().setups[0], tools_of(demo().machines[0])
        for axis, method in (("x", "edge"), ("z", "tool on top"), ("z", "above it, by eye")):
            draft = with_method(setup, draft_for(setup), axis, method)
            self.assertTrue(asks_for_tool(method))
            for cutter in cutters:
                told = tool_of(cutters, with_tool(draft, axis, cutter).axis(axis))
                same = next(c for c in cutters if c.tool == told)
                what = "diameter" if axis == "x" else "length"
                self.assertEqual(getattr(same, what), getattr(cutter, what))
            self.assertEqual(tool_of(cutters, typed(draft, axis, diameter=3.21, tool_length=17.3).axis(axis)), 0)
        self.assertFalse(asks_for_tool("known value"))


class WordsTest(unittest.TestCase):
    def setUp(self):
        self.setup = demo_plan().setups[0]
        self.draft = draft_for(self.setup)

    def known(self, **values):
        draft = self.draft
        for axis, reading in values.items():
            draft = typed(with_method(self.setup, draft, axis, "known value"), axis, reading=reading)
        return draft, {result.axis: result for result in results_of(self.setup, draft)}

    def test_offsets_with_their_sign_and_dashes_for_the_rest(self):
        draft, results = self.known(x=-519.7)
        self.assertEqual(spell(all_offset_words(results), "mm"), "X  −519.700\nY  —\nZ  —")
        self.assertEqual(spell(offset_words("x", results["x"]), "in"), "X  −20.4606")
        self.assertIsNotNone(readings_of(draft))

    def test_what_is_missing_then_how_far_it_moves(self):
        edge = with_method(self.setup, self.draft, "x", "edge").axis("x")
        self.assertEqual(moved_words(edge, None), "Still to be typed: the reading")
        _, results = self.known(x=-519.7)
        result = results["x"]
        words = spell(moved_words(edge, result), "mm")
        if result.moved is None:
            self.assertEqual(words, "")
        else:
            self.assertIn(f"{result.moved:+.3f}".replace("-", "−"), words)

    def test_what_the_place_reads(self):
        """The left side of the stock reads minus half of its 100 mm from its middle."""
        draft = with_picked(self.setup, with_method(self.setup, self.draft, "x", "edge"), "surface-stock left")
        self.assertEqual(spell(must_read(draft.axis("x")), "mm"), "The left side must read −50.000.")
        middle = with_method(self.setup, self.draft, "x", "half a measured size")
        self.assertIn("The middle must read", must_read(middle.axis("x")))
        self.assertEqual(must_read(with_method(self.setup, self.draft, "x", "test cut").axis("x")), "")

    def test_doubts_are_told_where_there_are_some(self):
        draft, results = self.known(x=-519.7, y=-213.2)
        self.assertEqual(doubt_words(self.setup, demo().stock, draft, "z", None), "")
        told = doubt_words(self.setup, demo().stock, draft, "x", results["x"])
        self.assertEqual(told, "" if results["x"].doubt is None else results["x"].doubt.words)
        self.assertEqual(
            all_doubt_words(results).count("\n") + 1 if all_doubt_words(results) else 0,
            sum(result.doubt is not None for result in results.values()),
        )

    def test_what_the_register_holds(self):
        use = Use("Float housing", "Op 10", "", "left vise")
        self.assertEqual(kept_words(Entry("G54")), f"G54 in the register: {Entry('G54').state()}")
        value = Value(x=1.0, y=2.0, z=3.0)
        entry = with_value(claimed(Entry("G54"), use), value, origin="by hand")
        self.assertIn("by hand", kept_words(entry))
