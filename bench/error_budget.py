"""How fast the error budget is: an edit to its budget, draws of a job's pairs, and what else every setup could do."""

from __future__ import annotations

import itertools
import time

import numpy as np

from bench.planning import Row, median
from ledgecliff.core.alternatives.ranked import alternatives
from ledgecliff.core.alternatives.route import routes
from ledgecliff.core.budget.budget import Budget, budget_of
from ledgecliff.core.budget.drawing_lots import results_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.frames import Array
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import make_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models

_THREE, _FIVE, _DRAWS = "gland-spindle", "sluice-valve-block", 1_000_000


def error_budget() -> list[Row]:
    return [*_edits(), _draws(), *_ranked()]


def _read(name: str) -> tuple[Job, Models]:
    job = read_job(demo_job(name))
    return job, load_models(job, demo_job(name))


def _edits() -> list[Row]:
    """A figure of the machine, a place of the hold: what is shown of the first three setups."""
    job, models = _read(_THREE)
    job = set_value(job, ("setups",), job.setups[:3])
    steps = itertools.count(1)

    def figure() -> Job:
        return set_value(job, ("machines", 0, "accuracy"), 0.004 + next(steps) * 1e-6)

    budget_of(make_plan(job, models))
    whole = median(lambda: budget_of(make_plan(figure(), models)), 7)
    alone = median(lambda: make_plan(figure(), models), 7)
    return [("a figure changed to its budget, three setups (s)", whole, "0.1", "the plan alone", alone)]


def _draws() -> Row:
    job, models = _read(_FIVE)
    budget = budget_of(make_plan(job, models))
    mine = median(lambda: results_of(budget, _DRAWS, 1), 3)
    plain = median(lambda: _plainly(budget), 3)
    return (
        f"a million draws of {len(budget.pairs)} pairs (s)",
        mine,
        f"{1.5 * plain:.2f}",
        "plain NumPy, all at once",
        plain,
    )


def _plainly(budget: Budget) -> Array:
    """The same arithmetic written down at once."""
    chance, rows, sources = np.random.default_rng(1), [], budget.entering
    deviations = []
    for each in sources:
        scatter = each.scatter
        if scatter.kind == "even":
            deviations.append(chance.uniform(-scatter.size, scatter.size, _DRAWS))
        elif scatter.kind == "disc":
            out, way = scatter.size * np.sqrt(chance.uniform(size=_DRAWS)), chance.uniform(0.0, 2.0 * np.pi, _DRAWS)
            deviations += [out * np.cos(way), out * np.sin(way)]
        else:
            off = chance.normal(0.0, scatter.size, _DRAWS)
            deviations.append(np.abs(off) if scatter.kind == "one-sided" else off)
    column = {name: k for k, name in enumerate(name for each in sources for name in each.coordinates)}
    for pair in budget.pairs:
        for way in pair.moved:
            row = np.zeros(len(column))
            row[[column[name] for name in pair.coordinates]] = way
            rows.append(row)
    drawn: Array = np.array(rows) @ np.array(deviations)
    return drawn


def _ranked() -> list[Row]:
    """Once each: what is tried is planned for the first time; what is found of the plan itself is known by then, as in
    the window."""
    rows: list[Row] = []
    for name, wanted in ((_FIVE, "3"), ("float-housing-by-jaw", "")):
        job, models = _read(name)
        plan = make_plan(job, models)
        budget_of(plan)
        findings_of(plan)
        begun = time.perf_counter()
        tried = sum(len(alternatives(plan, index)) for index in range(len(plan.setups)))
        of_setups = time.perf_counter() - begun
        begun = time.perf_counter()
        routes(plan)
        rows += [
            (f"{tried} choices of {len(plan.setups)} setups (s)", of_setups, wanted, "", None),
            ("the whole route after them (s)", time.perf_counter() - begun, "", "", None),
        ]
    return rows
