"""What the jobs of a run say now, taken over into it."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.model.run import Run
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.differences import differences
from ledgecliff.core.runs.tasks import every_task, ref_words, task_of

from .beside_run import beside_run, plan_of_job


def take_over(run: Run, run_file: Path, *, times: bool = False) -> tuple[Run, tuple[str, ...]]:
    """The run with what its jobs say now, and what that changes in words; with ``times`` the minutes of toolpath
    programs take the place of what is typed.  Raises LedgecliffError where a job cannot be read."""
    told = list[str]()
    for of_job in run.jobs:
        plan, checksum = plan_of_job(run, run_file, of_job.job)
        told += differences(run, plan)
        run = edits.taken_over(run, plan, checksum)
    if times:
        run = edits.with_program_times(run, beside_run(run, run_file).programs)
        timed = ((ref, task_of(run, ref)) for ref in every_task(run))
        told += [
            f"{ref_words(run, ref)} takes {task.minutes:g} min by its program"
            for ref, task in timed
            if task is not None and task.minutes_from == "program"
        ]
    return run, tuple(told)
