"""Dowel pins: the play they leave, and where they go (handbook chapter 4).

Places are table-aligned part coordinates as the blank lies when it is bored, before the turn.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from ..errors import RegistrationError
from ..frames import Axis
from ..quantities import said
from .seats import RoundPlace

#: How the application lays out pins: see ``laid_out``.
PinLayout = Literal["two on the axis", "three, one on the axis", "three, all different", "two of two diameters"]
PIN_LAYOUTS: tuple[PinLayout, ...] = get_args(PinLayout)


@dataclass(frozen=True)
class Play:
    """How far the seated blank may lie off at a place: ``shift`` (mm), plus ``turn_rad`` at ``arm`` (mm)."""

    shift: float
    turn_rad: float
    arm: float

    @property
    def worst(self) -> float:
        return self.shift + self.turn_rad * self.arm

    @property
    def turn_deg(self) -> float:
        return math.degrees(self.turn_rad)


def play_at(pins: Sequence[RoundPlace], clearances: Sequence[float], x: float, y: float) -> Play:
    """The most that the blank can be off at a place when its bores are ``clearances`` wider than the pins.

    Of a pair of pins a distance D apart with clearances c1 and c2: its middle moves by up to (c1 + c2)/4, and
    it turns by up to (c1 + c2)/(2 D) (handbook chapter 4, where c1 = c2).  Every pair bounds it, so the pair
    that leaves least counts.  Raises RegistrationError with fewer than two pins apart.
    """
    bounds = []
    for (a, first), (b, second) in itertools.combinations(zip(pins, clearances, strict=True), 2):
        spacing = math.hypot(a.x - b.x, a.y - b.y)
        if spacing > 1e-6:
            both = first + second
            arm = math.hypot(x - (a.x + b.x) / 2.0, y - (a.y + b.y) / 2.0)
            bounds.append(Play(both / 4.0, both / (2.0 * spacing), arm))
    if not bounds:
        raise RegistrationError("Pins hold a part only when there are two of them at different places; add one.")
    return min(bounds, key=lambda play: play.worst)


def image(pin: RoundPlace, turn: Axis) -> RoundPlace:
    """Where a bore comes to lie after half a turn about a table axis through the zero."""
    return RoundPlace(pin.x, -pin.y, pin.diameter) if turn == "x" else RoundPlace(-pin.x, pin.y, pin.diameter)


def one_program(pins: Sequence[RoundPlace], turn: Axis) -> bool:
    """Whether board and blank take the same bores: the pattern is its own image about the turn axis."""

    def key(pin: RoundPlace) -> tuple[float, float, float]:
        return (round(pin.x, 4) + 0.0, round(pin.y, 4) + 0.0, round(pin.diameter, 4))

    return sorted(map(key, pins)) == sorted(key(image(pin, turn)) for pin in pins)


@dataclass(frozen=True)
class Margin:
    """The strip at either end of the part along the turn axis that is given to pins (mm).

    ``half_part`` is half of the part along the axis, ``path`` what the tool takes beside it, ``wall`` what
    stays between path and bore, ``half_blank`` half of the blank.
    """

    half_part: float
    path: float
    wall: float
    half_blank: float

    @property
    def inner(self) -> float:
        """Where the strip begins, from the middle."""
        return self.half_part + self.path + self.wall

    @property
    def middle(self) -> float:
        """Half-way between the part's path and the blank's edge: where bores go."""
        return (self.half_part + self.path + self.half_blank) / 2.0

    def lacking(self, diameter: float) -> float:
        """How much longer the blank must be at each end for a bore with a wall on either side."""
        return max(self.inner + diameter + self.wall - self.half_blank, 0.0)

    def extended(self, by: float) -> Margin:
        return Margin(self.half_part, self.path, self.wall, self.half_blank + by)


def laid_out(layout: PinLayout, margin: Margin, half_across: float, diameter: float, turn: Axis) -> list[RoundPlace]:
    """Pins about the middle of the blank, in the strips at both ends of the turn axis.

    ``half_across`` is how far from the axis a pin may lie (mm).  Raises RegistrationError where a bore finds
    no room; ``Margin.lacking`` tells what is missing.
    """
    if margin.lacking(diameter) > 1e-9:
        raise RegistrationError(
            f"The blank must be {said(margin.lacking(diameter))} longer at each end for pins of {said(diameter)}."
        )
    along, off = margin.middle, half_across
    match layout:
        case "two on the axis":
            places = [(-along, 0.0, diameter), (along, 0.0, diameter)]
        case "two of two diameters":
            places = [(-along, 0.0, diameter), (along, 0.0, 0.75 * diameter)]
        case "three, one on the axis":
            places = [(-along, off, diameter), (-along, -off, diameter), (along, 0.0, diameter)]
        case _:
            # No side as long as another, and none square to the axis or along it.
            places = [(-along, 0.9 * off, diameter), (-along, -0.5 * off, diameter), (along, 0.3 * off, diameter)]
    return [RoundPlace(a, b, d) if turn == "x" else RoundPlace(b, a, d) for a, b, d in places]
