"""What must be true before a touch makes sense (docs/methods/one-touch.md); each gap is a ``Problem``."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from ..model.machine import Probe
from ..quantities import said
from .touches import Problem, Touch
from .walls import FreeWall

#: Room kept between ball or stem and what they must pass (mm).
MARGIN = 0.2
#: So far before the earliest contact a search begins (mm).
CLEAR_START = 0.05


#: The need that a surface lies within stand-off and overtravel.
WINDOW = 1

#: What a rotary axis is probed on must be turned by one.
NOTHING_TURNS = Problem(
    "NOTHING_TURNS",
    0,
    "The rotary axis is to be probed, but what holds the stock does not turn it.",
    "Hold the stock in a chuck, or take the zero from another surface.",
)


def window_problems(
    touch: Touch, early: float, late: float | None = None, room: float | None = None
) -> list[Problem]:  # fmt: skip
    """The surface must lie within stand-off and overtravel (need 1), which it may come ``early`` or ``late``
    by, as much late as early where only that is said; between walls there is ``room`` for no longer stand-off (mm)."""
    problems = []
    windows = (("stand-off", touch.stand_off, early), ("overtravel", touch.overtravel, early if late is None else late))
    for name, window, uncertainty in windows:
        if uncertainty > window + 1e-9:
            better: float | None = math.ceil(uncertainty * 2.0) / 2.0
            remedy = f"Make the {name} at least {said(uncertainty)}, or set the offset by eye more closely."
            if name == "stand-off" and room is not None and uncertainty > room:
                remedy, better = (
                    "Set the offset by eye more closely, find it roughly first, or use a smaller ball.",
                    None,
                )
            problems.append(
                Problem(
                    code="TOUCH_OUTSIDE_WINDOW",
                    touch=touch.number,
                    message=f"Touch {touch.number} ({touch.surface}, moving {touch.moving()}) may meet its surface "
                    f"{said(uncertainty)} from where it is expected, outside the {name} of {said(window)}.",
                    remedy=remedy,
                    need=WINDOW,
                    value=uncertainty,
                    limit=window,
                    field=name.replace("-", "_"),
                    better=better,
                )
            )
    return problems


def begun_clear(touch: Touch, early: float) -> Touch:
    """The touch begun a hair further back where its surface may come just at the start of the search: there the ball
    comes back to, and must not stand against the surface then."""
    if not 0.0 <= touch.stand_off - early < CLEAR_START:
        return touch
    return replace(touch, stand_off=early + CLEAR_START)


@dataclass(frozen=True)
class AtWall:
    """Heights about a touch on an upright wall, in ``u``, and how well they are known (mm).

    ``floor`` is the height below which something other than the wall is in the way, known to ``floor_unsure`` where
    that is not as well as the wall's own Z, which is known to ``z_unsure``; ``contact`` is the height of the contact
    and ``top`` the stock's top; ``overhang`` what stands out over the wall.
    """

    wall: FreeWall | None
    floor: float
    contact: float
    top: float
    z_unsure: float
    overhang: float = 0.0
    floor_unsure: float | None = None


def wall_problems(touch: Touch, about: AtWall, probe: Probe) -> list[Problem]:
    """Depth, reach and stem needs of a touch on an upright wall (needs 3 and 4)."""
    number, wall = touch.number, about.wall
    if wall is None:
        return [
            Problem(
                "TOUCH_NO_WALL",
                number,
                f"Touch {number} finds no free wall at the {touch.surface} in this setup.",
                "Take the zero from a surface that is there and can be reached.",
                5,
            )
        ]
    problems = []
    shallowest = probe.ball_radius + about.z_unsure
    if touch.depth < shallowest:
        problems.append(
            Problem(
                code="TOUCH_TOO_SHALLOW",
                touch=number,
                message=f"Touch {number} ({touch.surface}) contacts {said(touch.depth)} below the edge; with Z known "
                f"to ±{said(about.z_unsure)} the ball's side needs at least {said(shallowest)}.",
                remedy=f"Make the probing depth at least {said(shallowest)}.",
                need=3,
                value=touch.depth,
                limit=shallowest,
                field="depth",
                better=shallowest,
            )
        )
    low = max(wall.low, about.floor)
    by_floor = about.floor_unsure is not None and about.floor > wall.low
    low_unsure = about.floor_unsure if by_floor and about.floor_unsure is not None else about.z_unsure
    deepest = wall.high - low - probe.ball_radius - low_unsure
    if touch.depth > deepest:
        problems.append(
            Problem(
                code="TOUCH_TOO_DEEP",
                touch=number,
                message=f"Touch {number} ({touch.surface}) contacts {said(touch.depth)} below the edge; the free wall "
                f"is {said(wall.high - low)} high and leaves room to {said(deepest)}.",
                remedy=f"Make the probing depth at most {said(max(deepest, 0.0))}, or use a smaller ball.",
                need=3,
                value=touch.depth,
                limit=deepest,
                field="depth",
                better=deepest if deepest >= shallowest else None,
            )
        )
    below_top = about.top - about.contact + probe.ball_radius
    overhang = about.overhang
    if below_top > probe.reach:
        problems.append(
            Problem(
                "TOUCH_TOO_DEEP",
                number,
                f"Touch {number} ({touch.surface}) takes the stylus {said(below_top)} below the stock top; "
                f"it reaches {said(probe.reach)}.",
                "Probe higher up, or fit a longer stylus.",
                4,
                below_top,
                probe.reach,
            )
        )
    free = (probe.ball_diameter - probe.stem_diameter) / 2.0
    if overhang > 0.0 and free < overhang + MARGIN:
        problems.append(
            Problem(
                "TOUCH_STEM_FOULS",
                number,
                f"Touch {number} ({touch.surface}) lies under stock that stands out {said(overhang)}; "
                f"the ball stands out from its stem by only {said(free)}, so the stem touches first.",
                f"Fit a ball of at least {said(probe.stem_diameter + 2.0 * (overhang + MARGIN))} on this stem, take "
                "the zero from a surface without overhang, such as a bore, or cut the hat away first.",
                4,
                free,
                overhang + MARGIN,
            )
        )
    return problems


def not_as_it_lies(touch: Touch) -> Problem:
    """A feature's wall, floor or face is none for this axis as the part lies."""
    return Problem(
        "TOUCH_NO_WALL",
        touch.number,
        f"Touch {touch.number}: as the part lies, {touch.surface} has nothing square to {touch.axis.upper()} there "
        "to be touched.",
        "Take the zero from a feature that has, or lay the part as that one needs it.",
        5,
    )


def buried(touch: Touch, deep: float) -> Problem:
    """The surface is there, but still under stock that this setup has not cut yet."""
    return Problem(
        "TOUCH_BURIED",
        touch.number,
        f"Touch {touch.number} ({touch.surface}) cannot be reached: {said(deep)} of stock still lies before it.",
        "Probe the stock first, cut it clear, then probe this surface after that operation.",
        5,
        deep,
        0.0,
    )


def too_narrow(touch: Touch, width: float, probe: Probe) -> Problem:
    """Inside a feature the ball needs room to move (need 5)."""
    return Problem(
        "TOUCH_NO_ROOM",
        touch.number,
        f"Touch {touch.number} ({touch.surface}): the ball of {said(probe.ball_diameter)} has no room to move in "
        f"{said(width)}.",
        "Use a smaller ball, or take the zero from another feature.",
        5,
        probe.ball_diameter,
        width,
    )


def no_landing(
    touch: Touch, where: str, half_strip: float, unsure: float,
    remedy: str = "Find that axis first, use wider or longer parallels, or a smaller ball.",
) -> Problem:  # fmt: skip
    """Across its move the ball must come down on the target (need 2)."""
    return Problem(
        "TOUCH_NO_LANDING",
        touch.number,
        f"Touch {touch.number} must land on {where}: half its width is {said(half_strip)}, less the ball's radius "
        f"{said(touch.ball_radius)}, but across the move the place is known only to ±{said(unsure)}.",
        remedy,
        2,
        half_strip - touch.ball_radius,
        unsure,
    )


def occupied(touch: Touch, where: str, what: str, away: float, unsure: float) -> Problem:
    """What stands on the surface that the ball comes down on must be clear of it all the way (need 2)."""
    return Problem(
        "TOUCH_NO_LANDING",
        touch.number,
        f"Touch {touch.number} must land on the {where} beside the part, but {what} stands {said(away)} from there; "
        f"the ball's radius is {said(touch.ball_radius)} and the place is known only to ±{said(unsure)}.",
        "Move what stands there, find X and Y first, or take Z from another surface.",
        2,
        away - touch.ball_radius,
        unsure,
    )


def body_problems(touch: Touch, below_top: float, beside: float, probe: Probe) -> list[Problem]:
    """Deep beside the stock the stylus' thicker body must pass it (need 5): ``below_top`` is how deep that is when the
    stock is as high as it may be, ``beside`` the room to its axis."""
    if below_top + MARGIN <= probe.reach or beside >= probe.body_diameter / 2.0 + MARGIN:
        return []
    return [
        Problem(
            "TOUCH_TOO_DEEP",
            touch.number,
            f"Touch {touch.number} ({touch.surface}) may lie {said(below_top)} below the stock top; the stylus reaches "
            f"{said(probe.reach)}, of which {said(MARGIN)} stays free, and the probe's body has only {said(beside)} to "
            "the stock's side.",
            "Use longer parallels, a longer stylus, or take Z from another surface.",
            5,
            beside,
            probe.body_diameter / 2.0 + MARGIN,
        )
    ]
