"""What is done at a setup, in order, each with its caution: from what the setup really has, so that nothing idle stands
between what counts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from ..edits.bench import BENCH_WORDS, CAUTIONS
from ..errors import LedgecliffError
from ..model.holding import (
    BoardHold,
    ChuckHold,
    JigHold,
    OwnHold,
    PlateHold,
    ViseHold,
    block_away,
)
from ..model.machine import Machine
from ..model.setup import Setup
from ..patterns.instances import pattern_of
from ..places import rotaries_under
from ..plan import Plan
from ..programs.released import probing_files, programs_of_setup, registration_files
from ..programs.rotation import turned_words
from ..programs.text import file_stem
from ..programs.writer import hovering
from ..quantities import said, said_signed
from ..route import wait_words
from ..setup_plan import SetupPlan
from ..tape.bench import bench_words
from ..turns.try_on_scrap import scrap_words
from ..turns.turn_check import after_words, turn_check
from ..turns.turn_plan import TurnPlan, turns_of
from .put_together import put_together

#: What a check belongs to, in the order of the work.
Part = Literal["turn it over", "beside the machine", "hold it", "tools", "zero", "first run", "cut", "look"]

_LOCKED = "Spindle stopped and locked out of rotation with the probe fitted."
_STANDS = "Spindle stopped, locked out whenever hands are in the machine. Chips not swept by hand."
_CUTS = "Eye and ear protection, dust drawn off, hands out of the travel."
_MOVES = "Hands out of the travel, nothing loose on the table, finger on hold."
_FIRST = "First run of any program above the part, at reduced feed, finger on hold."
#: Which end of the blank stays where it is, by the axis of the turn.
_STAYS = {"x": "left", "y": "in front", None: "where it is"}


@dataclass(frozen=True)
class Asked:
    """A number to be read off: ``what`` it is, what is ``expected`` (mm), and how far off it may be (mm)."""

    what: str
    expected: float
    within: float

    def is_right(self, read: float) -> bool:
        return abs(read - self.expected) <= self.within


@dataclass(frozen=True)
class Check:
    """One thing to do; ``words`` and ``caution`` may hold lengths to be spelled.  ``task`` is the operation that it
    does, empty where it does none."""

    part: Part
    words: str
    caution: str = ""
    asked: Asked | None = None
    task: str = ""


def checks_of(plan: Plan, index: int) -> tuple[Check, ...]:
    """Everything from the turn to setup ``index`` (from 0) until that is cut."""
    setup = plan.setups[index]
    return (
        *(checks_of_turn(plan, turns_of(plan)[index - 1]) if index else ()),
        *_beside(plan, index),
        *_hold(plan, setup),
        *_tools(setup),
        *_zero(plan, setup),
        *_first_run(plan, setup),
        *_cut(plan, setup),
        *_look(setup),
        *(_beside(plan, index + 1) if index + 1 == len(plan.setups) else ()),
    )


def checks_of_turn(plan: Plan, turn: TurnPlan) -> tuple[Check, ...]:
    part: Part = "turn it over"
    if turn.stays:
        return (
            Check(part, after_words(turn), f"{_MOVES} The machine builder's manual and the shop's rules come first."),
        )
    return (
        Check(part, f"Before it is loosened: mark the end that stays {end_that_stays(turn)} with a cross."),
        *(Check(part, words) for words in [scrap_words(turn.way)] if words),
        *(
            Check(part, f"What registers it is made by {name}.", f"{_CUTS} Clamps and screws stand outside its path.")
            for name in registration_files(plan, turn.before.index)
        ),
        Check(part, "Stop the spindle and wait until it stands. Brush table and underside clean.", _STANDS),
        Check(part, _blow_out(turn), "Eye protection; not towards anyone, nor into the guides."),
        Check(part, f"Turn it {turn.turn.in_shop_words()}. Seat it and tap it down."),
        Check(part, "Press on opposite corners: it must not rock."),
        *_turn_touches(turn),
    )


def end_that_stays(turn: TurnPlan) -> str:
    return _STAYS[turn.axis if turn.axis in ("x", "y") else None]


def _blow_out(turn: TurnPlan) -> str:
    match turn.way:
        case "dowel pins":
            return "Blow out the pin bores of blank and board: a chip in one lifts it or sets it aside."
        case "interlocking frame":
            return "Blow out slot and frame: a chip in the slot lifts it."
        case "two-pocket jig":
            return "Blow out the jig's second pocket to its corners."
        case _:
            return "Blow out its holes and pockets: a chip that falls under it lifts it."


def _turn_touches(turn: TurnPlan) -> Iterator[Check]:
    check = turn_check(turn)
    for touch in check.touches:
        place = f"X {said_signed(touch.x)} Y {said_signed(touch.y)}"
        tells = ", ".join(name for name, _ in touch.tells)
        yield Check(
            "turn it over",
            f"Turn check: touch the top at {place}; it must read Z {said_signed(touch.z)}. More than "
            f"{said(touch.threshold)} off, it lies wrongly ({tells}).",
            "Spindle stopped and locked out of rotation with probe or indicator fitted.",
            Asked(f"Z at {place}", touch.z, touch.threshold),
        )
    for words in check.offers:
        yield Check("turn it over", f"No touch from above tells this wrong way: {words}")
    if check.chip_touches:
        one, other = check.chip_touches
        yield Check(
            "turn it over",
            f"Chips: touch the top at X {said_signed(one[0])} Y {said_signed(one[1])} and at X {said_signed(other[0])} "
            f"Y {said_signed(other[1])}. A chip of {said(check.chip)} under one end sets them "
            f"{said(check.chip_shows)} apart.",
            "Spindle stopped and locked out of rotation with probe or indicator fitted.",
        )


def _beside(plan: Plan, index: int) -> Iterator[Check]:
    programs = programs_of_setup(plan, index) if index < len(plan.setups) else {}
    for done in plan.bench[index]:
        changes = bench_words(done)
        wait = f" Then wait {wait_words(done.step.wait)}." if done.step.wait else ""
        note = f" {done.step.note}" if done.step.note else ""
        what = f"{done.step.name}: {BENCH_WORDS[done.step.kind]}{f', {changes}' if changes else ''}."
        program = programs.get(file_stem(done.step.name))
        run = f" Program {program}." if program and done.step.kind == "make fixture" else ""
        yield Check("beside the machine", what + run + wait + note, CAUTIONS[done.step.kind])


def _hold(plan: Plan, setup: SetupPlan) -> Iterator[Check]:
    hold = setup.setup.hold
    for words, size in put_together(setup):
        yield Check("hold it", f"{words[0].upper()}{words[1:]}{'' if size is None else f': {said(size)}'}.")
    for rotary in rotaries_under(setup.machine, setup.setup):
        yield Check("hold it", _sense(rotary.name, rotary.sense, rotary.sense_seen_on), _MOVES)
        clamps = f"clamped ({rotary.clamp_word})" if rotary.clamp_word else "clamped, where it has a clamp,"
        yield Check("hold it", f"{rotary.name} {clamps} before anything is cut.")
    if setup.clamping.still:
        return
    mark = programs_of_setup(plan, setup.index).get("zero-mark")
    if mark is not None:
        yield Check("hold it", f"Cut the zero mark into the bare board: program {mark}.", _FIRST)
    if block_away(hold):
        yield Check(
            "hold it",
            f"Hold a block across the jaws' {block_away(hold)} end, push the stock against it, clamp, and take the "
            "block away.",
        )
    yield from _held_by(hold)
    yield Check("hold it", "Clamp as drawn, enough for the cut; nothing loose that can fly.", "Spindle stopped.")
    pattern = pattern_of(plan.job, setup.index)
    if pattern is not None:
        many = sum(each.is_on for each in plan.instances(setup.index))
        yield Check("hold it", f"So at each of {many} stations: tick them in the table of instances.")


def _sense(name: str, sense: str | None, day: str | None) -> str:
    if sense is None:
        return f"{name}: which way it turns is NOT known. Run its sense test above everything first, and look."
    seen = f"seen on {day}" if day else "say when that was seen last"
    return f"{name} turns {sense}, {seen}: look once more at the first index."


def _held_by(hold: object) -> Iterator[Check]:
    """What is looked at with one kind of fixture and not with another."""
    match hold:
        case ViseHold():
            yield Check("hold it", "Jaws, bed and parallels wiped; once clamped, no parallel can be pushed.")
        case BoardHold():
            if hold.screws:
                yield Check("hold it", "Screws stand outside every path, and deep enough that no cutter meets a head.")
            if hold.tape is not None:
                yield Check("hold it", "Board and stock free of dust and oil; pressed down all over, and left to hold.")
        case PlateHold() | JigHold():
            if hold.clamps:
                yield Check("hold it", "Clamps stand outside every path, level, their bolts near the stock.")
        case OwnHold():
            yield Check("hold it", "Seat and faces of the fixture wiped; the stock against every one of them.")
        case ChuckHold():
            yield Check("hold it", "Jaws wiped; key out of the chuck.", "A key left in a chuck flies.")


def _tools(setup: SetupPlan) -> Iterator[Check]:
    for tool in tools_called(setup.setup):
        cutter = setup.machine.cutter(tool)
        name = f"T{tool}" if cutter is None else f"T{tool} {cutter.name}"
        if cutter is None or not cutter.is_set:
            yield Check("tools", f"{name}: its length is NOT in the tool table. Set it, and touch it off.", _STANDS)
            continue
        reach = "" if cutter.reach is None else f", stands {said(cutter.reach)} out of its holder"
        yield Check("tools", f"{name}: in its pocket, tight, edges whole{reach}.")


def tools_called(setup: Setup) -> tuple[int, ...]:
    """Every cutter that a setup calls, in the order of the calls, and its hover check's."""
    return tuple(dict.fromkeys((setup.hover.tool, *(operation.tool for operation in setup.operations))))


def _zero(plan: Plan, setup: SetupPlan) -> Iterator[Check]:
    offset, probing = setup.setup.offset, setup.probing
    if probing.indexed:
        axes = " and ".join(probing.indexed).upper()
        yield Check("zero", f"{axes} of {offset}: worked out from the setup before, whose part has stayed clamped.")
    if probing.carried:
        axes = " and ".join(probing.carried).upper()
        yield Check("zero", f"{axes} of {offset}: the zero of the setup before, left alone.")
    held = plan.job.held_before(setup.index)
    if held is not None:
        yield Check(
            "zero",
            f"{offset} still holds the zero of {held.name}: this side's is found again here before anything is cut.",
        )
    if not probing.steps:
        for _, name in _probing(plan, setup, first=True):
            words = f"Run program {name}: it probes nothing, and takes out whatever turn {offset} still has."
            yield Check("zero", words, f"{_LOCKED} {_MOVES}")
        return
    yield Check(
        "zero",
        f"Set {offset} by eye to within {said(setup.setup.probing.guess)}: the ball must meet each surface inside its "
        "search.",
        _STANDS,
    )
    yield Check("zero", f"T{setup.machine.probe.tool}: {_probe_ready(setup.machine)}.", _LOCKED)
    for text, name in _probing(plan, setup, first=True):
        yield _probe_run(setup.machine, name, text)


def _probe_ready(machine: Machine) -> str:
    switched = f"switched on ({machine.probe.on_word})" if machine.probe.on_word else "battery good, its light on"
    return f"ball clean, stylus tight, {switched}"


def _probe_run(machine: Machine, name: str, instance: str) -> Check:
    where = f" at {instance}" if instance else ""
    return Check(
        "zero",
        f"Probe with T{machine.probe.tool}{where} (program {name}).",
        f"{_LOCKED} Hands out of the travel. Single block, finger on hold.",
    )


def _probing(plan: Plan, setup: SetupPlan, *, first: bool = False, after: str | None = None) -> list[tuple[str, str]]:
    """Instance and file of every probing program that runs at the beginning, or after an operation."""
    try:
        files = probing_files(plan, setup.index)
    except LedgecliffError as error:
        return [("", f"cannot be written: {error}")] if first else []
    return [(text.instance, name) for text, name in files if text.after == after]


def _first_run(plan: Plan, setup: SetupPlan) -> Iterator[Check]:
    hover = setup.setup.hover
    program = programs_of_setup(plan, setup.index).get("hover", "cannot be written")
    yield Check(
        "first run",
        f"Hover check with T{hover.tool} (program {program}): a {said(hover.block)} block on the "
        f"{hovering(setup).stands_on} should just slide under.",
        _FIRST,
    )


def _cut(plan: Plan, setup: SetupPlan) -> Iterator[Check]:
    turned = turned_words(setup)
    if turned and setup.setup.operations:
        yield Check("cut", f"Cutting programs turn themselves as {setup.setup.offset} is turned: {turned}.")
    for number, operation in enumerate(setup.setup.operations):
        cutter = setup.machine.cutter(operation.tool)
        tool = f"T{operation.tool}" if cutter is None else f"T{operation.tool} {cutter.name}"
        program = f", program {operation.program}" if operation.program else ""
        caution = f"{_FIRST} {_CUTS}" if not number else ""
        yield Check("cut", f"{operation.name}, {tool}{program}.", caution, task=operation.name)
        for instance, name in _probing(plan, setup, after=operation.name):
            yield _probe_run(setup.machine, name, instance)


def _look(setup: SetupPlan) -> Iterator[Check]:
    made = list(dict.fromkeys(name for operation in setup.setup.operations for name in operation.features))
    toleranced = [each.name for each in setup.features if each.name in made and each.tolerance is not None]
    if toleranced:
        yield Check(
            "look",
            f"Measure while it is still clamped: {', '.join(toleranced)}.",
            "Spindle stopped, chips brushed off, edges sharp.",
        )
