"""Where every feature of a part truly comes to lie, to first order in everything that may be off.

A part is followed from setup to setup in its blank's own frame, P of the plan.  In each setup:

- what holds it, and how it lies in that, moves the part by ``q(p)`` along the machine's axes: a shift, and a turn about
  a place;
- the zero, as it is found there, puts what the control cuts off by ``z(p)``: a shift, and a turn where the offset has
  one;
- so a feature comes to lie ``e(p) = M^T (z(p) - q(p))`` off its place in P, ``M`` being how P lies on the machine.

What the zero is taken from may be a feature or a face that an earlier setup cut, and what the part is pushed against
too: their ``e`` goes on into this setup's.  A source keeps its key all along the way, so that it counts once, with its
sign.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..frames import AXES, Array
from ..model.job import made_on
from ..model.pattern import Probed
from ..plan import Plan
from ..scatter import Scatter
from ..setup_plan import SetupPlan
from .held import held
from .moved import Moved
from .offs import NOTHING, Off, Source, added
from .shared_zeros import finders, shared_zero

_UNIT = np.eye(3)


class Chain:
    """One part on its way through a plan's setups, at any station of a pattern but the first.  ``probed`` is which of
    the stations of a setup are, instead of how the job has it; ``sources`` are all that were met so far, by key."""

    def __init__(self, plan: Plan, probed: Mapping[int, Probed] | None = None) -> None:
        self.plan = plan
        self.finders = finders(plan, probed or {})
        self.sources: dict[str, Source] = {}
        self._held: dict[int, Moved] = {}
        self._zeros: dict[int, Moved] = {}
        self.made_in = made_in(plan)

    def met(self, source: Source, *moves: Array) -> Off:
        """What a source moves: (3,) for a deviation of one, of a disc along two ways."""
        if source.scatter.size == 0.0:
            return NOTHING
        self.sources.setdefault(source.key, source)
        return Off(dict(zip(source.coordinates, moves, strict=True)))

    def setup(self, index: int) -> SetupPlan:
        return self.plan.setups[index]

    def matrix(self, index: int) -> Array:
        """How P lies along the machine's axes (3, 3)."""
        setup = self.setup(index)
        lies: Array = setup.located.tf_m_u.turn @ setup.setup.orientation.matrix()
        return lies

    def held(self, index: int) -> Moved:
        """How far the part lies off in a setup: ``q``."""
        if index not in self._held:
            self._held[index] = held(self, index)
        return self._held[index]

    def zero(self, index: int) -> Moved:
        """How far off the control takes everything in a setup: ``z``."""
        if index not in self._zeros:
            self._zeros[index] = shared_zero(self, index)
        return self._zeros[index]

    def cut(self, index: int, p_place: Array) -> Off:
        """How far what a setup cuts at a place in P comes to lie off it, in P; but for where the cut itself lands."""
        matrix = self.matrix(index)
        cut = (self.zero(index).at(matrix, p_place) - self.held(index).at(matrix, p_place)).turned(matrix.T)
        return cut + self.warm(index, p_place)

    def warm(self, index: int, p_place: Array) -> Off:
        """How far what is cut while the part is warm lies off its place in P at 20 °C: it draws in towards the zero."""
        setup, expansion = self.setup(index), self.plan.job.stock.expansion
        spread = setup.machine.temperature_spread
        if spread is None or expansion is None:
            return NOTHING
        source = Source(
            f"{setup.setup.id} temperature",
            "temperature",
            f"how warm the part is, {setup.setup.name}",
            Scatter("even", spread),
            self.machine_path(index, "temperature_spread"),
            rehearsed=False,
        )
        return self.met(source, -1e-6 * expansion * (p_place - setup.wcs.p_origin))

    def turned_by(self, index: int | None) -> Off:
        """How far what a setup cuts is turned in the blank, in P (radians); nothing of the blank's own."""
        if index is None:
            return NOTHING
        matrix = self.matrix(index)
        return (self.zero(index).turn - self.held(index).turn).turned(matrix.T)

    def landing(self, index: int, what: str, words: str) -> Off:
        """Where the machine's cut of one thing lands, in P."""
        setup = self.setup(index)
        return added(
            self.met(
                Source(
                    f"{setup.setup.id} lands {what} {axis}",
                    "lands",
                    f"machine, where {words} lands in {axis.upper()}, {setup.setup.name}",
                    setup.machine.landing,
                    self.machine_path(index, "accuracy"),
                    rehearsed=False,
                ),
                self.matrix(index).T @ _UNIT[k],
            )
            for k, axis in enumerate(AXES)
        )

    def treated(self, what: str, since: int, until: int) -> Off:
        """How far treatment beside the machine has moved one thing, in P, that one setup cut and a later one meets."""
        moving = [self.setup(index) for index in range(since + 1, until + 1) if self.setup(index).moved_before]
        return added(
            self.met(
                Source(
                    f"{setup.setup.id} treatment {what} {axis}",
                    "treatment",
                    f"what treatment before {setup.setup.name} has moved",
                    Scatter("even", setup.moved_before),
                    rehearsed=False,
                ),
                _UNIT[k],
            )
            for setup in moving
            for k, axis in enumerate(AXES)
        )

    def feature(self, name: str, p_place: Array | None = None, until: int | None = None) -> Off:
        """How far a feature lies off its place in P, as the setup ``until`` meets it; what was in the blank, or nobody
        makes, lies where it is told."""
        feature = self.plan.job.part.feature(name)
        index = self.made_in.get(name)
        if feature is None or index is None:
            return NOTHING
        place = np.array(feature.at.as_tuple()) if p_place is None else p_place
        off = self.cut(index, place) + self.landing(index, name, name)
        return off if until is None else off + self.treated(name, index, until)

    def machine_path(self, index: int, *fields: str | int) -> tuple[str | int, ...]:
        """Where in the job a figure of a setup's machine stands."""
        number = next(k for k, each in enumerate(self.plan.job.machines) if each.id == self.setup(index).machine.id)
        return ("machines", number, *fields)


def made_in(plan: Plan) -> dict[str, int]:
    """In which setup each feature is made; the last that names it has made it so."""
    found: dict[str, int] = {}
    for index, setup in enumerate(plan.job.setups):
        for operation in setup.operations:
            found |= dict.fromkeys((*operation.features, *made_on(operation)), index)
    return found
