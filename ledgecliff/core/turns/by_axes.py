"""A turn that rotary axes make, the part staying clamped: angles that bring a side up."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from ..carried import in_one_place
from ..model.bench import AnyBenchStep
from ..model.machine import Machine
from ..model.orientation import Orientation
from ..model.setup import Setup
from ..model.stations import IndexAngle, Rotary
from ..places import as_it_lies, rotaries_under, stands_at

#: Angles from what counts as nought at which a side is looked for (degrees), the nearest first.
_SQUARE_DEG = (0.0, 90.0, -90.0, 180.0, -180.0, 270.0, -270.0)
#: Directions that agree so well are the same.
_SAME = 1e-9


@dataclass(frozen=True)
class ByAxes:
    """The setup after a turn as the axes would make it, or ``why_not``."""

    setup: Setup | None
    why_not: str = ""


def by_axes(machine: Machine, before: Setup, after: Setup, bench: tuple[AnyBenchStep, ...]) -> ByAxes:
    """``before`` and ``after`` as the job has them, with what is done at the bench between them."""
    under = rotaries_under(machine, before)
    if not under:
        return ByAxes(None, "no rotary axis carries what holds it")
    if bench:
        return ByAxes(None, "it is worked on beside the machine in between")
    if any(each.sense is None for each in under):
        return ByAxes(None, "which way the axis turns is not known")
    wanted = as_it_lies(machine, after).orientation
    held = {
        "hold": before.hold,
        "orientation": before.orientation,
        "machine": before.machine,
        "station": before.station,
    }
    if in_one_place(before, after) and after.hold == before.hold and after.orientation == before.orientation:
        return ByAxes(after)
    index = _index_for(machine, before.model_copy(update=held), under, wanted)
    if index is None:
        return ByAxes(None, "no square angles of the axes bring that side up")
    return ByAxes(after.model_copy(update={**held, "index": index}))


def _index_for(
    machine: Machine, held: Setup, under: tuple[Rotary, ...], wanted: Orientation
) -> tuple[IndexAngle, ...] | None:
    """Where the axes stand that leave the part lying as ``wanted``; None where they reach no such place."""
    choices = [
        [each.flat_deg + angle for angle in _SQUARE_DEG if each.reaches(each.flat_deg + angle)]
        for each in reversed(under)
    ]
    for angles in sorted(itertools.product(*choices), key=lambda angles: sum(abs(angle) for angle in angles)):
        index = tuple(
            IndexAngle(word=each.word, degrees=angle)
            for each, angle in zip(reversed(under), angles, strict=True)
            if abs(angle) <= 360.0
        )
        lies = as_it_lies(machine, held.model_copy(update={"index": index})).orientation
        if len(index) == len(under) and np.allclose(lies.matrix(), wanted.matrix(), atol=_SAME):
            return index
    return None


def angles_said(machine: Machine, setup: Setup) -> str:
    """Where the axes stand, as it is said at the machine: A90 C180."""
    under = reversed(rotaries_under(machine, setup))
    return " ".join(f"{each.word}{stands_at(each, setup.index):g}" for each in under)
