"""Bores for pins and frame slots, run by the simulated control with a true cutter over what is clamped there."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.blanks import transformed
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.turn_jobs import registration_programs, ring_plan, ring_with


def run(plan, text, *, blank=True):
    """The program over the first setup as planned, with the blank or on the bare board: how it ended, and where its
    feed moves went in the WCS."""
    setup = plan.setups[0]
    shift = setup.located.tf_m_u.shift
    stock = transformed(setup.before.solid, setup.setup.orientation.matrix(), shift)
    bodies = [Body("part", stock, cuttable=True)] if blank else []
    for block in setup.holding.blocks:
        solid = block.solid().translate(tuple(shift))
        bodies.append(Body(block.name, solid, cuttable=block.name == "spoilboard"))
    offsets = {code.number: setup.located.m_offset.copy() for code in plan.job.machine.offsets}
    machine = SimulatedMachine(plan.job.machine, bodies, offsets, quiet())
    outcome = Control(machine).run(text)
    length = np.array([0.0, 0.0, plan.job.machine.cutter(machine.tool).length])
    ends = [np.array(m.end) - setup.located.m_offset - length for m in machine.motions if m.kind == "feed"]
    return outcome, np.array(ends)


class OnTheMachineTest(unittest.TestCase):
    def test_bores_go_in_beside_the_clamps_where_the_pins_stand(self):
        plan = ring_plan("on-pins")
        for name, text in registration_programs(plan).items():
            with self.subTest(name):
                outcome, ends = run(plan, text, blank=name.endswith("blank"))
                self.assertEqual(outcome.alarm, "")
                lowest = ends[ends[:, 2] < ends[:, 2].min() + 0.01]
                for x, y in ((-144, 60), (-144, -60), (144, 0)):
                    reach = np.hypot(lowest[:, 0] - x, lowest[:, 1] - y)
                    self.assertLess(reach.min(), 1.1, "the cutter of 8 goes round in a bore of 10")

    def test_the_frames_contour_runs_through(self):
        for unit in ("mm", "in"):
            plan = ring_with("in-a-frame", (("machines", 0, "program_units"), unit))
            (text,) = (text for name, text in registration_programs(plan).items() if name.endswith("frame"))
            outcome, ends = run(plan, text)
            self.assertEqual(outcome.alarm, "")
            self.assertGreater(len(ends), 200, "arcs run as chords")

    def test_a_clamp_in_the_way_of_a_bore_is_hit(self):
        """The same bores with a clamp where one of them goes in: a turning cutter may cut stock, never a clamp."""
        plan = ring_plan("on-pins")
        (name, text), *_ = registration_programs(plan).items()
        self.assertIn("pins", name)
        _, ends = run(plan, text)
        x, y, _ = ends[np.argmin(ends[:, 2])]
        setup = plan.setups[0]
        post = box((x - 3, y - 3, -50.0), (x + 3, y + 3, 40.0)).translate(tuple(setup.located.m_offset))
        offsets = {code.number: setup.located.m_offset.copy() for code in plan.job.machine.offsets}
        machine = SimulatedMachine(plan.job.machine, [Body("clamp", post)], offsets, quiet())
        self.assertIn("collision: the tip met the clamp", Control(machine).run(text).alarm)
