"""``python -m tests [NAME…] [--slowest N]``: all tests, then one line ``N passed, N failed`` (and skipped).

Settings, state and cache go to a folder that is thrown away, so that tests never meet the user's
own; it is set before anything of the program is imported.
"""

from __future__ import annotations

import argparse
import sys
import tempfile

from tests.running import Result, run_all, run_named


def _told(name: str, result: Result) -> Result:
    """Prints what a module came to, on one line, and more where something failed."""
    counts = f"{result.passed} passed, {result.failed} failed, {result.skipped} skipped"
    print(f"{name}: {counts}, {sum(result.took.values()):.1f} s", file=sys.stderr)
    if result.failed:
        print(result.said, file=sys.stderr)
    return result


def main(arguments: list[str]) -> int:
    parser = argparse.ArgumentParser(prog="./run test")
    parser.add_argument("names", nargs="*", metavar="TEST", help="packages, modules, classes or tests; all without")
    parser.add_argument("--slowest", type=int, default=0, metavar="N", help="print how long the N slowest took")
    options = parser.parse_args(arguments)
    with tempfile.TemporaryDirectory(prefix="ledgecliff-tests-", ignore_cleanup_errors=True) as folder:
        run = run_named(options.names, folder) if options.names else run_all(folder)
        results = [_told(name, result) for name, result in run]
    took = {test: seconds for result in results for test, seconds in result.took.items()}
    for test, seconds in sorted(took.items(), key=lambda pair: -pair[1])[: options.slowest]:
        print(f"{seconds:8.2f} s  {test}", file=sys.stderr)
    sys.stderr.flush()
    passed, failed, skipped = (sum(getattr(each, kind) for each in results) for kind in ("passed", "failed", "skipped"))
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return int(bool(failed))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
