"""Z from what the stock lies on: where that can be touched beside the stock, and what forbids it."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..frames import Axis
from ..holding import Block, Holding
from ..model.holding import SoftJaws, ViseHold
from ..solids.areas import nearest_in, shrunk, top_area
from .needs import body_problems, no_landing, occupied
from .step_context import StepContext
from .touches import Knowledge, Problem, Touch

_PARALLELS = ("back parallel", "front parallel")
#: What the stock lies on is touched no further than this from its side (mm).
_BESIDE = 30.0
_PLAN_AXES: tuple[tuple[int, Axis], ...] = ((0, "x"), (1, "y"))
#: A shaped block is at its full height to within this (mm).
_LEVEL = 0.001


def is_soft(holding: Holding) -> bool:
    return isinstance(holding.hold, ViseHold) and isinstance(holding.hold.jaws, SoftJaws)


def landing_block(context: StepContext, at: tuple[float, float] | None = None) -> Block | None:
    """What the stock lies on, where it can be touched beside it; of soft jaws the first jaw's top.  Of a pair, the one
    that a place is on."""
    holding = context.holding
    if is_soft(holding):
        return holding.first_jaw()
    pair = [*(f"{name} step" for name in (holding.jaws.names if holding.jaws else ())), *_PARALLELS]
    for each in holding.blocks:
        if at is not None and each.name in pair and max(_apart(each, at, 0), _apart(each, at, 1)) == 0.0:
            return each
    # A chuck that stands can be touched on its face beside the stock; on a rotary axis it cannot.
    chucks = ("chuck",) if holding.rotary_axis() is None else ()
    steps = tuple(f"{name} step" for name in holding.jaws.names[:1]) if holding.jaws is not None else ()
    names = ("back parallel", *steps, "plate", "spoilboard", "V-block", "jig", *chucks)
    return next((block for name in names if (block := holding.block(name)) is not None), None)


def landing_place(context: StepContext) -> tuple[float, float]:
    """The middle of what stands out beside the stock of what it lies on, on the side where most does."""
    low, high = context.holding.u_stock
    block = landing_block(context)
    if block is None:
        return float(high[0]), float(low[1] + high[1]) / 2.0
    middle = [(block.low[k] + block.high[k]) / 2.0 for k in (0, 1)]
    right, left = block.high[0] - float(high[0]), float(low[0]) - block.low[0]
    back, front = block.high[1] - float(high[1]), float(low[1]) - block.low[1]
    standing = [other for other in context.holding.blocks if other.high[2] > block.high[2] + 1e-6]
    room = context.probe.body_diameter / 2.0 + context.setup.probing.guess
    strips = (
        _beside((float(high[0]), middle[1]), 0, 1.0, right, standing, room),
        _beside((float(low[0]), middle[1]), 0, -1.0, left, standing, room),
        _beside((middle[0], float(high[1])), 1, 1.0, back, standing, room),
        _beside((middle[0], float(low[1])), 1, -1.0, front, standing, room),
    )
    level = [strip for strip in strips if _is_level(block, strip.place, context.probe.ball_radius)] or strips
    free = [strip for strip in level if strip.clear >= room and strip.width > 0.0] or level
    # The first of equals, so that a symmetrical holding is touched on the right.
    return max(free, key=lambda strip: round(strip.width, 6)).place


@dataclass(frozen=True)
class _Strip:
    """What stands out beside the stock: how far (mm), where it would be touched, and how far that is from whatever
    stands on it."""

    width: float
    place: tuple[float, float]
    clear: float


def _beside(side: tuple[float, float], k: int, sign: float, width: float, standing: list[Block], room: float) -> _Strip:
    """Out from the stock's side: in the middle of what stands out there, of a wide board near the stock, or beyond
    whatever stands on it (a frame's border), wherever clamps, dowels and border first leave ``room`` for the probe."""
    in_line = [other for other in standing if _apart(other, side, 1 - k) < room]
    taken = max((((other.high if sign > 0 else other.low)[k] - side[k]) * sign for other in in_line), default=0.0)
    strips = []
    for out in (min(width / 2.0, _BESIDE), width / 2.0, (taken + width) / 2.0):
        place = (side[0] + sign * out, side[1]) if k == 0 else (side[0], side[1] + sign * out)
        clear = min((_away(other, place) for other in standing), default=math.inf)
        strips.append(_Strip(width, place, clear))
    near, middle, beyond = strips
    return next(
        (strip for strip in strips if strip.clear >= room),
        max((middle, near, beyond), key=lambda strip: round(strip.clear, 6)),
    )


def _apart(block: Block, at: tuple[float, float], k: int) -> float:
    """How far a place lies from a block along one axis, mm: nought within its extent."""
    return max(block.low[k] - at[k], at[k] - block.high[k], 0.0)


def _away(block: Block, at: tuple[float, float]) -> float:
    """How far a place lies from a block, seen from above, mm: nought over it."""
    return math.hypot(_apart(block, at, 0), _apart(block, at, 1))


def _nearest(block: Block, at: tuple[float, float], known: dict[Axis, Knowledge]) -> float:
    """How near a place may come to a block (mm) that may lie off along X and Y as well as each of them is known."""
    return math.hypot(*(max(_apart(block, at, k) - known[axis].uncertainty, 0.0) for k, axis in _PLAN_AXES))


def _is_level(block: Block, at: tuple[float, float], radius: float) -> bool:
    """Whether a shaped block, such as a jig with pockets, is at its full height round a place."""
    if block.shape is None:
        return True
    return nearest_in(shrunk(top_area(block.shape, block.high[2], _LEVEL), radius), at) == at


def landing_problems(
    context: StepContext, touch: Touch, at: tuple[float, float], known: dict[Axis, Knowledge]
) -> list[Problem]:
    block, name = landing_block(context, at), context.holding.seat_name
    if block is None:
        return [no_landing(touch, f"the {name} beside the part", 0.0, known["z"].uncertainty)]
    problems = []
    for k, axis in _PLAN_AXES:
        strip = min(block.high[k] - at[k], at[k] - block.low[k])
        unsure = known[axis].uncertainty
        if strip - touch.ball_radius < unsure:
            words = "a parallel beside the part" if "parallel" in block.name else f"the {block.name} beside the part"
            problems.append(no_landing(touch, words, strip, unsure))
    for other in context.holding.blocks:
        if other.high[2] > block.high[2] + 1e-6:
            away, nearest = _away(other, at), _nearest(other, at, known)
            if nearest < touch.ball_radius:
                problems.append(occupied(touch, block.name, other.name, away, away - nearest))
    return [*problems, *stylus_problems(context, touch, at, known)]


def stylus_problems(
    context: StepContext, touch: Touch, at: tuple[float, float], known: dict[Axis, Knowledge]
) -> list[Problem]:
    """Whether what follows the ball clears the stock beside which it goes down."""
    low, high = context.holding.u_stock
    outside = max(at[k] - float(high[k]) for k in (0, 1)), max(float(low[k]) - at[k] for k in (0, 1))
    side = 0 if at[0] > float(high[0]) or at[0] < float(low[0]) else 1
    beside = max(outside) - known[_PLAN_AXES[side][1]].uncertainty
    below_top = float(high[2] - low[2]) + context.varies("z")
    return body_problems(touch, below_top, beside, context.probe)
