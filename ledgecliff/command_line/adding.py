"""Commands about what could be in a setup: ``offers``."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json
from ledgecliff.command_line.plans import beside_of, plan_of
from ledgecliff.core.adding.cutting import cuttable
from ledgecliff.core.adding.touching import touchable
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.quantities import spell

if TYPE_CHECKING:
    from ledgecliff.core.adding.offer import Offer
    from ledgecliff.core.plan import Plan


def setup_named(plan: Plan, name: str) -> int:
    """The number of a setup, from 0.  Raises InvalidValueError where the job has none of that name."""
    names = [setup.setup.name for setup in plan.setups]
    if name not in names:
        raise InvalidValueError("--setup", f"there is no '{name}'; the job has {', '.join(names)}")
    return names.index(name)


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


def _rows(offered: Iterable[Offer[Any]]) -> list[dict[str, Any]]:
    return [{"title": offer.title, "can": offer.what is not None, "says": spell(offer.says, "mm")} for offer in offered]
