"""Stock in a chuck on a rotary axis, or standing in one."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array, rotation
from ..model.holding import Chuck, ChuckHold
from .flat_beds import Corners, OnBed
from .holding import shaped_block

_SEGMENTS = 96


def hold_in_chuck(chuck: Chuck, hold: ChuckHold, u_stock: manifold3d.Manifold, corners: Corners) -> OnBed:
    """The stock's middle lies on the axis, one end ``grip`` deep behind the chuck's face.

    Its lowest point is what everything counts from, though it hangs free; in one that stands, the chuck's face is what
    can be touched beside it.
    """
    low, high = corners
    middle = (low + high) / 2.0
    if chuck.stands:
        return _standing(chuck, hold, u_stock, low, middle)
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


def _standing(chuck: Chuck, hold: ChuckHold, u_stock: manifold3d.Manifold, low: Array, middle: Array) -> OnBed:
    seat = float(low[2])
    face = seat + hold.grip
    body = manifold3d.Manifold.cylinder(chuck.length, chuck.diameter / 2.0, circular_segments=_SEGMENTS)
    x, y = float(middle[0]), float(middle[1])
    block = shaped_block("chuck", "jaw", body.translate((x, y, face - chuck.length)) - u_stock)
    shift = -np.array([x, y, face])
    return OnBed(seat, "chuck face", face, face - chuck.height, "table", (block,), shift)
