"""The main program of a run on the simulated control: every task at its station's own zero, in its order."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.patterns import with_pattern
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.pattern import Grid
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.posting import block_programs, clock_words, main_program, run_list
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.core.runs.test_runs import SUM, ids, job, planned, ref
from tests.jobs import plan_of

#: A toolpath program as a poster writes it: frame, offset call in the middle of a line, end.
TOOLPATH = (
    "%\nO0012 (face)\nG21 G90 G54 (in G54) G17\nT{tool} M6\nG43 H{tool}\nS3000 M3\nG0 X1 Y2\nG0 Z3\n"
    "G1 Z{z} F100\nG0 Z30\nM30\n%\n"
)
#: Where the control has each offset, so that no place of one is taken for another's.
ZEROS = {"G54": (-300.0, -200.0, -400.0), "G55": (-100.0, -150.0, -390.0)}


def with_style(one, style, units="mm"):
    one = set_value(one, ("machines", 0, "profile"), style)
    return set_value(one, ("machines", 0, "program_units"), units)


def day(style="parameter style", units="mm"):
    """Two instances in G54, the second 120 shifted, and a block in G55; the operator turns something in between."""
    many = with_style(job("A", 1, 2, program="a.nc"), style, units)
    many = with_pattern(many, 0, layout=Grid(columns=2, column_pitch=120.0), school="local shifts")
    other = with_style(job("B", 2, offset="G55"), style, units)
    fresh, plans = ids(), [plan_of(many), plan_of(other)]
    run = edits.new_run(next(fresh), "Tuesday's table", many.machine)
    for plan in plans:
        run = edits.with_setup(run, plan, 0, lambda: next(fresh), f"{plan.job.title}.json", SUM, plan.job.title)
    brush = edits.made(edits.RunAction, id=next(fresh), name="brush", minutes=1.0)
    run = edits.with_after(
        edits.with_action(run, brush), ref(edits.with_action(run, brush), "brush"), ref(run, "B/drill 1")
    )
    texts = {(plans[0].job.id, "a.nc"): TOOLPATH.format(tool=1, z=-1)}
    return run, {plan.job.id: plan for plan in plans}, texts


def simulated(plans, text):
    """Where feed moves end on the machine, of the gauge line."""
    machine = next(iter(plans.values())).job.machine
    numbers = {code.code: code.number for code in codes_of(machine)}
    known = {number: np.array(ZEROS.get(code, (-9.0, -9.0, -9.0))) for code, number in numbers.items()}
    unit = SimulatedMachine(machine, [], known, quiet())
    outcome = Control(unit, dialect_of(machine)).run(text)
    assert outcome.alarm == "", outcome.alarm
    return [tuple(np.round(np.array(m.end), 3)) for m in unit.motions if m.kind == "feed"]


class MainTest(unittest.TestCase):
    def test_every_task_at_its_own_zero(self):
        for style in ("parameter style", "numbered-variable skip style", "user macro style"):
            for units in ("mm", "in"):
                run, plans, texts = day(style, units)
                posted = main_program(run, planned(run), plans, texts)
                self.assertEqual(posted.name, f"tuesday-s-table-main{shipped_profile(style).suffix}")
                feeds, (x, y, z) = simulated(plans, posted.text), ZEROS["G54"]
                places = [(round(each[0] - x, 3), round(each[1] - y, 3)) for each in feeds]
                self.assertEqual(places, [(1.0, 2.0), (121.0, 2.0)], (style, units))
                # The tool's length, and one below the zero.
                cutter = next(iter(plans.values())).job.machine.cutter(1)
                self.assertEqual({round(each[2] - z, 3) for each in feeds}, {round(cutter.tip_length - 1.0, 3)})
                # B's drill, A's drill twice have no program, and the operator brushes once.
                self.assertEqual(posted.text.count("\nM0 "), 4)
                self.assertLess(posted.text.index("M0 (brush)"), posted.text.index("=== B: drill 1"))

    def test_the_shift_is_cleared_whatever_came_before(self):
        run, plans, texts = day()
        lines = main_program(run, planned(run), plans, texts).text.splitlines()
        at = [k for k, line in enumerate(lines) if line.startswith("G52")]
        self.assertEqual(lines[at[0]].split(), ["G52", "X0.0", "Y0.0", "Z0.0"])
        self.assertEqual(sum("X120." in lines[k] for k in at), 2)
        for k in at[1:]:
            if "X120." in lines[k]:
                after = next(n for n in at if n > k)
                self.assertIn("X0.0", lines[after])
                # Nothing else is cut before it is cleared.
                self.assertFalse([line for line in lines[k:after] if line.startswith("(===")])

    def test_spindle_stopped_and_away_before_a_hand_comes_near(self):
        run, plans, texts = day()
        lines = main_program(run, planned(run), plans, texts).text.splitlines()
        for k, line in enumerate(lines):
            if line.startswith("M0 ") and "brush" not in line:  # which comes first, before anything has moved
                before = lines[max(k - 3, 0) : k]
                self.assertIn("M5", before)
                self.assertTrue([each for each in before if each.startswith("G53 G0 Z")])

    def test_written_out_where_a_profile_has_no_subprograms(self):
        run, plans, texts = day()
        own = shipped_profile("parameter style")
        text = own.text.replace("macro sub(", "macro no_sub(").replace("macro call(", "macro no_call(")
        for key, plan in list(plans.items()):
            bare = own.model_copy(update={"name": "bare", "text": text})
            job_ = set_value(plan.job, ("machines", 0, "profiles"), (bare,))
            plans[key] = plan_of(set_value(job_, ("machines", 0, "profile"), "bare"))
        posted = main_program(run, planned(run), plans, texts)
        self.assertNotIn("sub", posted.text)
        feeds = simulated(plans, posted.text)
        self.assertEqual([each[0] for each in feeds], [ZEROS["G54"][0] + 1.0, ZEROS["G54"][0] + 121.0])

    def test_one_program_a_block(self):
        run, plans, texts = day()
        posted = block_programs(run, planned(run), plans, texts)
        self.assertEqual(len(posted), 2)
        for each in posted:
            tools = {line.rsplit(", ", 1)[1] for line in each.text.splitlines() if line.startswith("(===")}
            self.assertEqual(len(tools), 1)
        self.assertEqual(len({each.name for each in posted}), 2)
        self.assertEqual(sum(each.text.count("(===") for each in posted), 5)

    def test_what_cannot_be_taken_in_for_certain(self):
        run, plans, texts = day()
        key = next(iter(texts))
        for text, why in (
            (TOOLPATH.replace("G54 (", "G55 ("), "calls G55"),
            (TOOLPATH.replace("G0 X1 Y2", "M98 P100"), "line 7: calls, jumps"),
            (TOOLPATH.replace("M30\n", "M30\nG0 X5\n"), "something follows"),
            (TOOLPATH.replace("G0 X1 Y2", "IF [#1 EQ 0] GOTO 5"), "calls, jumps"),
        ):
            with self.assertRaisesRegex(InvalidValueError, why):
                main_program(run, planned(run), plans, {key: text.format(tool=1, z=-1)})
        with self.assertRaisesRegex(InvalidValueError, "none of its jobs"):
            main_program(run, planned(run), {}, texts)
        with self.assertRaisesRegex(InvalidValueError, "not at hand"):
            main_program(run, planned(run), dict(list(plans.items())[1:]), texts)
        # A code that only looks like one, and one in a comment, stay.
        kept = TOOLPATH.replace("S3000", "(G55 was before) S3000").format(tool=1, z=-1)
        self.assertIn("(G55 was before)", main_program(run, planned(run), plans, {key: kept}).text)

    def test_what_is_done_is_not_posted_again(self):
        run, plans, texts = day()
        left = edits.with_done(run, [ref(run, "A 1/face 1")])
        feeds = simulated(plans, main_program(left, planned(left), plans, texts).text)
        self.assertEqual([each[0] for each in feeds], [ZEROS["G54"][0] + 121.0])


class ListTest(unittest.TestCase):
    def test_in_its_order_with_tool_offset_and_program(self):
        run, _, _ = day()
        rows = run_list(run, planned(run))
        self.assertEqual(len(rows), 6)
        by_hand = next(row for row in rows if row["tool"] == "by hand")
        self.assertEqual((by_hand["what"], by_hand["offset"]), ("brush", ""))
        self.assertEqual({row["program"] for row in rows if row["what"] == "face 1"}, {"a.nc"})
        self.assertEqual([clock_words(minutes) for minutes in (0.0, 59.6, 125.0)], ["0:00", "1:00", "2:05"])


if __name__ == "__main__":
    unittest.main()
