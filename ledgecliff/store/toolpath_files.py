"""Toolpath programs as files: read as a stream, from beside the job that names them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.toolpaths.reading import CHUNK, read_toolpath
from ledgecliff.core.toolpaths.summary import ProgramSummary


def read_program(
    path: Path,
    progress: Callable[[int], None] = lambda _bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> ProgramSummary:
    """Raises InvalidValueError when the file cannot be read."""
    return read_toolpath(_chunks(path), progress, should_stop)


def size_of(path: Path) -> int:
    """In bytes, nought for what is not there."""
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _chunks(path: Path) -> Iterator[bytes]:
    try:
        with path.open("rb") as file:
            while chunk := file.read(CHUNK):
                yield chunk
    except OSError as error:
        raise InvalidValueError(str(path), f"cannot be read: {error.strerror}") from error
