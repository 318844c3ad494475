"""Commands about what could be in a setup: ``offers`` and ``zeros``."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.command_line.plans import beside_of, plan_of, setup_named
from ledgecliff.core.adding.cutting import cuttable
from ledgecliff.core.adding.touching import touchable
from ledgecliff.core.comparing_zeros import ZeroCandidate, best_first, compared
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.quantities import spell

if TYPE_CHECKING:
    from ledgecliff.core.adding.offer import Offer


def offers(options: argparse.Namespace) -> int:
    """Exit status 1 when nothing can be done there."""
    plan = plan_of(options)
    setup, beside = setup_named(plan, options.setup), beside_of(options, plan)
    if plan.job.part.feature(options.at) is None:
        raise InvalidValueError("--at", f"the part has no feature '{options.at}'; 'features JOB' lists them")
    found = found_against(plan, beside)
    cut = cuttable(plan, setup, options.at, found, lambda after: found_against(after, beside))
    touch = touchable(plan, setup, options.at)
    rows = {"cut": _rows(cut), "touch": _rows(touch)}
    if options.json:
        print_json(rows)
    else:
        for what, each in rows.items():
            for row in each:
                print(f"{what}: {'+' if row['can'] else '-'} {row['title']}: {row['says']}")
    return int(not any(row["can"] for each in rows.values() for row in each))


def zeros(options: argparse.Namespace) -> int:
    """The best first; exit status 1 when the present zero of an axis is not among those that can be."""
    plan = plan_of(options)
    setup, beside = setup_named(plan, options.setup), beside_of(options, plan)
    found = found_against(plan, beside)
    axes: tuple[Axis, ...] = (options.axis,) if options.axis else AXES
    rows: dict[str, list[dict[str, Any]]] = {}
    for axis in axes:
        each = list(compared(plan, setup, axis, found, lambda after: found_against(after, beside)))
        rows[axis] = [_zero(candidate) for candidate in best_first(each)]
    if options.json:
        print_json(rows)
    else:
        for axis in axes:
            print(f"{axis.upper()} of {options.setup}")
            for row in rows[axis]:
                mark = "=" if row["now"] else "+" if row["can"] else "-"
                figures = "" if row["why_not"] else f"±{row['expected']:.3f}  {row['touches']} touches"
                print(f"  {mark} {row['zero']:<22}{row['moves']:+10.3f}  {figures}  {'; '.join(row['comes'])}".rstrip())
    return int(not all(row["can"] for each in rows.values() for row in each if row["now"]))


def _zero(candidate: ZeroCandidate) -> dict[str, Any]:
    return {
        "zero": candidate.choice.words,
        "now": candidate.is_now,
        "can": candidate.can_be,
        "moves": rounded(candidate.moves),
        "expected": rounded(candidate.expected),
        "enters": [{"name": part.source.name, "standard": rounded(part.u)} for part in candidate.enters],
        "touches": candidate.touches,
        "comes": [each.message() for each in candidate.come],
        "clears": len(candidate.gone),
        "why_not": candidate.why_not,
    }


def _rows(offered: Iterable[Offer[Any]]) -> list[dict[str, Any]]:
    return [{"title": offer.title, "can": offer.what is not None, "says": spell(offer.says, "mm")} for offer in offered]
