"""Rules about what is known of rotary axes: their sense, their nought, and centres that work hangs on."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..budget.sides import left_by_axes
from ..carried import found_on_axis
from ..finding import Finding, fix
from ..frames import AXES
from ..model.setup import FROM_BEFORE
from ..model.stations import Happened, Rotary
from ..places import hanging_on_centre, rotaries_under, stands_at, station_of, tf_m_station
from ..plan import Plan
from ..quantities import said
from ..rotary_schools import clampings
from ..setup_plan import SetupPlan
from ..simulator.axes import planned_axes

#: A chuck that is less beside its axis (mm), or leans by less (rad), is on it.
_ON_AXIS = 1e-6
#: What axes may take of a tolerance before it is told.
_SHARE = 0.5


def centre_not_found(plan: Plan) -> Iterator[Finding]:
    """A zero carried over keeps its value while the part turns away under it, and one that the axes take along is
    worked out: where the part then is in that WCS hangs on the centre."""
    for group in clampings(plan):
        told: set[str] = set()
        for number, setup in enumerate(group):
            hanging = [axis for from_ in _carried_from(group[: number + 1]) for axis in _hanging_since(from_, setup)]
            for rotary in hanging:
                on_axis = found_on_axis(plan.job.setups, setup.index)
                if rotary.id in told or (on_axis and rotary is rotaries_under(setup.machine, setup.setup)[0]):
                    continue
                told.add(rotary.id)
                if rotary.origin in (None, "assumed"):
                    yield _not_found(setup, rotary)
                elif (happened := rotary.stale_since()) is not None:
                    yield _stale(setup, rotary, happened)


def _carried_from(group: tuple[SetupPlan, ...]) -> Iterator[SetupPlan]:
    """Where the values come from, within one clamping, that the last of its setups carries over."""
    *before, last = group
    for axis in AXES:
        if before and last.setup.datum.axis(axis).source in FROM_BEFORE:
            own = (each for each in reversed(before) if each.setup.datum.axis(axis).source not in FROM_BEFORE)
            yield next(own, before[0])


def _not_found(setup: SetupPlan, rotary: Rotary) -> Finding:
    name, assumed = setup.setup.name, rotary.origin == "assumed"
    return Finding(
        "CENTRE_ASSUMED" if assumed else "CENTRE_UNSAID",
        "error" if assumed else "warning",
        name,
        f"{name} takes its zero from the setup before while '{rotary.name}' turns the part, about a centre "
        + ("that is only assumed." if assumed else "of which nobody has said how it was found.")
        + " Where the part is from that zero hangs on it.",
        "A centre is seldom on the table's top or at the chuck's face: find it and enter how, or probe this index.",
        about=rotary.id,
    )


def _stale(setup: SetupPlan, rotary: Rotary, happened: Happened) -> Finding:
    found = f"found on {rotary.found_on}" if rotary.found_on else "and nobody has said when it was found"
    return Finding(
        "CENTRE_STALE",
        "error",
        setup.setup.name,
        f"{setup.setup.name} takes its zero from the setup before while '{rotary.name}' turns the part, about a centre "
        f"{found}: '{happened.what}' is entered for {happened.on}, after which no centre on it holds.",
        "Find the centre anew and enter how and on which day, or probe this index.",
        about=rotary.id,
    )


def sense_unknown(plan: Plan) -> Iterator[Finding]:
    for setup in plan.setups:
        for rotary in rotaries_under(setup.machine, setup.setup):
            if rotary.sense is None:
                yield Finding(
                    "SENSE_UNKNOWN",
                    "error",
                    setup.setup.name,
                    f"{setup.setup.name} stands on '{rotary.name}', and which way that turns is not known: a program "
                    "for it is not to be released.",
                    "Run the sense test on the machine with all clear, look which side comes up, and enter it.",
                    about=rotary.id,
                )


def shift_in_place(plan: Plan) -> Iterator[Finding]:
    """What was moved along for a test cut displaces everything that is cut after it."""
    for setup in plan.setups:
        for rotary in rotaries_under(setup.machine, setup.setup):
            if rotary.shift_in_place:
                number, machine = setup.machine.carriers.index(rotary), plan.job.number_of(setup.machine)
                path = ("machines", machine, "carriers", number, "shift_in_place")
                yield Finding(
                    "SHIFT_IN_PLACE",
                    "error",
                    setup.setup.name,
                    f"{setup.setup.name} stands on '{rotary.name}', and what was moved along for a test cut about it, "
                    f"{said(rotary.shift_in_place)}, has not been moved back.",
                    "Move it back in the offset page before anything else is cut, and say so.",
                    (fix("It is moved back", path, 0.0, promise=True),),
                    about=rotary.id,
                )


def flat_missing(plan: Plan) -> Iterator[Finding]:
    """An axis whose nought was never swept flat tilts every side that it brings up."""
    told: set[str] = set()
    for setup in plan.setups:
        for rotary in rotaries_under(setup.machine, setup.setup):
            turned = stands_at(rotary, setup.setup.index) != rotary.flat_deg
            if turned and rotary.flat_swept_on is None and rotary.id not in told:
                told.add(rotary.id)
                yield Finding(
                    "FLAT_MISSING",
                    "warning",
                    setup.setup.name,
                    f"{setup.setup.name} stands on '{rotary.name}', and nobody has said when that was swept flat: "
                    f"what counts as nought, {rotary.word}{rotary.flat_deg:g}, may be another angle.",
                    "Sweep it with two touches a long way apart, and enter the angle and the day.",
                    about=rotary.id,
                )


def centre_eats_tolerance(plan: Plan) -> Iterator[Finding]:
    """What the axes' centres leave of a zero that is worked out, against what is made there may lie off."""
    for setup in plan.setups:
        name = setup.setup.name
        tightest, whose = setup.tightest_here or (None, "")
        if tightest is None or not setup.clamping.turned:
            continue
        off = left_by_axes(plan, setup.index).expanded
        if off > _SHARE * tightest:
            yield Finding(
                "CENTRE_EATS_TOLERANCE",
                "error" if off > tightest else "warning",
                name,
                f"{name} works its zero out about the axes' centres, which may leave it {said(off)} off, and "
                f"'{whose}' may lie {said(tightest)} off.",
                "Probe this index, or find the centres better and enter how well.",
            )


def chuck_off_its_axis(plan: Plan) -> Iterator[Finding]:
    """What a chuck turns is turned about the chuck's own axis, whatever is entered as the centre."""
    told: set[str] = set()
    for setup in plan.setups:
        machine = setup.machine
        station = station_of(machine, setup.setup)
        under = rotaries_under(machine, setup.setup)
        if setup.holding.rotary_axis() is None or not under or under[0].id in told:
            continue
        line = next(axis for axis in planned_axes(machine) if axis.id == under[0].id)
        tf_m_chuck = tf_m_station(machine, station)
        off = float(np.linalg.norm(np.cross(tf_m_chuck.shift - line.m_centre, line.m_along)))
        leans = float(np.linalg.norm(np.cross(tf_m_chuck.turn[:, 0], line.m_along)))
        if max(off, leans) < _ON_AXIS:
            continue
        told.add(under[0].id)
        number = machine.carriers.index(under[0])
        path = ("machines", plan.job.number_of(machine), "carriers", number, "centre")
        yield Finding(
            "CHUCK_OFF_ITS_AXIS",
            "error",
            setup.setup.name,
            f"{setup.setup.name}: '{station.name}' turns about its own axis, and "
            + (
                f"'{under[0].name}' is entered {said(off)} beside that."
                if leans < _ON_AXIS
                else f"'{under[0].name}' is entered as lying another way."
            ),
            "Enter the chuck's place and the centre of its axis alike.",
            (fix("The centre where the chuck is", path, station.at),) if leans < _ON_AXIS and not under[0].on else (),
            about=under[0].id,
        )


def _hanging_since(first: SetupPlan, setup: SetupPlan) -> tuple[Rotary, ...]:
    """The axes on whose centre it hangs where the part has come to lie since an index before."""
    return hanging_on_centre(setup.machine, first.setup, setup.setup)


RULES = (sense_unknown, shift_in_place, centre_not_found, flat_missing, centre_eats_tolerance, chuck_off_its_axis)
