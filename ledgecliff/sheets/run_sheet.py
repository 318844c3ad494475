"""A run on paper: what is done in which order with a box for each, tools with their pockets, what stands where."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping, Sequence

from markupsafe import Markup

from ledgecliff.core.drawing.run_table import RunTable, run_table, run_table_drawing
from ledgecliff.core.finding import Finding
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.run import Run
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit
from ledgecliff.core.runs.listing import jobs_done
from ledgecliff.core.runs.picture import run_picture
from ledgecliff.core.runs.posting import clock_words, run_list
from ledgecliff.core.runs.rules import Planned
from ledgecliff.core.runs.tool_table import tool_list
from ledgecliff.core.scheduling.ordering import Ordered

from .about import NOT_SAID, About
from .page import page
from .run_svg import run_svg
from .svg import svg

#: How wide pictures are, and how high what stands on the table is at most (pixels of the page).
_WIDTH, _HIGH = 660.0, 420.0


def run_html(
    run: Run,
    planned: Planned,
    ordered: Ordered,
    plans: Mapping[str, Plan],
    findings: Sequence[Finding],
    unit: Unit,
    about: About = NOT_SAID,
) -> str:
    """Of everything that is still to be done; ``plans`` are those of its jobs that are at hand, for the sizes of tools
    and for what stands on the table."""
    rows = run_list(run, planned)
    tables, machine = _tables(run, plans), next(_machines(run, plans), None)
    jobs = {each.job: each.title for each in run.jobs}
    return page(
        "run_sheet.html", run.title, unit, about.paper, about.mark(run.id),
        run=run,
        blocks=[(tool, list(mine)) for tool, mine in itertools.groupby(rows, lambda row: row["tool"])],
        ordered=ordered,
        picture=Markup(run_svg(run_picture(run, planned, ordered.bound.minutes), _WIDTH)),
        tables=[Markup(svg(run_table_drawing(run, table), unit, _WIDTH, _HIGH)) for table in tables],
        not_drawn=sorted({name for table in tables for name in table.lacking}),
        ends=clock_words(ordered.order.minutes),
        done=len(run.done),
        jobs=[each.words for each in jobs_done(run, planned)],
        tools=[
            {"number": tool, "pocket": pocket, "is": words, "minutes": minutes,
             "reach": cutter.reach if machine is not None and (cutter := machine.cutter(tool)) is not None else None}
            for pocket, (tool, (words, minutes)) in enumerate(tool_list(run).items(), start=1)
        ],
        stations=[
            {"station": station, "job": jobs[station.job], "shifted": any(station.local.as_tuple())}
            for station in run.stations
        ],
        findings=findings,
    )  # fmt: skip


def _machines(run: Run, plans: Mapping[str, Plan]) -> Iterator[Machine]:
    """The machine as each of the jobs has it."""
    return (machine for plan in plans.values() for machine in plan.job.machines if machine.id == run.machine)


def _tables(run: Run, plans: Mapping[str, Plan]) -> list[RunTable]:
    """The table once for each index of the rotary axes at which something is cut."""
    first = {station.index: station.id for station in reversed(run.stations)}
    found = (run_table(run, plans, station) for station in reversed(first.values()))
    return [table for table in found if table is not None]
