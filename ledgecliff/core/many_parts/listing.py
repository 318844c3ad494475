"""Stations as a list: rows for tables, and a drawing of their zeros, for whoever programs the toolpaths."""

from __future__ import annotations

from ..layered_drawing import Circle, Entity, Sheet, Words
from ..patterns.instances import Instance
from ..plan import Plan

#: The columns of the table (lengths in the control's own unit, angles in degrees).
COLUMNS = (
    "setup", "number", "group", "carrier", "face", "state", "reason", "offset", "machine x", "machine y", "machine z",
    "turned", "local x", "local y", "local z", "index", "note",
)  # fmt: skip
#: How large a zero is drawn, and the words beside it (mm).
_ZERO, _WORDS = 6.0, 4.0


def station_rows(plan: Plan) -> list[tuple[str | float | None, ...]]:
    """One row an instance, as in ``COLUMNS`` (mm); ``local`` is how far a program shifts, or has it, from its offset's
    zero."""
    return [
        (
            setup.setup.name, each.name, each.group_name, each.carrier, each.face, each.state, each.reason,
            each.offset or "", *map(float, each.m_zero), each.located.turn_deg,
            *map(float, each.located.local_shift), index_words(each), each.note,
        )
        for setup in plan.setups
        for each in plan.instances(setup.index)
    ]  # fmt: skip


def index_words(each: Instance) -> str:
    return " ".join(f"{angle.word}{angle.degrees:g}" for angle in each.index)


def station_sheet(plan: Plan) -> Sheet:
    """The zeros of all instances as a toolpath program has them: in X and Y from the zero of their face or group, a
    layer for each setup, face or group, and state."""
    entities: list[Entity] = []
    for setup in plan.setups:
        for each in plan.instances(setup.index):
            x, y = float(each.w_from_base[0]), float(each.w_from_base[1])
            layer = " ".join(filter(None, (setup.setup.name, each.face, "" if each.is_on else each.state)))
            entities += [Circle(layer, (x, y), _ZERO), Words(layer, (x + _ZERO, y), each.name, _WORDS)]
    return Sheet("stations", f"{plan.job.title}: stations", tuple(entities))
