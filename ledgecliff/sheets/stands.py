"""What stands where, on paper: stations, instances and the zeros of their offsets."""

from __future__ import annotations

from typing import Any

from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.places import station_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.setup_plan import SetupPlan


def stands(plan: Plan, setup: SetupPlan) -> list[dict[str, Any]]:
    """A row for every instance, or for the setup where it stands once."""
    station = station_of(setup.machine, setup.setup).name
    same = {"setup": setup.setup.name, "side": setup.setup.side, "station": station,
            "fixture": fixture_words(setup.machine, setup.setup)[1]}  # fmt: skip
    instances = plan.instances(setup.index)
    if setup.setup.pattern is None:
        zero = [float(value) for value in setup.planned_offset]
        return [{**same, "instance": "", "offset": setup.setup.offset, "zero": zero, "is_on": True, "why": ""}]
    return [
        {
            **same, "instance": each.name, "offset": each.offset or "NONE YET",
            "zero": [float(value) for value in each.m_zero], "is_on": each.is_on,
            "why": {"on": "", "skipped": f"skipped: {each.reason}", "finished": "finished"}[each.state],
        }
        for each in instances
    ]  # fmt: skip
