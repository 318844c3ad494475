"""What a run is written to: its programs, and its list on paper."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.run import Run
from ledgecliff.core.quantities import Unit
from ledgecliff.core.runs.posting import block_programs, main_program
from ledgecliff.core.runs.rules import Planned, run_findings
from ledgecliff.core.scheduling.ordering import Ordered

from .atomic import make_folder, write_atomic
from .beside_run import beside_run, plans_of_run, program_texts
from .outputs import write_page


def write_run_programs(
    run: Run, run_file: Path, planned: Planned, folder: Path, *, by_block: bool = False
) -> tuple[Path, ...]:
    """The main program of what is left, or one for each tool block.  Raises InvalidValueError while a hazard stands,
    and WriteError."""
    found = run_findings(run, planned, beside_run(run, run_file))
    hazard = next((each for each in found if each.severity == "hazard"), None)
    if hazard is not None:
        raise InvalidValueError("run", f"{hazard.code}: {hazard.message()} {hazard.remedy()} Nothing is posted")
    plans, texts = plans_of_run(run, run_file), program_texts(run, run_file)
    posted = block_programs(run, planned, plans, texts) if by_block else (main_program(run, planned, plans, texts),)
    make_folder(folder)
    for each in posted:
        write_atomic(folder / each.name, each.text)
    return tuple(folder / each.name for each in posted)


def write_run_sheet(run: Run, run_file: Path, planned: Planned, ordered: Ordered, path: Path, unit: Unit) -> Path:
    """As HTML or PDF, by the ending of ``path``.  Raises InvalidValueError for another, and WriteError."""
    from ledgecliff.sheets.run_sheet import run_html  # slow to import

    beside = beside_run(run, run_file)
    plans = {} if beside.missing else plans_of_run(run, run_file)
    machines = (machine for plan in plans.values() for machine in plan.job.machines if machine.id == run.machine)
    html = run_html(run, planned, ordered, next(machines, None), run_findings(run, planned, beside), unit)
    return write_page(path, html)
