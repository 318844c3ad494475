"""How programs are called: by the profile's pattern, no two alike, and nothing that leaves the folder."""

from __future__ import annotations

import unittest
from pathlib import PurePosixPath

from ledgecliff.core.changing import changed as with_fields
from ledgecliff.core.edits.profiles import own_copy, with_profile
from ledgecliff.core.errors import InvalidValueError, PlanError
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import SHIPPED, in_present_words, shipped_profile
from ledgecliff.core.programs.released import probing_text, registration_files, released_files
from tests.helpers import changed, demo, demo_plan, models
from tests.turn_jobs import ring_plan


def named(files, suffix=".nc"):
    """The demo's programs where its own profile calls them so."""
    job = own_copy(demo())
    profile = with_fields(job.machine.profiles[0], {"files": files, "suffix": suffix})
    return released_files(make_plan(with_profile(job, profile), models()))


class NamesTest(unittest.TestCase):
    def test_as_the_profile_says(self):
        self.assertEqual(list(released_files(demo_plan())), [
            "01-op-10-probe.ngc", "01-op-10-hover.ngc", "02-op-20-probe.ngc", "02-op-20-hover.ngc",
        ])  # fmt: skip
        self.assertEqual(list(named("O{nn}{kk}")), ["O0101.nc", "O0102.nc", "O0201.nc", "O0202.nc"])
        self.assertEqual(list(named("{what} of {setup}", "")), [
            "probe of op-10", "hover of op-10", "probe of op-20", "hover of op-20",
        ])  # fmt: skip
        self.assertEqual(named("O{nn}{kk}")["O0201.nc"], probing_text(demo_plan(), 1))

    def test_job_side_and_version(self):
        names = list(named("{job}-v{version}-{nn}-{side}-{what}"))
        self.assertEqual(names[0], "float-housing-v1-01-top-side-probe.nc")
        self.assertEqual(names[3], "float-housing-v1-02-underside-hover.nc")
        job = own_copy(changed((("revision",), "B 2"), (("title",), "x/../" * 16)))
        profile = with_fields(job.machine.profiles[0], {"files": "{job}-{version}-{nn}{kk}", "suffix": ".nc"})
        (first, *_) = released_files(make_plan(with_profile(job, profile), models()))
        self.assertRegex(first, r"^x-[x-]{1,59}-b-2-0101\.nc$")

    def test_two_of_one_name_are_refused_not_lost(self):
        job = own_copy(changed((("setups", 0, "name"), "Op 10"), (("setups", 1, "name"), "op-10")))
        profile = with_fields(job.machine.profiles[0], {"files": "{setup}-{what}"})
        with self.assertRaisesRegex(PlanError, "Two programs would be called 'op-10-probe"):
            released_files(make_plan(with_profile(job, profile), models()))

    def test_what_bores_for_pins_is_named_with_the_setup_that_runs_it(self):
        plan = ring_plan("on-pins")
        self.assertEqual(registration_files(plan, 0), ("01-op-10-pins-blank.ngc", "01-op-10-pins-board.ngc"))
        self.assertEqual(registration_files(plan, 1), ())
        self.assertTrue(set(registration_files(plan, 0)) <= set(released_files(plan)))

    def test_patterns_that_two_programs_would_share_or_that_leave_the_folder(self):
        for files, words in (
            ("{nn}", "two programs would have one file"),
            ("{kk}", "two programs would have one file"),
            ("probe", "two programs would have one file"),
            ("{nn}{kk}{date}", "files may be called by"),
            ("{nn}{kk}{0}", "files may be called by"),
            ("{nn.__class__}{kk}", "files may be called by"),
            ("{{nn}}{kk", "files may be called by"),
            ("../{nn}{kk}", "leave slashes out"),
        ):
            with self.subTest(files), self.assertRaisesRegex(InvalidValueError, words):
                named(files)
        for suffix in ("nc", "./x", ".n c", ".toolongsuffix"):
            with self.subTest(suffix), self.assertRaises(InvalidValueError):
                named("{nn}{kk}", suffix)

    def test_a_setup_called_like_a_path_names_a_file_in_the_folder(self):
        job = changed((("setups", 0, "name"), "../../etc/passwd"))
        for name in released_files(make_plan(job, models())):
            self.assertEqual(PurePosixPath(name).name, name)


class OldWordsTest(unittest.TestCase):
    def test_a_profile_of_an_older_version_is_brought_up_to_date(self):
        for name in SHIPPED:
            text = shipped_profile(name).text
            self.assertEqual(in_present_words(text.replace("guarded", "protected")), text)
            self.assertEqual(in_present_words(text), text)
