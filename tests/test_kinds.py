"""Sums of kinds are closed: a kind that is not handled everywhere fails the type check.  It is tried, not believed."""

from __future__ import annotations

import importlib
import pkgutil
import re
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Literal, get_args, get_origin

import ledgecliff
from tests.draws import ALL

TOP = Path(__file__).parents[1]
#: A kind more, where it is put, and modules that must not pass the check without it.
TRIED = {
    "a cycle": (
        "core/model/cycles.py", '    "consistency",\n]', '    "consistency",\n    "groove",\n]',
        ("core/probing/steps.py", "core/probing/results.py", "core/programs/cycle_actions.py"),
    ),
    "a way to turn": (
        "core/turns/turn_plan.py", '"two-pocket jig"]\nWAYS', '"two-pocket jig", "magnet"]\nWAYS',
        ("core/turns/turn_plan.py", "core/turns/offers.py", "core/edits/turns.py"),
    ),
    "a source of a zero": (
        "core/model/setup.py", '    "rotary axis",\n', '    "rotary axis",\n    "magnet",\n',
        ("core/datums.py", "core/turns/surface_words.py", "core/rehearsal/true_offset.py"),
    ),
    "a lens": (
        "core/lenses.py", '    "release",\n]', '    "release",\n    "magnet",\n]',
        ("core/drawing/stage.py", "core/tape/scenes.py"),
    ),
    "a scatter": ("core/scatter.py", '"even", "disc"]', '"even", "disc", "saw cut"]', ("core/scatter.py",)),
}  # fmt: skip

#: Kinds that a table leaves out on purpose.
PARTIAL = {
    "core.edits.cycles._GROUPS": {"feature"},
    "core.feature_list._ENDS": {"pocket", "face", "web", "chamfer", "edge break"},
    "core.tape.scenes._OF_COORDINATES": {"setup"},
}


class KindsTest(unittest.TestCase):
    @unittest.skipUnless(ALL, "takes a whole type check; LEDGECLIFF_ALL_DRAWS=1 does it")
    def test_a_new_kind_that_is_not_handled_fails_the_type_check(self):
        """All of them at once: one check takes long enough."""
        with tempfile.TemporaryDirectory() as folder:
            tree = Path(folder)
            shutil.copytree(TOP / "ledgecliff", tree / "ledgecliff", ignore=shutil.ignore_patterns("__pycache__"))
            shutil.copy(TOP / "pyproject.toml", tree)
            for what, (file, before, after, _) in TRIED.items():
                path = tree / "ledgecliff" / file
                text = path.read_text(encoding="utf-8")
                self.assertEqual(text.count(before), 1, what)
                path.write_text(text.replace(before, after), encoding="utf-8")
            command = [sys.executable, "-m", "mypy", "--cache-dir", str(tree / "cache")]
            done = subprocess.run(command, cwd=tree, capture_output=True, text=True, check=False)
        for what, (_, _, _, files) in TRIED.items():
            for file in files:
                with self.subTest(what, file=file):
                    self.assertRegex(done.stdout, rf"ledgecliff/{file}:\d+: error: .*(assert_never|Missing return)")

    def test_every_table_by_kind_has_a_row_for_each(self):
        """Tables of the program whose keys are a kind (a ``Literal``), found by their annotation."""
        found = set()
        for module in modules():
            for name, annotation in getattr(module, "__annotations__", {}).items():
                named = re.match(r"dict\[(\w+), ", str(annotation))
                kind = getattr(module, named[1], None) if named else None
                if get_origin(kind) is Literal:
                    where = f"{module.__name__.removeprefix('ledgecliff.')}.{name}"
                    found.add(where)
                    missing = set(get_args(kind)) - set(getattr(module, name))
                    self.assertEqual(missing, PARTIAL.get(where, set()), where)
        self.assertLessEqual({"core.model.cycles.BODIES", "core.touchoff.draft.ASKED", *PARTIAL}, found)


def modules():
    """All of the program but what is run as a process of its own."""
    for each in pkgutil.walk_packages(ledgecliff.__path__, "ledgecliff."):
        if not each.name.endswith(("kernel_worker", "__main__")):
            yield importlib.import_module(each.name)


if __name__ == "__main__":
    unittest.main()
