"""What is worth trying against a finding: what its rule knows, in sizes the shop owns, and what no rule can know."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import islice

from ..changing import value_at
from ..edits.vise_choices import Pair, parallels_offered
from ..errors import LedgecliffError
from ..finding import Finding, Fix
from ..findings.side_rules import NO_SIDE
from ..first_plan.making import next_setup
from ..model.holding import ParallelsSet
from ..model.job import Job
from ..model.orientation import DIRECTIONS, shown
from ..model.shop import Shop
from ..plan import Plan
from ..quantities import said_unsigned

#: So many pairs of parallels are tried, those nearest to what is asked for first.
_MOST_PAIRS = 6


def worth_trying(plan: Plan, finding: Finding, shop: Shop | None, enough: Callable[[], bool]) -> Iterator[Fix]:
    """The best first.  ``enough`` is asked between tries of what takes long to make."""
    for each in finding.fixes:
        path, height = each.changes[0]
        if path[-1] == "parallels_height" and shop is not None and shop.parallels and isinstance(height, float):
            yield from islice(_owned(plan.job, path[:-1], height, shop.parallels), _MOST_PAIRS)
        else:
            yield each
    if finding.code == "FEATURE_NOT_REACHED" and finding.about != NO_SIDE and shop is not None:
        yield from _more_setups(plan, finding.about.split(), shop, enough)


def _owned(job: Job, hold: tuple[str | int, ...], wanted: float, sets: tuple[ParallelsSet, ...]) -> Iterator[Fix]:
    """Pairs of the shop that are as high or low as asked for, those that go least beyond it first."""
    now = float(value_at(job, (*hold, "parallels_height")))
    higher = wanted > now
    fitting = [
        (height, each)
        for _, (height, each) in parallels_offered(sets)
        if (height >= wanted - 1e-9 if higher else height <= wanted + 1e-9)
    ]
    for pair in sorted(fitting, key=lambda pair: abs(pair[0] - wanted)):
        yield _with_pair(hold, pair)


def _with_pair(hold: tuple[str | int, ...], pair: Pair) -> Fix:
    height, each = pair
    return Fix(
        f"Parallels {said_unsigned(height)} · {each.name}",
        (
            ((*hold, "parallels_height"), height),
            ((*hold, "parallels_thickness"), each.thickness),
            ((*hold, "parallels_length"), each.length),
        ),
    )


def _more_setups(plan: Plan, sides: list[str], shop: Shop, enough: Callable[[], bool]) -> Iterator[Fix]:
    """One more setup for each side from which it is reached."""
    for side in (way for way in DIRECTIONS if way in sides):
        if enough():
            return
        try:
            setup = next_setup(plan, side, shop, enough)
        except LedgecliffError:
            continue
        yield Fix(f"Add {setup.name} with part {shown(side)} up", ((("setups",), (*plan.job.setups, setup)),))
