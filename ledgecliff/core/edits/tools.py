"""Edits of a machine's tool table."""

from __future__ import annotations

from ..changing import Path, add_item, changed, set_value, value_at
from ..errors import InvalidValueError
from ..model.job import Job
from ..model.machine import Cutter, Machine


def free_number(machine: Machine) -> int:
    """The lowest tool number that neither a cutter nor the probe has."""
    used = {*(probe.tool for probe in machine.probes), *(cutter.tool for cutter in machine.cutters)}
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


def add_probe(job: Job, setup: int) -> Job:
    """One more probe on the machine of a setup, like the one it is probed with, which the setup then uses."""
    one = job.setups[setup]
    number = free_number(job.machine_of(one))
    probe = job.machine_of(one).probe.model_copy(update={"tool": number})
    job = add_item(job, (*job.machine_path(one), "more_probes"), probe)
    return set_value(job, ("setups", setup, "probing", "probe"), number)


def with_probe(job: Job, setup: int, tool: int) -> Job:
    """A setup probed with another of its machine's probes, by its number."""
    usual = job.machines[job.number_of(job.machine_of(job.setups[setup]))].probe.tool
    return set_value(job, ("setups", setup, "probing", "probe"), None if tool == usual else tool)


def remove_probe(job: Job, setup: int) -> Job:
    """Takes the probe that a setup uses off its machine; it is then probed with the usual one.

    Raises InvalidValueError for the usual one, or while another setup uses it.
    """
    one = job.setups[setup]
    tool, number = one.probing.probe, job.number_of(job.machine_of(one))
    machine = job.machines[number]
    if tool is None or tool == machine.probe.tool:
        raise InvalidValueError("probe", "it is the machine's usual one; take another one off, or change this one")
    users = [each.name for each in job.setups if each.machine == one.machine and each.probing.probe == tool]
    if len(users) > 1:
        raise InvalidValueError("probe", f"T{tool} is used in {' and '.join(users)}; let those use another one first")
    left = machine.model_copy(update={"more_probes": tuple(p for p in machine.more_probes if p.tool != tool)})
    usual = one.model_copy(update={"probing": one.probing.model_copy(update={"probe": None})})
    machines = tuple(left if k == number else each for k, each in enumerate(job.machines))
    setups = tuple(usual if k == setup else each for k, each in enumerate(job.setups))
    return changed(job, {"machines": machines, "setups": setups})
