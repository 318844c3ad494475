"""Every offset as it is planned, loaded into the control by one program or verified by another.

Where nothing is probed, this is how instances get their zeros; where all are, it stands in for setting them by eye.
"""

from __future__ import annotations

import numpy as np

from ..errors import PlanError
from ..model.machine import Machine
from ..plan import Plan
from ..register.entries import Entry, Value
from ..register.offset_programs import loading_program, verify_program

#: What may differ from what is planned (mm): what a fixture leaves that is said to repeat.
_TOLERANCE = 0.01


def planned_entries(plan: Plan, machine: Machine) -> tuple[Entry, ...]:
    """The value of every offset that setups on a machine keep their zeros in, each once, with whose it is."""
    found: dict[str, Entry] = {}
    for setup in plan.setups:
        if setup.setup.machine != machine.id:
            continue
        shift = np.array([0.0, 0.0, setup.machine.length_shift()])
        for each in plan.instances(setup.index):
            if each.offset is None or each.offset in found:
                continue
            x, y, z = (float(mm) for mm in each.located.m_offset - shift)
            several = len(plan.instances(setup.index)) > 1
            whose = f"{setup.setup.name}, instance {each.name}" if several and not each.shares else setup.setup.name
            value = Value(x, y, z, each.located.turn_deg)
            found[each.offset] = Entry(each.offset, label=whose, value=value, origin="computed")
    return tuple(found.values())


def planned_offsets_program(plan: Plan, machine: Machine, *, verify: bool) -> str:
    """The text of the one program or the other.  Raises RegisterError where the control cannot hold what is planned,
    PlanError where no setup goes over the machine."""
    entries = planned_entries(plan, machine)
    if not entries:
        raise PlanError(f"No setup of the job goes over {machine.name}; nothing is to be loaded there.")
    if verify:
        return verify_program(machine, entries, plan.job.title, _TOLERANCE)
    return loading_program(machine, entries, plan.job.title)
