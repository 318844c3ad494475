"""Property: a plan without hazard or error runs on the simulated machine, and finds the true zero.

Jobs are drawn at random about the demo; whatever the findings let pass must come through the
rehearsal without an alarm and within the probe's scatter.  The converse is tested where it is sure.
"""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core import changing
from ledgecliff.core.edits import lying
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from tests.draws import draws
from tests.helpers import demo, models, plan_with
from tests.rehearsals import rehearsed

#: Five standard deviations of one touch bound a centre and a single surface alike (mm).
WITHIN = 0.006
#: Zeros that a setup of the demo may well be given; what does not work out is left to the findings.
_STOCK_SIDES = ("stock centre", "stock minus side", "stock plus side")
SENSIBLE = (
    {"x": _STOCK_SIDES, "y": _STOCK_SIDES, "z": ("stock top", "part top", "parallels")},
    {"x": ("feature", "feature", "part centre"), "y": ("feature", "fixed jaw"), "z": ("parallels",)},
)


def random_job(rng):
    """The demo with another blank, other ways to lie, other zeros and other routines."""
    job = demo()
    changes = {
        ("stock", "measured", "x"): 96 + rng.uniform(1, 12),
        ("stock", "measured", "y"): 64 + rng.uniform(1, 12),
        ("stock", "measured", "z"): 28 + rng.uniform(5, 14),
        ("stock", "allowance", "plus_z"): rng.uniform(0.2, 2.5),
        ("setups", 0, "hold", "beside"): rng.uniform(-15, 15),
        ("setups", 1, "hold", "beside"): rng.uniform(-15, 15),
        ("setups", 1, "hold", "parallels_height"): rng.uniform(18, 34),
        ("machines", 0, "program_units"): rng.choice(["mm", "in"]),
        ("machines", 0, "probe", "repeatability"): 0.001,
    }
    for path, value in changes.items():
        job = changing.set_value(job, path, value)
    for setup in (0, 1):
        right = str(rng.choice(["+X", "-X", "+Y", "-Y"]))
        orientation = Orientation(up=job.setups[setup].orientation.up, right=right)
        job = changing.set_value(job, ("setups", setup, "orientation"), orientation)
        routine = job.setups[setup].probing.model_copy(
            update={
                "depth": float(rng.uniform(5, 12)),
                "stand_off": float(rng.uniform(3.6, 7)),
                "overtravel": float(rng.uniform(3.6, 7)),
                "guess": float(rng.uniform(0.5, 3)),
            }
        )
        job = changing.set_value(job, ("setups", setup, "probing"), routine)
        job = changing.set_value(job, ("setups", setup, "stock_assumed"), None)
        for axis in AXES:
            source = str(rng.choice(SENSIBLE[setup][axis]))
            job = lying.set_datum(job, setup, axis, source, "main bore" if source == "feature" else None)
            shift = float(rng.uniform(-20, 20))
            job = changing.set_value(job, ("setups", setup, "datum", axis, "shift"), shift)
    # The hat's grip is what the vise may hold: set the parallels so that it does.
    hat = job.stock.measured.z - 28 - job.stock.allowance.plus_z
    height = job.machine.fixtures[0].jaw_height - max(hat - 0.3, 3.6)
    return changing.set_value(job, ("setups", 0, "hold", "parallels_height"), height)


class PlanAgainstMachineTest(unittest.TestCase):
    def test_what_the_findings_let_pass_comes_through(self):
        sound = 0
        for seed in range(draws(10, 24)):
            job = random_job(np.random.default_rng(seed))
            plan = make_plan(job, models())
            bad = [f.code for f in findings_of(plan) if f.severity in ("hazard", "error")]
            if bad:
                continue
            sound += 1
            result = rehearsed(plan, seed)
            with self.subTest(
                seed=seed, zeros=[[d.source for d in (s.datum.x, s.datum.y, s.datum.z)] for s in job.setups]
            ):
                self.assertEqual(result.alarms, ())
                for setup in result.setups:
                    self.assertLess(float(np.abs(setup.difference).max()), WITHIN, setup.name)
        self.assertGreaterEqual(sound, draws(3, 8), "too few of the random jobs are sound to say anything")

    def test_a_wall_that_is_not_there_stops_the_machine_too(self):
        """Where the plan finds no wall, the machine must not come home with an offset that looks right."""
        only_faced = changing.set_value(demo(), ("setups", 0, "operations"), demo().setups[0].operations[:1])
        plan = make_plan(lying.set_datum(only_faced, 0, "x", "part minus side"), models())
        self.assertIn("TOUCH_BURIED", {f.code for f in findings_of(plan)})
        result = rehearsed(plan, 2)
        self.assertTrue(result.setups[0].stopped or abs(float(result.setups[0].difference[0])) > 1.0)

    def test_a_stem_that_fouls_stops_the_machine_too(self):
        plan = make_plan(lying.set_datum(demo(), 1, "x", "part minus side"), models())
        self.assertIn("TOUCH_STEM_FOULS", {f.code for f in findings_of(plan)})
        alarms = rehearsed(plan, 2).setups[1].alarms
        self.assertRegex(alarms[0], "stem|contact")

    def test_parallels_out_of_reach_stop_the_machine_too(self):
        """The stylus is far too short for parallels close beside a tall part: its body meets the hat."""
        plan = plan_with((("setups", 1, "hold", "parallels_length"), 110.0), (("machines", 0, "probe", "reach"), 12.0))
        self.assertIn("TOUCH_TOO_DEEP", {f.code for f in findings_of(plan) if f.setup == "Op 20"})
        result = rehearsed(plan, 5)
        self.assertTrue(result.setups[1].stopped)

    def test_a_hovering_tool_that_fouls_hits_the_part(self):
        plan = plan_with((("setups", 1, "hover", "block"), 20.0), (("setups", 1, "hover", "tool"), 1))
        self.assertIn("HOVER_FOULS", {f.code for f in findings_of(plan)})
        alarms = rehearsed(plan, 5).setups[1].alarms
        self.assertRegex(alarms[0], "hover check, line .*collision: the tip met the part")


class RefusedEditTest(unittest.TestCase):
    def test_random_values_give_a_plan_or_a_clear_refusal(self):
        """Any number in any field of the demo: another plan, or one of our own errors."""
        rng = np.random.default_rng(11)
        paths = [
            ("stock", "measured", "z"), ("stock", "allowance", "plus_z"), ("setups", 0, "hold", "parallels_height"),
            ("setups", 0, "hold", "parallels_thickness"), ("machines", 0, "fixtures", 1, "jaw_height"),
            ("setups", 1, "probing", "depth"), ("setups", 1, "probing", "stand_off"),
            ("machines", 0, "probe", "ball_diameter"), ("machines", 0, "probe", "reach"),
            ("setups", 0, "hover", "block"),
        ]  # fmt: skip
        for path in paths:
            for value in (*(10.0 ** rng.uniform(-4, 5, draws(1, 3))), -1.0, 0.0):
                with self.subTest(path=path, value=value):
                    try:
                        plan = make_plan(changing.set_value(demo(), path, float(value)), models())
                    except LedgecliffError as error:
                        self.assertTrue(str(error))
                    else:
                        self.assertIsInstance(findings_of(plan), tuple)
                        self.assertTrue(probing_text(plan, 0).endswith("%\n"))
