"""Need 5 of a touch: ball, stem, stylus body and whatever follows clear everything on every move.

The moves of a step are run with a feeler grown by what is not known of the place, against the stock as
it is then and what holds it; the search itself with the true one, to see what it meets first.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..model.machine import Probe
from ..quantities import said
from ..simulator.contact import Body, Contact, Feeler
from .touches import Place, Problem, Step, Touch

#: The search may meet its surface this much before or after it is expected without being another one (mm): flat, or
#: round, which the stock has only as facets.
_SAME_SURFACE, _SAME_ROUND = 0.05, 0.2
#: Uncertainties below this (mm) are less than a way is ever driven past anything.
_AS_GOOD_AS_KNOWN = 0.05
#: An approach ends this much before the stand-off (mm), where the ball may be as near as the window allows.
_LIFT = 0.01

Point = tuple[float, float, float]


def way_problems(
    step: Step,
    bodies: Sequence[Body],
    probe: Probe,
    nose: float,
    unsure: tuple[float, float, float],
    origin: Point = (0.0, 0.0, 0.0),
) -> list[Problem]:
    """``nose`` is how wide the spindle is (mm), ``unsure`` how well X, Y and Z are known before the step (mm),
    ``origin`` where its WCS has its zero in the coordinates of the ``bodies``."""
    sideways = min(math.hypot(unsure[0], unsure[1]), _most_sideways(step))
    true = Feeler.probe(probe, nose)
    # What is set is known so well that the true feeler does, whose ball is quicker to ask.
    known = max(sideways, unsure[2]) < _AS_GOOD_AS_KNOWN
    grown = true if known else Feeler.probe(probe, nose, grown=sideways, drop=unsure[2])
    problems: list[Problem] = []
    last: Place | None = None
    clear: list[tuple[Point, Point]] = []
    for touch in step.touches:
        moves = _approach(step, touch, last)
        # In a bore every touch comes down the same middle.
        contact = None if moves == clear else _first(grown, moves, bodies, origin)
        clear = moves if contact is None else []
        if contact is not None:
            problems.append(_blocked(touch, contact, max(sideways, unsure[2])))
        elif (met := _search(true, step, touch, bodies, origin)) is not None:
            problems.append(met)
        last = touch.start
    return problems


def _most_sideways(step: Step) -> float:
    """In a bore the way down is its middle; there the feeler grows only as far as the stand-off leaves room."""
    return min((touch.stand_off for touch in step.touches), default=0.0) - _LIFT


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


def _first(
    feeler: Feeler, moves: Sequence[tuple[Point, Point]], bodies: Sequence[Body], origin: Point
) -> Contact | None:
    for start, end in moves:
        met = feeler.first_contact(_placed(start, origin), _placed(end, origin), bodies)
        if met is not None:
            return met
    return None


def _placed(w_place: Point, origin: Point) -> Point:
    return (w_place[0] + origin[0], w_place[1] + origin[1], w_place[2] + origin[2])


def _search(feeler: Feeler, step: Step, touch: Touch, bodies: Sequence[Body], origin: Point) -> Problem | None:
    contact = feeler.first_contact(_placed(touch.start, origin), _placed(touch.end, origin), bodies)
    if contact is None:
        return None  # a wall that is not there has its own finding
    early = touch.stand_off - contact.travel
    if contact.part == "ball" and abs(early) <= (_SAME_SURFACE if step.w_centre is None else _SAME_ROUND):
        return None
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


def _blocked(touch: Touch, contact: Contact, unsure: float) -> Problem:
    return Problem(
        "TOUCH_WAY_BLOCKED",
        touch.number,
        f"Touch {touch.number} ({touch.surface}): on the way there the {_named(contact)} may meet the {contact.body}, "
        f"with its place known to ±{said(unsure)}.",
        "Find the axes first that are not known, shorten the stand-off, or touch elsewhere along the side.",
        5,
        unsure,
        0.0,
    )


def _named(contact: Contact) -> str:
    return {"ball": "ball", "nose": "spindle's nose"}.get(contact.part, f"probe's {contact.part}")
