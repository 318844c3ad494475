"""Edits of a fence on a board: a strip that blanks are pushed against, cut true in place."""

from __future__ import annotations

from typing import Literal

from ..changing import set_value
from ..errors import InvalidValueError
from ..model.holding import BoardHold
from ..model.job import Job
from ..plan import Plan

Side = Literal["left", "right", "front", "back"]
SIDES: tuple[Side, ...] = ("left", "right", "front", "back")
#: A fence is begun as long as so much of the side that lies against it.
_SHARE = 0.8


def with_fence(plan: Plan, setup: int, side: Side | None) -> Job:
    """A fence at that side of the stock, as long as it, or none.  Raises InvalidValueError for a setup that lies on no
    board, or whose place the turn's registration says."""
    job, hold = plan.job, plan.job.setups[setup].hold
    if not isinstance(hold, BoardHold):
        raise InvalidValueError("fence", f"'{job.setups[setup].name}' lies on no board that a strip is screwed to")
    path = ("setups", setup, "hold", "fence")
    if side is None:
        return set_value(job, path, None)
    if hold.fence is not None:
        return set_value(job, (*path, "side"), side)
    low, high = plan.setups[setup].holding.u_stock
    along = 1 if side in ("left", "right") else 0
    return set_value(job, path, {"side": side, "length": round(_SHARE * float(high[along] - low[along]))})


def with_zero_by_fence(plan: Plan, setup: int) -> Job:
    """The zero across the fence known from the cut: where it lies now, as a value of the board.  Raises
    InvalidValueError where there is no fence."""
    planned = plan.setups[setup]
    hold = planned.setup.hold
    if not isinstance(hold, BoardHold) or hold.fence is None:
        raise InvalidValueError("fence", f"'{planned.setup.name}' has none; put one at a side of the stock")
    k = hold.fence.axis
    shift = round(float(planned.wcs.u_origin[k] - planned.holding.u_zero[k]), 6)
    return set_value(plan.job, ("setups", setup, "datum", "xy"[k]), {"source": "fixture value", "shift": shift})
