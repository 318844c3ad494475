"""The dial ring jobs, once on pins and once in a frame, and short ways to change them."""

from __future__ import annotations

from functools import cache

from ledgecliff.core.edits import set_value
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job

PINS = ("setups", 0, "operations", 0)
FRAME = PINS


@cache
def ring(kind: str) -> Job:
    """``kind`` is "on-pins" or "in-a-frame"."""
    return read_job(demo_job(f"dial-ring-{kind}"))


@cache
def ring_plan(kind: str) -> Plan:
    return make_plan(ring(kind), Models())


def ring_with(kind: str, *edits) -> Plan:
    job = ring(kind)
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, Models())
