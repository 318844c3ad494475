"""What is typed at a control that sets or adds; corrections after the hover check; a rough offset by eye."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.frames import AXES
from ledgecliff.core.quantities import spell
from ledgecliff.core.touchoff.draft import draft_for, readings_of, tools_of, with_method, with_picked, with_tool
from ledgecliff.core.touchoff.hand_tape import hand_results
from ledgecliff.core.touchoff.readings import Before
from ledgecliff.core.touchoff.surfaces import rounds_of, surfaces_of
from ledgecliff.core.touchoff.typing_in import correcting_lines, corrections_of, lines_to_type, touched_lines
from tests.draws import draws
from tests.helpers import demo_plan, plan_with
from tests.rehearsals import rehearsed

HELD = {"x": -240.0, "y": -180.0, "z": -456.0}


def spelled(lines, unit="mm"):
    return [spell(line, unit) for line in lines]


def machine(entry):
    return plan_with((("machines", 0, "offset_entry"), entry)).job.machine


class LinesTest(unittest.TestCase):
    def test_by_hand(self):
        wanted = {"x": -239.25, "z": -456.0}
        self.assertEqual(spelled(lines_to_type("sets", "G55", HELD, wanted)), ["G55 X: type −239.250"])
        self.assertEqual(
            spelled(lines_to_type("adds", "G55", HELD, wanted)),
            ["G55 X: type +0.750, so that −240.000 becomes −239.250"],
        )
        self.assertEqual(spelled(lines_to_type("adds", "G55", {}, {"y": 1.0}))[0][-16:], "then type +1.000")
        self.assertIn("try it with a code that is free", lines_to_type("not said", "G55", HELD, wanted)[0])
        self.assertIn("nothing is to be typed", lines_to_type("sets", "G55", HELD, HELD)[0])
        self.assertEqual(spelled(lines_to_type("sets", "G55", {}, {"x": -25.4}), "in"), ["G55 X: type −1.0000"])

    def test_whichever_way_the_control_ends_at_the_same(self):
        """Done as it says, at a control of either kind: what stands there is what was wanted."""
        rng = np.random.default_rng(5)
        for _ in range(draws(40, 400)):
            now = {axis: round(float(rng.uniform(-500, 0)), 3) for axis in AXES}
            wanted = {axis: round(float(rng.uniform(-500, 0)), 3) for axis in AXES}
            for entry in ("sets", "adds"):
                for line in spelled(lines_to_type(entry, "G54", now, wanted)):
                    axis = line.split()[1][0].lower()
                    typed = float(line.split("type ")[1].split(",")[0].replace("−", "-"))
                    stands = typed if entry == "sets" else now[axis] + typed
                    self.assertAlmostEqual(stands, wanted[axis], places=3)


class CorrectionTest(unittest.TestCase):
    def test_the_room_that_the_hover_check_leaves_goes_out_of_z(self):
        """On the simulated machine: a height that was set wrong, its hover check, and the correction: it is right."""
        for off in (0.35, -0.2, 1.4):
            setup = demo_plan().setups[0]
            result = rehearsed(demo_plan(), 4).setups[0]
            # As the check stops over the block with a zero that is off by so much more.
            draft = draft_for(setup).model_copy(update={"hover_room": result.hover_gap + off})
            self.assertAlmostEqual(corrections_of(setup, draft)["z"], -result.hover_gap - off)
            right = result.found[2] + off + corrections_of(setup, draft)["z"]
            self.assertAlmostEqual(right, result.true[2], delta=0.003)

    def test_the_gap_that_was_wanted_is_none(self):
        plan = plan_with((("setups", 0, "hover", "gap"), 0.5))
        draft = draft_for(plan.setups[0]).model_copy(update={"hover_room": 0.5})
        self.assertEqual(correcting_lines(machine("sets"), plan.setups[0], draft, {}), ())

    def test_lines_from_what_was_found_or_held(self):
        setup = demo_plan().setups[1]
        draft = draft_for(setup, Before(**HELD)).model_copy(update={"correct": Before(x=0.02, z=-0.1)})
        self.assertEqual(
            spelled(correcting_lines(machine("sets"), setup, draft, {})),
            ["G55 X: type −239.980", "G55 Z: type −456.100"],
        )
        self.assertEqual(
            spelled(correcting_lines(machine("adds"), setup, draft, {})), ["G55 X: type +0.020", "G55 Z: type −0.100"]
        )
        self.assertIn("is not known", correcting_lines(machine("sets"), setup, draft_for(setup).model_copy(
            update={"correct": Before(x=0.02)}), {})[0])  # fmt: skip


class ByEyeTest(unittest.TestCase):
    """Whatever is in the spindle stands here, about so far above this."""

    def test_over_and_above_anything_with_any_tool(self):
        """At places worked out from the plan: the offset that follows is the plan's own."""
        for plan in (demo_plan(), plan_with((("machines", 0, "lengths_from"), "reference plane"),
                                            (("machines", 0, "reference_z"), -310.0))):  # fmt: skip
            for setup in plan.setups:
                m_offset = setup.located.m_offset
                things = [*surfaces_of(setup), *rounds_of(setup)]
                for tool in tools_of(setup.machine):
                    for thing in things:
                        draft = draft_for(setup)
                        for axis in ("x", "y"):
                            draft = with_method(setup, draft, axis, "over it, by eye")
                        draft = with_method(setup, draft, "z", "above it, by eye")
                        draft = with_picked(setup, with_tool(draft, "z", tool), thing.source)
                        for k, axis in enumerate(AXES):
                            each, reads = draft.axis(axis), draft.axis(axis).should_read
                            shows = m_offset[k] + reads + (10.0 + tool.length if axis == "z" else 0.0)
                            each = each.model_copy(update={"reading": shows})
                            self.assertIn("by eye", each.method)
                            draft = draft.model_copy(update={axis: each})
                        found = [result.offset for result in hand_results(readings_of(draft))]
                        np.testing.assert_allclose(found, setup.planned_offset, atol=1e-6)

    def test_it_must_read_what_it_stands_over(self):
        setup = demo_plan().setups[1]
        bore = next(thing for thing in rounds_of(setup) if thing.name == "bolt hole SW")
        draft = with_method(setup, draft_for(setup), "x", "over it, by eye")
        picked = with_picked(setup, draft, bore.source)
        self.assertEqual((picked.x.surface, picked.x.method), ("bolt hole SW", "over it, by eye"))
        self.assertAlmostEqual(picked.x.should_read, bore.centre[0])

    def test_the_lines_follow(self):
        setup = demo_plan().setups[1]
        draft = with_method(setup, draft_for(setup, Before(**HELD)), "x", "over it, by eye")
        draft = draft.model_copy(update={"x": draft.x.model_copy(update={"reading": -238.5})})
        results = {result.axis: result for result in hand_results(readings_of(draft))}
        self.assertEqual(spelled(touched_lines(machine("sets"), draft, results)), ["G55 X: type −238.500"])
        self.assertEqual(
            spelled(touched_lines(machine("adds"), draft, results)),
            ["G55 X: type +1.500, so that −240.000 becomes −238.500"],
        )


if __name__ == "__main__":
    unittest.main()
