"""Runs: stations from jobs, what comes before what, what has changed, what is ticked off, and every rule both ways."""

from __future__ import annotations

import itertools
import json
import time
import unittest

from ledgecliff.core.changing import changed, set_value
from ledgecliff.core.edits.patterns import with_pattern, with_state
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.holding import PlateHold
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.operations import Face, Hole
from ledgecliff.core.model.pattern import Grid
from ledgecliff.core.model.run import Run, RunAction, TaskRef, ToolLife
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.differences import differences
from ledgecliff.core.runs.rules import BesideRun, Planned, run_findings
from ledgecliff.core.runs.tasks import every_task, problem_of, ref_named, ref_words
from ledgecliff.core.runs.tool_table import tool_clashes, tool_list
from ledgecliff.core.scheduling.counting import counted
from ledgecliff.core.scheduling.ordering import put_in_order
from ledgecliff.core.toolpaths.duration import Duration
from ledgecliff.core.toolpaths.summary import ProgramSummary, Remark
from ledgecliff.store.run_files import parse_run, run_text
from tests.jobs import block_job, feature, plan_of, setup

HOLE = feature("hole", "hole", (30, 20, 20), diameter=6, depth=10)
SUM = "a" * 64


def job(title, *cuts, offset="G54", station=None, program=""):
    """A block faced and drilled in one setup on the plate, as often as ``cuts`` (tools) say."""
    operations = [
        Face(name=f"face {k}", tool=tool, program=program) if tool != 2 else Hole(name=f"drill {k}", tool=2, on="hole")
        for k, tool in enumerate(cuts, start=1)
    ]
    more = {} if station is None else {"station": station}
    made = block_job(setup(*operations, hold=PlateHold(), offset=offset, **more), features=(HOLE,))
    return changed(made, {"id": derived_id(title), "title": title})


def ids():
    return (derived_id("run", str(k)) for k in itertools.count())


def run_of(*jobs):
    fresh = ids()
    plans = [plan_of(each) for each in jobs]
    run = edits.new_run(next(fresh), "Tuesday's table", plans[0].job.machine)
    for plan in plans:
        run = edits.with_setup(run, plan, 0, lambda: next(fresh), f"{plan.job.title}.json", SUM, plan.job.title)
    return run


def two(**more):
    """A in G54 and B in G55 at one plate, which an action changes in between."""
    run = run_of(job("A", 1, 2, **more), job("B", 2, 1, offset="G55"))
    a, b = run.stations
    return edits.with_turn(
        run, RunAction(id=derived_id("turn"), name="change", takes_from=a.id, station=b.id, minutes=2)
    )


def ref(run, words):
    return ref_named(run, words)


def planned(run, order=None):
    tasks = problem_of(run, done=frozenset(run.done))
    if order is None:
        return Planned(tasks, put_in_order(tasks.problem, 5.0, time.monotonic).order)
    numbers = [tasks.number(ref(run, words)) for words in order]
    return Planned(tasks, counted(tasks.problem, numbers))


def codes(run, beside=None, plan=True):
    return {each.code for each in run_findings(run, planned(run) if plan else None, beside)}


class TasksTest(unittest.TestCase):
    def test_from_jobs_to_an_order(self):
        run = two()
        self.assertEqual([task.tool for task in run.stations[0].tasks], [1, 2])
        self.assertEqual([ref_words(run, each) for each in every_task(run)],
                         ["A/face 1", "A/drill 2", "B/drill 1", "B/face 2", "change"])  # fmt: skip
        found = planned(run)
        order = [found.tasks.problem.name(k) for k in found.order.tasks]
        self.assertEqual(order, ["A/face 1", "A/drill 2", "B/change", "B/drill 1", "B/face 2"])
        # The drill stays in while the operator changes them: three calls, and two offsets.
        self.assertEqual(found.order.counts[:3], (3, 0, 2))
        self.assertAlmostEqual(found.order.minutes, 2.0 + (3 * 9.0 + 2 * 2.0) / 60.0)

    def test_what_is_done_is_left_out(self):
        run = edits.with_done(two(), [ref(two(), "A/face 1")])
        found = planned(run)
        self.assertEqual(len(found.order.tasks), 4)
        self.assertEqual(found.order.tool_calls, 2)
        back = edits.with_done(run, [ref(run, "A/face 1")], done=False)
        self.assertEqual(back, two())
        with self.assertRaisesRegex(InvalidValueError, "nothing is left"):
            problem_of(two(), done=frozenset(every_task(two())))

    def test_minutes_waits_stages_and_frozen_runs(self):
        run = run_of(job("A", 1, 2, 1), job("B", 2, 1, offset="G55"))
        run = edits.with_minutes(run, ref(run, "A/face 1"), 4.0)
        run = edits.with_after(run, ref(run, "A/drill 2"), ref(run, "A/face 3"), 30.0)
        found = planned(run)
        self.assertAlmostEqual(found.tasks.problem.work_minutes, 4.0)
        self.assertEqual([minutes for _, _, minutes in found.tasks.problem.waits], [30.0])
        again = edits.with_after(run, ref(run, "A/drill 2"), ref(run, "A/face 3"), 10.0)
        self.assertEqual([each.wait for each in again.after], [10.0])
        free = changed(
            run, {"after": (), "stations": tuple(each.model_copy(update={"free": True}) for each in run.stations)}
        )
        self.assertEqual(planned(free).order.tool_calls, 2)
        frozen = edits.with_frozen(run, [ref(run, "B/drill 1"), ref(run, "A/face 1")])
        together = planned(frozen)
        order = [together.tasks.problem.name(k) for k in together.order.tasks]
        self.assertEqual(order.index("A/face 1"), order.index("B/drill 1") + 1)
        self.assertEqual(edits.thawed(frozen, ref(run, "A/face 1")), run)
        again = edits.with_frozen(frozen, [ref(run, "A/face 1"), ref(run, "B/face 2")])
        self.assertEqual(len(again.frozen), 1)
        for words, stage in (("A/face 1", "rough"), ("A/drill 2", "rough"), ("B/drill 1", "finish")):
            run = edits.with_stage(run, ref(run, words), stage)
        rough = planned(set_value(run, ("rough_first",), True))
        names = [rough.tasks.problem.name(k) for k in rough.order.tasks]
        self.assertLess(names.index("A/drill 2"), names.index("B/drill 1"))

    def test_every_instance_that_is_on(self):
        one = with_pattern(job("A", 1), 0, layout=Grid(columns=3, column_pitch=90.0), school="local shifts")
        one = with_state(one, 0, ["2-1"], "skipped", "bad blank")
        fresh, plan = ids(), plan_of(one)
        run = edits.with_setup(edits.new_run(next(fresh), "many", one.machine), plan, 0, lambda: next(fresh), "a", SUM)
        self.assertEqual([(each.place, each.local.x) for each in run.stations], [("1-1", 0.0), ("3-1", 180.0)])
        self.assertEqual(len({each.name for each in run.stations}), 2)
        self.assertEqual(codes(run) & {"RUN_STATION_TWICE", "RUN_OFFSET_TWICE"}, set())
        # The last one is skipped too, and the others stand further apart: it goes, and what is left is told.
        wider = with_state(one, 0, ["3-1"], "skipped", "no clamp")
        self.assertIn("no such instance", " ".join(differences(run, plan_of(wider))))
        self.assertEqual(len(edits.taken_over(run, plan_of(wider), SUM).stations), 1)
        apart = with_pattern(one, 0, layout=Grid(columns=3, column_pitch=95.0))
        self.assertIn("local shift", " ".join(differences(run, plan_of(apart))))
        self.assertEqual(edits.taken_over(run, plan_of(apart), SUM).stations[1].local.x, 190.0)

    def test_another_machine_is_refused(self):
        other = job("B", 1)
        machine = other.machine.model_copy(update={"id": derived_id("other"), "name": "Mill 9"})
        held = other.setups[0].model_copy(update={"machine": machine.id})
        elsewhere = changed(other, {"machines": (machine,), "setups": (held,)})
        with self.assertRaisesRegex(InvalidValueError, "is cut on Mill 9"):
            run_of(job("A", 1), elsewhere)

    def test_a_file_gives_the_same_run(self):
        run = edits.with_done(two(), [ref(two(), "A/face 1")])
        self.assertEqual(parse_run(json.loads(run_text(run)), "t"), run)
        plain = json.loads(run_text(run))
        for change, why in (
            (lambda run: run.update(version=99), "newer Ledgecliff"), (lambda run: run.update(format="x"), "is no run"),
            (lambda run: run["done"].append({"of": "0" * 12, "task": "x"}), "is not there"),
            (lambda run: run.update(pockets=0), "pockets"),
            (lambda run: run["stations"][0].update(name="B"), "share the name"),
            (lambda run: run["jobs"].pop(), "does not name"),
        ):  # fmt: skip
            wrong = json.loads(json.dumps(plain))
            change(wrong)
            with self.assertRaisesRegex(InvalidValueError, why):
                parse_run(wrong, "t")


class ChangedTest(unittest.TestCase):
    def test_what_a_job_says_now_is_told_and_taken_over(self):
        run = edits.with_minutes(two(), ref(two(), "A/face 1"), 4.0)
        run = edits.with_done(run, [ref(run, "A/face 1"), ref(run, "A/drill 2")])
        same = plan_of(job("A", 1, 2))
        self.assertEqual(differences(run, same), ())
        self.assertEqual(edits.taken_over(run, same, SUM), run)
        now = plan_of(job("A", 1, 3, offset="G56"))
        told = " ".join(differences(run, now))
        for words in ("offset is G56 now, not G54", "'drill 2' is not there any more", "'face 2' has come in"):
            self.assertIn(words, told)
        after = edits.taken_over(run, now, "b" * 64)
        self.assertEqual(
            [(task.name, task.minutes) for task in after.stations[0].tasks], [("face 1", 4.0), ("face 2", 0.0)]
        )
        self.assertEqual([ref_words(after, each) for each in after.done], ["A/face 1"])
        self.assertEqual((after.stations[0].offset, after.jobs[0].checksum), ("G56", "b" * 64))
        # The other job is as it was, and what came before what of the lost task is gone.
        self.assertEqual(after.stations[1], run.stations[1])
        self.assertTrue(all(after.has(each.earlier) and after.has(each.later) for each in after.after))

    def test_another_tool_of_the_same_number(self):
        one = job("A", 1)
        k = next(k for k, each in enumerate(one.machine.cutters) if each.tool == 1)
        other = set_value(one, ("machines", 0, "cutters", k, "diameter"), 63.0)
        self.assertIn("takes T1", " ".join(differences(run_of(one), plan_of(other))))

    def test_a_station_taken_out(self):
        run = two()
        left = edits.without_station(run, run.stations[1].id)
        self.assertEqual(([each.name for each in left.stations], len(left.jobs), left.actions, left.after),
                         (["A"], 1, (), ()))  # fmt: skip


class RulesTest(unittest.TestCase):
    def test_nothing_is_wrong_with_a_day_that_is_all_right(self):
        run = two()
        for each in every_task(run):
            run = edits.with_minutes(run, each, 5.0)
        self.assertEqual(codes(run, BesideRun()), set())
        self.assertIn("RUN_TIME_UNKNOWN", codes(two()))

    def test_one_number_for_two_tools(self):
        one, other = job("A", 1), job("B", 1, offset="G55")
        k = next(k for k, each in enumerate(other.machine.cutters) if each.tool == 1)
        run = run_of(one, set_value(other, ("machines", 0, "cutters", k, "diameter"), 63.0))
        (clash,) = tool_clashes(run)
        self.assertEqual(clash.tool, 1)
        self.assertIn("T2", clash.proposal)
        self.assertIn("RUN_TOOL_TWO_MEANINGS", codes(run, plan=False))
        with self.assertRaisesRegex(InvalidValueError, "T1: is '.*' for A and '.*' for B"):
            problem_of(run)
        self.assertEqual(list(tool_list(two())), [1, 2])

    def test_two_at_one_place(self):
        run = run_of(job("A", 1), job("B", 1, offset="G55"))
        self.assertIn("RUN_STATION_TWICE", codes(run))
        self.assertNotIn("RUN_STATION_TWICE", codes(two()))

    def test_one_offset_for_two_places(self):
        stations = job("A", 1).machine.stations
        vise, plate = (next(each.id for each in stations if each.name == name) for name in ("left vise", "plate"))
        self.assertNotEqual(vise, plate)
        run = run_of(job("A", 1), job("B", 1))
        other = run.stations[1].model_copy(update={"at": vise})
        apart = changed(run, {"stations": (run.stations[0], other)})
        self.assertIn("RUN_OFFSET_TWICE", codes(apart))
        # At one place, changed in between, they may keep one offset.
        turn = RunAction(
            id=derived_id("turn"), name="change", takes_from=run.stations[0].id, station=run.stations[1].id
        )
        self.assertNotIn("RUN_OFFSET_TWICE", codes(edits.with_turn(run, turn)))
        own = changed(run, {"stations": (run.stations[0], other.model_copy(update={"offset": "G55"}))})
        self.assertNotIn("RUN_OFFSET_TWICE", codes(own))

    def test_turned_before_it_is_finished(self):
        run = two()
        loose = set_value(run, ("after",), ())
        late = planned(loose, ["A/face 1", "change", "A/drill 2", "B/drill 1", "B/face 2"])
        self.assertIn("RUN_TURNED_TOO_SOON", {each.code for each in run_findings(loose, late)})
        soon = planned(loose, ["B/drill 1", "A/face 1", "A/drill 2", "change", "B/face 2"])
        self.assertIn("RUN_TURNED_TOO_SOON", {each.code for each in run_findings(loose, soon)})
        self.assertNotIn("RUN_TURNED_TOO_SOON", codes(run))

    def test_moved_at_a_stop(self):
        run = two()
        a, b = run.stations
        self.assertNotIn("RUN_FIND_AGAIN", codes(run))
        lost = edits.stopped(edits.stopped(run, [b.id]), [b.id, a.id])
        self.assertEqual(lost.find_again, (b.id, a.id))
        self.assertEqual([each.setup for each in run_findings(lost, None) if each.code == "RUN_FIND_AGAIN"], ["A", "B"])
        # Where nothing is left to be done it does not matter any more.
        done = edits.with_done(lost, [ref(lost, "A/face 1"), ref(lost, "A/drill 2")])
        self.assertEqual([each.setup for each in run_findings(done, None) if each.code == "RUN_FIND_AGAIN"], ["B"])
        self.assertEqual(edits.found_again(lost, [a.id, b.id]), run)
        self.assertEqual(edits.found_again(lost, [a.id]).find_again, (b.id,))
        self.assertEqual(edits.without_station(lost, b.id).find_again, (a.id,))
        with self.assertRaisesRegex(InvalidValueError, "found again is not there"):
            set_value(run, ("find_again",), ("0" * 12,))

    def test_ticked_off_before_what_it_needs(self):
        run = edits.with_done(two(), [ref(two(), "A/drill 2")])
        self.assertIn("RUN_DONE_BEFORE_NEED", codes(run))
        both = edits.with_done(run, [ref(run, "A/face 1")])
        self.assertNotIn("RUN_DONE_BEFORE_NEED", codes(both))
        across = edits.with_done(two(), [ref(two(), "change")])
        self.assertIn("RUN_DONE_BEFORE_NEED", codes(across))

    def test_a_wait_that_began_before_the_stop(self):
        run = edits.with_after(two(), ref(two(), "A/face 1"), ref(two(), "A/drill 2"), 45.0)
        self.assertNotIn("RUN_WAIT_TO_SEE", codes(run))
        begun = edits.with_done(run, [ref(run, "A/face 1")])
        self.assertIn("RUN_WAIT_TO_SEE", codes(begun))
        self.assertNotIn("RUN_WAIT_TO_SEE", codes(edits.with_done(begun, [ref(run, "A/drill 2")])))

    def test_pockets_life_and_the_hour(self):
        run = edits.with_minutes(edits.with_minutes(two(), ref(two(), "A/face 1"), 20.0), ref(two(), "B/face 2"), 20.0)
        for field, enough, short, code in (
            ("pockets", 2, 1, "RUN_POCKETS"), ("due", 43.0, 42.0, "RUN_LATE"),
            ("lives", (ToolLife(tool=1, minutes=40.0),), (ToolLife(tool=1, minutes=39.0),), "RUN_TOOL_WEARS_OUT"),
        ):  # fmt: skip
            self.assertNotIn(code, codes(changed(run, {field: enough})), field)
            self.assertIn(code, codes(changed(run, {field: short})), field)
        worn = changed(run, {"lives": (ToolLife(tool=1, minutes=39.0),)})
        told = next(each for each in run_findings(worn, planned(run)) if each.code == "RUN_TOOL_WEARS_OUT")
        self.assertIn("worn out in B/face 2", told.message())

    def test_programs_and_jobs_beside_it(self):
        run = run_of(job("A", 1, program="a.nc"))
        key = (run.jobs[0].job, "a.nc")
        for read, code in (
            ("'a.nc' is not there.", "RUN_PROGRAM_MISSING"),
            (ProgramSummary(offsets={"G55": 3}), "RUN_PROGRAM_OFFSET"),
            (ProgramSummary(offsets={"G54": 3, "G55": 9}), "RUN_PROGRAM_OFFSET"),
            (ProgramSummary(offsets={"G54": 3}), None),
            (ProgramSummary(), None),
        ):
            found = codes(run, BesideRun(programs={key: read}))
            self.assertEqual(found & {"RUN_PROGRAM_MISSING", "RUN_PROGRAM_OFFSET"}, {code} - {None})
        self.assertIn("RUN_JOB_CHANGED", codes(run, BesideRun(changed={key[0]: ("A: its offset is G56 now",)})))
        self.assertIn("RUN_JOB_MISSING", codes(run, BesideRun(missing={key[0]: "is gone"})))
        self.assertEqual(codes(run, BesideRun()) & {"RUN_JOB_CHANGED", "RUN_JOB_MISSING"}, set())

    def test_times_of_programs(self):
        """Feeds for 2 minutes, and 5 m of rapids at 10 m a minute."""
        run = run_of(job("A", 1, 2, program="a.nc"))
        key = (run.jobs[0].job, "a.nc")
        read = ProgramSummary(duration=Duration(feed_minutes=2.0, rapid_mm=5000.0))
        timed = edits.with_program_times(run, {key: read})
        self.assertEqual([(task.minutes, task.minutes_from) for task in timed.stations[0].tasks],
                         [(2.5, "program"), (0.0, "none")])  # fmt: skip
        for lost in (ProgramSummary(duration=Duration(feed_minutes=2.0, not_timed=3)), "is not there",
                     ProgramSummary(remarks=[Remark(1, "a macro is called")])):  # fmt: skip
            self.assertEqual(edits.with_program_times(run, {key: lost}), run)
        # Taken over again it stays as it is.
        again = edits.taken_over(timed, plan_of(job("A", 1, 2, program="a.nc")), SUM)
        self.assertEqual(again, timed)

    def test_worst_first(self):
        run = run_of(job("A", 1), job("B", 1, offset="G55"))
        found = [each.severity for each in run_findings(run, None)]
        self.assertEqual(found, sorted(found, key=["hazard", "error", "warning", "note"].index))


class ModelTest(unittest.TestCase):
    def test_what_leads_nowhere_is_refused(self):
        run = two()
        for path, value in (
            (("done",), (TaskRef(of="0" * 12, task="x"),)), (("actions", 0, "station"), "0" * 12),
            (("actions", 0, "takes_from"), "0" * 12), (("stations", 1, "id"), run.stations[0].id),
        ):  # fmt: skip
            with self.assertRaises(InvalidValueError):
                set_value(run, path, value)
        self.assertIsInstance(run, Run)


if __name__ == "__main__":
    unittest.main()
