"""Rules about going from index to index: limits, cables that wind up, what the sweep meets, and codes for zeros."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from ..blanks import moved
from ..contact.first_contact import Body, Feeler
from ..finding import Finding, fix
from ..frames import AXES, Placement
from ..model.stations import Rotary
from ..places import rotaries_under, stands_at, tf_m_s
from ..plan import Plan
from ..probing.touches import Touch
from ..programs.targets import free_code
from ..quantities import said
from ..rotary_schools import axes_stand, clampings
from ..setup_plan import SetupPlan
from ..sweeps import highest_swept, swept_span, swept_through

#: More than half a turn is the long way; more than a whole one winds up cables and hoses (degrees).
_HALF, _WHOLE = 180.0, 360.0
#: Heights that differ by less are the same (mm).
_ALIKE = 1e-3


def index_out_of_limits(plan: Plan) -> Iterator[Finding]:
    for setup in plan.setups:
        stand, name = dict(axes_stand(setup)), setup.setup.name
        for rotary in rotaries_under(setup.machine, setup.setup):
            degrees = stand[rotary.word]
            if rotary.reaches(degrees):
                continue
            limits = (("from", rotary.lowest_deg), ("to", rotary.highest_deg))
            ends = [f"{word} {limit:g}°" for word, limit in limits if limit is not None]
            yield Finding(
                "INDEX_OUT_OF_LIMITS",
                "error",
                name,
                f"{name} stands at {rotary.word}{degrees:g}, and '{rotary.name}' goes {' '.join(ends)}.",
                "Choose an angle that it reaches, a turn less or more where it goes round, or turn the part otherwise.",
                about=rotary.id,
            )


def index_winds_up(plan: Plan) -> Iterator[Finding]:
    """Where every turn counts, the words of one index after the other decide how far an axis really goes."""
    for before, after in pairwise(plan.setups):
        if before.setup.machine != after.setup.machine:
            continue
        stood = {each.id: stands_at(each, before.setup.index) for each in _under(before)}
        for rotary in _under(after):
            if rotary.way_round != "counts turns" or rotary.id not in stood:
                continue
            stands = stands_at(rotary, after.setup.index)
            goes = stands - stood[rotary.id]
            name, where = after.setup.name, f"{rotary.word}{stood[rotary.id]:g} to {rotary.word}{stands:g}"
            if abs(stands - rotary.flat_deg) > _WHOLE:
                yield Finding(
                    "INDEX_WINDS_UP",
                    "warning",
                    name,
                    f"{name} stands at {rotary.word}{stands:g}, more than a whole turn from nought: hoses and cables "
                    f"of '{rotary.name}' are wound up that far, and the next job begins there.",
                    "Take whole turns off the angle.",
                    about=rotary.id,
                )
            elif abs(goes) > _HALF and any(rotary.reaches(stands + turn) for turn in (-_WHOLE, _WHOLE)):
                yield Finding(
                    "INDEX_LONG_WAY",
                    "note",
                    name,
                    f"'{rotary.name}' goes from {where}, {abs(goes):g}° round, on its way to {name}.",
                    "A whole turn less or more leads there the short way, where hoses and the sheet allow it.",
                    about=rotary.id,
                )


def sweep_meets(plan: Plan) -> Iterator[Finding]:
    """An index is only gone to from the top of the travel; even there the longest tool must clear what is swept."""
    for setup in plan.setups:
        under = _under(setup)
        if not under:
            continue
        name, machine = setup.setup.name, setup.machine
        top = highest_swept(setup)
        tips = [(machine.probe.length, f"the probe T{machine.probe.tool}")]
        tools = {operation.tool for operation in setup.setup.operations} | {setup.setup.hover.tool}
        cutters = (machine.cutter(tool) for tool in sorted(tools))
        tips += [(cutter.tip_length, f"T{cutter.tool} {cutter.name}") for cutter in cutters if cutter is not None]
        longest, what = max(tips)
        over = machine.travel_max.z - longest - top
        if over <= 0.0:
            yield Finding(
                "SWEEP_MEETS_TOOL",
                "hazard",
                name,
                f"{name}: turning to its index, what is on the axis sweeps {said(-over)} higher than the tip of {what} "
                "stands at the top of the travel.",
                "Take that tool out before the index, use a shorter one, or clamp the part nearer to the axis.",
            )
        if top >= machine.travel_max.z:
            yield Finding(
                "SWEEP_MEETS_NOSE",
                "hazard",
                name,
                f"{name}: turning to its index, what is on the axis sweeps {said(top - machine.travel_max.z)} higher "
                "than the spindle's nose stands at the top of the travel, with no tool in it.",
                "Clamp lower or nearer to the axis; it cannot go all its way here.",
            )
        for k, axis in enumerate("xy"):
            span = swept_span(setup, k)
            if span is None:
                continue
            beyond = max(getattr(machine.travel_min, axis) - span[0], span[1] - getattr(machine.travel_max, axis))
            if beyond > 0.0:
                yield Finding(
                    "SWEEP_BEYOND_TRAVEL",
                    "note",
                    name,
                    f"{name}: turning to its index, what is on the axis sweeps {said(beyond)} beyond the travel of "
                    f"{axis.upper()}, where nobody has said what stands: guards, a door, the column.",
                    "Turn it once all its way by hand-wheel, with nothing in the spindle, before a program does.",
                )
        for swept in swept_through(setup):
            yield Finding(
                "SWEEP_MEETS_NEIGHBOUR",
                "hazard",
                name,
                f"{name}: turning to its index, '{swept.axis}' sweeps {swept.mover} through {swept.met}.",
                "Take one of them off for this job, or move it out of the circle.",
                about=swept.met,
            )


def fewer_offsets_than_indexes(plan: Plan) -> Iterator[Finding]:
    """Each index whose zero is another place on the machine needs a code of its own, or the one before is lost."""
    for group in clampings(plan):
        for before, after in pairwise(group):
            axes = [axis for axis in AXES if after.setup.datum.axis(axis).source == "rotary index"]
            if not axes or before.setup.offset != after.setup.offset:
                continue
            free = free_code(plan.job, after.machine, after.setup)
            path = ("setups", after.index, "offset")
            yield Finding(
                "OFFSETS_FEWER_THAN_INDEXES",
                "error",
                after.setup.name,
                f"{after.setup.name} works its zero out from that of {before.setup.name}, and both are kept in "
                f"{after.setup.offset}: run again, the program would take along what it has written itself.",
                f"Give each index an offset of its own; {after.machine.name} has {len(after.machine.offsets)}."
                if free
                else "No offset is free: let the control follow, use the centre of rotation, or free a code.",
                (fix(f"Keep it in {free}", path, free),) if free else (),
            )


def index_not_one_clamping(plan: Plan) -> Iterator[Finding]:
    """Axes take a zero along only while the part stays where it is."""
    for setup in plan.setups:
        axes = [axis for axis in AXES if setup.setup.datum.axis(axis).source == "rotary index"]
        if axes and not plan.is_indexed(setup.index):
            yield Finding(
                "INDEX_NOT_ONE_CLAMPING",
                "error",
                setup.setup.name,
                f"{setup.setup.name} takes {' and '.join(axes).upper()} from where the rotary axes have turned the "
                "zero before, and the part is taken out in between: it is held otherwise, or worked on at the bench.",
                "Hold it as the setup before does, or find its zero here.",
            )


def sense_not_told(plan: Plan) -> Iterator[Finding]:
    """The consistency touch as the axes would have it the other way round: what it meets alike tells nothing."""
    for setup in plan.setups:
        step = next((each for each in setup.probing.steps if each.kind == "consistency" and each.touches), None)
        if step is None or step.window is None:
            continue
        for rotary in _under(setup):
            stands = stands_at(rotary, setup.setup.index)
            if rotary.sense is None or math.fmod(stands - rotary.flat_deg, 180.0) == 0.0:
                continue  # half a turn is the same either way
            higher = _higher_the_other_way(setup, rotary, step.touches[0])
            if higher is None or not -step.window[0] <= higher <= step.window[1]:
                continue
            yield Finding(
                "SENSE_NOT_TOLD",
                "note",
                setup.setup.name,
                f"{setup.setup.name}: were '{rotary.name}' to turn the other way, the consistency touch would meet the "
                f"stock {'at the same height' if abs(higher) < _ALIKE else f'only {said(abs(higher))} off'} and not "
                "tell.",
                "The sense test tells; or touch at a place (At X, At Y) that lies otherwise then.",
                about=rotary.id,
            )


def _higher_the_other_way(setup: SetupPlan, rotary: Rotary, touch: Touch) -> float | None:
    """How much higher (mm) a touch from above meets something while an axis stands as if it turned the other way; None
    where it meets nothing."""
    other = rotary.model_copy(update={"sense": "left-handed" if rotary.sense == "right-handed" else "right-handed"})
    carriers = tuple(other if each is rotary else each for each in setup.machine.carriers)
    reversed_machine = setup.machine.model_copy(update={"carriers": carriers})
    tf_m_u = tf_m_s(reversed_machine, setup.setup).after(setup.holding.tf_s_u)
    p_orientation = Placement(setup.holding.orientation.matrix(), np.zeros(3))
    bodies = [Body("stock", moved(setup.before.solid, tf_m_u.after(p_orientation)), "stock")]
    bodies += [Body(block.name, moved(block.solid(), tf_m_u)) for block in setup.holding.blocks]
    x, y, z = (float(value) for value in setup.located.m_of(touch.end))
    top = setup.machine.travel_max.z - setup.machine.probe.length + setup.machine.probe.ball_radius
    feeler = Feeler.probe(setup.machine.probe, setup.machine.nose_diameter)
    met = feeler.first_contact((x, y, top), (x, y, z), bodies)
    m_expected = float(setup.located.m_of(touch.w_contact)[2]) + touch.ball_radius
    return None if met is None else top - met.travel - m_expected


def _under(setup: SetupPlan) -> tuple[Rotary, ...]:
    return rotaries_under(setup.machine, setup.setup)


RULES = (
    index_out_of_limits,
    index_winds_up,
    sweep_meets,
    fewer_offsets_than_indexes,
    index_not_one_clamping,
    sense_not_told,
)
