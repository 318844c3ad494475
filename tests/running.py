"""Tests run in processes of their own, module by module: one that falls over takes no other with it."""

from __future__ import annotations

import atexit
import io
import multiprocessing
import os
import queue
import tempfile
import threading
import time
import unittest
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field
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


def _modules(within: str) -> list[str]:
    """Every module of tests in a package, those of its own packages as well."""
    found = sorted(Path(TOP).joinpath(*within.split(".")).rglob("test_*.py"))
    return [".".join(path.relative_to(TOP).with_suffix("").parts) for path in found]


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


@dataclass(frozen=True)
class Result:
    """What tests came to."""

    passed: int = 0
    failed: int = 0
    skipped: int = 0
    #: What is to be read about those that failed.
    said: str = ""
    #: Seconds of each test.
    took: Mapping[str, float] = field(default_factory=dict)


def _keep_out_of_the_users_folders(folder: str) -> None:
    """Before anything of the program is imported."""
    for kind in ("CONFIG", "STATE", "CACHE", "DATA"):
        os.environ[f"XDG_{kind}_HOME"] = os.path.join(folder, kind.lower())
    _without_deadlines()
    # Registered first it runs last: what extensions say while they are torn down is nobody's.
    atexit.register(_silence)


def _silence() -> None:
    os.dup2(os.open(os.devnull, os.O_WRONLY), 2)


def _run(name: str) -> Result:
    said = io.StringIO()
    tests = _tests(unittest.TestLoader(), name)
    result = unittest.TextTestRunner(said, verbosity=1, buffer=False, resultclass=_Timed).run(tests)
    failed = {test.id().split(" (")[0] for test, _ in (*result.failures, *result.errors)}
    failed |= {test.id() for test in result.unexpectedSuccesses}
    skipped = len(result.skipped)
    if result.testsRun == 0:
        failed.add("no test was found")
    passed = max(result.testsRun - len(failed) - skipped, 0)
    return Result(passed, len(failed), skipped, said.getvalue() if failed else "", result.took)


#: A process is replaced after so many modules: what plans and windows leave behind slows those that come after.
_FRESH_AFTER = 20


class _Worker:
    """A process that runs one module of tests after another.  One that falls over is replaced."""

    def __init__(self, folder: str) -> None:
        self._folder = folder
        self._pool, self._ran = self._new(), 0

    def _new(self) -> ProcessPoolExecutor:
        folder = tempfile.mkdtemp(dir=self._folder)
        return ProcessPoolExecutor(1, multiprocessing.get_context("spawn"), _keep_out_of_the_users_folders, (folder,))

    def run(self, name: str) -> Result:
        if self._ran == _FRESH_AFTER:
            self._pool.shutdown()
            self._pool, self._ran = self._new(), 0
        self._ran += 1
        try:
            return self._pool.submit(_run, name).result()
        except BrokenProcessPool:
            self._pool, self._ran = self._new(), 0
            return Result(failed=1, said=f"{name} ended without a result.\n")

    def stop(self) -> None:
        self._pool.shutdown()


def run_named(names: Sequence[str], folder: str) -> Iterator[tuple[str, Result]]:
    worker = _Worker(folder)
    for name in names:
        yield name, worker.run(name)
    worker.stop()


def run_all(folder: str) -> Iterator[tuple[str, Result]]:
    """All tests, on two processes, each module as it ends.

    One process goes through all tests that drive a window first, since two windows would take the keyboard from each
    other; both go on with whatever module is next.
    """
    # Both have one core each: linear algebra of two threads in either makes them wait for each other.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    windows = _modules("tests.app")
    others = deque(sorted(set(_modules("tests")) - set(windows)))
    results: queue.SimpleQueue[tuple[str, Result]] = queue.SimpleQueue()

    def work(first: list[str]) -> None:
        worker = _Worker(folder)
        for name in first:
            results.put((name, worker.run(name)))
        while True:
            try:
                name = others.popleft()
            except IndexError:
                break
            results.put((name, worker.run(name)))
        worker.stop()

    modules = len(windows) + len(others)
    working = [threading.Thread(target=work, args=(first,)) for first in (windows, [])]
    for each in working:
        each.start()
    for _ in range(modules):
        yield results.get()
    for each in working:
        each.join()
