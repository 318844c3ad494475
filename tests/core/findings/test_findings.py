"""Every finding fires when it should and is silent when it should not, at its very limit where it has one."""

from __future__ import annotations

import unittest

from ledgecliff.core import changing
from ledgecliff.core.edits import lying
from ledgecliff.core.finding import SEVERITIES
from ledgecliff.core.findings.probing_rules import SEVERITY_OF
from ledgecliff.core.findings.rules import findings_of, worst_of
from ledgecliff.core.model.operations import Pocket
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.plan import make_plan
from ledgecliff.store.identity import new_id
from tests.helpers import changed, codes, demo, demo_plan, models, plan_with
from tests.jobs import block_job, feature, plan_of
from tests.jobs import setup as block_setup


class FindingsTest(unittest.TestCase):
    def assert_fires(self, code, *changes, setup=None):
        self.assertIn(code, codes(plan_with(*changes), setup))

    def assert_silent(self, code, *changes, setup=None):
        self.assertNotIn(code, codes(plan_with(*changes), setup))

    def finding(self, code, *changes):
        return next(finding for finding in findings_of(plan_with(*changes)) if finding.code == code)

    def test_the_demo_has_nothing_but_the_port(self):
        """The port wants a third setup; nothing else is amiss."""
        found = [(f.code, f.severity) for f in findings_of(demo_plan())]
        self.assertEqual(found, [("FEATURE_NOT_REACHED", "warning"), ("NOT_FINISHED", "note")])
        for finding in findings_of(demo_plan()):
            self.assertIn("port", finding.message())

    def test_grip_above_underside(self):
        """The hat is 4.5: jaws 4.5 over the seat just clear the outline's floor, 4.6 are cut into."""
        path = ("setups", 0, "hold", "parallels_height")
        self.assert_silent("GRIP_ABOVE_UNDERSIDE", (path, 37.5))
        self.assert_fires("GRIP_ABOVE_UNDERSIDE", (path, 37.4), setup="Op 10")
        self.assertEqual(self.finding("GRIP_ABOVE_UNDERSIDE", (path, 37.4)).severity, "hazard")

    def test_grip_above_underside_counts_the_overlap_below(self):
        overlap = (("setups", 0, "operations", 1, "below"), 0.6)
        self.assert_fires("GRIP_ABOVE_UNDERSIDE", overlap, setup="Op 10")
        self.assert_silent("GRIP_ABOVE_UNDERSIDE", (("setups", 0, "operations", 1, "below"), 0.5))

    def test_without_an_outline_cut_the_jaws_may_stand_higher(self):
        self.assert_silent("GRIP_ABOVE_UNDERSIDE", (("machines", 0, "fixtures", 1, "jaw_height"), 50.0), setup="Op 20")

    def test_grip_too_small(self):
        """At least 3.5: parallels of 38.5 in jaws of 42 just do, 38.6 do not."""
        path = ("setups", 0, "hold", "parallels_height")
        self.assert_silent("GRIP_TOO_SMALL", (path, 38.5))
        self.assert_fires("GRIP_TOO_SMALL", (path, 38.6), setup="Op 10")
        self.assert_fires("GRIP_TOO_SMALL", (("machines", 0, "fixtures", 0, "grip_min"), 4.1), setup="Op 10")

    def test_jaw_opening(self):
        for name, silent, fires in (("opening_max", 68.0, 67.9), ("opening_min", 68.0, 68.1)):
            path = ("machines", 0, "fixtures", 0, name)
            self.assert_silent("JAW_OPENING", (path, silent), setup="Op 10")
            self.assert_fires("JAW_OPENING", (path, fires), setup="Op 10")

    def test_stock_too_small(self):
        """The part is 96 x 64 x 28 and 1.5 is faced off the top."""
        for axis, least in (("x", 96.0), ("y", 64.0), ("z", 29.5)):
            path = ("stock", "measured", axis)
            self.assert_silent("STOCK_TOO_SMALL", (path, least))
            self.assert_fires("STOCK_TOO_SMALL", (path, least - 0.01))
        self.assert_fires("STOCK_TOO_SMALL", (("stock", "allowance", "plus_z"), 6.01))

    def test_z_zero_on_raw(self):
        """Op 20's top is the raw hat; Op 10 may start from raw stock; a faced top is no longer raw."""
        for source in ("stock top", "part top"):
            self.assertIn("Z_ZERO_ON_RAW", codes(make_plan(lying.set_datum(demo(), 1, "z", source), models())))
        for source in ("stock top", "part top"):
            self.assertNotIn("Z_ZERO_ON_RAW", codes(make_plan(lying.set_datum(demo(), 0, "z", source), models())))
        third = demo().setups[0].model_copy(update={"id": new_id(), "name": "Op 30", "offset": "G56"})
        job = changing.set_value(lying.set_datum(demo(), 1, "z", "parallels"), ("setups",), (*demo().setups, third))
        self.assertNotIn("Z_ZERO_ON_RAW", codes(make_plan(job, models()), "Op 30"))

    def test_offset_shared(self):
        self.assert_fires("OFFSET_SHARED", (("setups", 1, "offset"), "G54"), setup="Op 20")
        self.assert_silent("OFFSET_SHARED", (("setups", 1, "offset"), "G56"))

    def test_offset_unknown(self):
        self.assert_fires("OFFSET_UNKNOWN", (("setups", 1, "offset"), "G99"), setup="Op 20")
        self.assert_silent("OFFSET_UNKNOWN")

    def test_parallels_too_wide(self):
        """Two of them between jaws 68 apart."""
        path = ("setups", 0, "hold", "parallels_thickness")
        self.assert_silent("PARALLELS_TOO_WIDE", (path, 34.0))
        self.assert_fires("PARALLELS_TOO_WIDE", (path, 34.1), setup="Op 10")

    def test_parallels_taller_than_jaws(self):
        path = ("setups", 1, "hold", "parallels_height")
        self.assert_silent("PARALLELS_TALLER_THAN_JAWS", (path, 41.9))
        self.assert_fires("PARALLELS_TALLER_THAN_JAWS", (path, 42.0), setup="Op 20")

    def test_cut_into_part(self):
        """The main bore is Ø22: bored 0.1 wider only facets go, 0.6 wider 0.3 of the wall all round."""
        bore = next(k for k, each in enumerate(demo().part.features) if each.name == "main bore")
        path = ("part", "features", bore, "diameter")
        self.assert_silent("CUT_INTO_PART", (path, 22.1))
        self.assert_fires("CUT_INTO_PART", (path, 22.6), setup="Op 10")

    def test_touches(self):
        """Problems of touches come through as findings of their setup with the right severity."""
        routine = ("setups", 0, "probing")
        self.assert_fires("TOUCH_OUTSIDE_WINDOW", ((*routine, "overtravel"), 2.0), setup="Op 10")
        self.assert_silent("TOUCH_OUTSIDE_WINDOW", ((*routine, "overtravel"), 4.0))
        self.assert_fires("TOUCH_TOO_SHALLOW", ((*routine, "depth"), 1.5), setup="Op 10")
        self.assert_silent("TOUCH_TOO_SHALLOW", ((*routine, "depth"), 3.0))
        self.assert_fires("TOUCH_TOO_DEEP", ((*routine, "depth"), 29.0), setup="Op 10")
        self.assertEqual(self.finding("TOUCH_TOO_DEEP", ((*routine, "depth"), 29.0)).severity, "hazard")
        self.assertTrue(set(SEVERITY_OF.values()) <= set(SEVERITIES))

    def test_outside_travel(self):
        """Op 10 probes to machine X -577 with the ball's centre, ±3 by eye: the travel must reach -580."""
        path = ("machines", 0, "travel_min", "x")
        self.assert_silent("OUTSIDE_TRAVEL", (path, -580.0))
        self.assert_fires("OUTSIDE_TRAVEL", (path, -579.9), setup="Op 10")
        self.assert_fires("OUTSIDE_TRAVEL", (("setups", 1, "hover", "block"), 900.0), setup="Op 20")
        # Op 20: -456 + block + 25 + tool 118.4 + 3 must stay below the top at 0.
        self.assert_silent("OUTSIDE_TRAVEL", (("setups", 1, "hover", "block"), 309.5), setup="Op 20")
        self.assert_fires("OUTSIDE_TRAVEL", (("setups", 1, "hover", "block"), 309.7), setup="Op 20")

    def test_hover_fouls(self):
        """On a 25 block the tip is below Op 20's hat at 32.5; 12.5 less the guess of 3 is room for Ø19, not Ø50."""
        low = (("setups", 1, "hover", "block"), 25.0)
        wide = (("setups", 1, "hover", "tool"), 1)
        self.assert_fires("HOVER_FOULS", low, wide, setup="Op 20")
        self.assert_silent("HOVER_FOULS", low)
        self.assert_silent("HOVER_FOULS", wide)
        self.assert_silent("HOVER_FOULS", low, (("setups", 1, "hover", "tool"), 3))

    def test_stock_not_what_is_left(self):
        """Op 20 was programmed for 100 x 68 x 32.5; a thicker blank leaves more."""
        self.assert_fires("STOCK_NOT_WHAT_IS_LEFT", (("stock", "measured", "z"), 35.0), setup="Op 20")
        self.assert_fires("STOCK_NOT_WHAT_IS_LEFT", (("setups", 1, "stock_assumed", "z"), 34.0), setup="Op 20")
        self.assert_silent("STOCK_NOT_WHAT_IS_LEFT", (("setups", 1, "stock_assumed", "z"), 32.51))
        self.assert_silent(
            "STOCK_NOT_WHAT_IS_LEFT", (("setups", 1, "stock_assumed"), None), (("stock", "measured", "z"), 35.0),
            setup="Op 20",
        )  # fmt: skip

    def test_bore_not_upright(self):
        self.assert_fires("BORE_NOT_UPRIGHT", (("setups", 0, "operations", 3, "on"), "port"), setup="Op 10")
        self.assert_silent("BORE_NOT_UPRIGHT")

    def test_operation_from_the_wrong_side(self):
        """A pocket that opens upward, and the same one with the block upside down."""
        deep = feature("pocket", "pocket", (30, 20, 20), length=20, width=12, depth=6)
        cut = Pocket(name="clear it", tool=3, on="pocket", features=("pocket",))
        for up, fires in (("+Z", False), ("-Z", True), ("+Y", True)):
            plan = plan_of(block_job(block_setup(cut, up=up), features=(deep,)))
            self.assertEqual("OPERATION_FROM_WRONG_SIDE" in codes(plan), fires, up)

    def test_feature_not_in_model(self):
        self.assert_fires("FEATURE_NOT_IN_MODEL", (("part", "features", 0, "diameter"), 24.0))
        self.assert_fires("FEATURE_NOT_IN_MODEL", (("part", "features", 0, "at", "x"), 31.0))
        self.assert_silent("FEATURE_NOT_IN_MODEL")
        sunk = (feature("sink", "countersink", (20, 20, 20), diameter=12, depth=3),
                feature("hole", "hole", (20, 20, 20), diameter=6, through=True))  # fmt: skip
        plan = plan_of(block_job(features=sunk))
        self.assertNotIn("FEATURE_NOT_IN_MODEL", codes(plan))
        off = sunk[0].model_copy(update={"diameter": 12.2})
        part = demo().part.model_copy(update={"features": (*demo().part.features, off)})
        self.assertIn("FEATURE_NOT_IN_MODEL", codes(make_plan(demo().model_copy(update={"part": part}), models())))

    def test_not_finished(self):
        seen = demo().setups[1].operations[1].model_copy(update={"name": "the port"})
        third = demo().setups[1].model_copy(
            update={
                "id": new_id(), "name": "Op 30", "offset": "G56", "operations": (seen,), "stock_assumed": None,
                "orientation": Orientation(up="+X", right="+Y"),
            }
        )  # fmt: skip
        job = changing.set_value(demo(), ("setups",), (*demo().setups, third))
        self.assertNotIn("NOT_FINISHED", codes(make_plan(job, models())))


class ShapeTest(unittest.TestCase):
    def test_worst_first_and_complete(self):
        plan = plan_with(
            (("setups", 0, "hold", "parallels_height"), 36.0),
            (("setups", 1, "offset"), "G54"),
            (("setups", 0, "probing", "depth"), 1.0),
        )
        ranks = [SEVERITIES.index(finding.severity) for finding in findings_of(plan)]
        self.assertEqual(ranks, sorted(ranks))
        names = {"", *(setup.name for setup in plan.job.setups)}
        for finding in findings_of(plan):
            self.assertIn(finding.setup, names)
            self.assertTrue(finding.message().endswith(".") and finding.remedy().endswith("."), finding)
            self.assertRegex(finding.code, r"^[A-Z_]+$")

    def test_a_finding_marks_its_scene(self):
        plan = plan_with((("setups", 0, "hold", "parallels_height"), 36.0))
        self.assertEqual(worst_of(findings_of(plan), "Op 10"), "hazard")
        self.assertIsNone(worst_of(findings_of(plan), "Op 20"))
        self.assertEqual(worst_of(findings_of(plan), ""), "warning", "against the stock")

    def test_no_edit_of_the_demo_makes_a_rule_fall_over(self):
        """Rules must stand any job the model accepts: all orientations of either setup."""
        from ledgecliff.core.model.orientation import all_orientations

        for orientation in all_orientations()[::4]:
            for setup in (0, 1):
                job = changed((("setups", setup, "orientation"), orientation))
                self.assertIsInstance(findings_of(make_plan(job, models())), tuple)
