"""What recognition yields: a feature with its sizes, where it is, and from where it can be seen."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..model.orientation import DIRECTIONS, PartDirection, direction_name, direction_vector
from ..model.part import FeatureKind
from ..solids.geometry import Triple

#: Directions closer than this are the same one (sine, or one less the cosine).
PARALLEL = 1e-4
#: Two unit vectors whose cross product is shorter lie along one line.
SAME_LINE = 1e-3


@dataclass(frozen=True)
class Recognised:
    """One recognised feature, lengths in mm in P.

    ``at`` is its reference point (for a round one on its axis, at its open end) and ``direction`` the
    unit vector in which it opens there.  ``length`` runs along the unit vector ``lengthwise``.
    ``steps`` are (diameter, depth of its far end below the opening) of a stepped hole, from the opening
    inward.  ``sees`` are the square directions, as seen from the part, from which all of it can be cut;
    ``own_way`` says whether it can be cut along its own direction.  ``faces`` are the numbers of its
    model faces, ``residual`` how far fitted ones stand off their triangles.  ``called`` is what a machinist calls it
    where its kind says too little, such as an obround pocket.
    """

    kind: FeatureKind
    at: Triple
    direction: Triple
    diameter: float | None = None
    depth: float | None = None
    length: float | None = None
    width: float | None = None
    lengthwise: Triple | None = None
    radius: float | None = None
    through: bool | None = None
    steps: tuple[tuple[float, float], ...] = ()
    sees: tuple[PartDirection, ...] = ()
    own_way: bool = False
    faces: tuple[int, ...] = ()
    residual: float = 0.0
    name: str = ""
    called: str = ""

    @property
    def vector(self) -> Array:
        return np.array(self.direction)

    def is_square(self) -> bool:
        """Whether it looks along one of the part's own axes."""
        return bool(np.max(np.abs(self.vector)) > 1.0 - PARALLEL)

    def nearest_direction(self) -> PartDirection:
        return direction_name(self.vector)


def parallel(a: Array, b: Array) -> bool:
    """Whether two unit vectors (3,) lie along one line, either way round."""
    x, y, z = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]
    return float(x * x + y * y + z * z) < SAME_LINE**2


def square_to(a: Array, b: Array) -> bool:
    return abs(float(a @ b)) < 1e-3


def square_name(direction: Array) -> PartDirection | None:
    """The part direction that ``direction`` is, or None for a skewed one."""
    return next((name for name in DIRECTIONS if float(direction_vector(name) @ direction) > 1.0 - PARALLEL), None)
