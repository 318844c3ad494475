"""The parting plane: where what is cut from one side meets what is cut from the other."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from ..frames import Array, Axis
from .base import Length, Model
from .orientation import Orientation

#: A cosine this near to one is of no angle.
_SQUARE = 1e-9


class PartingPlane(Model):
    """A plane square to a part axis, ``at`` a place along it (mm, P): one value that both sides share.

    Each cut that goes to it goes ``past`` it by so much, so that both meet.
    """

    along: Axis = "z"
    at: Length
    past: Annotated[float, Field(ge=0, le=100)] = 0.2

    def normal(self) -> Array:
        """Unit vector (3,) in P."""
        normal: Array = np.eye(3)["xyz".index(self.along)]
        return normal

    def height(self, orientation: Orientation) -> float | None:
        """Where along machine Z it lies, in ``u``, as the part lies; None where it does not lie level."""
        return self.place(orientation, 2)

    def place(self, orientation: Orientation, k: int) -> float | None:
        """Where along a machine axis (0 to 2) it lies, in ``u``; None where it is not square to that."""
        share = float(orientation.matrix()[k] @ self.normal())
        return self.at * share if abs(abs(share) - 1.0) < _SQUARE else None

    def stop(self, orientation: Orientation) -> float | None:
        """How far down (in ``u``) a cut from above goes that goes to it; None where it does not lie level."""
        height = self.height(orientation)
        return None if height is None else height - self.past
