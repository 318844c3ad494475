"""Rotary axes of the simulated machine: chains, senses, flat readings, and the room that a turn sweeps."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.blanks import box
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Mount, Rotary, Station
from ledgecliff.core.places import tf_m_station
from ledgecliff.core.simulator.axes import Axes, TrueAxis, axes_at, carrying_axis, planned_axes, swept_height
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.draws import draws
from tests.jobs import block_job, machine, setup

TILT, TABLE, PLATE, HERE = (letter * 12 for letter in "abcd")


def point(x, y, z):
    return Point(x=x, y=y, z=z)


def trunnion(tilt_sense="right-handed", table_flat=0.0, plate_turn=0.0):
    """A tilting axis A that carries a table axis C, on which a plate stands."""
    carriers = (
        Rotary(id=TILT, name="tilt", word="A", about="x", centre=point(0, -200, -350), sense=tilt_sense),
        Rotary(
            id=TABLE, name="table", word="C", about="z", on=TILT, centre=point(-400, -210, 0), sense="right-handed",
            flat_deg=table_flat,
        ),
        Mount(
            id=PLATE, name="plate", on=TABLE, at=point(-400, -210, -360),
            turned=(AxisTurn(about="z", degrees=plate_turn),),
        ),
    )  # fmt: skip
    station = Station(id=HERE, name="here", fixture="V", at=point(30, 20, 0), on=PLATE)
    of = machine()
    return of.model_copy(update={"carriers": carriers, "stations": (*of.stations, station)}), station


def of_body(unit):
    """The lowest and highest corner of what stands there."""
    return np.array([unit.bodies[0].low, unit.bodies[0].high])


class ChainTest(unittest.TestCase):
    def unit(self, of, station, index=()):
        """A cube of 20 at the station, as it stands at ``index``."""
        axes = Axes(planned_axes(of))
        axes.angles |= {angle.word: angle.degrees for angle in index}
        corners = np.array(np.meshgrid((0, 20), (0, 20), (0, 20))).reshape(3, -1).T
        place = tf_m_station(of, station, index)
        solid = box((0, 0, 0), (20, 20, 20)).transform(np.column_stack([place.turn, place.shift]))
        body = Body("cube", solid, "stock", carrier=carrying_axis(of, station))
        unit = SimulatedMachine(of, [body], {1: np.zeros(3)}, quiet(), axes=axes)
        return unit, corners

    def test_turning_there_is_where_the_plan_has_it(self):
        """Wherever it was put, a body comes to where its station is at the new angles; by SciPy for one of them."""
        rng = np.random.default_rng(11)
        for k in range(12):
            sense = ("right-handed", "left-handed")[k % 2]
            of, station = trunnion(sense, *rng.uniform(-40.0, 40.0, 2))
            before, after = (
                tuple(IndexAngle(word=word, degrees=float(rng.uniform(-110, 110))) for word in "AC")
                for _ in range(2)
            )  # fmt: skip
            unit, corners = self.unit(of, station, before)
            for angle in reversed(after):
                unit.turn_to(angle.word, angle.degrees)
            place = tf_m_station(of, station, after)
            there = corners @ place.turn.T + place.shift
            np.testing.assert_allclose(of_body(unit), [there.min(axis=0), there.max(axis=0)], atol=1e-9)

    def test_a_tilted_table_turns_about_its_tilted_axis(self):
        of, station = trunnion()
        unit, corners = self.unit(of, station)
        unit.turn_to("C", 30.0)
        unit.turn_to("A", -90.0)
        # Through the table's centre about +Z, then through the tilting one's about -X.
        table, tilt = np.array((-400.0, -210.0, 0.0)), np.array((0.0, -200.0, -350.0))
        there = corners + np.array((-370.0, -190.0, -360.0))
        there = Rotation.from_euler("z", 30, degrees=True).apply(there - table) + table
        there = Rotation.from_euler("x", -90, degrees=True).apply(there - tilt) + tilt
        np.testing.assert_allclose(of_body(unit), [there.min(axis=0), there.max(axis=0)], atol=1e-9)

    def test_the_words_of_a_program_turn_both_axes_and_what_does_not_stand_on_them_stays(self):
        of, station = trunnion()
        unit, _ = self.unit(of, station)
        post = Body("post", box((-500, -100, -400), (-490, -90, -300)), "neighbour")
        unit.put([*unit.bodies, post])
        before = of_body(unit)
        outcome = Control(unit).run("G21 G90\nG0 A-30\nG0 C45\nG91\nG0 C-45\nG0 A30\nM2")
        self.assertEqual((outcome.alarm, unit.axes.angles), ("", {"A": 0.0, "C": 0.0}))
        np.testing.assert_allclose(of_body(unit), before, atol=1e-9)
        Control(unit).run("G21 G90\nG0 C90\nM2")
        self.assertGreater(np.abs(of_body(unit) - before).max(), 10.0)
        self.assertEqual((unit.bodies[1].low, unit.bodies[1].high), (post.low, post.high))
        self.assertIn("no rotary axis B", Control(unit).run("G21 G90\nG0 B90\nM2").alarm)

    def test_what_counts_as_nought_is_where_it_was_put(self):
        """With a flat reading of 30, the word 30 turns nothing and 120 by a quarter; 750 is 30 after two turns."""
        axis = TrueAxis("a" * 12, "A", np.array([0.0, -200.0, -350.0]), np.array([1.0, 0.0, 0.0]), 30.0, None)
        place = np.array([5.0, -190.0, -350.0])
        for word, expected in (
            (30.0, place),
            (750.0, place),
            (120.0, (5.0, -200.0, -340.0)),
            (-60.0, (5.0, -200.0, -360.0)),
        ):
            axes = Axes((axis,))
            axes.angles["A"] = word
            np.testing.assert_allclose(axes.tf_now_nought("a" * 12)(place), expected, atol=1e-9)

    def test_a_setup_begins_at_its_index(self):
        of, station = trunnion(table_flat=12.0)
        at = setup().model_copy(update={"station": station.id, "index": (IndexAngle(word="A", degrees=-90.0),)})
        self.assertEqual(axes_at(at, planned_axes(of)).angles, {"A": -90.0, "C": 12.0})
        table = block_job().machine
        self.assertIsNone(carrying_axis(table, table.stations[0]))


class SweptTest(unittest.TestCase):
    def test_against_many_turns(self):
        """Never less than any of 3,600 angles reaches, and hardly more."""
        rng = np.random.default_rng(3)
        for _ in range(30):
            points, centre = rng.uniform(-50, 50, (8, 3)), rng.uniform(-20, 20, 3)
            along = rng.normal(size=3)
            along /= np.linalg.norm(along)
            turns = Rotation.from_rotvec(np.outer(np.radians(np.arange(0, 360, 0.1)), along))
            reached = max(float((turns.apply(p - centre) + centre)[:, 2].max()) for p in points)
            told = swept_height(points, centre, along)
            self.assertGreaterEqual(told, reached - 1e-9)
            self.assertLess(told - reached, 1e-3)

    def test_part_of_a_turn_against_many_turns(self):
        """Both ways, wherever it begins, less than half round and more than once, about axes that lie and stand."""
        rng, upright = np.random.default_rng(4), 0
        for count in range(draws(60, 2000)):
            points, centre = rng.uniform(-50, 50, (rng.integers(1, 6), 3)), rng.uniform(-20, 20, 3)
            along = np.eye(3)[count % 3] * rng.choice((-1.0, 1.0)) if count % 4 == 0 else rng.normal(size=3)
            along /= np.linalg.norm(along)
            first = rng.uniform(-400, 300)
            last = first + rng.choice((0.0, rng.uniform(0, 90), rng.uniform(0, 400)))
            turns = Rotation.from_rotvec(np.outer(np.radians(np.linspace(first, last, 2001)), along))
            reached = max(float((turns.apply(p - centre) + centre)[:, 2].max()) for p in points)
            told = swept_height(points, centre, along, (first, last))
            self.assertGreaterEqual(told, reached - 1e-9)
            self.assertLess(told - reached, 1e-3)
            upright += last - first < 90.0
        self.assertGreater(upright, 10)

    def test_only_the_way_it_goes_counts(self):
        """A bar out to one side of an axis about X, and the tool at twice its height: up it comes through that."""
        axis = TrueAxis("a", "A", np.array((-400.0, -200.0, -300.0)), np.array((1.0, 0.0, 0.0)))
        body = Body("part", box((-420, -200, -305), (-390, -150, -295)), "stock", carrier="a")
        tip = machine().probe.length + 0.018
        for degrees, stops in ((90, True), (-90, False), (-200, True)):
            unit = SimulatedMachine(machine(), [body], {1: np.zeros(3)}, quiet(), axes=Axes((axis,)))
            text = f"G21 G90\nT30 M6\nG53 G0 X-200 Y-50 Z{-280.0 + tip:.4f}\nG0 A{degrees}\nM2"
            self.assertEqual("within its sweep" in Control(unit).run(text).alarm, stops, degrees)

    def test_an_upright_axis_lifts_nothing(self):
        """A part that turns about Z under a spindle stays as high as it is."""
        axis = TrueAxis("c", "C", np.array((-400.0, -200.0, 0.0)), np.array((0.0, 0.0, 1.0)))
        body = Body("part", box((-420, -220, -380), (-390, -190, -300)), "stock", carrier="c")
        tip = machine().probe.length + 0.018
        for above, stops in ((0.01, False), (-0.01, True)):
            unit = SimulatedMachine(machine(), [body], {1: np.zeros(3)}, quiet(), axes=Axes((axis,)))
            text = f"G21 G90\nT30 M6\nG53 G0 X-200 Y-50 Z{-300.0 + above + tip:.4f}\nG0 C90\nM2"
            self.assertEqual("within its sweep" in Control(unit).run(text).alarm, stops)


if __name__ == "__main__":
    unittest.main()
