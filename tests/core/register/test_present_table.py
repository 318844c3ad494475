"""Tables in and out: what the control holds, how it differs, and programs that load it and look at it."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.errors import InvalidValueError, RegisterError
from ledgecliff.core.model.work_offsets import EXTENDED_FROM, ExtendedOffsets, codes_of
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.register.entries import Entry, Use, Value, claimed, labelled, with_value
from ledgecliff.core.register.offset_programs import loading_program, verify_program
from ledgecliff.core.register.present_table import differences, read_table, table_text
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.helpers import demo

VALUES = {"G54": Value(-520.0, -214.25, -409.5), "G56": Value(-1.0, 2.0, -3.12345), "G59": Value(0.0, 0.0, 0.0)}


def machine(**changes):
    return demo().machine.model_copy(update=changes)


def rows(values=VALUES, of=None):
    """The register of a machine with some values in it."""
    return tuple(
        with_value(Entry(code.code), values[code.code], "tape") if code.code in values else Entry(code.code)
        for code in codes_of(of or machine())
    )


class CsvTest(unittest.TestCase):
    def test_out_and_in_again(self):
        named = tuple(labelled(entry, "=vise, “left”") if entry.code == "G54" else entry for entry in rows())
        text = table_text(named)
        self.assertIn('G54,-520.0000,-214.2500,-409.5000,0.0000,mm,"\'=vise, “left”"', text)
        present = read_table(text, machine())
        self.assertEqual({row.code: row.value for row in present}, VALUES | {"G56": Value(-1.0, 2.0, -3.1235)})
        self.assertEqual(present[0].label, "=vise, “left”")
        self.assertEqual({each.kind for each in differences(named, present)}, {"same"})

    def test_inches_by_column_or_by_the_machine(self):
        value = Value(25.4, 50.8, -12.7)
        self.assertEqual(read_table("code,x,y,z,unit\ng54,1,2,−0.5,in\n", machine())[0].value, value)
        self.assertEqual(read_table("Code, X, Y, Z\nG54,1,2,-0.5\n", machine(program_units="in"))[0].value, value)

    def test_what_is_not_understood_names_its_line(self):
        for text, words in (
            ("code,x,y\nG54,1,2\n", "line 1: the column 'z' is missing"),
            ("code,x,y,z\nG54,1,2,three\n", "line 2: 'three' is no number"),
            ("code,x,y,z\n\nG54,1,2,\n", "line 3: '' is no number"),
            ("code,x,y,z\nG54,1,2,nan\n", "line 2: 'nan' is no number"),
            ("code,x,y,z\nG99,1,2,3\n", "line 2: .* has no work offset 'G99'"),
            ("code,x,y,z,unit\nG54,1,2,3,ft\n", "line 2: the unit 'ft'"),
            ("code,x,y,z\nG54,1,2,3\ng54,1,2,3\n", "line 3: G54 stands in line 2 already"),
            ("code,x,y,z\n", "there is no work offset in it"),
            ("", "there is no work offset in it"),
        ):
            with self.subTest(text), self.assertRaisesRegex(InvalidValueError, words):
                read_table(text, machine(), "table.csv")


class ProgramTest(unittest.TestCase):
    def test_a_saved_program_of_writes(self):
        text = "%\nO0100\n(saved)\nG20\nN10 G10 L2 P1 X1. Y-2 Z.5 (left vise)\ng10l2p2x0y0z1r1.5\nM30\n%\n"
        left, right = read_table(text, machine())
        self.assertEqual((left.code, left.value), ("G54", Value(25.4, -50.8, 12.7)))
        self.assertEqual((left.label, left.line), ("left vise", 5))
        self.assertEqual((right.code, right.value), ("G55", Value(0.0, 0.0, 25.4, 1.5)))

    def test_what_would_move_or_be_worked_out_is_refused(self):
        for line, words in (
            ("G0 X1", "line 2: G0 has no place"),
            ("X1", "line 2: it would move the machine"),
            ("G91", "line 2: offsets that are added to"),
            ("#1 = 3", "line 2: only plain G10 blocks"),
            ("G10 L2 P1 X#5 Y0 Z0", "line 2: the values must stand there"),
            ("G10 L2 P1 X1 Z0", "line 2: Y is missing"),
            ("G10 L20 P1 X1 Y0 Z0", "line 2: G10 L20 P1 writes no work offset"),
            ("G10 L2 P77 X1 Y0 Z0", "line 2: G10 L2 P77 writes no work offset"),
            ("G10 L2 P1 X1 (open", "line 2"),
        ):
            with self.subTest(line), self.assertRaisesRegex(InvalidValueError, words):
                read_table(f"G21\n{line}\n", machine(), "saved.ngc")


class DifferenceTest(unittest.TestCase):
    def test_each_kind(self):
        present = read_table("code,x,y,z\nG54,-520,-214.25,-408.5\nG55,1,2,3\nG59,0,0.0004,0\n", machine())
        found = {each.code: each for each in differences(rows(), present)}
        kinds = {code: each.kind for code, each in found.items()}
        self.assertEqual(
            kinds, {"G54": "differs", "G55": "not in the register", "G56": "not in the file", "G59": "same"}
        )
        np.testing.assert_allclose(found["G54"].moved, (0.0, 0.0, 1.0))
        self.assertIsNone(found["G55"].moved)


class OffsetProgramTest(unittest.TestCase):
    def run_text(self, text, of, offsets):
        unit = SimulatedMachine(of, [], {number: value.copy() for number, value in offsets.items()}, quiet())
        return Control(unit, dialect_of(of)).run(text), unit

    def blank(self, of):
        count = of.extended.count if of.extended is not None else 0
        numbers = [code.number for code in of.offsets] + [EXTENDED_FROM + n for n in range(1, count + 1)]
        return {number: np.zeros(3) for number in numbers}

    def test_what_is_loaded_is_verified_and_what_differs_stops(self):
        """In every style and unit: the loading program fills an empty table, the other one passes there, and stops
        with a message wherever one value is 0.02 off."""
        for profile in SHIPPED:
            for units in ("mm", "in"):
                of = machine(profile=profile, program_units=units)
                load = loading_program(of, rows(of=of), "test")
                verify = verify_program(of, rows(of=of), "test", 0.01)
                with self.subTest(profile, units=units):
                    loaded, unit = self.run_text(load, of, self.blank(of))
                    self.assertEqual(loaded.alarm, "")
                    np.testing.assert_allclose(unit.offsets[3], (-1.0, 2.0, -3.12345), atol=1e-4)
                    self.assertEqual(unit.motions, [])
                    self.assertEqual(self.run_text(verify, of, unit.offsets)[0].alarm, "")
                    for number, axis, name in ((1, 0, "G54 X"), (3, 2, "G56 Z"), (6, 1, "G59 Y")):
                        off = {key: value.copy() for key, value in unit.offsets.items()}
                        off[number][axis] += 0.02
                        self.assertIn(f"STOP {name} is not", self.run_text(verify, of, off)[0].alarm)
                        off[number][axis] -= 0.015
                        self.assertEqual(self.run_text(verify, of, off)[0].alarm, "")

    def test_extended_offsets_of_the_numbered_style(self):
        of = machine(profile="numbered-variable skip style", extended=ExtendedOffsets(count=300))
        register = rows({"G54.1 P1": Value(1.0, 2.0, 3.0), "G54.1 P300": Value(-4.0, 5.0, -6.0)}, of)
        loaded, unit = self.run_text(loading_program(of, register, "t"), of, self.blank(of))
        self.assertEqual(loaded.alarm, "")
        np.testing.assert_allclose(unit.offsets[EXTENDED_FROM + 300], (-4, 5, -6))
        np.testing.assert_allclose(unit.offsets[1], 0.0)
        verify = verify_program(of, register, "t", 0.01)
        self.assertIn("#12981", verify)
        self.assertEqual(self.run_text(verify, of, unit.offsets)[0].alarm, "")
        unit.offsets[EXTENDED_FROM + 300][2] = 6.0
        self.assertIn("G54.1 P300 Z is not -6.0", self.run_text(verify, of, unit.offsets)[0].alarm)

    def test_a_selected_extended_offset_is_what_moves_are_in(self):
        of = machine(profile="numbered-variable skip style", extended=ExtendedOffsets(count=2))
        offsets = self.blank(of) | {EXTENDED_FROM + 2: np.array((-300.0, -200.0, -100.0))}
        text = "G21 G90 G17 G94\nG54.1 P2\nG0 X10 Y20\n#7021 = -310\nG0 X10\nM30"
        outcome, unit = self.run_text(text, of, offsets)
        self.assertEqual(outcome.alarm, "")
        self.assertEqual(unit.motions[0].end[:2], (-290.0, -180.0))
        self.assertEqual(unit.motions[1].end[:2], (-300.0, -180.0))

    def test_turns_are_loaded_where_the_style_has_them(self):
        turned = (with_value(Entry("G54"), Value(1.0, 2.0, 3.0, 0.25), "touches"),)
        of = machine(profile="parameter style")
        _, unit = self.run_text(loading_program(of, turned, "t"), of, self.blank(of))
        self.assertAlmostEqual(unit.turns[1], 0.25)
        verify = verify_program(of, turned, "t", 0.01)
        self.assertIn("is not turned", self.run_text(verify, of, unit.offsets)[0].alarm)
        with self.assertRaisesRegex(RegisterError, "cannot be loaded into a control of this style"):
            loading_program(machine(profile="numbered-variable skip style"), turned, "t")

    def test_nothing_to_load_and_nowhere_to_look(self):
        with self.assertRaisesRegex(RegisterError, "no work offset that was chosen has a value"):
            loading_program(machine(), (Entry("G54"),), "t")
        more = machine().offsets[0].model_copy(update={"code": "G54.5", "number": 15})
        of = machine(offsets=(*machine().offsets, more))
        far = (with_value(Entry("G54.5"), Value(1, 2, 3), "typed"),)
        with self.assertRaisesRegex(RegisterError, "keeps it in no parameter"):
            verify_program(of, far, "t", 0.01)

    def test_labels_cannot_become_words(self):
        use = Use("x) G0 Z-99 (", "Op 10")
        named = labelled(claimed(Entry("G54"), use), ") M3 S9999 (")
        text = loading_program(machine(), (with_value(named, Value(1, 2, 3), "typed"),), ") G28 (")
        outcome, unit = self.run_text(text, machine(), self.blank(machine()))
        self.assertEqual((outcome.alarm, unit.motions, unit.spindle_on), ("", [], False))
