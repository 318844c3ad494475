"""Stock in a chuck on a rotary axis, and the same stock turned by it."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import rotation
from ..model.holding import Chuck, ChuckHold
from .flat_beds import Corners, OnBed
from .holding import shaped_block

_SEGMENTS = 96


def hold_in_chuck(chuck: Chuck, hold: ChuckHold, u_stock: manifold3d.Manifold, corners: Corners) -> OnBed:
    """The stock's middle lies on the axis, one end ``grip`` deep behind the chuck's face.

    Its lowest point is what everything counts from, though it hangs free.
    """
    low, high = corners
    middle = (low + high) / 2.0
    opens_right = chuck.opens == "right"
    face = float(low[0]) + hold.grip if opens_right else float(high[0]) - hold.grip
    body = manifold3d.Manifold.cylinder(chuck.length, chuck.diameter / 2.0, circular_segments=_SEGMENTS)
    along_x = transformed(body, rotation("y", 90.0))
    start = face - chuck.length if opens_right else face
    placed = along_x.translate((start, float(middle[1]), float(middle[2])))
    block = shaped_block("chuck", "jaw", placed - u_stock)
    shift = -np.array([face, middle[1], middle[2]])
    seat, foot = float(low[2]), float(middle[2]) - chuck.height
    return OnBed(seat, "rotary axis", seat, foot, "table", (block,), shift)
