"""Round features touched at chosen angles: the program's circle against a true one, and what angles are worth."""

from __future__ import annotations

import math
import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.probing.fits import fit_circle
from ledgecliff.core.probing.spokes import spoke_factors
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.released import probing_texts
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.core.reading_back.test_cycles import job_with
from tests.jobs import plan_of

#: Facets so short that they lie less than a ten-thousandth off the true round.
FACETS = 3000


def angled(*angles, kind="bore", **changes):
    return ProbeCycle(name=kind, kind=kind, on="feature", feature=kind, angles_deg=angles, **changes)


class CircleOnTheMachineTest(unittest.TestCase):
    def found(self, cycle, off, **job_changes):
        """X, Y and the size that the program finds with the round ``off`` (2,) from where the plan has it (mm)."""
        plan = plan_of(job_with(cycle, guess=0.8, **job_changes))
        probed, machine = plan.setups[1], plan.job.machine
        self.assertEqual(probed.probing.problems, ())
        (step,) = probed.probing.steps
        x, y = np.add(step.w_centre, off) + probed.located.m_offset[:2]
        top = float(probed.located.m_offset[2])
        round_ = manifold3d.Manifold.cylinder(40, step.size / 2, step.size / 2, FACETS).translate((x, y, top - 20))
        stock = box((x - 60, y - 60, top - 30), (x + 60, y + 60, top if step.inside else top - 12))
        body = Body("part", stock - round_ if step.inside else stock + round_.trim_by_plane((0, 0, -1), -top))
        offsets = {code.key: probed.located.m_offset.copy() for code in codes_of(machine)}
        unit = SimulatedMachine(machine, [body], offsets, quiet())
        (text,) = probing_texts(plan, 1)
        outcome = Control(unit, dialect_of(machine)).run(text.text)
        self.assertEqual(outcome.alarm, "")
        per_unit = 25.4 if machine.program_units == "in" else 1.0
        x, y, size = (outcome.parameters[500 + k] * per_unit for k in range(3))
        return np.array([x, y]) - step.w_centre - off, size - step.size

    def test_long_and_short_arcs_alike(self):
        """The same answer all round and over 60 degrees, though the round lies 0.7 and -0.6 off."""
        for angles in (
            (0, 30, 60), (200, 225, 260), (0, 120, 240), (0, 90, 180), (10, 75, 160, 200, 290), (0, 20, 40, 60, 80),
        ):  # fmt: skip
            for profile, units in (("parameter style", "mm"), ("numbered-variable skip style", "in")):
                with self.subTest(angles=angles, units=units):
                    off, size = self.found(
                        angled(*angles), np.array([0.7, -0.6]), profile=profile, program_units=units
                    )  # fmt: skip
                    allowed = 0.0004 * max(spoke_factors(angles))
                    np.testing.assert_allclose(off, 0.0, atol=allowed)
                    self.assertAlmostEqual(size, 0.0, delta=2.0 * allowed)

    def test_a_boss_over_a_short_arc(self):
        off, size = self.found(angled(60, 90, 130, kind="boss"), np.array([-0.5, 0.7]))
        np.testing.assert_allclose(off, 0.0, atol=0.003)
        self.assertAlmostEqual(size, 0.0, delta=0.006)


class AnglesTest(unittest.TestCase):
    def codes(self, *angles):
        return {problem.code for problem in plan_of(job_with(angled(*angles))).setups[1].probing.problems}

    def test_equal_and_nearly_equal_angles_give_no_centre(self):
        for angles in ((0, 0, 90), (0, 180, 360), (-90, 270, 10), (0, 0.4, 90, 90.3), (30, 34, 38)):
            self.assertIn("ANGLES_GIVE_NO_CENTRE", self.codes(*angles), angles)
        for angles in ((0, 90, 180), (0, 30, 60), (0, 0, 90, 180), (90, 210, 330)):
            self.assertNotIn("ANGLES_GIVE_NO_CENTRE", self.codes(*angles), angles)

    def test_a_program_can_still_be_written_and_stops(self):
        """What the finding warns of does not end in a wrong centre: the control cannot divide by nought."""
        plan = plan_of(job_with(angled(0, 0, 90)))
        self.assertTrue(read_back(plan, 1).differences)
        self.assertEqual(plan.setups[1].probing.steps[0].knowledge_after[0].state, "guessed")

    def test_what_is_told_of_the_centre_covers_its_scatter(self):
        """Touches that scatter by 0.001, 400 times: the centre scatters as told, all round and over an arc."""
        rng = np.random.default_rng(4)
        for angles in ((0, 120, 240), (0, 30, 60), (0, 25, 50, 75, 100)):
            way = np.radians(angles)
            spokes = np.column_stack([np.cos(way), np.sin(way)])
            centres = [
                fit_circle(spokes * (10.0 + rng.normal(0.0, 0.001, (len(angles), 1)))).centre for _ in range(400)
            ]  # fmt: skip
            np.testing.assert_allclose(np.std(centres, axis=0), 0.001 * np.array(spoke_factors(angles)[:2]), rtol=0.15)
        probing = plan_of(job_with(angled(0, 30, 60))).setups[1].probing
        u = plan_of(job_with(angled(0, 30, 60))).job.machine.probe.repeatability
        told = [known.uncertainty for known in probing.steps[0].knowledge_after[:2]]
        np.testing.assert_allclose(told, 2.0 * u * np.array(spoke_factors((0.0, 30.0, 60.0))[:2]))
        self.assertGreater(max(told) / (2.0 * u), 5.0)
        self.assertTrue(math.isinf(spoke_factors((0.0, 0.0, 90.0))[0]))
