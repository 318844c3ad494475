"""Rules about rotary axes: indexes they cannot reach, and zeros that hang on a centre which nobody has found."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding
from ..frames import AXES
from ..model.stations import Rotary
from ..places import station_of
from ..plan import Plan
from ..rotary_schools import axes_stand, clampings, rotaries_under
from ..setup_plan import SetupPlan


def index_out_of_limits(plan: Plan) -> Iterator[Finding]:
    for setup in plan.setups:
        stand, name = dict(axes_stand(setup)), setup.setup.name
        for rotary in _under(setup):
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
    """A zero taken over from another index is turned about the centre, and is off by as much as that."""
    for group in clampings(plan):
        told: set[str] = set()
        for setup in group[1:]:
            computed = [axis for axis in AXES if setup.setup.datum.axis(axis).source == "carried over"]
            for rotary in _turned_since(group[0], setup) if computed else ():
                if rotary.id in told or rotary.origin not in (None, "assumed"):
                    continue
                told.add(rotary.id)
                yield _not_found(setup, rotary)


def _not_found(setup: SetupPlan, rotary: Rotary) -> Finding:
    name, assumed = setup.setup.name, rotary.origin == "assumed"
    return Finding(
        "CENTRE_ASSUMED" if assumed else "CENTRE_UNSAID",
        "error" if assumed else "warning",
        name,
        f"{name} takes over its zero from another index, turned about the centre of '{rotary.name}' "
        + ("that is only assumed." if assumed else "of which nobody has said how it was found."),
        "A centre is seldom on the table's top or at the chuck's face: find it and enter how, or probe this index.",
        about=rotary.id,
    )


def _turned_since(first: SetupPlan, setup: SetupPlan) -> Iterator[Rotary]:
    """The axes that stand otherwise than at a clamping's first index."""
    before, now = dict(axes_stand(first)), dict(axes_stand(setup))
    return (rotary for rotary in _under(setup) if before[rotary.word] != now[rotary.word])


def _under(setup: SetupPlan) -> tuple[Rotary, ...]:
    return rotaries_under(setup.machine, station_of(setup.machine, setup.setup))


RULES = (index_out_of_limits, centre_not_found)
