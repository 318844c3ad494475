"""Many parts rehearsed at once: on faces of a tombstone, over loads, with what was stated of single ones."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import PlanError
from ledgecliff.core.model.pattern import Pattern
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from tests.core.patterns.test_instances import FACES
from tests.core.programs.test_instance_programs import FIRST, at, lying, run, shoes
from tests.draws import draws
from tests.helpers import shipped_plan


class ShoesTest(unittest.TestCase):
    def test_many_worlds(self):
        """No alarm, and every zero within what the plan makes of it; two worlds of parts are never the same."""
        written = written_plan(shipped_plan("rack-shoes"))
        worlds = rehearse_in_worlds(written, range(1, 1 + draws(4, 60)))
        self.assertEqual((worlds.alarms, worlds.amiss), ((), ()))

    def test_parts_differ_and_the_same_seed_gives_the_same(self):
        plan = shipped_plan("rack-shoes")
        one, again, other = run(plan, seed=5), run(plan, seed=5), run(plan, seed=6)
        for a, b in zip(one.every, again.every, strict=True):
            np.testing.assert_array_equal(a.found, b.found)
            np.testing.assert_array_equal(a.true, b.true)
        true = np.array([each.true - each.assumed for each in one.every if each.name == "Op 10"])
        self.assertEqual(len({tuple(row) for row in true[:, :2].round(6)}), len(true))
        self.assertFalse(np.allclose([e.true for e in one.every], [e.true for e in other.every]))

    def test_a_row_that_was_shifted_the_wrong_way_is_told(self):
        """The plan has the back row 0.2 to the back; really its block was never cut: its shoes lie where they did."""
        off = {"x": 0.0, "y": -0.2, "z": 0.0}
        setups = [{"name": "Op 10", "instance": f"{k}", "fixture_off": off} for k in (6, 7, 8, 10)]
        result = run(shipped_plan("rack-shoes"), TrueWorld.model_validate({"setups": setups}))
        amiss = {each.instance for each in result.every if each.amiss and each.name == "Op 10"}
        self.assertEqual(amiss, {"6", "7", "8", "10"})
        self.assertIn("Op 10, instance 6: Y of G54 is found", result.amiss[0])

    def test_stated_of_one_instance_alone(self):
        result = run(shipped_plan("rack-shoes"), lying("Op 20", "3", x=0.07))
        rows = at(result, "Op 20")
        moved = {name: round(float(each.true[0] - each.assumed[0]), 3) for name, each in rows.items()}
        self.assertEqual(moved, {"1": 0.0, "2": 0.0, "3": 0.07, "4": 0.0, "5": 0.0})
        np.testing.assert_allclose(rows["3"].found, rows["3"].true, atol=0.008)

    def test_far_side_against_near_side_of_every_part(self):
        result = run(shipped_plan("rack-shoes"))
        self.assertEqual({pair.part for pair in result.pairs}, set(range(1, 10)))
        self.assertEqual(len(result.pairs), 18)
        worst = max(np.hypot(*pair.p_deviation[:2]) for pair in result.pairs)
        self.assertLess(worst, 0.06)

    def test_none_is_on(self):
        own = [{"place": f"{c}-{r}", "state": "finished"} for c in range(1, 6) for r in (1, 2)]
        with self.assertRaisesRegex(PlanError, "none of its instances is on"):
            written_plan(shoes(((*FIRST, "instances"), own)))


class ViseTest(unittest.TestCase):
    def test_two_vises_each_with_its_part(self):
        """Where each station has a fixture of its own, that stands off by itself too."""
        plan = shipped_plan("float-housing")
        codes = [{"key": "2-1", "offset": "G57"}]
        grid = {"kind": "grid", "columns": 2, "column_pitch": -185.0}
        right = set_value(plan.job, ("machines", 0, "stations", 1, "at", "x"), -100.0)
        left = set_value(right, ("machines", 0, "stations", 0, "at", "x"), -350.0)
        made = make_plan(set_value(left, ("setups", 0, "pattern"), {"layout": grid, "codes": codes}), plan.models)
        result = run(made)
        rows = at(result, "Op 10")
        self.assertEqual((result.alarms, result.amiss, set(rows)), ((), (), {"1", "2"}))
        off = {name: (each.true - each.assumed)[:2] for name, each in rows.items()}
        self.assertGreater(np.abs(off["1"] - off["2"]).max(), 0.1)
        # Op 20 stands in one vise: two loads of one part.
        self.assertEqual([each.load for each in result.every if each.name == "Op 20"], [1, 2])


class TombstoneTest(unittest.TestCase):
    def leaves(self, **more):
        plan = shipped_plan("hinge-leaves")
        faces = [{"carrier": FACES[2].id, "index": [{"word": "B", "degrees": 180.0}]}]
        codes = [{"key": f"{FACES[2].id}/1-1", "offset": "G57"}]
        pattern = {"faces": faces, "codes": codes, "grouped_by": "faces"} | more
        job = set_value(plan.job, ("setups", 0, "pattern"), Pattern.model_validate(pattern))
        return make_plan(job, plan.models)

    def test_the_program_turns_to_each_face_and_finds_what_is_there(self):
        plan = self.leaves()
        written = written_plan(plan)
        for seed in range(1, 1 + draws(2, 20)):
            result = rehearse(written, drawn_world(written, seed))
            self.assertEqual((result.alarms, result.amiss), ((), ()))
            rows = at(result, "Op 10")
            self.assertEqual(set(rows), {"1", "2"})
            for each in rows.values():
                np.testing.assert_allclose(each.found, each.true, atol=0.012)
            # Two faces, two places by lot: they are not off alike.
            self.assertGreater(np.abs((rows["1"].true - rows["2"].true)[:2]).max(), 0.01)

    def test_a_face_sent_the_wrong_way_round_is_not_found(self):
        """A quarter turn off, the other face has nothing where it is sought."""
        faces = [{"carrier": FACES[2].id, "index": [{"word": "B", "degrees": 90.0}]}]
        written = written_plan(self.leaves(faces=faces))
        self.assertTrue(rehearse(written, drawn_world(written, 1)).alarms)
