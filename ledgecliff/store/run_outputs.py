"""What a run is written to: its programs, and its list on paper."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from ledgecliff.core.errors import CancelledError, InvalidValueError
from ledgecliff.core.model.run import Run
from ledgecliff.core.quantities import Unit
from ledgecliff.core.release.release import checksum
from ledgecliff.core.runs.posting import Posted, block_programs, main_program
from ledgecliff.core.runs.reading_back import Programs, RunReadBack, read_back
from ledgecliff.core.runs.rules import Planned, run_findings
from ledgecliff.core.scheduling.ordering import Ordered
from ledgecliff.sheets.wanted import Paper

from .atomic import make_folder, write_atomic
from .beside_run import beside_run, program_texts
from .outputs import check_page, write_page
from .plain_documents import document_text
from .signed import about_now

#: A job that is not what was taken over: offsets and tools of the run are of before.
_ANOTHER = ("RUN_JOB_CHANGED", "RUN_JOB_MISSING")


@dataclass(frozen=True)
class WrittenPrograms:
    paths: tuple[Path, ...]
    back: RunReadBack


def write_run_programs(
    run: Run,
    run_file: Path,
    planned: Planned,
    folder: Path,
    *,
    by_block: bool = False,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> WrittenPrograms:
    """The main program of what is left, or one for each tool block, once reading it back agrees with the plan.

    Raises InvalidValueError while a hazard stands, a job is another than was taken over, or reading back differs;
    WriteError, and CancelledError.
    """
    beside = beside_run(run, run_file)
    found = run_findings(run, planned, beside)
    against = next((each for each in found if each.severity == "hazard" or each.code in _ANOTHER), None)
    if against is not None:
        raise InvalidValueError("run", f"{against.code}: {against.message()} {against.remedy()} Nothing is posted")
    plans, texts = beside.plans, program_texts(run, run_file)

    def writes(of: Run, programs: Programs) -> Sequence[Posted]:
        return (
            block_programs(of, planned, plans, programs) if by_block else (main_program(of, planned, plans, programs),)
        )

    posted = writes(run, texts)
    back = read_back(run, planned, plans, texts, writes, progress, should_stop)
    if should_stop():
        raise CancelledError
    if back.differences:
        raise InvalidValueError(
            "run", f"run on the simulated machine its program differs from the plan: {back.differences[0]}. "
            "Nothing is posted; correct the toolpath program or the job that is named"
        )  # fmt: skip
    make_folder(folder)
    for each in posted:
        write_atomic(folder / each.name, each.text)
    return WrittenPrograms(tuple(folder / each.name for each in posted), back)


def write_run_sheet(
    run: Run, run_file: Path, planned: Planned, ordered: Ordered, path: Path, unit: Unit, paper: Paper = "A4"
) -> Path:
    """As HTML or PDF, by the ending of ``path``.  Raises InvalidValueError for another, and WriteError."""
    check_page(path)
    from ledgecliff.sheets.run_sheet import run_html  # slow to import

    beside = beside_run(run, run_file)
    about = replace(about_now(run_file.name, paper=paper), checksum=checksum(document_text(run).encode("utf-8")))
    html = run_html(run, planned, ordered, beside.plans, run_findings(run, planned, beside), unit, about)
    return write_page(path, html)
