"""A remedy tried: applied to a copy of the job, and everything that is asked of a plan asked again.

It is a remedy only where its finding goes and nothing as bad comes.  So every remedy that is taken leaves fewer
findings of that severity and none more of a worse one: going from one to the next comes to an end.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from ..changing import set_value
from ..errors import CancelledError, LedgecliffError
from ..finding import SEVERITIES, Finding, Fix, Severity
from ..model.job import Job
from ..plan import Plan, make_plan

#: Everything that is found against a plan.
Judge = Callable[[Plan], Sequence[Finding]]


@dataclass(frozen=True)
class Tried:
    """What came of a fix that cures: the plan with it, how many other findings go, and which milder ones come."""

    fix: Fix
    plan: Plan
    also_gone: int
    come: tuple[Severity, ...]


def with_fix(job: Job, fix: Fix) -> Job:
    """Raises InvalidValueError where the job cannot be so."""
    for path, value in fix.changes:
        job = set_value(job, path, value)
    return job


def tried(plan: Plan, found: Sequence[Finding], cures: Iterable[Finding], fix: Fix, judge: Judge) -> Tried | None:
    """``fix`` tried on ``plan``, against which ``found`` stands; None where one of ``cures`` stays, or where something
    as bad as the mildest of them comes.

    Raises CancelledError where ``judge`` does.
    """
    try:
        after = make_plan(with_fix(plan.job, fix), plan.models)
        left = judge(after)
    except CancelledError:
        raise
    except LedgecliffError:
        return None
    meant = tuple(cures)
    keys = {finding.key for finding in left}
    mildest = max(SEVERITIES.index(finding.severity) for finding in meant)
    if any(finding.key in keys for finding in meant) or _more(found, left, mildest):
        return None
    gone = sum((Counter(each.key for each in found) - Counter(each.key for each in left)).values())
    return Tried(fix, after, gone - len(meant), tuple(each.severity for each in that_come(found, left)))


def that_come(found: Sequence[Finding], left: Sequence[Finding]) -> list[Finding]:
    """What stands afterwards and did not before."""
    before = Counter(each.key for each in found)
    come = []
    for each in left:
        before[each.key] -= 1
        if before[each.key] < 0:
            come.append(each)
    return come


def _more(found: Sequence[Finding], left: Sequence[Finding], rank: int) -> bool:
    """Whether something of ``rank`` or worse comes, or something known becomes so bad."""

    def bad(findings: Sequence[Finding]) -> Counter[tuple[tuple[str, str, str], int]]:
        return Counter(
            (each.key, worst)
            for each in findings
            for worst in range(rank + 1)
            if SEVERITIES.index(each.severity) <= worst
        )

    return bool(bad(left) - bad(found))
