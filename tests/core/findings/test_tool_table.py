"""The tool table's own findings, each made to fire and not to fire; and what the control makes of its columns."""

from __future__ import annotations

import re
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.measuring.measured import measure
from ledgecliff.core.plan import make_plan
from ledgecliff.core.register.entries import Entry, Use, Value
from ledgecliff.core.register.entry_tape import entry_tape
from ledgecliff.core.register.measured_value import by_touches, kept_measurement
from ledgecliff.core.rehearsal.recorded import recorded
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.tape.probing import rehearsed_tape
from ledgecliff.core.tape.scenes import datum_tape
from ledgecliff.core.tape_lines import tape_text
from tests.helpers import changed, demo, fixed, models
from tests.rehearsals import rehearsed

TOOLS = [cutter.tool for cutter in demo().machine.cutters]
USED = demo().setups[0].operations[0].tool


def with_column(tool, field, value):
    return changed((("machines", 0, "cutters", TOOLS.index(tool), field), value))


def found(job):
    return {finding.code: finding for finding in findings_of(make_plan(job, models()))}


class ColumnsTest(unittest.TestCase):
    def test_each_fires_for_a_tool_that_is_called_and_not_for_another(self):
        spare = max(TOOLS) + 1
        for code, field, bad, good in (
            ("TOOL_NOT_SET", "is_set", False, True),
            ("COMPENSATION_LEFT", "compensation", 0.2, 0.0),
            ("WEAR_TOO_LARGE", "length_wear", -0.6, -0.4),
        ):
            with self.subTest(code):
                self.assertIn(code, found(with_column(USED, field, bad)))
                self.assertNotIn(code, found(with_column(USED, field, good)))
                other = demo().machine.cutters[0].model_copy(update={"tool": spare, field: bad})
                cutters = (*demo().machine.cutters, other)
                self.assertNotIn(code, found(changed((("machines", 0, "cutters"), cutters))))

    def test_the_fix_mends(self):
        for field, bad, code in (("is_set", False, "TOOL_NOT_SET"), ("compensation", 0.2, "COMPENSATION_LEFT")):
            job = with_column(USED, field, bad)
            self.assertTrue(found(job)[code].fixes[0].promise, "only hands can clear a table or set a tool")
            self.assertNotIn(code, found(fixed(job, found(job)[code])))


class LengthTest(unittest.TestCase):
    def height(self, machine, text, offset_z):
        unit = SimulatedMachine(machine, [], {1: np.array((-500.0, -200.0, offset_z))}, quiet())
        Control(unit).run("G21 G90 G54 G17 G94\n" + text + "\nM2")
        return unit.position[2], unit

    def test_wear_is_added_to_length(self):
        cutter = demo().machine.cutters[0]
        for wear in (0.0, -0.15):
            machine = with_column(cutter.tool, "length_wear", wear).machine
            z, _ = self.height(machine, f"T{cutter.tool} M6\nG43 H{cutter.tool}\nG0 Z10", -400.0)
            self.assertAlmostEqual(z, -400.0 + 10.0 + cutter.length + wear)

    def test_counted_from_a_reference_plane_offsets_are_less_by_where_it_stands(self):
        """The plane stands at -350.  The table shows an offset of -400 (gauge line) as -50, and takes -50 for it."""
        machine = changed(
            (("machines", 0, "lengths_from"), "reference plane"), (("machines", 0, "reference_z"), -350.0)
        ).machine
        _, unit = self.height(machine, "#1 = #5223\n#2 = #5221\nG10 L2 P1 Z[#5223 + 1]", -400.0)
        self.assertAlmostEqual(unit.offsets[1][2], -399.0)
        _, unit = self.height(machine, "G10 L2 P1 Z-60", -400.0)
        self.assertAlmostEqual(unit.offsets[1][2], -410.0)

    def test_tapes_and_records_show_what_the_controls_table_shows(self):
        """The plane at -350: every Z of an offset is 350 more than from the gauge line; what is measured stays."""
        shown = []
        for lengths, less in (("gauge line", 0.0), ("reference plane", -350.0)):
            job = changed((("machines", 0, "lengths_from"), lengths), (("machines", 0, "reference_z"), -350.0))
            plan = make_plan(job, models())
            setup = plan.setups[0]
            result = rehearsed(plan, 5).setups[0]
            totals = [line.mm for line in datum_tape(setup).lines if line.kind == "total"]
            np.testing.assert_allclose(totals, setup.located.m_offset - (0.0, 0.0, less))
            tape = rehearsed_tape(setup, result, job.machine.probe, 5)
            np.testing.assert_allclose(
                [line.mm for line in tape.lines if line.kind == "total"], result.found - (0.0, 0.0, less), atol=2e-4
            )
            touches = recorded(setup, result)
            self.assertAlmostEqual(touches.wcs.z, result.found[2] - less)
            measured = measure(setup, touches)
            entry = kept_measurement(by_touches(measured), Entry("G54"), Use("j", "Op 10"), (), confirmed=True)
            self.assertAlmostEqual(entry.value.z, touches.wcs.z)
            self.in_both_units(entry, measured)
            shown.append([step.found for step in measured.steps])
        self.assertEqual([list(found) for found in shown[0]], [list(found) for found in shown[1]])
        for one, other in zip(*shown, strict=True):
            for key, value in one.items():
                self.assertAlmostEqual(value, other[key], places=6)

    def in_both_units(self, entry, measured):
        """What was found stands on the register's tape in millimetres and inches, one 25.4 times the other."""
        told = [tape_text(entry_tape(entry), unit) for unit in ("mm", "in")]
        for step in measured.steps:
            for quantity in step.step.finds:
                label = re.escape(f"{step.step.title}: {quantity.words}")
                mm, inch = (float(re.search(label + r" *([+−][\d.]+)", text)[1].replace("−", "-")) for text in told)
                self.assertAlmostEqual(mm, step.found[quantity.key], places=3)
                self.assertAlmostEqual(inch * 25.4, step.found[quantity.key], delta=0.0013)

    def test_touches_of_an_older_register_say_that_they_are_in_millimetres(self):
        lines = ("8 touches", "edge: corner in X +12.3456", "edge: turned about Z -0.1000", "X: radius, + −5.000")
        old = replace(Entry("G54", value=Value(1.0, 2.0, 3.0)), origin="touches", lines=lines)
        text = tape_text(entry_tape(old), "in")
        self.assertIn("corner in X +12.3456 mm\n", text)
        self.assertIn("turned about Z -0.1000°\n", text)
        self.assertIn("8 touches\n", text)
        self.assertIn("radius, + −5.000 mm\n", text)

    def test_a_rehearsal_comes_out_the_same_with_either_convention(self):
        results = []
        for lengths in ("gauge line", "reference plane"):
            job = changed((("machines", 0, "lengths_from"), lengths), (("machines", 0, "reference_z"), -350.0))
            plan = make_plan(job, models())
            run = rehearsed(plan, 5)
            self.assertEqual(run.alarms, ())
            results.append([(setup.found.tolist(), setup.hover_gap) for setup in run.setups])
        np.testing.assert_allclose(results[0][0][0], results[1][0][0], atol=1e-9)
        self.assertAlmostEqual(results[0][1][1], results[1][1][1])
