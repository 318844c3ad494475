"""Kinds of report that a machine's control prints, as they were shown."""

from __future__ import annotations

from ..changing import set_value
from ..model.job import Job
from ..model.reports import ReportPattern


def with_report(job: Job, machine: int, pattern: ReportPattern) -> Job:
    """``pattern`` in place of the one of its name, or beside the others."""
    others = tuple(each for each in job.machines[machine].reports if each.name != pattern.name)
    return set_value(job, ("machines", machine, "reports"), (*others, pattern))
