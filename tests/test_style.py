"""The tree's own rules: linter, formatter, types in the core, direction of imports."""

from __future__ import annotations

import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]


def run(*command: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([sys.executable, *command], cwd=ROOT, capture_output=True, text=True, check=False)


class StyleTest(unittest.TestCase):
    def test_linter_is_content(self):
        done = run("-m", "ruff", "check", ".")
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_format_is_the_formatters(self):
        done = run("-m", "ruff", "format", "--check", ".")
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_core_types_hold(self):
        done = run("-m", "mypy")
        self.assertEqual(done.returncode, 0, done.stdout)


class ImportDirectionTest(unittest.TestCase):
    def test_core_and_store_know_no_window(self):
        """Every module of core and store imports in a fresh interpreter without Qt."""
        modules = [
            ".".join(path.relative_to(ROOT).with_suffix("").parts).removesuffix(".__init__")
            for folder in ("core", "store")
            for path in (ROOT / "ledgecliff" / folder).rglob("*.py")
            # These need the CAD kernel, which takes seconds; the worker's process imports them.
            if path.name not in ("kernel.py", "kernel_mesh.py", "kernel_surfaces.py", "kernel_worker.py")
        ]
        code = (
            "import importlib, sys\n"
            f"for name in {modules!r}: importlib.import_module(name)\n"
            "bad = [name for name in sys.modules if name.startswith(('PySide6', 'OCP', 'vtk'))]\n"
            "sys.exit(f'imported: {bad}' if bad else 0)"
        )
        done = run("-c", code)
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_core_reads_no_clock_and_no_files(self):
        """``core`` is given what it needs; it opens nothing and asks no time."""
        banned = ("import time", "import datetime", "from datetime", "open(", "import os", "from pathlib import Path\n")
        for path in (ROOT / "ledgecliff" / "core").rglob("*.py"):
            text = path.read_text(encoding="utf-8")
            with self.subTest(path=path.name):
                self.assertEqual([word for word in banned if word in text], [])
