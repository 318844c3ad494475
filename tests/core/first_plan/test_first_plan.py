"""First plans: what stock, what holds it, which zeros; and that what comes out can be run."""

from __future__ import annotations

import unittest
from functools import cache
from unittest import mock

import numpy as np

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.first_plan import making
from ledgecliff.core.first_plan.blanks import blanks_for, hat_for, parallels_for, stock_round
from ledgecliff.core.holding.least_grip import least_grip
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.new_job import first_plan, job_for_model
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.shop import shipped_shop
from tests.corpus import CORPUS, corpus_part
from tests.draws import ALL
from tests.models import box, cylinder, geometry_from, less, moved, turned
from tests.rehearsals import rehearsed

#: A part of each way to hold; LEDGECLIFF_ALL_DRAWS=1 plans the whole corpus.
_SOME = ("two hole plate", "disc", "box shell", "angle bracket", "flat on bar", "cross drilled bar", "thin sheet",
         "large plate", "bearing housing", "long bar", "block pocketed on 4")  # fmt: skip
X = (1.0, 0.0, 0.0)
_PARTS = tuple(CORPUS) if ALL else _SOME


def job_of(geometry, shop=None):
    reference = ModelReference(path="part.step", sha256="0" * 64)
    return job_for_model(reference, geometry, "part", shop or shipped_shop(), derived_id("part"))


@cache
def planned(name):
    geometry = corpus_part(name)
    made = first_plan(job_of(geometry), Models(geometry), shipped_shop())
    return made, make_plan(made.job, Models(geometry))


class CorpusTest(unittest.TestCase):
    def test_no_hazard_and_no_error(self):
        for name in _PARTS:
            made, plan = planned(name)
            bad = [finding.code for finding in findings_of(plan) if finding.severity in ("hazard", "error")]
            self.assertEqual(bad, [], name)
            self.assertEqual(made.words(), "", name)

    def test_rehearsed_without_alarm_and_found_where_it_is(self):
        """The simulated machine runs the very programs, in worlds nobody planned for; found zeros are the true ones."""
        for name in _PARTS:
            _, plan = planned(name)
            for seed in (3, 4):
                done = rehearsed(plan, seed)
                self.assertEqual(done.alarms, (), f"{name}, seed {seed}")

    def test_the_part_is_left_in_the_end(self):
        for name in _PARTS:
            _, plan = planned(name)
            over = plan.finished_inside.volume - float(plan.geometry.solid.volume())
            self.assertLess(over, 0.03 * float(plan.geometry.solid.surface_area()) + 700.0, name)

    def test_jaws_hold_what_the_rule_asks(self):
        """Grip and what stands out of the jaws, from the plan's heights: an eighth at least, beside the vise's own."""
        for name in _PARTS:
            for setup in planned(name)[1].setups:
                holding = setup.holding
                if holding.jaws is None or setup.setup.hold.jaws.kind == "soft":
                    continue
                out = float(holding.u_stock[1][2]) - holding.jaws.top
                self.assertGreaterEqual(holding.grip + 0.51, max(3.5, out / 8.0) - 0.01, f"{name}: {setup.setup.name}")


class SliverTest(unittest.TestCase):
    def test_a_bore_through_part_and_hat_is_probed_where_slivers_are(self):
        """Cut in a frame turned by a hair, the bore's wall has triangles of no area; the ball in its middle is free."""
        x, y, z = 134.94394126726368, 95.82619896474795, 8.771017018613627
        side = cylinder((-50, 59.219153043468836, z / 2), 3.508406807445451, 111.55472140352931, X)
        bore = cylinder((50.710806184055706, 34.124610728782734, -50), 16, 200)
        plate = less(less(box((0, 0, 0), (x, y, z)), side), bore)
        part = geometry_from(plate, "slivers")
        plan = make_plan(first_plan(job_of(part), Models(part), shipped_shop()).job, Models(part))
        self.assertEqual(plan.setups[1].setup.datum.x.source, "feature")
        for seed in range(1, 6):
            self.assertEqual(rehearsed(plan, seed, geometry=part).alarms, (), f"seed {seed}")


class BlankTest(unittest.TestCase):
    def test_forms_by_shape_and_size(self):
        forms = {name: blanks_for(corpus_part(name), shipped_shop())[0] for name in CORPUS}
        self.assertEqual([n for n, s in forms.items() if s.form == "round bar"], ["flat on bar", "cross drilled bar"])
        sheets = [n for n, s in forms.items() if s.form == "block" and s.size()[2] < corpus_part(n).high[2] + 0.01]
        self.assertEqual(sheets, ["thin sheet", "thin cover", "large plate", "large ring"])
        self.assertEqual(forms["cross drilled bar"].size(), (90.0, 40.0, 40.0))

    def test_a_square_bar_is_no_round_one(self):
        square = geometry_from(less(box((0, -15, -15), (90, 15, 15)), cylinder((40, 0, -20), 8, 60)), "square")
        self.assertEqual(blanks_for(square, shipped_shop())[0].form, "block")

    def test_a_short_disc_is_no_bar(self):
        self.assertEqual(blanks_for(corpus_part("disc"), shipped_shop())[0].form, "block")

    def test_hat_and_grip_by_hand(self):
        """28 high: 28 + 1.5 + 0.5 stand out, an eighth is 3.75; parallels of 38 in jaws of 42 give 4, the hat is 4.5.
        50 high: 52 stand out, 6.5 are wanted; parallels of 35 give 7, so the hat is 7.5."""
        shop = shipped_shop()
        vise = shop.machine.fixtures[0]
        self.assertAlmostEqual(least_grip(vise, 30.0), 3.75)
        self.assertAlmostEqual(least_grip(vise, 10.0), 3.5, msg="never less than the vise itself needs")
        self.assertEqual(parallels_for(vise, 3.75, shop.parallels)[:2], (4.0, 38.0))
        self.assertAlmostEqual(hat_for(28.0, shop), 4.5)
        self.assertAlmostEqual(hat_for(50.0, shop), 7.5)

    def test_the_hat_lies_under_the_side_that_is_cut_first(self):
        part = corpus_part("square bar")
        for up, axis in (("+Y", 1), ("-Y", 1), ("+X", 0)):
            stock = stock_round(part, shipped_shop(), up)
            over = np.array(stock.size()) - (part.high - part.low)
            self.assertEqual(int(np.argmax(over)), axis)
            given = [side for side, value in stock.allowance.model_dump().items() if value is not None]
            self.assertEqual(given, [("plus_" if up[0] == "+" else "minus_") + "xyz"[axis]])


class TallTest(unittest.TestCase):
    def test_a_tall_part_is_cut_from_both_ends(self):
        """With end mills that reach 46 at most, 60 high is cut half from each side, the cuts meeting in between."""
        shop = shipped_shop()
        short = tuple(cutter for cutter in shop.machine.cutters if (cutter.reach or 0.0) <= 46.0)
        shop = shop.model_copy(update={"machine": shop.machine.model_copy(update={"cutters": short})})
        part = geometry_from(less(box((0, 0, 0), (70, 50, 60)), cylinder((35, 25, -1), 20, 80)), "tall")
        made = first_plan(job_of(part, shop), Models(part), shop)
        plan = make_plan(made.job, Models(part))
        outlines = [op for setup in made.job.setups for op in setup.operations if op.removes == "outline"]
        self.assertEqual(len(outlines), 2)
        self.assertLess(sum(-each.below for each in outlines), 60.0, "the cuts overlap")
        self.assertFalse([f for f in findings_of(plan) if f.code in ("TOOL_TOO_SHORT", "GRIP_ABOVE_UNDERSIDE")])
        self.assertLess(plan.finished.volume - float(part.solid.volume()), 60.0)


class CannotTest(unittest.TestCase):
    def test_what_cannot_be_made_so_is_one_sentence(self):
        """Deeper than any tool reaches: said once, with the reason, and the rest counted."""
        deep = less(box((0, 0, 0), (60, 50, 110)), box((20, 15, 5), (40, 35, 120)))
        part = geometry_from(deep, "well")
        made = first_plan(job_of(part), Models(part), shipped_shop())
        words = spell(made.words(), "mm")
        self.assertTrue(made.cannot)
        self.assertRegex(words, r"^Not all of it can be run as it stands: Op \d+.*(, and \d+ more)?\.$")
        self.assertEqual(words.count(". "), 0, words)

    def test_the_reason_is_what_the_others_follow_from(self):
        """Larger than any vise or sheet: not that jaws stand in the way; askew in the model: not that it lies badly."""
        plate = less(box((0, 0, 0), (80, 50, 25)), cylinder((20, 25, -5), 12, 60), box((30, 10, 15), (50, 40, 40)))
        for shape, reason in (
            (box((0, 0, 0), (2400, 1500, 750)), "needs left vise open 1564.000 mm"),
            (turned(plate, (0.3, 0.5, 0.8), 0.3), "No square side reaches hole 1"),
        ):
            part = geometry_from(shape, reason)
            made = first_plan(job_of(part), Models(part), shipped_shop(), enough=lambda: True)
            self.assertIn(reason, spell(made.words(), "mm"))

    def test_far_from_the_models_zero_the_plan_is_the_same(self):
        plate = less(box((0, 0, 0), (80, 50, 25)), cylinder((20, 25, -5), 12, 60), box((30, 10, 15), (50, 40, 40)))
        setups = []
        for by in ((0.0, 0.0, 0.0), (9000.0, -9800.0, 3000.0)):
            part = geometry_from(moved(plate, by), f"at {by}")
            made = first_plan(job_of(part), Models(part), shipped_shop())
            self.assertEqual(made.words(), "")
            setups.append(made.job.setups)
        self.assertEqual(*setups)

    def test_enough_ends_it_with_the_best_so_far(self):
        """Asked to stop at once there is still a plan of every side, made of the first that can be planned at all."""
        part = corpus_part("bearing housing")
        tries = []
        real = making._Maker._bad

        def counted(self, *args):
            tries.append(1)
            return real(self, *args)

        with mock.patch.object(making._Maker, "_bad", counted):
            made = first_plan(job_of(part), Models(part), shipped_shop(), enough=lambda: True)
        self.assertLessEqual(len(tries), 2 * len(made.job.setups))
        self.assertTrue(all(setup.operations for setup in made.job.setups))
        make_plan(made.job, Models(part))

    def test_progress_is_told(self):
        part, told = corpus_part("plain plate"), []
        first_plan(job_of(part), Models(part), shipped_shop(), progress=lambda *said: told.append(said))
        self.assertTrue(any(words.startswith("weighing") for _, _, words in told))
        self.assertTrue(any(words.startswith("planning +Z up, then") for _, _, words in told))
        self.assertTrue(all(0 <= done <= of for done, of, _ in told))
