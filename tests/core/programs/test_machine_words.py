"""What a machine is told besides: words by name, said where they are asked for; the touch by hand; the head."""

from __future__ import annotations

import unittest
from dataclasses import replace

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.machine_words import with_names, with_words, words_text
from ledgecliff.core.errors import InvalidValueError, ProfileError
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import SHIPPED, shipped_profile
from ledgecliff.core.programs.released import probing_text, probing_texts
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.rehearsing import Rehearsing
from ledgecliff.core.simulator.interpreter import Control
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.jobs import plan_of

WORDS = "vise air on = M21; air off = M22; ready = M64 P3; part bad = M65 P3; dust off=m 41"
PATH = ("setups", 1, "probing")


def talking_job(profile="parameter style", cycles=("web", "surface on top", "bore"), **more):
    cycles = [CYCLES[name] for name in cycles]
    job = with_words(job_with(*cycles, profile=profile, **more), 0, WORDS)
    job = with_names(job, (*PATH, "words", "begins"), "vise air on, dust off")
    job = with_names(job, (*PATH, "words", "ends"), "air off, ready")
    job = with_names(job, (*PATH, "words", "failed"), "part bad")
    job = with_names(job, (*PATH, "cycles", 1, "words_before"), "dust off")
    return with_names(job, (*PATH, "cycles", 1, "words_after"), "ready")


def run(plan, *, has_operator=True):
    """The control after a rehearsed setup's program, and what came of it."""
    written = written_plan(plan)
    steps = Rehearsing(written, drawn_world(written, 1))
    steps.clamp(0)
    steps.cut_to(len(plan.setups[0].setup.operations))
    now = steps.clamp(1)
    now.machine.has_operator = has_operator
    outcome = Control(now.machine, dialect_of(now.machine.machine)).run(probing_text(plan, 1))
    return now.machine, outcome


class WordsTest(unittest.TestCase):
    def test_said_in_their_order_in_every_style(self):
        for profile in SHIPPED:
            plan = plan_of(talking_job(profile))
            unit, outcome = run(plan)
            self.assertEqual(outcome.alarm, "", profile)
            self.assertEqual(unit.said, ["M21", "M41", "M41", "M64 P3", "M22", "M64 P3"], profile)
            self.assertEqual(read_back(plan, 1).differences, (), profile)
            text = probing_text(plan, 1)
            self.assertLess(text.rindex("G53 G0 Z"), text.rindex("(step") if "(step" in text else len(text))
            # From the top of the travel, whatever stands below.
            self.assertLess(text.index("G53 G0 Z", text.rindex("step 3")), text.index("M22 (air off)"))

    def test_where_a_check_fails_it_is_said_before_the_stop(self):
        for profile in SHIPPED:
            plan = plan_of(talking_job(profile, program_units="in"))
            # A bore that is not there at that size: the middle of the pocket is found instead.
            wrong = plan_of(
                set_value(talking_job(profile, program_units="in"), ("part", "features", 0, "diameter"), 22.0)
            )
            written = written_plan(plan)
            steps = Rehearsing(written, drawn_world(written, 1))
            steps.clamp(0)
            steps.cut_to(len(plan.setups[0].setup.operations))
            unit = steps.clamp(1).machine
            outcome = Control(unit, dialect_of(unit.machine)).run(probing_text(wrong, 1))
            self.assertIn("is not 0.8661" if "call" not in profile else "keyed in", outcome.alarm)
            if profile == "cycle call style":
                continue  # its stand-in cycles stop by themselves, as a machine's own do
            self.assertEqual(unit.said[-1], "M65 P3", profile)

    def test_a_profile_that_leaves_them_out_is_refused(self):
        text = shipped_profile("parameter style").text.replace("a.text, a.failed)", "a.text)")
        job = set_value(talking_job(), ("machines", 0, "profiles"), (OutputProfile(name="ours", text=text),))
        with self.assertRaisesRegex(ProfileError, "'stop' leaves out what is said where a check fails"):
            probing_text(plan_of(set_value(job, ("machines", 0, "profile"), "ours")), 1)
        silent = shipped_profile("parameter style").text.replace("macro machine(", "macro other(")
        job = set_value(job, ("machines", 0, "profiles"), (OutputProfile(name="ours", text=silent),))
        with self.assertRaisesRegex(ProfileError, "the macro 'machine' is missing"):
            probing_text(plan_of(set_value(job, ("machines", 0, "profile"), "ours")), 1)

    def test_only_words_that_the_machine_has(self):
        job = talking_job()
        self.assertEqual(
            words_text(with_words(job, 0, words_text(job.machine.words)).machine.words), words_text(job.machine.words)
        )
        for text, why in (
            ("stop = M0", "ends, stops"), ("air M21", "write a name and its M word"),
            ("a = M21; b = M21", "words are the same"),
            ("a = M21; a = M22", "share the name"), ("x = G4", "write a name"), ("c = M1000", "write a name"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why, msg=text):
                with_words(job_with(CYCLES["web"]), 0, text)
        with self.assertRaisesRegex(InvalidValueError, "has no word called 'lights'"):
            with_names(job, (*PATH, "words", "ends"), "lights")
        with self.assertRaisesRegex(InvalidValueError, "has no word called"):
            with_words(job, 0, "")


class HandTestTest(unittest.TestCase):
    def plan(self, profile, **more):
        return plan_of(set_value(talking_job(profile, **more), (*PATH, "hand_test"), True))

    def test_it_goes_on_only_after_the_trigger(self):
        for profile in SHIPPED:
            for units in ("mm", "in"):
                plan = self.plan(profile, program_units=units)
                back = read_back(plan, 1)
                without = read_back(plan_of(talking_job(profile, program_units=units)), 1)
                self.assertEqual((back.differences, back.stops), ((), without.stops + 1), (profile, units))
                unit, outcome = run(plan)
                self.assertEqual(outcome.alarm, "")
                self.assertTrue(any("TOUCH THE BALL" in message for message in outcome.messages))
                by_hand = [motion for motion in unit.motions if motion.kind == "by hand"]
                self.assertEqual(len(by_hand), 1)
                self.assertAlmostEqual(by_hand[0].start[2] - by_hand[0].end[2], 5.0, places=4)
                unit, outcome = run(plan, has_operator=False)
                self.assertIn("not triggered by hand", outcome.alarm)
                self.assertEqual([motion for motion in unit.motions if motion.kind == "search"], [])

    def test_a_test_that_never_stops_is_seen(self):
        for profile, old in (
            ("parameter style", "if [#5070 NE 1]"),
            ("numbered-variable skip style", "IF [[#5063 - #110] GT"),
        ):
            plan = self.plan(profile)
            (written,) = probing_texts(plan, 1)
            self.assertIn(old, written.text)
            new = old.replace("#5070 NE 1", "#5070 NE #5070").replace("[#5063 - #110] GT", "1 GT")
            back = read_back(plan, 1, texts=[replace(written, text=written.text.replace(old, new, 1))])
            self.assertIn(
                "nobody touches the ball when that is asked for, and the program goes on", back.differences[0]
            )


class HeadTest(unittest.TestCase):
    def test_where_the_zero_is_stands_in_the_head(self):
        job = set_value(talking_job(), ("setups", 1, "datum", "x", "shift"), -2.5)
        head = probing_text(plan_of(job), 1).split("M5")[0]
        source = job.setups[1].datum
        self.assertIn("(X0 is the", head)
        self.assertIn(", 2.5 before it)", head)
        self.assertIn(f"(Y0 is the {source.y.source})", head)


if __name__ == "__main__":
    unittest.main()
