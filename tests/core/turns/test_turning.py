"""Turns worked out: where registered stock and carried zeros lie, errors against worked numbers."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np

from ledgecliff.core.budget.sides import far_side, off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.route import scenes_of
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.turn_plan import turns_of
from tests.draws import draws
from tests.helpers import demo_plan, plan_with
from tests.rehearsals import rehearsed
from tests.turn_jobs import PINS, ring, ring_plan, ring_with


def machine_place(setup, p_point):
    """Where a part point lies on the machine, through its holding and not through its WCS."""
    return setup.setup.orientation.matrix() @ np.array(p_point) + setup.located.tf_m_u.shift


class RegisteredTest(unittest.TestCase):
    def test_bores_come_down_on_the_turned_image_of_where_they_were_made(self):
        """Independent of the formula: the bores' machine places before, mirrored about the axis through the zero,
        are their machine places after the turn, whatever the zero and the place on the board."""
        for edits in ((), ((("setups", 0, "hold", "x"), 31.0), (("setups", 0, "datum", "y", "shift"), 4.5))):
            plan = ring_with("on-pins", *edits)
            before, after = plan.setups
            zero_y = before.located.m_offset[1]
            for pin in turns_of(plan)[0].pin_bores.pins:
                place = machine_place(before, (pin.x, pin.y, 0.0))
                turned = machine_place(after, (pin.x, pin.y, 0.0))
                np.testing.assert_allclose(turned[:2], (place[0], 2 * zero_y - place[1]), atol=1e-9)

    def test_pins_in_the_board_are_given_in_the_wcs_that_bores_them(self):
        turn = turns_of(ring_plan("on-pins"))[0]
        self.assertEqual({(p.x, p.y) for p in turn.board_pins}, {(-144, 60), (-144, -60), (144, 0)})
        self.assertTrue(turn.one_program)
        off_axis = turns_of(ring_with("on-pins", (("setups", 0, "datum", "y", "shift"), 4.5)))[0]
        self.assertFalse(off_axis.one_program, "board and blank need programs of their own")
        self.assertEqual({round(p.y, 6) for p in off_axis.board_pins}, {-55.5, 64.5, 4.5})

    def test_a_framed_piece_lies_in_the_middle_it_was_cut_from(self):
        for edits in ((), ((("setups", 0, "datum", "x", "shift"), 7.0), (("setups", 0, "hold", "y"), 12.0))):
            before, after = ring_with("in-a-frame", *edits).setups
            middle = (0.0, 0.0, 7.5)
            np.testing.assert_allclose(machine_place(before, middle)[:2], machine_place(after, middle)[:2], atol=1e-9)

    def test_the_frames_border_stays_and_the_piece_goes_on(self):
        before, after = ring_plan("in-a-frame").setups
        border = after.holding.block("border").solid()
        self.assertAlmostEqual(
            border.volume() + after.before.volume, before.after.volume, delta=1e-3 * before.after.volume
        )
        turned = after.before.solid.transform(np.column_stack([after.setup.orientation.matrix(), np.zeros(3)]))
        self.assertAlmostEqual((border ^ turned).volume(), 0.0, delta=1.0, msg="turned, the piece lies in its border")
        self.assertAlmostEqual(border.min_gap(turned, 5.0), 0.1, delta=0.02, msg="and stands off it by the fit")

    def test_a_carried_zero_keeps_its_value(self):
        for kind in ("on-pins", "in-a-frame"):
            before, after = ring_with(kind, (("setups", 1, "datum", "x", "shift"), 2.5)).setups
            np.testing.assert_allclose((after.located.m_offset - before.located.m_offset)[:2], (2.5, 0.0), atol=1e-9)
            self.assertEqual([step.title for step in after.probing.steps], ["Z from spoilboard"])
            self.assertEqual(after.probing.carried, ("x", "y"))

    def test_the_first_setup_has_nothing_to_carry_over(self):
        for path, value in (
            (("setups", 0, "datum", "x"), AxisDatum(source="carried over")),
            (("setups", 0, "hold", "registered"), True),
        ):
            with self.assertRaisesRegex(InvalidValueError, "nothing comes before it"):
                set_value(ring("on-pins"), path, value)

    def test_another_code_gets_the_value_copied(self):
        plan = ring_with("on-pins", (("setups", 1, "offset"), "G55"))
        self.assertIn("G10 L2 P2 X[#5221 + 0.0]", probing_text(plan, 1))
        result = rehearsed(plan, 3)
        first, second = result.setups
        np.testing.assert_allclose(second.found[:2], first.found[:2], atol=1e-6)
        self.assertNotIn("G10 L2 P1 X", probing_text(ring_plan("on-pins"), 1), "the same code is left alone")

    def test_nothing_to_probe_at_all(self):
        plan = ring_with("on-pins", (("setups", 1, "datum", "z"), AxisDatum(source="carried over")))
        self.assertEqual(plan.setups[1].probing.steps, ())
        result = rehearsed(plan, 3)
        self.assertEqual(result.alarms, ())


class AnyLieTest(unittest.TestCase):
    """A turn comes out alike wherever the blank lies and whichever way the part is spun."""

    def spun(self, kind, k):
        """The ring job with part, blank and pins a quarter turn (``k`` times) further round on the table."""
        job = ring(kind)
        rights = ("+X", "+Y", "-X", "-Y")

        def setup(one):
            up = one.orientation.up
            # Turned over, the part's directions run the other way round.
            right = rights[-k % 4 if up == "+Z" else k % 4]
            update = {"orientation": one.orientation.model_copy(update={"right": right})}
            operations = []
            for operation in one.operations:
                changes = {}
                if operation.removes == "pin bores":
                    placed = []
                    for pin in operation.pins:
                        z = complex(pin.x, pin.y) * 1j**k
                        placed.append(pin.model_copy(update={"x": z.real, "y": z.imag}))
                    changes["pins"] = tuple(placed)
                if operation.removes == "frame slot":
                    changes["turn"] = "x" if k % 2 == 0 else "y"
                operations.append(operation.model_copy(update=changes))
            return one.model_copy(update={**update, "operations": tuple(operations), "hold": self.hold(one, k)})

        return job.model_copy(update={"setups": tuple(setup(one) for one in job.setups)})

    def hold(self, setup, k):
        """Screws keep their places on the blank, which are counted from its left front corner."""
        width, depth = {"on-pins": (320, 280), "in-a-frame": (360, 330)}[self.kind] if setup.name == "Op 10" else (0, 0)
        if not width:
            return setup.hold.model_copy(update={"screws": ()})
        screws = []
        for screw in setup.hold.screws:
            z = complex(screw.x - width / 2, screw.y - depth / 2) * 1j**k
            w, d = (width, depth) if k % 2 == 0 else (depth, width)
            screws.append(screw.model_copy(update={"x": z.real + w / 2, "y": z.imag + d / 2}))
        return setup.hold.model_copy(update={"screws": tuple(screws), "x": 13.0 * k, "y": -7.0 * k})

    def test_quarter_turns(self):
        for self.kind, turns in (("on-pins", (0, 1, 2)), ("in-a-frame", (0, 1))):
            results = []
            for k in turns:
                plan = make_plan(self.spun(self.kind, k), Models())
                (turn,) = turns_of(plan)
                pair = far_side(turn, plan)
                self.assertEqual(turn.axis, "x" if k % 2 == 0 else "y")
                self.assertEqual(len(turn.seats), 2 if self.kind == "on-pins" else 0)
                results.append((pair.expanded, turn.play.shift, turn.play.turn_rad, turn.farthest.arm))
            for other in results[1:]:
                np.testing.assert_allclose(other, results[0], rtol=2e-2, atol=1e-4)


class RehearsedTest(unittest.TestCase):
    def test_both_sides_meet_within_the_play(self):
        """Found less true in X and Y of Op 20 is the play that was drawn, and the touches' scatter."""
        for kind in ("on-pins", "in-a-frame"):
            plan = ring_plan(kind)
            play = turns_of(plan)[0].play
            bound = play.shift + play.turn_rad * 170.0 + 0.005
            offs = []
            for seed in range(4):
                result = rehearsed(plan, seed)
                self.assertEqual(result.alarms, ())
                offs.append(float(np.linalg.norm(result.setups[1].difference[:2])))
            self.assertLess(max(offs), bound)
            self.assertGreater(max(offs), 0.1 * play.shift, "play is really drawn")

    def test_what_has_no_finding_comes_through_on_any_board(self):
        """Boards, blanks, places and zeros by lot: without hazard or error no program of either side stops."""
        lot, clean = random.Random(20), 0
        for kind in ("on-pins", "in-a-frame") * draws(1, 5):
            job = ring(kind)
            edits = [
                (("machines", 0, "fixtures", 2, "length"), lot.choice((400.0, 440.0, 560.0))),
                (("machines", 0, "fixtures", 2, "width"), lot.choice((300.0, 360.0, 390.0))),
                (("stock", "measured", "y"), job.stock.measured.y + lot.choice((-6.0, 0.0, 20.0))),
                (("setups", 0, "hold", "x"), lot.choice((0.0, -14.0))),
                (("setups", 0, "datum", "x", "shift"), lot.choice((0.0, -20.0))),
                (("setups", 0, "datum", "z", "source"), lot.choice(("parallels", "stock top"))),
                (("setups", 1, "probing", "guess"), lot.choice((1.0, 4.0))),
            ]
            plan = ring_with(kind, *edits)
            if any(finding.severity in ("hazard", "error") for finding in findings_of(plan)):
                continue
            clean += 1
            result = rehearsed(plan, 3)
            self.assertEqual(result.alarms, (), edits)
        self.assertGreater(clean, draws(0, 4))


class WayTest(unittest.TestCase):
    def test_ways_are_read_off_the_setups(self):
        self.assertEqual(turns_of(ring_plan("on-pins"))[0].way, "dowel pins")
        self.assertEqual(turns_of(ring_plan("in-a-frame"))[0].way, "interlocking frame")
        self.assertEqual(turns_of(demo_plan())[0].way, "probed feature")
        jaw = {axis: AxisDatum(source=source) for axis, source in (("x", "stock minus side"), ("y", "fixed jaw"))}
        plan = plan_with(*((("setups", 1, "datum", axis), datum) for axis, datum in jaw.items()))
        self.assertEqual(turns_of(plan)[0].way, "jaw and stop")

    def test_scene_says_what_registers(self):
        details = [scene.detail for scene in scenes_of(ring_plan("on-pins")) if scene.kind == "turn"]
        self.assertEqual(details, ["registered by dowel pins"])


class ErrorTest(unittest.TestCase):
    """Touches of 0.003, machine 0.004, clamping 0.010, length within 0.8."""

    PROBE = (("machines", 0, "probe", "repeatability"), 0.003)

    def pair(self, axis, *edits):
        return off_its_zero(plan_with(self.PROBE, *edits), 1, axis)

    def test_by_the_bore(self):
        """0.003 / sqrt 2 = 0.0021 and 0.004: 0.0045, so 0.009 at 95 %."""
        self.assertAlmostEqual(self.pair("x").expanded, 0.0090, delta=0.0001)

    def test_by_the_jaw(self):
        """0.010, 0.003 and three cuts of 0.004: 0.0125, so 0.025, and what lying askew adds so far from the jaw."""
        datum = AxisDatum(source="fixed jaw")
        pair = self.pair("y", (("stock", "varies", "y"), 0.0), (("setups", 1, "datum", "y"), datum))
        skew = sum(each.u**2 for each in pair.enters if each.source.kind == "skew")
        self.assertAlmostEqual(math.sqrt(pair.u**2 - skew), 0.0125, delta=0.0001)
        self.assertAlmostEqual(2.0 * math.sqrt(pair.u**2 - skew), 0.025, delta=0.0003)

    def test_by_the_saw_cut_other_end(self):
        """Length 0.8 either way, taken as even: 0.462 standard, 0.92 at k = 2; the same end leaves it out."""
        left, right = AxisDatum(source="stock minus side"), AxisDatum(source="stock plus side")
        first = (("setups", 0, "datum", "x"), left)
        # Nothing is cut from the ends, so they are raw still.
        raw = (("setups", 0, "operations"), ())
        same = self.pair("x", first, raw, (("setups", 1, "datum", "x"), left))
        other = self.pair("x", first, raw, (("setups", 1, "datum", "x"), right))
        # A touch and a cut on either side.
        by_hand = math.hypot(0.8 / math.sqrt(3), 0.003, 0.003, 0.004, 0.004)
        self.assertAlmostEqual(other.u, by_hand, delta=1e-4)
        self.assertAlmostEqual(other.expanded, 0.92, delta=0.005)
        self.assertLess(same.expanded, 0.02)

    def test_play_enters_at_the_farthest_feature(self):
        turn = turns_of(ring_plan("on-pins"))[0]
        self.assertEqual(turn.farthest.name, "upper mark 1")
        # Pins at -144 twice and 144: their middle is X -48, the mark at X 97.5.
        self.assertAlmostEqual(turn.farthest.arm, 97.5 + 48.0)
        spacing = math.hypot(288.0, 60.0)
        # The pair farthest apart alone would let it turn by so much; the third pin takes a little of that.
        self.assertLess(turn.play.turn_rad, 0.04 / spacing)
        self.assertGreater(turn.play.turn_rad, 0.95 * 0.04 / spacing)
        wide = turns_of(ring_with("on-pins", ((*PINS, "clearance"), 0.08)))[0]
        self.assertAlmostEqual(wide.play_at_farthest, 2.0 * turn.play_at_farthest, places=6)


class OldFilesTest(unittest.TestCase):
    def test_rings_need_no_model(self):
        self.assertIsNotNone(make_plan(ring("on-pins"), Models()).finished)
