"""Stations, mounts and rotary axes: worked examples, and chains by lot against SciPy's rotations."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np
from pydantic import ValidationError
from scipy.spatial.transform import Rotation

from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Mount, Rotary, Station
from ledgecliff.core.places import tf_m_station
from tests.draws import draws
from tests.helpers import demo
from tests.jobs import point

A, B, C, FACE = (derived_id(name) for name in ("A", "B", "C", "face"))


def rotary(which, about, centre, on=None, sense="right-handed", flat_deg=0.0):
    return Rotary(id=derived_id(which), name=f"axis {which}", word=which, about=about, on=on, centre=point(*centre),
                  sense=sense, flat_deg=flat_deg)  # fmt: skip


def with_places(*carriers, at=(0.0, 0.0, 0.0), on=None, turn_deg=0.0) -> tuple[Machine, Station]:
    """The demo's mill with carriers, and its left vise at a place of its own on one of them."""
    station = Station(
        id=derived_id("there"), name="there", fixture="left vise", at=point(*at), turn_deg=turn_deg, on=on
    )
    machine = demo().machine.model_copy(update={"carriers": carriers, "stations": (station,)})
    return Machine.model_validate(machine.model_dump()), station


def index(**degrees):
    return tuple(IndexAngle(word=word, degrees=value) for word, value in degrees.items())


class TrunnionTest(unittest.TestCase):
    """A block on a trunnion, both axes right-handed: A through y -210.500, z -388.250, C through x -402.120, y -210.740
    as it stands at A0; the block's zero is at (-447.120, -245.740, -341.000) there."""

    def place(self, p_place, a=0.0, c=0.0, zero=(-447.120, -245.740, -341.000), sense="right-handed", flat_deg=0.0):
        machine, station = with_places(
            rotary("A", "x", (0.0, -210.500, -388.250), sense=sense, flat_deg=flat_deg),
            rotary("C", "z", (-402.120, -210.740, 0.0), on=A), at=zero, on=C,
        )  # fmt: skip
        return tf_m_station(machine, station, index(A=a, C=c))(np.array(p_place, dtype=float))

    def test_ports_of_the_block(self):
        for p_place, a, c, m_place in (
            ((45, 35, 60), 0, 0, (-402.120, -210.740, -281.000)),
            ((60, 70, 25), 90, 0, (-387.120, -282.750, -353.490)),
            ((90, 35, 25), 90, 90, (-402.120, -282.750, -343.490)),
            ((30, 0, 25), 90, 180, (-387.120, -282.750, -353.490)),
            ((0, 35, 25), 90, 270, (-402.120, -282.750, -343.490)),
        ):
            np.testing.assert_allclose(self.place(p_place, a, c), m_place, atol=5e-4)

    def test_a_place_off_both_axes(self):
        start = (-377.120, -180.740, -341.000)
        for a, c, m_place in (
            (0, 90, (-432.120, -185.740, -341.000)),
            (90, 0, (-377.120, -257.750, -358.490)),
            (90, 90, (-432.120, -257.750, -363.490)),
            (45, 30, (-395.469, -216.871, -327.799)),
        ):
            np.testing.assert_allclose(self.place((0, 0, 0), a, c, zero=start), m_place, atol=5e-4)
        np.testing.assert_allclose(
            self.place((0, 0, 0), 90, 0, zero=start, sense="left-handed"), (-377.120, -163.250, -418.010), atol=5e-4
        )

    def test_what_counts_as_nought(self):
        """With the table flat at A0.35 that is where nothing is turned, and 90.35 is a quarter."""
        for word, turned in ((0.35, 0.0), (90.35, 90.0)):
            np.testing.assert_allclose(
                self.place((60, 70, 25), word, flat_deg=0.35), self.place((60, 70, 25), turned), atol=1e-9
            )


class OneAxisTest(unittest.TestCase):
    def test_a_zero_turned_about_a_known_centre(self):
        """The work offset's value at an index is the zero turned: C + R (E - C)."""
        for degrees, m_place in (
            (90, (-305.200, -200.046, -384.654)),
            (-90, (-305.200, -115.346, -420.046)),
            (180, (-305.200, -175.392, -444.700)),
        ):
            machine, station = with_places(
                rotary("A", "x", (0.0, -157.696, -402.350)), at=(-305.2, -140.0, -360.0), on=A
            )
            np.testing.assert_allclose(tf_m_station(machine, station, index(A=degrees)).shift, m_place, atol=5e-4)


class TombstoneTest(unittest.TestCase):
    """Four faces 150 from the centre of B (x -350, z -820); on each a station 40 right of the middle and 110 up."""

    FACES = ((0, (-310, 110, -670)), (90, (-500, 110, -780)), (180, (-390, 110, -970)), (270, (-200, 110, -860)))

    def machine(self, degrees, centre=(-350.0, 0.0, -820.0)):
        """A face described where it stands at B0: turned back by as much as B will bring it to the spindle."""
        turn = math.radians(-degrees)
        middle = (-350.0 + 150.0 * math.sin(turn), 0.0, -820.0 + 150.0 * math.cos(turn))
        face = Mount(id=FACE, name="face", on=B, at=point(*middle), turned=(AxisTurn(about="y", degrees=-degrees),))
        return with_places(rotary("B", "y", centre), face, at=(40.0, 110.0, 0.0), on=FACE)

    def test_described_at_nought_and_turned_to_the_spindle(self):
        for degrees, described in self.FACES:
            machine, station = self.machine(degrees)
            np.testing.assert_allclose(tf_m_station(machine, station).shift, described, atol=1e-9)
            turned = tf_m_station(machine, station, index(B=degrees))
            np.testing.assert_allclose(turned.shift, (-310.0, 110.0, -670.0), atol=1e-9)
            np.testing.assert_allclose(turned.turn, np.eye(3), atol=1e-12)

    def test_a_centre_believed_a_little_off(self):
        """By x +0.012 and z -0.008: found at B0 and computed for the others, a station is off by (1 - R) of that."""
        true, station = self.machine(0)
        believed, _ = self.machine(0, centre=(-350.0 + 0.012, 0.0, -820.0 - 0.008))
        for degrees, off in ((90, (0.020, 0, 0.004)), (180, (0.024, 0, -0.016)), (270, (0.004, 0, -0.020))):
            at = index(B=degrees)
            moved = tf_m_station(believed, station, at).shift - tf_m_station(true, station, at).shift
            np.testing.assert_allclose(moved, off, atol=1e-9)


class ChainsByLotTest(unittest.TestCase):
    def test_against_rotations_of_another_library(self):
        for seed in range(draws(200, 2000)):
            lot = random.Random(seed)

            def place(lot=lot):
                return tuple(round(lot.uniform(-500, 500), 3) for _ in range(3))

            tilt = tuple(AxisTurn(about=lot.choice("xyz"), degrees=lot.uniform(-180, 180)) for _ in range(3))
            lower = rotary("A", lot.choice("xyz"), place(), sense=lot.choice(("right-handed", "left-handed")))
            upper = rotary("C", lot.choice("xyz"), place(), on=A, flat_deg=lot.uniform(-5, 5))
            mount = Mount(id=FACE, name="face", on=C, at=point(*place()), turned=tilt,
                          tilt_x_deg=lot.uniform(-3, 3), tilt_y_deg=lot.choice((0.0, 1.5)))  # fmt: skip
            turn_deg = lot.uniform(-180, 180)
            machine, station = with_places(lower, upper, mount, at=place(), on=FACE, turn_deg=turn_deg)
            a, c = lot.uniform(-180, 180), lot.uniform(-180, 180)
            s_place = np.array(place())

            expected = Rotation.from_euler("z", turn_deg, degrees=True).apply(s_place) + station.at.as_tuple()
            for axis, degrees in (("x", mount.tilt_x_deg), ("y", mount.tilt_y_deg)):
                expected = Rotation.from_euler(axis, degrees, degrees=True).apply(expected)
            for each in tilt:
                expected = Rotation.from_euler(each.about, each.degrees, degrees=True).apply(expected)
            expected = expected + mount.at.as_tuple()
            for axis, degrees in ((upper, c - upper.flat_deg), (lower, -a if lower.sense == "left-handed" else a)):
                centre = np.array(axis.centre.as_tuple())
                about = Rotation.from_euler(axis.about, degrees, degrees=True)
                expected = centre + about.apply(expected - centre)
            found = tf_m_station(machine, station, index(A=a, C=c))
            np.testing.assert_allclose(found(s_place), expected, atol=1e-9)
            np.testing.assert_allclose(found.inverse()(expected), s_place, atol=1e-9)


class RefusalTest(unittest.TestCase):
    def test_what_carries_itself_or_is_not_there(self):
        with self.assertRaisesRegex(ValidationError, "'axis C' carries itself"):
            with_places(rotary("A", "x", (0, 0, 0), on=C), rotary("C", "z", (0, 0, 0), on=A), on=C)
        with self.assertRaisesRegex(ValidationError, "'there' stands on a carrier that is not there"):
            with_places(on=A)

    def test_two_of_one_id(self):
        with self.assertRaisesRegex(ValidationError, "share one id"):
            twice = rotary("A", "x", (0, 0, 0)).model_copy(update={"name": "again"})
            with_places(rotary("A", "x", (0, 0, 0)), twice)


if __name__ == "__main__":
    unittest.main()
