"""Dowel pins: the play they leave, and where they go (docs/methods/turns.md).

Places are table-aligned part coordinates as the blank lies when it is bored, before the turn.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, get_args

import numpy as np

from ..errors import RegistrationError
from ..frames import Axis
from ..quantities import said
from .seats import RoundPlace

#: Pins nearer than this are at one place (mm).
_APART = 1e-6
#: Directions over half a turn in which the farthest place is looked for, and corners of the polygons about discs.
_DIRECTIONS, _CORNERS = 16, 48
#: Dowel pins as they are made (ISO 8734, mm).
PIN_DIAMETERS = (2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0, 12.0, 16.0, 20.0)
#: How the application lays out pins: see ``laid_out``.
PinLayout = Literal["two on the axis", "three, one on the axis", "three, all different", "two of two diameters"]
PIN_LAYOUTS: tuple[PinLayout, ...] = get_args(PinLayout)


@dataclass(frozen=True)
class Held:
    """A pin at a place from the middle of what registers the part, in a bore ``radius`` (half the clearance) wider."""

    x: float
    y: float
    radius: float


@dataclass(frozen=True)
class Play:
    """How far the seated blank may lie off: any way by ``shift`` (mm) at the middle, and turned by ``turn_rad``; the
    ``worst`` (mm) at the place that was asked for, where both are never full at once."""

    shift: float
    turn_rad: float
    worst: float

    @property
    def turn_deg(self) -> float:
        return math.degrees(self.turn_rad)


def play_at(pins: Sequence[RoundPlace], clearances: Sequence[float], x: float, y: float) -> Play:
    """The most that the blank can be off at a place when its bores are ``clearances`` wider than the pins: over every
    pose in which each pin is inside its bore.  Shift and turn are about the middle of the pins.

    Raises RegistrationError with fewer than two pins apart.
    """
    if not holds_the_turn(pins):
        raise RegistrationError("Pins hold a part only when there are two of them at different places; add one.")
    mx, my = (sum(getattr(pin, axis) for pin in pins) / len(pins) for axis in ("x", "y"))
    held = tuple(Held(pin.x - mx, pin.y - my, c / 2.0) for pin, c in zip(pins, clearances, strict=True))
    return Play(worst_at(held, 0.0, 0.0), widest_turn(held), worst_at(held, x - mx, y - my))


def holds_the_turn(pins: Sequence[RoundPlace]) -> bool:
    """Whether there are two pins at different places: one lets the part turn about it."""
    return any(math.dist((a.x, a.y), (b.x, b.y)) > _APART for a, b in itertools.combinations(pins, 2))


@lru_cache(maxsize=256)
def worst_at(held: tuple[Held, ...], x: float, y: float) -> float:
    """The most that a place is off (mm), by a linear programme.

    For a shift ``t`` and a small turn ``θ`` a bore at ``p`` is off by ``t + θ × p``, and must stay within a disc; what
    is looked for is how far out ``t + θ × q`` can be.  Discs are taken as polygons about them and the farthest place
    from one of several directions, so that it is told up to a hundredth too large and never too small.
    """
    angles = np.arange(_DIRECTIONS) * (math.pi / _DIRECTIONS)
    farthest = max(_most(held, (math.cos(a), math.sin(a), x * math.sin(a) - y * math.cos(a))) for a in angles)
    return farthest / math.cos(math.pi / (2.0 * _DIRECTIONS))


@lru_cache(maxsize=256)
def widest_turn(held: tuple[Held, ...]) -> float:
    """The most that the blank turns either way (radians)."""
    return _most(held, (0.0, 0.0, 1.0))


def _most(held: tuple[Held, ...], objective: tuple[float, float, float]) -> float:
    """The most of a linear function of (t_x, t_y, θ) over all poses that the pins allow."""
    from scipy.optimize import linprog  # it takes its time to import, and only pins need it

    corners = np.arange(_CORNERS) * (2.0 * math.pi / _CORNERS)
    c, s = np.cos(corners), np.sin(corners)
    # Lengths are counted in the pins' distance and poses in their clearance, so that all numbers are of one size.
    size = max(max(math.hypot(pin.x, pin.y) for pin in held), 1e-9)
    gap = max(max(pin.radius for pin in held), 1e-12)
    rows = np.vstack([np.column_stack([c, s, (s * pin.x - c * pin.y) / size]) for pin in held])
    limits = np.concatenate([np.full(_CORNERS, pin.radius / gap) for pin in held])
    wanted = np.array([objective[0], objective[1], objective[2] / size])
    found = linprog(-wanted, A_ub=rows, b_ub=limits, bounds=(None, None), method="highs")
    if not found.success:
        raise RegistrationError("The pins do not hold the part against turning; set two of them apart.")
    return float(-found.fun) * gap


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

    def lacking(self, bore: float) -> float:
        """How much longer the blank must be at each end for a bore with a wall on either side."""
        return max(self.inner + bore + self.wall - self.half_blank, 0.0)

    def extended(self, by: float) -> Margin:
        return Margin(self.half_part, self.path, self.wall, self.half_blank + by)


def _thinner(diameter: float) -> float:
    """The next thinner pin that is made, or three quarters of one that is thinner than all."""
    return max((size for size in PIN_DIAMETERS if size < diameter - 1e-9), default=0.75 * diameter)


def laid_out(
    layout: PinLayout, margin: Margin, half_across: float, diameter: float, turn: Axis, clearance: float = 0.0
) -> list[RoundPlace]:
    """Pins about the middle of the blank, in the strips at both ends of the turn axis.

    ``half_across`` is how far from the axis a pin may lie, ``clearance`` how much wider bores are than pins (mm).
    Raises RegistrationError where a bore finds no room; ``Margin.lacking`` tells what is missing.
    """
    lacking = margin.lacking(diameter + clearance)
    if lacking > 1e-9:
        raise RegistrationError(f"The blank must be {said(lacking)} longer at each end for pins of {said(diameter)}.")
    along, off = margin.middle, half_across
    match layout:
        case "two on the axis":
            places = [(-along, 0.0, diameter), (along, 0.0, diameter)]
        case "two of two diameters":
            places = [(-along, 0.0, diameter), (along, 0.0, _thinner(diameter))]
        case "three, one on the axis":
            places = [(-along, off, diameter), (-along, -off, diameter), (along, 0.0, diameter)]
        case _:
            # No side as long as another, and none square to the axis or along it.
            places = [(-along, 0.9 * off, diameter), (-along, -0.5 * off, diameter), (along, 0.3 * off, diameter)]
    return [RoundPlace(a, b, d) if turn == "x" else RoundPlace(b, a, d) for a, b, d in places]
