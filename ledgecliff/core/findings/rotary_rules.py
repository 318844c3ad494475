"""Rules about rotary axes: indexes they cannot reach, and work that hangs on a centre which nobody has found."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..finding import Finding, fix
from ..frames import AXES
from ..model.stations import Rotary
from ..places import rotaries_under, station_of, tf_m_station
from ..plan import Plan
from ..quantities import said
from ..rotary_schools import axes_stand, clampings
from ..setup_plan import SetupPlan
from ..simulator.axes import planned_axes

#: A chuck that is less beside its axis (mm), or leans by less (rad), is on it.
_ON_AXIS = 1e-6


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


def centre_not_found(plan: Plan) -> Iterator[Finding]:
    """A zero carried over keeps its value while the part turns away under it: where the part then is in that WCS hangs
    on the centre."""
    for group in clampings(plan):
        told: set[str] = set()
        for number, setup in enumerate(group):
            turned = [axis for from_ in _carried_from(group[: number + 1]) for axis in _turned_since(from_, setup)]
            for rotary in turned:
                if rotary.id not in told and rotary.origin in (None, "assumed"):
                    told.add(rotary.id)
                    yield _not_found(setup, rotary)


def _carried_from(group: tuple[SetupPlan, ...]) -> Iterator[SetupPlan]:
    """Where the values come from, within one clamping, that the last of its setups carries over."""
    *before, last = group
    for axis in AXES:
        if before and last.setup.datum.axis(axis).source == "carried over":
            own = (each for each in reversed(before) if each.setup.datum.axis(axis).source != "carried over")
            yield next(own, before[0])


def _not_found(setup: SetupPlan, rotary: Rotary) -> Finding:
    name, assumed = setup.setup.name, rotary.origin == "assumed"
    return Finding(
        "CENTRE_ASSUMED" if assumed else "CENTRE_UNSAID",
        "error" if assumed else "warning",
        name,
        f"{name} carries its zero over while '{rotary.name}' turns the part away, about a centre "
        + ("that is only assumed." if assumed else "of which nobody has said how it was found.")
        + " Where the part is from that zero hangs on it.",
        "A centre is seldom on the table's top or at the chuck's face: find it and enter how, or probe this index.",
        about=rotary.id,
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


def _turned_since(first: SetupPlan, setup: SetupPlan) -> Iterator[Rotary]:
    """The axes that stand otherwise than at an index before."""
    before, now = dict(axes_stand(first)), dict(axes_stand(setup))
    return (rotary for rotary in rotaries_under(setup.machine, setup.setup) if before[rotary.word] != now[rotary.word])


RULES = (index_out_of_limits, centre_not_found, chuck_off_its_axis)
