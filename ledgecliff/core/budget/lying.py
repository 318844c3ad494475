"""How far what holds a part may stand off, and how far the part may lie off in it: the one description that expected
errors and drawn worlds read."""

from __future__ import annotations

import math

import numpy as np

from ..frames import AXES, Array, rotation
from ..holding import Holding
from ..holding.giving_place import BY_HAND, gives_place, pushed_toward
from ..model.machine import Machine
from ..model.pattern import Pattern
from ..model.setup import Setup
from ..places import rotaries_under, station_of
from ..plan import Plan
from ..scatter import Scatter

#: What holds it lies within this share of the routine's guess of where the plan has it.
_GUESS_SHARE = 0.6
#: How far a part lies turned as it is clamped (radians).
SKEW = Scatter("normal", math.radians(0.015), origin="assumed")
_NONE = Scatter("even", 0.0)
#: How far stations are off each other where nobody has measured it.
_STATIONS = Scatter("normal", 0.01, origin="assumed")


def stands_off(
    machine: Machine, setup: Setup, holding: Holding, *, is_known: bool = False
) -> tuple[Scatter, Scatter, Scatter]:
    """Of what holds it, along the axes of ``stands_along``; ``is_known`` where nobody looks for it at all."""
    if is_known:
        return _NONE, _NONE, _NONE
    guess = Scatter("even", _GUESS_SHARE * setup.probing.guess, origin="assumed")
    under = rotaries_under(machine, setup)
    centre = under[0].uncertainty if under and holding.rotary_axis() is not None else None
    # A chuck stands where its axis does, and how well that is known is stated.
    across = guess if centre is None else Scatter("even", centre)
    # At its known place it stays, which is what makes that known.
    x, y, z = (
        _NONE if setup.datum.axis(axis).source == "fixture value" else each
        for axis, each in zip(AXES, (guess, across, across), strict=True)
    )
    return x, y, z


def stands_along(machine: Machine, setup: Setup) -> Array:
    """The ways (columns, 3, 3, on the machine) along which what holds a setup stands off: a zero is taken along the
    axes as its station is turned, and so is what is known of its place."""
    station = station_of(machine, setup)
    return np.eye(3) if station.on is not None else rotation("z", station.turn_deg)


def is_untouched(plan: Plan, index: int) -> bool:
    """Whether nothing has moved the part, or what holds it, since the setup before, as both setups have it: where the
    later one says that its fixture's place is known, the fixture was not looked for before as if it were not."""
    datum = plan.job.setups[index].datum
    known = any(datum.axis(axis).source == "fixture value" for axis in AXES)
    return plan.stays_clamped(index) and not plan.is_indexed(index) and not known


def pattern_off(pattern: Pattern) -> Scatter:
    """Of a station against another of its pattern, along X and along Y."""
    stated = pattern.pattern_error
    return _STATIONS if stated is None else Scatter("normal", stated)


def seat_off(stated: float | None, holding: Holding, k: int) -> tuple[Scatter, float]:
    """As ``lies_off``, but for what was ``stated`` of a pattern's own seats (mm, standard)."""
    scatter, side = lies_off(holding, k)
    return (scatter if stated is None else Scatter("normal", stated)), side


def lies_off(holding: Holding, k: int) -> tuple[Scatter, float]:
    """Of the part in it along X (0) or Y (1) of ``u``, and to which side a deviation counts (+1 or -1)."""
    if gives_place(holding, k):
        return holding.clamping_along(k), -float(pushed_toward(holding, k))
    return BY_HAND, 1.0


def across_first(holding: Holding) -> tuple[int, int]:
    """The axis across the jaws (of what has none, Y), and the one along them."""
    across = holding.jaws.axis if holding.jaws else 1
    return across, 1 - across
