"""What a skew that is found late does to X and Y that were set before: the axes turn about the zero, not about what was
touched, so that a place ``w`` away from the zero reads ``|w| sin(skew)`` beside what it should."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ..frames import AXES, Axis
from ..quantities import said
from .touches import Problem, Step

#: How far a clamped part may be turned about Z before that is found, and where nobody looks for it because jaws, pins
#: or straight edges align it (degrees).
GUESSED_DEG, AS_CLAMPED_DEG = 0.5, 0.05
#: An axis that moves by no more than this (mm) is as good as before.
_NOTHING = 0.002


def moved_by_skew(before: Sequence[Step], offset: str, skew_deg: float) -> dict[Axis, float]:
    """How far off (mm) X and Y of ``offset`` may be that the steps ``before`` one that turns it have set, in the order
    they run, with the skew known to ``skew_deg`` until then."""
    moved: dict[Axis, float] = {}
    for step in before:
        if step.into not in ("", offset):
            continue
        for setting in step.sets:
            if setting.axis == "z":
                continue
            other = 1 - AXES.index(setting.axis)
            touches = [touch for touch in step.touches if touch.axis == setting.axis] or step.touches
            lever = max(abs(touch.w_contact[other]) for touch in touches) + step.knowledge_after[other].uncertainty
            moved[setting.axis] = lever * math.sin(math.radians(skew_deg))
    return {axis: off for axis, off in moved.items() if off > _NOTHING}


def skew_found_last(steps: Sequence[Step], offset: str) -> list[Step]:
    """``steps`` in the order they run; one that turns ``offset`` after X or Y was set, which nothing sets again, has
    that as a problem."""
    checked = list(steps)
    skew_deg = GUESSED_DEG
    for k, step in enumerate(steps):
        if not step.sets_skew or step.into not in ("", offset):
            continue
        again = {
            setting.axis for after in steps[k:] if after.into in ("", offset) for setting in after.sets
        }  # fmt: skip
        off = {axis: mm for axis, mm in moved_by_skew(steps[:k], offset, skew_deg).items() if axis not in again}
        if off:
            checked[k] = replace(step, problems=(*step.problems, _late(step, off)))
        # Any further one turns it by next to nothing.
        skew_deg = 0.0
    return checked


def _late(step: Step, off: dict[Axis, float]) -> Problem:
    letters = " and ".join(axis.upper() for axis in off)
    worst = max(off.values())
    return Problem(
        "SKEW_AFTER_ZERO",
        step.touches[0].number,
        f"'{step.cycle.name}' turns the axes about the zero after {letters} was set, which moves {letters} by up to "
        f"{said(worst)} for {GUESSED_DEG:g}° of skew.",
        f"Find the skew first, or set {letters} again after it.",
        value=worst,
        limit=_NOTHING,
    )
