"""How well lengths of tools and probes are known: what it makes of a thickness, in the budget and on the machine."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import box as box_of
from ledgecliff.core.budget.budget import budget_of, budget_rehearsed
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.tools import add_probe
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Face
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.spread import spread_of
from ledgecliff.core.rehearsal.true_depth import UntoldDepthError, cut_deeper
from ledgecliff.core.rehearsal.true_world import TrueTool, TrueWorld
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from tests.core.budget.perturbed import EXACT, really_cut
from tests.draws import draws
from tests.helpers import demo, models
from tests.jobs import block_job, feature, plan_of, setup

#: One standard deviation of a cutter's length, and of a probe's (mm).
TOOL, PROBE = 0.03, 0.04


def faced_twice(under_by=1, z="parallels", tool=TOOL, probe=PROBE):
    """A block faced from above, turned about X, and faced from below by ``under_by``, its Z from ``z``."""
    features = (
        feature("top", "face", (30, 20, 20)),
        feature("under", "face", (30, 20, 0), opens_to="-Z", tolerance=Tolerance(distance=0.5, to="top")),
    )
    centre = AxisDatum(source="stock centre")
    routine = ProbingRoutine(depth=4, guess=1, stand_off=3, overtravel=3)
    job = block_job(
        setup(Face(name="face", tool=1, features=("top",)), probing=routine),
        setup(
            Face(name="face under", tool=under_by, features=("under",)),
            name="Op 20",
            up="-Z",
            offset="G55",
            probing=routine,
            datum=Datum(x=centre, y=centre, z=AxisDatum(source=z)),
        ),
        features=features,
        stock=(60, 40, 24),
        allowance=Allowance(plus_z=2),
    )
    for path, value in ((("length_scatter",), tool), (("probe", "length_scatter"), probe)):
        job = set_value(job, ("machines", 0, *path), value)
    return job


def parts(plan, budget=budget_of):
    """By the source's name what each length adds to the thickness."""
    (pair,) = budget(plan).pairs
    return {each.source.name: each.u for each in pair.enters if each.source.kind == "length"}


class ThicknessTest(unittest.TestCase):
    def test_by_hand(self):
        """The part lies on what the first facing left: its tool does not matter to the thickness, that of the second
        does, and the probe which found what it lies on.  From the blank's top, nothing but the probe and both."""
        plan = plan_of(faced_twice(under_by=3))
        found = parts(plan)
        self.assertEqual(set(found), {"how long T3 is", "how long the probe, T30, is"})
        self.assertAlmostEqual(found["how long T3 is"], TOOL, 6)
        self.assertAlmostEqual(found["how long the probe, T30, is"], PROBE, 6)

    def test_one_tool_for_both_sides_counts_once(self):
        self.assertAlmostEqual(parts(plan_of(faced_twice()))["how long T1 is"], TOOL, 6)

    def test_a_face_lands_once_whatever_lies_on_it(self):
        """What the part is turned onto is the face that the thickness is told from: where that landed cancels."""
        (pair,) = budget_of(plan_of(faced_twice())).pairs
        landed = [each.source.name for each in pair.enters if each.source.kind == "lands"]
        self.assertEqual(landed, ["machine, where under lands in Z, Op 20"])

    def test_where_nobody_has_said_it_does_not_count(self):
        self.assertEqual(parts(plan_of(faced_twice(tool=None, probe=None))), {})

    def test_really_so_thin(self):
        """Each longer by 0.05, and shorter, on the simulated machine."""
        plan = plan_of(faced_twice(under_by=3))
        written = written_plan(plan)
        usual = really_cut(written, TrueWorld(probe=EXACT))("under", "top")[2]
        for number, thicker in ((1, 0.0), (3, -1.0), (30, 1.0)):
            for longer in (0.05, -0.05):
                tool = TrueTool(number=number, longer=longer)
                lower = really_cut(written, TrueWorld(probe=EXACT, tools=(tool,)))("under", "top")[2]
                self.assertAlmostEqual(usual - lower, thicker * longer, delta=1e-6, msg=str((number, longer)))

    def test_worlds_scatter_as_the_budget_has_it(self):
        plan = plan_of(faced_twice())
        worlds = rehearse_in_worlds(written_plan(plan), range(1, 1 + draws(25, 80)))
        (pair,) = spread_of(worlds.seen, budget_rehearsed(plan))
        self.assertEqual(worlds.alarms, ())
        self.assertTrue(pair.agrees, pair.words())
        self.assertGreater(pair.sd, 0.6 * math.hypot(TOOL, PROBE))

    def test_worlds_have_each_tool_off_by_what_is_stated(self):
        """Cutters by theirs, each probe by its own, its ball by that."""
        job = add_probe(demo(), 1)
        second = job.probe_path(job.setups[1])
        for path, value in (
            (("machines", 0, "length_scatter"), TOOL),
            ((*second, "length_scatter"), PROBE),
            ((*second, "radius_scatter"), 0.01),
        ):
            job = set_value(job, path, value)
        written = written_plan(make_plan(job, models()))
        drawn = [drawn_world(written, seed).tools_of(job.machine.name) for seed in range(1, 1 + draws(150, 600))]
        probe = job.machines[0].more_probes[0].tool
        self.assertNotIn(job.machine.probe.tool, drawn[0], "nobody has said of the usual one")
        for number, field, wanted in ((1, "longer", TOOL), (probe, "longer", PROBE), (probe, "radius_off", 0.01)):
            found = np.std([getattr(each[number], field) for each in drawn])
            self.assertAlmostEqual(found / wanted, 1.0, delta=4.0 / math.sqrt(2.0 * len(drawn)))
        both = np.corrcoef([[each[number].longer for each in drawn] for number in (1, 2)])[0, 1]
        self.assertLess(abs(both), 4.0 / math.sqrt(len(drawn)))


class CutDeeperTest(unittest.TestCase):
    def test_each_floor_by_its_own_tool(self):
        """Faced by one, a pocket through what is left by another: the rim, the floor and the walls between them."""
        block = box_of((0, 0, 0), (40, 30, 20))
        faced = block - box_of((-1, -1, 18), (41, 31, 21))
        pocketed = faced - box_of((10, 10, 8), (30, 20, 21))
        for up, turned in ((np.array([0.0, 0.0, 1.0]), (0, 0, 0)), (np.array([0.0, -1.0, 0.0]), (90, 0, 0))):
            for rim, floor in ((0.3, -0.2), (-0.3, 0.2), (0.0, 0.1)):
                states = [each.rotate(turned) for each in (block, faced, pocketed)]
                found = cut_deeper(states, (rim, floor), up)
                expected = 40 * 30 * (18 - rim) - 20 * 10 * (10 - rim + floor)
                self.assertAlmostEqual(found.volume(), expected, 6)
                self.assertEqual(len(found.decompose()), 1)

    def test_one_that_is_far_too_long_or_short(self):
        """Right through is told, not turned inside out; too short it leaves what there was, and no more."""
        block = box_of((0, 0, 0), (40, 30, 20))
        faced = block - box_of((-1, -1, 18), (41, 31, 21))
        pocketed = faced - box_of((10, 10, 8), (30, 20, 21))
        up = np.array([0.0, 0.0, 1.0])
        for longer, operation in (((19.0, 0.0), 0), ((0.0, 8.5), 1), ((0.0, 400.0), 1)):
            with self.assertRaises(UntoldDepthError) as caught:
                cut_deeper([block, faced, pocketed], longer, up)
            self.assertEqual(caught.exception.operation, operation)
        for rim, floor in ((-50.0, 0.0), (0.0, -50.0), (-50.0, -50.0)):
            left = cut_deeper([block, faced, pocketed], (rim, floor), up)
            self.assertLess((left - block).volume(), 1e-6)
            expected = 40 * 30 * (20 if rim else 18) - 20 * 10 * ((20 if rim else 18) - (18 if floor else 8))
            self.assertAlmostEqual(left.volume(), expected, 3)

    def test_a_rehearsal_stops_there(self):
        """With the tool and by how much; what comes after is not run."""
        plan = plan_of(faced_twice(under_by=3))
        longer = TrueWorld(probe=EXACT, tools=(TrueTool(number=1, longer=40.0),))
        first, second = rehearse(written_plan(plan), longer).setups
        self.assertTrue(first.stopped)
        self.assertIn("'face' leaves cannot be told", first.alarms[-1])
        self.assertIn("T1 is 40.000 mm longer", first.alarms[-1])
        self.assertIn("not run, because Op 10 stopped", second.alarms[0])
        shorter = TrueWorld(probe=EXACT, tools=(TrueTool(number=1, longer=-40.0),))
        self.assertEqual(rehearse(written_plan(plan), shorter).setups[0].alarms, ())

    def test_what_no_tool_has_left_stays(self):
        block = box_of((0, 0, 0), (40, 30, 20))
        slotted = block - box_of((10, -1, 12), (20, 31, 21))
        found = cut_deeper([block, slotted], (0.5,), np.array([0.0, 0.0, 1.0]))
        self.assertAlmostEqual(found.volume(), 40 * 30 * 20 - 10 * 30 * 8.5, 6)
        bored = block - box_of((10, 10, -1), (20, 20, 21))
        self.assertAlmostEqual(
            cut_deeper([block, bored], (0.5,), np.array([0.0, 0.0, 1.0])).volume(), bored.volume(), 6
        )


if __name__ == "__main__":
    unittest.main()
