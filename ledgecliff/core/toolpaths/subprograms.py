"""Subprograms that a toolpath program calls: found by their number, in the program itself or in a file beside it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Protocol

from ..errors import LedgecliffError

#: A longer subprogram is not kept in memory to be followed (bytes).
LONGEST = 16 << 20
#: ``O1234`` that begins a program or subprogram, or ``o1234 sub``, with a line number or block delete before it.
_HEADING = re.compile(
    rb"^[ \t/]*(?:N[ \t]*\d+[ \t]*)?O[ \t]*(\d+)[ \t]*(?:SUB\b|(?=[\r\n(;])|\Z)", re.IGNORECASE | re.MULTILINE
)


class SubprogramError(LedgecliffError):
    """A subprogram cannot be followed, and why."""


class Finder(Protocol):
    """Where subprograms come from: the text of one by its number, from its heading on.

    ``outside`` looks in other files only.  Raises SubprogramError.
    """

    def __call__(self, number: int, *, outside: bool = False) -> bytes: ...


def none_at_hand(number: int, *, outside: bool = False) -> bytes:
    """The finder of a program that stands alone."""
    where = "beside it" if outside else "at hand"
    raise SubprogramError(f"subprogram {number} is not {where}; its moves are not counted")


def has_heading(block: bytes) -> bool:
    """Whether a program or subprogram begins in ``block``."""
    return _HEADING.search(block) is not None


def section(blocks: Iterable[bytes], number: int) -> bytes | None:
    """The text from the heading of ``number`` to the next heading, of ``blocks`` of whole lines; None without it.

    Raises SubprogramError when there are two of that number, or when it is too long to be kept.
    """
    found: list[bytes] = []
    size, within = 0, False
    for block in blocks:
        at = 0
        for heading in _HEADING.finditer(block):
            if within:
                found.append(block[at : heading.start()])
            wanted = int(heading[1]) == number
            if wanted and found:
                raise SubprogramError(f"there are two subprograms {number} in one file; their moves are not counted")
            within, at = wanted, heading.start()
        if within:
            found.append(block[at:])
            size += len(block) - at
            if size > LONGEST:
                raise SubprogramError(f"subprogram {number} is too long to be followed; its moves are not counted")
    return b"".join(found) if found else None
