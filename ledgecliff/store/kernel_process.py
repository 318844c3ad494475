"""The process that reads models: started when one is wanted, or ahead, while a file is still looked for.

The CAD kernel takes more than a second to import.  This module imports nothing else of the program, so
that a command can start the process before its own imports and both go on side by side.
"""

from __future__ import annotations

import atexit
import subprocess
import sys

_warm: list[subprocess.Popen[str]] = []


def warm_up() -> None:
    """Starts a process that imports the kernel and waits for an order."""
    if not _warm:
        _warm.append(_start())


def cool_down() -> None:
    """Ends a process that nobody wanted."""
    while _warm:
        worker = _warm.pop()
        worker.kill()
        worker.communicate()


atexit.register(cool_down)


def take() -> subprocess.Popen[str]:
    """A process for one order (see ``kernel_worker``): the one that waits, or else a new one."""
    while _warm:
        worker = _warm.pop()
        if worker.poll() is None:
            return worker
    return _start()


def _start() -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "ledgecliff.store.kernel_worker"],
        stdin=subprocess.PIPE,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.PIPE,
        text=True,
    )
