"""``python -m tests [NAME…]``: all tests, then one line ``N passed, N failed`` (and skipped).

Settings, state and cache go to a folder that is thrown away, so that tests never meet the user's
own; it is set before anything of the program is imported.
"""

from __future__ import annotations

import os
import sys
import tempfile
import unittest

TOP = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def _tests(loader: unittest.TestLoader, name: str) -> unittest.TestSuite:
    """All tests of a package, or of whatever else is named."""
    folder = os.path.join(TOP, *name.split("."))
    if os.path.isdir(folder):
        return loader.discover(folder, top_level_dir=TOP)
    return loader.loadTestsFromName(name)


def _without_deadlines() -> None:
    """How long an example takes says nothing about whether it is right."""
    from hypothesis import settings

    settings.register_profile("ledgecliff", deadline=None)
    settings.load_profile("ledgecliff")


def main(names: list[str]) -> int:
    with tempfile.TemporaryDirectory(prefix="ledgecliff-tests-") as folder:
        for kind in ("CONFIG", "STATE", "CACHE", "DATA"):
            os.environ[f"XDG_{kind}_HOME"] = os.path.join(folder, kind.lower())
        _without_deadlines()
        loader = unittest.TestLoader()
        suite = unittest.TestSuite(_tests(loader, name) for name in names or ["tests"])
        result = unittest.TextTestRunner(verbosity=1, buffer=False).run(suite)
    failed = {test.id().split(" (")[0] for test, _ in (*result.failures, *result.errors)}
    failed |= {test.id() for test in result.unexpectedSuccesses}
    skipped = len(result.skipped)
    passed = result.testsRun - len(failed) - skipped
    sys.stderr.flush()
    print(f"{passed} passed, {len(failed)} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return int(bool(failed) or result.testsRun == 0)


if __name__ == "__main__":
    status = main(sys.argv[1:])
    sys.stdout.flush()
    # Past the last line nothing may print: no destructor of an extension gets the chance.
    os._exit(status)
