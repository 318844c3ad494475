"""One list of work offsets, in the spelling the machine states: settings, allocation, programs, readers, simulation."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.control_offsets import standard_said, with_extended, with_standard
from ledgecliff.core.edits.setups import copy_setup
from ledgecliff.core.errors import InvalidValueError, PlanError, ProgramError, RegisterError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.work_offsets import OTHER_MEANINGS, ExtendedOffsets, code_of, codes_of
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.released import probing_texts
from ledgecliff.core.programs.targets import free_code
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.register.allocation import allocate, allocated
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.simulator.modal import GROUPS
from ledgecliff.core.toolpaths.checks import check_program
from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL, control_words
from ledgecliff.core.toolpaths.reading import read_toolpath
from tests.helpers import demo, models

SPELLINGS = (
    {"count": 48, "word": "G54.1", "level": 20, "first_parameter": 7001},
    {"count": 99, "word": "G154", "level": 20, "first_parameter": 14001},
    {"count": 6, "word": "G540", "level": 18, "first_parameter": 9001},
)


def job_with(extended, profile="numbered-variable skip style", **more):
    job = set_value(demo(), ("machines", 0, "profile"), profile)
    for name, value in more.items():
        job = set_value(job, ("machines", 0, name), value)
    return set_value(job, ("machines", 0, "extended"), None if extended is None else ExtendedOffsets(**extended))


def errors_of(job):
    return [f for f in findings_of(make_plan(job, models())) if f.code == "OFFSET_UNKNOWN"]


class SettingsTest(unittest.TestCase):
    def test_what_a_control_may_state(self):
        for text in ("G54, G55", "G154 P1, G154 P2", "G505 = 3, G506 = 4", "g54, g54.1 p0 = 5"):
            job = with_standard(job_with(None), 0, text)
            self.assertEqual(with_standard(job, 0, standard_said(job.machine.offsets)), job, text)
        machine = with_standard(job_with(None), 0, "g154p1 = 7").machine
        self.assertEqual((code_of(machine, " G154 P1").number, code_of(machine, "G154")), (7, None))

    def test_what_it_may_not(self):
        """A word that does something else, one that would be called or written or kept as another, nonsense."""
        for text, why in (
            ("G81", "does something else"), ("G10 P2", "does something else"), ("G54, G54 = 2", "called by G54"),
            ("G54, G55 = 1", "written by G10 L2 P1"), ("G54 P1, G54 = 2", "alone selects another"),
            ("G54.12", "cannot be one"), ("G54; G55", "is no work offset"), ("", "is no work offset"),
            ("G54 P1000", "cannot be one"), ("X5", "is no work offset"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why, msg=text):
                with_standard(job_with(None), 0, text)
        for field, value, why in (
            ("word", "G80", "does something else"), ("first_parameter", 5230, "share the parameters"),
            ("level", 2, "greater than or equal to 3"), ("count", 301, "300"), ("word", "G54", "alone selects another"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why, msg=value):
                with_extended(job_with(SPELLINGS[0]), 0, field, value)
        with self.assertRaisesRegex(InvalidValueError, "say first how many"):
            with_extended(job_with(None), 0, "word", "G154")
        job = with_extended(job_with(None), 0, "count", 12)
        self.assertEqual(with_extended(job, 0, "word", " g154 ").machine.extended.word, "G154")
        self.assertIsNone(with_extended(job, 0, "count", 0).machine.extended)

    def test_words_with_another_meaning_are_those_that_controls_have(self):
        self.assertEqual(OTHER_MEANINGS, set(GROUPS) - {0, 10, 20, 30, 40, 51, 80, 90})


class SpelledTest(unittest.TestCase):
    """Each spelling the whole way: allocated, checked, written, read back, read in a toolpath."""

    def test_an_allocated_code_is_known_everywhere(self):
        for extended in SPELLINGS:
            for units in ("mm", "in"):
                with self.subTest(extended["word"], units=units):
                    self.assert_known(job_with(extended, program_units=units))

    def assert_known(self, job):
        more = [code for code in codes_of(job.machine) if code.level != 2]
        job = allocated(job, allocate(job, [Entry(code.code) for code in more[3:]]))
        self.assertEqual([setup.offset for setup in job.setups], [more[3].code, more[4].code])
        self.assertEqual(errors_of(job), [])
        plan = make_plan(job, models())
        for k, code in enumerate(more[3:5]):
            text = probing_texts(plan, k)[0].text
            self.assertIn(f"\n{code.code}\n", text)
            self.assertIn(f"G10 L{code.level} P{code.number} ", text)
            self.assertEqual(read_back(plan, k).differences, ())
        read = read_toolpath([f"G21 G90 G17\n{more[3].code}\nG0 X5\n".encode()], control=control_words(job.machine))
        self.assertEqual([*read.offsets], [more[3].code])
        self.assertNotIn("OFFSET_UNKNOWN", [d.code for d in check_program(read, plan)])

    def test_a_selected_offset_is_what_moves_are_in(self):
        machine = job_with(SPELLINGS[1]).machine
        for text, x in (
            ("G154 P3\nG0 X10", -290.0),
            ("g154p3\nG0 X10", -290.0),
            ("G55\nG154 P3\nG10 L20 P3 X-410\nG0 X10", -400.0),
            ("G154 P3\n#14041 = -420\nG0 X10", -410.0),
        ):
            offsets = {code.key: np.zeros(3) for code in codes_of(machine)} | {1003: np.array((-300.0, 0.0, -50.0))}
            unit = SimulatedMachine(machine, [], offsets, quiet())
            outcome = Control(unit, dialect_of(machine)).run(f"G21 G90 G17 G94\n{text}\nM30")
            self.assertEqual((outcome.alarm, unit.position[0]), ("", x), text)

    def test_what_the_control_refuses(self):
        machine = job_with(SPELLINGS[1]).machine
        offsets = {code.key: np.zeros(3) for code in codes_of(machine)}
        for text, why in (
            ("G154", "by its number in P"), ("G154 P100", "G154 P100: this machine has no such"),
            ("G54 P3", "nothing in this block uses the word P3"), ("G54.1 P3", "not supported"),
            ("G59.3", "not supported"), ("G155 P1", "not supported"),
        ):  # fmt: skip
            control = Control(SimulatedMachine(machine, [], offsets, quiet()), dialect_of(machine))
            with self.assertRaisesRegex(ProgramError, why, msg=text):
                control.run(f"G21 G90\n{text}\n")


class ToolpathsTest(unittest.TestCase):
    def test_a_word_that_may_call_an_offset_is_never_passed_over(self):
        """What follows would be counted in the offset before; other strange words are only remarked upon."""
        head = "G21 G90 G17\nG54\nG0 X5\n"
        for line in ("G154 P3", "G154P3X2", "G59.4", "G57.5 X1"):
            read = read_toolpath([f"{head}{line}\nX-400\n".encode()])
            self.assertIn("may call a work offset", read.not_read.text, line)
            self.assertEqual(read.extents, {})
        read = read_toolpath([f"{head}G234 X1\nG12.1\nX-4\n".encode()])
        self.assertIn("G234", read.not_read.text)
        self.assertIsNone(read_toolpath([f"{head}G12.1\nX-4\n".encode()]).not_read)

    def test_common_words_that_the_machine_lacks_are_told(self):
        job = with_standard(job_with(SPELLINGS[1]), 0, "G54, G55")
        plan = make_plan(job, models())
        for word in ("G57", "G54.1 P3", "G154 P100"):
            read = read_toolpath([f"G21 G90 G17\n{word}\nG0 X5\n".encode()], control=control_words(job.machine))
            self.assertEqual([*read.offsets], [word])
            self.assertIn("OFFSET_UNKNOWN", [d.code for d in check_program(read, plan)])
        self.assertEqual(control_words(demo().machine).unit, UNKNOWN_CONTROL.unit)


class FreeCodeTest(unittest.TestCase):
    def test_extended_ones_follow_where_programs_can_write_them(self):
        extended = job_with(SPELLINGS[1], offsets=demo().machine.offsets[:2])
        self.assertEqual(free_code(extended, extended.machine), "G154 P1")
        self.assertEqual(copy_setup(extended, 1, "a" * 12).setups[2].offset, "G154 P1")
        self.assertEqual(free_code(extended, extended.machine, extended.setups[0]), "G54")
        parameter = set_value(extended, ("machines", 0, "profile"), "parameter style")
        self.assertIsNone(free_code(parameter, parameter.machine))

    def test_what_programs_cannot_write_is_neither_given_out_nor_let_pass(self):
        job = job_with(SPELLINGS[1], profile="parameter style")
        more = [Entry(code.code) for code in codes_of(job.machine) if code.level != 2]
        with self.assertRaisesRegex(RegisterError, "2 more work offsets are needed"):
            allocate(job, more)
        job = set_value(job, ("setups", 1, "offset"), "G154 P5")
        (found,) = errors_of(job)
        self.assertIn("cannot write", found.fact)
        self.assertEqual(found.fixes[0].label, "Use G55")
        with self.assertRaisesRegex(PlanError, "parameter style do not have"):
            probing_texts(make_plan(job, models()), 1)
        (found,) = errors_of(set_value(job, ("setups", 1, "offset"), "G154 P500"))
        self.assertIn("does not have", found.fact)
        self.assertIn("and so on to G154 P99", found.advice)


if __name__ == "__main__":
    unittest.main()
