"""The batch a job's blanks come from: its groups with what comes off each, and how many clean up as the stock lies now.

The formulas are those of ``clean_up``; here they meet the part, its stock, and where that lies.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from statistics import fmean, stdev

from .blanks import blank_corners
from .clean_up import Allowance, Batch, BlankGroup, Odds, Spread, batch_of, grouped, odds_of, too_small
from .frames import AXES
from .model.batch import BlankBatch
from .plan import Plan
from .quantities import said

#: A stated plus or minus holds so many of a normal spread's standard deviations: 95 of 100 blanks.
_STATED = 2.0


@dataclass(frozen=True)
class GroupTold:
    """``allowance`` by the batch's rule; at the end away from the stop ``far`` comes off, from the smallest blank to
    the largest; ``short`` blanks do not clean up (mm)."""

    group: BlankGroup
    allowance: Allowance
    far: tuple[float, float]
    short: int


@dataclass(frozen=True)
class BatchTold:
    """``finished`` is how long the part is; ``sizes`` what the odds are worked out from, with ``at_stop`` coming off at
    the stop's end as the stock lies now; ``short`` are the blanks (from 0) that do not clean up so (mm)."""

    batch: BlankBatch
    finished: float
    groups: tuple[GroupTold, ...]
    sizes: Batch | Spread
    at_stop: float
    odds: Odds
    short: tuple[int, ...]

    @property
    def limits(self) -> tuple[float, float]:
        """The smallest blank that cleans up where its middle is found, and by the stop's edge (mm)."""
        least = self.batch.least
        return self.finished + 2.0 * least, self.finished + self.at_stop + least

    @property
    def bounds(self) -> tuple[float, float]:
        """Between which sizes nearly all blanks lie (mm)."""
        if isinstance(self.sizes, Batch):
            return self.sizes.smallest, self.sizes.largest
        reach = self.sizes.varies * (3.0 if self.sizes.shape == "normal" else 1.0)
        return self.sizes.nominal - reach, self.sizes.nominal + reach


def batch_told(plan: Plan) -> BatchTold | None:
    """None where a job says nothing of its batch."""
    batch = plan.job.stock.batch
    if batch is None:
        return None
    k = AXES.index(batch.along)
    finished = float(plan.geometry.high[k] - plan.geometry.low[k])
    low, high = blank_corners(plan.job.stock, plan.geometry, plan.models.stock)
    at_stop = float(plan.geometry.low[k] - low[k] if batch.stop == "minus" else high[k] - plan.geometry.high[k])
    sizes = _sizes(plan, batch, k, float(high[k] - low[k]))
    groups = grouped(batch_of(batch.sizes), finished, batch.spread) if batch.sizes else ()
    return BatchTold(
        batch=batch,
        finished=finished,
        groups=tuple(_group(each, batch) for each in groups),
        sizes=sizes,
        at_stop=at_stop,
        odds=odds_of(sizes, finished, batch.least, at_stop),
        short=too_small(batch.sizes, finished, batch.least, at_stop),
    )


def _sizes(plan: Plan, batch: BlankBatch, k: int, size: float) -> Batch | Spread:
    """Measured blanks as they are, or a spread that is fitted to them; with none, what the stock says it varies by."""
    if not batch.sizes:
        varies = plan.job.stock.spread()[k]
        return Spread(size, varies / _STATED, "normal") if batch.odds == "normal" else Spread(size, varies)
    measured = batch_of(batch.sizes)
    if batch.odds == "normal":
        return Spread(fmean(batch.sizes), stdev(batch.sizes) if len(batch.sizes) > 1 else 0.0, "normal")
    if batch.odds == "uniform":
        return Spread(measured.middle, (measured.largest - measured.smallest) / 2.0)
    return measured


def allowance_of(group: BlankGroup, batch: BlankBatch) -> Allowance:
    return group.equal_load if batch.rule == "equal load" else group.equal_least


def _group(group: BlankGroup, batch: BlankBatch) -> GroupTold:
    allowance, sizes = allowance_of(group, batch), group.batch
    far = tuple(size - group.finished - allowance.at_stop for size in (sizes.smallest, sizes.largest))
    short = too_small(sizes.sizes, group.finished, batch.least, allowance.at_stop)
    return GroupTold(group, allowance, (far[0], far[1]), len(short))


def group_words(number: int, told: GroupTold) -> str:
    """A group in a line, with lengths to be spelled."""
    sizes = told.group.batch
    count = f"{len(sizes.sizes)} blank{'s' if len(sizes.sizes) > 1 else ''}"
    span = said(sizes.smallest) if len(sizes.sizes) == 1 else f"{said(sizes.smallest)} to {said(sizes.largest)}"
    words = (
        f"Group {number}: {count}, {span}: {said(told.allowance.at_stop)} off at the stop, "
        f"{said(told.far[0])} to {said(told.far[1])} at the other end"
    )
    return words + (f"; ⚠ {told.short} will not clean up" if told.short else "")


def odds_words(told: BatchTold) -> str:
    """How many clean up, with lengths to be spelled."""
    share = told.odds
    small, large = told.bounds
    both = f"{said((small - told.finished) / 2.0)} to {said((large - told.finished) / 2.0)}"
    far = f"{said(small - told.finished - told.at_stop)} to {said(large - told.finished - told.at_stop)}"
    fitted = {"as measured": "of the blanks as measured", "uniform": "of blanks spread evenly"}
    whose = fitted.get(told.batch.odds, "of blanks spread normally")
    if not told.batch.sizes:
        whose = whose.replace("of the blanks as measured", "of blanks spread evenly") + ", by what the stock varies"
    return (
        f"With at least {said(told.batch.least)} off everywhere, {_share(share.centre)} {whose} clean up where the "
        f"middle of each is found ({both} off at both ends), {_share(share.edge)} by the stop "
        f"({said(told.at_stop)} off there, {far} at the other end)."
    )


def _share(share: float) -> str:
    """A share in per cent; neither all nor none is said of what is only nearly so."""
    percent = share * 100.0
    if 0.0 < share < 1.0:
        percent = min(max(percent, 0.1), 99.9)
    return f"{math.floor(percent * 10.0 + 0.5) / 10.0:g} %"
