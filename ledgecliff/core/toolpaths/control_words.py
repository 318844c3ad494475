"""What a control reads of itself: the unit that counts until a program names one, and the words of its work offsets."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..model.machine import Machine
from ..model.work_offsets import OffsetWords, offset_words, turn_variables
from ..quantities import Unit
from ..simulator.modal import COMMON_OFFSETS, READ_STYLES, Dialect


@dataclass(frozen=True)
class ControlWords:
    unit: Unit = "mm"
    offsets: OffsetWords = COMMON_OFFSETS
    #: The variables that hold how far offsets are turned: what is turned by one is in the offset's own coordinates.
    turns: frozenset[int] = frozenset()

    def dialects(self) -> tuple[Dialect, ...]:
        """Both styles: which one a program is in shows only as it is read.  Common words of offsets that the machine
        does not have are read as such, so that calling one is told."""
        words = self.offsets.beside(COMMON_OFFSETS)
        return tuple(replace(style, offsets=words) for style in READ_STYLES)


UNKNOWN_CONTROL = ControlWords()


def control_words(machine: Machine) -> ControlWords:
    return ControlWords(machine.program_units, offset_words(machine), frozenset(turn_variables(machine)))
