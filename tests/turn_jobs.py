"""The dial ring jobs, once on pins and once in a frame, with one mark a side, and short ways to change them."""

from __future__ import annotations

from functools import cache

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.programs.released import registration_files, released_files
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job

PINS = ("setups", 0, "operations", 0)
FRAME = PINS


#: The outlines of both sides.
FIRST, LAST = ("setups", 0, "operations", 3), ("setups", 1, "operations", 1)
_KEPT = ("ring bore", "upper mark 1", "lower mark 1")


@cache
def ring(kind: str) -> Job:
    """``kind`` is "on-pins" or "in-a-frame"."""
    job = read_job(demo_job(f"dial-ring-{kind}"))
    setups = tuple(
        setup.model_copy(update={"operations": tuple(o for o in setup.operations if set(o.features) <= set(_KEPT))})
        for setup in job.setups
    )
    part = job.part.model_copy(update={"features": tuple(f for f in job.part.features if f.name in _KEPT)})
    return job.model_copy(update={"part": part, "setups": setups})


@cache
def ring_plan(kind: str) -> Plan:
    return make_plan(ring(kind), Models())


def ring_with(kind: str, *edits) -> Plan:
    job = ring(kind)
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, Models())


def registration_programs(plan):
    """What the setups of a plan run for their turns, by the stem of the file's name."""
    kinds = {name for k in range(len(plan.setups)) for name in registration_files(plan, k)}
    return {name.removesuffix(".ngc"): text for name, text in released_files(plan).items() if name in kinds}
