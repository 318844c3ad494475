"""``combine SOURCES.json``: uncertain sources of one result, combined by propagation and by Monte Carlo."""

from __future__ import annotations

import argparse
import json
import math
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import given_text, print_json
from ledgecliff.core.errors import InvalidValueError

#: Enough that either end of an interval is known to a hundredth of how wide it is.
_DRAWS = 200_000


def add_commands(commands: Any) -> None:
    """Adds ``combine`` to the parser's commands."""
    words = "combine uncertain sources of one result, by propagation and by Monte Carlo (docs/methods/error-budget.md)"
    combine = commands.add_parser("combine", help=words, description=words)
    combine.set_defaults(run=_combine)
    combine.add_argument(
        "sources", type=Path, metavar="SOURCES", help="file of sources (.json), - for what is piped in"
    )
    combine.add_argument("--draws", type=int, default=_DRAWS, metavar="N", help=f"of Monte Carlo; {_DRAWS} without")
    combine.add_argument("--seed", type=int, default=1, metavar="N", help="the same seed gives the same draws")
    combine.add_argument("--json", action="store_true", help="print JSON")


def _combine(options: argparse.Namespace) -> int:
    from ledgecliff.core.uncertainty.combine import Combined, combine
    from ledgecliff.core.uncertainty.coverage import COVERAGE
    from ledgecliff.core.uncertainty.sources import sources_of

    try:
        data = json.loads(given_text(options.sources))
    except ValueError as error:
        raise InvalidValueError(str(options.sources), f"is no JSON: {error}; correct it") from error
    if options.seed < 0:
        raise InvalidValueError("--seed", f"{options.seed} is no seed; it is a whole number from 0 on")
    found: Combined = combine(sources_of(data), options.draws, options.seed)
    by, drawn = found.propagated, found.drawn
    if options.json:
        print_json({
            "value": found.value, "u": by.u, "dof": dof_said(by.dof), "k": by.k, "expanded": by.expanded,
            "coverage": COVERAGE,
            "contributions": [
                {"name": each.name, "sensitivity": each.sensitivity, "u": each.u, "share": each.share}
                for each in found.entered
            ],
            "monte_carlo": {
                "draws": drawn.draws, "mean": drawn.mean, "sd": drawn.sd, "low": drawn.low, "high": drawn.high,
                "shortest": list(drawn.shortest), "unsure": drawn.unsure,
            },
            "agree": found.agree,
        })  # fmt: skip
        return 0
    freedom = "" if math.isinf(by.dof) else f", {by.dof:.3g} degrees of freedom"
    print(f"{found.value:.6g} ± {by.expanded:.3g} (k = {by.k:.3g}, 95 %), standard {by.u:.3g}{freedom}")
    print(f"drawn {drawn.draws} times: 95 % between {drawn.low:.6g} and {drawn.high:.6g}, standard {drawn.sd:.3g}")
    if not found.agree:
        print("The two differ: the model bends, or a source has an end; what was drawn is right.")
    for each in sorted(found.entered, key=lambda entered: -entered.share):
        print(f"  {each.name}: {each.u:.3g}, {100.0 * each.share:.0f} %")
    return 0


def dof_said(dof: float) -> float | None:
    """None for what is known without end, which JSON has no number for."""
    return dof if math.isfinite(dof) else None
