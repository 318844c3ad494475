"""Frames, orientations and turns.

Part frame P is fixed to the finished model.  Table frame T has X right, Y away from the operator
and Z up.  Machine frame M is the control's own coordinates, parallel to T.  WCS is the work
coordinate system of one setup.

An orientation's matrix ``R`` maps part directions to table directions, so a part point ``p``
reads ``u = R p`` in *table-aligned part coordinates* and ``w = u - u_origin`` in the WCS.
A machine reading is ``m = E + w`` with the work offset ``E`` (docs/methods/frames-and-signs.md).  Names carry
the frame: ``p_…`` part, ``u_…`` table-aligned, ``w_…`` WCS, ``m_…`` machine.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Axis = Literal["x", "y", "z"]
AXES: tuple[Axis, Axis, Axis] = ("x", "y", "z")


def rotation(axis: Axis, angle_deg: float) -> Array:
    """Right-handed rotation (3, 3) about a table axis; whole quarter turns come out exact."""
    quarter, rest = divmod(angle_deg, 90.0)
    if rest == 0.0:
        cos, sin = ((1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0))[int(quarter) % 4]
    else:
        cos, sin = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))
    i, j = ((1, 2), (2, 0), (0, 1))[AXES.index(axis)]
    matrix = np.eye(3)
    matrix[i, i] = matrix[j, j] = cos
    matrix[i, j], matrix[j, i] = -sin, sin
    return matrix


def rotation_about(axis: Array, angle_rad: float) -> Array:
    """Right-handed rotation (3, 3) about any unit axis (3,), by Rodrigues' formula."""
    x, y, z = axis
    cross = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    matrix: Array = np.eye(3) + math.sin(angle_rad) * cross + (1.0 - math.cos(angle_rad)) * (cross @ cross)
    return matrix


def turn_vector(matrix: Array) -> Array:
    """The axis (3,) of a rotation (3, 3) of less than half a turn, as long as its angle (radians)."""
    skew = (matrix - matrix.T) / 2.0
    about = np.array([skew[2, 1], skew[0, 2], skew[1, 0]])
    sine = float(np.linalg.norm(about))
    if sine == 0.0:
        return np.zeros(3)
    turned: Array = about / sine * math.atan2(sine, (float(np.trace(matrix)) - 1.0) / 2.0)
    return turned


@dataclass(frozen=True, eq=False)
class Placement:
    """``x -> turn x + shift``: turn (3, 3), shift (3,) in mm."""

    turn: Array
    shift: Array

    def __call__(self, point: Array) -> Array:
        moved: Array = self.turn @ point + self.shift
        return moved

    def after(self, first: Placement) -> Placement:
        """This placement applied to what ``first`` gives."""
        return Placement(self.turn @ first.turn, self(first.shift))

    def inverse(self) -> Placement:
        return Placement(self.turn.T, -self.turn.T @ self.shift)


IDENTITY = Placement(np.eye(3), np.zeros(3))


def about_x(y: float, z: float, degrees: float) -> Placement:
    """A right-handed turn about a line along X through ``y`` and ``z`` (mm)."""
    turn, centre = rotation("x", degrees), np.array([0.0, y, z])
    return Placement(turn, centre - turn @ centre)


class Oriented(Protocol):
    """Whatever lies some way on the table."""

    def matrix(self) -> Array: ...


class Turn:
    """The turn from one setup's orientation to the next: ``R_next R_previous^T`` about table axes."""

    def __init__(self, before: Oriented, after: Oriented) -> None:
        self.matrix: Array = after.matrix() @ before.matrix().T

    def angle_deg(self) -> float:
        """0 to 180; from the trace, by Euler's rotation theorem."""
        return math.degrees(math.acos(max(-1.0, min(1.0, (np.trace(self.matrix) - 1.0) / 2.0))))

    def axis(self) -> Array:
        """Unit axis (3,) in T of the right-handed turn; zero vector when nothing turns."""
        skew = np.array(
            [
                self.matrix[2, 1] - self.matrix[1, 2],
                self.matrix[0, 2] - self.matrix[2, 0],
                self.matrix[1, 0] - self.matrix[0, 1],
            ]
        )
        length = float(np.linalg.norm(skew))
        if length > 1e-9:
            return skew / length
        # A half turn leaves no antisymmetric part: R + 1 = 2 a a^T then gives the axis itself.
        symmetric = self.matrix + np.eye(3)
        if self.angle_deg() < 1.0:
            return np.zeros(3)
        column = symmetric[:, int(np.argmax(np.diag(symmetric)))]
        return column / float(np.linalg.norm(column))

    def in_shop_words(self) -> str:
        """``about X, front to back`` and so on; an axis and an angle where no word exists."""
        angle, axis = round(self.angle_deg()), self.axis()
        if angle == 0:
            return "not turned"
        main = int(np.argmax(np.abs(axis)))
        if abs(abs(axis[main]) - 1.0) > 1e-6:
            scaled = axis / np.min(np.abs(axis[np.abs(axis) > 1e-6]))
            parts = ", ".join(f"{value:.0f}".replace("-", "−") for value in scaled)
            return f"{angle}° about the axis ({parts})"
        if angle == 180:
            return ("about X, front to back", "about Y, end for end", "spin 180° about Z")[main]
        sign = "" if axis[main] > 0 else "−"
        if main == 2:
            return f"spin {sign}{angle}° about Z"
        # Right-handed about +X the front (-Y) goes down and up comes to the front.
        words = (("tip towards you", "tip away from you"), ("tip to the right", "tip to the left"))
        return f"{words[main][0 if sign == '' else 1]}, {angle}° about {'XY'[main]}"
