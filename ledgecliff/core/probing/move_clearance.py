"""Need 5 of a touch: ball, stem, stylus body and whatever follows clear everything on every move.

The moves of a step are run with a feeler grown by what is not known of the place, against the stock as
it is then and what holds it; the search itself with the true one, to see what it meets first.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from ..contact.first_contact import Body, Contact, Feeler, Triple
from ..model.machine import Probe
from ..quantities import said
from .touches import Place, Problem, Step, Touch

#: The search may meet its surface this much before or after it is expected without being another one (mm): flat, or
#: round, which the stock has only as facets.
_SAME_SURFACE, _SAME_ROUND = 0.05, 0.2
#: Uncertainties below this (mm) are less than a way is ever driven past anything.
_AS_GOOD_AS_KNOWN = 0.05
#: An approach ends this much before the stand-off (mm), where the ball may be as near as the window allows.
_LIFT = 0.01

#: By this share of its radius a grown feeler's ball is larger than its round.
_ROUNDER = 0.005

Point = tuple[float, float, float]
#: How well (mm) X, Y and Z of the "stock" or the "fixture" are known at a touch.
Unsure = Callable[[Touch, str], Triple]


def way_problems(
    step: Step,
    bodies: Sequence[Body],
    probe: Probe,
    nose: float,
    unsure: Unsure,
    origin: Point = (0.0, 0.0, 0.0),
) -> list[Problem]:
    """``nose`` is how wide the spindle is (mm), ``unsure`` tells how well X, Y and Z of a body are known at a touch
    before the step (mm), ``origin`` where its WCS has its zero in the coordinates of the ``bodies``."""
    return _Ways(bodies, probe, nose, unsure, origin).problems(step)


class _Ways:
    def __init__(self, bodies: Sequence[Body], probe: Probe, nose: float, unsure: Unsure, origin: Point) -> None:
        self._probe, self._nose, self._unsure, self._origin = probe, nose, unsure, origin
        stock = [body for body in bodies if body.role == "stock"]
        self._bodies = {"stock": stock, "fixture": [body for body in bodies if body.role != "stock"]}
        self._true = Feeler.probe(probe, nose)
        self._grown: dict[Triple, Feeler] = {}

    def problems(self, step: Step) -> list[Problem]:
        problems: list[Problem] = []
        last: Place | None = None
        clear: list[tuple[Point, Point]] = []
        for touch in step.touches:
            moves = _approach(step, touch, last)
            # In a bore every touch comes down the same middle.
            met = None if moves == clear else self._on_the_way(touch, moves)
            clear = moves if met is None else []
            if met is not None:
                problems.append(_blocked(step, touch, *met))
            elif (other := self._searched(step, touch)) is not None:
                problems.append(_other_surface(touch, other))
            last = touch.start
        return problems

    def _on_the_way(self, touch: Touch, moves: Sequence[tuple[Point, Point]]) -> tuple[Contact, float] | None:
        """What the probe may meet, wherever it may be, and how well that body's place is known: the stock's as well as
        the stock is, the holding's as well as that."""
        for body, there in self._bodies.items():
            x, y, z = self._unsure(touch, body)
            # What is set is known so well that the true feeler does, whose ball is quicker to ask.
            feeler = self._true
            if max(x, y, z) >= _AS_GOOD_AS_KNOWN:
                key = (*_short_of_its_wall(touch, x, y), z)
                if key not in self._grown:
                    self._grown[key] = Feeler.probe_anywhere(self._probe, self._nose, key[:2], z)
                feeler = self._grown[key]
            for start, end in moves:
                met = feeler.first_contact(self._placed(start), self._placed(end), there)
                if met is not None:
                    return met, max(math.hypot(x, y), z)
        return None

    def _searched(self, step: Step, touch: Touch) -> Contact | None:
        """What the search meets before or beyond its own surface: with the true probe where it is meant to be, and
        against a flat side with the ball wherever it may be along it."""
        start, end = self._placed(touch.start), self._placed(touch.end)
        bodies = [body for group in self._bodies.values() for body in group]
        contact = self._true.first_contact(start, end, bodies)
        if contact is not None and not _as_meant(step, touch, contact):
            return contact
        if step.w_centre is not None or touch.axis == "z":
            return None  # a wall that is not there has its own finding
        aside = self._unsure(touch, "stock")[1 if touch.axis == "x" else 0]
        if aside < _AS_GOOD_AS_KNOWN:
            return None
        met = Feeler.ball_along(self._probe, touch.way[:2], aside).first_contact(start, end, bodies)
        before = met is not None and met.travel < touch.stand_off and not _as_meant(step, touch, met)
        return met if before else None

    def _placed(self, w_place: Point) -> Point:
        x, y, z = self._origin
        return (w_place[0] + x, w_place[1] + y, w_place[2] + z)


def _short_of_its_wall(touch: Touch, x: float, y: float) -> tuple[float, float]:
    """Aside along X and Y, but never onto the touched wall itself: that it may lie that near is the window's matter."""
    along = x * abs(touch.way[0]) + y * abs(touch.way[1])
    most = max(touch.stand_off - _LIFT - touch.ball_radius * _ROUNDER, 0.0)
    if along <= most:
        return x, y
    return (x if touch.way[0] == 0.0 else x * most / along), (y if touch.way[1] == 0.0 else y * most / along)


def _approach(step: Step, touch: Touch, last: Place | None) -> list[tuple[Point, Point]]:
    """Straight moves of the ball's centre: over, and down to where the search starts."""
    x, y, z = touch.start
    over = step.w_clearance + touch.ball_radius
    if step.w_centre is not None and step.crossing == "straight":
        cx, cy = step.w_centre
        return [((cx, cy, over), (cx, cy, z))]
    if step.crossing == "straight" and last is not None:
        return [(last, (x, y, z))]
    moves = [((x, y, over), (x, y, z))]
    if last is not None:
        moves.insert(0, ((last[0], last[1], over), (x, y, over)))
    return moves


def _as_meant(step: Step, touch: Touch, contact: Contact) -> bool:
    off = abs(touch.stand_off - contact.travel)
    return contact.part == "ball" and off <= (_SAME_SURFACE if step.w_centre is None else _SAME_ROUND)


def _other_surface(touch: Touch, contact: Contact) -> Problem:
    early = touch.stand_off - contact.travel
    what = f"the {_named(contact)}"
    return Problem(
        "TOUCH_OTHER_SURFACE",
        touch.number,
        f"Touch {touch.number} ({touch.surface}, moving {touch.moving()}): {what} meets the {contact.body} "
        f"{said(abs(early))} {'before' if early > 0.0 else 'beyond'} the surface it is meant for.",
        "Move the touch along the side, change its depth, or use another stylus.",
        5,
        contact.travel,
        touch.stand_off,
    )


def _blocked(step: Step, touch: Touch, contact: Contact, unsure: float) -> Problem:
    remedy = "Find the axes first that are not known, shorten the stand-off, or touch elsewhere along the side."
    if step.crossing == "straight":
        remedy = "Let the step go up and over between its touches, or find the axes first that are not known."
    return Problem(
        "TOUCH_WAY_BLOCKED",
        touch.number,
        f"Touch {touch.number} ({touch.surface}): on the way there the {_named(contact)} may meet the {contact.body}, "
        f"with its place known to ±{said(unsure)}.",
        remedy,
        5,
        unsure,
        0.0,
    )


def _named(contact: Contact) -> str:
    return {"ball": "ball", "nose": "spindle's nose"}.get(contact.part, f"probe's {contact.part}")
