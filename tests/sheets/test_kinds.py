"""Every kind of sheet of every demo job: complete, escaped, marked on each page; and outdated pages are noticed."""

from __future__ import annotations

import re
import unittest

from weasyprint import HTML

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.first_article.lines import lines_of
from ledgecliff.core.first_article.measured import Judged
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.plan import make_plan
from ledgecliff.sheets.about import About
from ledgecliff.sheets.contents import contents
from ledgecliff.sheets.kinds import kind_html
from ledgecliff.sheets.marked import PageMark, differs
from ledgecliff.sheets.page import print_page
from ledgecliff.sheets.wanted import SHEET_KINDS, Wanted
from tests.helpers import demo_plan, plan_with, shipped_plan

MARK = PageMark("0123456789abcdef", "a1b2c3d4e5f6" + "0" * 52)


class KindsTest(unittest.TestCase):
    def test_of_several_jobs_in_either_unit(self):
        for name in ("float-housing", "dial-ring-on-pins", "gland-spindle", "rack-shoes"):
            plan = shipped_plan(name)
            for kind in SHEET_KINDS:
                for unit in ("mm", "in"):
                    with self.subTest(name, kind=kind, unit=unit):
                        html = kind_html(kind, plan, unit, about=About(checksum=MARK.checksum))
                        self.assertNotRegex(html, "⟦|⟧|Undefined|None<")
                        self.assertEqual(
                            re.findall(r'(?:src|href)="(?!data:)|url\((?!"?data:)|@import|<script', html), []
                        )
                        self.assertIn("that person decides", html)
                        self.assertIn("a1b2 c3d4 e5f6", html)

    def test_no_text_of_a_job_becomes_html(self):
        plan = plan_with((("title",), 'A<b>"x"'), (("setups", 0, "name"), "<i>&"), (("note",), "<script>"),
                         (("part", "features", 8, "name"), "<u>"))  # fmt: skip
        for kind in SHEET_KINDS:
            html = kind_html(kind, plan, about=About(who="<em>", checksum=MARK.checksum))
            self.assertEqual(re.findall('<b>"|<i>&|<script|<u>|<em>', html), [], kind)

    def test_only_the_setups_that_are_wanted(self):
        plan = demo_plan()
        for kind, first, second in (
            ("setup", "01-op-10-probe.ngc", "02-op-20-probe.ngc"), ("table", "<b>G54</b>", "<b>G55</b>"),
            ("labels", "G54", "G55"), ("tools", "8 mm end mill", "6 mm chamfer mill"),
        ):  # fmt: skip
            html = kind_html(kind, plan, wanted=Wanted([0]))
            body = html[html.index("<body>") :]
            self.assertIn(first, body, kind)
            self.assertNotIn(second, body, kind)
        self.assertIn("Nothing is turned over", kind_html("turn", plan, wanted=Wanted([0])))

    def test_labels_have_each_offset_once_with_every_setup_in_it(self):
        plan = plan_with((("setups", 1, "offset"), "G54"))
        rows = re.findall(r'class="code">([^<]*)<', kind_html("labels", plan))
        self.assertEqual(rows, ["G54"])
        self.assertEqual(len(re.findall(r'class="code">', kind_html("labels", demo_plan()))), 2)

    def test_first_article_says_whether_it_passes(self):
        job = set_value(demo_plan().job, ("part", "features", 0, "tolerance"), Tolerance(size=0.02))
        plan = make_plan(job, demo_plan().models)
        line = lines_of(job)[0]
        for value, words in ((None, "1 of 1 lines with a tolerance are not measured yet"), (22.0, "Part 7: passes"),
                             (22.5, "FAILS: 1 of 1 lines are out")):  # fmt: skip
            wanted = Wanted((), [Judged(line, value)], "7", 12, 5)
            html = kind_html("first-article", plan, wanted=wanted)
            self.assertIn(words, html)
            self.assertEqual(re.findall(r"<th>part (\d+)</th>", html), ["6", "11", "12"])

    def test_paper_and_the_mark_on_each_page(self):
        about = About(checksum=MARK.checksum, paper="letter")
        html = kind_html("turn", demo_plan(), about=about)
        self.assertIn("size: letter", html)
        self.assertIn("size: A4", kind_html("turn", demo_plan()))
        foot = html[html.index("@page") : html.index("* { box-sizing")]
        self.assertIn(PageMark(demo_plan().job.id, MARK.checksum).picture, foot)
        self.assertEqual(print_page(html)[:5], b"%PDF-")
        pages = HTML(string=html).render().pages
        self.assertEqual({(page.width, page.height) for page in pages}, {(8.5 * 96, 11 * 96)})

    def test_what_is_looked_at_before_is_what_is_written(self):
        plan = demo_plan()
        for kind in SHEET_KINDS:
            shown, html = contents(kind, plan, "mm"), kind_html(kind, plan)
            self.assertTrue(shown.rows, kind)
            for row in shown.rows:
                self.assertEqual(len(row), len(shown.columns), kind)
                words = row[2] if kind in ("setup", "turn") else row[0]
                self.assertIn(words, html.replace("&#39;", "'"), kind)


class MarkTest(unittest.TestCase):
    def test_same_and_outdated(self):
        changed = PageMark(MARK.job, "b" + MARK.checksum[1:])
        for code in (MARK.code, MARK.code.lower(), MARK.words, MARK.words.replace(" ", "")):
            self.assertEqual(differs(code, MARK), "")
            self.assertIn("outdated", differs(code, changed))
        self.assertIn("another job", differs(PageMark("ff" * 8, MARK.checksum).code, MARK))

    def test_a_short_or_strange_code_tells_nothing(self):
        for code in ("", "a1b2", "LEDGECLIFF", f"LEDGECLIFF {MARK.job}", "zzzz zzzz zzzz", "x" * 500):
            with self.assertRaises(InvalidValueError):
                differs(code, MARK)
        self.assertIn("outdated", differs(f"LEDGECLIFF {MARK.job} A1", MARK), "a beginning of it is not it")


if __name__ == "__main__":
    unittest.main()
