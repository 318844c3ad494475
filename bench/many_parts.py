"""The same setup forty times: an edit, the memory of a plan, programs and a rehearsal, and how all of it grows."""

from __future__ import annotations

import gc
import math
import statistics
import time
import tracemalloc
from collections.abc import Callable

from bench.planning import Row, median
from ledgecliff.core.changing import changed, set_value
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.edits.patterns import nudged
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.many_parts.listing import station_rows
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.programs.released import probing_texts
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models

#: A grid of the least and the most that is measured, columns by rows.
_FEW, _MANY = (5, 2), (8, 5)
_MACHINE = ("machines", 0)


def many_parts() -> list[Row]:
    few, many = _plan(_FEW), _plan(_MANY)
    long, short = _edit_time(many), _edit_time(few)
    rows: list[Row] = [
        ("40 x 4 instances: nudge to plan and drawing (s)", long, "0.06", "10 x 4 of them", short),
        ("… grows with its instances to the power of", _exponent(short, long), "1.0", "", None),
    ]
    rows.append(("the same with one station each (s)", _edit_time(_plan((1, 1))), "", "", None))
    found = _of_fresh(many, findings_of)
    rows.append(("findings, 40 instances x 4 setups (s)", found, "", "10 x 4 of them", _of_fresh(few, findings_of)))
    weight, light = _weight(_MANY), _weight(_FEW)
    each = (weight - light) / (4 * (_count(_MANY) - _count(_FEW)))
    rows.append(("memory a plan grows by for an instance (kB)", each, "200", "", None))
    written, fewer = (_of_fresh(plan, lambda fresh: probing_texts(fresh, 0)) for plan in (many, few))
    rows.append(("programs for 40 instances (s)", written, "0.2", "for 10", fewer))
    long, short = _rehearsed(_probed(_MANY)), _rehearsed(_probed(_FEW))
    rows.append(("40 probed instances rehearsed (s)", long, "5", "10 of them", short))
    rows.append(("… grows with its instances to the power of", _exponent(short, long), "1.0", "", None))
    return rows


def _edit_time(plan: Plan) -> float:
    """An instance nudged, the plan made anew, the table drawn and listed."""
    steps = iter(range(1, 1000))

    def nudge() -> None:
        made = make_plan(nudged(plan.job, 0, ["1-1"], (0.01 * next(steps), 0.0, 0.0)), plan.models)
        table_views(made, made.job.machine)
        station_rows(made)

    nudge()
    return median(nudge)


def _of_fresh(plan: Plan, action: Callable[[Plan], object]) -> float:
    """How long something takes with a plan that nobody has asked before (the middle of five)."""
    times = []
    for step in range(5):
        job = nudged(plan.job, 0, ["1-1"], (0.013 * (step + 1), 0.0, 0.0))
        fresh = make_plan(job, plan.models)
        times.append(_once(lambda fresh=fresh: action(fresh)))
    return statistics.median(times)


def _exponent(short: float, long: float) -> float:
    return math.log(long / short) / math.log(_count(_MANY) / _count(_FEW))


def _count(grid: tuple[int, int]) -> int:
    return grid[0] * grid[1]


def _weight(grid: tuple[int, int]) -> float:
    """What a plan, its instances, their drawing and findings take (kB)."""
    job = _plan(grid).job
    models = load_models(job, demo_job("rack-shoes"))
    gc.collect()
    tracemalloc.start()
    plan = make_plan(nudged(job, 0, ["1-1"], (0.123, 0.0, 0.0)), models)
    station_rows(plan)
    table_views(plan, job.machine)
    findings_of(plan)
    weight, _ = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return weight / 1000.0


def _rehearsed(plan: Plan) -> float:
    written = written_plan(plan)
    world = drawn_world(written, 3)
    return _once(lambda: rehearse(written, world))


def _once(action: Callable[[], object]) -> float:
    start = time.perf_counter()
    action()
    return time.perf_counter() - start


def _plan(grid: tuple[int, int]) -> Plan:
    """Rack shoes on plates large enough, each side twice: four setups."""
    source = demo_job("rack-shoes")
    job = read_job(source)
    job = _with_room(job)
    for k in (0, 1):
        job = _gridded(job, k, grid)
    more = [
        job.setups[k].model_copy(update={"id": f"{k + 7:012x}", "name": f"Op {30 + 10 * k}", "offset": f"G5{6 + k}"})
        for k in (0, 1)
    ]
    return make_plan(changed(job, {"setups": (*job.setups, *more)}), load_models(job, source))


def _probed(grid: tuple[int, int]) -> Plan:
    """The second side alone, every instance in an offset of its own and probed."""
    source = demo_job("rack-shoes")
    job = _gridded(_with_room(read_job(source)), 1, grid)
    job = set_value(job, ("setups", 0, "pattern"), None)
    keys = [(f"{c}-{r}") for r in range(1, grid[1] + 1) for c in range(1, grid[0] + 1)]
    codes = tuple({"key": key, "offset": f"G54.1 P{k}"} for k, key in enumerate(keys[1:], start=1))
    for name, value in (("school", "own each"), ("probed", "every one"), ("codes", codes)):
        job = set_value(job, ("setups", 1, "pattern", name), value)
    return make_plan(job, load_models(job, source))


def _with_room(job: Job) -> Job:
    """A machine with a table, plates and offsets for so many."""
    job = set_value(job, (*_MACHINE, "travel_min", "x"), -4000)
    job = set_value(job, (*_MACHINE, "travel_min", "y"), -3000)
    job = set_value(job, (*_MACHINE, "extended"), {"count": 300, "first_parameter": 7001})
    plates = tuple(
        each.model_copy(update={"length": 1200, "width": 1500}) if each.name.startswith("plate") else each
        for each in job.machine.fixtures
    )
    job = set_value(job, (*_MACHINE, "fixtures"), plates)
    stations = tuple(
        each.model_copy(update={"at": each.at.model_copy(update={"x": -3000 + 1300 * k, "y": -1500})})
        for k, each in enumerate(job.machine.stations)
    )
    return set_value(job, (*_MACHINE, "stations"), stations)


def _gridded(job: Job, setup: int, grid: tuple[int, int]) -> Job:
    layout = {"kind": "grid", "columns": grid[0], "rows": grid[1], "column_pitch": 80, "row_pitch": 125}
    for name, value in (
        ("instances", ()), ("layout", layout), ("codes", ()), ("school", "local shifts"),
        ("probed", "first of the load"),
    ):  # fmt: skip
        job = set_value(job, ("setups", setup, "pattern", name), value)
    return job
