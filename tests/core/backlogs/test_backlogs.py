"""A backlog as a document: tables taken in and written, what is frozen, a load that is done; drawn as it is cut."""

from __future__ import annotations

import itertools
import random
import time
import unittest

from ledgecliff.core.backlogs import edits
from ledgecliff.core.backlogs.listing import backlog_rows, split_words
from ledgecliff.core.drawing.loads_layout import loads_layout
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.backlog import KindOfStation
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.scheduling.backlog import BacklogJob, Step
from ledgecliff.core.scheduling.backlog_reading import backlog_table, read_backlog, steps_of, steps_words
from ledgecliff.core.scheduling.loads import split
from ledgecliff.sheets.run_svg import loads_svg

TABLE = """name;kind;tools;minutes;steps;due_h;load
cheek;vise;T1 T2;60,5;;2;
stay;plate;T3;45;;;2
inlay;vise;;;12 T1 T2 | wait 60 | 8 T3;6;
"""


def fresh():
    numbers = itertools.count()
    return lambda: derived_id("job", str(next(numbers)))


def waiting(table=TABLE, **room):
    held = edits.with_table(edits.new_backlog(derived_id("b"), "Monday"), read_backlog(table), fresh())
    return edits.with_room(held, {"stations": (KindOfStation(kind="vise", count=2), *held.room.stations[1:]), **room})


def loads(held):
    return split(edits.plain_backlog(held), 10.0, time.monotonic)


class TableTest(unittest.TestCase):
    def test_taken_in_again_jobs_stay_who_they_are(self):
        held = waiting()
        self.assertEqual([each.load for each in held.jobs], [None, 2, None])
        self.assertEqual(edits.stations_words(held.room.stations), "vise 2, plate 1")
        held = edits.with_load(held, [held.jobs[0].id], 3)
        new = fresh()
        new(), new(), new()
        again = edits.with_table(held, read_backlog("name,kind,minutes\ncheek,vise,30\nrib,trunnion,5"), new)
        self.assertEqual([each.name for each in again.jobs], ["cheek", "stay", "inlay", "rib"])
        cheek, rib = again.jobs[0], again.jobs[3]
        self.assertEqual((cheek.id, cheek.load, cheek.steps[0].minutes, cheek.due), (held.jobs[0].id, 3, 30.0, None))
        self.assertEqual(edits.stations_words(again.room.stations), "vise 2, plate 1, trunnion 1")
        self.assertNotIn(rib.id, [each.id for each in held.jobs])
        self.assertEqual([each.name for each in edits.without_jobs(again, [rib.id]).jobs], ["cheek", "stay", "inlay"])

    def test_written_and_read(self):
        chance = random.Random(3)
        jobs = tuple(
            BacklogJob(
                f"={k}, \"job\"\n" if k == 1 else f"job {k}", "vise",
                tuple(
                    Step(chance.randint(0, 9000) / 100, tuple(f"T{n}" for n in range(k % 4)), chance.choice((0, 35.5)))
                    for _ in range(1 + k % 3)
                ),
                1 + k % 2, 1 + k % 3, chance.choice((None, 90.0)), chance.choice((None, k)),
            )
            for k in range(20)
        )  # fmt: skip
        text = backlog_table(jobs)
        self.assertNotIn("\n=", text)
        read = read_backlog(text)
        self.assertEqual([each.name for each in read[2:]], [each.name for each in jobs[2:]])
        self.assertEqual([each.steps for each in read], [each.steps for each in jobs])
        self.assertEqual([(e.stations, e.offsets, e.due, e.load) for e in read],
                         [(e.stations, e.offsets, e.due, e.load) for e in jobs])  # fmt: skip
        for words in ("12 T1 T2 | wait 60 | 8 T3", "wait 5 | 3", "0"):
            self.assertEqual(steps_words(steps_of(words, "steps")), words)

    def test_typed(self):
        held = waiting()
        job = held.jobs[0].id
        for field, text, shown in (
            ("steps", "10 T9 | wait 5,5 | 3", "10 T9 | wait 5.5 | 3"), ("due", "7,5", "7.5"), ("due", "", ""),
            ("load", "2", "2"), ("load", "", ""), ("stations", "2", "2"), ("kind", "trunnion", "trunnion"),
            ("name", " rib ", "rib"),
        ):  # fmt: skip
            held = edits.with_typed(held, job, field, text)
            row = next(each for each in backlog_rows(held, None) if each.job == job)
            column = {"load": 1, "name": 2, "kind": 3, "stations": 4, "steps": 6, "due": 7}[field]
            self.assertEqual(row.cells[column], shown)
        self.assertIn("trunnion 2", edits.stations_words(held.room.stations))
        for field, text, why in (
            ("steps", "T1 12", "neither minutes"), ("steps", "wait 5", "end with a wait"), ("load", "1.5", "whole"),
            ("load", "0", "load"), ("due", "soon", "'soon'"), ("name", "", "name"), ("name", "stay", "share the name"),
            ("stations", "0", "stations"), ("steps", "12 T1 | inf", "neither"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                edits.with_typed(held, job, field, text)
        with self.assertRaisesRegex(InvalidValueError, "pockets"):
            edits.with_room(held, {"pockets": 0})
        more = edits.with_new_job(edits.with_new_job(held, derived_id("x")), derived_id("y"))
        self.assertEqual(len({each.name for each in more.jobs}), 5)


class DoneTest(unittest.TestCase):
    def test_after_the_first_load_the_rest_is_as_it_was(self):
        """What was second is first, as long before each due date, and what is left of a wait is still waited for."""
        held = waiting(minutes=78.0, between=15.0)
        found = loads(held)
        self.assertEqual(len(found.loads), 2)
        after = edits.with_load_done(held, found)
        kept = {each.name: each for each in after.jobs}
        # Cheek is due first, and inlay's first half beside it: 60.5 and 12; after 15 the second load begins.
        self.assertEqual(found.loads[1].start, 72.5 + 15)
        self.assertEqual(set(kept), {"stay", "inlay"})
        self.assertEqual((kept["stay"].load, kept["inlay"].due), (1, 360.0 - 87.5))
        (left,) = kept["inlay"].steps
        ends = dict(zip(found.loads[0].steps, found.loads[0].starts, strict=True))[2, 0] + 12.0
        self.assertAlmostEqual(left.wait, max(ends + 60.0 - 87.5, 0.0))
        again = loads(after)
        self.assertAlmostEqual(again.loads[0].end, found.loads[1].end - 87.5)
        self.assertEqual(edits.with_load_done(after, again).jobs, ())
        self.assertEqual(edits.with_load_done(after, again).room, held.room)

    def test_what_is_late_is_said(self):
        held = waiting(minutes=100.0)
        held = edits.with_typed(held, held.jobs[2].id, "due", "1")
        found = loads(held)
        words = "\n".join(split_words(edits.plain_backlog(held), found))
        rows = {row.cells[2]: row for row in backlog_rows(held, found)}
        # 12, then cheek for 60.5, then 8: twenty after the hour.
        self.assertIn("Late: inlay (0:20 late).", words)
        self.assertTrue(rows["inlay"].late and not rows["stay"].late)
        self.assertIn("proven", words)


class DrawnTest(unittest.TestCase):
    def test_each_job_at_its_stations_for_as_long_as_its_load(self):
        held = waiting(minutes=100.0, between=15.0)
        held = edits.with_typed(held, held.jobs[0].id, "stations", "2")
        held = edits.with_room(held, {"stations": (KindOfStation(kind="vise", count=3), *held.room.stations[1:])})
        found, ids = loads(held), [each.id for each in held.jobs]
        layout = loads_layout(edits.plain_backlog(held), found, ids, 900.0, lambda text: 6.0 * len(text))
        bars = [each for each in layout.pieces if each.kind == "bar"]
        blocks = [each for each in layout.pieces if each.kind == "block"]
        for number, load in enumerate(found.loads):
            inside = [each for each in bars if abs(each.box.left - blocks[number].box.left) < 1e-6]
            wanted = sorted(ids[k] for k in {k for k, _ in load.steps} for _ in range(held.jobs[k].stations))
            self.assertEqual(sorted(each.refs[0].of for each in inside), wanted)
            self.assertEqual(len({each.box.top for each in inside}), len(inside), "no station twice")
            self.assertTrue(all(abs(each.box.right - blocks[number].box.right) < 1e-6 for each in inside))
        cuts = sorted((each.box.left, each.box.right) for each in layout.pieces if each.kind == "cut")
        for (_, end), (start, _) in itertools.pairwise(sorted(set(cuts))):
            self.assertLessEqual(end, start + 1e-6, "one machine")
        self.assertEqual({each.refs[0].of for each in bars if each.frozen}, {held.jobs[1].id})
        self.assertEqual(layout.at(bars[0].box.middle), bars[0])
        self.assertIn("Load 1", loads_svg(edits.plain_backlog(held), found, 700.0))


if __name__ == "__main__":
    unittest.main()
