"""What else a machine is told in programs: words of its builder's, stated once with a name and called by that."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from .base import Model, Name

#: M words that every control knows for something that a program here sees to itself.
_KNOWN = frozenset((0, 1, 2, 3, 4, 5, 6, 19, 30, 97, 98, 99))
#: What the machine's builder has for switching something: an M word, with the number it takes if any.
SwitchWord = Annotated[str, Field(pattern=r"^(M[0-9]{1,3}( P[0-9]{1,3})?)?$")]
#: Names of a machine's words, in the order they are said.
SaidWords = Annotated[tuple[Name, ...], Field(max_length=12)]


class MachineWord(Model):
    """``name`` is what it does (vise air on, conveyor off, part is ready), ``word`` the M word, with a number in P if
    it takes one."""

    name: Name
    word: Annotated[str, Field(pattern=r"^M[0-9]{1,3}( P[0-9]{1,3})?$")]

    @model_validator(mode="after")
    def _is_the_builders(self) -> MachineWord:
        number = int(self.word.split()[0][1:])
        if number in _KNOWN:
            raise ValueError(
                f"{self.word} ends, stops, turns the spindle or changes tools; programs see to that themselves. Name a "
                "word of the machine's builder"
            )
        return self


class SetupWords(Model):
    """What a setup's probing programs say: before the first step, after the last with the probe at the top of its
    travel, and where a check fails, before the program stops."""

    begins: SaidWords = ()
    ends: SaidWords = ()
    failed: SaidWords = ()
