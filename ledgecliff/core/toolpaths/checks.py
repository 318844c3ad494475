"""What is wrong with a toolpath program by itself, and against a machine and a plan.

Every difference names the line it was read in.  Codes and severities are those of the findings.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..finding import Severity
from ..frames import AXES, rotation
from ..model.machine import Machine
from ..model.stations import Rotary
from ..model.work_offsets import code_of, codes_of, plain_words, turn_variable
from ..places import rotaries_under, stands_at
from ..plan import Plan
from ..programs.rotation import turned_by, turned_words, turns_by_itself
from ..quantities import said
from ..register.checks import PresentValues
from ..register.entries import Value
from ..setup_plan import SetupPlan
from .summary import Extent, ProgramSummary, ToolUse

#: A tool's number in a comment: "T3", "TOOL 3", "TOOL NO. 3", "#3" at its beginning; "TOOL 12 MM" is a size.
_TOOL_IN_COMMENT = re.compile(
    r"(?:\b(?:T|TOOL)\s*(?:NO\.?|NUMBER|NR\.?)?\s*[#:=.]?|^\s*#)\s*(\d+)\b(?![./]\d|\s*(?:MM|IN|INCH|DEG|FL)\b|\s*[\"'])",
    re.IGNORECASE,
)
#: Units as they are said.
UNIT_WORDS = {"mm": "millimetres", "in": "inches"}
#: Angles that differ by no more are the same (degrees).
_SAME_ANGLE = 1e-3
#: Below what the part lies on by no more than this is a breakthrough, not a slip (mm).
_BREAKTHROUGH = 1.0


@dataclass(frozen=True)
class Difference:
    """``line`` is nought where no single line is to blame; lengths in ``message`` are to be spelled."""

    code: str
    severity: Severity
    line: int
    message: str


def check_program(
    summary: ProgramSummary,
    plan: Plan | None = None,
    present: PresentValues | None = None,
    setup: int | None = None,
) -> tuple[Difference, ...]:
    """Everything that is wrong with a program that was read, in the order of its lines.

    ``present`` is what the controls' offsets hold now; planned values stand in for the rest.  ``setup`` is the one it
    belongs to, where that is known: one offset may be kept through several.
    """
    found = [*_by_itself(summary)]
    if plan is not None:
        found += [
            *_against_machine(summary, _machine_for(summary, plan)),
            *_against_setups(summary, plan, present or {}, setup),
        ]
    return tuple(sorted(found, key=lambda difference: difference.line))


def check_operation(
    summary: ProgramSummary, setup: SetupPlan, operation: int, codes: frozenset[str] = frozenset()
) -> tuple[Difference, ...]:
    """A program against the operation (from 0) it belongs to: the setup's own offset, or those of all its instances
    (``codes``), and the operation's tool."""
    own, tool = setup.setup.offset, setup.setup.operations[operation].tool
    found = [*_against_index(summary, setup)]
    found += [
        Difference(
            "OFFSET_NOT_THE_SETUPS",
            "hazard",
            line,
            f"{code} is called, but {setup.setup.name} keeps its zero in {own}.",
        )
        for code, line in summary.offsets.items()
        if code != own and code not in codes
    ]
    if summary.tools and all(use.tool != tool for use in summary.tools):
        called = ", ".join(f"T{use.tool}" for use in summary.tools)
        name = setup.setup.operations[operation].name
        found.append(
            Difference(
                "TOOL_NOT_THE_OPERATIONS",
                "error",
                summary.tools[0].line,
                f"'{name}' is planned with T{tool}, but the program calls {called}.",
            )
        )
    return tuple(found)


def _against_index(summary: ProgramSummary, setup: SetupPlan) -> Iterator[Difference]:
    """Where a program sends rotary axes, against where they stand in its setup."""
    name = setup.setup.name
    under: dict[str, Rotary] = {each.word: each for each in rotaries_under(setup.machine, setup.setup)}
    for letter, degrees, line in summary.indexed:
        rotary = under.get(letter)
        if rotary is None:
            yield Difference(
                "ANGLE_NOT_THE_INDEX", "hazard", line,
                f"{letter}{degrees:g} is called, and no rotary axis {letter} carries {name}.",
            )  # fmt: skip
            continue
        stands = stands_at(rotary, setup.setup.index)
        taken = abs(degrees) if rotary.way_round == "sign is the way" else degrees
        apart = taken - stands if rotary.way_round == "counts turns" else math.remainder(taken - stands, 360.0)
        if abs(apart) > _SAME_ANGLE:
            yield Difference(
                "ANGLE_NOT_THE_INDEX", "hazard", line,
                f"{letter}{degrees:g} is called, and {name} stands at {letter}{stands:g}: it would be cut on another "
                "side.",
            )  # fmt: skip
    for letter in sorted(under.keys() - {each for each, *_ in summary.indexed}):
        yield Difference(
            "ANGLE_NOT_CALLED", "warning", 0,
            f"The program sends {letter} nowhere: it is cut wherever that stands, and {name} needs "
            f"{letter}{stands_at(under[letter], setup.setup.index):g}.",
        )  # fmt: skip


def _by_itself(summary: ProgramSummary) -> Iterator[Difference]:
    if summary.not_read is not None:
        yield Difference(
            "PROGRAM_NOT_READ",
            "error",
            summary.not_read.line,
            f"Not read, so that nothing is told of how far it goes: {summary.not_read.text}.",
        )
    yield from _lengths(summary.at_start)
    yield from _compensation(summary.at_start)
    yield from _not_changed(summary)
    for use in summary.tools:
        yield from _numbers(use)
        yield from _lengths(use)
        yield from _compensation(use)
        for line in use.compensated[:1]:
            yield Difference(
                "COMPENSATION_USED",
                "warning",
                line,
                f"T{use.tool} cuts with radius compensation: the table's value counts, and an old one may be left.",
            )
        named = _TOOL_IN_COMMENT.search(use.comment)
        if named is not None and int(named[1]) != use.tool:
            yield Difference(
                "TOOL_COMMENT_OTHER",
                "warning",
                use.line,
                f"T{use.tool} is called, but the comment beside it says T{named[1]}.",
            )
    if len(summary.units) > 1:
        yield Difference("UNITS_MIXED", "error", max(summary.units.values()), "Inches and millimetres in one program.")
    if not summary.units or summary.moved_before_unit:
        first = "The program" if not summary.units else "Before its first move the program"
        yield Difference(
            "UNITS_NOT_SET",
            "warning",
            summary.moved_before_unit,
            f"{first} does not say whether it is in inches or millimetres; it is read in "
            f"{UNIT_WORDS[summary.unit_before]} until it does.",
        )
    if not summary.offsets and summary.moved_before_offset:
        yield Difference("OFFSET_NOT_CALLED", "error", 0, "No work offset is called: whichever is active is used.")
    elif summary.moved_before_offset:
        yield Difference(
            "MOVES_BEFORE_OFFSET",
            "error",
            summary.moved_before_offset,
            "The tool moves before any work offset is called: the offset that was left active is used.",
        )
    if summary.shift_left:
        yield Difference(
            "SHIFT_LEFT", "hazard", summary.shift_left,
            "A local shift (G52) is not cleared by the program's end: whatever runs next is shifted too.",
        )  # fmt: skip
    for line in summary.writes_offsets[:1]:
        yield Difference("OFFSET_WRITTEN", "warning", line, "The program writes offsets by itself (G10).")
    for remark in summary.remarks[:5]:
        yield Difference("NOT_READ_WHOLE", "warning", remark.line, f"Not all was read: {remark.text}.")


def _lengths(use: ToolUse) -> Iterator[Difference]:
    """A tool that moves with no length in force: its gauge line, not its tip, goes where the program says."""
    if not use.bare:
        return
    tool = _tool(use)
    if use.zero:
        yield Difference(
            "LENGTH_ZERO",
            "hazard",
            use.bare,
            f"{tool} moves with the length of H0, which is none (line {use.zero}): its tip is deeper by its length.",
        )
        return
    yield Difference(
        "LENGTH_NOT_CALLED",
        "hazard",
        use.bare,
        f"{tool} moves with no length of its own called (G43): its tip is not where the program says.",
    )


def _compensation(use: ToolUse) -> Iterator[Difference]:
    if use.without_d:
        yield Difference(
            "COMPENSATION_WITHOUT_D",
            "error",
            use.without_d,
            f"{_tool(use)} cuts with radius compensation and no D is called: whichever was left is used.",
        )
    if use.open:
        yield Difference(
            "COMPENSATION_LEFT_ON",
            "error",
            use.open,
            f"The radius compensation of {_tool(use)} is never cancelled (G40): what runs next is compensated too.",
        )


def _not_changed(summary: ProgramSummary) -> Iterator[Difference]:
    """A tool that is called and never changed to.  At the end the first tool is often made ready for the next part."""
    first = summary.tools[0].tool if summary.tools else None
    for tool, line in summary.not_changed_to:
        if tool != first:
            yield Difference(
                "TOOL_NOT_CHANGED_TO",
                "error",
                line,
                f"T{tool} is called, but never changed to (M6): the tool before it goes on.",
            )


def _tool(use: ToolUse) -> str:
    return f"T{use.tool}" if use.line else "The tool in the spindle"


def _numbers(use: ToolUse) -> Iterator[Difference]:
    for number, line in use.h.items():
        if number not in (use.tool, 0):
            yield Difference(
                "LENGTH_NUMBER_OTHER",
                "hazard",
                line,
                f"T{use.tool} runs with the length of H{number}: the tip is not where it is thought to be.",
            )
    for number, line in use.d.items():
        if number not in (use.tool, 0):
            yield Difference("RADIUS_NUMBER_OTHER", "error", line, f"T{use.tool} runs with the diameter of D{number}.")


def _machine_for(summary: ProgramSummary, plan: Plan) -> Machine:
    """The machine whose setup has an offset that the program calls, else the job's first."""
    called = {plain_words(code) for code, _ in summary.extents}
    mine = (setup.machine for setup in plan.setups if plain_words(setup.setup.offset) in called)
    return next(mine, plan.job.machine)


def _against_machine(summary: ProgramSummary, machine: Machine) -> Iterator[Difference]:
    tools = {cutter.tool: cutter for cutter in machine.cutters}
    for use in summary.tools:
        if use.tool == machine.probe.tool:
            yield Difference(
                "PROBE_AS_TOOL", "hazard", use.line, f"T{use.tool} is the probe; a toolpath must not call it."
            )
        elif use.tool not in tools:
            yield Difference("TOOL_NOT_SET", "error", use.line, f"T{use.tool} is not in the machine's tool table.")
        elif not tools[use.tool].is_set:
            yield Difference("TOOL_NOT_SET", "error", use.line, f"T{use.tool}: its length is not set on this machine.")
        for number, line in use.d.items():
            cutter = tools.get(number)
            if use.compensated and cutter is not None and abs(cutter.compensation) > 1e-9:
                yield Difference(
                    "COMPENSATION_LEFT",
                    "error",
                    line,
                    f"D{number} is in use and holds {said(cutter.compensation)}, where 0 is expected.",
                )
    if len(summary.units) == 1 and machine.program_units not in summary.units:
        (unit, line), *_ = summary.units.items()
        yield Difference(
            "UNITS_OTHER",
            "note",
            line,
            f"The program is in {UNIT_WORDS[unit]}, the control's own unit is {UNIT_WORDS[machine.program_units]}: "
            "what it reads from its tables is not converted.",
        )
    codes = {code.code for code in codes_of(machine)}
    for code, line in summary.offsets.items():
        if code not in codes:
            yield Difference("OFFSET_UNKNOWN", "error", line, f"{code} is called, which {machine.name} does not have.")


def _against_setups(
    summary: ProgramSummary, plan: Plan, present: PresentValues, own: int | None
) -> Iterator[Difference]:
    for (code, tool), extent in summary.extents.items():
        setups = setups_in(plan, code, own)
        setup = setups[0] if setups else None
        line = summary.offsets.get(code, 0)
        if len(setups) > 1:
            names = " and ".join(each.setup.name for each in setups)
            yield Difference(
                "OFFSET_OF_SEVERAL",
                "note",
                line,
                f"{code} is found again in {names}: of which of them the program is, is not said, so that it is held "
                "against neither.",
            )
            continue
        if code and setup is None:
            yield Difference(
                "OFFSET_NOT_PLANNED", "warning", line, f"{code} is called, in which no setup keeps its zero."
            )
        elif setup is not None:
            yield from _travel(setup, tool, extent, line, present.get((setup.machine.id, code)))
            yield from _floor(setup, tool, extent, line)
            yield from _holding(setup, tool, extent, line)
    for (code, variable), line in summary.turned.items():
        setups = setups_in(plan, code, own)
        if len(setups) == 1:
            yield from _turned(setups[0], variable, line)


def _turned(setup: SetupPlan, variable: int | None, line: int) -> Iterator[Difference]:
    """Where the control cannot turn its offsets, the program must: by what its own offset is turned, and no other."""
    code = code_of(setup.machine, setup.setup.offset)
    by, own = turned_by(setup), None if code is None else turn_variable(setup.machine, code)
    if turns_by_itself(setup.machine):
        own = None
    if variable not in (by, own):
        now = f"by #{variable}, which is not how {setup.setup.offset} is turned" if variable else "without being turned"
        wanted = turned_words(setup) or "take G68 out"
        yield Difference(
            "TURN_NOT_CALLED", "hazard", line, f"The program moves {now}. In {setup.setup.offset}: {wanted}."
        )


def setups_in(plan: Plan, code: str, own: int | None) -> list[SetupPlan]:
    """The setups that keep their zero in an offset; of several the one a program belongs to, where that is known."""
    found = [each for each in plan.setups if each.setup.offset == code]
    for setup in plan.setups:
        # At the first of a pattern's instances that has it; the master's is the setup's own.
        mine = next((each for each in plan.instances(setup.index) if each.offset == code), None)
        if mine is not None and setup.setup.offset != code:
            found.append(plan.placed(setup.index, mine))
    return [each for each in found if each.index == own] or found


def _reach_along(extent: Extent, k: int, turn_deg: float) -> tuple[float, float] | None:
    """From where to where it goes along a machine axis with the offset turned about Z; at most, by the corners of what
    is known along the offset's own axes."""
    if k == 2 or turn_deg == 0.0:
        return extent.bounds(k)
    x, y = extent.bounds(0), extent.bounds(1)
    if x is None or y is None:
        return None
    row = rotation("z", turn_deg)[k]
    along = [row[0] * a + row[1] * b for a in x for b in y]
    return float(min(along)), float(max(along))


def _travel(setup: SetupPlan, tool: int, extent: Extent, line: int, present: Value | None) -> Iterator[Difference]:
    """Machine reading = E + w, and in Z the tool's length more (docs/methods/frames-and-signs.md)."""
    machine = setup.machine
    cutter = machine.cutter(tool)
    length = cutter.tip_length if cutter is not None else 0.0
    offset, turn_deg, which = setup.located.m_offset, setup.located.turn_deg, "planned"
    if present is not None:
        offset = np.array([present.x, present.y, present.z + machine.length_shift()])
        turn_deg, which = present.turn_deg, "present"
    for k, axis in enumerate(AXES):
        reach = _reach_along(extent, k, turn_deg)
        if reach is None or (axis == "z" and cutter is None):
            continue
        shift = float(offset[k]) + (length if axis == "z" else 0.0)
        low, high = getattr(machine.travel_min, axis), getattr(machine.travel_max, axis)
        beyond = max(low - (reach[0] + shift), (reach[1] + shift) - high)
        if beyond > 1e-6:
            yield Difference(
                "BEYOND_TRAVEL",
                "error",
                line,
                f"T{tool} in {setup.setup.offset} goes {said(beyond)} beyond the travel in {axis.upper()}, with the "
                f"{which} offset.",
            )


def _floor(setup: SetupPlan, tool: int, extent: Extent, line: int) -> Iterator[Difference]:
    reach = extent.bounds(2)
    floor = setup.holding.seat - float(setup.wcs.u_origin[2])
    may_cut = max((block.may_cut for block in setup.holding.blocks), default=0.0)
    if reach is not None and reach[0] < floor - max(may_cut, _BREAKTHROUGH):
        yield Difference(
            "BELOW_FLOOR",
            "hazard",
            line,
            f"T{tool} in {setup.setup.offset} goes to Z {said(reach[0])}, {said(floor - reach[0])} below the "
            f"{setup.holding.seat_name} of {setup.setup.name}.",
        )


def _holding(setup: SetupPlan, tool: int, extent: Extent, line: int) -> Iterator[Difference]:
    """Jaws and clamps that stand within the box the tool goes through.

    Only the box is known, not the way: what stands in it must be looked at, and may still be passed.
    """
    reach = [extent.bounds(k) for k in range(3)]
    cutter = setup.machine.cutter(tool)
    if cutter is None or any(bounds is None for bounds in reach):
        return
    (left, right), (front, back), (lowest, _) = (bounds for bounds in reach if bounds is not None)
    radius, origin = cutter.diameter / 2.0, setup.wcs.u_origin
    for block in (*setup.holding.blocks, *setup.neighbours.blocks):
        if block.kind not in ("jaw", "clamp"):
            continue
        low, high = np.array(block.low) - origin, np.array(block.high) - origin
        beside = right + radius <= low[0] or left - radius >= high[0] or back + radius <= low[1]
        if beside or front - radius >= high[1] or lowest >= high[2] - 1e-6:
            continue
        yield Difference(
            "MAY_MEET_HOLDING",
            "warning",
            line,
            f"T{tool} in {setup.setup.offset} goes down to Z {said(lowest)} in a region where the {block.name} stands "
            f"up to Z {said(float(high[2]))}: see that it is above it there.",
        )
