"""The worked examples of docs/methods: each is run as it stands there."""

from __future__ import annotations

import doctest
import re
import unittest
from pathlib import Path

METHODS = Path(__file__).parents[1] / "docs" / "methods"


class MethodsTest(unittest.TestCase):
    def test_every_example_comes_out_as_it_is_told(self):
        for path in sorted(METHODS.glob("*.md")):
            with self.subTest(path.name):
                told = []
                runner = doctest.DocTestRunner(verbose=False)
                text = path.read_text(encoding="utf-8")
                examples = doctest.DocTestParser().get_doctest(text, {}, path.name, str(path), 0)
                runner.run(examples, out=told.append)
                self.assertEqual("".join(told), "")

    def test_each_chapter_of_formulas_has_examples_and_is_listed(self):
        listed = (METHODS / "README.md").read_text(encoding="utf-8")
        for path in METHODS.glob("*.md"):
            if path.name == "README.md":
                continue
            self.assertIn(f"({path.name})", listed)
            if path.name != "order-of-sides.md":  # which weighs arguments and works out no numbers
                self.assertIn(">>> ", path.read_text(encoding="utf-8"), path.name)

    def test_what_the_code_cites_is_there(self):
        for path in (Path(__file__).parents[1] / "ledgecliff").rglob("*.py"):
            for name in re.findall(r"docs/methods/([\w-]+\.md)", path.read_text(encoding="utf-8")):
                self.assertTrue((METHODS / name).is_file(), f"{path.name} cites {name}")


if __name__ == "__main__":
    unittest.main()
