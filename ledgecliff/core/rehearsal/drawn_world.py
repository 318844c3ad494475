"""A true world drawn from a seed, before anything runs.

Each source of chance has a stream of its own, named by what it is for, so that one more draw, or one more setup, leaves
all others as they were.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterator

import numpy as np

from ..budget.lying import SKEW, across_first, seat_off, stands_along, stands_off
from ..carried import in_one_place, takes_over
from ..frames import AXES, Array, rotation
from ..model.base import Point
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.stations import IndexAngle, Rotary
from ..model.stock import size_scatter
from ..places import rotaries_under, tf_m_carrier
from ..scatter import Scatter
from ..turns.turn_plan import SeatPlay
from .results import PlannedSetup, WrittenPlan
from .true_world import AxisError, TrueClamping, TrueTool, TrueWorld


def stream(seed: int, *source: str) -> np.random.Generator:
    """The stream of chance of one source."""
    digest = hashlib.sha256("\n".join(source).encode()).digest()
    return np.random.default_rng([seed, *np.frombuffer(digest, dtype=np.uint32).tolist()])


def drawn_world(plan: WrittenPlan, seed: int) -> TrueWorld:
    """One true world of those that the plan must hold in: blank, fixtures, and what hands leave; where setups have
    patterns of the first part alone."""
    clampings: list[TrueClamping] = []
    for k, planned in enumerate(plan.setups):
        standing = None
        if (
            k
            and takes_over(planned.setup)
            and (planned.play is not None or in_one_place(plan.setups[k - 1].setup, planned.setup))
        ):
            # What registers or holds the part is where it was in the setup before.
            standing = clampings[-1].fixture_off
        if planned.untouched:
            clampings.append(clampings[-1].model_copy(update={"name": planned.setup.name}))
        else:
            clampings.append(drawn_clamping(planned, seed, standing))
    return TrueWorld(
        seed=seed,
        stock_off=_blank_off(plan, seed),
        setups=tuple(clampings),
        tools=tuple(_tools_off(plan, seed)),
        axes=tuple(_axes_off(plan, seed)),
    )


def drawn_part(plan: WrittenPlan, world: TrueWorld, number: int) -> TrueWorld:
    """The same world as one more part meets it, ``number`` from 0: with a blank of its own."""
    return world.model_copy(update={"stock_off": _blank_off(plan, world.seed, f"part {number + 1}"), "setups": ()})


def _blank_off(plan: WrittenPlan, seed: int, *part: str) -> Point:
    sizes = size_scatter(plan.job.stock)
    return _point(
        np.array([size.draw(stream(seed, "blank", axis, *part)) for axis, size in zip(AXES, sizes, strict=True)])
    )


def drawn_clamping(planned: PlannedSetup, seed: int, standing: Point | None = None) -> TrueClamping:
    """How a part comes to be clamped in a setup, at an instance of its pattern; what holds it stands where it did
    before (``standing``) where that is known."""
    part_off, skew_deg = _held(planned, seed) if planned.play is None else _registered(planned, planned.play, seed)
    return TrueClamping(
        name=planned.setup.name,
        fixture_off=_fixture_off(planned.machine, planned, seed) if standing is None else standing,
        part_off=_point(part_off),
        skew_deg=skew_deg,
        index_off=_index_off(planned.machine, planned.stated, seed),
    )


def _axes_off(plan: WrittenPlan, seed: int) -> Iterator[AxisError]:
    """Rotary axes whose centre is only known to within something: off by so much at most, any way across them."""
    for machine in plan.job.machines:
        for rotary in machine.carriers:
            if not isinstance(rotary, Rotary) or not rotary.uncertainty:
                continue
            even = Scatter("even", rotary.uncertainty)
            off = np.array([even.draw(stream(seed, rotary.id, "centre", axis)) for axis in AXES])
            off[AXES.index(rotary.about)] = 0.0
            yield AxisError(axis=rotary.name, off=_point(tf_m_carrier(machine, rotary).turn @ off))


def _tools_off(plan: WrittenPlan, seed: int) -> Iterator[TrueTool]:
    """Cutters and probes whose length, and balls whose radius, is only known to within something."""
    for machine in plan.job.machines:
        cutters = [(cutter.tool, machine.length_scatter, None) for cutter in machine.cutters]
        probes = [(probe.tool, probe.length_scatter, probe.radius_scatter) for probe in machine.probes]
        for number, length, ball in (*cutters, *probes):
            longer, larger = (
                0.0 if size is None else Scatter("normal", size).draw(stream(seed, machine.id, what, str(number)))
                for what, size in (("length", length), ("ball", ball))
            )
            if longer or larger:
                yield TrueTool(number=number, machine=machine.name, longer=longer, radius_off=larger)


def _index_off(machine: Machine, setup: Setup, seed: int) -> tuple[IndexAngle, ...]:
    """How far beyond their words the axes that carry a setup come to stand."""
    return tuple(
        IndexAngle(
            word=each.word, degrees=Scatter("even", each.repeat_deg).draw(stream(seed, setup.id, "index", each.id))
        )
        for each in rotaries_under(machine, setup)
        if each.repeat_deg
    )


def _fixture_off(machine: Machine, planned: PlannedSetup, seed: int) -> Point:
    # What carries all of a pattern stands off once for all of them.
    setup, who = planned.setup, _who(planned) if planned.stands_alone else (planned.setup.id,)
    scatter = stands_off(machine, setup, planned.holding, is_known=planned.finder == "nobody")
    off = np.array([each.draw(stream(seed, *who, "fixture", axis)) for axis, each in zip(AXES, scatter, strict=True)])
    off = stands_along(machine, setup) @ off
    if planned.pattern_error is not None:
        pattern = Scatter("normal", planned.pattern_error)
        off[:2] += [pattern.draw(stream(seed, *_who(planned), "station", axis)) for axis in AXES[:2]]
    return _point(off)


def _who(planned: PlannedSetup) -> tuple[str, ...]:
    """What names the chance of a clamping: its setup, and the instance where it has several."""
    return (planned.setup.id, planned.key) if planned.key else (planned.setup.id,)


def _held(planned: PlannedSetup, seed: int) -> tuple[Array, float]:
    """What a hand leaves: how far the part lies off (3,), and how far it is turned (degrees)."""
    holding, own = planned.holding, _who(planned)
    error = np.zeros(3)
    if holding.spigot_play:
        error[:2] = holding.clamping_along(0).draw_in_plane(stream(seed, *own, "spigot"))
    else:
        for k, source in zip(across_first(holding), ("gap", "beside"), strict=True):
            scatter, side = seat_off(planned.seat_scatter, holding, k)
            error[k] = side * scatter.draw(stream(seed, *own, source))
    error[2] = holding.clamping.draw(stream(seed, *own, "lift"))
    return error, float(np.degrees(SKEW.draw(stream(seed, *own, "skew"))))


def _registered(planned: PlannedSetup, play: SeatPlay, seed: int) -> tuple[Array, float]:
    """What play leaves, and how far the part may be raised off its seat."""
    own = _who(planned)
    shift = play.shifted.draw_in_plane(stream(seed, *own, "play"))
    lift = planned.holding.clamping.draw(stream(seed, *own, "lift"))
    turned = play.turned.draw(stream(seed, *own, "turn"))
    x, y = shift + turned_about(planned, play, turned)
    return np.array([x, y, lift]), math.degrees(turned)


def turned_about(planned: PlannedSetup, play: SeatPlay, turned: float) -> Array:
    """How far (2,) a part lies off that is turned (radians) about the middle of what holds it: a true clamping turns
    about the middle of the stock."""
    if play.p_about is None:
        return np.zeros(2)
    holding = planned.holding
    about = holding.orientation.matrix() @ np.array(play.p_about) - np.mean(holding.u_stock, axis=0)
    moved: Array = ((np.eye(3) - rotation("z", math.degrees(turned))) @ about)[:2]
    return moved


def _point(place: Array) -> Point:
    x, y, z = (float(value) for value in place)
    return Point(x=x, y=y, z=z)
