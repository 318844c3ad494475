"""``./run mutate [MODULE…]``: small errors put into the core one at a time, and how many of them the tests see.

Each error is one operator, comparison, sign or number changed in a copy of the tree; a module's own tests then run on
it and must fail.  Which errors are drawn depends on the module's text alone, so a score can be had again.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from importlib.util import cache_from_source
from pathlib import Path

TOP = Path(__file__).parents[1]
#: By the name that is asked for: the file under ``ledgecliff/core``, and the tests that must see an error in it.
MODULES: dict[str, tuple[str, tuple[str, ...]]] = {
    "datums": ("datums.py", ("tests.core.test_datums", "tests.core.test_locating")),
    "frames": ("frames.py", ("tests.core.test_frames",)),
    "places": ("places.py", ("tests.core.test_places", "tests.core.simulator.test_axes", "tests.core.test_locating")),
    "evaluation": ("probing/evaluation.py", ("tests.core.probing.test_evaluation",)),
    "seats": ("registration/seats.py", ("tests.core.registration.test_seats",)),
    "readings": ("touchoff/hand_tape.py", ("tests.core.touchoff.test_hand_tape", "tests.core.touchoff.test_draft")),
    "slips": ("touchoff/slips.py", ("tests.core.touchoff.test_slips", "tests.core.touchoff.test_doubts")),
    "machine": (
        "simulator/machine.py",
        (
            "tests.core.simulator.test_machine",
            "tests.core.simulator.test_interpreter",
            "tests.core.simulator.test_axes",
        ),
    ),
    "axes": ("simulator/axes.py", ("tests.core.simulator.test_axes",)),
    "cuts": ("cutting/cuts.py", ("tests.core.cutting", "tests.core.in_process")),
    "vises": ("holding/vises.py", ("tests.core.holding",)),
    "allocation": ("register/allocation.py", ("tests.core.register",)),
    "tipping": ("rehearsal/tipping.py", ("tests.core.rehearsal.test_true_world",)),
    "scatter": ("scatter.py", ("tests.core.test_scatter",)),
    "layout": ("drawing/layout.py", ("tests.core.drawing.test_layout",)),
    "figures": ("record/figures.py", ("tests.core.record.test_figures",)),
    "drift": ("record/drift.py", ("tests.core.record",)),
    "first_article": ("first_article/lines.py", ("tests.core.first_article",)),
    "measured": ("first_article/measured.py", ("tests.core.first_article",)),
    "planned_with": ("library/planned_with.py", ("tests.core.library",)),
    "resting": ("release/resting.py", ("tests.core.release", "tests.core.findings.test_released_findings")),
    "seals": ("release/seals.py", ("tests.core.release",)),
    "checks": ("checklist/checks.py", ("tests.core.checklist",)),
    "walk": ("checklist/walk.py", ("tests.core.checklist",)),
}
_OTHER: dict[type, type] = {
    ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult, ast.Lt: ast.GtE, ast.Gt: ast.LtE,
    ast.LtE: ast.Gt, ast.GtE: ast.Lt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In,
    ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip
#: Smaller numbers say what counts as nought, and a half more or less of that is no error.
_NOUGHT = 1e-3
#: With bytecode kept, or each run would compile the whole program.
_ENV = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
#: A test run that takes this long hangs (s), which is seen as well.
_PATIENCE_S = 240.0


@dataclass(frozen=True)
class Mutant:
    line: int
    before: str
    after: str
    text: str


def mutants(source: str) -> Iterator[Mutant]:
    """Every error that can be put into a module's text."""
    for k in range(sum(1 for _ in _sites(ast.parse(source)))):
        tree = ast.parse(source)
        node = list(_sites(tree))[k]
        before = ast.unparse(node)
        _change(node)
        yield Mutant(node.lineno, before, ast.unparse(node), ast.unparse(tree))


def _sites(tree: ast.AST) -> Iterator[ast.expr]:
    for node in ast.walk(tree):
        match node:
            case ast.BinOp() | ast.BoolOp():
                here = type(node.op) in _OTHER
            case ast.Compare():
                here = type(node.ops[0]) in _OTHER
            case ast.UnaryOp():
                here = isinstance(node.op, ast.USub | ast.Not)
            case ast.Constant():
                here = type(node.value) is float and abs(node.value) > _NOUGHT
            case _:
                here = False
        if here:
            yield node


def _change(node: ast.expr) -> None:
    match node:
        case ast.BinOp() | ast.BoolOp():
            node.op = _OTHER[type(node.op)]()
        case ast.Compare():
            node.ops[0] = _OTHER[type(node.ops[0])]()
        case ast.UnaryOp():
            node.op = ast.UAdd() if isinstance(node.op, ast.USub) else ast.Not()
            if isinstance(node.op, ast.Not):
                node.operand = ast.UnaryOp(ast.Not(), node.operand)
        case ast.Constant():
            node.value *= 1.5


def _seen(tree: Path, file: str, text: str, tests: tuple[str, ...], patience: float | None) -> bool:
    path = tree / "ledgecliff" / "core" / file
    path.write_text(text, encoding="utf-8")
    # Bytecode is told from another by time and size, which may both be those of the error before.
    Path(cache_from_source(str(path))).unlink(missing_ok=True)
    command = [sys.executable, "-m", "unittest", "-f", *tests]
    try:
        done = subprocess.run(command, cwd=tree, env=_ENV, capture_output=True, timeout=patience, check=False)
    except subprocess.TimeoutExpired:
        return True
    return done.returncode != 0


def _modules(tests: tuple[str, ...]) -> tuple[str, ...]:
    """Packages as the test modules in them: unittest finds none in a package that is only named."""
    found: list[str] = []
    for name in tests:
        folder = TOP.joinpath(*name.split("."))
        found += [f"{name}.{path.stem}" for path in sorted(folder.glob("test_*.py"))] if folder.is_dir() else [name]
    return tuple(found)


def score(name: str, most: int, workers: int) -> tuple[int, int]:
    """How many of a module's errors were seen, of how many; prints those that were not."""
    file, tests = MODULES[name][0], _modules(MODULES[name][1])
    source = (TOP / "ledgecliff" / "core" / file).read_text(encoding="utf-8")
    drawn = list(mutants(source))
    random.Random(source).shuffle(drawn)
    drawn = drawn[:most]
    with tempfile.TemporaryDirectory(prefix="ledgecliff-mutants-") as folder:
        trees = [Path(folder) / str(k) for k in range(workers)]
        for tree in trees:
            for part in ("ledgecliff", "tests"):
                shutil.copytree(TOP / part, tree / part, ignore=shutil.ignore_patterns("__pycache__"))
            (tree / "docs").symlink_to(TOP / "docs")
        command = [sys.executable, "-m", "unittest", "-f", *tests]
        clean = subprocess.run(command, cwd=trees[0], env=_ENV, capture_output=True, text=True, check=False)
        if clean.returncode or "Ran 0 tests" in clean.stderr:
            raise SystemExit(f"{name}: its tests fail without any error put in, or there are none; mend that first")
        with ThreadPoolExecutor(workers) as pool:
            free = list(trees)

            def run(mutant: Mutant) -> bool:
                tree = free.pop()
                try:
                    return _seen(tree, file, mutant.text, tests, _PATIENCE_S)
                finally:
                    (tree / "ledgecliff" / "core" / file).write_text(source, encoding="utf-8")
                    free.append(tree)

            results = list(pool.map(run, drawn))
    for mutant, seen in zip(drawn, results, strict=True):
        if not seen:
            print(f"  not seen: {file}:{mutant.line}: {mutant.before}  ->  {mutant.after}", flush=True)
    return sum(results), len(results)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./run mutate")
    parser.add_argument("modules", nargs="*", metavar="MODULE", help=f"of {', '.join(MODULES)}; all without")
    parser.add_argument("--most", type=int, default=60, metavar="N", help="errors drawn for each module")
    options = parser.parse_args()
    if strange := [name for name in options.modules if name not in MODULES]:
        parser.error(f"no module {strange[0]}; there are {', '.join(MODULES)}")
    rows = []
    for name in options.modules or MODULES:
        seen, of = score(name, options.most, os.cpu_count() or 1)
        rows.append(f"{name:12} {seen:4} of {of:4} seen  {100.0 * seen / max(of, 1):5.1f} %")
        print(rows[-1], flush=True)


if __name__ == "__main__":
    main()
