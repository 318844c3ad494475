"""The work offsets that a machine's control has: standard ones, and extended ones by number."""

from __future__ import annotations

from dataclasses import dataclass

from .machine import Machine

#: Standard offsets keep X of number n in #5221 + 20 (n - 1), as RS-274/NGC has it for the first nine.
_FIRST, _STEP, _IN_PARAMETERS = 5221, 20, 9
#: Extended work offsets, selected by G54.1 P, are kept under numbers from here on.
EXTENDED_FROM = 1000
#: The L with which G10 writes standard offsets.
STANDARD = 2


@dataclass(frozen=True)
class Code:
    """``code`` selects the offset; ``G10 L… P…`` of ``level`` and ``number`` writes it, and ``parameter`` holds its X
    (Y and Z follow), None where the control keeps it in none."""

    code: str
    number: int
    level: int
    parameter: int | None

    @property
    def key(self) -> int:
        """Under which the simulated machine keeps it."""
        return self.number if self.level == STANDARD else EXTENDED_FROM + self.number


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


def code_of(machine: Machine, words: str) -> Code | None:
    """The offset that ``words`` select, however they are spaced and cased."""
    return by_words(machine).get(plain_words(words))


def by_words(machine: Machine) -> dict[str, Code]:
    """Every offset by its words as ``plain_words`` leaves them."""
    return {plain_words(code.code): code for code in codes_of(machine)}


def plain_words(words: str) -> str:
    return "".join(words.split()).upper()
