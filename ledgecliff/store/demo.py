"""The demo jobs that ship with the program."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.errors import JobFileError

_FOLDER = Path(__file__).parents[1] / "demo"


def demo_names() -> tuple[str, ...]:
    return tuple(sorted(path.stem.replace("_", "-") for path in _FOLDER.glob("*.json")))


def demo_job(name: str) -> Path:
    """The job file of a demo.  Raises JobFileError with the names there are."""
    path = _FOLDER / f"{name.replace('-', '_')}.json"
    if name not in demo_names():
        raise JobFileError(f"There is no demo job '{name}'; there are: {', '.join(demo_names())}.")
    return path
