"""The work offsets that a machine's control has: standard ones, and extended ones by number.

What is listed here is the one list: settings, allocation, programs, the readers and the register all take it, in the
spelling that the machine states.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated

from pydantic import Field

from .base import Model

if TYPE_CHECKING:
    from .machine import Machine

#: Standard offsets keep X of number n in #5221 + 20 (n - 1), as RS-274/NGC has it for the first nine.
_FIRST, _STEP, _IN_PARAMETERS = 5221, 20, 9
#: Extended work offsets, selected by their word and P, are kept under numbers from here on.
EXTENDED_FROM = 1000
#: From here on numbered variables are the control's own.
_CONTROLS_FROM = 5000
#: The L with which G10 writes standard offsets.
STANDARD = 2
#: The word that selects an offset: G and two or three digits, and one after the point where it has one.
_WORD = r"G[1-9][0-9]{1,2}(\.[1-9])?"
#: G words that do something else in the controls that are simulated or read, in tenths: no offset can be called by one.
OTHER_MEANINGS = frozenset((
    100, 150, 160, 170, 180, 190, 200, 210, 280, 300, 310, 382, 383, 384, 385, 400, 410, 420, 430, 490, 500, 501, 510,
    511, 520, 530, 610, 611, 620, 630, 640, 650, 680, 690, 730, 740, 800, 810, 820, 830, 840, 850, 860, 880, 890, 900,
    901, 910, 911, 920, 921, 922, 923, 930, 940, 950, 960, 970, 980, 990, 1870,
))  # fmt: skip


class OffsetCode(Model):
    """A work offset of the control: what selects it, as a word alone or with a number, and its number in
    ``G10 L2 P``."""

    code: Annotated[str, Field(pattern=rf"^{_WORD}( P(0|[1-9][0-9]{{0,2}}))?$")]
    number: Annotated[int, Field(ge=1, le=999)]


class ExtendedOffsets(Model):
    """Work offsets beyond the standard ones, by number: ``G54.1 P1`` and on, or in another spelling ``G154 P1``.

    ``word`` selects one, followed by P and its number; ``level`` is the L with which G10 writes it, and
    ``first_parameter`` holds X of the first, each further one 20 on.
    """

    count: Annotated[int, Field(ge=1, le=300)]
    word: Annotated[str, Field(pattern=rf"^{_WORD}$")] = "G54.1"
    level: Annotated[int, Field(ge=3, le=99)] = 20
    first_parameter: Annotated[int, Field(ge=5000, le=99_999)] = 7001


@dataclass(frozen=True)
class Code:
    """``code`` selects the offset; ``G10 L… P…`` of ``level`` and ``number`` writes it, and ``parameter`` holds its X
    (Y and Z follow), None where the control keeps it in none."""

    code: str
    number: int
    level: int
    parameter: int | None

    @property
    def count(self) -> int:
        """Its place among the offsets that are kept in parameters: standard ones from 1, then extended ones."""
        return self.number if self.level == STANDARD else _IN_PARAMETERS + self.number

    @property
    def key(self) -> int:
        """Under which the simulated machine keeps it."""
        return self.number if self.level == STANDARD else EXTENDED_FROM + self.number

    @property
    def selected_by(self) -> tuple[int, int | None]:
        """Its G word in tenths, and the number after P where it is called with one."""
        word, _, number = self.code.partition(" P")
        return tenths(word), int(number) if number else None


def tenths(word: str) -> int:
    """A G word as readers of programs keep it: G54.1 is 541."""
    return round(float(word.removeprefix("G")) * 10)


@dataclass(frozen=True)
class OffsetWords:
    """The words (tenths) by which programs select offsets on a machine: ``alone``, and those ``with_number`` in P."""

    alone: frozenset[int]
    with_number: frozenset[int]

    def beside(self, others: OffsetWords) -> OffsetWords:
        """These, and of the others those that they do not use."""
        mine = self.alone | self.with_number
        return OffsetWords(self.alone | (others.alone - mine), self.with_number | (others.with_number - mine))

    def code(self, word: int, number: float) -> str:
        """What was selected, in the spelling of ``Code``."""
        said = f"G{word / 10:g}"
        return f"{said} P{number:g}" if word in self.with_number else said


def offset_words(machine: Machine) -> OffsetWords:
    selected = [code.selected_by for code in codes_of(machine)]
    return OffsetWords(
        frozenset(word for word, number in selected if number is None),
        frozenset(word for word, number in selected if number is not None),
    )


def codes_of(machine: Machine) -> tuple[Code, ...]:
    """Every offset of the control, standard ones first."""
    standard = [
        Code(
            offset.code,
            offset.number,
            STANDARD,
            _FIRST + _STEP * (offset.number - 1) if offset.number <= _IN_PARAMETERS else None,
        )
        for offset in machine.offsets
    ]
    more = machine.extended
    if more is None:
        return tuple(standard)
    extended = [
        Code(f"{more.word} P{number}", number, more.level, more.first_parameter + _STEP * (number - 1))
        for number in range(1, more.count + 1)
    ]
    return (*standard, *extended)


def check_codes(codes: Sequence[Code]) -> None:
    """Raises ValueError where two offsets share what selects or writes or holds them, or one is called by a word that
    does something else."""
    for what, keys in (
        ("are called by", [code.code for code in codes]),
        ("are written by", [f"G10 L{code.level} P{code.number}" for code in codes]),
    ):
        twice = next((key for key in keys if keys.count(key) > 1), None) if len(set(keys)) < len(keys) else None
        if twice is not None:
            raise ValueError(f"two work offsets {what} {twice}; give each its own")
    for code in codes:
        if code.selected_by[0] in OTHER_MEANINGS:
            raise ValueError(f"work offset {code.code}: its word does something else in programs; correct it")
    alone = {code.selected_by[0] for code in codes if code.selected_by[1] is None}
    both = next((code.code for code in codes if code.selected_by[1] is not None and code.selected_by[0] in alone), None)
    if both is not None:
        raise ValueError(f"work offset {both}: its word alone selects another offset; correct one of them")
    held = sorted(code.parameter for code in codes if code.parameter is not None)
    close = next((a for a, b in itertools.pairwise(held) if b - a < _STEP), None)
    if close is not None:
        raise ValueError(f"two work offsets would share the parameters from #{close} on; correct the first parameter")


def turn_variable(machine: Machine, code: Code) -> int | None:
    """The numbered variable that holds how far an offset is turned (degrees), where the machine keeps that in one."""
    return None if machine.offset_turns is None or code.parameter is None else machine.offset_turns + code.count - 1


def turn_variables(machine: Machine) -> dict[int, Code]:
    """Every such variable, with its offset."""
    found = ((turn_variable(machine, code), code) for code in codes_of(machine))
    return {variable: code for variable, code in found if variable is not None}


def check_turn_variables(variables: Iterable[int]) -> None:
    """Raises ValueError where they reach the control's own."""
    last = max(variables, default=0)
    if last >= _CONTROLS_FROM:
        raise ValueError(
            f"how far offsets are turned would be kept in up to #{last}, which the control uses itself from "
            f"#{_CONTROLS_FROM} on; choose a lower first variable"
        )


def code_of(machine: Machine, words: str) -> Code | None:
    """The offset that ``words`` select, however they are spaced and cased."""
    return by_words(machine).get(plain_words(words))


def by_words(machine: Machine) -> dict[str, Code]:
    """Every offset by its words as ``plain_words`` leaves them."""
    return {plain_words(code.code): code for code in codes_of(machine)}


def plain_words(words: str) -> str:
    return "".join(words.split()).upper()
