"""Every stop of a probing program driven once: what must stop it is made to happen, and then it must go no further.

A contact on each way that should be free, a search that meets nothing, another tool in the spindle; and a size, tilt,
turn, height or change of the offset just beyond its limit, where it must stop or wait, and just within, where it must
not.  What a program does is taken from a run of it that was as planned.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from ..frames import AXES, Array
from ..probing.results import Results
from ..probing.touches import Step, Touch
from ..programs.cycle_actions import SKEW_LIMIT_DEG
from ..programs.dialect import dialect_of
from ..programs.rotation import keeps_turns
from ..setup_plan import SetupPlan
from ..simulator.interpreter import Control
from ..simulator.machine import quiet
from .replay import Event, Fault, RecordingMachine, ReplayingMachine

#: How far beyond and within a limit is driven (mm, degrees).
_NEAR, _NEAR_DEG = 0.03, 0.01
BARS = ("bar", "rotary axis")
#: Nearer to the top of the travel is at it (mm).
_AT_TOP = 0.01
#: Far beyond a limit is so many times as far.
_FAR_BEYOND = 10.0

Shifts = dict[int, float]


class Found(NamedTuple):
    """What a step's readings give, and how far (3,) the offset that it sets goes (mm)."""

    step: Step
    results: Results
    moved: Array


class Misses(NamedTuple):
    """Where (N, 3) in M, to within ``away`` (mm), the ball's lowest point must be once a touch has met nothing; each
    touch has so many ``stages``, of which the first goes there.  Of those that ``leave`` the instance at hand the probe
    goes back to the top of the travel before the program stops."""

    m_ends: Array
    stages: Sequence[int]
    away: float
    leave: Sequence[bool]


@dataclass(frozen=True)
class _Driven:
    """A fault, whether the program must ``hold`` then, and whether to hold is to wait for the operator."""

    fault: Fault
    words: str
    line: int = 0
    holds: bool = True
    waits: bool = False
    #: Where (3,) in M the ball's lowest point must be then; or whether it must be back at the top of the travel.
    m_end: Array | None = None
    leaves: bool = False


@dataclass(frozen=True, eq=False)
class Ran:
    """A text that has run as planned: ``before`` is the machine as it found it, ``unit`` the one that has run it, with
    what each step has ``found`` and where a touch that meets nothing must end."""

    text: str
    before: RecordingMachine
    unit: RecordingMachine
    found: Sequence[Found]
    misses: Misses


def undriven(
    planned: SetupPlan,
    ran: Ran,
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> tuple[int, list[str]]:
    """How many stops of a text hold, and in words those that do not; fewer are driven where it ``should_stop``."""
    before, events, dialect = ran.before, ran.unit.events, dialect_of(planned.machine)
    faults = [_tool(), *_hands(events), *_ways(events, ran.misses), *_readings(planned, events, ran.found)]
    differences = []
    for done, driven in enumerate(faults):
        if should_stop():
            break
        progress(done, len(faults))
        unit = ReplayingMachine(
            before.machine, [], {key: value.copy() for key, value in before.offsets.items()}, quiet(),
            axes=before.axes.copied(), turns=dict(before.turns), past=events, fault=driven.fault,
        )  # fmt: skip
        unit.position, unit.probe_on = before.position, True
        outcome = Control(unit, dialect).run(ran.text)
        went_on = driven.fault.kind != "read" and unit.after > 0
        if driven.leaves:
            went_on = unit.position[2] < planned.machine.travel_max.z - _AT_TOP
        held = len(outcome.room_at_pauses) > 0 if driven.waits else bool(outcome.alarm)
        if driven.m_end is not None:
            tip = np.array(unit.position) - (0.0, 0.0, planned.machine.probe.length)
            if float(np.linalg.norm(tip - driven.m_end)) > ran.misses.away:
                differences.append(f"line {driven.line}: a search that does not end where it is planned to")
                continue
        if went_on or held != driven.holds:
            where = f"line {driven.line}: " if driven.line else ""
            goes_on = "goes on" if driven.holds else "waits" if driven.waits else "stops"
            differences.append(f"{where}{driven.words}, and the program {goes_on}")
    return len(faults) - len(differences), differences


def _tool() -> _Driven:
    return _Driven(Fault("tool"), "another tool than the probe is in the spindle")


def _hands(events: Sequence[Event]) -> Iterator[_Driven]:
    for event in events:
        if event.what == "by hand":
            yield _Driven(Fault("no hand"), "nobody touches the ball when that is asked for", event.line)


def _ways(events: Sequence[Event], misses: Misses) -> Iterator[_Driven]:
    """Ways that were free and searches that met something: the other way round."""
    ends = iter([
        end
        for m_end, count, leaves in zip(misses.m_ends, misses.stages, misses.leave, strict=True)
        for end in ((m_end, leaves), (None, False))[:count]
    ])  # fmt: skip
    for at, event in enumerate(events):
        if event.what != "towards":
            continue
        if event.reading is None:
            yield _Driven(Fault("met", at), "something is met on a way that should be free", event.line)
        else:
            m_end, leaves = next(ends, (None, False))
            fault = Fault("missed", at)
            if leaves:
                yield _Driven(fault, "no part is met", event.line, leaves=True)
            else:
                yield _Driven(fault, "a search meets nothing", event.line, m_end=m_end)


def _readings(planned: SetupPlan, events: Sequence[Event], found: Sequence[Found]) -> Iterator[_Driven]:
    turn = planned.located.tf_m_u.turn
    searches = [at for at, event in enumerate(events) if event.what == "towards" and event.reading is not None]
    turns = keeps_turns(planned.machine)
    for step, results, moved_by in found:
        stages = 1 if step.cycle.rough else 2
        count = step.passes * len(step.touches) * step.cycle.touches * stages
        mine, searches = searches[:count], searches[count:]
        last = mine[-len(step.touches) * step.cycle.touches * stages :]
        for words, moved, holds in _about_limits(step, results, turns):
            fault = _shifted(step, last, stages, moved, turn)
            yield _Driven(fault, f"{step.title}: {words} {'beyond' if holds else 'within'} its limit", holds=holds)
        for words, moved, holds in _about_jump(step, moved_by, planned.setup.probing.jump, planned.located.turn_deg):
            fault = _shifted(step, last, stages, moved, turn)
            yield _Driven(fault, f"{step.title}: {words}", holds=holds, waits=True)


def _limits(low: float, high: float, near: float) -> Iterator[tuple[float, bool]]:
    """Places beyond and within two limits, and whether they are beyond."""
    yield from ((low - near, True), (high + near, True))
    if high - low > 4.0 * near:
        yield from ((low + near, False), (high - near, False))


def _about_limits(step: Step, found: Results, turns: bool) -> Iterator[tuple[str, Shifts, bool]]:
    """What brings a result of the step to its limits: words, shifts of touches along their ways (mm), beyond or not."""
    touches = step.touches
    wider = 1.0 if step.inside else -1.0
    for quantity in step.finds:
        key, expected, now = quantity.key, quantity.expected, found[quantity.key]
        if key.startswith("size") and step.size_tolerance > 0.0:
            tolerance = step.size_tolerance
            if step.kind in BARS:
                yield f"{quantity.words} is", dict.fromkeys(range(len(touches)), 2.0 * tolerance), True
                continue
            axis = key.removeprefix("size").strip()
            for target, beyond in _limits(expected - tolerance, expected + tolerance, _NEAR):
                by = wider * (target - now)
                first = next(k for k, touch in enumerate(touches) if step.cycle.angles_deg or touch.axis == axis)
                shifts = dict.fromkeys(range(len(touches)), by / 2.0) if step.cycle.angles_deg else {first: by}
                yield f"{quantity.words} is", shifts, beyond
        elif key == "tilt":
            yield "the tilt is", {0: 0.01 * step.size_tolerance * _apart(touches) + 2.0}, True
        elif key == "skew" and not turns and step.cycle.action == "set":
            for target, beyond in _limits(-SKEW_LIMIT_DEG, SKEW_LIMIT_DEG, _NEAR_DEG):
                yield "the turn is", {1: (target - now) / _skew_per_mm(touches)}, beyond
        elif step.window is not None:
            below, above = step.window
            for target, beyond in _limits(expected - below, expected + above, _NEAR):
                yield "the height is", {0: now - target}, beyond  # down is the touch's way


def _skew_per_mm(touches: Sequence[Touch]) -> float:
    """How many degrees an edge turns for each mm that its second touch goes further along its way."""
    first, second = touches[:2]
    k = AXES.index(first.axis)
    run = second.w_contact[1 - k] - first.w_contact[1 - k]
    return math.degrees(first.direction / run) * (1.0 if first.axis == "y" else -1.0)


def _about_jump(
    step: Step, moved_by: Array, jump: float | None, turn_deg: float
) -> Iterator[tuple[str, Shifts, bool]]:  # fmt: skip
    """What brings the change of an axis to what may be without asking: every touch of it shifted alike.

    Of an offset that is turned machine X and Y are asked about, which both go with either axis: far beyond alone is
    driven.
    """
    if jump is None or step.kind in BARS:
        return
    for setting in step.sets:
        mine = [k for k, touch in enumerate(step.touches) if touch.axis == setting.axis]
        if step.cycle.angles_deg or not mine:
            continue
        if turn_deg and setting.axis != "z":
            far = dict.fromkeys(mine, _FAR_BEYOND * jump)
            yield f"{setting.axis.upper()} changes by more than may be without asking", far, True
            continue
        change = float(moved_by[AXES.index(setting.axis)])
        for target, beyond in _limits(-jump, jump, _NEAR):
            by = target - change
            words = f"{setting.axis.upper()} changes by {'more' if beyond else 'less'} than may be without asking"
            yield words, {k: by * step.touches[k].direction for k in mine}, beyond


def _apart(touches: Sequence[Touch]) -> float:
    places = np.array([touch.w_contact for touch in touches])
    return float(np.linalg.norm(places - places[0], axis=1).max())


def _shifted(step: Step, searches: Sequence[int], stages: int, moved: Mapping[int, float], turn: Array) -> Fault:
    """Readings of the counted stages of some touches, off along each touch's way, which ``turn`` (3, 3) takes to M."""
    shifts = []
    runs = [k for k in range(len(step.touches)) for _ in range(step.cycle.touches)]
    for place, k in enumerate(runs):
        if k in moved:
            x, y, z = (float(value) for value in moved[k] * (turn @ np.array(step.touches[k].way)))
            shifts.append((searches[place * stages + stages - 1], (x, y, z)))
    return Fault("read", shifts=tuple(shifts))
