"""A step as one call of a control's own cycle: where the probe stands to begin with, and what the cycle must be told.

Everything counts from where the probe stands, as such cycles do: roughly over the middle, beside the side, over the
corner.  ``one_call`` gives it only for a step whose touches are those that a cycle makes from these values; they are
worked out again from the values and compared (``touched_by``).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..frames import AXES, Axis
from ..model.cycles import WIDTHS
from .touches import Place, Step, Touch

Shape = Literal["top", "side", "width", "rectangle", "bore", "boss", "corner"]
#: Values of a call and the touches of its step agree to this (mm).
_SAME = 1e-6


@dataclass(frozen=True)
class Span:
    """Along one axis, from where the probe stands: the ball's centre begins a search ``begin`` away and ends it ``far``
    away at latest (mm, both on the same side), with ``size`` expected between both surfaces; ``sign`` is the way of a
    single search, and ``along`` where on the other axis that is made."""

    axis: Axis
    begin: float
    far: float
    size: float = 0.0
    sign: int = 1
    along: float = 0.0


@dataclass(frozen=True)
class OneCall:
    """``w_stand`` is where the ball's lowest point stands to begin with, in the WCS; ``down`` is from there to where
    it is when a search begins (mm).  ``inside`` is of what is touched from within, ``straight`` of a cycle that
    stays down between touches; the second of two ``passes`` begins at the middle that was found."""

    shape: Shape
    w_stand: Place
    down: float
    spans: tuple[Span, ...]
    inside: bool = False
    straight: bool = False
    passes: int = 1

    def span(self, axis: Axis) -> Span | None:
        return next((span for span in self.spans if span.axis == axis), None)


def one_call(step: Step) -> OneCall | None:
    """None for a step that no such cycle makes: repeated touches, angles, a skew, touches at different heights or
    places."""
    call = _call(step)
    if call is None or any(touch.turned_deg or touch.angle_deg is not None for touch in step.touches):
        return None
    if step.cycle.touches != 1 or step.sets_skew or step.cycle.kind in ("presence", "consistency"):
        return None
    made = touched_by(call, step.touches[0].ball_radius)
    wanted = [(touch.start, touch.end) for touch in step.touches]
    if len(made) != len(wanted):
        return None
    same = all(
        math.dist(a, b) < _SAME
        for mine, other in zip(made, wanted, strict=True)
        for a, b in zip(mine, other, strict=True)
    )
    return call if same else None


def touched_by(call: OneCall, ball_radius: float) -> list[tuple[Place, Place]]:
    """Where the ball's centre is when each search of a cycle begins, and where it ends at latest, in the WCS."""
    x, y, z = call.w_stand
    low = z - call.down + ball_radius
    if call.shape == "top":
        (span,) = call.spans
        return [((x, y, low), (x, y, low - span.far))]
    made: list[tuple[Place, Place]] = []
    for span in call.spans:
        k = AXES.index(span.axis)
        across = (x, y)[1 - k] + span.along
        middle = (x, y)[k]
        signs = (span.sign,) if call.shape in ("side", "corner") else (1, -1)
        for sign in signs:
            begin, far = middle - sign * span.begin, middle - sign * span.far
            made.append((_place(k, begin, across, low), _place(k, far, across, low)))
    return made


def _place(k: int, along: float, across: float, z: float) -> Place:
    return (along, across, z) if k == 0 else (across, along, z)


def _call(step: Step) -> OneCall | None:
    if step.kind == "surface":
        return _single(step)
    if step.kind == "corner":
        return _corner(step)
    if step.kind in (*WIDTHS, "rectangle", "bore", "boss"):
        return _pairs(step)
    return None


def _single(step: Step) -> OneCall:
    """From the clearance plane beside a side, or over a top."""
    touch = step.touches[0]
    x, y, z = touch.start
    down = step.w_clearance - (z - touch.ball_radius)
    search = touch.stand_off + touch.overtravel
    if touch.axis == "z":
        return OneCall("top", (x, y, step.w_clearance), down, (Span("z", 0.0, search),))
    return OneCall("side", (x, y, step.w_clearance), down, (Span(touch.axis, 0.0, -search, sign=touch.direction),))


def _pairs(step: Step) -> OneCall | None:
    straight = step.inside and step.crossing == "straight"
    if straight != (step.crossing == "straight"):
        return None
    spans, middle = [], [0.0, 0.0]
    for axis in AXES[:2]:
        pair = [touch for touch in step.touches if touch.axis == axis]
        if not pair:
            continue
        if len(pair) != 2:
            return None
        k = AXES.index(axis)
        low, high = pair
        middle[k] = (low.w_contact[k] + high.w_contact[k]) / 2.0
        size = high.w_contact[k] - low.w_contact[k]
        spans.append(Span(axis, middle[k] - low.start[k], middle[k] - low.end[k], size))
        if len(spans) == 1 and step.kind in WIDTHS:
            middle[1 - k] = low.w_contact[1 - k]
    tip = step.touches[0].w_contact[2] - step.touches[0].ball_radius
    height = tip if straight else step.w_clearance
    kinds: dict[str, Shape] = {"rectangle": "rectangle", "bore": "bore", "boss": "boss"}
    stand = (middle[0], middle[1], height)
    shape = kinds.get(step.kind, "width")
    return OneCall(shape, stand, height - tip, tuple(spans), step.inside, straight, step.passes)


def _corner(step: Step) -> OneCall | None:
    """Over an outside corner, one touch of each edge."""
    if step.inside or step.crossing != "over" or len(step.touches) != 2:
        return None
    edges: dict[Axis, Touch] = {touch.axis: touch for touch in step.touches}
    corner = (edges["x"].w_contact[0], edges["y"].w_contact[1])
    spans = []
    for touch in step.touches:
        k = AXES.index(touch.axis)
        begin, far = (touch.direction * (corner[k] - place[k]) for place in (touch.start, touch.end))
        along = touch.w_contact[1 - k] - corner[1 - k]
        spans.append(Span(touch.axis, begin, far, sign=touch.direction, along=along))
    tip = step.touches[0].w_contact[2] - step.touches[0].ball_radius
    return OneCall("corner", (*corner, step.w_clearance), step.w_clearance - tip, tuple(spans))
