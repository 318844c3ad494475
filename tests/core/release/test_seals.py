"""How far a setup has come, what takes it back, and what is said of it; what a release rests on and what not."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.released_rules import Released, StoodThen, released_findings
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.entries import RecordEntry, correction
from ledgecliff.core.record.subjects import of_job, of_setup
from ledgecliff.core.release.resting import changed_parts, resting_of
from ledgecliff.core.release.seals import rests_on, seals_of
from tests.helpers import demo, shipped_plan


def entry(job, hour, kind, setups=(0, 1), **data):
    return RecordEntry(
        id=derived_id("seal", kind, str(hour)), kind=kind, at=f"2026-03-01T{hour:02d}:00:00+00:00", by="Ada",
        on=(of_job(job), *(of_setup(job, job.setups[k]) for k in setups)),
        what=f"Op 10 of float housing: {data.get('state', '')}", data=data,
    )  # fmt: skip


def finding(severity, setup="", code="X_Y", fact="it is so"):
    return Finding(code, severity, setup, fact, "mend it")


class RestingTest(unittest.TestCase):
    def test_what_decides_is_in_it_under_its_name(self):
        job = demo()
        for path, value, parts in (
            (("setups", 1, "datum", "x", "shift"), 1.0, {1: ["zero"]}),
            (("setups", 1, "probing", "overtravel"), 4.0, {1: ["probing"]}),
            (("setups", 1, "hold", "parallels_height"), 39.0, {1: ["what holds it"]}),
            (("setups", 1, "operations", 0, "tool"), 3, {1: ["operations", "tools"]}),
            (("setups", 1, "offset"), "G58", {1: ["zero"]}),
            (("setups", 0, "operations", 0, "tool"), 2, {0: ["operations", "tools"], 1: ["what is done before"]}),
            (("stock", "nominal", "x"), 101.0, {0: ["stock"], 1: ["stock"]}),
            (("machines", 0, "accuracy"), 0.01, {0: ["machine"], 1: ["machine"]}),
            (("machines", 0, "probe", "length"), 140.0, {0: ["probe"], 1: ["probe"]}),
            (("machines", 0, "fixtures", 0, "jaw_height"), 41.0, {0: ["fixture"]}),
            (("machines", 0, "stations", 0, "at", "x"), -500.0, {0: ["machine"]}),
            (("part", "features", 0, "diameter"), 22.5, {0: ["part"], 1: ["part"]}),
        ):  # fmt: skip
            after = set_value(job, path, value)
            self.assertNotEqual(after, job, path)
            for index in range(2):
                told = changed_parts(resting_of(job, index), resting_of(after, index))
                self.assertEqual(set(told), set(parts.get(index, [])), (path, index))

    def test_what_does_not_is_not(self):
        job = demo()
        for path, value in ((("title",), "another"), (("note",), "said"), (("setups", 0, "name"), "Op 5"),
                            (("setups", 1, "side"), "other side"), (("machines", 0, "name"), "Mill 9"),
                            (("part", "name"), "housing"), (("setups", 1, "name"), "Op 25")):  # fmt: skip
            after = set_value(job, path, value)
            for index in range(2):
                if path[:2] != ("setups", index):
                    self.assertEqual(resting_of(job, index), resting_of(after, index), path)
        # A later setup is nothing to an earlier one.
        after = set_value(job, ("setups", 1, "operations", 0, "tool"), 3)
        self.assertEqual(resting_of(job, 0), resting_of(after, 0))

    def test_of_every_demo_it_is_the_same_each_time(self):
        for name in ("gland-spindle", "hinge-leaves", "dial-ring-on-pins", "gate-hinge"):
            job = shipped_plan(name).job
            again = job.model_validate_json(job.model_dump_json())
            for index in range(len(job.setups)):
                self.assertEqual(resting_of(job, index), resting_of(again, index))


class SealTest(unittest.TestCase):
    def setUp(self):
        self.job = demo()
        self.kept = {"rests on": rests_on(self.job)}

    def stages(self, *entries, findings=(), job=None, rehearsed=()):
        return [each.stage for each in seals_of(job or self.job, findings, entries, rehearsed)]

    def test_each_step_on(self):
        rehearsed = entry(self.job, 1, "rehearsal", amiss=[], **self.kept)
        released = entry(self.job, 2, "release", **self.kept)
        ticked = entry(self.job, 3, "ticked", setups=(0,), task="face", state="done")
        self.assertEqual(self.stages(findings=None), ["planned"] * 2)
        self.assertEqual(self.stages(), ["checked"] * 2)
        self.assertEqual(self.stages(rehearsed), ["rehearsed"] * 2)
        self.assertEqual(self.stages(rehearsed, released), ["released"] * 2)
        self.assertEqual(self.stages(ticked, released, rehearsed), ["run", "released"])
        self.assertEqual(self.stages(rehearsed=[self.job.setups[1].id]), ["checked", "rehearsed"])

    def test_what_stops_a_plan_leaves_it_planned(self):
        for severity in ("hazard", "error"):
            self.assertEqual(self.stages(findings=[finding(severity, "Op 20")]), ["checked", "planned"])
            self.assertEqual(self.stages(findings=[finding(severity)]), ["planned"] * 2)
        self.assertEqual(self.stages(findings=[finding("warning")]), ["checked"] * 2)

    def test_a_rehearsal_that_went_wrong_proves_nothing(self):
        self.assertEqual(self.stages(entry(self.job, 1, "rehearsal", amiss=["alarm"], **self.kept)), ["checked"] * 2)

    def test_an_edit_takes_it_back_and_says_which(self):
        released = entry(self.job, 2, "release", **self.kept)
        after = set_value(self.job, ("setups", 1, "datum", "x", "shift"), 1.0)
        first, second = seals_of(after, (), [released])
        self.assertEqual((first.stage, first.changed), ("released", ()))
        self.assertEqual((second.stage, second.changed_words()), ("checked", "changed since it was released: zero"))
        # There and back again is no change.
        self.assertEqual(
            self.stages(released, job=set_value(after, ("setups", 1, "datum", "x", "shift"), 0.0)), ["released"] * 2
        )

    def test_tasks_of_before_the_release_or_taken_back_are_no_run(self):
        released = entry(self.job, 2, "release", **self.kept)
        before = entry(self.job, 1, "ticked", setups=(0,), task="face", state="done")
        self.assertEqual(self.stages(before, released), ["released"] * 2)
        done = entry(self.job, 3, "ticked", setups=(0,), task="face", state="done")
        back = entry(self.job, 4, "ticked", setups=(0,), task="face", state="to be done again")
        self.assertEqual(self.stages(released, done, back), ["released"] * 2)

    def test_a_checklist_counts_by_its_box_for_cutting_alone(self):
        released = entry(self.job, 2, "release", **self.kept)
        for part, stage in (("cut", "run"), ("before", "released")):
            box = entry(self.job, 3, "ticked", setups=(0,), check="c", part=part, state="done")
            self.assertEqual(self.stages(released, box), [stage, "released"], part)
        other = entry(self.job, 3, "note", setups=(0,), task="face", state="done")
        self.assertEqual(self.stages(released, other), ["released"] * 2)

    def test_who_released_it_is_the_name_that_was_given(self):
        for data, who in (({"released by": "Bo"}, "Bo"), ({}, "Ada")):
            (first, _) = seals_of(self.job, (), [entry(self.job, 2, "release", **self.kept, **data)])
            self.assertEqual(first.by, who)

    def test_a_note_that_has_the_same_beside_it_seals_nothing(self):
        self.assertEqual(self.stages(entry(self.job, 2, "note", **self.kept)), ["checked"] * 2)
        # Nor does what rests on nothing, as an entry that an older version wrote.
        self.assertEqual(self.stages(entry(self.job, 2, "release")), ["checked"] * 2)

    def test_a_release_that_was_withdrawn_is_none(self):
        released = entry(self.job, 2, "release", **self.kept)
        gone = correction(released, id=derived_id("gone"), at="2026-03-02T00:00:00+00:00", by="Bo", withdrawn=True)
        self.assertEqual(self.stages(released, gone), ["checked"] * 2)


class ReleasedFindingsTest(unittest.TestCase):
    def told(self, found, then=(), overridden=(), **more):
        release = Released(("Op 10",), "Ada", "2026-03-01T07:00:00+00:00", tuple(then), tuple(overridden), **more)
        return [(each.code, each.message()) for each in released_findings(found, [release])]

    def test_released_on_other_findings(self):
        bad = finding("hazard", "Op 10")
        knew = StoodThen(bad.key, bad.message())
        self.assertEqual(self.told([bad], [knew]), [])
        ((code, words),) = self.told([bad])
        self.assertEqual(code, "RELEASED_ON_OTHER_FINDINGS")
        self.assertIn("hazard X_Y was not known", words)
        ((_, words),) = self.told([finding("hazard", "Op 10", fact="it is worse")], [knew])
        self.assertIn("is another", words)
        self.assertEqual(self.told([finding("warning", "Op 10")]), [])
        self.assertEqual(self.told([finding("hazard", "Op 20")]), [], "of another setup")

    def test_an_override_stands_until_its_finding_changes(self):
        bad = finding("hazard", "Op 10")
        over = StoodThen(bad.key, bad.message(), "guarded", "Ada")
        knew = StoodThen(bad.key, bad.message())
        self.assertEqual(self.told([bad], [knew], [over]), [])
        ((_, words),) = self.told([], [knew], [over])
        self.assertIn("override of X_Y by Ada", words)

    def test_files_that_differ(self):
        self.assertEqual(self.told([], folder="/a"), [])
        ((code, words),) = self.told([], folder="/a", differs=("a.ngc was changed", "  line 3 was: G0"))
        self.assertEqual(code, "RELEASED_FILES_DIFFER")
        self.assertIn("In /a lies something else", words)


if __name__ == "__main__":
    unittest.main()
