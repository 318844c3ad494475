"""Rules about the tool table: what is left in its columns, and what was never set."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding, Fix
from ..model.machine import Cutter
from ..plan import Plan
from ..quantities import said

#: A cutter is ground, broken or mistyped before it wears by more than this (mm).
_MOST_WEAR = 0.5


def _used(plan: Plan) -> Iterator[tuple[int, Cutter, str]]:
    """Cutters that the job calls, each with its place in the table and the first setup that calls it."""
    first: dict[int, str] = {}
    for setup_plan in plan.setups:
        setup = setup_plan.setup
        for tool in (*(operation.tool for operation in setup.operations), setup.hover.tool):
            first.setdefault(tool, setup.name)
    for k, cutter in enumerate(plan.job.machine.cutters):
        if cutter.tool in first:
            yield k, cutter, first[cutter.tool]


def tool_not_set(plan: Plan) -> Iterator[Finding]:
    for k, cutter, setup in _used(plan):
        if not cutter.is_set:
            yield Finding(
                "TOOL_NOT_SET",
                "hazard",
                setup,
                f"T{cutter.tool} {cutter.name} is called, but its length is not set on this machine.",
                "Set its length, and type it into the tool table.",
                Fix("It is set", ("machine", "cutters", k, "is_set"), True),
            )


def compensation_left(plan: Plan) -> Iterator[Finding]:
    for k, cutter, setup in _used(plan):
        if abs(cutter.compensation) > 1e-9:
            yield Finding(
                "COMPENSATION_LEFT",
                "warning",
                setup,
                f"D{cutter.tool} holds {said(cutter.compensation)} for T{cutter.tool} {cutter.name}: a program with "
                "radius compensation cuts off by that.",
                "Clear it in the control and in the table, unless this job wants it.",
                Fix("Clear D", ("machine", "cutters", k, "compensation"), 0.0),
            )


def wear_too_large(plan: Plan) -> Iterator[Finding]:
    for _k, cutter, setup in _used(plan):
        if abs(cutter.length_wear) > _MOST_WEAR:
            yield Finding(
                "WEAR_TOO_LARGE",
                "error",
                setup,
                f"The wear of T{cutter.tool} {cutter.name} stands at {said(cutter.length_wear)}, more than a cutter "
                "wears: a length may have been typed into the wear column.",
                "Measure the tool again; put its length into the length column and 0 into wear.",
            )


#: What these rules can find.
CODES = ("TOOL_NOT_SET", "COMPENSATION_LEFT", "WEAR_TOO_LARGE")
RULES = (tool_not_set, compensation_left, wear_too_large)
