"""Edits of a machine's tool table."""

from __future__ import annotations

from ..changing import Path, add_item, set_value, value_at
from ..model.job import Job
from ..model.machine import Cutter, Machine


def free_number(machine: Machine) -> int:
    """The lowest tool number that neither a cutter nor the probe has."""
    used = {machine.probe.tool, *(cutter.tool for cutter in machine.cutters)}
    return next(number for number in range(1, len(used) + 2) if number not in used)


def add_tool(job: Job, machine_path: Path) -> Job:
    """One more cutter under the next free number, its length not set."""
    number = free_number(value_at(job, machine_path))
    cutter = Cutter(tool=number, name=f"tool {number}", diameter=10.0, length=100.0, is_set=False)
    return add_item(job, (*machine_path, "cutters"), cutter)


def without_compensation(job: Job, machine_path: Path) -> Job:
    """Nothing left in the radius column of any cutter."""
    path = (*machine_path, "cutters")
    cleared = tuple(cutter.model_copy(update={"compensation": 0.0}) for cutter in value_at(job, path))
    return set_value(job, path, cleared)
