"""A second blank in the same jaws or under the same clamps: its body beside the first one's."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..frames import Array
from ..model.holding import Fixture, Hold, PlateHold, Vise, ViseHold
from .holding import Block, Holding, along_the_jaws, shaped_block

NAME = "second blank"
#: What is nearer than this touches (mm).
_NEAR = 0.05
#: How far down a clamp is pressed to see what it comes down on (mm).
_PRESSED = 0.05


def second_shift(fixture: Fixture, hold: Hold) -> Array | None:
    """How far (3,) in ``u`` the second blank stands from the first; None where there is none."""
    if not isinstance(hold, ViseHold | PlateHold) or hold.second is None:
        return None
    if isinstance(fixture, Vise):
        along: Array = hold.second.x * along_the_jaws(fixture)
        return along
    return np.array([hold.second.x, hold.second.y, 0.0])


def second_blank(fixture: Fixture, hold: Hold, u_stock: manifold3d.Manifold) -> Block | None:
    shift = second_shift(fixture, hold)
    return None if shift is None else shaped_block(NAME, "clamp", u_stock.translate(tuple(shift)))


def holds_second(holding: Holding) -> tuple[str, ...]:
    """What clamps the second blank: both jaws, or each clamp that comes down on it."""
    second = holding.block(NAME)
    assert second is not None, "the caller has looked"
    solid = second.solid()
    if holding.jaws is not None:
        jaws = [holding.block(name) for name in holding.jaws.names]
        meets = [jaw is not None and solid.min_gap(jaw.solid(), 2.0 * _NEAR) < _NEAR for jaw in jaws]
        return holding.jaws.names if all(meets) else ()
    down = tuple(holding.tf_s_u.turn.T @ (0.0, 0.0, -_PRESSED))
    clamps = [block for block in holding.blocks if block.name.startswith("clamp ")]
    return tuple(each.name for each in clamps if (each.solid().translate(down) ^ solid).volume() > _PRESSED)
