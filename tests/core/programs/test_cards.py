"""Steps as one call of a control's own cycle: in programs, and on cards from where the probe stands by eye."""

from __future__ import annotations

import re
import unittest
from dataclasses import replace

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import PlanError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.model.work_offsets import ExtendedOffsets
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.one_call import one_call
from ledgecliff.core.programs.cards import card_lines, cards_of
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.quantities import spell
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.told import said_of_proof
from ledgecliff.core.rehearsal.true_world import OldOffset
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from ledgecliff.sheets.cards_page import cards_html
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.draws import draws
from tests.helpers import demo, demo_plan, plan_with
from tests.jobs import plan_of

STYLE = shipped_profile("cycle call style")
#: Which cycles of a control make which of our steps.
SHAPES = {
    "surface": "side", "surface on top": "top", "surface on the jaw": "side", "web": "width", "pocket across": "width",
    "pocket over": "width", "rectangle outside": "rectangle", "rectangle inside": "rectangle", "bore": "bore",
    "bore over": "bore", "boss": "boss", "corner of two": "corner", "rough width": "width", "rough bore": "bore",
}  # fmt: skip
SEEDS = range(1, 1 + draws(2, 40))


def own_profile(text, name="ours"):
    return OutputProfile(name=name, control="parameter style", text=text)


def with_profile(job, text):
    job = set_value(job, ("machines", 0, "profiles"), (own_profile(text),))
    return set_value(job, ("machines", 0, "profile"), "ours")


class OneCallTest(unittest.TestCase):
    def test_which_steps_a_cycle_makes(self):
        for name, cycle in CYCLES.items():
            (step,) = plan_of(job_with(cycle)).setups[1].probing.steps
            call = one_call(step)
            self.assertEqual(None if call is None else call.shape, SHAPES.get(name), name)

    def test_values_by_hand(self):
        """The pocket of 44 along Y and 30 along X, 3.0 of stand-off and overtravel, a ball of 4.0: from the middle a
        search along X begins at 15 - 2 - 3, and ends at latest at 15 - 2 + 3."""
        (step,) = plan_of(job_with(CYCLES["rectangle inside"])).setups[1].probing.steps
        call = one_call(step)
        along_x = call.span("x")
        self.assertEqual([round(value, 9) for value in (along_x.size, along_x.begin, along_x.far)], [30.0, 10.0, 16.0])
        self.assertEqual((call.straight, call.down, call.span("z")), (True, 0.0, None))
        (step,) = plan_of(job_with(CYCLES["corner of two"])).setups[1].probing.steps
        call = one_call(step)
        self.assertEqual(
            [(span.axis, span.begin, span.far) for span in call.spans], [("y", 5.0, -1.0), ("x", 5.0, -1.0)]
        )


class CallsInProgramsTest(unittest.TestCase):
    """Every shape in both units is read back by the tests of cycles, with all shipped profiles."""

    def calls(self, text):
        return len(re.findall(r"^o9[0-9] call", text, re.MULTILINE))

    def test_one_call_a_step(self):
        for name, cycle in CYCLES.items():
            text = probing_text(plan_of(job_with(cycle, profile="cycle call style")), 1)
            self.assertEqual(self.calls(text), int(name in SHAPES), name)

    def test_a_call_begins_at_its_own_height_whatever_step_came_before(self):
        high, low = (
            CYCLES[name].model_copy(update={"clearance": mm}) for name, mm in (("web", 40.0), ("bore over", 8.0))
        )
        for cycles in ((high, low), (low, high)):
            for profile in ("cycle call style", "parameter style"):
                plan = plan_of(job_with(*cycles, CYCLES["surface on top"], profile=profile))
                self.assertEqual(read_back(plan, 1).differences, ())
                # Up to the higher plane before it goes over: what it must be clear of may stand on the way.
                text = probing_text(plan, 1)
                self.assertEqual("step 2: contact on the way up" in text, cycles == (low, high) and "call" in profile)
                self.assertEqual("touch 5: contact on the way up" in text, "call" not in profile)

    def test_cycles_that_only_measure_leave_checks_and_offsets_to_the_program(self):
        text = STYLE.text.replace("{%- set cycles_set = true -%}", "").replace("a.number if span.sets else 0", "0")
        text = text.replace("0 if a.measures else a.number", "0")
        for name in SHAPES:
            plan = plan_of(with_profile(job_with(CYCLES[name]), text))
            self.assertEqual(read_back(plan, 1).differences, (), name)
            self.assertIn("(found less wanted goes into G55)", probing_text(plan, 1))

    def test_a_cycle_left_empty_is_written_touch_by_touch(self):
        """Where it says nothing of corners, a corner is written as with no cycles at all."""
        begin, end = STYLE.text.split("{%- macro cycle(a, p) -%}")
        end = end.replace("{%- endmacro -%}", "{% endif %}{%- endmacro -%}", 1)
        some = begin + "{%- macro cycle(a, p) -%}{% if a.shape != 'corner' %}" + end
        none = STYLE.text.replace("macro cycle(a, p)", "macro unused(a, p)")
        for name, same in (("corner of two", True), ("web", False)):
            texts = [probing_text(plan_of(with_profile(job_with(CYCLES[name]), text)), 1) for text in (some, none)]
            self.assertEqual(texts[0] == texts[1], same, name)

    def test_a_jump_to_be_confirmed_and_a_turn_are_the_programs_own(self):
        for change in ({"jump": 2.0}, {"cycles": (CYCLES["corner of four"], CYCLES["surface on top"], CYCLES["bore"])}):
            job = job_with(CYCLES["bore"], profile="cycle call style")
            for field, value in change.items():
                job = set_value(job, ("setups", 1, "probing", field), value)
            plan = plan_of(job)
            self.assertEqual(self.calls(probing_text(plan, 1)), 0)
            self.assertEqual(read_back(plan, 1).differences, ())


class CardsTest(unittest.TestCase):
    def test_by_hand(self):
        """Op 10: the stock is 100 long, its top 1.5 over Z 0, the probe travels 15 over that.  The ball of 4 touches 8
        below the edge: its tip is 10 below it, and goes 25 down.  To the sides lie 5 of stand-off."""
        card = cards_of(demo_plan().setups[0])[0]
        values = {row.label: row.mm for row in card.rows}
        self.assertEqual(values["down to where it searches"], 25.0)
        self.assertEqual(values["expected size along X"], 100.0)
        self.assertEqual(values["approach (the search begins so far before the surface)"], 5.0)
        self.assertEqual(spell(card.stand, "mm"), "Over the middle, the ball's tip about 15.000 mm above the edge.")
        self.assertEqual(
            [(r.words, r.expected) for r in card.results], [("width along X", 100), ("X there then reads", 0)]
        )
        # Of the 5 along the way the stock itself may take 0.4 on either side (it varies by 0.8).
        self.assertEqual(card.near, 4.6)
        lines = [spell(line, "in") for line in card_lines(card)]
        self.assertIn("expected size along X: 3.9370 in", lines)
        self.assertIn("Set G54: X to read +0.0000.", lines)

    def test_what_has_no_card_says_why(self):
        for cycle, why in (("edge angle in front", "turned about Z"), ("plane", "No single cycle")):
            plan = plan_of(job_with(CYCLES[cycle]))
            (card,) = cards_of(plan.setups[1])
            self.assertIn(why, card.cannot)
            with self.assertRaisesRegex(PlanError, "cannot be worked through by cards: step 1 of Op 20"):
                written_plan(plan, by_cards=True)
        deep = CYCLES["bore"].model_copy(update={"stand_off": 0.1, "overtravel": 0.1, "depth": 60.0})
        (card,) = cards_of(plan_of(job_with(deep)).setups[1])
        self.assertIn("However near", card.cannot)

    def test_the_page_has_a_box_for_each_value_and_is_escaped(self):
        job = set_value(demo(), ("setups", 0, "name"), "Op <10>")
        page = cards_html(plan_with(*[(("setups", 0, "name"), job.setups[0].name)]), "mm", [0, 1])
        self.assertIn("Op &lt;10&gt;", page)
        cards = [card for setup in demo_plan().setups for card in cards_of(setup)]
        boxes = sum(len(card.results) + 1 for card in cards)
        self.assertEqual(page.count('<span class="box">'), boxes)
        self.assertIn("locked out of rotation", page)


class RehearsedByCardsTest(unittest.TestCase):
    """From anywhere within what a card calls near the cycles find what is really there, whatever the offsets held."""

    def test_every_shape_in_any_world(self):
        names = [name for name in SHAPES if name not in ("boss", "rough width", "rough bore")]
        cycles = [CYCLES[name].model_copy(update={"name": name}) for name in names]
        for units, more in (("mm", {}), ("in", {"profile": "numbered-variable skip style"})):
            job = job_with(*cycles, program_units=units, **more)
            if more:
                job = set_value(job, ("machines", 0, "extended"), ExtendedOffsets(count=9, word="G154"))
                job = set_value(job, ("setups", 1, "offset"), "G154 P7")
            written = written_plan(plan_of(job), by_cards=True)
            # Only Op 20 has cycles of its own here: as clamped it is found in each world.
            for seed in SEEDS:
                setup = rehearse(written, drawn_world(written, seed)).setups[1]
                self.assertEqual((setup.alarms, setup.amiss), ((), ()), (units, seed))

    def test_as_the_programs_find_it(self):
        for name in ("float-housing", "float-housing-by-jaw", "dial-ring-on-pins"):
            job = read_job(demo_job(name))
            plan = make_plan(job, load_models(job, demo_job(name)))
            by_program, by_card = written_plan(plan), written_plan(plan, by_cards=True)
            for seed in SEEDS:
                world = drawn_world(by_program, seed)
                pairs = zip(rehearse(by_program, world).setups, rehearse(by_card, world).setups, strict=True)
                for program, card in pairs:
                    self.assertEqual((card.alarms, card.amiss), ((), ()))
                    self.assertLess(abs(program.found - card.found).max(), 0.004, (name, seed))

    def test_what_the_offset_held_is_of_no_account(self):
        written = written_plan(demo_plan(), by_cards=True)
        world = drawn_world(written, 3)
        junk = tuple(OldOffset(code=code, at=Point(x=-100.0, y=-300.0, z=-50.0)) for code in ("G54", "G55"))
        as_eye = rehearse(written, world)
        left = rehearse(written, world.model_copy(update={"offsets": junk}))
        for mine, other in zip(as_eye.setups, left.setups, strict=True):
            self.assertEqual(other.alarms, ())
            self.assertLess(abs(mine.found - other.found).max(), 1e-3)

    def test_further_than_near_is_not_near_enough(self):
        """The claim made to fail: from twice as far the control stops, or finds a wrong place, in some world."""
        written = written_plan(demo_plan(), by_cards=True)
        setups = tuple(
            replace(setup, cards=tuple(replace(card, near=2.5 * card.near) for card in setup.cards))
            for setup in written.setups
        )
        worlds = rehearse_in_worlds(replace(written, setups=setups), range(1, 9))
        self.assertTrue(worlds.alarms)
        self.assertFalse(rehearse_in_worlds(written, range(1, 9)).alarms)

    def test_it_proves_nothing_of_the_programs(self):
        written = written_plan(demo_plan(), by_cards=True)
        rehearsal = rehearse(written, drawn_world(written, 1))
        self.assertIn("Rehearsed by cards in trial 1", said_of_proof(rehearsal, None))
        self.assertIn("programs were not run", said_of_proof(rehearsal, None))
        programs = rehearse(written_plan(demo_plan()), drawn_world(written, 1))
        self.assertNotIn("cards", said_of_proof(programs, None))


if __name__ == "__main__":
    unittest.main()
