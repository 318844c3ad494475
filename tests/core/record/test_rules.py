"""Notes pop up where what they are on is used, and a fixture that has jumped is told; each to fire and not to fire."""

from __future__ import annotations

import unittest

from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.rules import record_findings, subjects_used
from ledgecliff.core.record.subjects import about, of_tool, subjects_of_setup
from tests.helpers import demo


def entry(number, kind="note", **more):
    at = f"2026-03-{1 + number // 24:02d}T{number % 24:02d}:00:00+00:00"
    given = {"id": derived_id("rule", str(number)), "kind": kind, "at": at, "by": "Ada", "what": f"note {number}"}
    return RecordEntry(**(given | more))


class NoteTest(unittest.TestCase):
    def setUp(self):
        self.job = demo()
        self.first, self.second = self.job.setups[:2]

    def of(self, kind, setup=None):
        return tuple(each for each in subjects_of_setup(self.job, setup or self.first) if each.kind == kind)

    def found(self, *entries):
        return [(each.code, each.setup, each.message()) for each in record_findings(self.job, entries)]

    def test_where_it_is_used(self):
        ((code, setup, words),) = self.found(entry(1, on=self.of("setup"), what="clean the bed\nfirst"))
        self.assertEqual((code, setup), ("RECORD_NOTE", self.first.name))
        self.assertIn("(Ada, 2026-03-01): clean the bed first", words)
        # Of the job or its machine once, of a tool in each setup that calls it, of one that nobody calls in none.
        self.assertEqual([each[1] for each in self.found(entry(1, on=self.of("machine")))], [""])
        calls = {setup.name for setup in self.job.setups for each in self.of("tool", setup)
                 if each == self.of("tool")[0]}  # fmt: skip
        self.assertEqual({each[1] for each in self.found(entry(1, on=self.of("tool")[:1]))}, calls)
        called = {each.tool for setup in self.job.setups for each in setup.operations}
        machine = self.job.machine
        idle = next((each for each in machine.cutters if each.tool not in called), None)
        others = [about("fixture", "m9/left vise", "left vise"), *([of_tool(machine, idle)] if idle else [])]
        for other in others:
            self.assertEqual(self.found(entry(1, on=(other,))), [], "of that name is not that thing")
        self.assertEqual(self.found(entry(1, kind="measured", on=self.of("setup"))), [])

    def test_until_it_is_withdrawn(self):
        note = entry(1, on=self.of("setup"))
        mended = entry(2, on=note.on, corrects=note.id, what="other words")
        (told,) = self.found(note, mended)
        self.assertIn("other words", told[2])
        self.assertEqual(self.found(note, mended, entry(3, on=note.on, corrects=mended.id, withdrawn=True)), [])

    def test_everything_used_is_asked_for_once(self):
        used = subjects_used(self.job)
        self.assertEqual(len(used), len(set(used)))
        self.assertLessEqual({each.kind for each in used}, {
            "job", "setup", "machine", "offset", "station", "fixture", "probe", "tool"
        })  # fmt: skip


class DriftTest(unittest.TestCase):
    def setUp(self):
        self.job = demo()
        self.fixture = tuple(each for each in subjects_of_setup(self.job, self.job.setups[0]) if each.kind == "fixture")

    def found(self, numbers, *more, name="x off", kind="touch"):
        told = [entry(k, kind, on=self.fixture, numbers={name: value}) for k, value in enumerate(numbers)]
        return [(each.code, each.setup) for each in record_findings(self.job, [*told, *more])]

    def test_only_where_the_newest_has_jumped(self):
        quiet = [0.001, -0.001] * 5
        setups = {setup.name for setup in self.job.setups
                  if self.fixture[0] in subjects_of_setup(self.job, setup)}  # fmt: skip
        self.assertEqual(self.found(quiet), [])
        self.assertEqual(set(self.found([*quiet, 0.05])), {("FIXTURE_DRIFTS", name) for name in setups})
        self.assertEqual(self.found([*quiet[:5], 0.05, *quiet]), [], "it has been looked at since")
        self.assertEqual(self.found([0.001, 0.05]), [], "too few to know")
        self.assertEqual(self.found([*quiet, 0.05], name="x"), [], "a place is no deviation")
        self.assertTrue(self.found([*quiet, 0.05], name="repeat", kind="measured"))
        mark = entry(10, "mark", on=self.fixture, at="2026-03-01T09:30:00+00:00", what="jaws ground")
        self.assertEqual(self.found([*quiet, 0.05], mark), [], "it was changed, and that is marked")

    def test_it_says_what_in_either_unit(self):
        told = [
            entry(k, "touch", on=self.fixture, numbers={"x off": v}) for k, v in enumerate([0.0, 0.01] * 5 + [0.254])
        ]
        finding = record_findings(self.job, told)[0]
        self.assertIn("'x off' was +0.254", finding.message("mm"))
        self.assertIn("'x off' was +0.0100", finding.message("in"))
        self.assertIn("beyond the limits", finding.message())


if __name__ == "__main__":
    unittest.main()
