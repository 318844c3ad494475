"""A true world in which one source of the budget alone is off: what the simulated machine then really cuts."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator

import numpy as np

from ledgecliff.core.budget.chain import Chain
from ledgecliff.core.budget.held import standing_since
from ledgecliff.core.budget.lying import across_first, lies_off
from ledgecliff.core.frames import AXES, Array
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.stations import IndexAngle, Rotary
from ledgecliff.core.places import tf_m_carrier
from ledgecliff.core.plan import Plan
from ledgecliff.core.rehearsal.rehearse import rehearse_setup
from ledgecliff.core.rehearsal.rehearsing import Rehearsing
from ledgecliff.core.rehearsal.results import WrittenPlan
from ledgecliff.core.rehearsal.true_world import AxisError, StatedProbe, TrueClamping, TrueTool, TrueWorld
from ledgecliff.core.turns.turn_plan import turns_of

#: Touches that repeat exactly, and a trigger without lag.
EXACT = StatedProbe(repeatability=0.0, delay_s=0.0)
World = Callable[[float], TrueWorld]


def really_cut(written: WrittenPlan, world: TrueWorld) -> Callable[[str, str], Array]:
    """Where (3,) a feature is, seen from another, when all setups were rehearsed."""
    steps = Rehearsing(written, world)
    for index, planned in enumerate(written.setups):
        result = rehearse_setup(steps, index, last=index == len(written.setups) - 1)
        if result.stopped:
            raise AssertionError(f"{planned.setup.name}: {result.alarms}")
    return steps.seen_from


def _point(place: Array) -> Point:
    x, y, z = (float(value) for value in place)
    return Point(x=x, y=y, z=z)


def _from_the_stocks_middle(plan: Plan, index: int) -> tuple[float, float]:
    """Where the middle of what registers a turn is, from the middle of the turned stock, in X and Y."""
    turn, holding = turns_of(plan)[index - 1], plan.setups[index].holding
    matrix = holding.orientation.matrix() @ turn.before.setup.orientation.matrix().T
    x, y, _ = matrix @ [*turn.middle, 0.0] - (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    return float(x), float(y)


def _world(**fields: object) -> TrueWorld:
    return TrueWorld(probe=EXACT, **fields)


def worlds(plan: Plan, chain: Chain) -> Iterator[tuple[str, World]]:
    """By coordinate of a source: the world in which that is off by so much.  Of those that the machine has."""
    setups = {each.setup.id: each for each in plan.setups}
    unit = np.eye(3)

    def clamped(ids: list[str], **of: Callable[[float], object]) -> World:
        return lambda by: _world(
            setups=tuple(
                TrueClamping(name=setups[each].setup.name, **{name: made(by) for name, made in of.items()})
                for each in ids
            )
        )

    for key, source in chain.sources.items():
        own, *what = key.split(" ")
        if own == "blank":
            way = unit[AXES.index(what[0])]
            yield key, lambda by, way=way: _world(stock_off=_point(by * way))
        elif what[0] == "centre":
            machine = plan.setups[0].machine
            rotary = next(each for each in machine.carriers if each.id == own)
            way = tf_m_carrier(machine, rotary).turn @ unit[AXES.index(what[1])]
            yield (
                key,
                lambda by, way=way, rotary=rotary: _world(axes=(AxisError(axis=rotary.name, off=_point(by * way)),)),
            )
        elif what[0] in ("ball", "length"):
            number, machine = int(what[1].removeprefix("T")), next(each.machine.name for each in plan.setups)
            # The control takes the ball for larger by so much than it is.
            field, sign = ("radius_off", -1.0) if what[0] == "ball" else ("longer", 1.0)
            tool = TrueTool(number=number, machine=machine)
            yield (
                key,
                lambda by, tool=tool, field=field, sign=sign: _world(
                    tools=(tool.model_copy(update={field: sign * by}),)
                ),
            )
        elif what[0] == "stands":
            way, index = unit[AXES.index(what[1])], setups[own].index
            ids = [each.setup.id for each in plan.setups if standing_since(chain, each.index) == index]
            yield key, clamped(ids, fixture_off=lambda by, way=way: _point(by * way))
        elif what[0] in ("gap", "beside"):
            across, along = across_first(setups[own].holding)
            k = across if what[0] == "gap" else along
            way = lies_off(setups[own].holding, k)[1] * unit[k]
            yield key, clamped([own], part_off=lambda by, way=way: _point(by * way))
        elif what[0] == "lift":
            yield key, clamped([own], part_off=lambda by: _point(by * unit[2]))
        elif what[0] == "skew":
            yield key, clamped([own], skew_deg=math.degrees)
        elif what[0] == "turn":
            x, y = _from_the_stocks_middle(plan, setups[own].index)
            # Turned about the stock's middle, and back by what that takes the middle of the pins along.
            off = lambda by, x=x, y=y: _point(np.array([by * y, -by * x, 0.0]))  # noqa: E731
            yield key, clamped([own], skew_deg=math.degrees, part_off=off)
        elif what[0] in ("play", "spigot"):
            for name, way in zip(source.coordinates, unit[:2], strict=True):
                yield name, clamped([own], part_off=lambda by, way=way: _point(by * way))
        elif what[0] == "index":
            carriers = setups[own].machine.carriers
            word = next(each.word for each in carriers if isinstance(each, Rotary) and each.id == what[1])
            yield key, clamped([own], index_off=lambda by, word=word: (IndexAngle(word=word, degrees=by),))
