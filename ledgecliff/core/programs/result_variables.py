"""The control's numbered variables that a setup's programs leave results in, as machine and setup choose them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from ..errors import PlanError
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.work_offsets import turn_variables
from .actions import Indirect

#: So many variables are kept for each step.
PER_STEP = 10
#: From here on variables are the control's own.
_CONTROLS_FROM = 5000


@dataclass(frozen=True)
class ResultPlaces:
    """``first`` holds the first result of the first step; what is ``expected`` and the ``deviation`` stand beside,
    numbered alike, where they are kept.  ``starts`` are how far on each step's begin, where no room is left between
    them."""

    first: int
    expected: int | None = None
    deviation: int | None = None
    starts: tuple[int, ...] | None = None

    def of_step(self, number: int) -> int:
        """The variable of the first result of a step, numbered from 1."""
        return self.first + self.start(number)

    def beside(self, number: int, k: int) -> tuple[int | None, int | None]:
        """Where the expected value and the deviation of a step's result (from 0) are kept."""
        at = self.start(number) + k
        return (
            None if self.expected is None else self.expected + at,
            None if self.deviation is None else self.deviation + at,
        )

    def start(self, number: int) -> int:
        """How far on the results of a step begin."""
        return PER_STEP * (number - 1) if self.starts is None else self.starts[number - 1]


@dataclass(frozen=True)
class PointedPlaces:
    """The same where a subprogram keeps results now here, now there: variables hold the number of the first, and of
    what stands ``beside`` it, laid out as ``like``."""

    first: Indirect
    pointers: tuple[Indirect, Indirect]
    like: ResultPlaces

    def of_step(self, number: int) -> Indirect:
        return self.first + self.like.start(number)

    def beside(self, number: int, k: int) -> tuple[Indirect | None, Indirect | None]:
        at = self.like.start(number) + k
        expected, deviation = self.pointers
        return (
            None if self.like.expected is None else expected + at,
            None if self.like.deviation is None else deviation + at,
        )


def result_places(machine: Machine, setup: Setup) -> ResultPlaces:
    """Where a setup's results go: where it says itself, else where the machine has them."""
    own, chosen = setup.probing.results_from, machine.results
    return ResultPlaces(chosen.first if own is None else own, chosen.expected, chosen.deviation)


def check_places(places: ResultPlaces, machine: Machine, setup: Setup, steps: int) -> None:
    """Raises PlanError where so many steps write one variable twice, or the control's own."""
    chosen = (places.first, places.expected, places.deviation)
    firsts = sorted(first for first in chosen if first is not None)
    for a, b in itertools.pairwise((*firsts, _CONTROLS_FROM)):
        _keep_apart(setup, steps, a, b)
    turns = turn_variables(machine)
    for a in firsts:
        taken = next((variable for variable in turns if a <= variable < a + PER_STEP * steps), None)
        if taken is not None:
            _keep_apart(setup, steps, a, taken)


def check_room(places: ResultPlaces, machine: Machine, setup: Setup, room: int) -> None:
    """Raises PlanError where all instances of a pattern, which need so much ``room``, write one variable twice, or the
    control's own."""
    firsts = sorted(first for first in (places.first, places.expected, places.deviation) if first is not None)
    taken = (_CONTROLS_FROM, *turn_variables(machine))
    for a in firsts:
        above = min(each for each in (*firsts, *taken) if each > a)
        if above - a < room:
            raise PlanError(
                f"Setup '{setup.name}': results of all instances are kept in #{a} to #{a + room - 1}, which reaches "
                f"#{above}, kept for something else. Choose other variables for results, or probe fewer instances."
            )


def _keep_apart(setup: Setup, steps: int, a: int, b: int) -> None:
    if b - a < PER_STEP * steps:
        raise PlanError(
            f"Setup '{setup.name}': {steps} steps keep results in #{a} to #{a + PER_STEP * steps - 1}, which "
            f"reaches #{b}, kept for something else. Choose other variables for results."
        )
