"""Stock of another size than planned, pushed against a stop or dowels that stay where they stand.

A plan says where the stock's middle is and puts stop and dowels to its sides.  Once they stand there, a larger blank
comes to lie with the same side against them, and its middle further off.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

import numpy as np

from ..frames import Array, rotation
from ..model.holding import BoardHold, Dowel, Fence, Hold, PlateHold, Screw, Support, Vise, ViseHold
from .holding import JAW_TURN_DEG, Holding

_Standing = TypeVar("_Standing", Dowel, Screw, Support)


def pushed_against(hold: Hold, planned: Holding, true: Holding) -> Hold | None:
    """The hold that puts this stock where the planned stop or dowels have it; ``true`` is how it is held by its middle.

    None where nothing stands beside it that stays.
    """
    stays = isinstance(hold, ViseHold) and hold.stop is not None and not hold.stop.at_jaw_end
    if isinstance(hold, ViseHold) and stays and isinstance(true.fixture, Vise):
        off = _stop(planned) - _stop(true)
        along = float((rotation("z", JAW_TURN_DEG[true.fixture.fixed_jaw]) @ off)[0])
        supports = _standing_still(hold.supports, planned, true, off[:2])
        return hold.model_copy(update={"beside": hold.beside + along, "supports": supports})
    if isinstance(hold, PlateHold) and hold.dowels and not hold.registered:
        return _on_plate(hold, planned, true)
    if isinstance(hold, BoardHold) and hold.fence is not None:
        return _against_fence(hold, hold.fence, planned, true)
    return None


def _against_fence(hold: BoardHold, fence: Fence, planned: Holding, true: Holding) -> BoardHold:
    """The side at the fence stays; along it a hand lays the middle where the planned one's is.  Screws go into the
    board where they were to go."""
    meant, is_now = _ends_on_bed(planned), _ends_on_bed(true)
    off = np.zeros(2)
    end = 0 if fence.sign < 0 else 1
    off[fence.axis] = meant[end, fence.axis] - is_now[end, fence.axis]
    still = {name: _standing_still(getattr(hold, name), planned, true, off) for name in ("screws", "supports")}
    return hold.model_copy(update={"x": hold.x + float(off[0]), "y": hold.y + float(off[1]), **still})


def _stop(holding: Holding) -> Array:
    """The middle (3,) of the stop in the fixture's frame."""
    stop = holding.block("stop")
    assert stop is not None, "a hold with a stop has its block"
    return holding.tf_s_u((np.array(stop.low) + stop.high) / 2.0)


def _on_plate(hold: PlateHold, planned: Holding, true: Holding) -> PlateHold:
    meant, is_now = _ends_on_bed(planned), _ends_on_bed(true)
    off = np.zeros(2)
    for k in (0, 1):
        places = [dowel.x if k == 0 else dowel.y for dowel in hold.dowels]
        end = _end_with_dowels(places, float(meant[1, k] - meant[0, k]))
        if end is not None:
            off[k] = meant[end, k] - is_now[end, k]
    still = {name: _standing_still(getattr(hold, name), planned, true, off) for name in ("dowels", "supports")}
    return hold.model_copy(update={"x": hold.x + float(off[0]), "y": hold.y + float(off[1]), **still})


def _standing_still(
    things: tuple[_Standing, ...], planned: Holding, true: Holding, off: Array
) -> tuple[_Standing, ...]:
    """Screws, dowels or supports where the plan has them on their bed, though their places count from the corner of the
    stock; ``off`` (2,) is how far that moves besides."""
    x, y = _ends_on_bed(planned)[0] - (_ends_on_bed(true)[0] + off)  # from this stock's corner to the planned one's
    return tuple(thing.model_copy(update={"x": thing.x + float(x), "y": thing.y + float(y)}) for thing in things)


def _ends_on_bed(holding: Holding) -> Array:
    """From where to where (2, 2) the stock reaches along the bed's own X and Y: at a tilted station others than the
    machine's."""
    u_points = holding.stock.mesh.vertices @ holding.orientation.matrix().T
    s_points = u_points @ holding.tf_s_u.turn.T + holding.tf_s_u.shift
    return np.array([s_points.min(axis=0), s_points.max(axis=0)])[:, :2]


def _end_with_dowels(places: Sequence[float], size: float) -> int | None:
    """0 where a dowel stands before the stock's lower end, 1 where one stands behind its upper; None for neither."""
    if any(place <= 0.0 for place in places):
        return 0
    return 1 if any(place >= size for place in places) else None
