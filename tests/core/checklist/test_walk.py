"""A checklist gone through: one after the other, readings judged, and taken up again from the record where it holds."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.checklist.walk import AGAIN, DONE, LEFT, of_check, refusal, walk_of
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.plan import make_plan
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.release.seals import rests_on, seals_of
from tests.helpers import demo_plan, models


def entries(drafts):
    return [
        RecordEntry(
            id=derived_id("walk", str(k)), kind=draft.kind, by="Ada", on=draft.on,
            at=f"2026-03-01T{k // 60:02d}:{k % 60:02d}:00+00:00", what=draft.what,
            numbers=dict(draft.numbers), data=dict(draft.data),
        )
        for k, draft in enumerate(drafts)
    ]  # fmt: skip


class WalkTest(unittest.TestCase):
    def setUp(self):
        self.plan = demo_plan()
        self.walk = walk_of(self.plan, 1)
        self.asked = next(k for k, check in enumerate(self.walk.checks) if check.asked is not None)

    def gone(self, walk, *, until=None):
        """All of it done, with what it drafts; readings as they are expected."""
        drafts = []
        while not walk.is_over and walk.at != until:
            asked = walk.check.asked
            drafts.append(of_check(self.plan.job, walk, DONE, None if asked is None else asked.expected))
            walk = walk.with_state(DONE)
        return walk, drafts

    def test_one_after_the_other_to_the_end(self):
        walk, drafts = self.gone(self.walk)
        self.assertTrue(walk.is_over)
        self.assertEqual(len(drafts), len(self.walk.checks))
        self.assertEqual([draft.data["check"] for draft in drafts], list(range(len(drafts))))
        self.assertNotIn("⟦", "".join(draft.what + "".join(draft.numbers) for draft in drafts))

    def test_what_was_left_out_is_no_more_asked_for_and_told(self):
        walk = self.walk.with_state(LEFT)
        self.assertEqual((walk.at, [check.words for check in walk.left_out()]), (1, [self.walk.checks[0].words]))
        self.assertEqual(walk.moved(-5).at, 0)
        self.assertEqual(walk.moved(999).at, len(walk.checks) - 1)
        back = walk.moved(-1).with_state(AGAIN)
        self.assertEqual((back.at, back.left_out()), (0, []))

    def test_a_reading_is_wanted_and_must_be_right(self):
        check = self.walk.checks[self.asked]
        walk = self.walk.moved(self.asked)
        self.assertEqual(walk.at, self.asked)
        expected, beyond = check.asked.expected, check.asked.within + 0.01
        wrong = ((None, "type what was read"), (expected + beyond, "NOT RIGHT"), (expected - beyond, "NOT RIGHT"))
        for read, words in wrong:
            self.assertIn(words, refusal(check, read))
            with self.assertRaisesRegex(InvalidValueError, words):
                of_check(self.plan.job, walk, DONE, read)
        right = of_check(self.plan.job, walk, DONE, check.asked.expected + 0.5)
        self.assertAlmostEqual(right.numbers["off"], 0.5)
        self.assertEqual(refusal(self.walk.checks[0], None), "")

    def test_taken_up_again_where_it_was_left(self):
        walk, drafts = self.gone(self.walk, until=5)
        again = walk_of(self.plan, 1, entries(drafts))
        self.assertEqual((again.at, again.states), (5, walk.states))
        drafts.append(of_check(self.plan.job, walk.moved(-3), AGAIN, None))
        self.assertEqual(walk_of(self.plan, 1, entries(drafts)).at, 2)
        # Another setup's, and those of a plan that has been changed, are not this one's.
        self.assertEqual(walk_of(self.plan, 0, entries(drafts)).states, {})
        changed = make_plan(set_value(self.plan.job, ("setups", 1, "hold", "parallels_height"), 39.0), models())
        self.assertEqual(walk_of(changed, 1, entries(drafts)).states, {})
        named = make_plan(set_value(self.plan.job, ("title",), "another"), models())
        self.assertEqual(walk_of(named, 1, entries(drafts)).at, 2)

    def test_a_setup_counts_as_run_once_it_is_cut(self):
        job = self.plan.job
        released = RecordEntry(
            id=derived_id("released"), kind="release", at="2026-02-28T00:00:00+00:00", by="Ada",
            on=entries([of_check(job, self.walk, DONE, None)])[0].on, data={"rests on": rests_on(job)},
        )  # fmt: skip
        cut = next(k for k, check in enumerate(self.walk.checks) if check.task)
        _, drafts = self.gone(self.walk, until=cut)
        self.assertEqual(seals_of(job, (), [released, *entries(drafts)])[1].stage, "released")
        _, drafts = self.gone(self.walk)
        self.assertEqual(seals_of(job, (), [released, *entries(drafts)])[1].stage, "run")


if __name__ == "__main__":
    unittest.main()
