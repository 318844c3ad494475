"""Setup sheets: complete, escaped, self-contained, with the drawings of the stage."""

from __future__ import annotations

import re
import unittest
from typing import get_args
from xml.etree import ElementTree

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.stage import setup_views
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.edits.patterns import with_state
from ledgecliff.core.model.holding import Hold, OwnHold, PlateHold, VBlockHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.core.programs.released import released_files
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from ledgecliff.sheets.about import About
from ledgecliff.sheets.setup_sheet import sheet_html
from ledgecliff.sheets.svg import svg
from tests.core.rehearsal.test_rotary_axis import chuck_job
from tests.core.test_fence import board_plan
from tests.core.turns.test_both_sides import lid_with
from tests.helpers import demo_plan, plan_with, shipped_plan
from tests.jobs import bar_job, block_job, plan_of
from tests.jobs import setup as setup_of
from tests.own_fixture_models import NEST, models
from tests.turn_jobs import ring_plan


class SheetTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.html = sheet_html(demo_plan())

    def test_wcs_offsets_heights_steps_and_cautions(self):
        for words in (
            "stock centre", "main bore", "parallels", "G54", "G55", "−409.500", "+50.000", "−28.500", "38.000",
            "stock left side, +X", "01-op-10-probe.ngc", "02-op-20-hover.ngc", "75.000 mm block on the parallels",
            "about X, front to back", "face the hat off, T1 50 mm face mill",
            "Spindle stopped and locked out of rotation", "that person decides", "machine builder",
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, self.html)

    def test_cautions_stand_at_the_step_they_concern(self):
        probe = self.html.index("Probe with T30")
        self.assertLess(probe, self.html.index("locked out of rotation", probe))
        self.assertLess(self.html.index("locked out of rotation", probe), self.html.index("Hover check with", probe))

    def test_it_loads_nothing_from_outside(self):
        self.assertEqual(re.findall(r'(?:src|href)="|url\((?!data:)|@import|<script', self.html), [])
        self.assertEqual(re.findall(r"https?://(?!www\.w3\.org/2000/svg)", self.html), [])

    def test_no_text_of_a_job_becomes_html_or_style(self):
        evil = "</style><script>alert(1)</script>\"'}"
        plan = plan_with((("title",), evil), (("note",), evil), (("setups", 0, "side"), evil))
        html = sheet_html(plan)
        self.assertNotIn("<script", html)
        self.assertEqual(html.count("</style>"), self.html.count("</style>"))
        self.assertEqual(html.count("@page"), 1)

    def test_a_plan_with_a_hazard_says_so_first(self):
        html = sheet_html(plan_with((("setups", 0, "hold", "parallels_height"), 36.0)))
        self.assertIn("Not fit to run", html)
        self.assertNotIn("Not fit to run", self.html)

    def test_inches(self):
        html = sheet_html(demo_plan(), "in")
        self.assertIn("lengths in in", html)
        self.assertIn("+1.9685", html)
        self.assertNotIn("⟦", html)

    def test_the_same_plan_gives_the_same_bytes(self):
        self.assertEqual(sheet_html(demo_plan()), self.html)


class FenceTest(unittest.TestCase):
    def test_what_blanks_are_pushed_against(self):
        self.assertIn("pushed against the fence at its back, long", sheet_html(board_plan("back")))
        self.assertNotIn("pushed against the fence", sheet_html(board_plan(None, made=False)))


class InstancesTest(unittest.TestCase):
    def test_each_instance_with_its_box_offset_and_shift(self):
        plan = shipped_plan("rack-shoes")
        html = sheet_html(plan)
        first, second = html[html.index("10 instances") :], html[html.index("5 instances") :]
        self.assertIn("from the front</figcaption>", first[: first.index("<table>")])
        table = first[: first.index("</table>")]
        # Nine are run, each with a box; of the tenth it says why it is not.
        self.assertEqual(table.count('class="box"'), 9)
        self.assertIn("skipped: its clamp is away to be mended", table)
        # The back row lies one row pitch and its re-cut further back.
        for words in ("+296.000", "+118.200", "back row", "one offset, local shifts".capitalize()):
            self.assertIn(words, first[: first.index("<h3>", 10)])
        self.assertIn("An offset of its own each: 5 work offsets; every one probed", second)
        self.assertNotIn("instances</h3>", sheet_html(demo_plan()))
        inches = sheet_html(plan, "in")
        self.assertIn("+11.6535", inches)
        job = set_value(plan.job, ("setups", 0, "pattern", "over_groups"), ("bore pin bore",))
        swept = "in one sweep: <b>bore pin bore</b>"
        self.assertIn(swept, sheet_html(make_plan(job, plan.models)))
        self.assertNotIn(swept, html)

    def test_the_picture_is_the_table_s(self):
        plan = shipped_plan("rack-shoes")
        html = sheet_html(plan)
        views = table_views(plan, plan.job.machine, f"station-{plan.job.setups[1].station}")
        for view, high in zip(views, (340.0, 300.0), strict=True):
            self.assertTrue(svg(view, "mm", 660.0, high) in html, view.name)

    def test_names_are_escaped_and_a_missing_offset_is_shouted(self):
        plan = shipped_plan("rack-shoes")
        job = set_value(plan.job, ("setups", 1, "pattern", "codes"), ())
        job = with_state(job, 0, ["1-1"], "skipped", "<b>cracked</b>")
        html = sheet_html(make_plan(job, plan.models))
        self.assertIn("&lt;b&gt;cracked&lt;/b&gt;", html)
        self.assertEqual(html.count("NONE YET"), 4)


class FirstPageTest(unittest.TestCase):
    """What a sheet says of itself, and of all setups together."""

    def first_page(self, plan, **about):
        text = sheet_html(plan, about=About(**about))
        return text[: text.index("Eye and ear protection")]

    def test_date_name_and_state_are_said_and_escaped(self):
        page = self.first_page(demo_plan(), when="2026-11-28 07:30", who="<mara>", state="bracket.json, not saved")
        self.assertIn("2026-11-28 07:30 by &lt;mara&gt; · bracket.json, not saved", page)

    def test_whether_it_was_rehearsed_and_how_it_went(self):
        plan = demo_plan()
        written = written_plan(plan)
        self.assertIn("Not rehearsed", self.first_page(plan))
        once = self.first_page(plan, rehearsal=rehearse(written, drawn_world(written, 1)))
        self.assertNotIn("Not rehearsed", once)
        many = self.first_page(plan, worlds=rehearse_in_worlds(written, range(1, 3)))
        self.assertIn("2 trials", many)
        self.assertNotIn("Not fit to run", once + many)
        strict = rehearse(written, drawn_world(written, 1), limit=1e-6)
        self.assertIn("Not fit to run", self.first_page(plan, rehearsal=strict))

    def test_every_tool_with_its_length_and_the_setups_that_call_it(self):
        plan = demo_plan()
        page = self.first_page(plan)
        called = {step.tool for setup in plan.job.setups for step in setup.operations}
        called |= {setup.hover.tool for setup in plan.job.setups}
        for cutter in plan.job.machines[0].cutters:
            row = re.search(
                rf'<td class="k">T{cutter.tool}</td><td>{cutter.name}</td><td class="n">([\d.]+)</td>', page
            )
            with self.subTest(cutter.name):
                self.assertEqual(row is not None, cutter.tool in called)
                if row is not None:
                    self.assertEqual(float(row.group(1)), cutter.tip_length)
        probe = plan.job.machines[0].probe
        row = f'<td class="k">T{probe.tool}</td><td>probe</td><td class="n">{probe.length:.3f}</td>'
        self.assertTrue(row in page)

    def test_a_job_read_anew_has_its_tools_too(self):
        """Setups that were planned before come from what is kept, with an equal machine that is another object."""
        before = demo_plan()
        job = Job.model_validate(before.job.model_dump())
        plan = make_plan(job, before.models)
        self.assertFalse(any(setup.machine is plan.job.machines[0] for setup in plan.setups))
        self.assertEqual(self.first_page(plan), self.first_page(before))

    def test_programs_are_called_as_the_machine_calls_them(self):
        """As they are written, whatever the machine's pattern of names is."""
        own = OutputProfile(
            name="ours", text=shipped_profile("parameter style").text, files="p{nn}{kk}-{what}", suffix=".tap"
        )
        plan = plan_with((("machines", 0, "profiles"), (own,)), (("machines", 0, "profile"), "ours"))
        text = sheet_html(plan)
        for name in released_files(plan):
            self.assertTrue(name in text, name)
        self.assertTrue("program p0101-probe.tap)" in text)
        self.assertFalse(".ngc" in text)


class EveryHoldTest(unittest.TestCase):
    def test_what_axes_carry_has_its_sheet(self):
        """At which index, held as before, where the model stands, and how it gets there; of every demo that turns."""
        for name in ("sluice-valve-block", "gland-spindle", "hinge-leaves"):
            page = sheet_html(shipped_plan(name))
            self.assertIn("stands at", page)
            if name == "sluice-valve-block":
                for words in (
                    "A (cradle) stands at 90°", "C (turntable) stands at 270°", "and not taken out", "−35.240",
                    "model from the centre of rotation, Y", "let the axes go to A90 C90",
                    "of G55: worked out from the setup before",
                ):  # fmt: skip
                    self.assertIn(words, page)

    def test_a_face_and_a_horizontal_machine(self):
        plan = shipped_plan("hinge-leaves")
        job = set_value(plan.job, ("machines", 0, "carriers", 2, "tilt_x_deg"), 0.015)
        html = sheet_html(make_plan(job, plan.models))
        for words in ("stands on face at B0, from the axis", "150.000", "out of square by +0.0150° about its X",
                      "<figcaption>Along the spindle</figcaption>", "<figcaption>From above"):  # fmt: skip
            self.assertIn(words, html)
        self.assertIn("leaning 0.0150°", html)
        self.assertFalse("turned -90° about Y" in html or "turned 90° about Y" in html)

    def test_each_kind_of_hold_has_its_sheet(self):
        """Vise, board and jig by the examples; all others by jobs of their own."""
        plans = [
            demo_plan(),
            ring_plan("on-pins"),
            lid_with(),
            plan_of(block_job(setup_of(hold=PlateHold()))),
            plan_of(bar_job(setup_of(hold=VBlockHold(strap=20.0)))),
            make_plan(block_job(setup_of(hold=OwnHold()), fixtures=(NEST,)), models()),
            plan_of(chuck_job()),
        ]
        kinds = {setup_plan.setup.hold.by for plan in plans for setup_plan in plan.setups}
        all_kinds = {get_args(hold.model_fields["by"].annotation)[0] for hold in get_args(get_args(Hold)[0])}
        self.assertEqual(kinds, all_kinds)
        for plan in plans:
            self.assertIn("Holding", sheet_html(plan))
        nest = sheet_html(plans[-2])
        for words in ("pushed against left pad", "pushed against front pad", "toe moves to the stock by", "50.000"):
            self.assertIn(words, nest)
        self.assertIn("in the chuck's jaws, deep", sheet_html(plans[-1]).replace("&#39;", "'"))


class TurnPageTest(unittest.TestCase):
    def test_pins_seats_check_and_cautions(self):
        text = sheet_html(ring_plan("on-pins"))
        page = text[text.index("Turn to Op 20") :]
        for words in (
            "registered by dowel pins", "−144.000", "10.040", "It goes in: as intended, not turned.",
            "01-op-10-pins-blank.ngc", "Turn check: touch the top at X −144.000 Y +0.000",
            "(turned end for end, not turned and end for end)",
            "6 tabs in Op 20 keep 120 mm²", "Try on scrap first: bore one hole of each size",
            "locked out of rotation with probe or indicator fitted", "the zero of the setup before, left alone",
        ):  # fmt: skip
            self.assertIn(words, page)

    def test_the_jig_says_how_deep_the_part_sinks(self):
        self.assertIn("The part sinks 7.800 into the second pocket", sheet_html(lid_with()))

    def test_both_sides_of_the_demo_have_a_page_too(self):
        text = sheet_html(demo_plan())
        self.assertIn("registered by probed feature", text)
        self.assertNotIn("on scrap", text)
        self.assertIn("it must read Z +32.500", text)


class SvgTest(unittest.TestCase):
    def test_every_view_is_well_formed_and_inside_its_frame(self):
        for setup in demo_plan().setups:
            for lens in ("hold", "datum", "probe"):
                for drawing in setup_views(setup, lens):
                    root = ElementTree.fromstring(svg(drawing, "mm", 660, 260))
                    width, height = float(root.get("width")), float(root.get("height"))
                    self.assertLessEqual((width, height), (660, 261))
                    for path in root.iter("{http://www.w3.org/2000/svg}path"):
                        for x, y in re.findall(r"[ML](-?[\d.]+) (-?[\d.]+)", path.get("d")):
                            self.assertTrue(0 <= float(x) <= width and 0 <= float(y) <= height)

    def test_scale_is_the_same_in_both_directions(self):
        """The stock of Op 10 is 100 x 68: so must its lines be."""
        plan, _ = setup_views(demo_plan().setups[0], "rehearse")
        root = ElementTree.fromstring(svg(plan, "mm", 660, 260))
        path = next(p for p in root.iter("{http://www.w3.org/2000/svg}path") if p.get("class") == "line visible")
        points = [(float(x), float(y)) for x, y in re.findall(r"(-?[\d.]+) (-?[\d.]+)", path.get("d"))]
        xs, ys = zip(*points, strict=True)
        self.assertAlmostEqual((max(xs) - min(xs)) / (max(ys) - min(ys)), 100 / 68, places=2)
