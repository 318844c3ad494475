"""Results that come back: typed, pasted or reported, they give the offset of the run that made them."""

from __future__ import annotations

import itertools
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError, PlanError
from ledgecliff.core.measuring.measured import RecordedWcs
from ledgecliff.core.measuring.reports import learned, read_report
from ledgecliff.core.measuring.results_back import (
    ReturnedResult,
    ReturnedResults,
    in_millimetres,
    parsed_results,
    result_rows,
    returned,
    said_of_returned,
)
from ledgecliff.core.model.machine import ResultVariables
from ledgecliff.core.programs.released import probing_text, probing_texts
from ledgecliff.core.quantities import mm_per, spell
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.register.entries import Entry, Use
from ledgecliff.core.register.measured_value import by_results, kept_measurement
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.draws import ALL, draws
from tests.helpers import demo_plan, plan_with
from tests.jobs import plan_of
from tests.rehearsals import rehearsed


def came_back(plan, index, result, lines=None):
    """What the program's own results amount to, as they stand in the control's variables."""
    setup = plan.setups[index]
    unit = setup.machine.program_units
    text = "\n".join(f"#{number} = {value:.5f}" for number, value in result.results.items())
    found = parsed_results(setup, text if lines is None else lines(text), unit)
    x, y, z = result.assumed
    before = RecordedWcs(x=x, y=y, z=z - setup.machine.length_shift())
    return returned(setup, ReturnedResults(setup=setup.setup.name, before=before, results=found))


class SameOffsetTest(unittest.TestCase):
    """Apart from the touches: from the results alone, followed step by step."""

    def assert_same(self, plan, index, result):
        found = came_back(plan, index, result)
        np.testing.assert_allclose(found.m_zero, result.found, atol=2e-4)
        self.assertAlmostEqual(found.skew_deg, result.turn_deg, places=3)

    def test_the_demos_in_any_world(self):
        for seed in range(1, 1 + draws(5, 20)):
            for plan in (demo_plan(), plan_with((("machines", 0, "program_units"), "in"))):
                for index, result in enumerate(rehearsed(plan, seed).setups):
                    self.assert_same(plan, index, result)

    def test_every_cycle_in_every_style(self):
        styles = (("parameter style", "mm"), ("numbered-variable skip style", "in"), ("cycle call style", "in"))
        for k, (name, cycle) in enumerate(CYCLES.items()):
            for profile, units in styles if ALL else (styles[k % 3],):
                if cycle.skew or cycle.kind == "edge angle":
                    profile = "parameter style"
                plan = plan_of(job_with(cycle, profile=profile, program_units=units))
                with self.subTest(name, profile=profile):
                    self.assert_same(plan, 1, rehearsed(plan, 3).setups[1])

    def test_lengths_from_a_plane_another_offset_and_a_stated_reading(self):
        job = job_with(
            CYCLES["surface on top"], CYCLES["web"].model_copy(update={"reads": 12.5}),
            CYCLES["surface"].model_copy(update={"into": "G57"}),
        )  # fmt: skip
        job = set_value(job, ("machines", 0, "lengths_from"), "reference plane")
        plan = plan_of(set_value(job, ("machines", 0, "reference_z"), -311.0))
        self.assert_same(plan, 1, rehearsed(plan, 2).setups[1])


class TypedTest(unittest.TestCase):
    def setup_plan(self):
        return demo_plan().setups[0]

    def given(self, *values, **more):
        rows = result_rows(self.setup_plan())
        results = tuple(
            ReturnedResult(step=row.step, key=row.key, value=value) for row, value in zip(rows, values, strict=False)
        )
        return ReturnedResults(setup="Op 10", results=results, **more)

    def test_by_hand(self):
        """G54 held -520, -214, -409.5.  The stock's middle read +1.2 and -0.4, its top 2.1 where 1.5 is right."""
        before = RecordedWcs(x=-520.0, y=-214.0, z=-409.5)
        found = returned(self.setup_plan(), self.given(1.2, 99.9, -0.4, 68.05, 2.1, before=before))
        np.testing.assert_allclose(found.m_zero, (-518.8, -214.4, -408.9))
        self.assertEqual([step.beyond for step in found.steps], [(), (), ()])
        self.assertAlmostEqual(found.steps[0].off["size x"], -0.1)
        self.assertEqual([change.confirm for change in found.changes], [True, True, True])
        self.assertIn("G54 then holds X −518.800  Y −214.400  Z −408.900", spell(said_of_returned(found), "mm"))
        with self.assertRaisesRegex(InvalidValueError, "Confirm it"):
            kept_measurement(by_results(found), Entry("G54"), Use("j", "Op 10"), ())
        entry = kept_measurement(by_results(found), Entry("G54"), Use("j", "Op 10"), (), confirmed=True)
        self.assertEqual((entry.value.x, entry.origin), (-518.8, "touches"))

    def test_part_of_it_and_without_what_stood_before(self):
        found = returned(self.setup_plan(), self.given(1.2, 98.0))
        self.assertFalse(found.before_known)
        self.assertEqual(found.changes, ())
        self.assertEqual(found.steps[0].beyond, ("size x",))
        words = spell(said_of_returned(found), "mm")
        for part in ("2 more steps without results", "Write it there to keep this", "width along X is off by −2.000"):
            self.assertIn(part, words)

    def test_inches_scale_lengths_and_no_angles(self):
        plan = plan_of(job_with(CYCLES["corner of four"])).setups[1]
        values = {"y": 1.0, "x": -1.0, "skew": 0.05}
        results = tuple(ReturnedResult(step=1, key=key, value=value) for key, value in values.items())
        inches = ReturnedResults(setup="Op 20", unit="in", results=results, before=RecordedWcs(x=1, y=2, z=3))
        mm = in_millimetres(plan, inches)
        self.assertEqual([each.value for each in mm.results], [25.4, -25.4, 0.05])
        self.assertEqual((mm.unit, round(mm.before.z, 9)), ("mm", 76.2))
        np.testing.assert_allclose(returned(plan, inches).m_zero, returned(plan, mm).m_zero)

    def test_what_is_refused(self):
        setup = self.setup_plan()
        for text, why in (
            ("#500 = 1\n#500 = 2", "stands there twice"), ("#77 = 3", "is no result of Op 10"),
            ("#500 one", "is no result; write it as"), ("", "there are none"), ("500;1,5", None), ("#500 = −1.5", None),
        ):  # fmt: skip
            if why is None:
                self.assertEqual(abs(parsed_results(setup, text, "mm")[0].value), 1.5)
                continue
            with self.assertRaisesRegex(InvalidValueError, why, msg=text):
                parsed_results(setup, text, "mm")
        one = ReturnedResult(step=1, key="x", value=0.0)
        for results, why in (
            ((one,), "width along X is missing"), ((one, one), "stands there twice"),
            ((one.model_copy(update={"key": "skew"}),), "finds no 'skew'"),
            ((one.model_copy(update={"step": 9}),), "has no step 9"),
            ((one.model_copy(update={"value": 5000.0}), one.model_copy(update={"key": "size x"})), "nowhere near"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why):
                returned(setup, ReturnedResults(setup="Op 10", results=results))


class ReportTest(unittest.TestCase):
    """Reports as a control might print them, written here from random results."""

    def report(self, rng, values, style):
        lines = [f"PROTOCOL {rng.integers(1, 99)}  28.11.2026 12:{rng.integers(10, 60)}", ""]
        for k, found in values.items():
            if style == 0:
                lines.append(f"--- FEATURE {k} ---")
                for key, words in (("size x", "WIDTH X"), ("x", "CENTRE X"), ("y", "CENTRE Y"), ("size y", "WIDTH Y"),
                                   ("z", "HEIGHT"), ("skew", "ANGLE")):  # fmt: skip
                    if key in found:
                        lines.append(f"{words:<12} ACT {found[key]:10.4f}   TOL 0.5   NO {k}")
            elif style == 1:
                lines.append(
                    f"{k:03d} "
                    + " ".join(f"{key.upper().replace(' ', '')}={value:.4f}" for key, value in found.items())
                )
            else:
                lines += [f"{value:+.4f}".replace(".", ",") + f" mm {key}" for key, value in found.items()]
        return "\n".join([*lines, "END OF PROTOCOL"])

    def values(self, rng, steps):
        return {
            k: {q.key: round(q.expected + float(rng.uniform(-2, 2)), 4) for q in step.finds}
            for k, step in enumerate(steps, start=1)
        }

    @staticmethod
    def as_results(values):
        return tuple(
            ReturnedResult(step=k, key=key, value=v) for k, found in values.items() for key, v in found.items()
        )

    def test_shown_once_it_is_read_ever_after(self):
        cycles = (CYCLES["rectangle inside"], CYCLES["bore"], CYCLES["surface on top"])
        plans = (*demo_plan().setups, plan_of(job_with(*cycles)).setups[1])
        for seed, setup, style in itertools.product(range(draws(6, 60)), plans, range(3)):
            rng = np.random.default_rng(seed)
            steps = setup.probing.steps
            first, second = self.values(rng, steps), self.values(rng, steps)
            pattern = learned("ours", self.report(rng, first, style), steps, self.as_results(first), "mm")
            text = self.report(rng, second, style)
            found = {(each.step, each.key): each.value for each in read_report(pattern, text, steps)}
            for result in self.as_results(second):
                self.assertAlmostEqual(found[result.step, result.key], result.value, places=4)
            self.assertEqual(len(found), len(self.as_results(second)))

    def test_inches(self):
        steps = demo_plan().setups[0].probing.steps
        rng = np.random.default_rng(1)
        values = self.values(rng, steps)
        mm = {k: {key: value * 25.4 for key, value in found.items()} for k, found in values.items()}
        text = self.report(rng, values, 0)
        pattern = learned("inch", text, steps, self.as_results(mm), "in")
        for each in read_report(pattern, text, steps):
            self.assertAlmostEqual(each.value, values[each.step][each.key] * mm_per("in"), places=3)

    def test_what_is_refused(self):
        steps = demo_plan().setups[0].probing.steps
        rng = np.random.default_rng(4)
        values = self.values(rng, steps)
        text = self.report(rng, values, 0)
        wrong = self.as_results(values | {2: {key: value + 0.3 for key, value in values[2].items()}})
        with self.assertRaisesRegex(InvalidValueError, "step 2, .* does not stand in it"):
            learned("ours", text, steps, wrong, "mm")
        with self.assertRaisesRegex(InvalidValueError, "type the results of its run first"):
            learned("ours", text, steps, (), "mm")
        pattern = learned("ours", text, steps, self.as_results(values), "mm")
        double = "\n".join(f"{line} {line[line.index('ACT') + 3 :].split()[0]}" if "ACT" in line else line
                           for line in text.splitlines())  # fmt: skip
        with self.assertRaisesRegex(InvalidValueError, "stands there twice"):
            learned("ours", double, steps, self.as_results(values), "mm")
        left_out = "\n".join(line for line in text.splitlines() if "WIDTH X" not in line)
        with self.assertRaisesRegex(InvalidValueError, "step 1, .*width along X is not there"):
            read_report(pattern, left_out, steps)
        with self.assertRaisesRegex(InvalidValueError, "step 3"):
            read_report(pattern, text[: text.index("--- FEATURE 3")], steps)


class VariablesTest(unittest.TestCase):
    def job(self, variables, **more):
        job = job_with(CYCLES["corner of two"], CYCLES["web"], CYCLES["surface on top"], **more)
        return set_value(job, ("machines", 0, "results"), ResultVariables(**variables))

    def test_results_expected_and_deviation_where_they_are_wanted(self):
        for profile in ("parameter style", "numbered-variable skip style", "cycle call style"):
            job = self.job({"first": 700, "expected": 800, "deviation": 900}, profile=profile, program_units="in")
            plan = plan_of(job)
            self.assertEqual(read_back(plan, 1).differences, ())
            self.assertEqual([row.parameter for row in result_rows(plan.setups[1])], [700, 701, 710, 711, 720])
            found = rehearsed(plan, 1).setups[1]
            self.assertEqual(set(found.results), {700, 701, 710, 711, 720})
            np.testing.assert_allclose(came_back(plan, 1, found).m_zero, found.found, atol=3e-4)

    def test_a_wrong_value_beside_is_seen(self):
        plan = plan_of(self.job({"expected": 800, "deviation": 900}))
        text = probing_text(plan, 1)
        for old, new in (("#811 = 80.0", "#811 = 80.1"), ("#911 = [#511 - ", "#911 = [#510 - ")):
            self.assertIn(old, text)
            (written,) = probing_texts(plan, 1)
            back = read_back(plan, 1, texts=[replace(written, text=text.replace(old, new))])
            self.assertIn(f"{old[:4]} beside", back.differences[0])

    def test_variables_that_meet_are_refused(self):
        for variables, why in (
            ({"expected": 510}, "#500 to #529, which reaches #510"),
            ({"first": 4980}, "reaches #5000"),
        ):
            with self.assertRaises((PlanError, ValueError), msg=why):
                probing_text(plan_of(self.job(variables)), 1)
        with self.assertRaisesRegex(PlanError, "#500 to #529, which reaches #510"):
            probing_text(plan_of(self.job({"expected": 510})), 1)

    def test_a_setup_keeps_its_own_apart(self):
        """What the programs of one setup found stands there still when those of the next have run."""
        plan = plan_with((("setups", 1, "probing", "results_from"), 600))
        self.assertEqual(min(row.parameter for row in result_rows(plan.setups[1])), 600)
        self.assertEqual(read_back(plan, 1).differences, ())
        self.assertNotIn("#500 = ", probing_text(plan, 1))


if __name__ == "__main__":
    unittest.main()
