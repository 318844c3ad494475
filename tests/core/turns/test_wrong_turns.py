"""Whether a wrong turn is noticed: said of this part, by numbers that are worked out another way here."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.helpers import demo, demo_plan, models, plan_with
from tests.turn_jobs import ring_plan, ring_with


def told(plan, way):
    (turn,) = turns_of(plan)
    return next(spell(offer.wrong_turn, "mm") for offer in way_offers(plan, turn) if offer.way == way)


class ProbedTest(unittest.TestCase):
    def test_a_bore_off_the_middle_is_twice_as_far_away_when_it_is_spun(self):
        """The main bore lies at 30 of 96 and in the middle of 64: 18 off the middle, so spun 36 off."""
        bore = demo().part.feature("main bore")
        self.assertEqual((bore.at.x, bore.at.y), (30.0, 32.0))
        words = "noticed: turned end for end main bore lies 36.000 mm off, more than is searched"
        self.assertEqual(told(demo_plan(), "probed feature"), words)

    def test_within_the_search_it_is_not_noticed(self):
        for overtravel, words in ((36.5, "not noticed: turned end for end main bore lies 36.000"), (35.5, "noticed")):
            plan = plan_with((("setups", 1, "probing", "overtravel"), overtravel))
            self.assertTrue(told(plan, "probed feature").startswith(words), overtravel)

    def test_a_bore_in_the_middle_tells_nothing(self):
        words = "not noticed: turned end for end ring bore lies 0.000"
        self.assertIn(words, told(ring_plan("on-pins"), "probed feature"))


class OutlineTest(unittest.TestCase):
    def test_a_rectangle_is_alike_whatever_is_bored_through_it(self):
        self.assertIn("not noticed: its outline is alike end for end", told(demo_plan(), "soft-jaw bore"))

    def test_an_outline_with_a_step_is_not(self):
        """Of 2 mm beside the part 34 are cut away at the left and 8 in front: 84 mm², which spun lie elsewhere."""
        job = demo()
        step = job.setups[0].operations[1].model_copy(update={"name": "step"})
        region = {
            "removes": "region", "name": "step", "tool": step.tool, "left": -2.0, "right": 8.0, "front": -2.0,
            "back": 32.0, "depth": 40.0,
        }  # fmt: skip
        operations = (*job.setups[0].operations, region)
        plan = make_plan(set_value(job, ("setups", 0, "operations"), operations), models())
        words = told(plan, "soft-jaw bore")
        self.assertEqual(words, "noticed: end for end its outline differs by 168 mm²")


class PinsTest(unittest.TestCase):
    def test_pins_as_they_are_placed(self):
        self.assertEqual(told(ring_plan("on-pins"), "dowel pins"), "it goes in one way only")

    def test_pins_that_lie_evenly_let_it_go_in_wrong(self):
        """Two alike pins on the axis: spun by half a turn they change places."""
        job = read_job(demo_job("dial-ring-on-pins"))
        k = next(k for k, o in enumerate(job.setups[0].operations) if o.removes == "pin bores")
        made = job.setups[0].operations[k]
        pins = tuple(made.pins[0].model_copy(update={"x": x, "y": 0.0}) for x in (-140.0, 140.0))
        plan = ring_with("on-pins", (("setups", 0, "operations", k), made.model_copy(update={"pins": pins})))
        self.assertIn("not noticed: turned, it also goes in", told(plan, "dowel pins"))

    def test_a_frame_is_tried_in_every_way(self):
        self.assertIn("blocked in", told(ring_plan("in-a-frame"), "interlocking frame"))
