"""Sheets and first article on the command line."""

from __future__ import annotations

import json
import re
import shutil
from pathlib import Path

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.part import Tolerance
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_checksum, read_job, write_job
from ledgecliff.store.record_db import RecordDb
from tests.command_line.test_main import CommandTest, run


class SheetsTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.place, self.job = str(self.folder / "shop.db"), self.folder / "job.json"
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)
        job = set_value(read_job(demo_job("float-housing")), ("part", "features", 0, "tolerance"), Tolerance(size=0.02))
        write_job(job, self.job)
        RecordDb(Path(self.place)).close()

    def test_each_kind_and_whether_a_page_is_outdated(self):
        out = self.folder / "sheet.html"
        for kind, words in (("setup", "Hover check"), ("turn", "must not rock"), ("table", "right vise"),
                            ("tools", "8 mm end mill"), ("first-article", "21.980"), ("labels", "G55")):  # fmt: skip
            status, said, error = run("sheet", str(self.job), "--kind", kind, "-o", str(out), "--register", self.place)
            self.assertEqual((status, said.strip()), (0, str(out)), error)
            html = out.read_text(encoding="utf-8")
            self.assertIn(words, html)
            code = re.search(r'alt="(LEDGECLIFF [0-9A-F ]+)"', html)[1]
            self.assertEqual(run("sheet", str(self.job), "--compare", code)[0], 0)
        checksum = job_checksum(read_job(self.job))
        self.assertIn(checksum[:32].upper(), code)
        write_job(set_value(read_job(self.job), ("note",), "another"), self.job)
        status, said, _ = run("sheet", str(self.job), "--compare", code)
        self.assertEqual(status, 1)
        self.assertIn("outdated", said)

    def test_what_is_refused(self):
        for more, words in (
            (("-o", "sheet.txt"), "not .html or .pdf"), ((), "-o"), (("--kind", "poster"), "invalid choice"),
            (("-o", "a.pdf", "--setup", "Op 99"), "Op 99"), (("--compare", "abc"), "is none of a page's"),
            (("-o", "a.pdf", "--paper", "A3"), "invalid choice"), (("-o", "a.pdf", "--parts", "0"), "takes 1 to"),
        ):  # fmt: skip
            status, _, error = run("sheet", str(self.job), *more)
            self.assertNotEqual(status, 0)
            self.assertIn(words, error)

    def first(self, *more, status=0):
        found, out, error = run("first-article", str(self.job), "--register", self.place, "--json", *more)
        self.assertEqual(found, status, error)
        return {(each["feature"], each["what"]): each for each in json.loads(out)["lines"]} if out else error

    def test_first_article_in_and_out(self):
        bore = "main bore", "diameter"
        self.assertEqual(self.first()[bore]["verdict"], "")
        told = self.first("--set", "main bore/diameter=22.5", "--by", "Ada", "--with", "gauge", status=1)[bore]
        self.assertEqual((told["measured"], told["verdict"], told["by"], told["with"]), (22.5, "FAIL", "Ada", "gauge"))
        _, out, _ = run("check", str(self.job), "--register", self.place, "--json")
        self.assertIn("FIRST_ARTICLE_OUT", out)
        table = self.folder / "table.csv"
        table.write_text("feature,what,measured,with\nmain bore,diameter,22.01,table\n", encoding="utf-8")
        self.assertEqual(self.first("--in", str(table))[bore]["verdict"], "pass")
        _, out, _ = run("check", str(self.job), "--register", self.place, "--json")
        self.assertNotIn("FIRST_ARTICLE_OUT", out)
        written = self.folder / "out.csv"
        self.first("--csv", str(written), "--unit", "in")
        self.assertEqual(self.first("--in", str(written), "--part", "2", "--unit", "in")[bore]["measured"], 22.01)
        sheet = self.folder / "sheet.html"
        run(
            "sheet", str(self.job), "--kind", "first-article", "--part", "2", "-o", str(sheet), "--register", self.place
        )
        self.assertIn("Part 2: passes", sheet.read_text(encoding="utf-8"))

    def test_first_article_refuses(self):
        for more, words in (
            (("--set", "main bore/diameter"), "none of its lines"), (("--set", "x/y=1"), "none of its lines"),
            (("--set", "main bore/diameter=wide"), "wide"), (("--from-touches",), "no touch of a feature"),
            (("--in", str(self.folder / "no.csv")), "cannot be read"),
        ):  # fmt: skip
            status, _, error = run("first-article", str(self.job), "--register", self.place, *more)
            self.assertNotEqual(status, 0)
            self.assertIn(words, error)
        self.assertEqual(self.first()["main bore", "diameter"]["measured"], None, "nothing was kept")
