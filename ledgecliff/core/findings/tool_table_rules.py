"""Rules about the tool table: what is left in its columns, and what was never set."""

from __future__ import annotations

from collections.abc import Iterator

from ..changing import Path
from ..finding import Finding, fix
from ..model.machine import Cutter
from ..plan import Plan
from ..quantities import said

#: A cutter is ground, broken or mistyped before it wears by more than this (mm).
_MOST_WEAR = 0.5


def _used(plan: Plan) -> Iterator[tuple[Path, Cutter, str]]:
    """Cutters that the job calls, each with where it stands in the job and the first setup that calls it."""
    first: dict[tuple[Path, int], str] = {}
    for setup_plan in plan.setups:
        setup = setup_plan.setup
        for tool in (*(operation.tool for operation in setup.operations), setup.hover.tool):
            first.setdefault((plan.job.machine_path(setup), tool), setup.name)
    for number, machine in enumerate(plan.job.machines):
        for k, cutter in enumerate(machine.cutters):
            calls = first.get((("machines", number), cutter.tool))
            if calls is not None:
                yield ("machines", number, "cutters", k), cutter, calls


def tool_not_set(plan: Plan) -> Iterator[Finding]:
    for path, cutter, setup in _used(plan):
        if not cutter.is_set:
            yield Finding(
                "TOOL_NOT_SET",
                "hazard",
                setup,
                f"T{cutter.tool} {cutter.name} is called, but its length is not set on this machine.",
                "Set its length, and type it into the tool table.",
                (fix(f"T{cutter.tool} is set", (*path, "is_set"), True, promise=True),),
                about=cutter.name,
            )


def compensation_left(plan: Plan) -> Iterator[Finding]:
    for path, cutter, setup in _used(plan):
        if abs(cutter.compensation) > 1e-9:
            yield Finding(
                "COMPENSATION_LEFT",
                "warning",
                setup,
                f"D{cutter.tool} holds {said(cutter.compensation)} for T{cutter.tool} {cutter.name}: a program with "
                "radius compensation cuts off by that.",
                "Clear it in the control and in the table, unless this job wants it.",
                (fix(f"D{cutter.tool} is cleared", (*path, "compensation"), 0.0, promise=True),),
                about=cutter.name,
            )


def wear_too_large(plan: Plan) -> Iterator[Finding]:
    for _path, cutter, setup in _used(plan):
        if abs(cutter.length_wear) > _MOST_WEAR:
            yield Finding(
                "WEAR_TOO_LARGE",
                "error",
                setup,
                f"The wear of T{cutter.tool} {cutter.name} stands at {said(cutter.length_wear)}, more than a cutter "
                "wears: a length may have been typed into the wear column.",
                "Measure the tool again; put its length into the length column and 0 into wear.",
                about=cutter.name,
            )


#: What these rules can find.
CODES = ("TOOL_NOT_SET", "COMPENSATION_LEFT", "WEAR_TOO_LARGE")
RULES = (tool_not_set, compensation_left, wear_too_large)
