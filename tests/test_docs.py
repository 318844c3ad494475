"""What the documents say is there: every code has its line and its test, and nothing is told that is no more."""

from __future__ import annotations

import ast
import re
import unittest
from functools import cache
from pathlib import Path

from ledgecliff import __version__

ROOT = Path(__file__).parents[1]
_CODE = re.compile(r"[A-Z][A-Z0-9]+(?:_[A-Z0-9]+)+")


@cache
def codes():
    """Every code of a finding, a difference or a problem that the program can give."""
    found = set()
    for path in (ROOT / "ledgecliff").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and _CODE.fullmatch(node.value):
                found.add(node.value)
    return {code for code in found if not code.startswith("LEDGECLIFF_")}


class CodesTest(unittest.TestCase):
    docs = "\n".join(path.read_text(encoding="utf-8") for path in (ROOT / "docs").glob("*.md"))

    def test_every_code_has_a_line(self):
        self.assertGreater(len(codes()), 100)
        self.assertEqual([code for code in sorted(codes()) if f"`{code}`" not in self.docs], [])

    def test_every_code_has_a_test(self):
        tests = "\n".join(
            path.read_text(encoding="utf-8") for path in (ROOT / "tests").rglob("*.py") if path != Path(__file__)
        )
        self.assertEqual([code for code in sorted(codes()) if code not in tests], [])

    def test_no_line_is_about_a_code_that_is_no_more(self):
        told = {code for code in re.findall(rf"`({_CODE.pattern})`", self.docs) if not code.startswith("LEDGECLIFF_")}
        self.assertEqual(sorted(told - codes()), [])


class DocumentsTest(unittest.TestCase):
    def test_links_lead_somewhere(self):
        for path in (ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")):
            for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", path.read_text(encoding="utf-8")):
                with self.subTest(path=path.name, link=link):
                    self.assertTrue((path.parent / link).exists())

    def test_the_changelog_begins_with_this_version(self):
        text = (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")
        self.assertEqual(re.search(r"^## (\S+)", text, re.MULTILINE)[1], __version__)

    def test_a_throw_away_profile_leaves_everything_of_the_user_alone(self):
        """Every kind of folder that the program asks for is put elsewhere by the contributor's line."""
        text = "".join(path.read_text(encoding="utf-8") for path in (ROOT / "ledgecliff").rglob("*.py"))
        line = (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")
        asked = set(re.findall(r"platformdirs\.user_(\w+)_dir", text)) - {"cache"}
        self.assertLessEqual({"config", "state", "data"}, asked)
        for kind in asked:
            self.assertIn(f"XDG_{kind.upper()}_HOME=", line)
        self.assertIn("LEDGECLIFF_REGISTER= ", line)
