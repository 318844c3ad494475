"""What is picked on the drawing and typed as read gives the true offset, whatever was touched and how.

The readings are worked out the other way round: a stated true offset, where the surface then lies in machine
coordinates, and where the control stands when the tool's skin, paper between, is at it.
"""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.errors import InvalidValueError, RegisterError
from ledgecliff.core.frames import AXES
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.register.entries import Entry, Use, Value, claimed, with_value
from ledgecliff.core.register.entry_tape import entry_tape
from ledgecliff.core.touchoff.cautions import caution
from ledgecliff.core.touchoff.draft import (
    ASKED,
    brought_up_to_date,
    draft_for,
    expected_of,
    methods_of,
    readings_of,
    size_doubt,
    tools_of,
    with_method,
    with_picked,
    with_tool,
    without_surface,
)
from ledgecliff.core.touchoff.hand_tape import hand_tape
from ledgecliff.core.touchoff.keeping import draft_from, kept, results_of
from ledgecliff.core.touchoff.readings import Before
from ledgecliff.core.touchoff.surfaces import rounds_of, surfaces_of
from tests.helpers import demo, models

TRUE = dict(zip(AXES, (-519.7, -213.2, -409.1), strict=True))
RADIUS, PAPER, LENGTH = 5.0, 0.08, 96.0
USE = Use("Float housing", "Op 10", "", "left vise")


def setup_plan(job=None, index=0):
    return make_plan(job or demo(), models()).setups[index]


def typed(draft, axis, **values):
    return draft.model_copy(update={axis: draft.axis(axis).model_copy(update=values)})


def stands_at(surface, radius=RADIUS, between=PAPER):
    """Where the control stands with the tool at an upright surface, from the outside."""
    outward = {"left": -1, "right": 1, "front": -1, "back": 1}[surface.side]
    return TRUE[surface.axis] + surface.reads + outward * (radius + between)


class SurfaceTest(unittest.TestCase):
    def setUp(self):
        self.setup = setup_plan()
        self.surfaces = {surface.name: surface for surface in surfaces_of(self.setup)}

    def test_they_read_what_the_plan_has_there(self):
        """Stock 100 x 68, gripped 4 of 34 high, its zero in the middle and on the finished top, 1.5 under the raw."""
        reads = {name: surface.reads for name, surface in self.surfaces.items()}
        expected = {
            "left side": -50, "right side": 50, "front side": -34, "back side": 34, "fixed jaw": 34,
            "stock top": 1.5, "parallels": -32.5, "jaw top": -28.5, "pocket": -22,
        }  # fmt: skip
        self.assertEqual(reads.keys(), expected.keys())
        for name, value in expected.items():
            self.assertAlmostEqual(reads[name], value, msg=name)

    def test_the_jaw_looks_at_the_part(self):
        self.assertEqual(self.surfaces["fixed jaw"].side, "front")
        self.assertEqual(self.surfaces["back side"].side, "back")
        self.assertEqual(self.surfaces["left side"].way, (1.0, 0.0))
        self.assertEqual(self.surfaces["stock top"].way, (0.0, -1.0))

    def test_a_stop_is_touched_from_the_parts_side(self):
        job = set_value(demo(), ("setups", 0, "hold", "stop"), {"side": "left", "height": 50})
        stop = next(surface for surface in surfaces_of(setup_plan(job)) if surface.name == "stop")
        self.assertEqual((stop.side, stop.reads), ("right", self.surfaces["left side"].reads))

    def test_rounds_that_stand_upright(self):
        rounds = {thing.name: thing for thing in rounds_of(self.setup)}
        self.assertEqual((rounds["main bore"].centre, rounds["main bore"].hollow), ((-18.0, 0.0), True))
        self.assertNotIn("port", rounds)


class ByHandTest(unittest.TestCase):
    def setUp(self):
        self.setup = setup_plan()

    def found(self, draft, axis):
        return next(result for result in results_of(self.setup, draft) if result.axis == axis)

    def test_every_upright_surface_by_one_edge(self):
        for surface in surfaces_of(self.setup):
            if surface.side is None:
                continue
            for way in ("edge", "half a measured size"):
                with self.subTest(surface.name, way=way):
                    draft = with_method(self.setup, draft_for(self.setup), surface.axis, way)
                    draft = with_picked(self.setup, draft, surface.source)
                    size = {"x": 100.0, "y": 68.0}[surface.axis]
                    draft = typed(draft, surface.axis, reading=stands_at(surface), gauge=PAPER, size=size)
                    self.assertAlmostEqual(self.found(draft, surface.axis).offset, TRUE[surface.axis])

    def test_half_a_size_never_leads_into_the_jaw(self):
        """The part lies before the fixed jaw: half its size on from there would be behind the jaw's face."""
        for method in ("half a measured size", "spigot"):
            draft = with_method(self.setup, draft_for(self.setup), "y", method)
            self.assertEqual(with_picked(self.setup, draft, "surface-fixed jaw").y.method, "edge")
            self.assertEqual(with_picked(self.setup, draft, "surface-back side").y.method, method)

    def test_wall_to_wall_whatever_the_tool(self):
        left, right = (
            next(s for s in surfaces_of(self.setup) if s.name == name) for name in ("left side", "right side")
        )
        for radius in (2.0, 5.0):
            draft = with_method(self.setup, draft_for(self.setup), "x", "wall to wall")
            readings = {"reading": stands_at(left, radius, 0.0), "second": stands_at(right, radius, 0.0)}
            result = self.found(typed(draft, "x", diameter=2 * radius, **readings), "x")
            self.assertAlmostEqual(result.offset, TRUE["x"])
            self.assertIn(100.0, [round(line.mm, 6) for line in result.lines if line.text == "width found"])

    def test_a_swept_bore_gives_both(self):
        draft = with_picked(self.setup, draft_for(self.setup), "surface-main bore")
        self.assertEqual((draft.x.method, draft.y.method), ("indicator swept", "indicator swept"))
        draft = typed(typed(draft, "x", reading=TRUE["x"] - 18.0), "y", reading=TRUE["y"])
        walls = with_method(self.setup, draft, "x", "wall to wall")
        self.assertEqual((walls.x.surface, walls.x.inside, walls.x.expected_width), ("main bore", True, 22.0))
        walls = typed(walls, "x", reading=TRUE["x"] - 18.0 - 11.0 + RADIUS, second=TRUE["x"] - 18.0 + 11.0 - RADIUS)
        self.assertAlmostEqual(self.found(walls, "x").offset, TRUE["x"])
        self.assertEqual(without_surface(self.setup, walls, "x").x.expected_width, 100.0)
        self.assertAlmostEqual(self.found(draft, "x").offset, TRUE["x"])
        self.assertAlmostEqual(self.found(draft, "y").offset, TRUE["y"])

    def test_a_level_surface_with_either_convention(self):
        """With a tool of known length over paper; or a dial on the parallels and on the tools' reference."""
        for name in ("stock top", "parallels"):
            surface = next(s for s in surfaces_of(self.setup) if s.name == name)
            gauge_line = TRUE["z"] + surface.reads + LENGTH + PAPER
            draft = with_picked(self.setup, draft_for(self.setup), surface.source)
            draft = typed(draft, "z", reading=gauge_line, tool_length=LENGTH, gauge=PAPER)
            self.assertAlmostEqual(self.found(draft, "z").offset, TRUE["z"])
        # -212.400 on the block, -231.865 on the parallels, Z0 is 28.500 above them: 9.035.
        job = set_value(demo(), ("machines", 0, "lengths_from"), "reference plane")
        setup = setup_plan(set_value(job, ("setups", 0, "datum", "z"), {"source": "parallels", "shift": 28.5}))
        draft = with_picked(setup, draft_for(setup), "surface-parallels")
        draft = typed(draft, "z", reading=-231.865, second=-212.4)
        self.assertAlmostEqual(results_of(setup, draft)[0].offset, 9.035)
        self.assertEqual(methods_of(setup, "z")[0], "indicator against reference")

    def test_a_forgotten_radius_is_named(self):
        left = next(s for s in surfaces_of(self.setup) if s.name == "left side")
        planned = float(self.setup.located.m_offset[0])
        draft = with_picked(self.setup, with_method(self.setup, draft_for(self.setup), "x", "edge"), left.source)
        for off, words in (
            (0.0, None),
            (5.0, "the tool's radius is forgotten"),
            (10.0, "the radius goes the wrong way"),
        ):
            reading = planned + left.reads - RADIUS + off
            doubt = self.found(typed(draft, "x", reading=reading), "x").doubt
            self.assertEqual(doubt is not None, words is not None)
            if words:
                self.assertIn(words, doubt.words)

    def test_the_labels_size_instead_of_the_measured_one(self):
        job = set_value(demo(), ("stock", "measured", "x"), 99.2)
        setup = setup_plan(job)
        draft = with_method(setup, draft_for(setup), "x", "half a measured size")
        for size, fires in ((100.0, True), (99.2, False), (99.6, False)):
            words = size_doubt(setup, job.stock, typed(draft, "x", size=size), "x")
            self.assertEqual(bool(words), fires, size)
        words = size_doubt(setup, job.stock, typed(draft, "x", size=100.0), "x")
        self.assertIn("0.400 mm, goes into X", spell(words, "mm"))
        same = setup_plan()
        self.assertEqual(size_doubt(same, demo().stock, typed(draft, "x", size=100.0), "x"), "")

    def test_what_is_not_typed_gives_nothing(self):
        draft = draft_for(self.setup)
        self.assertIsNone(readings_of(draft))
        self.assertEqual(draft.x.missing(), ("reading", "second"))
        self.assertEqual(draft.z.missing(), ("reading", "tool_length"))
        self.assertEqual([r.axis for r in results_of(self.setup, typed(draft, "x", reading=1.0, second=2.0))], ["x"])

    def test_the_datum_chooses_the_method(self):
        for axis, source, feature, method, surface in (
            ("x", "stock minus side", None, "edge", "left side"), ("x", "stock plus side", None, "edge", "right side"),
            ("y", "fixed jaw", None, "edge", "fixed jaw"),
            ("x", "feature", "main bore", "indicator swept", "main bore"),
            ("x", "fixture value", None, "known value", "left vise"), ("x", "stock centre", None, "wall to wall", ""),
        ):  # fmt: skip
            with self.subTest(source):
                setup = setup_plan(set_datum(demo(), 0, axis, source, feature))
                each = draft_for(setup).axis(axis)
                self.assertEqual((each.method, each.surface), (method, surface))

    def test_a_cutter_brings_its_numbers(self):
        cutter, *_, probe = tools_of(demo().machine)
        draft = with_tool(draft_for(self.setup), "z", cutter)
        self.assertEqual((draft.z.diameter, draft.z.tool_length), (cutter.diameter, cutter.length))
        self.assertEqual((probe.tool, probe.diameter, probe.length), (30, 2 * 1.982, demo().machine.probe.length))

    def test_every_method_has_its_caution(self):
        for method in ASKED:
            self.assertTrue(caution(method))
            sideways = method in ("edge", "wall to wall", "spigot")
            self.assertEqual("cutter to its widest" in caution(method), sideways, method)

    def test_another_plan_keeps_what_is_typed_and_changes_what_follows(self):
        draft = with_picked(
            self.setup, with_method(self.setup, draft_for(self.setup), "x", "edge"), "surface-left side"
        )
        draft = typed(draft, "x", reading=-575.0, gauge=0.1)
        longer = setup_plan(set_value(demo(), ("stock", "measured", "x"), 101.0))
        after = brought_up_to_date(longer, draft)
        self.assertEqual((after.x.reading, after.x.gauge, after.x.surface), (-575.0, 0.1, "left side"))
        self.assertAlmostEqual(after.x.should_read, -50.5)
        # One axis by a bore leaves the other as it is.
        both = with_picked(self.setup, draft, "surface-main bore").model_copy(update={"x": draft.x})
        self.assertEqual(brought_up_to_date(longer, both).x.method, "edge")
        self.assertEqual(brought_up_to_date(longer, both).y.surface, "main bore")
        clamping = replace(longer.clamping, setup=set_value(longer.setup, ("offset",), "G57"))
        moved = replace(longer, clamping=clamping)
        self.assertEqual(brought_up_to_date(moved, draft).offset, "G57")


class KeepingTest(unittest.TestCase):
    def setUp(self):
        self.setup = setup_plan()
        draft = typed(draft_for(self.setup, Before(x=-520.0)), "x", reading=-574.9, second=-464.9)
        draft = typed(draft, "y", reading=-253.1, second=-175.1)
        self.draft = typed(draft, "z", reading=-310.0, tool_length=96.0)

    def test_it_goes_into_the_register_with_its_tape_and_back(self):
        entry = kept(self.setup, self.draft, Entry("G54"), USE, ())
        np.testing.assert_allclose((entry.value.x, entry.value.y, entry.value.z), (-519.9, -214.1, -407.5))
        self.assertEqual((entry.origin, entry.use, entry.found_for, entry.is_stale), ("tape", USE, USE, False))
        lines = [spell(line, "mm") for line in entry.lines]
        self.assertIn("X: left wall, reading −574.900", lines)
        self.assertIn("X: moved by +0.100", lines)
        tape = [
            line.mm for line in hand_tape(readings_of(self.draft), expected_of(self.setup)).lines if line.mm is not None
        ]
        origin = [line.mm for line in entry_tape(entry).lines if line.kind == "note" and line.mm is not None]
        self.assertEqual(origin, tape, "every number of the tape, in whatever unit it is read")
        again = draft_from(self.setup, entry, USE)
        self.assertEqual(again, self.draft)
        # One reading corrected: the rest is as it was typed.
        corrected = kept(self.setup, typed(again, "x", second=-464.7), entry, USE, (entry,))
        self.assertAlmostEqual(corrected.value.x, -519.8)
        self.assertEqual(corrected.value.y, entry.value.y)

    def test_an_axis_that_was_not_found_keeps_what_there_was(self):
        only_x = typed(self.draft, "y", reading=None)
        held = with_value(Entry("G54"), Value(1.0, 2.0, 3.0, 0.5), "typed")
        value = kept(self.setup, only_x, held, USE, ()).value
        self.assertEqual((value.y, value.turn_deg), (2.0, 0.5))
        with self.assertRaisesRegex(InvalidValueError, "Y: it is not found yet, and G54 holds nothing"):
            kept(self.setup, only_x, Entry("G54"), USE, ())
        with self.assertRaisesRegex(InvalidValueError, "no axis is found yet"):
            kept(self.setup, draft_for(self.setup), held, USE, ())

    def test_another_setups_code_is_refused(self):
        with self.assertRaisesRegex(RegisterError, "Lamp lid · Op 10 has it"):
            kept(self.setup, self.draft, claimed(Entry("G54"), Use("Lamp lid", "Op 10")), USE, ())

    def test_what_was_typed_for_another_is_not_shown(self):
        entry = kept(self.setup, self.draft, Entry("G54"), USE, ())
        other = Use("Float housing", "Op 20", "", "left vise")
        draft = draft_from(self.setup, entry, other)
        self.assertIsNone(draft.x.reading)
        self.assertEqual(draft.before.x, entry.value.x)
        broken = replace(entry, readings="{}")
        self.assertIsNone(draft_from(self.setup, broken, USE).x.reading)
