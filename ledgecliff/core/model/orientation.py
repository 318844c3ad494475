"""How the part lies on the table, by which of its directions point up and to the right.

>>> Orientation(up="-Z", right="+X").matrix() @ (80, 52, 0)
array([ 80., -52.,   0.])
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Annotated, Literal, get_args

import numpy as np
from numpy.typing import ArrayLike
from pydantic import Field, model_validator

from ..frames import Array, rotation
from .base import Model
from .stations import AxisTurn

PartDirection = Literal["+X", "-X", "+Y", "-Y", "+Z", "-Z"]
DIRECTIONS: tuple[PartDirection, ...] = get_args(PartDirection)
#: A cosine this near to one is of no angle: over a metre, a millionth of a radian is a micrometre.
_SQUARE = 1e-12


def direction_vector(direction: PartDirection) -> Array:
    """Unit vector (3,) in P of a signed part direction."""
    vector = np.zeros(3)
    vector[axis_of(direction)] = 1.0 if direction[0] == "+" else -1.0
    return vector


def axis_of(direction: PartDirection) -> int:
    """0, 1 or 2: the part axis that a direction runs along."""
    return "XYZ".index(direction[1])


def opposite(direction: PartDirection) -> PartDirection:
    return direction_name(-direction_vector(direction))


def direction_name(vector: Array) -> PartDirection:
    """The signed part direction nearest to ``vector`` (3,)."""
    axis = int(np.argmax(np.abs(vector)))
    name = ("+" if vector[axis] > 0 else "-") + "XYZ"[axis]
    return next(d for d in DIRECTIONS if d == name)


def exact_direction(vector: Array) -> PartDirection | None:
    """The signed part direction that a unit vector (3,) is, but for rounding; None where it is none."""
    nearest = direction_name(vector)
    return nearest if float(vector @ direction_vector(nearest)) > 1.0 - _SQUARE else None


def shown(direction: PartDirection) -> str:
    """A direction with a true minus sign, as it is shown."""
    return direction.replace("-", "−")


class Orientation(Model):
    """How the part lies on the table: which part direction is up and which points to machine X.

    Where it does not lie square, it is then ``tilted``, one right-handed turn about a machine axis after the other.
    """

    up: PartDirection = "+Z"
    right: PartDirection = "+X"
    tilted: Annotated[tuple[AxisTurn, ...], Field(max_length=12)] = ()

    @model_validator(mode="after")
    def _square(self) -> Orientation:
        if self.up[1] == self.right[1]:
            raise ValueError(
                f"up {self.up} and right {self.right} lie along one line; "
                f"choose a right direction other than ±{self.up[1]}"
            )
        return self

    def matrix(self) -> Array:
        """R (3, 3), part to table, not to be written to; rows are right, away and up in part directions."""
        return _matrix(self.up, self.right, self.tilted)

    @property
    def is_square(self) -> bool:
        """Whether part directions lie along machine axes."""
        return all(exact_direction(row) is not None for row in self.matrix())

    def square_up(self) -> PartDirection | None:
        """The part direction that looks up once it lies as it does; None where none does."""
        return exact_direction(self.matrix()[2])

    def sizes(self, part: ArrayLike) -> Array:
        """Sizes (3,) along the machine's axes of a box with sizes (3,) along the part's: turned, they add up."""
        turned: Array = np.abs(self.matrix()) @ np.asarray(part, dtype=float)
        return turned

    def away(self) -> PartDirection:
        """The part direction that points to machine +Y, away from the operator."""
        return direction_name(self.matrix()[1])

    def in_shop_words(self) -> str:
        lies = f"part {shown(self.up)} up, {shown(self.right)} to the right"
        if not self.tilted:
            return lies
        # Stood square again, or all but, by whatever turned it, such as a tombstone's face by its index.
        square = orientation_from_matrix(self.matrix())
        left = self.matrix() @ square.matrix().T
        leans = math.degrees(math.acos(min(max((float(np.trace(left)) - 1.0) / 2.0, -1.0), 1.0)))
        if leans > _LEANS:
            return f"{lies}, {self.tilt_words()}"
        return f"{square.in_shop_words()}{f', leaning {leans:.4f}°' if leans > _STANDS else ''}"

    def tilt_words(self) -> str:
        """How it is turned from square, one turn after the other; empty where it is not."""
        return ", ".join(f"turned {turn.degrees:g}° about {turn.about.upper()}" for turn in self.tilted)


#: Turned from square by less it is said to lie square; by no more to lean (degrees).
_STANDS, _LEANS = 1e-5, 5.0


@lru_cache(maxsize=256)
def _matrix(up: PartDirection, right: PartDirection, tilted: tuple[AxisTurn, ...]) -> Array:
    """Worked out once for each way to lie: every view of every plan asks for it."""
    to_right, upward = direction_vector(right), direction_vector(up)
    matrix: Array = np.array([to_right, np.cross(upward, to_right), upward])
    for turn in tilted:
        matrix = rotation(turn.about, turn.degrees) @ matrix
    matrix.setflags(write=False)
    return matrix


def orientation_from_matrix(matrix: Array) -> Orientation:
    """The square orientation whose matrix is nearest to ``matrix`` (3, 3)."""
    return Orientation(up=direction_name(matrix[2]), right=direction_name(matrix[0]))


def all_orientations() -> tuple[Orientation, ...]:
    """The 24 square orientations, by upward face."""
    return tuple(Orientation(up=up, right=right) for up in DIRECTIONS for right in DIRECTIONS if up[1] != right[1])
