"""Work offsets of indexed setups by school: a block on a trunnion by hand, chains by lot against SciPy's rotations."""

from __future__ import annotations

import itertools
import math
import random
import unittest
from dataclasses import dataclass
from unittest import mock

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core import rotary_schools
from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InternalError
from ledgecliff.core.frames import AXES, Placement
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import PlateHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.stations import AxisTurn, IndexAngle, Mount, Rotary
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rotary_schools import (
    _farthest,
    axes_miss,
    axes_stand,
    axis_lines,
    clampings,
    indexed,
    model_placement,
    sweep_radius,
)
from ledgecliff.core.simulator.axes import TrueAxis, planned_axes
from tests.draws import draws
from tests.helpers import shipped_plan
from tests.jobs import block_job, feature, plan_of, point, setup, station_id

A, C = derived_id("A"), derived_id("C")
TILTING = Rotary(
    id=A, name="cradle", word="A", about="x", centre=Point(x=0, y=-210.5, z=-388.25), sense="right-handed",
    uncertainty=0.006, origin="trunnion faces",
)  # fmt: skip
TABLE = Rotary(
    id=C, name="table", word="C", about="z", centre=Point(x=-402.12, y=-210.74, z=0), sense="right-handed", on=A
)
PORTS = (
    feature("top bore", "hole", (45, 35, 60), diameter=8, depth=10),
    feature("back port", "hole", (60, 70, 25), "+Y", diameter=8, depth=10),
    feature("right port", "hole", (90, 35, 25), "+X", diameter=8, depth=10),
    feature("front port", "hole", (30, 0, 25), "-Y", diameter=8, depth=10),
    feature("left port", "hole", (0, 35, 25), "-X", diameter=8, depth=10),
)
INDEXES = ((0, 0), (90, 0), (90, 90), (90, 180), (90, 270))


def indexed_job(*carriers, words="AC", indexes=INDEXES, on=C, at=(-402.12, -210.74, -341.0), size=(90, 70, 60)):
    """The block on a plate that stands on what is named, in one clamping: a setup for each index."""
    setups = [setup(hold=PlateHold(), name=f"Op {10 * (k + 1)}") for k in range(len(indexes))]
    features = PORTS if size == (90, 70, 60) else ()
    job = block_job(*setups, part=size, stock=size, features=features)
    k = next(k for k, each in enumerate(job.machine.stations) if each.id == station_id("plate"))
    job = set_value(job, ("machines", 0, "carriers"), carriers or (TILTING, TABLE))
    for key, value in (("on", on), ("at", Point(x=at[0], y=at[1], z=at[2]))):
        job = set_value(job, ("machines", 0, "stations", k, key), value)
    for k, degrees in enumerate(indexes):
        angles = tuple(IndexAngle(word=w, degrees=d) for w, d in zip(words, degrees, strict=True))
        job = set_value(job, ("setups", k, "index"), angles)
    return job


class TrunnionTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.plan = plan_of(indexed_job())
        cls.rows = indexed(cls.plan)

    def test_ports_stand_where_they_were_worked_out_by_hand(self):
        by_hand = {
            "top bore": (0, (-402.120, -210.740, -281.000)),
            "back port": (1, (-387.120, -282.750, -353.490)),
            "right port": (2, (-402.120, -282.750, -343.490)),
            "front port": (3, (-387.120, -282.750, -353.490)),
            "left port": (4, (-402.120, -282.750, -343.490)),
        }
        for name, (number, m_place) in by_hand.items():
            planned = self.plan.setups[number]
            reading = next(each for each in planned.readings if each.name == name)
            found = planned.located.m_of((reading.x, reading.y, reading.z))
            np.testing.assert_allclose(found, m_place, atol=5e-7)

    def test_sides_that_are_up(self):
        sides = [("+Z", "+X"), ("+Y", "+X"), ("+X", "-Y"), ("-Y", "-X"), ("-X", "+Y")]
        self.assertEqual([(row.part_up, row.part_right) for row in self.rows], sides)
        self.assertEqual([row.index for row in self.rows], [(("A", a), ("C", c)) for a, c in INDEXES])
        self.assertEqual(clampings(self.plan), (self.plan.setups,))

    def test_offsets_of_every_school(self):
        shift = self.plan.setups[0].machine.length_shift()
        for row in self.rows:
            offsets = dict(row.offsets)
            # The zero is the middle of the top, on the C axis; the two axes pass each other by 0.24.
            computed = (-402.12, -317.75, -388.49) if row.index[0][1] else (-402.12, -210.74, -281.0)
            np.testing.assert_allclose(offsets["computed"], np.array(computed) - (0, 0, shift), atol=1e-9)
            np.testing.assert_allclose(offsets["centre"], (-402.12, -210.5, -388.25 - shift), atol=1e-9)
            self.assertEqual(offsets["probed"], tuple(row.setup.planned_offset))
        # At A90 C0 stock's middle and top are probed: 45 along X, 30 of 60 in Z before, back face 70 up.
        np.testing.assert_allclose(dict(self.rows[1].offsets)["probed"], (-402.12, -287.75, -353.49 - shift), atol=1e-9)
        self.assertAlmostEqual(axes_miss(self.plan.setups[0]), 0.24)

    def test_placement_of_the_model(self):
        placed = model_placement(self.plan.setups[0])
        np.testing.assert_allclose(placed.zero, (-45.0, -35.24, 47.25), atol=1e-9)
        np.testing.assert_allclose(placed.turns, (0.0, 0.0, 0.0), atol=1e-9)

    def test_a_quarter_turn_about_y(self):
        """Of the leaf on the column's left face: put back together from its three angles, the turn is the same."""
        first = shipped_plan("hinge-leaves").setups[1]
        placed = model_placement(first)
        x, y, z = (about(axis, degrees) for axis, degrees in zip("xyz", placed.turns, strict=True))
        # Level, the left face looks to the left: what is up in the setup looks to -X, and part -Z is up in it.
        np.testing.assert_allclose((z * y * x).as_matrix() @ (0, 0, -1), (-1, 0, 0), atol=1e-9)

    def test_axes_as_entered(self):
        cradle, table = axis_lines(self.plan.job.machine)
        self.assertEqual((cradle.about, cradle.on, cradle.centre), ("x", None, (("y", -210.5), ("z", -388.25))))
        self.assertEqual((table.about, table.on, table.centre), ("z", "cradle", (("x", -402.12), ("y", -210.74))))
        leaning = Mount(id=derived_id("wedge"), name="wedge", at=Point(x=0, y=0, z=0),
                        turned=(AxisTurn(about="y", degrees=10.0),))  # fmt: skip
        plan = plan_of(indexed_job(leaning, TILTING.model_copy(update={"on": leaning.id}), TABLE))
        lines = axis_lines(plan.job.machine)
        self.assertEqual([(line.about, len(line.centre)) for line in lines], [(None, 3), (None, 3)])
        self.assertIsNone(dict(indexed(plan)[0].offsets)["centre"])
        self.assertIsNone(model_placement(plan.setups[0]))

    def test_disagreeing_about_where_the_part_is_is_refused(self):
        lies, message = Placement(np.eye(3), np.zeros(3)), "lies otherwise in its fixture than in Op 10"
        for other in (
            Placement(np.eye(3), np.array([2e-6, 0, 0])),
            Placement(about("y", 0.1).as_matrix(), np.zeros(3)),
        ):
            with (
                mock.patch.object(rotary_schools, "_tf_s_p", side_effect=[other, lies]),
                self.assertRaisesRegex(InternalError, message),
            ):
                rotary_schools._indexed(self.plan.setups[1], self.plan.setups[0])

    def test_lengths_from_a_reference_plane(self):
        job = set_value(indexed_job(), ("machines", 0, "reference_z"), -12.5)
        rows = indexed(plan_of(set_value(job, ("machines", 0, "lengths_from"), "reference plane")))
        for before, after in zip(self.rows, rows, strict=True):
            for (_, one), (_, other) in zip(before.offsets, after.offsets, strict=True):
                np.testing.assert_allclose(np.array(other) - one, (0.0, 0.0, 12.5), atol=1e-9)

    def test_axes_that_are_not_said_stand_flat(self):
        level = TILTING.model_copy(update={"flat_deg": 0.35})
        plan = plan_of(set_value(indexed_job(level, TABLE), ("setups", 0, "index"), ()))
        self.assertEqual(axes_stand(plan.setups[0]), (("A", 0.35), ("C", 0.0)))

    def test_axes_that_are_not_square_to_each_other(self):
        """C leans by 10 degrees: the radius holds all corners however it turns, and is not idly great."""
        wedge = Mount(id=derived_id("wedge"), name="wedge", on=A, at=point(-402.12, -210.74, -380.0),
                      turned=(AxisTurn(about="y", degrees=10.0),))  # fmt: skip
        leaning = TABLE.model_copy(update={"on": wedge.id, "centre": point(0, 0, 0)})
        first = plan_of(indexed_job(TILTING, wedge, leaning, indexes=INDEXES[:1], at=(0, 0, 40))).setups[0]
        corners = first.holding.stock.mesh.vertices @ first.setup.orientation.matrix().T @ first.located.tf_m_u.turn.T
        corners, centre, far = corners + first.located.tf_m_u.shift, np.array([-402.12, -210.74, -380.0]), 0.0
        along = about("y", 10.0).apply((0.0, 0.0, 1.0))
        for degrees in np.arange(0.0, 360.0, 1.0):
            turned = Rotation.from_rotvec(along * math.radians(degrees)).apply(corners - centre) + centre
            far = max(far, float(np.hypot(turned[:, 1] + 210.5, turned[:, 2] + 388.25).max()))
        radius = _farthest(corners, planned_axes(first.machine)[0], planned_axes(first.machine)[1:])
        self.assertTrue(far < radius < far + 60.0, (far, radius))

    def test_a_chain_of_three(self):
        """A corner 2 off C, which B takes 50 round: 100 above A at the most, and 2."""
        lines = (("A", (0, 0, 0), (1, 0, 0)), ("C", (10, 0, 0), (0, 0, 1)), ("B", (10, 0, 50), (0, 1, 0)))
        under, top, middle = (TrueAxis(w, w, np.array(c, float), np.array(a, float)) for w, c, a in lines)
        corner = np.array([[12.0, 0.0, 0.0]])
        self.assertAlmostEqual(_farthest(corner, under, (top, middle)), 50.0 + 50.0 + 2.0, delta=4.0)
        self.assertGreaterEqual(_farthest(corner, under, (top, middle)), 100.0)

    def test_only_what_is_on_that_axis_sweeps(self):
        job = indexed_job(indexes=INDEXES[:2])
        alone = plan_of(job)
        vise = set_value(job, ("setups", 1), setup(name="Op 20"))
        again = plan_of(vise)
        self.assertEqual(sweep_radius(again, again.setups[0]), sweep_radius(alone, alone.setups[0]))

    def test_what_is_done_at_the_bench_ends_a_clamping(self):
        sand = {"kind": "sand", "id": derived_id("sand"), "name": "sand", "before": derived_id("Op 30")}
        plan = plan_of(set_value(indexed_job(), ("bench",), (sand,)))
        self.assertEqual([len(group) for group in clampings(plan)], [2, 3])

    def test_offsets_mean_the_same_however_well_the_centre_is_known(self):
        job = self.plan.job
        better = set_value(job, ("machines", 0, "carriers", 0, "uncertainty"), 0.001)
        moved = set_value(job, ("machines", 0, "carriers", 0, "centre", "y"), -210.4)
        means = [meaning_of(each, each.setups[1]) for each in (job, better, moved)]
        self.assertEqual(means[0], means[1])
        self.assertNotEqual(means[0], means[2])

    def test_another_clamping_begins_anew(self):
        again = set_value(indexed_job(), ("setups", 2, "orientation", "right"), "+Y")
        groups = [[each.index for each in group] for group in clampings(plan_of(again))]
        self.assertEqual(groups, [[0, 1], [2], [3, 4]])

    def test_a_job_on_the_table_has_no_index(self):
        plan = plan_of(block_job())
        self.assertEqual((indexed(plan), axes_stand(plan.setups[0])), ((), ()))
        self.assertIsNone(sweep_radius(plan, plan.setups[0]))
        self.assertIsNone(model_placement(plan.setups[0]))
        self.assertIsNone(axes_miss(plan.setups[0]))


@dataclass
class Chain:
    """Two axes by lot, the lower one first, and how SciPy turns a place about them."""

    lot: random.Random

    def __post_init__(self):
        self.words, self.about = self.lot.choice((("AC", "xz"), ("BC", "yz"), ("AB", "xy"), ("BA", "yx")))
        self.centres = [[self.lot.uniform(-500, 0) for _ in range(3)] for _ in "12"]
        self.senses = [self.lot.choice((1, -1)) for _ in "12"]
        self.flats = [self.lot.choice((0.0, 0.35)) for _ in "12"]

    def carriers(self):
        return [
            Rotary(
                id=derived_id(self.words[k]), name=self.words[k], word=self.words[k], about=self.about[k],
                on=derived_id(self.words[0]) if k else None, centre=point(*self.centres[k]), flat_deg=self.flats[k],
                sense="right-handed" if self.senses[k] > 0 else "left-handed",
            )
            for k in range(2)
        ]  # fmt: skip

    def turned(self, m_place, degrees, *, back=False):
        for k in (0, 1) if back else (1, 0):
            angle = self.senses[k] * (degrees[k] - self.flats[k]) * (-1 if back else 1)
            m_place = about(self.about[k], angle).apply(m_place - self.centres[k]) + self.centres[k]
        return m_place


def about(axis, degrees):
    return Rotation.from_rotvec(np.eye(3)[AXES.index(axis)] * math.radians(degrees))


class ByLotTest(unittest.TestCase):
    def test_computed_offsets_of_chains(self):
        """From the zero's place at nought, about both centres; senses, angles, places drawn."""
        lot = random.Random(5)
        for _ in range(draws(12, 300)):
            chain = Chain(lot)
            indexes = [(lot.uniform(-180, 180), lot.uniform(-180, 180)) for _ in "123"]
            size, at = tuple(lot.uniform(5, 90) for _ in "xyz"), tuple(lot.uniform(-400, -50) for _ in "xyz")
            carriers = chain.carriers()
            job = indexed_job(*carriers, words=chain.words, indexes=indexes, on=carriers[1].id, at=at, size=size)
            k = next(k for k, each in enumerate(job.machine.stations) if each.on == carriers[1].id)
            job = set_value(job, ("machines", 0, "stations", k, "turn_deg"), lot.uniform(-180, 180))
            for number in range(3):
                job = set_value(job, ("setups", number, "orientation"), Orientation(up="-Y", right="+Z"))
            plan = plan_of(job)
            zero = chain.turned(plan.setups[0].located.m_offset, indexes[0], back=True)
            shift = (0.0, 0.0, plan.setups[0].machine.length_shift())
            for row, degrees in zip(indexed(plan), indexes, strict=True):
                expected = chain.turned(zero, degrees) - shift
                np.testing.assert_allclose(dict(row.offsets)["computed"], expected, atol=1e-8)
            self._assert_placed(plan, chain, indexes[0])
            self._assert_swept(plan, chain)

    def _assert_placed(self, plan, chain, degrees):
        """The model's placement takes its far corner where the chain has it at nought."""
        first, placed = plan.setups[0], model_placement(plan.setups[0])
        p_far = np.array([*first.holding.stock.corners[1]])
        m_far = chain.turned(first.located.m_of(first.wcs.reads(p_far)), degrees, back=True)
        turned = p_far
        for axis, turn in zip("xyz", placed.turns, strict=True):
            turned = about(axis, turn).apply(turned)
        centre = np.array(dict(indexed(plan)[0].offsets)["centre"])
        centre[2] += first.machine.length_shift()
        np.testing.assert_allclose(centre + placed.zero + turned, m_far, atol=1e-8)

    def _assert_swept(self, plan, chain):
        """No corner of any body gets beyond the radius however the axes stand, and one of them gets there."""
        first, far = plan.setups[0], 0.0
        radius = sweep_radius(plan, first)
        bodies = [np.asarray(block.solid().to_mesh().vert_properties)[:, :3] for block in first.holding.blocks]
        block = np.array(list(itertools.product((0, 1), repeat=3))) * first.holding.stock.corners[1]
        corners = np.vstack([block @ first.setup.orientation.matrix().T, *bodies])
        corners = corners @ first.located.tf_m_u.turn.T + first.located.tf_m_u.shift
        stands = [angle.degrees for angle in first.setup.index]
        corners = chain.turned(corners, stands, back=True)
        across = [k for k in range(3) if AXES[k] != chain.about[0]]
        for degrees in np.arange(0.0, 360.0, 1.0):
            turned = about(chain.about[1], degrees).apply(corners - chain.centres[1]) + chain.centres[1]
            far = max(far, float(np.hypot(*(turned - chain.centres[0])[:, across].T).max()))
        self.assertLessEqual(far, radius + 1e-3)
        self.assertGreater(far, radius - 0.05)


class OneAxisTest(unittest.TestCase):
    def test_x_of_the_centre_is_the_zeros_own(self):
        only = TILTING.model_copy(update={"centre": Point(x=7.0, y=-157.696, z=-402.35)})
        plan = plan_of(indexed_job(only, words="A", indexes=((0,), (90,), (-90,), (180,)), on=A))
        shift = (0.0, 0.0, plan.setups[0].machine.length_shift())
        zero = np.array(dict(indexed(plan)[0].offsets)["probed"]) + shift
        for row, (c, s) in zip(indexed(plan), ((1, 0), (0, 1), (0, -1), (-1, 0)), strict=True):
            y, z = zero[1] + 157.696, zero[2] + 402.35
            expected = (zero[0], -157.696 + c * y - s * z, -402.35 + s * y + c * z)
            np.testing.assert_allclose(np.array(dict(row.offsets)["computed"]) + shift, expected, atol=1e-9)
            np.testing.assert_allclose(
                np.array(dict(row.offsets)["centre"]) + shift, (zero[0], -157.696, -402.35), atol=1e-9
            )


if __name__ == "__main__":
    unittest.main()
