"""What each source moves, by the chain and by the simulated machine with that source alone off: sign and size."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.budget.chain import Chain
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from tests.core.budget.perturbed import EXACT, really_cut, worlds
from tests.draws import draws
from tests.helpers import shipped_plan

#: So far each is put off to either side (mm, radians of a turn, degrees of an index), and so near both are: a round has
#: facets, which turn with it.
STEPS = {"skew": (1e-3, 0.1), "turn": (1e-3, 0.1), "index": (2e-3, 0.02)}
STEP = (0.01, 0.02)


class DerivativeTest(unittest.TestCase):
    def check(self, name, most):
        """How many displacements came out alike that are not nought; ``most`` sources are tried, all by an option."""
        plan = shipped_plan(name)
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
        every = list(worlds(plan, chain))
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

    def test_indexed_about_axes(self):
        """Centres, how the axes repeat, and where the block lay count at each side with their own sign."""
        self.assertGreater(self.check("sluice-valve-block", 4), 4)

    def test_all_other_demos(self):
        names = ("winch-cheek", "gland-spindle", "lamp-lid", "float-housing", "gate-hinge",
                 "float-housing-to-the-middle", "dial-ring-on-pins", "dial-ring-in-a-frame")  # fmt: skip
        for name in names[: draws(2, len(names))]:
            with self.subTest(name):
                self.check(name, 3)


if __name__ == "__main__":
    unittest.main()
