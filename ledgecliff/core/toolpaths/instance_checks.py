"""A toolpath program against the pattern of the setup it belongs to: whose offsets it calls, and where it goes."""

from __future__ import annotations

from collections.abc import Iterator

from ..frames import Array
from ..patterns.instances import Instance, pattern_of
from ..plan import Plan
from ..quantities import said
from ..setup_plan import SetupPlan
from .checks import Difference
from .summary import ProgramSummary

#: What a program goes beyond its outermost places to come in and out: so many tool diameters, and so much (mm).
_BEYOND_DIAMETERS, _BEYOND = 2.0, 10.0


def check_instances(summary: ProgramSummary, plan: Plan, index: int, operation: int) -> Iterator[Difference]:
    """What is wrong with it where its setup has a pattern; nothing where it has none."""
    pattern = pattern_of(plan.job, index)
    if pattern is None:
        return
    setup, instances = plan.setups[index], plan.instances(index)
    yield from _called(summary, setup, instances)
    over_groups = setup.setup.operations[operation].name in pattern.over_groups
    if (over_groups or pattern.school == "in the program") and summary.complete:
        yield from _places(summary, setup, instances, operation, over_groups=over_groups)


def _called(summary: ProgramSummary, setup: SetupPlan, instances: tuple[Instance, ...]) -> Iterator[Difference]:
    """Offsets that only instances have which are not on."""
    for code, line in summary.offsets.items():
        users = [each for each in instances if each.offset == code]
        if not users or any(each.is_on for each in users):
            continue
        names = ", ".join(each.name for each in users)
        if any(each.state == "skipped" for each in users):
            why = "; ".join(dict.fromkeys(each.reason for each in users if each.reason))
            yield Difference(
                "SKIPPED_IN_PROGRAM", "hazard", line,
                f"{code} is called, and instance {names} of {setup.setup.name} is skipped: {why}.",
            )  # fmt: skip
        else:
            yield Difference(
                "FINISHED_IN_PROGRAM", "error", line,
                f"{code} is called, and instance {names} of {setup.setup.name} is finished.",
            )  # fmt: skip


def _places(
    summary: ProgramSummary, setup: SetupPlan, instances: tuple[Instance, ...], operation: int, *, over_groups: bool
) -> Iterator[Difference]:
    """How far it goes along X and Y against all the places it must go to: those that its offset serves, or where it
    runs over whole groups those of the group too that have offsets of their own."""
    cutter = setup.machine.cutter(setup.setup.operations[operation].tool)
    removed = setup.cutting.removed(operation)
    if cutter is None or removed.is_empty():
        return
    low, high = (corner - setup.wcs.u_origin for corner in setup.orient(removed))
    middle = (low + high)[:2] / 2.0
    for code in dict.fromkeys(each.offset for each in instances if each.offset is not None):
        owners = [each for each in instances if each.offset == code]
        groups = {each.place.group for each in owners} if over_groups else set()
        mine = [each for each in instances if each.offset == code or each.place.group in groups]
        extent = summary.extents.get((code, cutter.tool))
        if extent is None or not any(each.is_on for each in mine):
            continue
        for k, axis in enumerate("XY"):
            reach = extent.bounds(k)
            if reach is not None:
                wanted = _wanted(owners[0], mine, middle, k)
                yield from _along(axis, reach, wanted, (high - low)[k], cutter.diameter, code)


def _wanted(owner: Instance, mine: list[Instance], middle: Array, k: int) -> tuple[float, float]:
    """Where the middles of what is cut lie at the outermost instances that are on, as the ``owner``'s offset reads."""
    turn = owner.located.tf_m_u.turn
    at = [
        float((turn.T @ (each.m_zero - owner.located.m_offset))[k] + middle[k]) for each in mine if each.is_on
    ]  # fmt: skip
    return min(at), max(at)


def _along(
    axis: str, reach: tuple[float, float], wanted: tuple[float, float], size: float, diameter: float, code: str
) -> Iterator[Difference]:
    missed = max(reach[0] - wanted[0], wanted[1] - reach[1]) - size / 2.0
    if missed > 1e-6:
        yield Difference(
            "PLACES_MISSED", "error", 0,
            f"The program goes along {axis} of {code} from {said(reach[0])} to {said(reach[1])}; the outermost "
            f"instances lie at {said(wanted[0])} and {said(wanted[1])}.",
        )  # fmt: skip
    spare = size / 2.0 + _BEYOND_DIAMETERS * diameter + _BEYOND
    # Programs begin over the zero.
    beyond = max(min(wanted[0] - spare, 0.0) - reach[0], reach[1] - max(wanted[1] + spare, 0.0))
    if beyond > 1e-6:
        yield Difference(
            "BEYOND_PLACES", "warning", 0,
            f"The program goes along {axis} of {code} from {said(reach[0])} to {said(reach[1])}, {said(beyond)} beyond "
            f"where the outermost instances that are on ({said(wanted[0])} and {said(wanted[1])}) need it: one that is "
            "skipped may still be in it.",
        )  # fmt: skip
