"""Setups made anew in a job with steps beside the machine: these stay in order, and the stock is what they leave."""

from __future__ import annotations

import unittest
from functools import cache

from ledgecliff.core.edits.bench import among, among_all
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.bench import Cure, Glue, HeatTreat, Sand, Saw
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.new_job import with_order
from ledgecliff.core.sides.order import Order
from ledgecliff.store.shop import shipped_shop
from tests.core.in_process.test_bench import OP_10, OP_20, glued, step, with_steps
from tests.jobs import block_job, feature, plan_of, point, setup

#: In the half that is glued on, one from each side.
ABOVE = feature("above", "pocket", (85, 20, 14), "+Z", length=20, width=16, depth=6, radius=4)
BELOW = feature("below", "pocket", (85, 20, 5), "-Z", length=20, width=16, depth=5, radius=4)
#: Both halves stand 2 over the part and 10 below it, and 3 before and behind it.
OTHER = glued().model_copy(update={"low": point(60, -3, -10), "size": Size(x=60, y=46, z=32)})
STEPS = (OTHER, step(HeatTreat, OP_20, moves=0.0), step(Cure, OP_20), step(Sand, None))


def job():
    setups = (setup(name="Op 10"), setup(name="Op 20"))
    allowance = Allowance(minus_x=0.0, plus_z=2.0)
    half = block_job(*setups, part=(110, 40, 20), stock=(60, 46, 32), allowance=allowance, features=(ABOVE, BELOW))
    return with_steps(half, *STEPS)


@cache
def anew(*sides):
    plan = plan_of(job())
    order = next(each for each in plan.proposal.orders if set(each.sides) == set(sides))
    return with_order(plan.job, Order(**{**order.__dict__, "sides": sides}), plan.geometry, plan.models, shipped_shop())


class PlannedAnewTest(unittest.TestCase):
    def test_stays_between_the_same_setups(self):
        made = anew("-Z", "+Z")
        self.assertEqual([each.orientation.up for each in made.job.setups], ["-Z", "+Z"])
        first, second = (each.id for each in made.job.setups)
        self.assertEqual([each.before for each in made.job.bench], [first, second, second, None])
        self.assertEqual([each.id for each in made.job.bench], [each.id for each in STEPS])
        # The hat stays above: the other half lies by the part where it lies.
        self.assertEqual(made.job.stock, job().stock)

    def test_held_and_cut_as_what_is_glued(self):
        made = anew("+Z", "-Z")
        plan = plan_of(made.job)
        self.assertEqual(made.words(), "")
        self.assertEqual(made.job.stock, job().stock)
        for each in plan.setups:
            self.assertAlmostEqual(float(each.before.corners[1][0]), 120, 6)
        cut = {name for each in made.job.setups for operation in each.operations for name in operation.features}
        self.assertLessEqual({"above", "below"}, cut)

    def test_held_as_what_is_left_of_a_plate_that_no_vise_takes(self):
        setups = (setup(name="Op 10"), setup(name="Op 20"))
        allowance = Allowance(minus_x=5.0, minus_y=3.0, plus_z=2.0)
        plate = block_job(
            *setups, part=(110, 40, 20), stock=(120, 400, 32), allowance=allowance, features=(ABOVE, BELOW)
        )
        plan = plan_of(with_steps(plate, step(Saw, OP_10, off="+Y", at=43)))
        made = with_order(plan.job, plan.proposal.orders[0], plan.geometry, plan.models, shipped_shop())
        self.assertEqual(made.words(), "")
        self.assertEqual([each.hold.by for each in made.job.setups], ["vise", "vise"])
        clamped = plan_of(made.job).setups[0].before.corners
        self.assertEqual([round(float(b - a), 6) for a, b in zip(*clamped, strict=True)], [120, 46, 32])

    def test_cut_as_far_as_what_is_glued_on_top(self):
        setups = (setup(name="Op 10"), setup(name="Op 20"))
        allowance = Allowance(minus_x=5.0, minus_y=3.0, plus_z=0.0)
        low = block_job(*setups, part=(110, 40, 20), stock=(120, 46, 30), allowance=allowance, features=(ABOVE, BELOW))
        top = glued().model_copy(update={"low": point(-5, -3, 20), "size": Size(x=120, y=46, z=4)})
        plan = plan_of(with_steps(low, top))
        made = with_order(plan.job, plan.proposal.orders[0], plan.geometry, plan.models, shipped_shop())
        self.assertEqual(made.words(), "")
        self.assertEqual(made.job.setups[0].operations[0].removes, "face")

    def test_reached_and_ordered_as_from_a_whole_block(self):
        whole = plan_of(block_job(
            *job().setups, part=(110, 40, 20), stock=(120, 46, 32), features=(ABOVE, BELOW),
            allowance=Allowance(minus_x=0.0, plus_z=2.0),
        ))  # fmt: skip
        plan = plan_of(job())
        self.assertAlmostEqual(plan.first.volume, whole.blank.volume, 4)
        self.assertEqual({(r.name, r.sides) for r in plan.reaches}, {(r.name, r.sides) for r in whole.reaches})
        self.assertEqual(plan.coverage.fewest, whole.coverage.fewest)
        # A blank that something is glued to cannot be moved to have its hat below; one that nothing is done to can.
        self.assertEqual(plan.proposal.orders[0].sides, ("+Z", "-Z"))
        self.assertGreater(
            abs(self.score(whole, "-Z", "+Z") - self.score(plan, "-Z", "+Z")), 0, "the hat cannot go below"
        )

    @staticmethod
    def score(plan, *sides):
        return next(order.score for order in plan.proposal.orders if order.sides == sides)

    def test_over_the_job_s_own_machine(self):
        """A job from another shop keeps its machine, whatever stands on this shop's."""
        made = anew("+Z", "-Z")
        own = made.job.machines[0]
        other = own.model_copy(update={"stations": own.stations[-1:]})
        shop = shipped_shop().model_copy(update={"machine": other})
        plan = plan_of(job())
        again = with_order(plan.job, plan.proposal.orders[0], plan.geometry, plan.models, shop)
        self.assertEqual(again.job.machines, plan.job.machines)
        self.assertEqual([each.hold.by for each in again.job.setups], [each.hold.by for each in made.job.setups])


class AmongTest(unittest.TestCase):
    OLD = (setup(name="Op 10"), setup(name="Op 20"))
    NEW = (setup(name="A"), setup(name="B"), setup(name="C"))

    def befores(self, steps):
        return [(each.name, each.before) for each in steps]

    def test_not_yet_done(self):
        steps = job().bench
        a, b = self.NEW[0].id, self.NEW[1].id
        self.assertEqual(self.befores(among(steps, self.OLD, ())), [("glue", None)])
        self.assertEqual(
            self.befores(among(steps, self.OLD, self.NEW[:1])), [("glue", a), ("heat-treat", None), ("cure", None)]
        )
        self.assertEqual(self.befores(among(steps, self.OLD, self.NEW)), [("glue", a), ("heat-treat", b), ("cure", b)])

    def test_none_is_lost_where_there_are_fewer(self):
        steps = job().bench
        a = self.NEW[0].id
        self.assertEqual(
            self.befores(among_all(steps, self.OLD, self.NEW[:1])),
            [("glue", a), ("heat-treat", None), ("cure", None), ("sand", None)],
        )
        self.assertIsInstance(among_all(steps, self.OLD, self.NEW)[0], Glue)
        self.assertEqual(OP_10, steps[0].before)
