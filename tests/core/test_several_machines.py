"""One job over two machines: each with its own offsets, tools, text profile, rehearsal and register."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.setups import add_setup, hold_with
from ledgecliff.core.edits.standing import standing_on
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.neighbours import NOBODY
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import hover_text, probing_text
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.register.allocation import allocate
from ledgecliff.core.register.checks import check_offsets, values_for
from ledgecliff.core.register.entries import Entry, Value, claimed, with_value
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.identity import new_id
from ledgecliff.store.job_files import job_text, parse_job
from tests.helpers import demo, models
from tests.rehearsals import rehearsed

OTHER = derived_id("the other mill")


def on_two_machines():
    """The float housing's second side on another mill: in inches, another style, tools and vises elsewhere."""
    job = demo()
    mill = job.machine
    stations = tuple(
        each.model_copy(update={"at": Point(x=each.at.x + 33.0, y=each.at.y - 21.0, z=each.at.z + 7.0)})
        for each in mill.stations
    )
    cutters = tuple(
        each.model_copy(update={"length": each.length - 11.0}) if each.tool == 2 else each for each in mill.cutters
    )
    other = mill.model_copy(
        update={
            "id": OTHER, "name": "Mill 5", "program_units": "in", "profile": "numbered-variable skip style",
            "stations": stations, "cutters": cutters,
        }
    )  # fmt: skip
    job = set_value(job, ("machines",), (mill, other))
    return set_value(set_value(job, ("setups", 1, "machine"), OTHER), ("setups", 1, "offset"), "G54")


def plan():
    return make_plan(on_two_machines(), models())


class PlanTest(unittest.TestCase):
    def test_each_setup_is_planned_on_its_own(self):
        first, second = plan().setups
        self.assertEqual((first.machine.name, second.machine.name), ("Mill 2, the long table", "Mill 5"))
        at_home = make_plan(demo(), models()).setups[1]
        np.testing.assert_allclose(second.located.m_offset - at_home.located.m_offset, (33.0, -21.0, 7.0), atol=1e-9)
        self.assertIs(first.neighbours, NOBODY)

    def test_the_same_code_on_both_is_two_offsets(self):
        self.assertNotIn("OFFSET_SHARED", {finding.code for finding in findings_of(plan())})
        both = set_value(on_two_machines(), ("setups", 1, "machine"), demo().machine.id)
        self.assertIn("OFFSET_SHARED", {finding.code for finding in findings_of(make_plan(both, models()))})

    def test_programs_are_each_machines_own(self):
        mine = plan()
        self.assertIn("G21", probing_text(mine, 0))
        self.assertIn("G20", probing_text(mine, 1))
        self.assertIn("#5221", probing_text(mine, 0).replace("[", ""))
        self.assertNotEqual(hover_text(mine, 0), hover_text(mine, 1))
        for index in (0, 1):
            self.assertEqual(read_back(mine, index).differences, ())

    def test_rehearsed_from_one_to_the_other(self):
        mine = plan()
        for seed in (1, 2):
            done = rehearsed(mine, seed)
            self.assertEqual((done.alarms, done.amiss), ((), ()))
            for result in done.setups:
                self.assertLess(np.abs(result.difference).max(), 0.006)

    def test_a_file_of_it_reads_back(self):
        job = on_two_machines()
        self.assertEqual(parse_job(job_text(job), "two.json"), job)


class RefusalTest(unittest.TestCase):
    def test_nothing_is_carried_over_to_another_machine(self):
        job = on_two_machines()
        over = job.setups[1].datum.model_copy(update={"x": demo().setups[1].datum.x.model_copy(
            update={"source": "carried over", "feature": None})})  # fmt: skip
        with self.assertRaisesRegex(
            InvalidValueError, "another machine than 'Op 10', from which nothing can be carried"
        ):
            set_value(job, ("setups", 1, "datum"), over)

    def test_machines_that_are_not_there_or_there_twice(self):
        job = on_two_machines()
        with self.assertRaisesRegex(InvalidValueError, "the machine it goes over is not in the job"):
            set_value(job, ("setups", 1, "machine"), "0" * 12)
        with self.assertRaisesRegex(InvalidValueError, "two machines share one id"):
            set_value(job, ("machines",), (job.machine, job.machine.model_copy(update={"name": "twin"})))

    def test_no_board_goes_along(self):
        mine = plan()
        offers = {each.way: each for each in way_offers(mine, turns_of(mine)[0])}
        for way in ("dowel pins", "interlocking frame", "two-pocket jig"):
            self.assertIn("another machine", offers[way].why_not)
        self.assertTrue(offers["probed feature"].fits)


class EditTest(unittest.TestCase):
    def test_what_holds_it_comes_to_its_own_machine(self):
        job = on_two_machines()
        left = standing_on(job.machines[1])[0]
        held = hold_with(job, 1, left)
        self.assertEqual(held.setups[1].station, left.station.id)
        self.assertEqual(held.machines[0], job.machines[0])

    def test_a_new_setup_goes_over_the_machine_of_the_last(self):
        job = add_setup(on_two_machines(), "+X", plan(), new_id())
        self.assertEqual((job.setups[2].machine, job.setups[2].offset), (OTHER, "G55"))


class RegisterTest(unittest.TestCase):
    def test_codes_of_each_machine_by_themselves(self):
        job = on_two_machines()
        entries = [Entry(f"G{code}") for code in range(54, 60)]
        for k, machine in enumerate(job.machines):
            (given,) = allocate(job, entries, machine)
            self.assertEqual((given.setup, given.code), (k, "G54"))
            mine = with_value(claimed(entries[0], given.use), Value(1.0, 2.0, 3.0), "touches")
            self.assertEqual(list(check_offsets(job, [mine], machine)), [])
            self.assertEqual(set(values_for(job, [mine], machine)), {(machine.id, "G54")})
            other = job.machines[1 - k]
            self.assertEqual([f.code for f in check_offsets(job, [mine], other)], ["OFFSET_TAKEN"])
            self.assertEqual(values_for(job, [mine], other), {})


if __name__ == "__main__":
    unittest.main()
