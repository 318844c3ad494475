"""Which lines of a block of program text are plain, found for all lines at once, and their numbers.

Plain is a line of nothing but N, G0 to G3, X, Y, Z, I, J, K, R and F words, each once, with its number right after it,
and comments.
Everything is worked out on the bytes as an array: what may follow what, where letters come twice, how
many points a number has.  A line about which anything is odd is not plain.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: Classes of bytes.
_OTHER, _BLANK, _END, _LETTER, _SIGN, _POINT, _DIGIT = range(7)
_CLASS = np.full(256, _OTHER, dtype=np.uint8)
_CLASS[[ord(c) for c in " \t\r"]] = _BLANK
_CLASS[ord("\n")] = _END
_CLASS[[ord(c) for c in "NGXYZIJKRFngxyzijkrf"]] = _LETTER
_CLASS[[ord(c) for c in "+-"]] = _SIGN
_CLASS[ord(".")] = _POINT
_CLASS[[ord(c) for c in "0123456789"]] = _DIGIT
#: What may come after what.
_FOLLOWS = np.zeros((7, 7), dtype=bool)
for _first, _seconds in (
    (_BLANK, (_BLANK, _END, _LETTER)),
    (_END, (_BLANK, _END, _LETTER)),
    (_LETTER, (_SIGN, _POINT, _DIGIT)),
    (_SIGN, (_POINT, _DIGIT)),
    (_POINT, (_DIGIT, _BLANK, _END, _LETTER)),
    (_DIGIT, (_DIGIT, _POINT, _BLANK, _END, _LETTER)),
):
    _FOLLOWS[_first, list(_seconds)] = True
_PAIR = _FOLLOWS.ravel()
_UPPER = np.arange(256, dtype=np.uint8)
_UPPER[[ord(c) for c in "ngxyzijkrf"]] = [ord(c) for c in "NGXYZIJKRF"]
_TO_BLANKS = bytes.maketrans(b"NGXYZIJKRFngxyzijkrf", b" " * 20)

Bytes = NDArray[np.uint8]


@dataclass(frozen=True, eq=False)
class Run:
    """Bytes ``start`` to ``stop`` of a block, so many ``lines``, all plain or none."""

    start: int
    stop: int
    lines: int
    plain: bool


def without_comments(block: bytes) -> bytes:
    """The same with blanks for comments; one that is not closed on its line, or within another, stays as it is."""
    if b"(" not in block and b")" not in block and b";" not in block:
        return block
    data = np.frombuffer(block, dtype=np.uint8).copy()
    ends = np.flatnonzero(data == ord("\n"))
    marks = np.flatnonzero((data == ord("(")) | (data == ord(")")))
    opens, line = data[marks] == ord("("), np.searchsorted(ends, marks)
    # Sound lines open and close in turn: each opening mark has the closing one of its line right after it.
    sound = np.zeros(len(marks), dtype=bool)
    sound[:-1] = opens[:-1] & ~opens[1:] & (line[:-1] == line[1:])
    sound[1:] |= sound[:-1] & ~opens[1:]
    odd = np.zeros(len(ends), dtype=bool)
    odd[line[~sound]] = True
    inside = np.zeros(len(data) + 1, dtype=np.int8)
    good = ~odd[line]
    inside[marks[good & opens]] += 1
    inside[marks[good & ~opens] + 1] -= 1
    covered = np.cumsum(inside[:-1], dtype=np.int8) > 0
    tails = np.flatnonzero((data == ord(";")) & ~covered)
    if len(tails):
        lines, first = np.unique(np.searchsorted(ends, tails), return_index=True)
        within = np.zeros(len(data), dtype=np.int8)
        within[tails[first]] += 1
        within[ends[lines]] -= 1
        covered |= np.cumsum(within, dtype=np.int8) > 0
    data[covered] = ord(" ")
    return data.tobytes()


def runs(block: bytes, least: int) -> Iterator[Run]:
    """A block of whole lines without comments as runs of plain lines, at least ``least``, and all else line by line."""
    data = np.frombuffer(block, dtype=np.uint8)
    ends = np.flatnonzero(data == ord("\n"))
    plain = _plain_lines(data, ends)
    starts = np.concatenate([[0], ends[:-1] + 1])
    changes = np.flatnonzero(np.diff(plain.astype(np.int8))) + 1
    first = 0
    for last in (*changes.tolist(), len(ends)):
        if plain[first] and last - first >= least:
            yield Run(int(starts[first]), int(ends[last - 1]) + 1, last - first, True)
        else:
            for k in range(first, last):
                yield Run(int(starts[k]), int(ends[k]) + 1, 1, False)
        first = last


@dataclass(frozen=True, eq=False)
class Words:
    """The words of plain lines in their order: letters, numbers, and in which line (from 0) each stands."""

    letters: Bytes
    numbers: NDArray[np.float64]
    lines: NDArray[np.intp]
    count: int

    def of(self, letter: str) -> NDArray[np.float64]:
        found: NDArray[np.float64] = self.numbers[self.letters == ord(letter)]
        return found

    def column(self, letter: str) -> NDArray[np.float64]:
        """The number of a letter in every line, nan where it has none."""
        column = np.full(self.count, np.nan)
        mine = self.letters == ord(letter)
        column[self.lines[mine]] = self.numbers[mine]
        return column


def words(block: bytes) -> Words:
    data = np.frombuffer(block, dtype=np.uint8)
    at = np.flatnonzero(_CLASS[data] == _LETTER)
    ends = np.flatnonzero(data == ord("\n"))
    numbers = np.fromstring(block.translate(_TO_BLANKS), sep=" ")
    return Words(_UPPER[data[at]], numbers, np.searchsorted(ends, at), len(ends))


def carried(column: NDArray[np.float64], before: float) -> NDArray[np.float64]:
    """``column`` with every gap filled by what stood before it."""
    full = np.concatenate([[before], column])
    known = np.where(np.isnan(full), 0, np.arange(len(full)))
    filled: NDArray[np.float64] = full[np.maximum.accumulate(known)][1:]
    return filled


def _plain_lines(data: Bytes, ends: NDArray[np.intp]) -> NDArray[np.bool_]:
    kinds = _CLASS[data]
    # Each line begins as if another had ended before it.
    before = np.concatenate([[_END], kinds[:-1]]).astype(np.uint8)
    odd = np.flatnonzero(~_PAIR[before * np.uint8(7) + kinds])
    plain = np.ones(len(ends), dtype=bool)
    plain[np.searchsorted(ends, odd)] = False
    letters = np.flatnonzero(kinds == _LETTER)
    which, line_of = _UPPER[data[letters]], np.searchsorted(ends, letters)
    # A letter twice in one line.
    for letter in b"NGXYZIJKRF":
        lines = line_of[which == letter]
        plain[lines[1:][np.diff(lines) == 0]] = False
    # Two points in one number.
    points = np.flatnonzero(kinds == _POINT)
    tokens = np.searchsorted(letters, points)
    plain[np.searchsorted(ends, points[1:][np.diff(tokens) == 0])] = False
    _check_motions(data, kinds, letters[which == ord("G")], ends, plain)
    return plain


def _check_motions(
    data: Bytes, kinds: Bytes, at: NDArray[np.intp], ends: NDArray[np.intp], plain: NDArray[np.bool_]
) -> None:
    """G0 to G3, also as G00 to G03, are plain, all other G words are not."""
    padded, classes = np.append(data, [10, 10, 10]), np.append(kinds, [_END] * 3)
    number, motion = (_DIGIT, _POINT), [ord(c) for c in "0123"]
    first, second = padded[at + 1], padded[at + 2]
    one = np.isin(first, motion) & ~np.isin(classes[at + 2], number)
    two = (first == ord("0")) & np.isin(second, motion) & ~np.isin(classes[at + 3], number)
    plain[np.searchsorted(ends, at[~(one | two)])] = False
