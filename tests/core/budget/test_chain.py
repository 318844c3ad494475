"""What each source moves, by the chain and by the simulated machine with that source alone off: sign and size."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.budget.asked import asked_of, off_of
from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.budget.chain import Chain, chain_of
from ledgecliff.core.budget.pair import pair_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from tests.core.budget.perturbed import EXACT, really_cut, worlds
from tests.draws import draws
from tests.helpers import models, shipped_plan

#: So far each is put off to either side (mm, radians of a turn, degrees of an index), and so near both are: a round has
#: facets, which turn with it.
STEPS = {"skew": (1e-3, 0.1), "turn": (1e-3, 0.1), "index": (2e-3, 0.02)}
STEP = (0.01, 0.02)


class DerivativeTest(unittest.TestCase):
    def check(self, name, most, plan=None, only=""):
        """How many displacements came out alike that are not nought; ``most`` sources are tried, all by an option."""
        plan = plan or shipped_plan(name)
        written, chain = written_plan(plan), Chain(plan)
        made = [feature for feature in plan.job.part.features if feature.name in chain.made_in]
        near = made[0]
        index = chain.made_in[near.name]
        told = {}
        for feature in made:
            at = np.array(feature.at.as_tuple())
            told[feature.name] = chain.cut(chain.made_in[feature.name], at) - chain.cut(index, at)
        really_cut(written, TrueWorld(probe=EXACT))
        counted = 0
        every = [each for each in worlds(plan, chain) if only in each[0]]
        random.Random(name).shuffle(every)
        for coordinate, world in every[: draws(most, len(every))]:
            step, near_enough = next((by for word, by in STEPS.items() if f" {word}" in coordinate), STEP)
            up, down = (really_cut(written, world(sign * step)) for sign in (1.0, -1.0))
            for feature in made:
                really = (up(feature.name, near.name) - down(feature.name, near.name)) / (2.0 * step)
                mine = told[feature.name].terms.get(coordinate, np.zeros(3))
                counted += bool(np.any(np.abs(really) > 0.1))
                off = float(np.abs(really - mine).max())
                words = f"{name}: {feature.name} by {coordinate}: {really} on the machine, {mine} in the budget"
                self.assertLess(off, near_enough * max(1.0, float(np.abs(really).max())), words)
        return counted

    def test_jaws_and_stops(self):
        self.assertGreater(self.check("float-housing-by-jaw", 9), 2)

    def test_the_balls_radius(self):
        """In full in what is touched from one side alone, and not at all in what is touched from both."""
        for name, moves in (("float-housing-by-jaw", True), ("float-housing", False)):
            job = set_value(shipped_plan(name).job, ("machines", 0, "probe", "radius_scatter"), 0.004)
            plan = make_plan(job, models())
            self.check(name, 1, plan, " ball ")
            pair = max((each for each in budget_of(plan).pairs if each.asked.to == "main bore"), key=lambda p: p.u)
            added = [each.u for each in pair.enters if each.source.kind == "ball"]
            if moves:
                self.assertAlmostEqual(added[0], 0.004, delta=0.0005)
            else:
                self.assertEqual(added, [])

    def test_how_long_tools_are(self):
        """A face is cut so much deeper, whatever is told from there is off by as much; a probe that is longer puts the
        zero higher; walls and holes stay where they are."""
        counted = 0
        for name in ("float-housing", "sluice-valve-block", "winch-cheek")[: draws(2, 3)]:
            job = shipped_plan(name).job
            for field in (("length_scatter",), ("probe", "length_scatter")):
                job = set_value(job, ("machines", 0, *field), 0.005)
            counted += self.check(name, 3, make_plan(job, models()), " length ")
        self.assertGreater(counted, 3)

    def test_how_warm_a_part_is(self):
        """Aluminium, 5 K off: a hole 60 from the zero is cut 60 x 23e-6 x 5 nearer to it, once the part is cold; two
        holes of one setup by their distance alone."""
        job = shipped_plan("float-housing").job
        job = set_value(set_value(job, ("stock", "expansion"), 23.0), ("machines", 0, "temperature_spread"), 5.0)
        plan = make_plan(job, models())
        chain = Chain(plan)
        ends = [np.array(job.part.feature(f"bolt hole {name}").at.as_tuple()) for name in ("SW", "NE")]
        (term,) = {name for name in chain.cut(0, ends[0]).terms if name.endswith("temperature")}
        nearer = [chain.cut(0, place).terms[term] for place in ends]
        np.testing.assert_allclose(5.0 * (nearer[1] - nearer[0]), -23e-6 * 5.0 * (ends[1] - ends[0]), atol=1e-12)
        without = make_plan(set_value(job, ("stock", "expansion"), None), models())
        self.assertFalse(any("temperature" in key for key in Chain(without).cut(0, ends[0]).terms))

    def test_indexed_about_axes(self):
        """Centres, how the axes repeat, and where the block lay count at each side with their own sign."""
        self.assertGreater(self.check("sluice-valve-block", 4), 4)

    def test_a_station_on_a_face_that_is_turned(self):
        """What is touched of the plate moves with it, where the axis stops beyond its word."""
        plan = shipped_plan("hinge-leaves")
        job = plan.job
        for index in range(len(job.setups)):
            job = set_value(job, ("setups", index, "pattern"), None)
        alone = make_plan(job, plan.models)
        self.assertGreater(self.check("hinge-leaves", 1, alone, " index "), 0)
        self.check("hinge-leaves", 2, alone)

    def test_all_other_demos(self):
        names = ("winch-cheek", "gland-spindle", "lamp-lid", "float-housing", "gate-hinge",
                 "float-housing-to-the-middle", "dial-ring-on-pins", "dial-ring-in-a-frame")  # fmt: skip
        for name in names[: draws(1, len(names))]:
            with self.subTest(name):
                self.check(name, 3)


if __name__ == "__main__":
    unittest.main()


class BegunAlikeTest(unittest.TestCase):
    """What a chain takes from that of a plan that begins alike is what it would work out by itself."""

    @staticmethod
    def plan(name):
        """Made just now, so that its setups are still kept when the next plan is made."""
        return make_plan(shipped_plan(name).job, models())

    def check(self, before, after, alike):
        chain = chain_of(before)
        budget_of(before)
        mine, alone = Chain(after, begins=chain), Chain(after)
        self.assertEqual(len(mine._zeros), alike)
        for asked in asked_of(alone):
            pairs = [pair_of(each, asked, off_of(each, asked)) for each in (mine, alone)]
            self.assertEqual(*([(one.source, one.u) for one in pair.enters] for pair in pairs))
            self.assertEqual(pairs[0].expanded, pairs[1].expanded)

    def test_setups_before_the_one_that_was_changed(self):
        before = self.plan("sluice-valve-block")
        for index in range(1, 4):
            job = set_datum(before.job, index, "x", "part minus side")
            self.check(before, make_plan(job, before.models), index)

    def test_nothing_where_another_figure_is_changed(self):
        """The machine is in every setup; and the stock in every part of the way."""
        before = self.plan("float-housing-by-jaw")
        for path, value in (
            (("machines", 0, "probe", "repeatability"), 0.02),
            (("stock", "allowance", "plus_z"), 3.0),
            (("setups", 0, "operations"), before.job.setups[0].operations[:-1]),
        ):
            self.check(before, make_plan(set_value(before.job, path, value), before.models), 0)

    def test_a_figure_of_the_setup_that_was_changed(self):
        """It has the key that it had, and the size that it has now."""
        before = self.plan("float-housing-by-jaw")
        job = set_value(before.job, ("setups", 1, "probing", "stand_off"), 4.0)
        self.check(before, make_plan(job, before.models), 1)
