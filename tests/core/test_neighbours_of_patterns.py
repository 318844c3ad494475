"""What an instance has about it is what setups of their own would have, each at its station."""

from __future__ import annotations

import random
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.pattern import Pattern
from ledgecliff.core.neighbours import overlapping
from ledgecliff.core.patterns.places import station_at
from ledgecliff.core.plan import make_plan
from tests.core.test_neighbours import ROUTINE
from tests.draws import draws
from tests.helpers import shipped_plan
from tests.jobs import block_job, plan_of, setup


def boxes(blocks):
    """Where each lies, whatever it is called."""
    return {tuple(round(value, 5) + 0.0 for value in (*block.low, *block.high)) for block in blocks}


def one_job(layout):
    job = block_job(setup(probing=ROUTINE), part=(60, 40, 20), stock=(60, 40, 20))
    return set_value(job, ("setups", 0, "pattern"), Pattern(layout=layout))


def split(job, plan):
    """The same work as setups of their own, one at each station of the pattern."""
    pattern, (first, *_) = job.setups[0].pattern, job.setups
    master = job.machine.station(first.station)
    stations, setups = list(job.machine.stations), []
    for n, each in enumerate(plan.instances(0)):
        there = station_at(pattern, each.place, master)
        there = there.model_copy(update={"id": f"{n:012x}", "name": f"station {n}"})
        stations.append(there)
        update = {"id": f"{n + 500:012x}", "name": f"Op {n}", "station": there.id, "pattern": None}
        setups.append(first.model_copy(update=update))
    job = set_value(job, ("machines", 0, "stations"), tuple(stations))
    return plan_of(set_value(job, ("setups",), tuple(setups)))


class SplitTest(unittest.TestCase):
    def test_all_about_any_instance(self):
        chance = random.Random(11)
        for _ in range(draws(3, 40)):
            layout = {
                "kind": "grid", "columns": chance.randrange(1, 4), "rows": chance.randrange(1, 3),
                "column_pitch": chance.choice((155.0, 170.0, 400.0)), "row_pitch": chance.uniform(210, 260),
                "turn_deg": chance.choice((0.0, 0.0, 12.0)),
            }  # fmt: skip
            job = one_job(layout)
            plan = plan_of(job)
            apart = split(job, plan)
            every = set().union(*(boxes(each.neighbours.blocks) for each in apart.setups))
            self.assertEqual(boxes(plan.setups[0].neighbours.blocks), every, layout)

    def test_a_ring_that_turns_along(self):
        ring = {"kind": "ring", "count": 3, "middle_x": 0.0, "middle_y": 160.0, "step_deg": 100.0, "turns_along": True}
        job = one_job(ring)
        plan = plan_of(job)
        every = set().union(*(boxes(each.neighbours.blocks) for each in split(job, plan).setups))
        self.assertEqual(boxes(plan.setups[0].neighbours.blocks), every)


class OverlapTest(unittest.TestCase):
    def pairs(self, job):
        plan = make_plan(job, shipped_plan("float-housing").models)
        return overlapping(plan.setups[0].machine, plan.at_stations(0))

    def test_vises_that_touch_do_not_overlap(self):
        """Jaws are 150 wide."""
        for pitch, pairs in ((151.0, ()), (149.0, ((0, 1), (1, 2)))):
            job = shipped_plan("float-housing").job
            grid = {"kind": "grid", "columns": 3, "column_pitch": pitch}
            self.assertEqual(self.pairs(set_value(job, ("setups", 0, "pattern"), {"layout": grid})), pairs, pitch)

    def test_parts_that_reach_into_one_another_between_plain_bodies(self):
        """A bar longer than the jaws are wide: the bodies clear each other, the bars do not."""
        job = block_job(setup(probing=ROUTINE), part=(200, 40, 20), stock=(200, 40, 20))
        for pitch, count in ((199.0, 1), (201.0, 0)):
            grid = {"kind": "grid", "columns": 2, "column_pitch": pitch}
            plan = plan_of(set_value(job, ("setups", 0, "pattern"), {"layout": grid}))
            self.assertEqual(len(overlapping(plan.setups[0].machine, plan.at_stations(0))), count, pitch)
