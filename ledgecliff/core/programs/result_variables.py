"""The control's numbered variables that a setup's programs leave results in, as machine and setup choose them."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from ..errors import PlanError
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.work_offsets import turn_variables

#: So many variables are kept for each step.
PER_STEP = 10
#: From here on variables are the control's own.
_CONTROLS_FROM = 5000


@dataclass(frozen=True)
class ResultPlaces:
    """``first`` holds the first result of the first step; what is ``expected`` and the ``deviation`` stand beside,
    numbered alike, where they are kept."""

    first: int
    expected: int | None = None
    deviation: int | None = None

    def of_step(self, number: int) -> int:
        """The variable of the first result of a step, numbered from 1."""
        return self.first + PER_STEP * (number - 1)

    def beside(self, variable: int) -> tuple[int | None, int | None]:
        """Where the expected value and the deviation of a result are kept."""
        at = variable - self.first
        return (
            None if self.expected is None else self.expected + at,
            None if self.deviation is None else self.deviation + at,
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


def _keep_apart(setup: Setup, steps: int, a: int, b: int) -> None:
    if b - a < PER_STEP * steps:
        raise PlanError(
            f"Setup '{setup.name}': {steps} steps keep results in #{a} to #{a + PER_STEP * steps - 1}, which "
            f"reaches #{b}, kept for something else. Choose other variables for results."
        )
