"""Programs that find the centre of a rotary axis, run on the simulated machine about axes that lie elsewhere."""

from __future__ import annotations

import random
import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.base import Point
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.rehearsal.standing import true_axes
from ledgecliff.core.rehearsal.true_world import AxisError
from ledgecliff.core.simulator.axes import Axes
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.touchoff.centre_probing import CentreProbing
from ledgecliff.core.touchoff.centre_program import centre_program
from ledgecliff.core.touchoff.centres import centre_from
from tests.core.test_places import A, C, rotary, with_places
from tests.draws import draws
from tests.jobs import point

B_CENTRE, RADIUS = (-300.0, -200.0, -420.0), 12.0


def machine_with(*axes, **more):
    machine, _ = with_places(*axes)
    probe = machine.probe.model_copy(update={"reach": 40.0})
    update = {"travel_min": point(-700, -500, -520), "travel_max": point(0, 0, 0), "probe": probe} | more
    return machine.model_copy(update=update)


def rod(diameter, length, along, middle):
    solid = manifold3d.Manifold.cylinder(length, diameter / 2.0, circular_segments=720, center=True)
    turn = {"x": (0, 90, 0), "y": (90, 0, 0), "z": (0, 0, 0)}[along]
    return solid.rotate(turn).translate(tuple(middle))


def run(machine, axis, asked, bodies, errors=(), left_at=None, turns=None):
    """What comes of the program: outcome, reading, what the offset holds, the axes as they truly are."""
    program = centre_program(machine, axis, asked)
    truly = true_axes(machine, errors)
    unit = SimulatedMachine(
        machine, bodies, {k: np.full(3, 7.0) for k in range(1, 10)}, quiet(), axes=Axes(truly), turns=turns or {}
    )
    if left_at:
        unit.left_at(left_at)
    outcome = Control(unit, dialect_of(machine).on(machine)).run(program.text)
    return program, outcome, unit


def centre_of(program, outcome):
    found = centre_from(program.reading(outcome.parameters))
    return found, np.array([value for _, value in found.centre])


def off(axis, x=0.0, y=0.0, z=0.0, **more):
    return AxisError(axis=axis.name, off=Point(x=x, y=y, z=z), **more)


def styles():
    """Every style that ships, in both units, lengths from the gauge line and from a plane."""
    for k, name in enumerate(SHIPPED):
        yield {"profile": name, "program_units": ("mm", "in")[k % 2], "reference_z": -17.3 * (k // 2),
               "lengths_from": "reference plane"}  # fmt: skip


class BarTest(unittest.TestCase):
    def test_about_any_axis_in_every_style(self):
        """A bar that runs out by 0.07 and 0.05: the axis all the same; at rest, the bar."""
        lot = random.Random(4)
        for more in styles():
            for about, word in (("x", "A"), ("y", "B"), ("z", "C")):
                axis = rotary(word, about, B_CENTRE)
                machine = machine_with(axis, **more)
                k, m = (n for n in range(3) if "xyz"[n] != about)
                gone, out = np.zeros(3), np.zeros(3)
                gone[[k, m]] = lot.uniform(-0.4, 0.4), lot.uniform(-0.4, 0.4)
                out[[k, m]] = 0.07, -0.05
                true = np.array(B_CENTRE) + gone
                bar = Body("bar", rod(2 * RADIUS, 120, about, true + out), "stock", carrier=axis.id)
                spots = {"along": B_CENTRE["xyz".index(about)]} if about != "z" else {"level": B_CENTRE[2] + 60.0}
                for way, expected in (("bar", true), ("bar at rest", true + out)):
                    asked = CentreProbing(way=way, offset="G58", diameter=2 * RADIUS, **spots)
                    errors = (off(axis, *gone),)
                    program, outcome, unit = run(machine, axis, asked, [bar], errors)
                    self.assertEqual(outcome.alarm, "", (more, about, way))
                    found, centre = centre_of(program, outcome)
                    self.assertEqual([each for each, _ in found.centre], ["xyz"[k], "xyz"[m]])
                    np.testing.assert_allclose(centre, expected[[k, m]], atol=2e-3, err_msg=str((more, about, way)))
                    written = unit.offsets[5]
                    np.testing.assert_allclose(written[[k, m]], centre, atol=2e-4, err_msg=str((more, about, way)))
                    if way == "bar":
                        self.assertAlmostEqual(found.off, float(np.hypot(0.07, 0.05)), delta=2e-3)

    def test_an_old_turn_of_the_offset_is_taken_out(self):
        axis = rotary("C", "z", B_CENTRE)
        bar = Body("bar", rod(2 * RADIUS, 120, "z", B_CENTRE), "stock", carrier=axis.id)
        asked = CentreProbing(way="bar at rest", offset="G58", diameter=2 * RADIUS, level=-360.0)
        program, outcome, unit = run(machine_with(axis), axis, asked, [bar], turns={5: 4.0})
        self.assertEqual((outcome.alarm, unit.turns[5]), ("", 0.0))
        _, centre = centre_of(program, outcome)
        np.testing.assert_allclose(centre, B_CENTRE[:2], atol=2e-3)

    def test_further_off_than_believed_stops(self):
        axis = rotary("A", "x", B_CENTRE)
        bar = Body("bar", rod(2 * RADIUS, 120, "x", np.add(B_CENTRE, (0, 0.8, 0))), "stock", carrier=axis.id)
        for guess, stops in ((0.5, True), (1.5, False)):
            asked = CentreProbing(way="bar", offset="G58", diameter=2 * RADIUS, along=-300.0, guess=guess)
            _, outcome, _ = run(machine_with(axis), axis, asked, [bar], (off(axis, y=0.8),))
            self.assertEqual("further from where it is believed" in outcome.alarm, stops, outcome.alarm)


class TrunnionTest(unittest.TestCase):
    def plate(self, axis, level, half=90.0):
        x, y, _ = axis.centre.as_tuple()
        low, high = (x - half, y - half, level - 30.0), (x + half, y + half, level)
        return Body("table", box(low, high), carrier=axis.id)

    def test_faces_by_lot(self):
        """Both senses, about X and Y, the face over or under the axis, any two angles, an axis that lies elsewhere."""
        lot, kinds = random.Random(6), tuple(styles())
        for number in range(draws(8, 200)):
            about, word = (("x", "A"), ("y", "B"))[number % 2]
            sense, level_at = lot.choice(("right-handed", "left-handed")), lot.choice((0.0, 1.25))
            axis = rotary(word, about, B_CENTRE, sense=sense, flat_deg=level_at)
            machine = machine_with(axis, **kinds[number // 2 % 4])
            angles = (90.0, -90.0) if number % 3 else (lot.uniform(35, 90), lot.uniform(-90, -35))
            gone = np.array([lot.uniform(-0.5, 0.5) for _ in range(3)])
            level, along = B_CENTRE[2] + lot.uniform(-35, 35), {"x": -320.0, "y": -220.0}[about]
            asked = CentreProbing(
                way="trunnion faces", offset="G58", along=along, level=level, edge=90.0, depth=lot.uniform(5, 30),
                first_deg=angles[0], second_deg=angles[1],
            )  # fmt: skip
            program, outcome, unit = run(machine, axis, asked, [self.plate(axis, level)], (off(axis, *gone),))
            self.assertEqual(outcome.alarm, "", (number, about, sense, angles))
            self._assert_expected_where_met(program, unit, level)
            found, centre = centre_of(program, outcome)
            k = {"x": 1, "y": 0}[about]
            expected = (np.array(B_CENTRE) + gone)[[k, 2]]
            # Without noise: what is left is how the ball is pushed where a face meets it aslant.
            np.testing.assert_allclose(centre, expected, atol=found.uncertainty, err_msg=str((number, angles)))
            self.assertLess(found.uncertainty, 0.005 if number % 3 else 0.1)
            self.assertAlmostEqual(found.height, level - expected[1], delta=2.0 * found.uncertainty)
            written = unit.offsets[5]
            np.testing.assert_allclose(written[[k, 2]], centre, atol=5e-4)

    def _assert_expected_where_met(self, program, unit, level):
        """The ball stands within how far the centre is off of where it is expected to, and travels over the plate."""
        groups = program.touches.groups
        expected = [each.touch for group in groups for each in group.touches]
        met = [touch for touch in unit.touches if touch.slow]
        for touch, record in zip(expected, met, strict=True):
            k = "xyz".index(touch.axis)
            down = touch.ball_radius - unit.machine.probe.effective_radius if k == 2 else 0.0
            place = program.touches.m_zero[k] + touch.at_contact[k] - (touch.ball_radius if k == 2 else 0.0) - down
            self.assertLess(abs(record.m_reading[k] - (unit.machine.probe.length if k == 2 else 0.0) - place), 1.6)
        for group in groups:
            leans = np.radians(group.degrees)
            highest = 90.0 * abs(np.sin(leans)) + (level - program.touches.m_zero[2]) * np.cos(leans)
            self.assertGreater(group.w_clearance, highest + 10.0)

    def test_how_well_it_reads_where_the_face_leans(self):
        """Square to the way only the probe's own scatter; at 45 degrees also what the ball is pushed on otherwise."""
        axis = rotary("A", "x", B_CENTRE)
        for second, within in ((-90.0, 0.002), (-45.0, 0.002 + 0.018 * (1.0 - np.sin(np.pi / 4.0)))):
            asked = CentreProbing(way="trunnion faces", offset="G58", along=-300.0, level=-400.0, edge=80.0,
                                  second_deg=second)  # fmt: skip
            program = centre_program(machine_with(axis), axis, asked)
            reading = program.reading({row.parameter: -400.0 for row in program.rows})
            self.assertAlmostEqual(reading.reads_within, within)

    def test_a_limit_forbids_an_angle(self):
        axis = rotary("A", "x", B_CENTRE).model_copy(update={"lowest_deg": -40.0, "highest_deg": 110.0})
        asked = CentreProbing(way="trunnion faces", offset="G58", along=-300.0, level=-400.0, edge=80.0)
        with self.assertRaisesRegex(InvalidValueError, "does not go to -90°"):
            centre_program(machine_with(axis), axis, asked)
        over = asked.model_copy(update={"first_deg": 100.0, "second_deg": -40.0})
        with self.assertRaisesRegex(InvalidValueError, "hangs over the ball"):
            centre_program(machine_with(axis), axis, over)
        level = asked.model_copy(update={"second_deg": -10.0})
        with self.assertRaisesRegex(InvalidValueError, "lies too level"):
            centre_program(machine_with(axis), axis, level)
        as_far = asked.model_copy(update={"second_deg": -40.0})
        self.assertIn("A-40.0", centre_program(machine_with(axis), axis, as_far).text)

    def test_level_of_the_table(self):
        for about, word in (("x", "A"), ("y", "B")):
            for sense in ("right-handed", "left-handed"):
                axis = rotary(word, about, B_CENTRE, sense=sense, flat_deg=0.2)
                lean = 0.35
                x, y, _ = B_CENTRE
                plate = box((x - 90, y - 90, -430), (x + 90, y + 90, -400)).translate((-x, -y, 420.0))
                sign = 1.0 if sense == "right-handed" else -1.0
                turn = {"x": (sign * lean, 0, 0), "y": (0, sign * lean, 0)}[about]
                body = Body("table", plate.rotate(turn).translate((x, y, -420.0)), carrier=axis.id)
                asked = CentreProbing(way="flat sweep", offset="G58", along=-300.0 if about == "x" else -200.0,
                                      level=-400.0, apart=140.0)  # fmt: skip
                program, outcome, _ = run(machine_with(axis), axis, asked, [body])
                self.assertEqual(outcome.alarm, "")
                found, _ = centre_of(program, outcome)
                self.assertAlmostEqual(found.flat_deg, 0.2 - lean, delta=2e-3)
                self.assertIn("sweep again", found.left)


class BoreTest(unittest.TestCase):
    def test_a_bore_that_is_not_the_axis_on_a_tilting_one(self):
        """C on A, left where somebody had them: the program goes to level by itself."""
        cradle = rotary("A", "x", (0.0, -210.5, -388.25))
        for more in styles():
            table = rotary("C", "z", (-402.12, -210.74, 0.0), on=A, sense="left-handed")
            machine = machine_with(cradle, table, **more)
            true = np.array([-402.12 + 0.31, -210.74 - 0.22, 0.0])
            hole = rod(32.0, 200, "z", true + np.array([0.04, -0.03, -430]))
            plate = box((-500, -310, -440), (-300, -110, -410)) - hole
            asked = CentreProbing(way="table bore", offset="G58", diameter=32.0, level=-410.0, depth=10.0)
            program, outcome, unit = run(
                machine, table, asked, [Body("table", plate, carrier=C)], (off(table, 0.31, -0.22),), {"A": 40, "C": 77}
            )
            # Left standing at an angle, what is on it was put there level.
            self.assertEqual(outcome.alarm, "", more)
            found, centre = centre_of(program, outcome)
            np.testing.assert_allclose(centre, true[:2], atol=2e-3)
            self.assertAlmostEqual(found.off, 0.05, delta=2e-3)
            np.testing.assert_allclose(unit.offsets[5][:2], centre, atol=2e-4)

    def test_other_bores(self):
        table = rotary("C", "z", (-402.12, -210.74, 0.0))
        machine = machine_with(table)
        for asked, why in (
            ({"diameter": 5.0, "level": -400.0}, "does not go into that bore"),
            ({"level": -400.0}, "'table bore' needs it"),
            ({"diameter": 32.0}, "'table bore' needs it"),
            ({"diameter": 32.0, "level": -400.0, "depth": 60.0}, "its tip would be"),
            ({"diameter": 32.0, "level": -60.0}, "does not get there along Z"),
        ):
            with self.assertRaisesRegex(InvalidValueError, why):
                centre_program(machine, table, CentreProbing(way="table bore", offset="G58", **asked))


class RefusalTest(unittest.TestCase):
    def test_in_words(self):
        axis = rotary("A", "x", B_CENTRE)
        machine = machine_with(axis)
        bar = {"way": "bar", "offset": "G58", "diameter": 24.0, "along": -300.0}
        for change, asked, of, why in (
            ({}, bar | {"way": "table bore", "level": -400.0}, axis, "does not fit an axis about X"),
            ({}, bar | {"offset": "G99"}, axis, "no work offset G99"),
            ({}, bar | {"diameter": 400.0}, axis, "body would meet the bar"),
            ({"lowest_deg": 0.0, "highest_deg": 100.0}, bar, axis, "does not go to \\+180°"),
            ({}, bar | {"along": -900.0}, axis, "does not get there along X"),
            ({"sense": None}, bar | {"way": "flat sweep", "level": -400.0, "apart": 90.0}, axis, "is not known"),
        ):
            changed = of.model_copy(update=change)
            with self.assertRaisesRegex(InvalidValueError, why):
                centre_program(machine_with(changed), changed, CentreProbing(**asked))
        # About a bar nothing hangs on the sense.
        unknown = axis.model_copy(update={"sense": None})
        self.assertIn("A180.0", centre_program(machine_with(unknown), unknown, CentreProbing(**bar)).text)
        program = centre_program(machine, axis, CentreProbing(**bar))
        with self.assertRaisesRegex(InvalidValueError, "'bar at 180, top' is missing"):
            program.reading({row.parameter: 1.0 for row in program.rows[:-1]})


if __name__ == "__main__":
    unittest.main()
