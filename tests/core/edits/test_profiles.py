"""A machine's own profiles: copied, kept, taken out, and tried without being kept."""

from __future__ import annotations

import unittest

from ledgecliff.core.edits.profiles import example, own_copy, with_profile, without_profile
from ledgecliff.core.errors import InvalidValueError, ProfileError
from ledgecliff.core.programs.profile import SHIPPED, shipped_profile
from tests.helpers import demo, demo_plan


class ProfileEditTest(unittest.TestCase):
    def test_copies_get_names_of_their_own(self):
        once = own_copy(demo())
        self.assertEqual(once.machine.profile, "our parameter style")
        twice = own_copy(with_profile(once, shipped_profile("user macro style").model_copy(update={"name": "macros"})))
        self.assertEqual(twice.machine.profile, "our macros")
        self.assertEqual(len({profile.name for profile in twice.machine.profiles}), 3)

    def test_keeping_replaces_the_one_of_the_same_name(self):
        job = own_copy(demo())
        changed = job.machine.profiles[0].model_copy(update={"text": job.machine.profiles[0].text + "\n{# ours #}"})
        kept = with_profile(job, changed)
        self.assertEqual(kept.machine.profiles, (changed,))

    def test_what_ships_is_never_overwritten(self):
        for name in SHIPPED:
            with self.assertRaisesRegex(InvalidValueError, "ships with the program"):
                with_profile(demo(), shipped_profile(name))

    def test_taking_out_the_one_in_use_falls_back(self):
        job = own_copy(demo())
        self.assertEqual(without_profile(job, "our parameter style"), demo())
        self.assertEqual(without_profile(demo(), "never there"), demo())

    def test_an_example_needs_nothing_to_be_kept(self):
        for name in SHIPPED:
            text = example(demo_plan(), 0, shipped_profile(name))
            self.assertIn("(Float housing)", text)
            self.assertEqual(text.count("(hover check of"), 1)
        broken = shipped_profile("parameter style").model_copy(update={"name": "x", "text": "{% macro"})
        with self.assertRaises(ProfileError):
            example(demo_plan(), 0, broken)
