"""A finding of what is ranked: another choice that costs less keeps every tolerance as well."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ..finding import Finding, Fix
from ..model.job import Job
from ..quantities import said
from .ranked import Alternative

#: Less time than this is not worth a change (minutes).
_WORTH_SAYING = 0.05


def cheaper_keeps(ranked: Sequence[Alternative]) -> Iterator[Finding]:
    """Of one setup, or of the whole route; nothing where it does not keep its tolerances now, or has none."""
    now = next((each for each in ranked if each.is_now), None)
    best = ranked[0] if ranked else None
    if now is None or best is None or not (now.keeps and best.keeps) or best.expanded is None:
        return
    if best.cost.makes or any(best.cost.extra_stock):
        return  # what has to be made or bought for it is not cheaper
    minutes, codes = now.cost.minutes - best.cost.minutes, now.cost.codes - best.cost.codes
    if minutes < _WORTH_SAYING and codes < 1:
        return
    name = "" if best.setup is None else now.job.setups[best.setup].name
    less = [f"{minutes:.1f} min of probing and {now.cost.touches - best.cost.touches} touches less"]
    less += [f"{codes} offsets less"] if codes > 0 else []
    yield Finding(
        "CHEAPER_KEEPS_IT",
        "note",
        name,
        f"{name or 'The whole route'}: {best.change} keeps the tolerance as well, within {said(best.expanded)}, with "
        f"{' and '.join(less)}.",
        "Take it in the budget, or stay with what is nearer.",
        _fixes(now.job, best.job),
        about="route" if best.setup is None else "",
    )


def _fixes(job: Job, after: Job) -> tuple[Fix, ...]:
    """One step that takes it, where nothing but setups changes by it."""
    update = {"setups": job.setups}
    if len(job.setups) != len(after.setups) or after.model_copy(update=update) != job:
        return ()
    both = enumerate(zip(job.setups, after.setups, strict=True))
    return (Fix("Take it", tuple((("setups", k), new) for k, (old, new) in both if old != new)),)
