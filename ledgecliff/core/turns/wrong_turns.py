"""Whether a wrong turn is noticed, by what registers it: worked out for this part, and not said of a way in general.

Wrong is the part turned end for end: other face up as wanted, but spun by half a turn against what is meant.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import assert_never

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.part import Feature
from ..quantities import said, said_area
from ..registration.pins import image
from ..registration.removed import frame_of
from ..registration.seats import RoundPlace, Seat, seats
from ..setup_plan import SetupPlan
from .layouts import default_frame, default_pins
from .turn_plan import TurnPlan, Way

#: Outlines that differ by less than this share of their area are alike to whatever holds them.
_ALIKE = 0.01


def wrong_turn_words(turn: TurnPlan, way: Way, probed: Feature | None) -> str:
    """With lengths and areas to be spelled.  ``probed`` is the feature that is probed after the turn, None where the
    part's sides are."""
    match way:
        case "jaw and stop":
            return "not noticed by itself; mark the end that stays"
        case "probed feature":
            return _by_probing(turn, probed)
        case "soft-jaw bore" | "two-pocket jig":
            return _by_outline(turn.after)
        case "dowel pins":
            return _by_pins(turn.seats if turn.way == way else _seats_of_default_pins(turn))
        case "interlocking frame":
            return _by_frame(turn)
        case "rotary index":
            return "cannot lie wrong: only the axis turns it; a wrong sense or angle shows in the sense test"
        case _:
            assert_never(way)


def _by_probing(turn: TurnPlan, probed: Feature | None) -> str:
    if probed is None:
        return "not noticed: its sides are touched alike either way; mark the end that stays"
    after = turn.after
    middle = np.mean(after.holding.u_stock, axis=0)[:2]
    place = (after.setup.orientation.matrix() @ np.array(probed.at.as_tuple()))[:2]
    off = 2.0 * float(np.linalg.norm(place - middle))
    routine = after.setup.probing
    found = off <= max(routine.stand_off, routine.overtravel)
    what = f"turned end for end {probed.name} lies {said(off)} off"
    return f"not noticed: {what}, within what is searched" if found else f"noticed: {what}, more than is searched"


def _by_outline(after: SetupPlan) -> str:
    """The outline that is held, against itself spun by half a turn about the middle of its box."""
    outline = _without_holes(transformed(after.before.solid, after.setup.orientation.matrix()).project())
    low_x, low_y, high_x, high_y = outline.bounds()
    spun = outline.scale((-1.0, -1.0)).translate((low_x + high_x, low_y + high_y))
    differs = float(((outline - spun) + (spun - outline)).area())
    if differs <= _ALIKE * float(outline.area()):
        return "not noticed: its outline is alike end for end; mark the end that stays"
    return f"noticed: end for end its outline differs by {said_area(differs)}"


def _without_holes(area: manifold3d.CrossSection) -> manifold3d.CrossSection:
    """What holds a part by its outline does not feel the holes through it."""
    rings = [ring for ring in area.to_polygons() if _turns_left(ring)]
    return manifold3d.CrossSection(rings, manifold3d.FillRule.Positive)


def _turns_left(ring: Array) -> bool:
    x, y = ring.T
    return bool(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) > 0.0)


def _seats_of_default_pins(turn: TurnPlan) -> tuple[Seat, ...]:
    """Of the pins that choosing them would begin with."""
    if turn.axis is None:
        return ()
    made = default_pins(turn)
    x, y = turn.part_middle - turn.before.wcs.u_origin[:2]
    pins = [RoundPlace(float(x) + pin.x, float(y) + pin.y, pin.diameter) for pin in made.pins]
    bores = [RoundPlace(pin.x, pin.y, pin.diameter + made.clearance) for pin in pins]
    return seats(bores, [image(pin, turn.axis) for pin in pins], turn.axis)


def _by_pins(found: Sequence[Seat]) -> str:
    wrong = [seat for seat in found if seat.turned and not seat.intended]
    seated = [seat.name for seat in wrong if seat.seats]
    if not found:
        return "not tested: there are no two pins to seat it on"
    if seated:
        return f"not noticed: turned, it also goes in {', '.join(seated)}"
    nearest = min((seat.miss for seat in wrong), default=math.inf)
    return "it goes in one way only" + (f"; the nearest other misses by {said(nearest)}" if wrong else "")


def _by_frame(turn: TurnPlan) -> str:
    from ..registration.interlock_check import check_frame  # shapely takes its time to import

    checked = turn.frame_check if turn.way == "interlocking frame" else None
    if checked is None:
        slot = default_frame(turn)
        checked = check_frame(frame_of(slot), slot.slot)
    if checked.wrong_ways:
        return f"not noticed: it also goes in {', '.join(name.removeprefix('turned ') for name in checked.wrong_ways)}"
    tried = [way for way in checked.others if not way.name.startswith("not turned")]
    if not checked.fits:
        return "it does not go in at all"
    return "blocked in the one wrong way" if len(tried) == 1 else f"blocked in all {len(tried)} wrong ways"
