"""The tree's own rules: linter, formatter, types, dead code, direction of imports."""

from __future__ import annotations

import ast
import subprocess
import sys
import tempfile
import unittest
from collections import Counter
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

    def test_types_hold(self):
        done = run("-m", "mypy")
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_nothing_is_dead(self):
        done = run("-m", "vulture")
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_dead_code_would_be_named(self):
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "forgotten.py").write_text("def nobody_calls_this():\n    return 1\n", encoding="utf-8")
            done = run("-m", "vulture", str(Path(folder) / "forgotten.py"))
        self.assertIn("unused function 'nobody_calls_this'", done.stdout)


def given_twice(text: str) -> list[str]:
    """Names of a module that it gives more than one value: whoever reads the first is wrong about it."""
    given: Counter[str] = Counter()
    for statement in ast.parse(text).body:
        targets = statement.targets if isinstance(statement, ast.Assign) else [getattr(statement, "target", None)]
        for target in targets:
            names = target.elts if isinstance(target, ast.Tuple) else [target]
            given.update(name.id for name in names if isinstance(name, ast.Name))
    return [name for name, times in given.items() if times > 1]


class NamesTest(unittest.TestCase):
    def test_no_constant_is_given_twice(self):
        found = {str(path): given_twice(path.read_text(encoding="utf-8")) for path in ROOT.glob("ledgecliff/**/*.py")}
        self.assertEqual({path: names for path, names in found.items() if names}, {})

    def test_one_given_twice_would_be_named(self):
        self.assertEqual(given_twice("_A = 1\n_B: int = 2\n_C, _A = 3, 4\n"), ["_A"])


class ImportDirectionTest(unittest.TestCase):
    def _lint_imports(self, *config: str) -> subprocess.CompletedProcess[str]:
        code = "from importlinter.cli import lint_imports_command; lint_imports_command()"
        return run("-c", code, "--no-cache", *config)

    def test_layers_hold(self):
        done = self._lint_imports()
        self.assertEqual(done.returncode, 0, done.stdout)

    def test_an_import_of_a_higher_layer_is_named(self):
        """The same contract with two of its lines exchanged: findings would then be below the plan they judge."""
        config = (ROOT / "pyproject.toml").read_text(encoding="utf-8")
        config = config.replace('    "findings",\n', "").replace('    "plan",\n', '    "plan",\n    "findings",\n')
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "pyproject.toml").write_text(config, encoding="utf-8")
            done = self._lint_imports("--config", str(Path(folder) / "pyproject.toml"))
        self.assertNotEqual(done.returncode, 0)
        self.assertIn("ledgecliff.core.findings.rules -> ledgecliff.core.plan", done.stdout)

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
