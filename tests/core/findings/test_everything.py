"""The one list of findings: register, toolpath programs and rehearsals stand in it beside the plan's own."""

from __future__ import annotations

import unittest
from dataclasses import replace

from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.counted import kinds_counted, setups_counted
from ledgecliff.core.findings.everything import Beside, found_against, with_rehearsed
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import make_plan
from ledgecliff.core.register.entries import Entry, Use, Value
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL, control_words
from ledgecliff.core.toolpaths.reading import read_toolpath
from tests.helpers import changed, demo, demo_plan, models, plan_with
from tests.rehearsals import rehearsed

THEIRS = Use("sluice gate", "Op 10", job_id="0123456789ab", setup_id="ba9876543210")
PROGRAM = "G21 G17 G90 G54\nT2 M6\nG0 G43 H2 Z10\nX0 Y0\nG1 Z-5 F200\nX20\nY10\nG0 Z10\nM30\n"


def extra(plan, beside):
    """What is found beside the plan's own, by code."""
    own = findings_of(plan)
    return {f.code: f for f in found_against(plan, beside) if f not in own}


class CountedTest(unittest.TestCase):
    def test_kinds_the_worst_first_then_setups_the_fullest_first(self):
        places = (("note", ""), ("error", "Op 10"), ("warning", "Op 20"), ("warning", "Op 20"), ("hazard", "Op 10"),
                  ("warning", "Op 20"))  # fmt: skip
        found = [Finding(f"CODE_{k}", kind, setup, "fact", "advice") for k, (kind, setup) in enumerate(places)]
        self.assertEqual(kinds_counted(found), "1 hazard, 1 error, 3 warnings, 1 note")
        self.assertEqual(setups_counted(found), (("Op 20", 3), ("Op 10", 2), ("", 1)))


class RegisterTest(unittest.TestCase):
    def beside(self, entry):
        return Beside({demo().machine.id: (entry,)})

    def test_anothers_code_and_an_old_value(self):
        found = extra(demo_plan(), self.beside(Entry("G54", use=THEIRS)))
        self.assertEqual([(f.code, f.severity, f.setup) for f in found.values()], [("OFFSET_TAKEN", "error", "Op 10")])
        stale = self.beside(Entry("G54", value=Value(1.0, 2.0, 3.0), found_for=THEIRS))
        self.assertEqual(set(extra(demo_plan(), stale)), {"OFFSET_STALE"})
        self.assertEqual(found_against(demo_plan(), stale)[0].code, "OFFSET_STALE", "hazards stand first")

    def test_nothing_where_the_codes_are_free(self):
        entries = tuple(Entry(offset.code) for offset in demo().machine.offsets)
        self.assertEqual(extra(demo_plan(), Beside({demo().machine.id: entries})), {})

    def test_another_machines_codes_are_no_clash(self):
        self.assertEqual(extra(demo_plan(), Beside({"0123456789ab": (Entry("G54", use=THEIRS),)})), {})

    def test_that_it_cannot_be_read_is_told_and_hides_nothing(self):
        plan = plan_with((("setups", 0, "hold", "parallels_height"), 40.0))
        found = found_against(plan, Beside(no_register="The register is locked."))
        self.assertIn("GRIP_TOO_SMALL", {f.code for f in found})
        self.assertIn("The register is locked.", next(f.fact for f in found if f.code == "REGISTER_NOT_READ"))


class ProgramsTest(unittest.TestCase):
    PATH = ("setups", 0, "operations", 1, "program")

    def found(self, text, **more):
        plan = plan_with((self.PATH, "part.ngc"))
        read = read_toolpath([text.encode()]) if more.get("why") is None else more["why"]
        return extra(plan, Beside(programs={("part.ngc", control_words(plan.job.machine)): read}))

    def test_differences_stand_in_the_list_with_file_and_line(self):
        self.assertEqual(self.found(PROGRAM), {})
        other = self.found(PROGRAM.replace("H2", "H3"))
        self.assertEqual(set(other), {"LENGTH_NUMBER_OTHER"})
        self.assertIn("Op 10: part.ngc, line 3: ", other["LENGTH_NUMBER_OTHER"].fact)

    def test_what_is_not_there_is_a_warning(self):
        found = self.found("", why="'part.ngc' is not there to be read.")
        self.assertEqual([(f.code, f.severity) for f in found.values()], [("PROGRAM_NOT_FOUND", "warning")])

    def test_a_program_that_was_not_asked_for_says_nothing(self):
        self.assertEqual(
            extra(demo_plan(), Beside(programs={("other.ngc", UNKNOWN_CONTROL): read_toolpath([b"G55\n"])})), {}
        )


class RehearsedTest(unittest.TestCase):
    def codes(self, plan, result):
        before = findings_of(plan)
        return {(f.code, f.setup) for f in with_rehearsed(plan, before, result) if f not in before}

    def test_a_clean_rehearsal_adds_nothing(self):
        self.assertEqual(self.codes(demo_plan(), rehearsed(demo_plan())), set())
        self.assertEqual(with_rehearsed(demo_plan(), findings_of(demo_plan()), None), findings_of(demo_plan()))

    def test_a_zero_that_is_found_wrong(self):
        result = rehearsed(demo_plan(), limit=1e-6)
        self.assertIn(("REHEARSAL_OFF", "Op 10"), self.codes(demo_plan(), result))

    def test_what_no_program_sets_is_told_with_how_far_it_was_off(self):
        plan = plan_with((("setups", 1, "probing", "cycles"), ()))
        result = rehearsed(plan, 7)
        (found,) = with_rehearsed(plan, (), result)
        off = max(abs(result.setups[1].found - result.setups[1].true))
        self.assertEqual((found.code, found.setup), ("REHEARSAL_NOT_SET", "Op 20"))
        self.assertIn(f"no program sets X and Y and Z of G55; as put in by eye it is {off:.3f} mm off", found.message())

    def test_many_trials_stand_in_the_list_by_setup(self):
        strict = rehearse_in_worlds(written_plan(demo_plan()), (1, 2), limit=1e-6)
        found = with_rehearsed(demo_plan(), (), None, strict)
        self.assertEqual([(f.code, f.setup) for f in found], [("TRIALS_OFF", "Op 10"), ("TRIALS_OFF", "Op 20")])
        self.assertIn("Op 10: in 2 of 2 trials a zero is found wrong; in trial 1: ", found[0].fact)
        self.assertEqual(with_rehearsed(demo_plan(), (), None, rehearse_in_worlds(written_plan(demo_plan()), (1,))), ())

    def test_an_alarm(self):
        """Guessed 6 off where 3 are planned for: the search ends without its surface."""
        job = changed((("setups", 0, "probing", "stand_off"), 1.0), (("setups", 0, "probing", "overtravel"), 1.0))
        plan = make_plan(job, models())
        result = next(r for seed in range(1, 9) if (r := rehearsed(plan, seed)).alarms)
        codes = self.codes(plan, result)
        self.assertIn(("REHEARSAL_ALARM", "Op 10"), codes)
        self.assertIn(("REHEARSAL_ALARM", "Op 20"), codes, "not run, because Op 10 stopped")
        by_setup = {f.setup: f.severity for f in with_rehearsed(plan, (), result)}
        self.assertEqual(by_setup, {"Op 10": "hazard", "Op 20": "error"})
        worlds = rehearse_in_worlds(written_plan(plan), (result.seed,))
        found = with_rehearsed(plan, (), None, worlds)
        self.assertEqual([(f.code, f.severity) for f in found], [("TRIALS_STOPPED", "hazard")])
        shown = replace(result, setups=tuple(replace(s, alarms=()) for s in result.setups))
        self.assertEqual(with_rehearsed(plan, (), shown), ())
