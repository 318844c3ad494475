"""The order of a day: proven tool calls, a first order, days in no order, a backlog; beside the solver by itself."""

from __future__ import annotations

import random
import time
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from bench.planning import Row
from ledgecliff.core.drawing.run_layout import run_layout
from ledgecliff.core.drawing.run_table import run_table, run_table_drawing
from ledgecliff.core.model.run import Run
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.runs.edits import with_frozen
from ledgecliff.core.runs.kept import kept_order
from ledgecliff.core.runs.picture import run_picture
from ledgecliff.core.runs.posting import Posted, main_program
from ledgecliff.core.runs.reading_back import read_back
from ledgecliff.core.runs.rules import BesideRun, Planned
from ledgecliff.core.runs.tasks import problem_of
from ledgecliff.core.scheduling.backlog import Backlog, BacklogJob, Room, Step
from ledgecliff.core.scheduling.best_order import Weights
from ledgecliff.core.scheduling.counting import station_after_station
from ledgecliff.core.scheduling.loads import split
from ledgecliff.core.scheduling.ordering import Ordered, put_in_order
from ledgecliff.core.scheduling.problem import Problem
from ledgecliff.core.scheduling.reading import read_problem
from ledgecliff.core.scheduling.solver import solved
from ledgecliff.core.scheduling.space import Space
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.store.beside_run import beside_run
from ledgecliff.store.demo import demo_job
from ledgecliff.store.run_files import read_run

#: Days of one kind that are measured.
_DAYS = 5
#: What the solver alone gets (s).
_SOLVER = 10.0
#: How long a toolpath program is that is read back (blocks).
_WAYS = 10_000


def day(seed: int, *, shuffled: bool = False, stations: int = 8, tasks: int = 60, tools: int = 12) -> Problem:
    """Tools in one order but for two inversions a station, or in none."""
    chance, rows = random.Random(seed), list[dict[str, Any]]()
    for k in range(stations):
        count = tasks // stations + (k < tasks % stations)
        mine = sorted(chance.sample(range(tools), count))
        for _ in range(2):
            n = chance.randrange(count - 1)
            mine[n], mine[n + 1] = mine[n + 1], mine[n]
        if shuffled:
            chance.shuffle(mine)
        named = [{"name": f"t{n}", "tool": f"T{tool}", "minutes": chance.uniform(1, 9)} for n, tool in enumerate(mine)]
        rows.append({"name": f"S{k}", "offset": f"G{54 + k}", "tasks": named})
    return read_problem({"tool_call_s": 9, "offset_call_s": 2, "stations": rows})


def _timed(problem: Problem, seconds: float) -> tuple[float, float, float, Ordered]:
    """Seconds to an order that is better than station after station, to proven tool calls, to all proven; and it."""
    begun, first, calls = time.perf_counter(), [0.0], [seconds]

    def told(now: Ordered) -> None:
        at = time.perf_counter() - begun
        if now.order is not now.naive and not first[0]:
            first[0] = at
        if now.proven and calls[0] == seconds:
            calls[0] = at

    found = put_in_order(problem, seconds, time.monotonic, told=told)
    return first[0], calls[0], time.perf_counter() - begun, found


def run_order() -> list[Row]:
    rows: list[Row] = []
    found = [_timed(day(seed), 20.0) for seed in range(_DAYS)]
    alone = day(0)
    begun = time.perf_counter()
    by_solver = solved(Space(alone), station_after_station(alone), _SOLVER, weights=Weights.lexicographic(alone))
    took = time.perf_counter() - begun
    told = "the solver alone, proven" if by_solver.proven else "the solver alone, not proven"
    rows.append(("60 tasks: a first good order, slowest (s)", max(each[0] for each in found), "1", "", None))
    rows.append(("60 tasks: tool calls proven, slowest (s)", max(each[1] for each in found), "10", told, took))
    calls = float(found[0][3].order.tool_calls)
    rows.append(("… tool calls then", calls, "", "its tool calls", float(by_solver.order.tool_calls)))
    rows.append(("60 tasks: all of it proven, slowest (s)", max(each[2] for each in found), "", "", None))
    mixed = [_timed(day(seed, shuffled=True), 10.0) for seed in range(_DAYS)]
    rows.append(("in no order: a first good order, slowest (s)", max(each[0] for each in mixed), "1", "", None))
    gap = max(each[3].order.tool_calls - each[3].bound.tool_calls for each in mixed)
    rows.append(("in no order: tool calls over the bound, most", float(gap), "", "", None))
    long = _timed(day(0, stations=20, tasks=200, tools=15), 10.0)
    naive = float(long[3].naive.tool_calls)
    rows.append(("200 tasks in 10 s: tool calls", float(long[3].order.tool_calls), "", "station after station", naive))
    rows.append(("… no order has fewer than", float(long[3].bound.tool_calls), "", "", None))
    rows.append(("… took (s)", long[2], "10", "", None))
    begun = time.perf_counter()
    loads = split(_backlog(), 20.0, time.monotonic)
    rows.append(("24 jobs into loads (s)", time.perf_counter() - begun, "20", "", None))
    rows.append(("… loads", float(len(loads.loads)), "", "no fewer than", float(loads.least_loads)))
    begun = time.perf_counter()
    loads = split(_backlog(waits=8), 20.0, time.monotonic)
    rows.append(("… 8 of them with a wait inside (s)", time.perf_counter() - begun, "20", "", None))
    rows.append(("… loads", float(len(loads.loads)), "", "no fewer than", float(loads.least_loads)))
    return [*rows, *_shown(), *_read_back()]


def _tuesday() -> tuple[Run, BesideRun]:
    path = demo_job("float-housing").parent / "tuesday" / "tuesdays_table.json"
    run = read_run(path)
    return run, beside_run(run, path)


def _shown() -> list[Row]:
    """What a frozen block costs until all of it is drawn anew: kept order, picture and what stands on the table."""
    run, beside = _tuesday()
    tasks = problem_of(run)
    known = Planned(tasks, put_in_order(tasks.problem, 5.0, time.monotonic).order)
    block = [tasks.refs[k] for k in known.order.tasks[:5]]
    run_table_drawing(run, run_table(run, beside.plans))  # type: ignore[arg-type]
    begun = time.perf_counter()
    frozen = with_frozen(run, block)
    left = kept_order(problem_of(frozen), known)
    assert left is not None, "what follows each other already can be frozen"
    run_layout(run_picture(frozen, left, 0.0), 900.0, len)
    picture = time.perf_counter() - begun
    run_table_drawing(frozen, run_table(frozen, beside.plans))  # type: ignore[arg-type]
    both = time.perf_counter() - begun
    return [("a block frozen, until picture and table are laid out (s)", both, "0.1", "the picture alone", picture)]


def _read_back() -> list[Row]:
    """A long toolpath program at nine shoes: read back, beside running the written program once without comparing."""
    run, beside = _tuesday()
    shoes = next(each.job for each in run.jobs if each.title.startswith("Rack"))
    tool = next(task.tool for each in run.stations if each.job == shoes for task in each.tasks)
    ways = "".join(f"G1 X{(k % 100) / 10:.3f} Y{(k % 37) / 5:.3f}\n" for k in range(_WAYS))
    text = f"T{tool} M6\nG43 H{tool}\nS3000 M3\nG0 X0.0 Y0.0\nF500\n{ways}M30\n"
    stations = tuple(
        each.model_copy(update={"tasks": tuple(task.model_copy(update={"program": "long"}) for task in each.tasks[:1])})
        for each in run.stations
        if each.job == shoes
    )
    run = run.model_copy(update={"stations": stations, "actions": (), "after": (), "frozen": (), "done": ()})
    tasks = problem_of(run)
    planned = Planned(tasks, station_after_station(tasks.problem))
    programs = {(shoes, "long"): text}

    def writes(of: Run, texts: Mapping[tuple[str, str], str]) -> list[Posted]:
        return [main_program(of, planned, beside.plans, texts)]

    begun = time.perf_counter()
    back = read_back(run, planned, beside.plans, programs, writes)
    took = time.perf_counter() - begun
    assert not back.differences, back.differences
    (posted,) = writes(run, programs)
    machine = beside.plans[shoes].job.machines[0]
    zeros = {code.key: np.array((-300.0, -300.0, -200.0)) for code in codes_of(machine)}
    begun = time.perf_counter()
    Control(SimulatedMachine(machine, [], zeros, quiet()), dialect_of(machine)).run(posted.text)
    once = time.perf_counter() - begun
    return [(f"{back.moves} moves of a run's program read back (s)", took, "", "run once, nothing compared", once)]


def _backlog(waits: int = 0) -> Backlog:
    chance = random.Random(24)
    jobs = tuple(
        BacklogJob(
            f"job {k}", chance.choice(("vise", "vise", "plate")),
            (Step(chance.uniform(15, 90), tuple(f"T{n}" for n in chance.sample(range(16), 4))),),
            due=chance.choice((None, 480.0, 960.0)),
        )
        for k in range(24)
    )  # fmt: skip
    jobs = tuple(
        replace(job, steps=(*job.steps, Step(10.0, ("T0",), wait=90.0))) if k < waits else job
        for k, job in enumerate(jobs)
    )
    return Backlog(jobs, Room({"vise": 3, "plate": 2}, pockets=12, offsets=6, minutes=300.0, between=20.0))
