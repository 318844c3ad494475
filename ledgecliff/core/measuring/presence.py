"""What a presence cycle's window tells apart in a setup, and what would be proposed."""

from __future__ import annotations

from ..model.cycles import ProbeCycle
from ..probing.seat_window import USUAL_COSTS, Window, proposed_window, window
from ..setup_plan import SetupPlan


def thickness_sigma(setup: SetupPlan) -> float:
    """Standard deviation (mm) of the stock's height as it lies: what blanks vary counts as two of them."""
    return float(setup.setup.orientation.sizes(setup.spread)[2]) / 2.0


def window_of(setup: SetupPlan, cycle: ProbeCycle) -> tuple[Window, Window]:
    """What a presence cycle's own limits do, and what the proposed ones would do."""
    sigma = thickness_sigma(setup)
    costs = setup.setup.probing.costs or USUAL_COSTS
    return window(sigma, cycle.rise, cycle.below, cycle.above), proposed_window(sigma, cycle.rise, costs)
