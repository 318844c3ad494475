"""Tools of setups on paper."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ledgecliff.core.checklist.checks import tools_called
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.setup_plan import SetupPlan


def tool_rows(machine: Machine, setups: Sequence[SetupPlan]) -> list[dict[str, Any]]:
    """Every tool that these setups call, the probes among them, with where and in which offsets."""
    rows: list[dict[str, Any]] = []
    for cutter in machine.cutters:
        calls = [each for each in setups if cutter.tool in tools_called(each.setup)]
        if calls:
            rows.append({
                "number": cutter.tool, "name": cutter.name, "length": cutter.tip_length, "diameter": cutter.diameter,
                "reach": cutter.reach, "is_set": cutter.is_set, **_where(calls),
            })  # fmt: skip
    for probe in machine.probes:
        calls = [each for each in setups if each.probing.steps and each.machine.probe.tool == probe.tool]
        if calls:
            rows.append({
                "number": probe.tool, "name": "probe", "length": probe.length, "diameter": probe.ball_diameter,
                "reach": probe.reach, "is_set": True, **_where(calls),
            })  # fmt: skip
    return rows


def _where(calls: Sequence[SetupPlan]) -> dict[str, list[str]]:
    offsets = dict.fromkeys(each.setup.offset for each in calls)
    return {"setups": [each.setup.name for each in calls], "offsets": list(offsets)}
