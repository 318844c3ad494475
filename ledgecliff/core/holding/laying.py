"""How near a blank that is laid by eye, on lines, must come to where it is planned."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..blanks import transformed
from ..cutting.outlines import slot_border
from ..model.operations import Outline, PinBores
from ..model.setup import FROM_BEFORE, DatumSource, Setup
from ..solids.areas import room_about
from ..solids.flat_area import filled
from ..solids.geometry import PartGeometry
from .giving_place import gives_place
from .holding import Holding

#: Sources by which the cut lies where the fixture is, wherever the blank lies on it.
_BESIDE: tuple[DatumSource, ...] = ("fixture value", "fixture bore", "fixture face", *FROM_BEFORE, "stop", "dowel")


@dataclass(frozen=True)
class LaidByEye:
    """To either side the blank may lie ``within`` so much of its place (mm, less than nought where it cannot be) before
    the part does not clean up at its ``edge``, or bores for ``pins`` come too near to it."""

    within: float
    limit: Literal["edge", "pins"]


def laid_by_eye(setup: Setup, holding: Holding, geometry: PartGeometry, varies: float) -> LaidByEye | None:
    """None where something gives the blank its place, or what is cut lies where the blank was found.

    ``varies`` is how far its size may be off along X or Y (mm), which may all come to lie on one side.
    """
    loose = [
        axis
        for k, axis in enumerate(("x", "y"))
        if not gives_place(holding, k) and setup.datum.axis(axis).source in _BESIDE  # type: ignore[arg-type]
    ]
    if not loose:
        return None
    slots = [each.slot or 0.0 for each in setup.operations if isinstance(each, Outline)]
    edge = slot_border(geometry, holding.orientation, holding.stock.solid, max(slots, default=0.0))
    found = LaidByEye(edge - varies, "edge")
    blank = filled(transformed(holding.stock.solid, holding.orientation.matrix()).project())
    middle = (holding.u_part[0] + holding.u_part[1]) / 2.0
    for made in (each for each in setup.operations if isinstance(each, PinBores)):
        for pin in made.pins:
            at = (float(middle[0]) + pin.x, float(middle[1]) + pin.y)
            room = room_about(blank, at) - (pin.diameter + made.clearance) / 2.0 - made.wall - varies
            if room < found.within:
                found = LaidByEye(room, "pins")
    return found
