"""A whole fourth axis or trunnion, step by step: what must be known of each axis before work is released on it.

In the order in which it is found: which way it turns, level, the centre, and that nothing stands shifted.  Of a chain
the axis that stands lower comes first, since the upper one's centre is stated with that level.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..model.machine import Machine
from ..model.stations import Rotary
from ..programs.sense_test import SEEN
from ..quantities import said
from .centre_guides import guides_for

StepKey = Literal["sense", "level", "centre", "repeat", "shift"]


@dataclass(frozen=True)
class AxisStep:
    """One step for an axis: what it is called, what is known or still to be done, and the ``way`` (the title of a
    page) that leads there, empty where none does."""

    key: StepKey
    axis: str
    title: str
    said: str
    is_done: bool
    way: str = ""


def axes_from_below(machine: Machine) -> tuple[Rotary, ...]:
    """The rotary axes of a machine, each after those that carry it."""
    rotaries = [each for each in machine.carriers if isinstance(each, Rotary)]
    return tuple(sorted(rotaries, key=lambda each: len(machine.carried_by(each))))


def axis_steps(machine: Machine) -> tuple[AxisStep, ...]:
    """Every step for all rotary axes of a machine."""
    return tuple(step for rotary in axes_from_below(machine) for step in _steps(rotary))


def _steps(rotary: Rotary) -> tuple[AxisStep, ...]:
    return (_sense(rotary), _level(rotary), _centre(rotary), _repeat(rotary), _shift(rotary))


def _sense(rotary: Rotary) -> AxisStep:
    right, left = SEEN[rotary.about]
    title = f"{rotary.word}: which way it turns"
    if rotary.sense is None:
        words = f"Run the sense test and look at +90: right-handed, {right}; left-handed, {left}."
        return AxisStep("sense", rotary.id, title, words, is_done=False)
    if rotary.sense_seen_on is None:
        return AxisStep(
            "sense", rotary.id, title, f"{rotary.sense}; nobody has said when that was seen.", is_done=False
        )
    return AxisStep("sense", rotary.id, title, f"{rotary.sense}, seen on {rotary.sense_seen_on}.", is_done=True)


def _level(rotary: Rotary) -> AxisStep:
    title = f"{rotary.word}: level"
    way = next((guide.title for guide in guides_for(rotary) if guide.kind == "flat sweep"), "")
    since = [each for each in rotary.happened if rotary.flat_swept_on is None or each.on >= rotary.flat_swept_on]
    if rotary.flat_swept_on is None and rotary.about == "z":
        words = "Bring a straight edge of its table along X, enter what the word reads (Level at), and the day."
    elif rotary.flat_swept_on is None:
        words = "Touch its table twice, a long way apart, go to the angle that comes out, touch again to see nought."
    elif since:
        words = f"No longer counts since {since[-1].on} ({since[-1].what}). Sweep it again."
    else:
        words = f"{rotary.word}{rotary.flat_deg:g} is level, swept on {rotary.flat_swept_on}."
    is_done = rotary.flat_swept_on is not None and not since
    return AxisStep("level", rotary.id, title, words, is_done=is_done, way=way)


def _centre(rotary: Rotary) -> AxisStep:
    title = f"{rotary.word}: centre"
    way = {"x": "Faces of the trunnion", "y": "Faces of the trunnion", "z": "Bore of the table"}[rotary.about]
    stale = rotary.stale_since()
    known = (("how well it is known", rotary.uncertainty), ("on which day", rotary.found_on))
    missing = [unsaid for unsaid, value in known if value is None]
    is_done = False
    if rotary.origin in (None, "assumed"):
        words = "Find it: by bar, by the trunnion's faces, by the table's bore; by hand or by probe."
    elif stale is not None:
        words = f"No longer counts since {stale.on} ({stale.what}). Find it anew."
    elif missing:
        words = f"By {rotary.origin}; nobody has said {' nor '.join(missing)}."
    else:
        words, is_done = f"By {rotary.origin} on {rotary.found_on}, known to ± {said(rotary.uncertainty or 0.0)}.", True
    return AxisStep("centre", rotary.id, title, words, is_done=is_done, way=way)


def _repeat(rotary: Rotary) -> AxisStep:
    title = f"{rotary.word}: how well it repeats"
    if rotary.repeat_deg is None:
        words = "From its sheet, or go there from both sides and read an indicator far out: step over distance."
        return AxisStep("repeat", rotary.id, title, words, is_done=False)
    return AxisStep("repeat", rotary.id, title, f"Within ± {rotary.repeat_deg:g}°.", is_done=True)


def _shift(rotary: Rotary) -> AxisStep:
    title = f"{rotary.word}: nothing stands shifted"
    if rotary.shift_in_place:
        words = f"Moved along by {said(rotary.shift_in_place)} for a test cut: move it back, and say so."
        return AxisStep("shift", rotary.id, title, words, is_done=False)
    return AxisStep("shift", rotary.id, title, "No test cut has left anything moved along.", is_done=True)
