"""Small rigid displacements: of a part as it lies on the machine, and of all that a control takes from one zero."""

from __future__ import annotations

from dataclasses import dataclass

from ..frames import Array
from .offs import Off


@dataclass(frozen=True, eq=False)
class Moved:
    """A rigid displacement along the machine's axes: by ``shift``, and turned by ``turn`` (radians) about ``p_middle``
    (3,), a place in P."""

    shift: Off
    turn: Off
    p_middle: Array

    def at(self, matrix: Array, p_place: Array) -> Off:
        """At a place in P, which ``matrix`` (3, 3) takes to the machine's axes."""
        return self.shift + self.turn.about(matrix @ (p_place - self.p_middle))

    def plus(self, matrix: Array, other: Moved) -> Moved:
        return Moved(self.shift + other.at(matrix, self.p_middle), self.turn + other.turn, self.p_middle)

    def taken_along(self, turn: Array) -> Moved:
        return Moved(self.shift.turned(turn), self.turn.turned(turn), self.p_middle)
