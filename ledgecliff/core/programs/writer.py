"""Programs of one setup: its probing programs and the hover check, as plain text.

What a program does is worked out as actions (``cycle_actions``); how that is spelled stands in the
machine's text profile.  The same job gives the same text, byte for byte.
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterable
from dataclasses import dataclass, replace
from typing import Any

from ..datums import datum_words
from ..errors import PlanError
from ..frames import AXES
from ..model.holding import block_away
from ..model.job import fixture_words
from ..model.machine import Machine
from ..model.part import Feature
from ..model.setup import Setup
from ..places import rotaries_under
from ..setup_plan import SetupPlan
from .actions import Action, Guarded, HandTest, Note, ResultRow, Said, Say, Search, StopIf, Word, Write
from .cycle_actions import LEAST_MOVE, StepActions
from .index_moves import index_moves, indexed_zero
from .offset_writes import Writing
from .profile import ProfileWriter, profile_of
from .result_variables import check_places, result_places
from .rotation import keeps_turns, turned_by
from .targets import Target, target_of
from .text import NumberWriter

#: The last stretch over the block, or over the part, is gone at reduced feed (mm).
_HOVER_ABOVE = 25.0
#: Nearer than this the end of a skip move counts as reached (mm).
_TINY = 0.005
#: While the operator reaches for the ball the probe goes so far down, no faster than this (mm, mm/min).
_HAND_WAY, _HAND_FEED = 10.0, 60.0
#: What may stop a program.
_STOPS = (Guarded, HandTest, Search, StopIf)


@dataclass(frozen=True)
class Hovering:
    """Where the hover check stops, in the WCS (mm), and what its gauge block stands on.

    The tool comes down fast to ``w_high`` only, clear of everything.
    """

    w_tip: tuple[float, float, float]
    w_high: float
    stands_on: str


@dataclass(frozen=True)
class ProbingText:
    """One probing program: after which operation it runs, its text, and the parameters that hold its results;
    ``instance`` names the one that it is for, where it is for one of several alone."""

    after: str | None
    text: str
    rows: tuple[ResultRow, ...]
    instance: str = ""


def probing_programs(
    machine: Machine, title: str, plan: SetupPlan, before: Setup | None = None, held: Setup | None = None
) -> tuple[ProbingText, ...]:  # fmt: skip
    """The probing programs of a setup in a job of that ``title``: before its operations, and after those that clear
    something to be probed.

    Zeros that are carried over are taken from the setup ``before``; the offset still holds that of ``held``.  Raises
    PlanError when the style lacks a work offset or cannot turn one that must be, ProfileError when the machine's
    profile cannot be used.
    """
    return tuple(_program(machine, title, plan, before, held, after) for after in plan.probing.stages())


def _program(
    machine: Machine, title: str, planned: SetupPlan, before: Setup | None, held: Setup | None, after: str | None
) -> ProbingText:  # fmt: skip
    setup, plan, turn_deg = planned.setup, planned.probing, planned.located.turn_deg
    numbers = NumberWriter(machine.program_units)
    own = target_of(machine, setup, setup.offset)
    turns = keeps_turns(machine)
    # Where nothing of it is set, the setup's offset may well be turned, and stays so.
    straight = plan.sets(setup.offset)
    turned = turns and (not straight or bool(turn_deg) or any(step.sets_skew for step in plan.steps))
    if turn_deg and not turns:
        raise PlanError(
            f"Setup '{setup.name}': its station is turned {turn_deg:g}° about Z, and controls of this style "
            "cannot turn a work offset along. Say in which variables turns are kept, if the control has coordinate "
            "rotation; else choose another profile, or a station that stands square."
        )
    actions: list[Action] = [*index_moves(machine, setup)]
    if after is None:
        actions += at_start(machine, planned, before, own, turns and straight)
    before_start = _before_start(machine, planned, before, after, numbers)
    if held is not None and after is None:
        before_start.append(f"{setup.offset} still holds the zero of {held.name}; this side's is found here.")
    write = ProfileWriter(profile_of(machine), probing_words(machine, title, setup, own, before_start))
    places = result_places(machine, setup)
    check_places(places, machine, setup, len(plan.steps))
    # What is probed before the skew is found stands square, and nobody knows how an offset stands that is not set here.
    stands_turned = turned and (bool(turn_deg) or not straight)
    writing = Writing(own, own, numbers, turned, stands_turned, setup.probing.jump, places, setup.index)
    of_steps, rows = stage_actions(machine, planned, after, writing, write)
    actions += of_steps
    actions = around(machine, setup, actions)
    failed = failing(machine, setup)
    actions = [failed(action) for action in actions]
    parts = [write.part("header"), *(write.action(action) for action in actions), write.part("footer", rows)]
    return ProbingText(after, tidy("\n".join(parts)), tuple(rows))


def stage_actions(
    machine: Machine,
    planned: SetupPlan,
    after: str | None,
    writing: Writing,
    write: ProfileWriter,
    kinds: Container[str] | None = None,
) -> tuple[list[Action], list[ResultRow]]:
    """What the steps of a stage do, those of some ``kinds`` alone where these are named, and the rows of their results;
    ``writing`` is for the setup's own offset."""
    setup, plan = planned.setup, planned.probing
    turning = next(iter(rotaries_under(machine, setup)), None)
    steps = [step for step in plan.stage(after) if kinds is None or step.kind in kinds]
    heights = (None, *(step.w_clearance for step in steps))
    actions: list[Action] = []
    rows: list[ResultRow] = []
    for k, step in enumerate(steps):
        into = target_of(machine, setup, step.into) if step.into else writing.own
        number = plan.steps.index(step) + 1
        found = writing.turns and any(each.sets_skew for each in plan.steps[: number - 1])
        mine = replace(writing, into=into, turned=writing.turned or found)
        writer = StepActions(step, number, mine, heights[k], turning)
        called = writer.called(first=k == 0, sets=write.sets_by_cycles) if write.has("cycle") else None
        if called is None or not write.writes(called):
            writer = StepActions(step, number, mine, heights[k], turning)
            called = writer.actions(first=k == 0)
        cycle = step.cycle
        actions += [*_say(machine, cycle.words_before), *called, *_say(machine, cycle.words_after)]
        rows += writer.rows
    return actions, rows


def _said(machine: Machine, names: Iterable[str]) -> tuple[Said, ...]:
    words = (machine.word(name) for name in names)
    return tuple(Said(word.word, word.name) for word in words if word is not None)


def _say(machine: Machine, names: Iterable[str], *, retract: bool = False) -> list[Action]:
    words = _said(machine, names)
    return [Say(words, retract)] if words else []


def around(machine: Machine, setup: Setup, actions: list[Action]) -> list[Action]:
    """What a program does, with what it says before and after, and the operator's own touch where that is asked for."""
    said, numbers = setup.probing.words, NumberWriter(machine.program_units)
    return [
        *_say(machine, said.begins),
        *_hand_test(machine, setup, numbers),
        *actions,
        *_say(machine, said.ends, retract=True),
    ]


def failing(machine: Machine, setup: Setup, *more: Said) -> Callable[[Action], Action]:
    """What puts into an action that may stop the program what is said before it does, ``more`` first."""
    failed = (*more, *_said(machine, setup.probing.words.failed))

    def with_words(action: Action) -> Action:
        return replace(action, failed=failed) if failed and isinstance(action, _STOPS) else action

    return with_words


def _hand_test(machine: Machine, setup: Setup, numbers: NumberWriter) -> list[Action]:
    """The operator's own touch before the first move."""
    if not setup.probing.hand_test:
        return []
    return [HandTest(numbers(_HAND_WAY), numbers(min(machine.probe.touch_feed, _HAND_FEED)), "2")]


def probing_words(machine: Machine, title: str, setup: Setup, own: Target, before_start: list[str]) -> dict[str, Any]:
    """What header, footer and the words of a probing program are given."""
    return header_words(machine, title, setup.name, setup.side, own, before_start) | {
        "wash": f"{setup.probing.wash_s:g}" if setup.probing.wash_s else "",
        "failed": _said(machine, setup.probing.words.failed),
    }


def header_words(
    machine: Machine, title: str, name: str, side: str, own: Target, before_start: list[str]
) -> dict[str, Any]:
    """What header, footer and the words of any program that probes are given: ``title``, ``name`` and ``side`` say in
    its head what it is for."""
    probe, numbers = machine.probe, NumberWriter(machine.program_units)
    return _common(machine, title, name, side, own) | {
        "tool": probe.tool,
        "ball": numbers(probe.ball_diameter),
        "radius": numbers(probe.effective_radius),
        "travel": numbers(probe.travel_feed),
        "on_word": probe.on_word,
        "off_word": probe.off_word,
        "wash": "",
        "tiny": numbers(_TINY),
        "least_move": numbers(LEAST_MOVE),
        "before_start": before_start,
        "failed": (),
    }


def _before_start(
    machine: Machine, planned: SetupPlan, before: Setup | None, after: str | None, numbers: NumberWriter
) -> list[str]:
    """What must be so before a program starts."""
    setup, plan = planned.setup, planned.probing
    if after is not None:
        return [f"Runs after {after}; {setup.offset} as it was found before."]
    lines = zero_lines(setup, planned.features, numbers)
    if before is not None:
        code = target_of(machine, before, before.offset).code
        lines += [
            f"{axis.upper()} keeps the zero of {code} from the setup before: do not touch it off again."
            for axis in plan.carried
        ]
        lines += [
            f"{axis.upper()} is worked out from {code}: the part has stayed clamped since." for axis in plan.indexed
        ]
    if side := block_away(setup.hold):
        lines.append(f"The block across the jaws' {side} end is taken away.")
    kind, fixture = fixture_words(machine, setup)
    lines += [f"{axis.upper()} is the known place of the {kind} {fixture}." for axis, _ in plan.stays]
    if not plan.steps:
        return [*lines, "Nothing is probed here."]
    left = ", axes that are carried over left alone" if plan.carried or plan.indexed else ""
    return [*lines, f"Before start: {setup.offset} set by eye to within {numbers(setup.probing.guess)}{left}."]


def zero_lines(setup: Setup, features: tuple[Feature, ...], numbers: NumberWriter) -> list[str]:
    """Where X0, Y0 and Z0 are, in words."""
    kinds = {feature.name: feature.kind for feature in features}
    lines = []
    for axis in AXES:
        datum = setup.datum.axis(axis)
        shift = f", {numbers(abs(datum.shift))} {'beyond' if datum.shift > 0 else 'before'} it" if datum.shift else ""
        words = datum_words(axis, datum)
        if datum.source == "rotary index":
            words = f"place where the rotary axes take {axis.upper()}0 of the setup before"
        if datum.source == "feature" and datum.feature is not None:
            what = "face" if kinds.get(datum.feature) == "face" else "floor of" if axis == "z" else "middle of"
            words = f"{what} {datum.feature}"
        lines.append(f"{axis.upper()}0 is the {words}{shift}")
    return lines


def at_start(
    machine: Machine, planned: SetupPlan, before: Setup | None, own: Target, straighten: bool
) -> list[Action]:  # fmt: skip
    """Zeros that are carried over, with their datum's shift, or that are a fixture's known place; where offsets can be
    turned, ``straighten`` takes out an old job's turn, for everything would be sought and written along its axes."""
    setup, plan, turn_deg = planned.setup, planned.probing, planned.located.turn_deg
    if turn_deg and {*plan.carried, *plan.indexed, *(axis for axis, _ in plan.stays)} & {"x", "y"}:
        raise PlanError(
            f"Setup '{setup.name}': its station is turned {turn_deg:g}° about Z, where X and Y cannot be "
            "known one by one. Probe both there."
        )
    actions: list[Action] = []
    numbers = NumberWriter(machine.program_units)
    if straighten:
        told = f"turned as its station is, {turn_deg:g} degrees" if turn_deg else "an old turn is taken out"
        actions += [Note(told), *own.written((), f"{turn_deg:.6f}".rstrip("0") if turn_deg else "0.0")]
    if plan.stays:
        less = {"z": machine.length_shift()}
        words = tuple(
            Word(axis.upper(), k, numbers(float(planned.located.m_offset[k]) - less.get(axis, 0.0)))
            for k, axis in enumerate(AXES)
            if axis in dict(plan.stays)
        )
        actions += [
            Note("the fixture stays where it is known to be"),
            Write(own.code, own.number, words, level=own.level),
        ]
    if before is None:
        return actions
    if plan.indexed:
        targets = (target_of(machine, before, before.offset), own)
        actions += indexed_zero(machine, before, setup, plan.indexed, targets)
    source = target_of(machine, before, before.offset)
    for axis in plan.carried:
        shift, k = setup.datum.axis(axis).shift, AXES.index(axis)
        if source.code != own.code or abs(shift) >= 1e-9:
            value = f"[#{source.parameter(k)} + {numbers.in_brackets(shift)}]"
            word = Word("XYZ"[k], k, value)
            actions.append(Write(own.code, own.number, (word,), level=own.level))
    return actions


def hovering(plan: SetupPlan) -> Hovering:
    """Over the surface that is chosen, else the one that gave Z where it was touched, else the stock's top: height +
    gauge block + gap."""
    setup, probing = plan.setup, plan.probing
    stands_on = next((place for place in probing.places if place.surface == setup.hover.over), probing.landing)
    x, y, z = stands_on.w_at
    x = x if setup.hover.x is None else setup.hover.x
    y = y if setup.hover.y is None else setup.hover.y
    tip = z + setup.hover.block + setup.hover.gap
    top = max(plan.holding.top(), float(plan.holding.u_stock[1][2])) - float(plan.wcs.u_origin[2])
    return Hovering((x, y, tip), max(tip, top) + _HOVER_ABOVE, stands_on.surface)


def hover_program(machine: Machine, title: str, plan: SetupPlan) -> str:
    """The hover-check program of a setup; T and H are the same number by construction."""
    setup = plan.setup
    own, hover = target_of(machine, setup, setup.offset), setup.hover
    cutter, n = machine.cutter(hover.tool), NumberWriter(machine.program_units)
    at = hovering(plan)
    program = _common(machine, title, setup.name, setup.side, own) | {
        "tool": hover.tool,
        "tool_name": cutter.name if cutter else "",
        "stands_on": at.stands_on,
        "lengths_from": machine.lengths_from,
        "block": n(hover.block),
        "gap": n(hover.gap),
        "feed": n(hover.feed),
        "feed_high": n(2 * hover.feed),
        "x": n(at.w_tip[0] + float(plan.located.local_shift[0])),
        "y": n(at.w_tip[1] + float(plan.located.local_shift[1])),
        "z": n(at.w_tip[2] + float(plan.located.local_shift[2])),
        "z_high": n(at.w_high + float(plan.located.local_shift[2])),
        "turned_by": turned_by(plan),
    }
    write = ProfileWriter(profile_of(machine), program)
    indexed = "\n".join(write.action(each) for each in index_moves(machine, setup))
    return tidy(write.part("hover", indexed) if indexed else write.part("hover"))


def _common(machine: Machine, title: str, name: str, side: str, own: Target) -> dict[str, Any]:
    metric = machine.program_units == "mm"
    return {
        "title": title,
        "setup": name,
        "side": side,
        "offset": own.code,
        "rotates": own.turned_in is not None,
        "units": "G21" if metric else "G20",
        "units_word": "millimetres" if metric else "inches",
        "top": NumberWriter(machine.program_units)(machine.travel_max.z),
    }


def tidy(text: str) -> str:
    """Without empty lines and spaces at ends."""
    lines = [line.rstrip() for line in text.splitlines()]
    return "\n".join(line for line in lines if line) + "\n"
