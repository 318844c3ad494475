"""Indexed setups on the simulated machine: turned about true centres, zeros as the programs work them out."""

from __future__ import annotations

import random
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.budget.sides import left_by_axes, off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import PlanError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.bench import Sand
from ledgecliff.core.model.holding import SoftJaws
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stations import IndexAngle, Rotary
from ledgecliff.core.places import moved_by_centre, tf_m_s
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.rehearsing import Rehearsing
from ledgecliff.core.rehearsal.true_world import AxisError, StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.simulator.modal import PARAMETER_STYLE
from ledgecliff.core.turned_zero import turned_off
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job
from tests.draws import draws
from tests.helpers import shipped_plan
from tests.jobs import plan_of
from tests.rehearsals import rehearsed

ALONG = AxisDatum(source="rotary index")
SURE = StatedProbe(repeatability=0.0)
COLUMN = Rotary(
    id=derived_id("B"), name="column", word="B", about="y", centre=Point(x=-350, y=0, z=-520), sense="right-handed",
    uncertainty=0.01, origin="bar at rest",
)  # fmt: skip


def along_job(*carriers, indexes, **more):
    """As ``indexed_job``, each index after the first worked out from the one before in a code of its own."""
    job = indexed_job(*carriers, indexes=indexes, **more)
    for k in range(1, len(indexes)):
        job = set_value(job, ("setups", k, "offset"), f"G{54 + k}")
        job = set_value(job, ("setups", k, "datum"), Datum(x=ALONG, y=ALONG, z=ALONG))
    return job


def column_job(degrees):
    size = {"size": (50, 40, 30), "at": (-310.0, -200.0, -370.0)}
    return along_job(COLUMN, words="B", on=COLUMN.id, indexes=((0,), (degrees,)), **size)


def left_along_axes(plan, number):
    """What axes leave of a zero by the budget, along the machine's axes (3,), one standard deviation."""
    left, setup = left_by_axes(plan, number), plan.setups[number]
    to_machine = setup.located.tf_m_u.turn @ setup.setup.orientation.matrix()
    return np.linalg.norm(to_machine @ left.moved * [each.scatter.standard for each in left.sources], axis=1)


def about(centre, axis, degrees):
    turn = Rotation.from_euler(axis, degrees, degrees=True)
    return lambda place: turn.apply(place - centre) + centre


class CentreTest(unittest.TestCase):
    def test_a_tombstone_believed_elsewhere(self):
        """Believed 0.012 right and 0.008 below of where it is: by hand (0.020, 0, 0.004), (0.024, 0, -0.016) and
        (0.004, 0, -0.020) for a quarter, half and three quarters of a turn."""
        world = TrueWorld(axes=(AxisError(axis="column", off=Point(x=-0.012, y=0, z=0.008)),), probe=SURE)
        for degrees, off in ((90, (0.020, 0, 0.004)), (180, (0.024, 0, -0.016)), (270, (0.004, 0, -0.020))):
            plan = plan_of(column_job(degrees))
            steps = Rehearsing(written_plan(plan), world)
            for k in (0, 1):
                now = steps.clamp(k)
                alarms = [steps.run(text.text).alarm for text in now.planned.probing_texts]
                self.assertEqual(alarms[: 1 - k], [""][: 1 - k])  # turned away, nothing can be touched any more
                steps.cut_to(0)
            # What the program has written, less where the true column has taken the same place of the part.
            np.testing.assert_allclose(now.found - now.m_right, off, atol=6e-4, err_msg=str(degrees))
            before, after = (each.setup for each in plan.setups)
            moved = moved_by_centre(plan.job.machine, before, after, plan.job.machine.carriers[0])
            np.testing.assert_allclose(moved @ (0.012, 0, -0.008), off, atol=5e-4)

    def test_what_axes_leave_against_drawing_them(self):
        """Centres and angles drawn within what is stated: the zero is never off by more than the most that is told, and
        half the draws' own spread is what is told of it.  Also where only the upper axis turns, on one that stands
        turned all the while: where that has put it hangs on both centres."""
        cradle = TILTING.model_copy(update={"repeat_deg": 0.01})
        table = TABLE.model_copy(update={"uncertainty": 0.02, "repeat_deg": 0.004})
        chance = np.random.default_rng(4)
        for first, second in (((0, 0), (90, 200)), ((90, 0), (90, 90)), ((30, 10), (30, -140)), ((90, 45), (0, 45))):
            plan = plan_of(along_job(cradle, table, indexes=(first, second)))
            m_zero = plan.setups[1].located.m_offset
            told = turned_off(plan.job.machine, *(each for each in plan.job.setups), m_zero)
            most = [sum(each.most(k, 0.0) for each in told) for k in range(3)]
            spread = left_along_axes(plan, 1)
            a, c = np.array([0, -210.5, -388.25]), np.array([-402.12, -210.74, 0])
            at_nought = about(c, "z", -second[1])(about(a, "x", -second[0])(m_zero))
            found = about(a, "x", first[0])(about(c, "z", first[1])(at_nought))
            offs = []
            for _ in range(600):
                off_a, off_c = chance.uniform(-1, 1, 3) * (0, 0.006, 0.006), chance.uniform(-1, 1, 3) * (0.02, 0.02, 0)
                (a1, a2), (c1, c2) = chance.uniform(-0.01, 0.01, 2), chance.uniform(-0.004, 0.004, 2)
                was = about(c + off_c, "z", -first[1] - c1)(about(a + off_a, "x", -first[0] - a1)(found))
                offs.append(about(a + off_a, "x", second[0] + a2)(about(c + off_c, "z", second[1] + c2)(was)) - m_zero)
            worst = np.abs(offs).max(axis=0)
            self.assertTrue(np.all(worst <= np.array(most) + 1e-6), (first, second, worst, most))
            np.testing.assert_allclose(np.std(offs, axis=0), spread, rtol=0.1, atol=2e-6, err_msg=str((first, second)))

    def test_the_angle_by_hand(self):
        """A hundredth of a degree, before and after, at the zero's distance from the axis."""
        cradle = TILTING.model_copy(update={"repeat_deg": 0.01, "uncertainty": 0.0})
        plan = plan_of(along_job(cradle, TABLE.model_copy(update={"repeat_deg": None}), indexes=((0, 0), (90, 0))))
        m_zero = plan.setups[1].located.m_offset
        (told,) = turned_off(plan.job.machine, *plan.job.setups, m_zero)
        arm = m_zero - (0, -210.5, -388.25)
        expected = np.radians(0.01) * float(np.hypot(arm[1], arm[2]))
        np.testing.assert_allclose(np.linalg.norm(told.repeat, axis=0), (expected, expected), rtol=1e-4)

    def test_axes_that_stand_where_they_stood_leave_nothing(self):
        plan = plan_of(along_job(TILTING, TABLE, indexes=((30, 10), (30, 10))))
        self.assertEqual(turned_off(plan.job.machine, *plan.job.setups, plan.setups[1].located.m_offset), ())

    def test_nothing_said_counts_as_nothing_known(self):
        unsaid = TILTING.model_copy(update={"uncertainty": None})
        plan = plan_of(along_job(unsaid, TABLE, indexes=((0, 0), (90, 0))))
        guess = plan.setups[1].setup.probing.guess
        self.assertGreaterEqual(plan.setups[1].probing.knowledge_before[2].uncertainty, guess)


class ChainTest(unittest.TestCase):
    def test_offsets_as_programs_work_them_out(self):
        """Chains by lot, any senses, places and angles, both units, every style, against SciPy's rotations."""
        lot = random.Random(18)
        for number in range(draws(8, 2000)):
            a, c, flat = lot.uniform(-75, 75), lot.uniform(-200, 200), lot.uniform(-5, 5)
            senses = [lot.choice(("right-handed", "left-handed")) for _ in range(2)]
            c_a, c_c = (
                np.array([lot.uniform(-450, -350), lot.uniform(-230, -190), lot.uniform(-420, -360)]) for _ in "AC"
            )
            cradle = TILTING.model_copy(
                update={"sense": senses[0], "flat_deg": round(flat, 3), "centre": Point(x=c_a[0], y=c_a[1], z=c_a[2])}
            )
            table = TABLE.model_copy(update={"sense": senses[1], "centre": Point(x=c_c[0], y=c_c[1], z=c_c[2])})
            at = tuple(lot.uniform(low, high) for low, high in ((-450, -380), (-250, -200), (-380, -330)))
            indexes = ((round(flat, 3), 0), (round(a, 3), round(c, 3)))
            job = set_value(
                along_job(cradle, table, indexes=indexes, at=at), ("machines", 0, "profile"), list(SHIPPED)[number % 4]
            )
            for field, value in (("program_units", ("mm", "in")[number % 2]), ("reference_z", -17.3 * (number % 3)),
                                 ("lengths_from", "reference plane")):  # fmt: skip
                job = set_value(job, ("machines", 0, field), value)
            plan = plan_of(job)
            machine = plan.job.machine
            unit = SimulatedMachine(machine, [], {1: plan.setups[0].located.m_offset.copy(), 2: np.zeros(3)}, quiet())
            # The lines that write, on a control without anything in the way.
            lines = [line for line in probing_text(plan, 1).splitlines() if line.startswith("G10 ") and "#5221" in line]
            unit_word = "G20" if machine.program_units == "in" else "G21"
            outcome = Control(unit, PARAMETER_STYLE.on(machine)).run(f"{unit_word}\n" + "\n".join(lines) + "\nM2\n")
            self.assertEqual((len(lines), outcome.alarm), (1, ""))
            signs = [1.0 if sense == "right-handed" else -1.0 for sense in senses]
            turn_a = Rotation.from_euler("x", signs[0] * (indexes[1][0] - indexes[0][0]), degrees=True)
            turn_c = Rotation.from_euler("z", signs[1] * indexes[1][1], degrees=True)
            before = plan.setups[0].located.m_offset
            np.testing.assert_allclose(
                unit.offsets[2], turn_a.apply(turn_c.apply(before - c_c) + c_c - c_a) + c_a, atol=3e-4
            )

    def test_read_back_in_every_style(self):
        """Axes left elsewhere, old values in the offset, everything a little off: the text does as planned."""
        for profile in SHIPPED:
            for units in ("mm", "in")[: draws(1, 2)]:
                job = along_job(
                    TILTING.model_copy(update={"free_word": "M78", "clamp_word": "M79"}),
                    TABLE.model_copy(update={"way_round": "sign is the way"}),
                    indexes=((0, 0), (-60, -30)),
                )  # fmt: skip
                job = set_value(
                    set_value(job, ("machines", 0, "profile"), profile), ("machines", 0, "program_units"), units
                )
                plan = plan_of(job)
                for k in (0, 1):
                    self.assertEqual(read_back(plan, k).differences, (), (profile, units, k))
                shifted = plan_of(set_value(job, ("setups", 1, "datum", "y", "shift"), 1.25))
                self.assertEqual(read_back(shifted, 1).differences, (), (profile, units, "shifted"))
                further = shifted.setups[1].located.m_offset - plan.setups[1].located.m_offset
                np.testing.assert_allclose(further, (0, 1.25, 0), atol=1e-9)
                text = probing_text(plan, 1)
                self.assertLess(text.index("M78"), text.index("A-60.0"))
                self.assertLess(text.index("A-60.0"), text.index("M79"))
                self.assertIn("C330.0", text)

    def test_one_code_for_both_is_refused(self):
        job = set_value(column_job(90), ("setups", 1, "offset"), "G54")
        with self.assertRaisesRegex(PlanError, "both are kept in G54"):
            probing_text(plan_of(job), 1)


class TurnedTest(unittest.TestCase):
    def test_the_part_goes_along_with_the_true_axes(self):
        """Centre, level, sense and where it stops are the machine's own; what was clamped askew stays askew."""
        axes = (AxisError(axis="cradle", off=Point(x=0, y=0.2, z=-0.1), flat_off_deg=0.5, sense="the other way"),)
        clampings = (
            TrueClamping(name="Op 10", part_off=Point(x=0.1, y=-0.2, z=0.05), skew_deg=0.3),
            TrueClamping(name="Op 20", index_off=(IndexAngle(word="A", degrees=0.25),)),
        )
        plan = plan_of(along_job(TILTING, TABLE, indexes=((0, 0), (60, 0))))
        steps = Rehearsing(written_plan(plan), TrueWorld(axes=axes, setups=clampings, probe=SURE))
        before = steps.clamp(0)
        placed = before.true.tf_m_p
        after = steps.clamp(1).true.tf_m_p
        # The other way round: from level at 0.5 to 60.25 less that.
        centre, turn = np.array([0.0, -210.3, -388.35]), Rotation.from_euler("x", -60.25, degrees=True)
        for corner in ((0, 0, 0), (90, 70, 60), (0, 70, 0)):
            there = turn.apply(placed(np.array(corner, dtype=float)) - centre) + centre
            np.testing.assert_allclose(after(np.array(corner, dtype=float)), there, atol=1e-9)

    def test_a_program_that_does_not_go_to_its_index(self):
        """The axes are where the setup before has left them: without the move the part is not there to be touched."""
        plan = shipped_plan("sluice-valve-block")
        for goes in (True, False):
            steps = Rehearsing(written_plan(plan), TrueWorld(probe=SURE))
            steps.clamp(0)
            self.assertEqual([steps.run(text.text).alarm for text in steps.plan.setups[0].probing_texts], [""])
            steps.cut_to(2)
            steps.clamp(1)
            lines = [line for line in probing_text(plan, 1).splitlines() if goes or not line.startswith("G0 A")]
            self.assertEqual(not steps.run("\n".join(lines)).alarm, goes)

    def test_words_that_free_and_clamp(self):
        cradle = TILTING.model_copy(
            update={"free_word": "M78", "clamp_word": "M79", "lowest_deg": -30, "highest_deg": 110}
        )
        table = TABLE.model_copy(update={"way_round": "sign is the way"})
        machine = plan_of(indexed_job(cradle, table)).job.machine
        for text, alarm in (
            ("G0 A90", "moved while it is clamped"),
            ("M78\nG0 A90\nM79", ""),
            ("M78\nG0 A111", "outside the travel of cradle"),
            ("M78\nG0 A90\nM79\nG0 A0", "moved while it is clamped"),
            ("M78\nT30 M6\nG43 H30\nG38.3 Z-60 F100", "A is not clamped"),
        ):
            plan = plan_of(indexed_job(cradle, table))
            unit = Rehearsing(written_plan(plan), TrueWorld()).clamp(0).machine
            outcome = Control(unit, PARAMETER_STYLE.on(machine)).run(f"G21 G90\n{text}\nM2\n")
            self.assertIn(alarm, outcome.alarm) if alarm else self.assertEqual(outcome.alarm, "")
        Control(unit, PARAMETER_STYLE.on(machine)).run("G21 G90\nM79\nG0 C-90\nM2\n")
        self.assertEqual(unit.axes.angles["C"], 90.0, "a minus is the way there, not the place")


class KnownPlaceTest(unittest.TestCase):
    """The valve with its zero from where the fixture is known to be at every index: clamped once, cut five times."""

    @classmethod
    def setUpClass(cls):
        known, plan = AxisDatum(source="fixture value"), shipped_plan("sluice-valve-block")
        cls.touched = job = plan.job
        for k in range(5):
            job = set_value(job, ("setups", k, "datum"), Datum(x=known, y=known, z=known))
            job = set_value(job, ("setups", k, "probing", "cycles"), ())
        cls.models, cls.plan = plan.models, make_plan(job, plan.models)

    def between(self, plan, number, axis):
        return off_its_zero(plan, number + 1, axis).enters

    def test_how_it_was_clamped_does_not_come_between(self):
        for number in range(4):
            for axis in "xyz":
                kinds = {each.source.kind for each in self.between(self.plan, number, axis)}
                self.assertLessEqual(kinds, {"lands", "centre", "index"})
        # Its first side found by touching: where the clamped part lies comes in between, once.
        first = set_value(self.plan.job, ("setups", 0), self.touched.setups[0])
        plan = make_plan(first, self.models)
        lies = {each.source.key for each in self.between(plan, 0, "y") if each.source.kind == "lies"}
        self.assertEqual(len(lies), 1)

    def test_neither_does_what_soft_jaws_leave(self):
        job = self.plan.job
        for k in range(5):
            job = set_value(job, ("setups", k, "hold", "jaws"), SoftJaws(depth=6.0, clearance=0.04))
        plan = make_plan(job, self.models)
        self.assertFalse(any("soft jaws" in each.source.name for each in self.between(plan, 0, "x")))
        # Clamped anew in between it comes in, of both.
        again = set_value(job, ("setups", 1, "station"), job.machine.stations[0].id)
        again = set_value(again, ("bench",), (Sand(id="7" * 12, name="edges", before=again.setups[1].id),))
        names = [each.source.name for each in self.between(make_plan(again, self.models), 0, "x")]
        self.assertEqual(sum("clearance in the soft jaws" in name for name in names), 2)

    def test_true_worlds_are_as_far_off_as_told(self):
        written, offs = written_plan(self.plan), []
        turns = [tf_m_s(each.machine, each.setup).turn for each in self.plan.setups[:5]]
        for seed in range(1, draws(6, 60)):
            rehearsed_all = rehearse(written, drawn_world(written, seed))
            gone = [each.found - each.true for each in rehearsed_all.setups[:5]]
            offs.append([gone[k] - turns[k] @ turns[k - 1].T @ gone[k - 1] for k in range(1, 5)])
        worst = np.abs(offs).max(axis=0)
        for number in range(4):
            for k, axis in enumerate("xyz"):
                standard = left_along_axes(self.plan, number + 1)[k]
                self.assertLess(worst[number][k], 3.5 * standard + 2e-5, (number, axis))
                if len(offs) > 40:
                    np.testing.assert_allclose(np.std(offs, axis=0)[number][k], standard, rtol=0.3, atol=2e-5)


class DemosTest(unittest.TestCase):
    def test_ten_seeds_within_what_is_told(self):
        for name in ("sluice-valve-block", "gland-spindle", "hinge-leaves"):
            plan = shipped_plan(name)
            # Four and twenty leaves take longer.
            for seed in range(1, 1 + draws(1 if name == "hinge-leaves" else 2, 10)):
                result = rehearsed(plan, seed)
                self.assertEqual((result.alarms, result.amiss), ((), ()), (name, seed))

    def test_the_valve_stands_where_it_was_worked_out_by_hand(self):
        by_hand = {
            "top bore": (0, (-402.120, -210.740, -281.000)),
            "back port": (1, (-387.120, -282.750, -353.490)),
            "right port": (2, (-402.120, -282.750, -343.490)),
            "front port": (3, (-387.120, -282.750, -353.490)),
            "left port": (4, (-402.120, -282.750, -343.490)),
        }
        plan = shipped_plan("sluice-valve-block")
        for name, (number, m_place) in by_hand.items():
            planned = plan.setups[number]
            reading = next(each for each in planned.readings if each.name == name)
            np.testing.assert_allclose(planned.located.m_of((reading.x, reading.y, reading.z)), m_place, atol=5e-7)

    def test_leaves_stand_before_the_spindle_alike(self):
        plan = shipped_plan("hinge-leaves")
        for setup in plan.setups:
            np.testing.assert_allclose(setup.located.m_offset, (-310.0, 110.0, -670.0), atol=1e-9)
        # The middle of a plate lies 22 right of its face's and 252 up.
        by_hand = {"plate 1": (-328, 252, -670), "plate 2": (-500, 252, -798), "plate 3": (-372, 252, -970),
                   "plate 4": (-200, 252, -842)}  # fmt: skip
        level = plan.job.setups[0].model_copy(update={"index": ()})
        for station in plan.job.machine.stations:
            held = level.model_copy(update={"station": station.id})
            np.testing.assert_allclose(tf_m_s(plan.job.machine, held).shift, by_hand[station.name], atol=1e-9)

    def test_a_sense_or_centre_that_is_wrong_stops_before_metal(self):
        plan = shipped_plan("sluice-valve-block")
        for error in (
            AxisError(axis="cradle", sense="the other way"),
            AxisError(axis="cradle", off=Point(x=0, y=0.3, z=0.0)),
            AxisError(axis="cradle", flat_off_deg=0.5),
        ):
            result = rehearsed(plan, world=TrueWorld(axes=(error,)))
            self.assertTrue(result.setups[1].stopped, error)
            self.assertFalse(result.setups[2].ran)
        # The block looks alike from its left and right: that is told, and not claimed to be caught.
        self.assertFalse(
            rehearsed(plan, world=TrueWorld(axes=(AxisError(axis="turntable", sense="the other way"),))).alarms
        )


if __name__ == "__main__":
    unittest.main()
