"""The picture of a run says what its order says: when, where, with what, what waits, and how it is drawn."""

from __future__ import annotations

import itertools
import re
import time
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace

from ledgecliff.core.changing import changed
from ledgecliff.core.drawing.run_layout import run_layout
from ledgecliff.core.edits.patterns import with_pattern
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.pattern import Grid
from ledgecliff.core.model.run import RunAction
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.kept import kept_order
from ledgecliff.core.runs.listing import jobs_done, run_rows, run_words
from ledgecliff.core.runs.picture import run_picture
from ledgecliff.core.runs.posting import clock_words
from ledgecliff.core.runs.rules import Planned
from ledgecliff.core.runs.tasks import problem_of
from ledgecliff.core.scheduling.counting import counted
from ledgecliff.core.scheduling.ordering import put_in_order
from ledgecliff.sheets.run_svg import run_svg
from tests.core.runs.test_runs import SUM, ids, job, ref, run_of, two
from tests.jobs import plan_of

SVG = "{http://www.w3.org/2000/svg}"
MINUTES = (12.0, 9.0, 4.0)


def day():
    """A faced, drilled and faced again; C waits after its first face; the part goes from A to B."""
    run = run_of(job("A <&> body", 1, 2, 1), job("B", 2, 1, offset="G55"), job("C", 1, 2, offset="G56"))
    for station in run.stations:
        for task, minutes in zip(station.tasks, MINUTES, strict=False):
            run = edits.with_minutes(run, ref(run, f"{station.name}/{task.name}"), minutes)
    a, b, _ = run.stations
    turn = RunAction(id=derived_id("turn"), name="turn it", takes_from=a.id, station=b.id, minutes=3)
    run = edits.with_turn(run, turn)
    return edits.with_after(run, ref(run, "C/face 1"), ref(run, "C/drill 2"), 10.0)


def seen(run):
    tasks = problem_of(run, done=frozenset(run.done))
    ordered = put_in_order(tasks.problem, 5.0, time.monotonic)
    return run_picture(run, Planned(tasks, ordered.order), ordered.bound.minutes), ordered


class RunPictureTest(unittest.TestCase):
    def test_lanes_blocks_and_waits(self):
        run = day()
        picture, ordered = seen(run)
        self.assertEqual([(lane.name, lane.offset) for lane in picture.lanes],
                         [("A <&> body", "G54"), ("B", "G55"), ("C", "G56")])  # fmt: skip
        bars = sorted((bar.start, bar.end, bar) for lane in picture.lanes for bar in lane.bars)
        self.assertEqual(len(bars), 7)
        # Hour by hour one cut at a time, each as long as its task.
        for before, after in itertools.pairwise(bars):
            self.assertGreaterEqual(after[0], before[1] - 1e-9)
        self.assertAlmostEqual(sum(end - start for start, end, _ in bars), sum(MINUTES) + 2 * 12 + 2 * 9)
        self.assertAlmostEqual(bars[-1][1], picture.minutes)
        self.assertEqual(len(picture.blocks), ordered.order.tool_calls)
        self.assertEqual([each for block in picture.blocks for each in block.refs], [bar.ref for _, _, bar in bars])
        for block in picture.blocks:
            self.assertEqual({bar.tool for _, _, bar in bars if bar.ref in block.refs}, {block.tool})
            self.assertEqual(block.end, next(end for _, end, bar in bars if bar.ref == block.refs[-1]))
        (act,) = picture.lanes[1].acts
        last_of_a = max(bar.end for bar in picture.lanes[0].bars)
        self.assertGreaterEqual(act.start, last_of_a - 1e-9)
        self.assertLessEqual(act.end, min(bar.start for bar in picture.lanes[1].bars) + 1e-9)
        (wait,) = picture.lanes[2].waits
        face, drill = picture.lanes[2].bars
        self.assertAlmostEqual(wait.start, face.end)
        self.assertAlmostEqual(wait.end, face.end + 10.0)
        self.assertGreaterEqual(drill.start, wait.end - 1e-9)
        self.assertLess(picture.bound, picture.minutes)
        self.assertEqual(picture.marks[:3], (0.0, 10.0, 20.0))
        self.assertLessEqual(picture.marks[-1], picture.minutes)

    def test_what_is_done_and_frozen(self):
        run = edits.with_done(day(), [ref(day(), "A <&> body/face 1")])
        run = edits.with_frozen(run, [ref(run, "C/drill 2"), ref(run, "B/drill 1")])
        picture, _ = seen(run)
        self.assertEqual([bar.words for bar in picture.lanes[0].bars], ["drill 2", "face 3"])
        frozen = {bar.ref for lane in picture.lanes for bar in lane.bars if bar.frozen}
        self.assertEqual(frozen, {ref(run, "C/drill 2"), ref(run, "B/drill 1")})

    def test_a_tool_that_stays_in_and_a_wait_elsewhere(self):
        run = two()
        self.assertEqual([block.tool for block in seen(run)[0].blocks], ["T1", "T2", "T1"])
        run = edits.with_after(run, ref(run, "A/drill 2"), ref(run, "B/face 2"), 30.0)
        self.assertEqual([len(lane.waits) for lane in seen(run)[0].lanes], [0, 1])

    def test_what_is_picked(self):
        picture, _ = seen(day())
        layout = run_layout(picture, 900.0, lambda words: 6.0 * len(words))
        for piece in layout.pieces:
            found = layout.at(piece.box.middle)
            if piece.kind in ("wait", "name", "hour"):
                self.assertIsNone(found, piece)
            elif piece.kind in ("block", "bar", "act"):
                self.assertEqual(found.refs, piece.refs)
        self.assertEqual([each.second for each in layout.pieces if each.kind == "block"][:3], [False, True, False])

    def test_drawn(self):
        picture, _ = seen(day())
        for width in (1200.0, 660.0, 300.0):
            root = ET.fromstring(run_svg(picture, width))
            rects = [each for each in root.iter(f"{SVG}rect") if each.get("stroke") not in (None, "none")]
            boxes = [(float(each.get("x")), float(each.get("width"))) for each in rects]
            band, bars = boxes[: len(picture.blocks)], boxes[len(picture.blocks) :]
            self.assertEqual(len(bars), 7)
            # One scale for all: minutes from the places of the band, those of the bars from it.
            first, last = picture.blocks[0], picture.blocks[-1]
            scale = (band[-1][0] - band[0][0]) / (last.start - first.start)
            zero = band[0][0] - first.start * scale
            drawn = [bar for lane in picture.lanes for bar in lane.bars]
            for (x, wide), bar in zip(bars, drawn, strict=True):
                self.assertAlmostEqual((x - zero) / scale, bar.start, delta=0.15 / scale)
                self.assertAlmostEqual(wide / scale, bar.end - bar.start, delta=0.15 / scale)
                self.assertLessEqual(x + wide, width)
            titles = {each.text for each in root.iter(f"{SVG}title")}
            self.assertTrue({"T1 face 1", "T2 drill 2", "drill 2 waits 10 min", "turn it"} <= titles, titles)
        words = re.findall(r">([^<>]+)</text>", run_svg(picture, 1200.0))
        self.assertIn("A &lt;&amp;&gt; body  G54", words)
        self.assertIn(clock_words(10.0), words)

    def test_a_day_without_minutes_is_drawn(self):
        run = run_of(job("A", 1, 2))
        picture, _ = seen(changed(run, {"tool_call_s": 0.0, "offset_call_s": 0.0, "index_s": 0.0}))
        self.assertEqual((picture.minutes, picture.marks), (0.0, (0.0,)))
        for rect in ET.fromstring(run_svg(picture, 600.0)).iter(f"{SVG}rect"):
            self.assertLessEqual(float(rect.get("x")) + float(rect.get("width")), 600.0)


class KeptOrderTest(unittest.TestCase):
    def test_what_is_left_in_the_order_that_is_known(self):
        run = day()
        tasks = problem_of(run)
        known = Planned(tasks, put_in_order(tasks.problem, 5.0, time.monotonic).order)
        names = [tasks.refs[k] for k in known.order.tasks]
        less = edits.with_done(run, names[:2])
        kept = kept_order(problem_of(less, done=frozenset(less.done)), known)
        self.assertEqual([kept.tasks.refs[k] for k in kept.order.tasks], names[2:])
        # A frozen run is drawn together where that may be, whichever way round it is said.
        for first, then in (("B/face 2", "C/drill 2"), ("C/drill 2", "B/face 2"), ("C/face 1", "A <&> body/face 1")):
            together = edits.following(run, ref(run, first), [ref(run, then)])
            kept = kept_order(problem_of(together), known)
            order = [kept.tasks.refs[k] for k in kept.order.tasks]
            self.assertEqual(order.index(ref(run, then)), order.index(ref(run, first)) + 1, (first, then))
            self.assertEqual(counted(kept.tasks.problem, kept.order.tasks), kept.order)
        fresh = iter([derived_id("D")])
        more = edits.with_setup(run, plan_of(job("D", 1)), 0, lambda: next(fresh), "D.json", SUM, "D")
        self.assertIsNone(kept_order(problem_of(more), known), "what it does not know has no place in it")
        frozen = edits.following(more, ref(more, "D/face 1"), [ref(more, "C/face 1")])
        self.assertIsNone(kept_order(problem_of(frozen), known))
        turned = edits.with_after(run, ref(run, "C/drill 2"), ref(run, "A <&> body/face 1"))
        self.assertIsNone(kept_order(problem_of(turned), known), "it may not be so any more")

    def test_what_cannot_be_drawn_together_where_it_is(self):
        """B's drill after A's last face: B's own face before A's drill is in the way, wherever they are drawn to."""
        run = run_of(job("A", 1, 2, 1), job("B", 2, 1, offset="G55"))
        tasks = problem_of(run)
        words = ("A/face 1", "B/drill 1", "B/face 2", "A/drill 2", "A/face 3")
        known = Planned(tasks, counted(tasks.problem, [tasks.number(ref(run, each)) for each in words]))
        together = edits.following(run, ref(run, "A/face 3"), [ref(run, "B/drill 1")])
        self.assertIsNone(kept_order(problem_of(together), known))
        self.assertEqual(kept_order(tasks, known).order, known.order)

    def test_parts_of_a_pattern_and_untimed_tasks(self):
        one = with_pattern(job("A", 1), 0, layout=Grid(columns=3, column_pitch=90.0), school="local shifts")
        fresh, plan = ids(), plan_of(one)
        run = edits.new_run(next(fresh), "Plate", plan.job.machine)
        run = edits.with_setup(run, plan, 0, lambda: next(fresh), "A.json", SUM, "A")
        self.assertEqual({row.cells[6] for row in run_rows(run, None)}, {""}, "nobody said how long it takes")
        for name, minutes in zip(("A 1", "A 2", "A 3"), (2.0, 3.0, 4.0), strict=True):
            run = edits.with_minutes(run, ref(run, f"{name}/face 1"), minutes)
        tasks = problem_of(run)
        (done,) = jobs_done(run, Planned(tasks, counted(tasks.problem, (0, 1, 2))))
        self.assertEqual((done.parts, done.each), (3, 3.0))

    def test_one_follows_another(self):
        run = day()
        a, b, c = (ref(run, words) for words in ("A <&> body/face 1", "B/drill 1", "C/face 1"))
        run = edits.following(run, a, [b])
        self.assertEqual(run.frozen, ((a, b),))
        self.assertEqual(edits.following(run, a, [c]).frozen, ((a, c, b),))
        self.assertEqual(edits.following(run, c, [b, a]).frozen, ((c, b, a),))
        self.assertEqual(edits.following(run, b, [a]).frozen, ((b, a),))
        with self.assertRaisesRegex(InvalidValueError, "cannot follow itself"):
            edits.following(run, a, [a])

    def test_said_in_rows_and_words(self):
        run = edits.with_done(day(), [ref(day(), "A <&> body/face 1")])
        tasks = problem_of(run, done=frozenset(run.done))
        ordered = put_in_order(tasks.problem, 5.0, time.monotonic)
        rows = run_rows(run, Planned(tasks, ordered.order))
        self.assertEqual(rows[0].cells, ("", "done", "A <&> body", "face 1", "T1", "G54", "12", ""))
        self.assertEqual([row.done for row in rows], [True] + 7 * [False])
        self.assertEqual([row.cells[1] for row in rows[1:]], [clock_words(each) for each in ordered.order.starts])
        self.assertIn(("B", "turn it", "by hand", "", "3", ""), [row.cells[2:] for row in rows])
        self.assertEqual(len(run_rows(run, None)), 8, "also without an order")
        said = " ".join(run_words(run, Planned(tasks, ordered.order), ordered))
        order = ordered.order
        self.assertIn(f"{order.tool_calls} tool calls, 0 indexes, {order.offset_calls} offset calls", said)
        self.assertIn("(1 task done before)", said)
        # A is cut for 25 min (12 of it before), B and C for 21.
        done = {each.title: each for each in jobs_done(run, Planned(tasks, order))}
        self.assertEqual({name: (each.parts, each.each) for name, each in done.items()},
                         {"A <&> body": (1, 25.0), "B": (1, 21.0), "C": (1, 21.0)})  # fmt: skip
        ends = [start + tasks.problem.tasks[k].minutes for k, start in zip(order.tasks, order.starts, strict=True)]
        self.assertEqual(max(each.minutes for each in done.values()), max(ends))
        last_of_a = order.tasks.index(tasks.number(ref(run, "A <&> body/face 3")))
        self.assertAlmostEqual(done["A <&> body"].minutes, ends[last_of_a])
        # Nothing else is left to be done while C waits: its ten minutes, less what is done meanwhile.
        idle = order.minutes - sum(MINUTES[1:]) - 2 * 21 - 3 - (9 * order.tool_calls + 2 * order.offset_calls) / 60
        self.assertEqual(f"The machine waits {idle:.0f} min of it" in said, idle >= 1.0)
        minutes = [each.minutes for each in jobs_done(run, Planned(tasks, order))]
        self.assertEqual(minutes, sorted(minutes))
        half = " ".join(run_words(run, Planned(tasks, order), replace(ordered, proven=True, all_proven=False)))
        self.assertIn("Proven: none has fewer tool calls", half)
        loose = replace(ordered, proven=False, all_proven=False)
        self.assertIn(
            f"None has fewer than {loose.bound.tool_calls}", " ".join(run_words(run, Planned(tasks, order), loose))
        )
        self.assertNotIn("Proven", " ".join(run_words(run, Planned(tasks, order), loose)))
