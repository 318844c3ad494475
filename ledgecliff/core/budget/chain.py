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
from weakref import WeakKeyDictionary, ref

import numpy as np

from ..feature_places import sunk_by_length
from ..frames import AXES, Array
from ..model.job import Job, made_on
from ..model.operations import Operation
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
    the stations of a setup are, instead of how the job has it.  What another chain, of a plan that ``begins`` alike,
    has worked out of those setups is taken from it.  The plan has to live as long as its chain is asked."""

    def __init__(self, plan: Plan, probed: Mapping[int, Probed] | None = None, begins: Chain | None = None) -> None:
        self._plan = ref(plan)
        self.finders = finders(plan, probed or {})
        self.made_in = made_in(plan)
        self._held: dict[int, Moved] = {}
        self._zeros: dict[int, Moved] = {}
        self._lent: dict[str, Source] = {}
        self._met: dict[str, Source] = {}
        if begins is not None and (alike := self._begins_alike(begins)):
            self._held |= {index: off for index, off in begins._held.items() if index < alike}
            self._zeros |= {index: off for index, off in begins._zeros.items() if index < alike}
            self._lent |= begins.sources

    @property
    def plan(self) -> Plan:
        plan = self._plan()
        assert plan is not None, "whoever asks holds the plan"
        return plan

    @property
    def sources(self) -> dict[str, Source]:
        """All that were met so far, by key."""
        # What is met here counts before what was met of the same key in a setup that is another one there.
        return {**self._lent, **self._met}

    def met(self, source: Source, *moves: Array) -> Off:
        """What a source moves: (3,) for a deviation of one, of a disc along two ways."""
        if source.scatter.size == 0.0:
            return NOTHING
        self.meet(source)
        return Off(dict(zip(source.coordinates, moves, strict=True)))

    def meet(self, source: Source) -> None:
        self._met.setdefault(source.key, source)

    def _begins_alike(self, other: Chain) -> int:
        """In how many setups, from the first, another chain's parts lie and find their zeros just so."""
        mine, theirs = self.plan, other._plan()
        if theirs is None or self.made_in != other.made_in or self.finders != other.finders:
            return 0
        fields = (name for name in Job.model_fields if name != "setups")
        if any(getattr(mine.job, name) != getattr(theirs.job, name) for name in fields):
            return 0
        pairs = enumerate(zip(mine.setups, theirs.setups, strict=False))
        least = min(len(mine.setups), len(theirs.setups))
        return next((index for index, (here, there) in pairs if here is not there), least)

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

    def sunk(self, index: int, operation: Operation | None, out: Array) -> Off:
        """How far a plane that looks along ``out`` (3,) in P, left by an operation of a setup, lies off since its tool
        is longer than it counts for; one tool cuts everything too deep alike."""
        machine = self.setup(index).machine
        if machine.length_scatter is None or operation is None:
            return NOTHING
        source = Source(
            f"{machine.id} length T{operation.tool}",
            "length",
            f"how long T{operation.tool} is",
            Scatter("normal", machine.length_scatter),
            self.machine_path(index, "length_scatter"),
        )
        return self.met(source, sunk_by_length(out, self.setup(index).setup.orientation.matrix()[2]))

    def feature(
        self, name: str, p_place: Array | None = None, until: int | None = None, out: Array | None = None
    ) -> Off:
        """How far a feature lies off its place in P, as the setup ``until`` meets it, there where its surface looks
        along ``out``; what was in the blank, or nobody makes, lies where it is told."""
        feature = self.plan.job.part.feature(name)
        index = self.made_in.get(name)
        if feature is None or index is None:
            return NOTHING
        place = np.array(feature.at.as_tuple()) if p_place is None else p_place
        if out is None and feature.kind == "face":
            out = feature.direction()
        off = self.cut(index, place) + self.landing(index, name, name)
        if out is not None:
            off = off + self.sunk(index, operation_of(self.setup(index), name), out)
        return off if until is None else off + self.treated(name, index, until)

    def probe_path(self, index: int, field: str) -> tuple[str | int, ...]:
        """Where in the job a figure of the probe stands that a setup is probed with."""
        return (*self.plan.job.probe_path(self.plan.job.setups[index]), field)

    def machine_path(self, index: int, *fields: str | int) -> tuple[str | int, ...]:
        """Where in the job a figure of a setup's machine stands."""
        number = next(k for k, each in enumerate(self.plan.job.machines) if each.id == self.setup(index).machine.id)
        return ("machines", number, *fields)


def operation_of(setup: SetupPlan, name: str) -> Operation | None:
    """Which of a setup's operations leaves a feature as it is: the last that names it."""
    named = (each for each in reversed(setup.setup.operations) if name in (*each.features, *made_on(each)))
    return next(named, None)


#: By plan, forgotten with it.
_chains: WeakKeyDictionary[Plan, Chain] = WeakKeyDictionary()


def chain_of(plan: Plan, begins: Plan | None = None) -> Chain:
    """Of a part that finds its zeros as the job has it; what another plan that ``begins`` alike has worked out is not
    worked out again."""
    if plan not in _chains:
        _chains[plan] = Chain(plan, begins=None if begins is None else _chains.get(begins))
    return _chains[plan]


def made_in(plan: Plan) -> dict[str, int]:
    """In which setup each feature is made; the last that names it has made it so."""
    found: dict[str, int] = {}
    for index, setup in enumerate(plan.job.setups):
        for operation in setup.operations:
            found |= dict.fromkeys((*operation.features, *made_on(operation)), index)
    return found
