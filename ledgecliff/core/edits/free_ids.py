"""Ids for what is new on a machine, worked out from what it is, that nothing there has yet."""

from __future__ import annotations

from itertools import count

from ..model.identity import Id, derived_id
from ..model.machine import Machine


def free_id(machine: Machine, *parts: str) -> Id:
    """The first id that follows from ``parts`` and a number which no station or carrier has: what was
    renamed since keeps the id of its old name."""
    taken = {each.id for each in (*machine.stations, *machine.carriers)}
    ids = (derived_id(machine.id, *parts, *([] if k == 0 else [str(k)])) for k in count())
    return next(each for each in ids if each not in taken)
