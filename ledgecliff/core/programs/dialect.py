"""How a machine's control reads programs: its style, with the work offsets that it has."""

from __future__ import annotations

from ..model.machine import Machine
from ..simulator.modal import DIALECTS, Dialect
from .profile import profile_of


def dialect_of(machine: Machine) -> Dialect:
    """Raises ProfileError where the machine names a profile that it does not have."""
    return DIALECTS[profile_of(machine).control].on(machine)
