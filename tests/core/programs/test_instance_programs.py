"""Programs over all instances of a pattern, in every style and unit, run on the simulated machine."""

from __future__ import annotations

import itertools
import re
import unittest
from functools import cache

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import PlanError
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.model.pattern import KeptIn
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import SHIPPED, shipped_profile
from ledgecliff.core.programs.released import files_of_setup, probing_texts
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from tests.draws import ALL, draws
from tests.helpers import shipped_plan

FIRST, SECOND = ("setups", 0, "pattern"), ("setups", 1, "pattern")
SKIP = "numbered-variable skip style"
#: Standard offsets alone: what the parameter style has.
STANDARD = (((*SECOND, "codes"), tuple(KeptIn(key=f"{k}-1", offset=f"G5{k + 4}") for k in range(2, 6))),)


def shoes(*edits):
    plan = shipped_plan("rack-shoes")
    job = plan.job
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, plan.models)


@cache
def in_style(style, unit, missing="stop"):
    edits = [
        (("machines", 0, "profile"), style), (("machines", 0, "program_units"), unit),
        ((*FIRST, "missing"), missing), ((*SECOND, "seating"), True), ((*SECOND, "missing"), missing),
    ]  # fmt: skip
    return shoes(*edits, *(() if style == SKIP else STANDARD))


def run(plan, world=None, seed=3):
    written = written_plan(plan)
    return rehearse(written, drawn_world(written, seed) if world is None else world)


def at(result, setup, load=1):
    return {each.instance: each for each in result.every if each.name == setup and each.load == load}


def lying(setup, instance, **off):
    place = {"x": 0.0, "y": 0.0, "z": 0.0} | off
    return TrueWorld.model_validate({"setups": [{"name": setup, "instance": instance, "part_off": place}]})


class EveryStyleTest(unittest.TestCase):
    STYLES = tuple(itertools.product(SHIPPED, ("mm", "in"))) if ALL else (
        (SKIP, "mm"), ("parameter style", "in"), ("cycle call style", "mm"),
    )  # fmt: skip

    def test_every_instance_is_found_where_it_is(self):
        for style, unit in self.STYLES:
            result = run(in_style(style, unit))
            self.assertEqual((result.alarms, result.amiss), ((), ()), (style, unit))
            self.assertEqual(len(result.every), 9 + 5 + 4)
            for each in result.every:
                if each.name == "Op 20":
                    np.testing.assert_allclose(each.found, each.true, atol=0.008, err_msg=f"{style} {unit}")
                self.assertTrue(all(touch.body.endswith(f" of {each.instance}") for touch in each.touches))
                self.assertGreater(each.counted, 0, each.full_name)

    def test_what_is_released_reads_back(self):
        for style, unit in self.STYLES:
            for index in (0, 1):
                back = read_back(in_style(style, unit, "skip it" if unit == "mm" else "stop"), index)
                self.assertEqual(back.differences, (), (style, unit))
                self.assertGreater(back.stops, 10)


class PresenceTest(unittest.TestCase):
    def test_one_that_rides_up_stops_the_run_by_its_name(self):
        result = run(in_style(SKIP, "mm", "stop"), lying("Op 10", "4", z=0.4))
        (alarm,) = result.alarms[:1]
        self.assertIn("instance 4: no part there, or it does not seat", alarm)
        rows = at(result, "Op 10")
        self.assertTrue(all(each.stopped for each in rows.values()))
        self.assertEqual([name for name, each in rows.items() if each.alarms], ["4"])

    def test_or_is_left_out_and_the_others_are_done(self):
        styles, offs = (SKIP, "parameter style", "user macro style"), (0.4, -0.4, -15.0)
        # Every style, and every way not to seat; all of them together by the option.
        for style, off in list(itertools.product(styles, offs))[:: draws(4, 1)]:
            result = run(in_style(style, "mm", "skip it"), lying("Op 10", "4", z=off))
            self.assertEqual(result.alarms, (), (style, off))
            rows = at(result, "Op 10")
            self.assertEqual([name for name, each in rows.items() if each.left_out], ["4"], (style, off))
            # Eight go on to the next side: five, and three.
            self.assertEqual([len(at(result, "Op 20", load)) for load in (1, 2)], [5, 3])

    def test_all_that_seat_are_let_through(self):
        for seed in range(draws(2, 4)):
            result = run(in_style(SKIP, "mm", "skip it"), seed=seed)
            self.assertFalse([each.full_name for each in result.every if each.left_out])


class ShiftTest(unittest.TestCase):
    def test_it_is_cleared_at_the_end_and_before_every_stop(self):
        for style in (SKIP, "parameter style"):
            text = probing_texts(in_style(style, "mm"), 0)[0].text
            shifts = re.findall(r"^G52 .*", text.split("M30")[0] if style == SKIP else text, re.MULTILINE)
            self.assertRegex(shifts[-1], r"^G52 X0\.0 Y0\.0 Z0\.0")
            lines = text.splitlines()
            stops = [k for k, line in enumerate(lines) if "STOP" in line and "not in the spindle" not in line]
            self.assertTrue(stops)
            for k in stops:
                self.assertIn("G52 X0.0 Y0.0 Z0.0", " ".join(lines[max(k - 2, 0) : k]), lines[k])

    def test_a_shift_that_is_left_over_does_no_harm(self):
        """The control begins with an old one: reading back does so in both styles."""
        for style in (SKIP, "parameter style"):
            self.assertEqual(read_back(in_style(style, "mm"), 0).differences, ())

    def test_own_offsets_are_not_shifted(self):
        text = probing_texts(in_style(SKIP, "mm"), 1)[0].text
        self.assertEqual(re.findall(r"^G52 .*", text, re.MULTILINE), ["G52 X0 Y0 Z0"])


class FirstOfTheLoadTest(unittest.TestCase):
    def test_the_others_follow_as_far_as_they_are_planned(self):
        plan = shoes(((*SECOND, "probed"), "first of the load"))
        result = run(plan)
        rows = at(result, "Op 20")
        apart = {each.name: each.m_zero - plan.instances(1)[0].m_zero for each in plan.instances(1)}
        for name, each in rows.items():
            np.testing.assert_allclose(each.found - rows["1"].found, apart[name], atol=2e-4)
        self.assertEqual(sum(each.counted for each in rows.values()), rows["1"].counted)
        np.testing.assert_allclose(rows["1"].found, rows["1"].true, atol=0.008)

    def test_in_a_shared_offset_it_is_found_with_the_first_ones_shift(self):
        """The first is skipped and the second shifted: the offset is still the master's, less that."""
        own = [{"place": "1-1", "state": "skipped", "reason": "bad blank"},
               {"place": "2-1", "shift": {"x": 0.5, "y": -0.25, "z": 0.0}}]  # fmt: skip
        edits = ((*SECOND, "school"), "local shifts"), ((*SECOND, "instances"), own)
        plan = shoes(*edits, ((*SECOND, "probed"), "first of the load"))
        self.assertEqual([each.offset for each in plan.instances(1)], ["G55"] * 5)
        rows = at(run(plan), "Op 20")
        np.testing.assert_allclose(rows["2"].found, rows["2"].true, atol=0.008)
        apart = plan.instances(1)[3].m_zero - plan.instances(1)[1].m_zero
        np.testing.assert_allclose(rows["4"].found - rows["2"].found, apart, atol=1e-4)

    def test_an_inch_control_says_the_same(self):
        edit = ((*SECOND, "probed"), "first of the load")
        metric, inch = (run(shoes(edit, (("machines", 0, "program_units"), unit))) for unit in ("mm", "in"))
        for a, b in zip(metric.every, inch.every, strict=True):
            np.testing.assert_allclose(a.found, b.found, atol=0.003)


class OneEachTest(unittest.TestCase):
    def test_a_profile_without_subprograms_gets_a_program_for_each(self):
        shipped = shipped_profile("parameter style")
        text = re.sub(r"\{%- macro call\(a\) -%\}.*?\{%- endmacro -%\}", "", shipped.text, flags=re.DOTALL)
        own = OutputProfile(name="plain", control="parameter style", text=text)
        plan = shoes(
            (("machines", 0, "profiles"), (own,)), (("machines", 0, "profile"), "plain"),
            *STANDARD, ((*SECOND, "seating"), True),
        )  # fmt: skip
        names = [name for name, _ in files_of_setup(plan, 1).values()]
        self.assertEqual(sum("instance" in name for name in names), 5, names)
        self.assertEqual(len(set(names)), len(names))
        result = run(plan)
        self.assertEqual((result.alarms, result.amiss), ((), ()))
        self.assertEqual(len(result.every), 18)


class RefusedTest(unittest.TestCase):
    def test_no_offset_is_kept(self):
        with self.assertRaisesRegex(PlanError, "no work offset is kept for instance 3"):
            probing_texts(shoes(((*SECOND, "codes"), shipped_plan("rack-shoes").job.setups[1].pattern.codes[:1])), 1)

    def test_results_find_no_room(self):
        wide = {"kind": "grid", "columns": 20, "rows": 20, "column_pitch": 74.0, "row_pitch": 118.0}
        skip = ("machines", 0, "results", "first"), 4900
        with self.assertRaisesRegex(PlanError, "results of all instances.*probe fewer"):
            probing_texts(shoes(((*FIRST, "layout"), wide), skip), 0)

    def test_another_offset_would_be_written_by_all(self):
        cycle = {"name": "top", "kind": "surface", "on": "stock", "side": "top", "into": "G59"}
        with self.assertRaisesRegex(PlanError, "all instances would write"):
            probing_texts(shoes((("setups", 1, "probing", "cycles"), [cycle])), 1)
