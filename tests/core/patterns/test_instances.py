"""Instances against jobs whose only station stands where the pattern puts it, and against chains worked out apart."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.pattern import Pattern
from ledgecliff.core.patterns.instances import instances_of
from ledgecliff.core.plan import make_plan
from tests.draws import draws
from tests.helpers import shipped_plan

#: The faces of the hinge leaves' tombstone.
FACES = [c for c in shipped_plan("hinge-leaves").job.machine.carriers if c.kind == "mount"]


def with_pattern(plan, number=0, **fields):
    job = set_value(plan.job, ("setups", number, "pattern"), Pattern.model_validate(fields))
    return make_plan(job, plan.models)


def alone_at(plan, number, each):
    """The plan of the same setup with its own station where an instance stands, and no pattern."""
    job = plan.job
    setup = job.setups[number]
    machine = job.number_of(job.machine_of(setup))
    k = [station.id for station in job.machines[machine].stations].index(setup.station)
    path = ("machines", machine, "stations", k)
    job = set_value(job, ("setups", number, "pattern"), None)
    for field in ("at", "turn_deg", "on"):
        job = set_value(job, (*path, field), getattr(each.station, field))
    return make_plan(set_value(job, ("setups", number, "index"), each.index), plan.models).setups[number]


class AloneTest(unittest.TestCase):
    """An instance is what the setup would be if nothing but its own station stood there."""

    def assert_as_alone(self, plan, number):
        for each in plan.instances(number):
            alone = alone_at(plan, number, each)
            np.testing.assert_allclose(each.m_zero, alone.located.m_offset, atol=1e-7, err_msg=each.name)
            corners = np.array([alone.holding.u_stock[0], alone.holding.u_stock[1], alone.wcs.u_origin])
            for u in corners:
                np.testing.assert_allclose(each.located.tf_m_u(u), alone.located.tf_m_u(u), atol=1e-7)
            for reading in alone.readings:
                w = np.array([reading.x, reading.y, reading.z])
                np.testing.assert_allclose(each.located.m_of(w), alone.located.m_of(w), atol=1e-7)

    def test_rack_shoes(self):
        plan = shipped_plan("rack-shoes")
        self.assert_as_alone(plan, 0)
        self.assert_as_alone(plan, 1)

    def test_random_grids_and_rings_on_turned_stations(self):
        chance, plan = random.Random(4), shipped_plan("float-housing")
        for _ in range(draws(3, 30)):
            turned = set_value(plan.job, ("machines", 0, "stations", 0, "turn_deg"), chance.choice((0, 90, 17.5, -120)))
            base = make_plan(turned, plan.models)
            grid = {"kind": "grid", "columns": 2, "rows": 2, "column_pitch": chance.uniform(150, 300),
                    "row_pitch": chance.uniform(-300, -200), "turn_deg": chance.uniform(-90, 90)}  # fmt: skip
            shift = {"x": chance.uniform(-2, 2), "y": chance.uniform(-2, 2), "z": chance.uniform(-1, 1)}
            self.assert_as_alone(with_pattern(base, layout=grid, instances=[{"place": "2-1", "shift": shift}]), 0)
            ring = {"kind": "ring", "count": 4, "middle_x": chance.uniform(-200, 200), "middle_y": 150.0,
                    "step_deg": chance.uniform(40, 85), "turns_along": chance.random() < 0.5}  # fmt: skip
            self.assert_as_alone(with_pattern(base, layout=ring), 0)

    def test_faces_of_a_tombstone_one_of_them_measured_off(self):
        plan = shipped_plan("hinge-leaves")
        carriers = plan.job.machine.carriers
        k = carriers.index(FACES[2])
        off = set_value(plan.job, ("machines", 0, "carriers", k, "at", "z"), FACES[2].at.z + 0.35)
        faces = [
            {"carrier": face.id, "index": [{"word": "B", "degrees": 90.0 * n}]} for n, face in enumerate(FACES) if n
        ]
        grid = {"kind": "grid", "columns": 2, "rows": 1, "column_pitch": -95.0}
        made = with_pattern(make_plan(off, plan.models), layout=grid, faces=faces, grouped_by="faces")
        self.assert_as_alone(made, 0)


class ChainTest(unittest.TestCase):
    def test_a_face_by_hand(self):
        """Faces 150 from the column's axis: whichever faces the spindle, the same place is 40 right and 110 up."""
        faces = [{"carrier": FACES[1].id, "index": [{"word": "B", "degrees": 90.0}]}]
        plan = with_pattern(shipped_plan("hinge-leaves"), faces=faces)
        first, other = plan.instances(0)
        np.testing.assert_allclose(first.m_zero, (-350 + 40, 110, -820 + 150), atol=1e-9)
        np.testing.assert_allclose(other.m_zero, first.m_zero, atol=1e-9)
        self.assertEqual((first.face, other.face, other.carrier), ("face at B0", "face at B90", "column"))

    def test_a_face_at_the_wrong_index_leans(self):
        faces = [{"carrier": FACES[1].id, "index": [{"word": "B", "degrees": 89.5}]}]
        plan = with_pattern(shipped_plan("hinge-leaves"), faces=faces)
        self.assertAlmostEqual(plan.instances(0)[1].leans_deg, 0.5, places=6)
        self.assertEqual(plan.instances(0)[0].leans_deg, 0.0)

    def test_random_faces_turned_by_points(self):
        """Where the zero goes, by complex numbers about the column's axis."""
        chance, plan = random.Random(5), shipped_plan("hinge-leaves")
        column = plan.job.machine.carriers[0]
        for _ in range(draws(20, 400)):
            n = chance.randrange(1, 4)
            deg, dx, dy = chance.uniform(-180, 180), chance.uniform(-60, 60), chance.uniform(-40, 40)
            faces = [{"carrier": FACES[n].id, "index": [{"word": "B", "degrees": deg}]}]
            made = with_pattern(plan, faces=faces, instances=[
                {"place": f"{FACES[n].id}/1-1", "shift": {"x": dx, "y": dy, "z": 0.0}},
            ])  # fmt: skip
            each = made.instances(0)[1]
            # Seen along +Y a right-handed turn takes +Z to +X: z + ix, the angle counting up.
            in_face = complex(150.0, 40.0 + dx)
            turned = in_face * complex(math.cos(math.radians(deg - 90 * n)), math.sin(math.radians(deg - 90 * n)))
            expected = (column.centre.x + turned.imag, 110 + dy, column.centre.z + turned.real)
            np.testing.assert_allclose(each.m_zero, expected, atol=1e-8)


class SchoolTest(unittest.TestCase):
    def test_shifts_lead_from_the_shared_zero_to_each_own(self):
        plan = shipped_plan("rack-shoes")
        for each in plan.instances(0):
            self.assertEqual(each.offset, "G54")
            np.testing.assert_allclose(each.located.m_offset + each.located.local_shift, each.m_zero, atol=1e-9)
        shifts = {each.name: tuple(each.located.local_shift.round(9)) for each in plan.instances(0)}
        self.assertEqual(shifts["1"], (0, 0, 0))
        self.assertEqual(shifts["3"], (148, 0, 0))
        self.assertEqual(shifts["8"], (148, 118.2, 0))

    def test_on_a_turned_station_shifts_are_along_the_turned_axes(self):
        plan = shipped_plan("rack-shoes")
        turned = set_value(plan.job, ("machines", 0, "stations", 0, "turn_deg"), 30.0)
        made = make_plan(turned, plan.models)
        for each in made.instances(0):
            c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
            x, y, z = each.located.local_shift
            along = np.array([c * x - s * y, s * x + c * y, z])
            np.testing.assert_allclose(each.located.m_offset + along, each.m_zero, atol=1e-9)

    def test_the_shared_zero_does_not_move_with_the_masters_own_shift(self):
        plan = shipped_plan("rack-shoes")
        here = set_value(plan.job, ("setups", 0, "pattern", "instances"), [
            {"place": "1-1", "shift": {"x": 0.3, "y": 0.0, "z": 0.0}},
        ])  # fmt: skip
        made = make_plan(here, plan.models)
        np.testing.assert_allclose(made.instances(0)[0].located.local_shift, (0.3, 0, 0), atol=1e-9)
        np.testing.assert_allclose(made.instances(0)[1].located.local_shift, (74, 0, 0), atol=1e-9)

    def test_one_offset_for_each_face_or_group(self):
        faces = [{"carrier": FACES[2].id, "index": [{"word": "B", "degrees": 180.0}]}]
        grid = {"kind": "grid", "columns": 1, "rows": 2, "row_pitch": 90.0}
        common = {"layout": grid, "faces": faces, "school": "local shifts"}
        codes = [{"key": f"{FACES[2].id}/face", "offset": "G57"}]
        by_face = with_pattern(shipped_plan("hinge-leaves"), **common, codes=codes).instances(0)
        self.assertEqual([each.offset for each in by_face], ["G54", "G54", "G57", "G57"])
        by_row = with_pattern(shipped_plan("hinge-leaves"), **common, grouped_by="rows", one_each="group")
        self.assertEqual([each.offset for each in by_row.instances(0)], ["G54", None, None, None])
        for each in by_row.instances(0):
            np.testing.assert_allclose(each.located.local_shift, 0, atol=1e-9)

    def test_a_job_without_patterns_has_one_instance_that_is_the_setup(self):
        plan = shipped_plan("float-housing")
        for setup in plan.setups:
            (only,) = instances_of(setup.machine, None, setup.clamping)
            np.testing.assert_array_equal(only.m_zero, setup.located.m_offset)
            self.assertEqual((only.offset, only.state), (setup.setup.offset, "on"))


class StaysClampedTest(unittest.TestCase):
    def test_the_next_side_stands_at_the_same_stations(self):
        """What only axes turn has the pattern of the setup before, its faces turned on by as much."""
        plan = shipped_plan("sluice-valve-block")
        grid = {"kind": "grid", "columns": 1, "rows": 2, "row_pitch": 150.0}
        made = with_pattern(plan, layout=grid)
        first, second = made.instances(0), made.instances(1)
        self.assertTrue(made.is_indexed(1))
        self.assertEqual([each.key for each in second], [each.key for each in first])
        self.assertEqual([each.station.at for each in second], [each.station.at for each in first])
        self.assertEqual(second[1].index, plan.job.setups[1].index)
        self.assertIsNone(second[1].offset)
