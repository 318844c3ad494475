"""Rehearsals as tests want them: a plan, and a seed or a stated true world."""

from __future__ import annotations

from dataclasses import replace

from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan


def rehearsed(plan, seed=1, world=None, *, geometry=None, job=None, **more):
    """``geometry`` and ``job``: another part than the plan was made for is on the machine."""
    written = written_plan(plan)
    if job is not None:
        there = [
            replace(each, machine=job.machine_of(each.setup), stated=setup)
            for each, setup in zip(written.setups, job.setups, strict=True)
        ]
        written = replace(written, job=job, setups=tuple(there))
    written = replace(written, geometry=geometry or written.geometry)
    return rehearse(written, drawn_world(written, seed) if world is None else world, **more)
