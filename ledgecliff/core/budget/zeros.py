"""How far off a setup's zero comes to be found: by touching, by taking over, by knowing, or by eye."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ..frames import AXES, Array, rotation
from ..model.cycles import OF_FIXTURE
from ..probing.touches import Step, Touch
from ..scatter import Scatter
from .held import end_off, holder, stands
from .moved import Moved
from .offs import NOTHING, Off, Source, added
from .readings import weights

if TYPE_CHECKING:
    from .chain import Chain

_UNIT = np.eye(3)


def zero(chain: Chain, index: int) -> Moved:
    setup = chain.setup(index)
    shift, turn = NOTHING, NOTHING
    of_machine = setup.located.tf_m_u.turn
    for k in range(3):
        shift = shift + _axis(chain, index, k).turned(of_machine)
    for step in setup.probing.steps:
        if step.sets_skew and step.into in ("", setup.setup.offset):
            angle = _result(chain, index, step, "skew", _UNIT[2])
            turn = angle.times(math.pi / 180.0)
    return Moved(shift, turn, setup.wcs.p_origin)


def _axis(chain: Chain, index: int, k: int) -> Off:
    """Of one axis, along the axes as the offset is turned."""
    setup, axis = chain.setup(index), AXES[k]
    if axis in setup.probing.carried or axis in setup.probing.indexed:
        before = chain.zero(index - 1).shift
        if axis in setup.probing.indexed:
            before = before.turned(chain.matrix(index) @ chain.matrix(index - 1).T)
        back = setup.located.tf_m_u.turn.T
        return before.turned(np.outer(_UNIT[k], back[k]))
    found = NOTHING
    for step in setup.probing.steps:
        sets = step.into in ("", setup.setup.offset) and any(setting.axis == axis for setting in step.sets)
        if sets and _is_there(chain, index, step):
            # What is found last stands.
            found = _result(chain, index, step, axis, _UNIT[k])
    return found


def _is_there(chain: Chain, index: int, step: Step) -> bool:
    """Whether what a step touches was there before its setup: what that has cut itself lies where its zero had it."""
    feature = step.cycle.feature
    return step.cycle.on != "feature" or feature is None or chain.made_in.get(feature, -1) < index


def _result(chain: Chain, index: int, step: Step, key: str, way: Array) -> Off:
    """How far off a step finds something, times ``way``."""
    return added(
        _touched(chain, index, step, touch, float(weight), way)
        for touch, weight in zip(step.touches, weights(step)[key], strict=True)
        if weight
    )


def _touched(chain: Chain, index: int, step: Step, touch: Touch, weight: float, way: Array) -> Off:
    """What one touch adds: how far along its way the surface lies off, how the reading repeats, and how the ball's
    radius and the probe's length are known."""
    setup = chain.setup(index)
    along = np.array(touch.way)
    surface = _surface(chain, index, step, touch, along)
    reading = Source(
        f"{setup.setup.id} reading {step.title} {touch.number}",
        "reading",
        f"touch {touch.number}, {touch.surface}, {setup.setup.name}",
        setup.machine.probe.reading,
        chain.probe_path(index, "repeatability"),
    )
    return added(
        (
            surface.along(along, weight * way),
            chain.met(reading, weight * way),
            _ball(chain, index, weight * way),
            # Of a longer probe the ball is lower than it counts for: it counts as touching higher up than it does.
            _length(chain, index, along[2] * weight * way),
        )
    )


def _ball(chain: Chain, index: int, moves: Array) -> Off:
    """A ball that is smaller than it counts for finds every surface further along its way, all of one probe alike."""
    setup = chain.setup(index)
    scatter = setup.machine.probe.radius_scatter
    if scatter is None:
        return NOTHING
    source = Source(
        f"{setup.machine.id} ball T{setup.machine.probe.tool}",
        "ball",
        f"how well the ball's radius of T{setup.machine.probe.tool} is known",
        Scatter("normal", scatter),
        chain.probe_path(index, "radius_scatter"),
    )
    return chain.met(source, moves)


def _length(chain: Chain, index: int, moves: Array) -> Off:
    """What a probe that is longer than it counts for makes of what is touched, all by one probe alike."""
    setup = chain.setup(index)
    probe = setup.machine.probe
    if probe.length_scatter is None:
        return NOTHING
    source = Source(
        f"{setup.machine.id} length T{probe.tool}",
        "length",
        f"how long the probe, T{probe.tool}, is",
        Scatter("normal", probe.length_scatter),
        chain.probe_path(index, "length_scatter"),
    )
    return chain.met(source, moves)


def _surface(chain: Chain, index: int, step: Step, touch: Touch, along: Array) -> Off:
    """How far what is touched lies off, along the axes as the offset is turned."""
    setup = chain.setup(index)
    back = setup.located.tf_m_u.turn.T
    matrix, orient = chain.matrix(index), setup.setup.orientation.matrix()
    u_place = np.array(touch.w_contact) + setup.wcs.u_origin
    if step.cycle.on in OF_FIXTURE:
        return holder(chain, index).at(matrix, orient.T @ u_place).turned(back)
    # What stands turned meanwhile is met at another place of its own, and lies off turned along.
    over, (middle, turn) = touch.turned_deg != 0.0, _turned_meanwhile(chain, index, touch)
    u_material = middle + turn.T @ (u_place - middle)
    p_place, p_way = orient.T @ u_material, -(orient.T @ turn.T @ along)
    if step.cycle.on == "feature" and step.cycle.feature is not None:
        material = chain.feature(step.cycle.feature, p_place, index, p_way)
    else:
        material = end_off(chain, index, p_way, p_place)
    lies = (chain.held(index).at(matrix, p_place) + material.turned(matrix)).turned(back)
    if not over:
        return lies
    fixed = stands(chain, index).turned(back)
    return fixed + (lies - fixed).turned(turn)


def _turned_meanwhile(chain: Chain, index: int, touch: Touch) -> tuple[Array, Array]:
    """A place in ``u`` on the axis that turns for a touch, and that turn (3, 3)."""
    setup = chain.setup(index)
    about = setup.holding.rotary_axis() if touch.turned_deg else None
    if about is None:
        return np.zeros(3), _UNIT
    return np.array([0.0, *about]), rotation("x", touch.turned_deg)
