"""What a rehearsal tells: rows and sentences, with lengths to be spelled."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..frames import AXES, Array
from ..plan import Plan
from ..quantities import said_signed
from .results import Rehearsal, RehearsedSetup
from .worlds import Worlds


@dataclass(frozen=True)
class OffsetRow:
    """A row of the offset list: X, Y and Z (mm) as the control's table shows them, or a difference of two.

    A value is None where there is none.  ``off`` are the axes that are further off than they may be.
    """

    words: str
    values: tuple[float | None, ...]
    off: tuple[bool, ...] = (False, False, False)
    #: Its values are held against the truth and have a mark for whether they are right; or say how far off they may be.
    is_judged: bool = False
    is_limit: bool = False


def offset_rows(plan: Plan, rehearsal: Rehearsal | None) -> tuple[OffsetRow, ...]:
    """Of every setup what is planned, and what was found where its program came to its end."""
    rows: list[OffsetRow] = []
    for setup in plan.setups:
        rows.append(_row(f"{setup.setup.offset} planned", setup.planned_offset))
        result = None if rehearsal is None else rehearsal.setups[setup.index]
        if result is not None and not result.stopped:
            # The machine's own readings count lengths from the gauge line, the table perhaps from a reference plane.
            rows.append(_row("found", result.found - (setup.located.m_offset - setup.planned_offset)))
            off = tuple(result.is_off(k) for k in range(3))
            rows.append(replace(_row("found − true", result.difference), off=off, is_judged=True))
            rows.append(OffsetRow("may be off", result.limits, is_limit=True))
        rows += [_of_instance(each) for each in instances_in(rehearsal, setup.setup.name)]
    return tuple(rows)


def instances_in(rehearsal: Rehearsal | None, setup: str) -> tuple[RehearsedSetup, ...]:
    """All instances of a setup in all loads, where it has a pattern."""
    every = () if rehearsal is None else rehearsal.instances
    return tuple(each for each in every if each.name == setup and each.instance)


def _name(each: RehearsedSetup) -> str:
    return each.instance if each.load == 1 else f"{each.instance}, load {each.load}"


def _of_instance(each: RehearsedSetup) -> OffsetRow:
    name = _name(each)
    if each.left_out or each.stopped:
        return OffsetRow(f"{name} {'left out' if each.left_out else 'stopped'}", (None, None, None))
    off = tuple(each.is_off(k) for k in range(3))
    return replace(_row(f"{name} off by", each.difference), off=off, is_judged=True)


def _row(words: str, values: Array) -> OffsetRow:
    x, y, z = (float(value) for value in values)
    return OffsetRow(words, (x, y, z))


def said_of_setup(rehearsal: Rehearsal, index: int) -> str:
    """How the programs of a setup ran, over all instances where it has a pattern."""
    first = rehearsal.setups[index]
    every = instances_in(rehearsal, first.name)
    if not every:
        return said_of(first)
    count, loads = len({each.instance for each in every}), max(each.load for each in every)
    runs = f"{count} instance{'s' if count > 1 else ''}" + (f" in {loads} loads" if loads > 1 else "")
    lines = [f"{first.name}: {runs}, {sum(each.counted for each in every)} touches"]
    if names := [_name(each) for each in every if each.left_out]:
        lines.append(f"⚠ missing or not seated, left out: {', '.join(names)}")
    for each in every:
        if each.alarms or each.amiss:
            lines.append(said_of(each))
    return "\n".join(lines)


def said_of(result: RehearsedSetup) -> str:
    """How the programs of a setup ran, a line for each thing to be said."""
    lines = [f"{result.full_name}: {result.counted} touches, " + ("; ".join(result.alarms) or "no alarm")]
    lines += [f"⚠ {words}" for words in result.amiss]
    if result.hover_gap is not None:
        lines.append(f"hover check: {said_signed(result.hover_gap)} over the block")
    return "\n".join(lines)


def said_of_proof(rehearsal: Rehearsal | None, worlds: Worlds | None) -> str:
    """How far a plan has been proven, in a line or two."""
    lines = []
    if worlds is not None:
        lines.append(worlds.words())
    if rehearsal is not None:
        wrong = [*rehearsal.amiss, *rehearsal.alarms]
        open_ones = list(dict.fromkeys(setup.name for setup in rehearsal.every if not setup.is_set))
        right = "every zero found within what it may be off"
        if wrong:
            right = f"not right: {wrong[0]}" + (f", and {len(wrong) - 1} more" if len(wrong) > 1 else "")
        elif open_ones:
            right = f"no alarm, but not every axis is set by a program in {', '.join(open_ones)}"
        how = " by cards" if rehearsal.by_cards else ""
        lines.append(f"Rehearsed{how} in trial {rehearsal.seed}: {right}.".replace("..", "."))
    if (rehearsal is not None and rehearsal.by_cards) or (worlds is not None and worlds.by_cards):
        lines.append("The probing programs were not run.")
    return "\n".join(lines) or "Not rehearsed since the last change."


def said_of_pairs(rehearsal: Rehearsal) -> str:
    """Far side against near side: where each feature came to lie, less where the model has it; of many parts from the
    least to the most."""
    of_pair: dict[tuple[str, str], list[tuple[float, float, float]]] = {}
    for pair in rehearsal.pairs:
        of_pair.setdefault((pair.feature, pair.partner), []).append(pair.p_deviation)
    lines = []
    for (feature, partner), every in of_pair.items():
        parts = f", {len(every)} parts" if len(every) > 1 else ""
        off = [_span([each[k] for each in every], axis.upper()) for k, axis in enumerate(AXES)]
        lines.append(f"{feature} to {partner}{parts}\n    " + "  ".join(off))
    return "\n".join(lines) or "No feature is cut against a near-side partner."


def _span(values: list[float], letter: str) -> str:
    least, most = min(values), max(values)
    return f"{letter} {said_signed(least)}" + (f" to {said_signed(most)}" if len(values) > 1 else "")
