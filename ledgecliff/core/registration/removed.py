"""What operations for registration take, seen from above: bores for pins, and the slot of a frame."""

from __future__ import annotations

from functools import lru_cache
from typing import TypeAlias

import manifold3d
import numpy as np

from ..errors import RegistrationError
from ..frames import Array
from ..model.operations import FrameSlot, PinBores
from ..model.orientation import Orientation
from ..solids.facets import facets_for
from ..solids.geometry import FINE_DEFLECTION, PartGeometry
from .interlock import Frame, FrameSizes, make_frame
from .outlines import RoundedOutline

Section: TypeAlias = manifold3d.CrossSection
#: Solids keep to the arcs of a frame within this (mm).
_ARC = 0.005


def part_middle(geometry: PartGeometry, orientation: Orientation) -> Array:
    """The middle (2,) of the part's box in ``u``: where pins and frames are counted from."""
    corners = np.array([geometry.low, geometry.high]) @ orientation.matrix().T
    middle: Array = corners.mean(axis=0)[:2]
    return middle


def frame_of(operation: FrameSlot) -> Frame:
    """Raises RegistrationError, which names the operation, where the sizes do not go together."""
    slot = operation
    try:
        return make_frame(FrameSizes(slot.keep_x, slot.keep_y, slot.slot, slot.fit, slot.turn, slot.notches))
    except RegistrationError as error:
        raise RegistrationError(f"'{operation.name}' cannot be made: {error.words}") from error


def bores_area(operation: PinBores, middle: Array) -> Section:
    """The bores as circles of as many facets as their radius asks for."""
    circles = []
    for pin in operation.pins:
        radius = (pin.diameter + operation.clearance) / 2.0
        circle = Section.circle(radius, facets_for(radius, FINE_DEFLECTION))
        circles.append(circle.translate((float(middle[0]) + pin.x, float(middle[1]) + pin.y)))
    return Section.batch_boolean(circles, manifold3d.OpType.Add)


@lru_cache(maxsize=64)
def section_of(outline: RoundedOutline) -> Section:
    return Section([outline.points(_ARC)], manifold3d.FillRule.Positive)


def piece_area(operation: FrameSlot, middle: Array) -> Section:
    """What lies inside of the frame's slot."""
    return section_of(frame_of(operation).piece).translate((float(middle[0]), float(middle[1])))


def slot_area(operation: FrameSlot, middle: Array) -> Section:
    frame = frame_of(operation)
    ring = section_of(frame.hole) - section_of(frame.piece)
    return ring.translate((float(middle[0]), float(middle[1])))
