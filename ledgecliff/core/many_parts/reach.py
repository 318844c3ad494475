"""Whether every instance can be reached: within the travel with each tool, and on what carries it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Array, Axis
from ..neighbours import AtStations, Stands
from ..patterns.instances import Instance
from ..patterns.places import shift_of
from ..places import tf_m_carrier, tf_m_station
from ..plan import Plan
from ..setup_plan import SetupPlan

#: What is cut inside of walls that stay.
_WITHIN_WALLS = ("bore", "hole", "pocket", "slot", "pin bores")


@dataclass(frozen=True)
class Reached:
    """An instance, what goes to it, and by how much (mm) along which machine axis that is outside the travel;
    ``by_shift`` says that it would be inside without the shifts of its group and its own."""

    instance: str
    what: str
    axis: Axis
    by: float
    by_shift: bool


def reached(plan: Plan, setup: SetupPlan, instances: Sequence[Instance]) -> list[Reached]:
    """The worst of each instance that is outside the travel; none of those that are inside."""
    machine, pattern = setup.machine, plan.job.setups[setup.index].pattern
    low, high = np.array(machine.travel_min.as_tuple()), np.array(machine.travel_max.as_tuple())
    names, w_gauge = _gauge_places(setup)
    if not names:
        return []
    found = []
    for each in instances:
        m = each.m_zero + w_gauge @ each.located.tf_m_u.turn.T
        beyond = np.maximum(low - m, m - high)
        place, k = np.unravel_index(int(np.argmax(beyond)), beyond.shape)
        by = float(beyond[place, k])
        if by <= 0.0:
            continue
        shift = np.zeros(3) if pattern is None else shift_of(pattern, each.place)
        m_shift = tf_m_carrier(machine, each.station, each.index).turn @ shift
        unshifted = np.maximum(low - (m - m_shift), (m - m_shift) - high)
        by_shift = bool(np.any(m_shift)) and float(unshifted.max()) <= 0.0
        found.append(Reached(each.name, names[int(place)], AXES[int(k)], by, by_shift))
    return found


def _gauge_places(setup: SetupPlan) -> tuple[list[str], Array]:
    """What goes where: the gauge line (N, 3) in the WCS, with the tool or probe that is under it."""
    rows = [*_of_cutters(setup), *_of_probe(setup)]
    return [what for what, _ in rows], np.array([place for _, place in rows]).reshape(-1, 3)


def _of_cutters(setup: SetupPlan) -> Iterator[tuple[str, Array]]:
    """Over the corners of what each operation removes: as deep as it cuts, and at the clearance plane.

    Within walls the tool's axis stays a radius away from them; elsewhere it goes up to a radius beyond.
    """
    for k, operation in enumerate(setup.setup.operations):
        cutter, removed = setup.machine.cutter(operation.tool), setup.cutting.removed(k)
        if cutter is None or removed.is_empty():
            continue
        low, high = (corner - setup.wcs.u_origin for corner in setup.orient(removed))
        within = operation.removes in _WITHIN_WALLS
        aside = -np.minimum(cutter.diameter, (high - low)[:2]) / 2.0 if within else np.full(2, cutter.diameter / 2.0)
        low[:2], high[:2] = low[:2] - aside, high[:2] + aside
        for x in (low[0], high[0]):
            for y in (low[1], high[1]):
                for z in (low[2], setup.w_clearance):
                    yield f"T{cutter.tool}", np.array([x, y, z + cutter.tip_length])


def _of_probe(setup: SetupPlan) -> Iterator[tuple[str, Array]]:
    for touch in setup.probing.touches:
        for x, y, z in (touch.start, touch.end):
            length = setup.machine.probe.length
            if math.isfinite(z):
                yield "the probe", np.array([x, y, z - touch.ball_radius + length])
            yield "the probe", np.array([x, y, setup.w_clearance + length])


def over_edge(setup: SetupPlan, at: AtStations) -> list[float]:
    """Of each station how far (mm) parts, pins and clamps reach over the edge of the plate or board that carries all of
    them; below nought where they are within, and minus infinity where nothing carries all."""
    base = [block for block in setup.holding.blocks if block.kind == "base"]
    if not at.bases or not base:
        return [-math.inf] * len(at.stations)
    low = np.min([block.low for block in base], axis=0)[:2]
    high = np.max([block.high for block in base], axis=0)[:2]
    first, last = setup.near_box
    ends = first + np.array(list(np.ndindex(2, 2, 2))) * (last - first)
    over = []
    for stands in at.stations:
        there = _from_base(setup, at, stands, ends)[:, :2]
        over.append(float(np.max([low - there.min(axis=0), there.max(axis=0) - high])))
    return over


def _from_base(setup: SetupPlan, at: AtStations, stands: Stands, u_places: Array) -> Array:
    """Places (N, 3) of the holding at a station, seen in ``u`` as it is over the base that carries that station."""
    station, index = stands
    base = next(master for master, _ in at.bases if master.on == station.on)
    tf_s_u = setup.holding.tf_s_u
    tf_m_u = tf_m_station(setup.machine, station, index).after(tf_s_u)
    there = tf_m_station(setup.machine, base, index).after(tf_s_u).inverse().after(tf_m_u)
    seen: Array = u_places @ there.turn.T + there.shift
    return seen
