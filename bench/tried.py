"""What is tried behind the window: what can be added, and zeros compared; beside planning anew each time."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from bench.planning import Row, forget
from ledgecliff.core.adding.cutting import cuttable
from ledgecliff.core.adding.touching import touchable
from ledgecliff.core.comparing_zeros import compared
from ledgecliff.core.datums import datum_choices
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.frames import Axis
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models


def tried(path: Path) -> list[Row]:
    job = read_job(path)
    models = load_models(job, path)

    def fresh() -> Plan:
        return make_plan(job.model_copy(deep=True), models)

    def anew() -> tuple[Plan, tuple[Finding, ...], float]:
        """A plan with all that is found against it, nothing known before, and the seconds that takes."""
        forget()
        start = time.perf_counter()
        plan = fresh()
        found = found_against(plan)
        return plan, found, time.perf_counter() - start

    def first(function: Callable[[Plan, tuple[Finding, ...]], object]) -> float:
        """Seconds of a first call: a second one finds most of it worked out."""
        plan, found, _ = anew()
        start = time.perf_counter()
        function(plan, found)
        return time.perf_counter() - start

    nothing = anew()[2]
    rows: list[Row] = []
    for setup, feature in ((0, "main bore"), (1, "counterbore")):
        cut = first(lambda plan, found: cuttable(plan, setup, feature, found, found_against))  # noqa: B023 - at once
        touch = first(lambda plan, _found: touchable(plan, setup, feature))  # noqa: B023
        where = f"{feature}, Op {10 * (setup + 1)} (s)"
        rows.append((f"what can be cut at {where}", cut, "", "one plan anew", nothing))
        rows.append((f"what can be touched at {where}", touch, "", "one plan anew", nothing))
    axes: tuple[Axis, ...] = ("x", "z")
    for axis in axes:
        took = first(lambda plan, found: list(compared(plan, 1, axis, found, found_against)))  # noqa: B023
        count = len(datum_choices(axis, job, 1))
        rows.append((f"{count} zeros of {axis.upper()} compared (s)", took, "", "each planned anew", count * nothing))
    return rows
