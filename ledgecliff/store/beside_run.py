"""What is known beside a run: its jobs as they are now, and the toolpath programs that they name."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.model.run import Run
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.runs.differences import differences
from ledgecliff.core.runs.rules import BesideRun
from ledgecliff.core.toolpaths.control_words import control_words
from ledgecliff.core.toolpaths.subprograms import LONGEST
from ledgecliff.core.toolpaths.summary import ProgramSummary

from .job_files import read_job
from .part_models import load_models
from .run_files import checksum_of
from .toolpath_files import read_program


def plan_of_job(run: Run, run_file: Path, job: str) -> tuple[Plan, str]:
    """The plan of a job of the run as its file has it now, and the file's checksum.  Raises LedgecliffError."""
    of_job = next(each for each in run.jobs if each.job == job)
    path = run_file.parent / of_job.path
    checksum = checksum_of(path)
    found = read_job(path)
    if found.id != job:
        raise InvalidValueError(str(path), f"is another job, '{found.title}'; say where '{of_job.title}' lies now")
    return make_plan(found, load_models(found, path)), checksum


def program_texts(run: Run, run_file: Path) -> dict[tuple[str, str], str]:
    """The texts of the toolpath programs that are there, by job and file.  Raises InvalidValueError for one that is too
    long to be taken into a main program."""
    found: dict[tuple[str, str], str] = {}
    for of_job in run.jobs:
        folder = (run_file.parent / of_job.path).parent
        names = {task.program for each in run.stations if each.job == of_job.job for task in each.tasks if task.program}
        for name in sorted(names):
            path = folder / name
            if not path.is_file():
                continue
            if path.stat().st_size > LONGEST:
                raise InvalidValueError(str(path), "is too long to be taken into a main program; run it by itself")
            found[of_job.job, name] = path.read_text(encoding="latin-1")
    return found


def beside_run(run: Run, run_file: Path) -> BesideRun:
    """Every job is read, since it may lie elsewhere or name other programs now."""
    changed: dict[str, tuple[str, ...]] = {}
    missing: dict[str, str] = {}
    plans: dict[str, Plan] = {}
    programs: dict[tuple[str, str], ProgramSummary | str] = {}
    for of_job in run.jobs:
        folder = (run_file.parent / of_job.path).parent
        try:
            plan, checksum = plan_of_job(run, run_file, of_job.job)
        except LedgecliffError as error:
            missing[of_job.job] = str(error)
            continue
        plans[of_job.job] = plan
        if checksum != of_job.checksum:
            changed[of_job.job] = differences(run, plan)
        for setup in plan.job.setups:
            control = control_words(plan.job.machine_of(setup))
            for operation in setup.operations:
                if operation.program:
                    try:
                        programs[of_job.job, operation.program] = read_program(
                            folder / operation.program, control=control
                        )
                    except InvalidValueError as error:
                        programs[of_job.job, operation.program] = str(error)
    return BesideRun(changed, missing, programs, plans)
