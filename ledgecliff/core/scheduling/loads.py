"""A backlog split into loads: what is set up together, in the fewest loads, with the fewest tools changed, least late.

Each of the three is made as small as it can be before the next one counts, by CP-SAT, and last what the machine waits;
what is not proven has a bound (docs/methods/flow-and-loads.md).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from ..errors import InvalidValueError
from .backlog import Backlog, Split
from .loads_model import TENTHS, LoadsModel
from .loads_timing import filled, has_room, timed
from .solver import Stopper

_SEED, _WORKERS = 7, 2
#: The share of the time until which loads, tools, lateness and waiting are worked at.
_SHARES = (0.3, 0.6, 0.9, 1.0)


def split(
    backlog: Backlog,
    seconds: float,
    clock: Callable[[], float],
    *,
    stopper: Stopper | None = None,
    told: Callable[[Split], None] = lambda _split: None,
) -> Split:
    """The loads found in about so many ``seconds`` of a ``clock``; stopped, what was found until then.  ``told`` hears
    of it as it gets better.  Raises InvalidValueError where what is frozen has no room."""
    from ortools.sat.python import cp_model  # it takes its time to import

    begun, stop = clock(), stopper or Stopper()
    first = filled(backlog)
    now, fits = timed(backlog, first), all(has_room(backlog, steps) for steps in first)
    if fits:
        told(now)
    model = LoadsModel(cp_model, backlog, len(first))
    known = model.values_of(first)
    for number, share in enumerate(_SHARES):
        left = begun + share * seconds - clock()
        if stop.stopped or left <= 0.0:
            break
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = left
        solver.parameters.num_workers, solver.parameters.random_seed = _WORKERS, _SEED
        stop.takes(solver)
        aim = model.aims[number]
        model.hint(known)
        model.model.minimize(aim)
        status = solver.solve(model.model)
        if status == cp_model.INFEASIBLE:
            raise InvalidValueError("frozen", "jobs have no room in the loads where they are frozen; thaw one of them")
        if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            break
        known = {variable.index: solver.value(variable) for variable in model.every}
        now = _with(timed(backlog, *model.loads(known)), now, number, math.ceil(solver.best_objective_bound - 1e-6))
        fits = True
        told(now)
        # What is not proven is kept all the same, while the next one is made small.
        model.model.add(aim <= round(solver.objective_value))
    if not fits:
        raise InvalidValueError("frozen", "no loads that keep to it were found in the time; give more, or thaw a job")
    return now


def _with(split_now: Split, before: Split, number: int, bound: int) -> Split:
    """With the bound of one of the three taken over, and those known before."""
    loads = bound if number == 0 else before.least_loads
    changed = max(bound, before.least_changed) if number == 1 else before.least_changed
    late = bound / TENTHS if number == 2 else before.least_late
    proven = before.proven or (
        number == 2 and (len(split_now.loads), split_now.changed) == (loads, changed) and split_now.late <= late + 1e-6
    )
    return replace(split_now, least_loads=loads, least_changed=changed, least_late=late, proven=proven)
