"""What a program's coordinates mean: rotation, shifts, the active work offset and how it is turned, the tool's length.

A place ``p`` that is programmed is turned about the centre of G68 while that is in force, shifted by G52 and G92,
turned as the work offset is, and then counted from that offset's zero.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..contact.first_contact import Triple

_NONE: Triple = (0.0, 0.0, 0.0)


@dataclass
class Coordinates:
    """``zero`` is the machine reading of the active zero with the active tool length (mm)."""

    zero: Triple = _NONE
    #: Cosine and sine of how the work offset is turned.
    _turn: tuple[float, float] | None = None
    #: How far G92 and G52 shift what is read (mm), and what G92.2 keeps for G92.3.
    shifted: Triple = _NONE
    shifted_locally: Triple = _NONE
    kept_shift: Triple = _NONE
    #: Cosine and sine of G68, and its centre (mm).
    _rotation: tuple[float, float, float, float] | None = None

    @property
    def rotated(self) -> bool:
        return self._rotation is not None

    def stand(self, zero: Triple, turn_deg: float) -> None:
        turn = math.radians(turn_deg)
        self.zero, self._turn = zero, (math.cos(turn), math.sin(turn)) if turn else None

    def rotate(self, x: float, y: float, degrees: float) -> None:
        """Whatever is programmed from here on is turned about (x, y)."""
        turn = math.radians(degrees)
        self._rotation = (math.cos(turn), math.sin(turn), x, y)

    def end_rotation(self) -> None:
        self._rotation = None

    def read(self, m_point: Triple) -> Triple:
        """What the control reads at a machine position (mm)."""
        zero = self.zero
        x, y, z = m_point[0] - zero[0], m_point[1] - zero[1], m_point[2] - zero[2]
        if self._turn is not None:
            c, s = self._turn
            x, y = c * x + s * y, c * y - s * x
        a, b = self.shifted, self.shifted_locally
        x, y, z = x - a[0] - b[0], y - a[1] - b[1], z - a[2] - b[2]
        if self._rotation is not None:
            c, s, u, v = self._rotation
            x, y = u + c * (x - u) + s * (y - v), v + c * (y - v) - s * (x - u)
        return (x, y, z)

    def placed(self, w_point: Triple) -> Triple:
        """The machine position of a programmed place (mm)."""
        x, y, z = w_point
        if self._rotation is not None:
            c, s, u, v = self._rotation
            x, y = u + c * (x - u) - s * (y - v), v + s * (x - u) + c * (y - v)
        a, b = self.shifted, self.shifted_locally
        x, y, z = x + a[0] + b[0], y + a[1] + b[1], z + a[2] + b[2]
        if self._turn is not None:
            c, s = self._turn
            x, y = c * x - s * y, s * x + c * y
        zero = self.zero
        return (x + zero[0], y + zero[1], z + zero[2])
