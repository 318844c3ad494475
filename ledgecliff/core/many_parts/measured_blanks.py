"""Whether the blank of an instance, as it was measured, cleans up where it is clamped."""

from __future__ import annotations

from dataclasses import dataclass

from ..frames import AXES, Axis
from ..holding import Holding
from ..holding.giving_place import gives_place, pushed_toward
from ..model.holding import BoardHold, OwnHold, PlateHold, ViseHold
from ..model.pattern import Pattern
from ..setup_plan import SetupPlan

#: Ends that are planned to lose no more than this are finished already (mm).
_FINISHED = 1e-6
#: Zeros that are found on each blank, and which end of it (or its middle) then stays where the part has it.
_FOUND_ON_IT = {"stock centre": 0, "stock minus side": -1, "stock plus side": 1, "stock top": 1}


@dataclass(frozen=True)
class TooSmall:
    """An end of a blank (``sign`` along ``axis`` of the setup) that ``lacks`` so much to the part (mm)."""

    axis: Axis
    sign: int
    lacks: float


def too_small_ends(setup: SetupPlan, pattern: Pattern, sizes: dict[Axis, float]) -> tuple[TooSmall, ...]:
    """Ends of a blank of these sizes (mm) that do not reach the part; none where the part does not lie square.

    What it differs by from the stock as planned comes off the end that does not stay, or half off either.
    """
    level, found = setup.clamping.level, []
    if not level.orientation.is_square:
        return ()
    for axis, size in sizes.items():
        k = AXES.index(axis)
        off = (float(level.u_part[0][k] - level.u_stock[0][k]), float(level.u_stock[1][k] - level.u_part[1][k]))
        more, stays = size - float(level.u_stock[1][k] - level.u_stock[0][k]), _stays(setup, pattern, k)
        for sign, planned in zip((-1, 1), off, strict=True):
            share = 0.5 if stays == 0 else 0.0 if stays == sign else 1.0
            if planned > _FINISHED and planned + share * more < -_FINISHED:
                found.append(TooSmall(axis, sign, -(planned + share * more)))
    return tuple(found)


def _stays(setup: SetupPlan, pattern: Pattern, k: int) -> int:
    """Which end along an axis (-1, +1) stays at the part where the blank is of another size; 0: its middle."""
    source = setup.setup.datum.axis(AXES[k]).source
    if pattern.probed == "every one" and source in _FOUND_ON_IT:
        return _FOUND_ON_IT[source]
    level = setup.clamping.level
    if k == 2:
        return -1
    return pushed_toward(level, k) if _one_end_stays(level, k) else 0


def _one_end_stays(level: Holding, k: int) -> bool:
    """Whether it is pushed against something, not closed in to the middle nor laid by its middle."""
    hold = level.hold
    if not isinstance(hold, ViseHold | PlateHold | BoardHold | OwnHold) or not gives_place(level, k):
        return False
    return level.clamping_along(k).kind == "one-sided" and not getattr(hold, "registered", False)
