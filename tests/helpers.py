"""What many tests share: the demo job and its plan, read once, and short ways to change it."""

from __future__ import annotations

from functools import cache
from typing import Any

from ledgecliff.core.changing import set_value
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.solids.geometry import Models, PartGeometry
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models


@cache
def demo() -> Job:
    return read_job(demo_job("float-housing"))


@cache
def models() -> Models:
    return load_models(demo(), demo_job("float-housing"))


def geometry() -> PartGeometry:
    part = models().part
    assert part is not None, "the demo has a model"
    return part


@cache
def demo_plan() -> Plan:
    return make_plan(demo(), models())


def changed(*edits: tuple[tuple[str | int, ...], Any]) -> Job:
    """The demo with values set: ``changed((("stock", "allowance", "plus_z"), 2.0))``."""
    job = demo()
    for path, value in edits:
        job = set_value(job, path, value)
    return job


def plan_with(*edits: tuple[tuple[str | int, ...], Any]) -> Plan:
    return make_plan(changed(*edits), models())


def fixed(job: Job, finding: Finding) -> Job:
    """``job`` with the first of what may mend ``finding``."""
    return with_fix(job, finding.fixes[0])


def codes(plan: Plan, setup: str | None = None) -> set[str]:
    """The codes of a plan's findings, of one setup if it is named."""
    return {finding.code for finding in findings_of(plan) if setup is None or finding.setup == setup}


@cache
def shipped_plan(name):
    """The plan of a demo that ships."""
    job = read_job(demo_job(name))
    return make_plan(job, load_models(job, demo_job(name)))
