"""What a rehearsal takes of a setup that stands at many stations: each of its instances as it is planned."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from ..budget.lying import pattern_off
from ..budget.shared_zeros import finder_of
from ..errors import PlanError
from ..model.pattern import Pattern
from ..neighbours import about, to_base
from ..patterns.instances import Instance, pattern_of
from ..plan import Plan
from ..programs.instance_programs import instance_texts
from ..programs.released import hover_text
from ..programs.writer import ProbingText
from .results import OverInstances, PlannedSetup


def over_instances(plan: Plan, alone: PlannedSetup, index: int) -> OverInstances:
    """A setup over the instances that are on; the one it is where it has no pattern."""
    pattern = pattern_of(plan.job, index)
    if pattern is None:
        setup = plan.setups[index]
        whole = replace(alone, neighbours=())
        return OverInstances((whole,), setup.neighbours.standing, (None,), False, lambda _keys: alone.probing_texts)
    instances = plan.instances(index)
    running = [k for k, each in enumerate(instances) if each.is_on]
    if not running:
        raise PlanError(
            f"Setup '{alone.setup.name}': none of its instances is on, so that nothing is run. Put one of them on, or "
            "begin a new load."
        )
    setup, at = plan.setups[index], plan.at_stations(index)
    idle = [stands for k, stands in enumerate(at.stations) if k not in running]
    others = [
        plan.at_stations(other.index) for other in plan.setups
        if other.index != index and other.setup.machine == setup.setup.machine
    ]  # fmt: skip
    standing = about(setup.machine, at, at.stations[running[0]], idle, others)
    base = tuple(to_base(setup.machine, at, at.stations[k]) for k in running)
    planned = tuple(_planned(plan, alone, pattern, index, instances[k], first=k == running[0]) for k in running)

    def texts(keys: Sequence[str]) -> tuple[ProbingText, ...]:
        return instance_texts(plan, index, pattern, keys)

    return OverInstances(planned, standing, base, pattern.missing == "skip it", texts)


def _planned(
    plan: Plan, alone: PlannedSetup, pattern: Pattern, index: int, each: Instance, *, first: bool
) -> PlannedSetup:
    placed = plan.placed(index, each)
    update = {"station": placed.setup.station, "index": each.index, "offset": placed.setup.offset}
    off = pattern_off(pattern).size
    shared = bool(plan.at_stations(index).bases)
    by_itself = pattern.school == "own each" and pattern.probed == "every one"
    seat = max(placed.holding.clamping_along(k).standard for k in (0, 1))
    seat = seat if pattern.seat_scatter is None else pattern.seat_scatter
    finder = finder_of(pattern)
    return replace(
        alone,
        setup=placed.setup,
        machine=placed.machine,
        stated=alone.stated.model_copy(update=update),
        located=placed.located,
        neighbours=(),
        hover_text=hover_text(plan, index),
        instance=each.name,
        key=each.key,
        apart=None if by_itself else math.hypot(seat, seat, off),
        # Where the first is found, the others are counted from there.
        pattern_error=0.0 if first and finder == "the first" else off,
        seat_scatter=pattern.seat_scatter,
        finder=finder,
        stands_alone=by_itself and not shared,
    )
