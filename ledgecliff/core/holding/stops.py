"""What of the stock a work stop in a vise, or a dowel on a plate, really meets.

The stock's place along the jaws is planned from where it is gripped.  A stop is as high and as wide as it is: above the
jaws a hat may stand out over the finished wall, and below the seat there is nothing.
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..model.holding import PlateHold, ViseHold
from .holding import Block, Holding, along_the_jaws

#: What stands out, or stands back, by less than this is met as planned (mm): facets of rounds end within it.
SAME = 0.02
#: How thick a block is that is held across the jaws' end (mm).
_THICK = 10.0
#: Longer than any stock (mm).
_FAR = 1e5
#: Stock is looked for no further than this from a dowel (mm); less of it than this is in none (mm³).
_LOOKED, _CRUMB = 5.0, 1e-3
#: What only touches is not beside the stop (mm).
_TOUCH = 1e-6


@dataclass(frozen=True)
class StopContact:
    """``beyond`` is how far the stock stands out past the stop's face (mm), negative where it stands back from it, and
    ``-inf`` where nothing of it is beside the stop.  Up to ``clear_height`` over the vise's bed nothing stands out."""

    beyond: float
    clear_height: float


def stop_contact(holding: Holding) -> StopContact | None:
    """None where there is no stop, or no jaws that say along what the stock is pushed."""
    jaws = holding.jaws
    stop = holding.block("stop") or _across_the_end(holding)
    if stop is None or jaws is None:
        return None
    k = 1 - jaws.axis
    at_low = (stop.low[k] + stop.high[k]) / 2.0 < float(holding.u_stock[0][k] + holding.u_stock[1][k]) / 2.0
    face = stop.high[k] if at_low else stop.low[k]
    u_stock = transformed(holding.stock.solid, holding.orientation.matrix())
    beside = u_stock ^ _through(stop, k)
    if beside.is_empty():
        return StopContact(-np.inf, stop.high[2] - jaws.bed)
    low, high = np.array(beside.bounding_box()).reshape(2, 3)
    low, high = holding.stock.truly(np.array([low, high]), holding.orientation.matrix())
    beyond = float(face - low[k] if at_low else high[k] - face)
    normal = np.zeros(3)
    normal[k] = -1.0 if at_low else 1.0
    out = beside.trim_by_plane(tuple(normal), SAME - face if at_low else face + SAME)
    lowest = float(out.bounding_box()[2]) if not out.is_empty() else stop.high[2]
    return StopContact(beyond, lowest - jaws.bed)


def _across_the_end(holding: Holding) -> Block | None:
    """The block that is held across an end of the jaws while the stock is clamped; None where there is none."""
    hold, jaws = holding.hold, holding.jaws
    if not isinstance(hold, ViseHold) or hold.stop is None or not hold.stop.at_jaw_end or jaws is None:
        return None
    both = [block for block in holding.blocks if block.name in jaws.names]
    low, high = np.min([block.low for block in both], axis=0), np.max([block.high for block in both], axis=0)
    k, up = 1 - jaws.axis, jaws.bed + hold.stop.height
    # To the left as seen from the moving jaw.
    if (hold.stop.side == "left") == (along_the_jaws(jaws.vise)[k] > 0.0):
        low[k], high[k] = low[k] - _THICK, low[k]
    else:
        low[k], high[k] = high[k], high[k] + _THICK
    x, y, z = low.tolist()
    return Block("stop", (x, y, z), (float(high[0]), float(high[1]), up), "clamp")


def _through(stop: Block, k: int) -> manifold3d.Manifold:
    """The stop's width and height, from end to end along the jaws."""
    low, high = np.array(stop.low) + _TOUCH, np.array(stop.high) - _TOUCH
    low[k], high[k] = -_FAR, _FAR
    return box(tuple(low.tolist()), tuple(high.tolist()))


@dataclass(frozen=True)
class DowelContact:
    """Dowel ``number`` (from 1) as the stock lies: ``into`` it from ``clear_height`` over the plate up, which is as
    high as the dowel where it is not in the stock; ``gap`` is how far the stock is from it (mm), up to ``_LOOKED``."""

    number: int
    into: bool
    clear_height: float
    gap: float


def dowel_contacts(holding: Holding) -> tuple[DowelContact, ...]:
    """Every dowel that the stock is planned against on a plate; none where the turn's own pins give its place."""
    hold = holding.hold
    if not isinstance(hold, PlateHold) or hold.registered:
        return ()
    # In the plate's own frame, in which dowels stand upright however the plate does.
    turn, shift = holding.tf_s_u.turn, holding.tf_s_u.shift
    s_stock = transformed(holding.stock.solid, turn @ holding.orientation.matrix(), shift)
    found = []
    for number, dowel in enumerate(hold.dowels, start=1):
        block = holding.block(f"dowel {number}")
        assert block is not None, "each dowel has its block"
        s_dowel = transformed(block.solid(), turn, shift)
        low, high = np.array(s_dowel.bounding_box()).reshape(2, 3)
        x, y = (low + high)[:2] / 2.0
        core = manifold3d.Manifold.cylinder(dowel.height, max(dowel.diameter / 2.0 - SAME, SAME), circular_segments=48)
        inside = s_stock ^ core.translate((float(x), float(y), float(low[2])))
        into = float(inside.volume()) > _CRUMB
        clear = float(inside.bounding_box()[2] - low[2]) if into else dowel.height
        found.append(DowelContact(number, into, clear, float(s_stock.min_gap(s_dowel, _LOOKED))))
    return tuple(found)
