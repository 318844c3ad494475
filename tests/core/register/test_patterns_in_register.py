"""Offsets of patterns in the register: given out, kept apart from each other's and from other jobs', and checked."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import RegisterError
from ledgecliff.core.many_parts.planned_offsets import planned_entries, planned_offsets_program
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.register.allocation import allocate, allocated, claims, use_of
from ledgecliff.core.register.checks import check_offsets
from ledgecliff.core.register.entries import Entry, Use, Value, with_value
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.helpers import shipped_plan

JOB = shipped_plan("rack-shoes").job
MACHINE = JOB.machine
OTHER = Use(job="another", setup="Op 10", job_id="f" * 12, setup_id="a" * 12)


def register(**taken):
    """Every code of the machine, some of them with what they hold."""
    return [taken.get(code.code.replace(" ", "_").replace(".", "_"), Entry(code.code)) for code in codes_of(MACHINE)]


class GivenOutTest(unittest.TestCase):
    def test_as_planned_where_nobody_else_has_it(self):
        given = allocate(JOB, register())
        self.assertEqual([each.code for each in given], ["G54", "G55", "G54.1 P1", "G54.1 P2", "G54.1 P3", "G54.1 P4"])
        self.assertFalse(any(each.changes for each in given))
        self.assertEqual(given[3].use.words(), "Rack shoes · Op 20 · instance 3")

    def test_others_and_what_stays_are_left_alone(self):
        """The resident plate's own code goes to what stands on it."""
        taken = {
            "G54_1_P2": Entry("G54.1 P2", use=OTHER), "G54_1_P5": Entry("G54.1 P5", resident="long vise"),
            "G58": Entry("G58", resident="plate of five"),
        }  # fmt: skip
        given = {each.key: each.code for each in allocate(JOB, register(**taken)) if each.setup == 1}
        self.assertEqual(len(set(given.values())), 5)
        self.assertFalse({"G54.1 P2", "G54.1 P5"} & set(given.values()))
        self.assertIn("G58", given.values())
        job = allocated(JOB, allocate(JOB, register(**taken)))
        plan = make_plan(job, shipped_plan("rack-shoes").models)
        self.assertEqual({each.key: each.offset for each in plan.instances(1)}, {"1-1": given[""]} | {
            key: code for key, code in given.items() if key})  # fmt: skip

    def test_claimed_once_each_and_found_again(self):
        entries = register()
        written = {entry.code: entry for entry in claims(entries, allocate(JOB, entries))}
        self.assertEqual(len(written), 6)
        now = [written.get(entry.code, entry) for entry in entries]
        self.assertEqual([each.why for each in allocate(JOB, now)], ["has it already"] * 6)
        # Numbered otherwise, each instance still has its own.
        renamed = set_value(JOB, ("setups", 1, "pattern", "numbering", "first"), 40)
        self.assertEqual([each.why for each in allocate(renamed, now)], ["has it already"] * 6)
        again = claims(now, allocate(renamed, now))
        self.assertEqual([(each.code, each.use.instance) for each in again][:1], [("G54.1 P1", "instance 41")])

    def test_too_few(self):
        few = set_value(JOB, ("machines", 0, "extended"), {"count": 1})
        with self.assertRaises(RegisterError):
            allocate(few, [Entry(code) for code in ("G54", "G55", "G56", "G54.1 P1")])


class CheckedTest(unittest.TestCase):
    def found(self, job=JOB, **taken):
        return [(each.code, each.about) for each in check_offsets(job, register(**taken))]

    def test_taken_by_another_job(self):
        self.assertEqual(self.found(), [])
        self.assertEqual(self.found(G54_1_P2=Entry("G54.1 P2", use=OTHER)), [("OFFSET_TAKEN", "3-1")])

    def test_a_value_is_stale_once_its_station_has_moved(self):
        use = use_of(JOB, JOB.setups[1], "3-1")
        entry = with_value(Entry("G54.1 P2", use=use), Value(1, 2, 3), "touches")
        self.assertEqual(self.found(G54_1_P2=entry), [])
        wider = set_value(JOB, ("setups", 1, "pattern", "layout", "column_pitch"), 75.0)
        self.assertEqual(self.found(wider, G54_1_P2=entry), [("OFFSET_STALE", "3-1")])
        # Another one's shift is nothing to it; its own is.
        for place, stale in (("2-1", False), ("3-1", True)):
            shifted = set_value(JOB, ("setups", 1, "pattern", "instances"), [
                {"place": place, "shift": {"x": 0.1, "y": 0.0, "z": 0.0}},
            ])  # fmt: skip
            self.assertEqual(bool(self.found(shifted, G54_1_P2=entry)), stale, place)


class LoadedTest(unittest.TestCase):
    def test_the_control_then_holds_what_is_planned_and_the_other_program_sees_it(self):
        for unit in ("mm", "in"):
            job = set_value(JOB, ("machines", 0, "program_units"), unit)
            plan = make_plan(job, shipped_plan("rack-shoes").models)
            machine = plan.setups[0].machine
            unit_machine = SimulatedMachine(machine, [], {code.key: np.zeros(3) for code in codes_of(machine)}, quiet())
            control = Control(unit_machine, dialect_of(machine))
            self.assertFalse(control.run(planned_offsets_program(plan, machine, verify=False)).alarm)
            for each in plan.instances(1):
                key = next(code.key for code in codes_of(machine) if code.code == each.offset)
                for found, wanted in zip(unit_machine.offsets[key], each.m_zero, strict=True):
                    self.assertAlmostEqual(found, wanted, places=3)
            verify = planned_offsets_program(plan, machine, verify=True)
            self.assertFalse(control.run(verify).alarm)
            unit_machine.offsets[1003][1] += 0.02
            self.assertIn("G54.1 P3 Y is not", control.run(verify).alarm)

    def test_each_offset_once_with_whose_it_is(self):
        entries = planned_entries(shipped_plan("rack-shoes"), MACHINE)
        self.assertEqual([entry.code for entry in entries][:3], ["G54", "G55", "G54.1 P1"])
        self.assertEqual(entries[0].label, "Op 10")
        self.assertEqual(entries[2].label, "Op 20, instance 2")
