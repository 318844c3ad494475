"""Where pins are in the way: of what is cut, of what holds the stock, of the blank's edge."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.operations import Pin, PinBores

if TYPE_CHECKING:
    from .turning import TurnPlan

#: Circles of this many corners stand for bores.
_FACETS = 64
#: Shared areas smaller than this are rounding (mm²).
_CRUMB = 1e-3


@dataclass(frozen=True)
class InTheWay:
    """A pin, by its number from 1, and what it is in the way of."""

    number: int
    pin: Pin
    what: str


def cut_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins whose bores, with the wall that is to stay round them, are cut into before or after the turn."""
    made = turn.pin_bores
    if made is None:
        return []
    found = []
    for setup in (turn.before, turn.after):
        for k, operation in enumerate(setup.setup.operations):
            if operation.removes == "pin bores":
                continue
            area = _from_above(setup.cutting.removed(k), turn)
            words = f"'{operation.name}' in {setup.setup.name}"
            found += [InTheWay(n, pin, words) for n, pin, disc in _discs(turn, made, made.wall) if _meet(area, disc)]
    return found


def part_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins whose bores would go into the finished part."""
    made = turn.pin_bores
    if made is None:
        return []
    area = _from_above(turn.before.geometry.solid, turn)
    return [InTheWay(n, pin, "the part") for n, pin, disc in _discs(turn, made, 0.0) if _meet(area, disc)]


def held_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins that stand in a clamp, a screw or a dowel."""
    made = turn.pin_bores
    if made is None:
        return []
    found = []
    for setup, back in ((turn.before, np.zeros(2)), (turn.after, None)):
        for block in setup.holding.blocks:
            if block.kind != "clamp":
                continue
            area = block.solid().project()
            if back is None:
                area = _turned_back(area, turn)
            words = f"{block.name} in {setup.setup.name}"
            found += [InTheWay(n, pin, words) for n, pin, disc in _discs(turn, made, 0.0) if _meet(area, disc)]
    return found


def pins_near_edge(turn: TurnPlan) -> list[tuple[int, Pin, float]]:
    """Pins with less than their wall to the blank's edge: number from 1, pin, and how much is lacking (mm)."""
    made = turn.pin_bores
    if made is None:
        return []
    blank = _from_above(turn.before.before.solid, turn)
    found = []
    for number, pin, _ in _discs(turn, made, 0.0):
        lacking = _lacking(blank, turn, pin, made)
        if lacking > 1e-6:
            found.append((number, pin, lacking))
    return found


def _lacking(blank: manifold3d.CrossSection, turn: TurnPlan, pin: Pin, made: PinBores) -> float:
    """How much of the wall round a bore lies outside of the blank (mm), by halving."""

    def fits(wall: float) -> bool:
        return bool((_disc(turn, pin, made, wall) - blank).area() < _CRUMB)

    if fits(made.wall):
        return 0.0
    low, high = -(pin.diameter + made.clearance) / 2.0, made.wall
    if not fits(low + 1e-3):
        return made.wall - low
    for _ in range(20):
        middle = (low + high) / 2.0
        low, high = (middle, high) if fits(middle) else (low, middle)
    return made.wall - low


def _discs(turn: TurnPlan, made: PinBores, wall: float) -> list[tuple[int, Pin, manifold3d.CrossSection]]:
    return [(n, pin, _disc(turn, pin, made, wall)) for n, pin in enumerate(made.pins, start=1)]


def _disc(turn: TurnPlan, pin: Pin, made: PinBores, wall: float) -> manifold3d.CrossSection:
    radius = (pin.diameter + made.clearance) / 2.0 + wall
    x, y = (float(value) for value in turn.part_middle)
    return manifold3d.CrossSection.circle(max(radius, 1e-3), _FACETS).translate((x + pin.x, y + pin.y))


def _from_above(p_solid: manifold3d.Manifold, turn: TurnPlan) -> manifold3d.CrossSection:
    """A solid in P as it is seen from above in the setup before: a turn over shows it mirrored, which is the same
    from below."""
    return transformed(p_solid, turn.before.setup.orientation.matrix()).project()


def _turned_back(area: manifold3d.CrossSection, turn: TurnPlan) -> manifold3d.CrossSection:
    """An area in ``u`` after the turn as it lay before."""
    back: Array = turn.turn.matrix.T[:2, :2]
    return area.transform(np.column_stack([back, np.zeros(2)]))


def _meet(a: manifold3d.CrossSection, b: manifold3d.CrossSection) -> bool:
    return bool((a ^ b).area() > _CRUMB)
