"""Presence and seating over the instances of a pattern: the touch of the top that each of them gets."""

from __future__ import annotations

from ..frames import AXES
from ..model.cycles import ProbeCycle
from ..model.part import Feature
from ..model.setup import FROM_BEFORE, Setup
from ..model.stock import Stock
from ..probing.proposals import proposed_cycles
from ..probing.seat_window import USUAL_COSTS, proposed_window

#: What the check is called where nobody has made one.
NAME = "presence and seating"
#: The least rise that it must catch, where nobody has said: a chip under the part (mm).
_RISE = 0.25


def with_seating(setup: Setup, features: tuple[Feature, ...], stock: Stock) -> Setup:
    """A setup whose program looks whether the part is there and seated: as it does already, or with a touch of the top
    as soon as Z is known."""
    cycles = proposed_cycles(setup, features) if setup.probing.cycles is None else setup.probing.cycles
    if any(cycle.kind == "presence" for cycle in cycles):
        return setup
    sigma = float(setup.orientation.sizes(stock.spread())[2]) / 2.0
    limits = proposed_window(sigma, _RISE, setup.probing.costs or USUAL_COSTS)
    check = ProbeCycle(
        name=NAME, kind="presence", on="stock", action="measure", rise=_RISE,
        below=limits.below, above=limits.above,
    )  # fmt: skip
    at = _z_is_known(setup, cycles)
    probing = setup.probing.model_copy(update={"cycles": (*cycles[:at], check, *cycles[at:])})
    return setup.model_copy(update={"probing": probing})


def _z_is_known(setup: Setup, cycles: tuple[ProbeCycle, ...]) -> int:
    """How many cycles it takes until Z is known: none where it needs no touch; all where none tells by its body."""
    if setup.datum.z.source in (*FROM_BEFORE, "fixture value"):
        return 0
    above = [k for k, cycle in enumerate(cycles) if _sets_z(cycle)]
    return above[0] + 1 if above else len(cycles)


def _sets_z(cycle: ProbeCycle) -> bool:
    return cycle.action == "set" and cycle.side in (None, "top") and cycle.axis not in AXES[:2] and cycle.kind in (
        "surface", "plane", "bar", "rotary axis",
    )  # fmt: skip
