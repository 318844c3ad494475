"""Remedies: offered only where they cure, in sizes the shop owns, and never round in a circle."""

from __future__ import annotations

import unittest
from collections import Counter
from dataclasses import replace
from functools import cache

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.finding import SEVERITIES, Finding, Fix, fix
from ledgecliff.core.findings.everything import Beside, found_against
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.shop import Shop
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.register.entries import Entry, Use
from ledgecliff.core.remedies.offered import Remedy, remedies_of
from ledgecliff.core.remedies.said import said_changes
from ledgecliff.core.remedies.tried import tried, with_fix
from ledgecliff.store.shop import read_shop
from tests.draws import draws
from tests.helpers import changed, demo, models, plan_with

PARALLELS = ("setups", 0, "hold", "parallels_height")
#: Something wrong each time: a path and value of the demo.
SICK = (
    ((PARALLELS, 36.0),),
    ((PARALLELS, 40.0),),
    ((("setups", 1, "hold", "parallels_height"), 50.0),),
    ((("setups", 1, "offset"), "G54"),),
    ((("setups", 1, "offset"), "G77"),),
    ((("setups", 1, "stock_assumed", "z"), 40.0),),
    ((("setups", 1, "datum", "z", "source"), "part top"),),
    ((("setups", 0, "probing", "depth"), 1.0),),
    ((("setups", 0, "probing", "stand_off"), 1.0), (("setups", 1, "probing", "stand_off"), 1.0)),
    ((("setups", 0, "probing", "guess"), 12.0),),
    ((("machines", 0, "cutters", 1, "flute"), None), (("machines", 0, "cutters", 1, "reach"), 20.0)),
)


@cache
def shop() -> Shop:
    return read_shop()


def remedies(plan: Plan, owned: Shop | None = None) -> list[tuple[Finding, Remedy]]:
    found = findings_of(plan)
    tries = remedies_of(plan, found, findings_of, owned or shop())
    return [(found[place], remedy) for place, remedy in tries if remedy is not None]


def remedy_of(plan: Plan, code: str, owned: Shop | None = None) -> Remedy | None:
    return next((remedy for finding, remedy in remedies(plan, owned) if finding.code == code), None)


def counts(plan: Plan) -> list[int]:
    """How many hazards, errors, warnings and notes there are."""
    kinds = Counter(finding.severity for finding in findings_of(plan))
    return [kinds[severity] for severity in SEVERITIES]


class CureTest(unittest.TestCase):
    def test_what_is_offered_cures_and_brings_nothing_as_bad(self):
        for edits in SICK:
            plan = plan_with(*edits)
            offered = remedies(plan)
            self.assertTrue(any(finding.severity in ("hazard", "error") for finding, _ in offered), edits)
            for finding, remedy in offered:
                after = make_plan(with_fix(plan.job, remedy.fix), models())
                still = {(f.code, f.setup, f.about) for f in findings_of(after)}
                self.assertNotIn((finding.code, finding.setup, finding.about), still)
                worst = SEVERITIES.index(finding.severity)
                for rank in range(worst + 1):
                    self.assertLessEqual(counts(after)[rank], counts(plan)[rank], (finding.code, remedy.fix.label))

    def test_one_remedy_after_the_other_comes_to_an_end(self):
        """The worst first, as a person would: each leaves fewer as bad and none worse, so that none answers another."""
        for edits in SICK[: draws(3, len(SICK))]:
            plan, before = plan_with(*edits), [10**6]
            while offered := [(f, r) for f, r in remedies(plan) if f.severity != "note"]:
                self.assertLess(counts(plan), before)
                before = counts(plan)
                plan = make_plan(with_fix(plan.job, offered[0][1].fix), models())
            self.assertFalse(any(f.severity in ("hazard", "error") for f in findings_of(plan)), edits)

    def test_heights_that_would_answer_each_other_are_not_offered(self):
        """A hat of 4.5 under a vise that needs 6 of grip: higher parallels for the one are too high for the other."""
        for height in (36.0, 40.0):
            plan = plan_with((PARALLELS, height), (("machines", 0, "fixtures", 0, "grip_min"), 6.0))
            self.assertTrue({"GRIP_ABOVE_UNDERSIDE", "GRIP_TOO_SMALL"} & {f.code for f in findings_of(plan)})
            self.assertIsNone(remedy_of(plan, "GRIP_ABOVE_UNDERSIDE"))
            self.assertIsNone(remedy_of(plan, "GRIP_TOO_SMALL"))

    def test_what_is_not_cured_or_traded_for_as_bad_is_no_remedy(self):
        plan = plan_with((PARALLELS, 40.0))
        found = findings_of(plan)
        small = next(f for f in found if f.code == "GRIP_TOO_SMALL")
        for height, cures in ((39.0, False), (38.0, True), (36.0, False)):
            done = tried(plan, found, (small,), fix("", PARALLELS, height), findings_of)
            self.assertEqual(done is not None, cures, height)
        self.assertIsNone(tried(plan, found, (small,), fix("", PARALLELS, -1.0), findings_of), "cannot be at all")

    def test_a_finding_that_grows_as_bad_counts_as_new(self):
        plan = plan_with((PARALLELS, 40.0))
        small = next(f for f in findings_of(plan) if f.code == "GRIP_TOO_SMALL")
        mild = Finding("OTHER", "warning", "Op 10", "Mild.", "Mend it.")
        for severity, taken in (("warning", True), ("note", True), ("error", True), ("hazard", False)):
            grown = replace(mild, severity=severity)
            judged = tried(plan, (small, mild), (small,), fix("", PARALLELS, 38.0), lambda _plan, g=grown: (g,))
            self.assertEqual(judged is not None, taken, severity)

    def test_a_touch_is_known_by_what_it_touches_and_not_by_its_number(self):
        """A longer stand-off turns the order of Op 20 round; what still fails there has other numbers."""
        plan = plan_with((("setups", 1, "probing", "stand_off"), 1.0))
        found = findings_of(plan)
        for finding in (f for f in found if f.code == "TOUCH_OUTSIDE_WINDOW" and "main bore" in f.fact):
            longer = fix("", ("setups", 1, "probing", "stand_off"), 3.5)
            self.assertIsNone(tried(plan, found, (finding,), longer, findings_of))
        remedy = remedy_of(plan, "TOUCH_OUTSIDE_WINDOW")
        self.assertEqual(remedy.fix.changes[0][1], 4.0)

    def test_trying_ends_when_it_is_cancelled(self):
        plan = plan_with(*SICK[0])
        with self.assertRaises(CancelledError):
            list(remedies_of(plan, findings_of(plan), findings_of, shop(), lambda: True))


class OwnedTest(unittest.TestCase):
    def test_parallels_are_of_the_shops_own(self):
        remedy = remedy_of(plan_with((PARALLELS, 36.0)), "GRIP_ABOVE_UNDERSIDE")
        hold = with_fix(changed((PARALLELS, 36.0)), remedy.fix).setups[0].hold
        pairs = {(height, s.thickness, s.length) for s in shop().parallels for height in s.heights}
        self.assertIn((hold.parallels_height, hold.parallels_thickness, hold.parallels_length), pairs)

    def test_where_none_of_them_fits_none_is_offered(self):
        low = [each.model_copy(update={"heights": (10.0, 60.0)}) for each in shop().parallels]
        owned = shop().model_copy(update={"parallels": tuple(low)})
        self.assertIsNone(remedy_of(plan_with((PARALLELS, 36.0)), "GRIP_ABOVE_UNDERSIDE", owned))

    def test_where_nothing_is_known_of_the_shelf_the_height_is(self):
        bare = shop().model_copy(update={"parallels": ()})
        remedy = remedy_of(plan_with((PARALLELS, 36.0)), "GRIP_ABOVE_UNDERSIDE", bare)
        self.assertEqual(remedy.fix.changes, ((PARALLELS, 37.5),))


class MoreSetupsTest(unittest.TestCase):
    def test_a_setup_for_the_side_that_is_not_reached(self):
        """The port of the demo opens to +X; the new setup cuts it and is fit to run, in an offset of its own."""
        plan = plan_with()
        remedy = remedy_of(plan, "FEATURE_NOT_REACHED")
        after = make_plan(with_fix(plan.job, remedy.fix), models())
        new = after.job.setups[-1]
        self.assertEqual((len(after.job.setups), new.orientation.up, new.name), (3, "+X", "Op 30"))
        self.assertNotIn(new.offset, [setup.offset for setup in plan.job.setups])
        self.assertNotIn(new.id, [setup.id for setup in plan.job.setups])
        self.assertEqual({f.severity for f in findings_of(after)} - {"note"}, set())
        left = float(after.finished_inside.volume) - float(after.geometry.solid.volume())
        self.assertLess(left, 60.0)
        self.assertIn("uncut", remedy.words("mm"))

    def test_the_same_plan_gets_the_same_setup_and_another_one_another(self):
        first, again = (remedy_of(plan_with(), "FEATURE_NOT_REACHED").fix.changes[0][1][-1] for _ in range(2))
        self.assertEqual(first, again)
        plan = make_plan(demo().model_copy(update={"id": "0123456789ab"}), models())
        other = remedy_of(plan, "FEATURE_NOT_REACHED").fix.changes[0][1][-1]
        self.assertNotEqual(other.id, first.id)


class WordsTest(unittest.TestCase):
    def test_what_it_clears_and_leaves(self):
        remedy = remedy_of(plan_with((PARALLELS, 36.0)), "GRIP_ABOVE_UNDERSIDE")
        self.assertEqual(remedy.words("mm"), "Clears this and 1 more, leaves grip 4.000.")
        self.assertEqual(remedy.words("in"), "Clears this and 1 more, leaves grip 0.1575.")
        self.assertIn("brings 2 notes and 1 warning", replace(remedy, come=("note", "warning", "note")).words("mm"))

    def test_what_hands_must_do_is_no_change_of_the_plan(self):
        for code, edits, promise in (
            ("STOCK_NOT_WHAT_IS_LEFT", SICK[5], True),
            ("TOOL_TOO_SHORT", SICK[10], True),
            ("GRIP_TOO_SMALL", SICK[1], False),
            ("OFFSET_SHARED", SICK[3], False),
        ):
            self.assertEqual(remedy_of(plan_with(*edits), code).fix.promise, promise, code)

    def test_a_tool_stands_out_by_whole_millimetres(self):
        fix_ = remedy_of(plan_with(*SICK[10]), "TOOL_TOO_SHORT").fix
        self.assertRegex(spell(fix_.label, "mm"), r"^T2 stands out \d+\.000 mm$")

    def test_what_has_changed_is_said(self):
        before = changed((PARALLELS, 36.0))
        plan = make_plan(before, models())
        taken = remedy_of(plan, "GRIP_ABOVE_UNDERSIDE").fix
        self.assertIn(
            "Op 10, hold, parallels height 36.000 → 38.000",
            spell(said_changes(before, with_fix(before, taken), taken), "mm"),
        )
        cycles = Fix("", ((("setups", 1, "probing", "cycles"), ()),))
        said = said_changes(before, with_fix(before, cycles), cycles)
        self.assertEqual(said, "Op 20, probing, cycles is another one")


class EverywhereTest(unittest.TestCase):
    def test_like_findings_of_several_setups_are_cured_together(self):
        plan = plan_with(*SICK[8])
        both = [remedy.everywhere for f, remedy in remedies(plan) if f.code == "TOUCH_OUTSIDE_WINDOW"]
        taken = next(each for each in both if each is not None)
        self.assertEqual({path[1] for path, _ in taken.changes}, {0, 1})
        after = make_plan(with_fix(plan.job, taken), models())
        self.assertNotIn("TOUCH_OUTSIDE_WINDOW", {f.code for f in findings_of(after)})

    def test_of_one_setup_alone_there_is_nothing_to_do_together(self):
        plan = plan_with(*SICK[7])
        self.assertEqual({remedy.everywhere for _, remedy in remedies(plan)}, {None})


class RegisterTest(unittest.TestCase):
    def test_a_code_that_another_job_has_is_exchanged_for_a_free_one(self):
        job = demo()
        theirs = Use("sluice gate", "Op 10", job_id="0123456789ab", setup_id="ba9876543210")
        codes = [offset.code for offset in job.machine.offsets]
        entries = tuple(Entry(code, use=theirs if code in ("G55", "G56") else None) for code in codes)
        plan, beside = plan_with(), Beside({job.machine.id: entries})
        found = found_against(plan, beside)
        tries = remedies_of(plan, found, lambda after: found_against(after, beside), shop())
        remedy = next(r for k, r in tries if found[k].code == "OFFSET_TAKEN")
        self.assertEqual(remedy.fix.changes, ((("setups", 1, "offset"), "G57"),))
        full = Beside({job.machine.id: tuple(replace(entry, use=theirs) for entry in entries)})
        self.assertFalse(any(f.fixes for f in found_against(plan, full) if f.code == "OFFSET_TAKEN"))

    def test_set_value_is_the_way_of_a_fix(self):
        self.assertEqual(with_fix(demo(), fix("", PARALLELS, 36.0)), set_value(demo(), PARALLELS, 36.0))
