"""Toolpath programs as files: read as a stream, from beside the job that names them.

Subprograms come from the same file, or from a file beside it that is named by their number.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL, ControlWords
from ledgecliff.core.toolpaths.reading import CHUNK, read_toolpath, whole_lines
from ledgecliff.core.toolpaths.subprograms import LONGEST, SubprogramError, section
from ledgecliff.core.toolpaths.summary import ProgramSummary

#: Endings of files that programs are kept in.
_ENDINGS = ("", ".ngc", ".nc", ".tap", ".txt", ".cnc", ".sub", ".prg")


def read_program(
    path: Path,
    progress: Callable[[int], None] = lambda _bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
    *,
    control: ControlWords = UNKNOWN_CONTROL,
) -> ProgramSummary:
    """Reads a program and the subprograms it calls; ``control`` is what the control reads of itself.

    Raises InvalidValueError when the file cannot be read.
    """

    def find(number: int, *, outside: bool = False) -> bytes:
        try:
            return _subprogram(path, number, outside=outside)
        except InvalidValueError as error:
            raise SubprogramError(str(error)) from error

    return read_toolpath(_chunks(path), progress, should_stop, find=find, control=control)


def _subprogram(path: Path, number: int, *, outside: bool) -> bytes:
    """Raises SubprogramError when it is neither in the file nor beside it, or not for certain."""
    if not outside and (text := section(whole_lines(_chunks(path)), number)) is not None:
        return text
    beside = [
        each
        for each in sorted(path.parent.iterdir())
        if each.suffix.lower() in _ENDINGS and each.is_file() and _number_of(each) == number and each != path
    ]
    if len(beside) > 1:
        names = " or ".join(f"'{each.name}'" for each in beside)
        raise SubprogramError(f"subprogram {number} may be {names}; its moves are not counted")
    if not beside:
        where = "beside the file" if outside else "in the file nor beside it"
        raise SubprogramError(f"subprogram {number} is not {where}; its moves are not counted")
    if size_of(beside[0]) > LONGEST:
        raise SubprogramError(f"'{beside[0].name}' is too long to be followed; its moves are not counted")
    text = b"".join(whole_lines(_chunks(beside[0])))
    return section([text], number) or text


def _number_of(path: Path) -> int | None:
    """``O0100.nc``, ``100.ngc``: the number that names a subprogram's file."""
    stem = path.stem.lower().removeprefix("o")
    return int(stem) if stem.isascii() and stem.isdigit() else None


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
