"""A true world drawn from a seed, before anything runs.

Each source of chance has a stream of its own, named by what it is for, so that one more draw, or one more setup, leaves
all others as they were.
"""

from __future__ import annotations

import hashlib

import numpy as np

from ..carried import in_one_place, takes_over
from ..frames import AXES, Array
from ..holding.giving_place import BY_HAND, gives_place, pushed_toward
from ..model.base import Point
from ..model.stock import size_scatter
from ..scatter import Scatter
from ..turns.turn_plan import SeatPlay
from .results import PlannedSetup, WrittenPlan
from .true_world import TrueClamping, TrueWorld

#: The true vise lies within this share of the routine's guess of where the plan has it.
_GUESS_SHARE = 0.6
#: The turn left in the vise (degrees).
_SKEW = Scatter("normal", 0.015, origin="assumed")


def stream(seed: int, *source: str) -> np.random.Generator:
    """The stream of chance of one source."""
    digest = hashlib.sha256("\n".join(source).encode()).digest()
    return np.random.default_rng([seed, *np.frombuffer(digest, dtype=np.uint32).tolist()])


def drawn_world(plan: WrittenPlan, seed: int) -> TrueWorld:
    """One true world of those that the plan must hold in: blank, fixtures, and what hands leave."""
    sizes = size_scatter(plan.job.stock)
    blank = [size.draw(stream(seed, "blank", axis)) for axis, size in zip(AXES, sizes, strict=True)]
    clampings: list[TrueClamping] = []
    for k, planned in enumerate(plan.setups):
        fixture_off = _fixture_off(planned, seed)
        if (
            k
            and takes_over(planned.setup)
            and (planned.play is not None or in_one_place(plan.setups[k - 1].setup, planned.setup))
        ):
            # What registers or holds the part is where it was in the setup before.
            fixture_off = clampings[-1].fixture_off
        part_off, skew_deg = _held(planned, seed) if planned.play is None else _registered(planned, planned.play, seed)
        clampings.append(
            TrueClamping(name=planned.setup.name, fixture_off=fixture_off, part_off=_point(part_off), skew_deg=skew_deg)
        )
    return TrueWorld(seed=seed, stock_off=_point(np.array(blank)), setups=tuple(clampings))


def _fixture_off(planned: PlannedSetup, seed: int) -> Point:
    setup = planned.setup
    guess = Scatter("even", _GUESS_SHARE * setup.probing.guess)
    off = np.array([guess.draw(stream(seed, setup.id, "fixture", axis)) for axis in AXES])
    for k, axis in enumerate(AXES):
        if setup.datum.axis(axis).source == "fixture value":
            off[k] = 0.0  # it stays where it was found, which is what makes its place known
    return _point(off)


def _held(planned: PlannedSetup, seed: int) -> tuple[Array, float]:
    """What a hand leaves: how far the part lies off (3,), and how far it is turned (degrees)."""
    holding, own = planned.holding, planned.setup.id
    across = holding.jaws.axis if holding.jaws else 1
    error = np.zeros(3)
    play = holding.spigot_play
    for k, source in ((1 - across, "beside"), (across, "gap")):
        if play:
            break
        chance = stream(seed, own, source)
        if gives_place(holding, k):
            error[k] = -pushed_toward(holding, k) * holding.clamping_along(k).draw(chance)
        else:
            error[k] = BY_HAND.draw(chance)
    if play:
        error[:2] = holding.clamping_along(0).draw_in_plane(stream(seed, own, "spigot"))
    error[2] = holding.clamping.draw(stream(seed, own, "lift"))
    return error, _SKEW.draw(stream(seed, own, "skew"))


def _registered(planned: PlannedSetup, play: SeatPlay, seed: int) -> tuple[Array, float]:
    """What play leaves, and how far the part may be raised off its seat."""
    own = planned.setup.id
    shift = play.shifted.draw_in_plane(stream(seed, own, "play"))
    lift = planned.holding.clamping.draw(stream(seed, own, "lift"))
    return np.array([*shift, lift]), float(np.degrees(play.turned.draw(stream(seed, own, "turn"))))


def _point(place: Array) -> Point:
    x, y, z = (float(value) for value in place)
    return Point(x=x, y=y, z=z)
