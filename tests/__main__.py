"""``python -m tests [NAME…] [--slowest N]``: all tests, then one line ``N passed, N failed`` (and skipped).

Without a name the core's tests run in a process of their own beside all others: on two cores both are done in the time
of the longer one.

Settings, state and cache go to a folder that is thrown away, so that tests never meet the user's
own; it is set before anything of the program is imported.
"""

from __future__ import annotations

import argparse
import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

TOP = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def _tests(loader: unittest.TestLoader, name: str) -> unittest.TestSuite:
    """All tests of a package, or of whatever else is named."""
    folder = os.path.join(TOP, *name.split("."))
    if os.path.isdir(folder):
        return loader.discover(folder, top_level_dir=TOP)
    return loader.loadTestsFromName(name)


def _without_deadlines() -> None:
    """How long an example takes says nothing about whether it is right."""
    from hypothesis import HealthCheck, settings

    # Nor how long it takes to draw them, which on a fresh machine begins with tables that are made once.
    settings.register_profile("ledgecliff", deadline=None, suppress_health_check=[HealthCheck.too_slow])
    settings.load_profile("ledgecliff")


#: Tests of what stands round the core, with as much of the core's own that either process takes about as long.
ROUND_IT = ("tests.app", "tests.command_line", "tests.sheets", "tests.store", "tests.core.sides")


def _all_others(within: str = "tests") -> list[str]:
    """Every package and module of tests but those."""
    folder = Path(TOP).joinpath(*within.split("."))
    packages = [path.name for path in sorted(folder.iterdir()) if (path / "__init__.py").is_file()]
    modules = [path.stem for path in sorted(folder.glob("test_*.py"))]
    names: list[str] = []
    for name in (f"{within}.{each}" for each in (*packages, *modules)):
        if any(other.startswith(f"{name}.") for other in ROUND_IT):
            names += _all_others(name)
        elif name not in ROUND_IT:
            names.append(name)
    return names


class _Timed(unittest.TextTestResult):
    """Keeps how long each test took, and each class and module to be set up for its first one."""

    def __init__(self, *given: object, **named: object) -> None:
        super().__init__(*given, **named)  # type: ignore[arg-type]
        self.took: dict[str, float] = {}
        self._since = time.perf_counter()

    def stopTest(self, test: unittest.TestCase) -> None:
        now = time.perf_counter()
        self.took[test.id()], self._since = now - self._since, now
        super().stopTest(test)


def _run(names: list[str], slowest: int = 0) -> tuple[int, int, int]:
    """How many passed, failed and were skipped."""
    with tempfile.TemporaryDirectory(prefix="ledgecliff-tests-") as folder:
        for kind in ("CONFIG", "STATE", "CACHE", "DATA"):
            os.environ[f"XDG_{kind}_HOME"] = os.path.join(folder, kind.lower())
        _without_deadlines()
        loader = unittest.TestLoader()
        suite = unittest.TestSuite(_tests(loader, name) for name in names)
        result = unittest.TextTestRunner(verbosity=1, buffer=False, resultclass=_Timed).run(suite)
    for test, seconds in sorted(result.took.items(), key=lambda pair: -pair[1])[:slowest]:
        print(f"{seconds:8.2f} s  {test}", file=sys.stderr)
    failed = {test.id().split(" (")[0] for test, _ in (*result.failures, *result.errors)}
    failed |= {test.id() for test in result.unexpectedSuccesses}
    skipped = len(result.skipped)
    if result.testsRun == 0:
        failed.add("no test was found")
    return max(result.testsRun - len(failed) - skipped, 0), len(failed), skipped


def _beside(slowest: int) -> tuple[int, int, int]:
    """All tests in two processes.  One that falls over counts as failed."""
    command = [sys.executable, "-m", "tests", *ROUND_IT, "--slowest", str(slowest)]
    with (
        tempfile.TemporaryFile("w+", encoding="utf-8") as said,
        subprocess.Popen(command, cwd=TOP, stdout=subprocess.PIPE, stderr=said, text=True) as beside,
    ):
        mine = _run(_all_others(), slowest)
        out, _ = beside.communicate()
        said.seek(0)
        print(said.read(), file=sys.stderr)
    match = re.search(r"(\d+) passed, (\d+) failed(?:, (\d+) skipped)?\s*\Z", out)
    theirs = tuple(int(number or 0) for number in match.groups()) if match else (0, 1, 0)
    if match is None:
        print(f"The tests beside these ended without a result:\n{out}", file=sys.stderr)
    return (mine[0] + theirs[0], mine[1] + theirs[1], mine[2] + theirs[2])


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./run test")
    parser.add_argument("names", nargs="*", metavar="TEST", help="packages, modules, classes or tests; all without")
    parser.add_argument("--slowest", type=int, default=0, metavar="N", help="print how long the N slowest took")
    options = parser.parse_args(arguments)
    passed, failed, skipped = _run(options.names, options.slowest) if options.names else _beside(options.slowest)
    sys.stderr.flush()
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return int(bool(failed))


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    # Past the last line nothing may print: no destructor of an extension gets the chance.
    os._exit(status)
