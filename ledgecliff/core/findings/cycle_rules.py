"""Rules about cycles and probing programs: what they set, what they leave open, and what could hurt the probe."""

from __future__ import annotations

import re
from collections.abc import Iterator

from ..errors import PlanError, ProfileError
from ..finding import Finding, Fix, fix
from ..frames import AXES
from ..measuring.presence import window_of
from ..plan import Plan
from ..probing.duration import probing_seconds
from ..probing.touches import Step
from ..programs.profile import SHIPPED
from ..programs.released import probing_texts
from ..programs.result_variables import PER_STEP, check_places, result_places
from ..programs.rotation import keeps_turns
from ..programs.targets import free_code
from ..quantities import said
from ..setup_plan import SetupPlan

_COMMENT = re.compile(r"\([^()]*\)|;.*")
#: Motion of any kind, in the words of either style.
_MOTION = re.compile(r"G(0?[0-3]|31|38\.[2-5])(?![\d.])|CALL")
_SPINDLE = re.compile(r"M0?([345])(?!\d)|M(19)(?!\d)")

#: The highest variable that turns may be kept from.
_LAST_FIRST = 4900


def datum_earned(plan: Plan) -> Iterator[Finding]:
    """At the end of its cycles every axis of a setup must be set, or be carried over."""
    for setup_plan in plan.setups:
        if setup_plan.setup.probing.cycles is None or not setup_plan.probing.steps:
            continue
        setup, name = setup_plan.setup, setup_plan.setup.name
        own = [step for step in setup_plan.probing.steps if step.into in ("", setup.offset)]
        known = {s.axis for step in own for s in step.sets} | {*setup_plan.probing.carried, *setup_plan.probing.indexed}
        known |= {axis for axis, _ in setup_plan.probing.stays}
        missing = [axis.upper() for axis in AXES if axis not in known]
        if setup.datum.skew is not None and not any(step.sets_skew for step in own):
            missing.append("skew")
        if missing:
            yield Finding(
                "DATUM_NOT_EARNED",
                "error",
                name,
                f"{name}: no cycle sets {_and(missing)} of {setup.offset}. It stays as it was put in by eye.",
                "Add a cycle for it, or let the steps be proposed again.",
                (fix("Propose the steps", ("setups", setup_plan.index, "probing", "cycles"), None),),
            )


def centre_from_one_side(plan: Plan) -> Iterator[Finding]:
    """A centre that is set from one side takes the whole error of the width."""
    for setup_plan in plan.setups:
        for axis in AXES[:2]:
            source = setup_plan.setup.datum.axis(axis).source
            if not source.endswith("centre"):
                continue
            sides = [
                step.touches
                for step in setup_plan.probing.steps
                if any(setting.axis == axis for setting in step.sets) and step.into in ("", setup_plan.setup.offset)
            ]
            ways = {touch.direction for touch in (sides[-1] if sides else ()) if touch.axis == axis}
            if len(ways) == 1:
                name = setup_plan.setup.name
                yield Finding(
                    "CENTRE_FROM_ONE_SIDE",
                    "warning",
                    name,
                    f"{name}: {axis.upper()} zero is the {source}, but only one side of it is touched; half of what "
                    "the width is off goes into the zero.",
                    f"Touch both sides, as an outside width in {axis.upper()}, or take the zero from that side.",
                )


def z_touched_on_raw(plan: Plan) -> Iterator[Finding]:
    """A later side's own Z must not come from raw stock, whatever cycle touches it."""
    for setup_plan in plan.setups[1:]:
        for step in setup_plan.probing.steps:
            touched = step.cycle.on in ("stock", "part") and any(setting.axis == "z" for setting in step.sets)
            listed = setup_plan.setup.probing.cycles is not None
            if listed and touched and step.cycle.after is None and not step.into and not setup_plan.top_gives_zero:
                name = setup_plan.setup.name
                yield Finding(
                    "Z_TOUCHED_ON_RAW",
                    "error",
                    name,
                    f"{name}: '{step.cycle.name}' sets Z from the top, where the stock is still raw. Its thickness is "
                    "not the label's, and the error goes into the finished thickness.",
                    "Touch the parallels instead, or let the cycle run after an operation that faces the top.",
                )


def into_owned(plan: Plan) -> Iterator[Finding]:
    """A cycle must not write the offset that holds another setup's zero."""
    for setup_plan in plan.setups:
        for step in setup_plan.probing.steps:
            owner = next(
                (s.name for s in plan.job.setups if s.offset == step.into and s.name != setup_plan.setup.name), None
            )
            if step.into and owner is not None and step.sets and step.into != setup_plan.setup.offset:
                name = setup_plan.setup.name
                yield Finding(
                    "OFFSET_OWNED",
                    "error",
                    name,
                    f"{name}: '{step.cycle.name}' writes {step.into}, which holds the zero of {owner}.",
                    "Write another offset, or let the cycle only measure.",
                    _written_elsewhere(plan, setup_plan, step),
                    about=step.cycle.name,
                )


def _written_elsewhere(plan: Plan, setup_plan: SetupPlan, step: Step) -> tuple[Fix, ...]:
    """The cycle writing an offset that nobody has."""
    cycles, free = setup_plan.setup.probing.cycles, free_code(plan.job, setup_plan.machine)
    if cycles is None or free is None:
        return ()
    path = ("setups", setup_plan.index, "probing", "cycles", cycles.index(step.cycle), "into")
    return (fix(f"Write {free}", path, free),)


def too_long(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        longest = setup_plan.setup.probing.longest_s
        seconds = probing_seconds(setup_plan.probing, setup_plan.machine.probe)
        if longest is not None and seconds > longest:
            name, count = setup_plan.setup.name, len(setup_plan.probing.touches)
            yield Finding(
                "PROBING_TOO_LONG",
                "warning",
                name,
                f"{name}: its {count} touches take about {seconds:.0f} s, more than the {longest:g} s it may take.",
                "Leave out what need not be measured on every part, or raise feeds within the probe's calibration.",
            )


def presence_window(plan: Plan) -> Iterator[Finding]:
    """A presence window must tell a seated part from one that rides on a step or a chip."""
    for setup_plan in plan.setups:
        for number, step in enumerate(setup_plan.probing.steps):
            if step.kind != "presence":
                continue
            name, cycle = setup_plan.setup.name, step.cycle
            mine, better = window_of(setup_plan, cycle)
            if mine.separates:
                continue
            shares = f"{mine.false_stops:.2%} of good parts stop, {mine.missed:.2%} of parts that ride "
            advice, fixes = "A second touch at the other end shows a tilt that one touch cannot.", tuple[Fix, ...]()
            if better.separates:
                advice = f"Let the window go to {said(better.above)} above, where stops and misses cost least."
                path = ("setups", setup_plan.index, "probing", "cycles", number, "above")
                fixes = (fix(f"Window above {said(better.above)}", path, better.above),)
            yield Finding(
                "PRESENCE_WINDOW_WEAK",
                "warning",
                name,
                f"{name}: with '{cycle.name}' {shares}{said(cycle.rise)} up are missed, as the stock's height varies.",
                advice,
                fixes,
                about=cycle.name,
            )


def skew_not_kept(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        try:
            kept = keeps_turns(setup_plan.machine)
        except ProfileError:
            continue
        skewed = any(step.sets_skew for step in setup_plan.probing.steps)
        if skewed and not kept:
            name = setup_plan.setup.name
            yield Finding(
                "SKEW_NOT_KEPT",
                "warning",
                name,
                f"{name} takes its skew from a side, but a work offset of this control cannot be turned. The program "
                "stops where the part is turned by more than 0.1°.",
                "Straighten the part in its fixture, or take the skew out of the datum. If the control has coordinate "
                "rotation (G68), say on Release in which variables turns are kept.",
            )


def results_overlap(plan: Plan) -> Iterator[Finding]:
    """Variables that results and turns are kept in must not run into each other."""
    for setup_plan in plan.setups:
        machine, setup = setup_plan.machine, setup_plan.setup
        places = result_places(machine, setup)
        try:
            check_places(places, machine, setup, len(setup_plan.probing.steps))
        except PlanError as error:
            chosen = (places.first, places.expected, places.deviation)
            most = max(len(each.probing.steps) for each in plan.setups)
            free = max(first for first in chosen if first is not None) + PER_STEP * most
            turns = machine.offset_turns
            path = (*plan.job.machine_path(setup), "offset_turns")
            overlaps = turns is not None and turns < free <= _LAST_FIRST
            yield Finding(
                "RESULTS_OVERLAP",
                "error",
                setup.name,
                str(error).removesuffix(" Choose other variables for results."),
                "Choose other variables on Release.",
                (fix(f"Turns from #{free}", path, free),) if overlaps else (),
            )


def program_texts(plan: Plan) -> Iterator[Finding]:
    """What the profile makes of the program: it must exist, call the probe, and stop the spindle before it moves.

    Profiles that ship do, whatever the plan; tests see to that, so that edits need not write every program.
    """
    for setup_plan in plan.setups:
        machine, name = setup_plan.machine, setup_plan.setup.name
        probe = machine.probe
        if machine.profile in SHIPPED and all(profile.name != machine.profile for profile in machine.profiles):
            continue
        try:
            texts = [text.text for text in probing_texts(plan, setup_plan.index)]
        except ProfileError as error:
            words = str(error)
            yield Finding(
                "PROFILE_UNUSABLE",
                "error",
                name,
                f"{name}: no program can be written: {words[:1].lower()}{words[1:]}.".replace("..", "."),
                "Correct the profile on the Release lens, or use one that ships.",
                (
                    fix(
                        "Use the parameter style",
                        (*plan.job.machine_path(setup_plan.setup), "profile"),
                        "parameter style",
                    ),
                ),
            )
            continue
        except PlanError:
            continue  # an offset that the control does not have is told by its own rule
        for text in texts:
            yield from _spindle(name, text)
            yield from _tools(name, text, probe.tool)


def _code(text: str) -> list[str]:
    return ["".join(_COMMENT.sub("", line).split()).upper() for line in text.splitlines()]


def _spindle(name: str, text: str) -> Iterator[Finding]:
    stopped = within_sub = False
    for number, line in enumerate(_code(text), start=1):
        if line.endswith("SUB"):
            # What stands in a subprogram runs where it is called.
            within_sub = not line.endswith("ENDSUB")
            continue
        words = ["".join(found) for found in _SPINDLE.findall(line)]
        turning = any(word in ("3", "4") for word in words)
        stopped = stopped or bool(words)
        if turning or (not stopped and not within_sub and _MOTION.search(line)):
            why = "switches the spindle on" if turning else "moves before it has stopped the spindle"
            yield Finding(
                "SPINDLE_MAY_TURN",
                "hazard",
                name,
                f"{name}: the probing program {why} (line {number}). A probe that turns breaks, and its pieces fly.",
                "Correct the profile: M5 before the first move, and no M3 or M4.",
            )
            return


def _tools(name: str, text: str, probe_tool: int) -> Iterator[Finding]:
    for number, line in enumerate(_code(text), start=1):
        for letter in ("T", "H"):
            for found in re.findall(rf"(?<![A-Z]){letter}(\d+)|(?<=\d){letter}(\d+)", line):
                called = int("".join(found))
                if called != probe_tool:
                    what = "tool" if letter == "T" else "length"
                    yield Finding(
                        "WRONG_TOOL",
                        "hazard",
                        name,
                        f"{name}: the probing program calls {what} {letter}{called} (line {number}), but the probe is "
                        f"T{probe_tool}.",
                        "Correct the profile, or the probe's tool number.",
                    )
                    return


def _and(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


RULES = (
    datum_earned, centre_from_one_side, z_touched_on_raw, into_owned, too_long, presence_window,
    skew_not_kept, results_overlap, program_texts,
)  # fmt: skip
