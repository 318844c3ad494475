"""The main program of a run on the simulated control: every task at its station's own zero, in its order."""

from __future__ import annotations

import itertools
import re
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.patterns import with_pattern
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.pattern import Grid
from ledgecliff.core.model.work_offsets import code_of, codes_of, turn_variable
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.posting import Posted, block_programs, clock_words, main_program, run_list
from ledgecliff.core.runs.reading_back import read_back
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.core.runs.test_runs import SUM, ids, job, planned, ref
from tests.helpers import shipped_plan
from tests.jobs import plan_of

STYLES = ("parameter style", "numbered-variable skip style", "user macro style", "cycle call style")
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


def without_subprograms():
    """The same day in a profile that cannot call any."""
    run, plans, texts = day()
    own = shipped_profile("parameter style")
    text = own.text.replace("macro sub(", "macro no_sub(").replace("macro call(", "macro no_call(")
    for key, plan in list(plans.items()):
        bare = own.model_copy(update={"name": "bare", "text": text})
        job_ = set_value(plan.job, ("machines", 0, "profiles"), (bare,))
        plans[key] = plan_of(set_value(job_, ("machines", 0, "profile"), "bare"))
    return run, plans, texts


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
        for style in STYLES:
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

    def test_stopped_until_a_wait_is_over(self):
        """However soon the machine gets there; what was ticked off before is waited for too."""
        run, plans, texts = day()
        face, drill = ref(run, "A 1/face 1"), ref(run, "B/drill 1")
        run = edits.with_after(run, face, drill, 90.0)
        for now in (run, edits.with_done(run, [face])):
            text = main_program(now, planned(now), plans, texts).text
            stop = text.index("M0 (wait until 90 min since A 1/face 1 have gone by)")
            self.assertEqual(text.rindex("(===", 0, stop), text.rindex("(===", 0, text.index("(=== B: drill 1")))
            self.assertLess(stop, text.index("(=== B: drill 1"))
            self.assertEqual(back_of((now, plans, texts)).differences, ())
            rows = {row["station"] + row["what"] for row in run_list(now, planned(now))}
            self.assertIn("Bdrill 1; no sooner than 90 min since A 1/face 1", rows)
        back = back_of((run, plans, texts), lambda text: re.sub(r"M0 \(wait.*", "", text))
        self.assertIn("wait until 90 min since A 1/face 1", back.differences[0])

    def test_written_out_where_a_profile_has_no_subprograms(self):
        run, plans, texts = without_subprograms()
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


def posts(run, plans, change=lambda text: text, write=None):
    """What is written of a run, with its text changed."""
    made = planned(run)

    def writes(of, programs):
        many = write(of, made, plans, programs) if write else (main_program(of, made, plans, programs),)
        return [Posted(each.name, change(each.text)) for each in many]

    return made, writes


def back_of(day_, change=lambda text: text, write=None):
    run, plans, texts = day_
    made, writes = posts(run, plans, change, write)
    return read_back(run, made, plans, texts, writes)


class ReadBackTest(unittest.TestCase):
    def test_it_agrees_in_every_style_and_unit(self):
        for style, units in itertools.product(STYLES, ("mm", "in")):
            for write in (None, block_programs):
                back = back_of(day(style, units), write=write)
                self.assertEqual((back.differences, back.not_run), ((), ()), (style, units))
                # Two instances are faced with the toolpath that there is, three tasks have none.
                self.assertEqual((back.tasks, back.moves, back.stood_in), (2, 8, 3))

    def test_whatever_goes_wrong_in_the_text_is_seen(self):
        for style in STYLES:
            for old, new, why in (
                ("G55\n", "G54\n", "B/drill 1: goes"),
                ("\nG54\n", "\n", "goes"),
                ("G52 X120.", "G52 X-120.", "A 2/face 1: "),
                ("G52 X0.0 Y0.0 Z0.0", "", "goes|shift"),
                ("G92.1", "", "goes|travel|shift"),
                ("M5\n", "", "spindle"),
                ("G53 G0 Z0.0", "", "top of the travel|below the top|not away"),
                ("T1 M6", "T2 M6", "with T2, and T1 is planned|goes"),
                ("M0 (brush)", "", "before 'brush'"),
                ("G90 G94", "G91 G94", "goes|travel|top"),
                ("M30", "", "does not end|goes on"),
                ("G0 X1 Y2", "G0 X2 Y1", "goes"),
            ):  # fmt: skip
                if old in ("G52 X0.0 Y0.0 Z0.0", "G92.1") and style != STYLES[1]:
                    continue  # there either ends what the other one does
                back = back_of(day(style), lambda text, old=old, new=new: text.replace(old, new))
                self.assertTrue(back.differences, (style, old))
                self.assertRegex(back.differences[0], why, (style, old))

    def test_each_guard_by_itself(self):
        def spindle_at_the_hand(text):
            return re.sub(r"M5\n(\(CAUTION: brush[^\n]*\n)M0 \(brush\)", r"\1M0 (brush)", text)

        def low_to_the_next(text):
            return re.sub(r"(=== A 1: face 1[^=]*===\)[^=]*?)G53 G0 Z0\.0\n", r"\1", text, count=1)

        def cut_short(text):
            head, _, tail = text.rpartition("G0 Z30\n")
            return head + tail

        self.assertIn("brush: the spindle turns", back_of(day(), spindle_at_the_hand).differences[0])
        self.assertIn("A 2/face 1: begins with the tool below", back_of(day(), low_to_the_next).differences[0])
        short = back_of(without_subprograms(), cut_short).differences[0]
        self.assertIn("A 2/face 1: is not done to its end before 'no toolpath program for A 1: drill 2'", short)

    def test_what_an_earlier_program_left_turned_is_ended(self):
        one = day("numbered-variable skip style")
        turning = {
            key: plan_of(set_value(plan.job, ("machines", 0, "offset_turns"), 500)) for key, plan in one[1].items()
        }
        self.assertEqual(back_of((one[0], turning, one[2])).differences, ())
        back = back_of((one[0], turning, one[2]), lambda text: text.replace("G69\n", ""))
        self.assertTrue(back.differences)

    def test_axes_at_their_index(self):
        for name in ("hinge-leaves", "gland-spindle"):
            plan = shipped_plan(name)
            fresh = ids()
            run = edits.new_run(next(fresh), "day", plan.job.machine_of(plan.job.setups[0]))
            run = edits.with_setup(run, plan, 0, lambda fresh=fresh: next(fresh), "job.json", SUM)
            one = run, {plan.job.id: plan}, {}
            back = back_of(one)
            self.assertEqual((back.differences, back.stood_in), ((), sum(len(each.tasks) for each in run.stations)))
            back = back_of(one, lambda text: re.sub(r"(?m)^G0 [AB][-\d.]+$", "", text))
            self.assertIn("an axis not at its index", back.differences[0])

    def test_what_is_left_out_or_in_another_order(self):
        def without_last(text):
            head, _, tail = text.partition("(=== A 2: face 1, T1 ===)")
            return head + "(=== A 1: drill 2" + tail.partition("(=== A 1: drill 2")[2]

        self.assertIn("A 2/face 1", back_of(day(), without_last).differences[0])
        self.assertIn("A 2/face 1", back_of(day(), write=lambda *of: block_programs(*of)[1:]).differences[0])

    def test_a_toolpath_that_leaves_something_in_force(self):
        """Inches, incremental, shifted, another plane: each task is as it is by itself all the same."""
        for left in ("G20", "G91", "G18", "G92 X5.", "G99 G81 X1 Y2 Z-1 R3 F100", "G91 G28 Z0."):
            run, plans, texts = day("user macro style")
            key = next(iter(texts))
            texts[key] = texts[key].replace("G0 Z30\n", f"G0 Z30\n{left}\n")
            self.assertEqual(back_of((run, plans, texts)).differences, (), left)

    def test_what_cannot_be_simulated_is_said_and_stood_in_for(self):
        run, plans, texts = day()
        key = next(iter(texts))
        texts[key] = texts[key].replace("G1 Z", "G41 D1 G1 X5 Z")
        back = back_of((run, plans, texts))
        self.assertEqual((back.differences, back.tasks, back.stood_in), ((), 0, 5))
        self.assertIn("compensation is not simulated", back.not_run[0])
        self.assertIn("Not run: a.nc", back.words)

    def test_an_instance_that_its_job_has_no_more(self):
        run, plans, texts = day()
        key = run.stations[1].job
        plans[key] = plan_of(set_value(plans[key].job, ("setups", 0, "pattern", "layout", "columns"), 1))
        with self.assertRaisesRegex(InvalidValueError, "A 2: is not in its job any more"):
            back_of((run, plans, texts))

    def test_a_toolpath_that_leaves_the_travel_or_forgets_its_tool(self):
        for old, new, why in (("X1 Y2", "X9000 Y2", "X 86.* outside the travel"), ("T1 M6\n", "", "with T0, and T1")):
            run, plans, texts = day()
            key = next(iter(texts))
            texts[key] = texts[key].replace(old, new)
            self.assertRegex(back_of((run, plans, texts)).differences[0], why)

    def test_a_part_that_stands_turned_is_not_cut_straight(self):
        """Its offset turns with it where the control can do that; else the program must, by its variable."""
        for style, kept, said in (
            ("parameter style", None, False), ("numbered-variable skip style", None, True),
            ("numbered-variable skip style", 500, False),
        ):  # fmt: skip
            one = set_value(with_style(job("A", 1, program="a.nc"), style), ("machines", 0, "offset_turns"), kept)
            stations = one.machine.stations
            number = next(k for k, each in enumerate(stations) if each.id == one.setups[0].station)
            plan = plan_of(set_value(one, ("machines", 0, "stations", number, "turn_deg"), 30.0))
            self.assertAlmostEqual(plan.setups[0].located.turn_deg, 30.0)
            fresh, machine = ids(), plan.job.machine
            run = edits.new_run(next(fresh), "day", machine)
            run = edits.with_setup(run, plan, 0, lambda fresh=fresh: next(fresh), "A.json", SUM)
            text = TOOLPATH.format(tool=1, z=-1)
            if kept:
                variable = turn_variable(machine, code_of(machine, "G54"))
                text = text.replace("G0 X1", f"G68 X0 Y0 R#{variable}\nG0 X1").replace("G0 Z30", "G0 Z30\nG69")
            back = back_of((run, {one.id: plan}, {(one.id, "a.nc"): text}))
            self.assertEqual(len(back.differences), int(said), (style, back.differences))
            self.assertEqual("stands turned by 30.00°" in "".join(back.differences), said)


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
