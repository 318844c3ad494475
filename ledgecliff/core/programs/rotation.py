"""How programs turn what they do where a work offset cannot be turned: by a variable that holds the offset's turn.

Cutting programs and hover checks are turned by the control (``G68 X0 Y0 R#…``).  Probing programs turn each place by
themselves and turn each reading back, for what a skip reads under G68 differs from control to control.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..errors import ProfileError
from ..model.machine import Machine
from ..model.work_offsets import code_of, turn_variable
from .actions import Let, Word
from .profile import profile_of

if TYPE_CHECKING:
    from ..setup_plan import SetupPlan

#: Cosine and sine of the turn.
_COSINE, _SINE = 125, 126
_SKIP = 5061


def turns_by_itself(machine: Machine) -> bool:
    """Whether the control's work offsets can be turned (``G10 L2 R``)."""
    return profile_of(machine).control == "parameter style"


def keeps_turns(machine: Machine) -> bool:
    """Whether it is kept how far an offset is turned: by the control, or by programs in a variable."""
    return turns_by_itself(machine) or machine.offset_turns is not None


def turned_by(planned: SetupPlan) -> int | None:
    """The variable by which the programs of a setup must be turned; None where its WCS stands square, or is turned by
    the control itself."""
    machine, setup = planned.machine, planned.setup
    code = code_of(machine, setup.offset)
    if code is None or turns_by_itself(machine):
        return None
    turned = bool(planned.located.turn_deg) or any(step.sets_skew for step in planned.probing.steps)
    return turn_variable(machine, code) if turned else None


def turned_words(planned: SetupPlan) -> str:
    """What cutting programs of a setup must say to be turned as its WCS is; empty where nothing."""
    try:
        variable = turned_by(planned)
    except ProfileError:
        return ""  # which has its own finding
    if variable is None:
        return ""
    return f"G68 X0 Y0 R#{variable} right after {planned.setup.offset}, G69 before its end"


@dataclass(frozen=True)
class Rotation:
    """Turns the places of one step by what ``turn`` (an expression, degrees) holds; without one they stay as they are.

    All that is given and returned are a control's expressions.
    """

    turn: str = ""

    def begins(self) -> list[Let]:
        if not self.turn:
            return []
        return [
            Let(_COSINE, f"COS[{self.turn}]", "what follows is turned as the offset is"),
            Let(_SINE, f"SIN[{self.turn}]"),
        ]

    def words(self, x: str, y: str) -> tuple[Word, Word]:
        """The words that go to a place."""
        if not self.turn:
            return Word("X", 0, x), Word("Y", 1, y)
        x, y = (each if each.startswith("[") else f"[{each}]" for each in (x, y))
        return (
            Word("X", 0, f"[#{_COSINE} * {x} - #{_SINE} * {y}]"),
            Word("Y", 1, f"[#{_SINE} * {x} + #{_COSINE} * {y}]"),
        )

    def reading(self, axis: int) -> str:
        """What the last touch reads along an axis as it is turned."""
        if not self.turn or axis == 2:
            return f"#{_SKIP + axis}"
        x, y = f"#{_COSINE} * #{_SKIP}", f"#{_SINE} * #{_SKIP + 1}"
        if axis == 0:
            return f"[{x} + {y}]"
        return f"[#{_COSINE} * #{_SKIP + 1} - #{_SINE} * #{_SKIP}]"

    def along(self, x: str, y: str) -> tuple[str, str]:
        """A stretch along the turned axes, as stretches along those that stand square."""
        words = self.words(x, y)
        return words[0].value, words[1].value
