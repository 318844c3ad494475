"""``budget JOB``: how far features cut in different setups may be off each other, and what makes them so; and the same
seen in rehearsals of many true worlds."""

from __future__ import annotations

import argparse
import math
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.command_line.plans import plan_of
from ledgecliff.core.quantities import spell

if TYPE_CHECKING:
    from ledgecliff.core.alternatives.ranked import Alternative
    from ledgecliff.core.budget.budget import Budget
    from ledgecliff.core.budget.drawing_lots import DrawnPair
    from ledgecliff.core.budget.pair import Pair
    from ledgecliff.core.plan import Plan
    from ledgecliff.core.rehearsal.spread import SpreadPair

#: Draws of Monte Carlo, without the option; as many seeds as one may ask for.
_DRAWS, _MOST_SEEDS = 100_000, 1000
#: So many of what else could give a setup its zero are printed.
_TOLD = 6


def add_commands(commands: Any) -> None:
    """Adds ``budget`` to the parser's commands."""
    words = "how far features cut in different setups may be off each other, and what makes them so"
    budget = commands.add_parser("budget", help=words, description=words)
    budget.set_defaults(run=_budget)
    budget.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    budget.add_argument("--draws", type=int, default=_DRAWS, metavar="N", help=f"of Monte Carlo; {_DRAWS} without")
    budget.add_argument("--seed", type=int, default=1, metavar="N", help="the same seed gives the same draws")
    budget.add_argument("--csv", type=Path, metavar="FILE", help="write all pairs as a table as well")
    budget.add_argument("--unit", choices=("mm", "in"), default="mm", help="of the table")
    budget.add_argument("--quick", action="store_true", help="without looking for what else could give each zero")
    budget.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _budget(options: argparse.Namespace) -> int:
    from ledgecliff.core.alternatives.cheaper import cheaper_keeps
    from ledgecliff.core.alternatives.ranked import alternatives
    from ledgecliff.core.alternatives.route import routes
    from ledgecliff.core.budget.budget import budget_of
    from ledgecliff.core.budget.drawing_lots import draw_pairs
    from ledgecliff.core.budget.worth import worth_measuring
    from ledgecliff.core.errors import InvalidValueError
    from ledgecliff.core.uncertainty.monte_carlo import LEAST_DRAWS, MOST_DRAWS

    if not LEAST_DRAWS <= options.draws <= MOST_DRAWS:
        raise InvalidValueError("--draws", f"{options.draws} is none; give {LEAST_DRAWS} to {MOST_DRAWS}")
    if options.seed < 0:
        raise InvalidValueError("--seed", f"{options.seed} is no seed; it is a whole number from 0 on")
    plan = plan_of(options)
    budget = budget_of(plan)
    drawn = draw_pairs(budget, options.draws, options.seed)
    if options.csv is not None:
        from ledgecliff.core.budget.table import budget_csv
        from ledgecliff.store.atomic import write_atomic

        write_atomic(options.csv, budget_csv(budget, drawn, options.unit))
    ranked: list[tuple[Alternative, ...]] = []
    if not options.quick and budget.pairs:
        ranked = [alternatives(plan, index) for index in range(len(plan.setups))]
        ranked.append(routes(plan))
    cheaper = [found for of_setup in ranked for found in cheaper_keeps(of_setup)]
    if options.json:
        print_json({
            "pairs": [_told(pair, each) for pair, each in zip(budget.pairs, drawn, strict=True)],
            "assumed": [each.name for each in budget.assumed],
            "worth_measuring": [
                {
                    "name": each.source.name,
                    "figure": list(each.source.figure),
                    "repeats": each.repeats,
                    "doubt_now": rounded(each.now),
                    "doubt_then": rounded(each.then),
                }
                for each in worth_measuring(budget)
            ],
            "alternatives": [_offered(plan, each) for of_setup in ranked for each in of_setup if not each.is_now],
            "findings": [
                {"code": each.code, "setup": each.setup, "message": each.message(), "remedy": each.remedy()}
                for each in cheaper
            ],
        })  # fmt: skip
    else:
        _print(budget, drawn)
        _print_ranked(plan, ranked)
        for each in cheaper:
            print(each.message())
    return 0


def _offered(plan: Plan, each: Alternative) -> dict[str, Any]:
    return {
        "setup": None if each.setup is None else plan.job.setups[each.setup].name,
        "change": each.change,
        "feature": None if each.pair is None else each.pair.asked.feature,
        "expanded": None if each.expanded is None else rounded(each.expanded),
        "minutes": rounded(each.cost.minutes),
        "touches": each.cost.touches,
        "codes": each.cost.codes,
        "extra_stock": list(each.cost.extra_stock),
        "makes": each.cost.makes,
        "brings": None if each.brings is None else each.brings.message(),
        "keeps": each.keeps,
    }


def _print_ranked(plan: Plan, ranked: list[tuple[Alternative, ...]]) -> None:
    for of_setup in ranked:
        if all(each.pair is None for each in of_setup):
            continue
        setup = of_setup[0].setup
        print(f"{'The whole route' if setup is None else plan.job.setups[setup].name}, the best first:")
        for each in of_setup[:_TOLD]:
            off = "" if each.expanded is None else f"{each.expanded:.3f}, "
            keeps = {True: "keeps its tolerance, ", False: "does not keep its tolerance, ", None: ""}[each.keeps]
            print(
                f"  {each.change or 'as it is'}: {off}{keeps}{each.cost.minutes:.1f} min, {each.cost.touches} touches, "
                f"{each.cost.codes} offsets" + (f", {spell(words, 'mm')}" if (words := each.cost.needs()) else "")
            )


def _told(pair: Pair, drawn: DrawnPair) -> dict[str, Any]:
    from ledgecliff.core.uncertainty.coverage import COVERAGE

    return {
        "feature": pair.asked.feature,
        "to": pair.asked.to or None,
        "what": pair.asked.what,
        "direction": pair.asked.direction,
        "u": rounded(pair.u),
        "dof": rounded(pair.dof) if math.isfinite(pair.dof) else None,
        "expanded": rounded(pair.expanded),
        "coverage": COVERAGE,
        "monte_carlo": [rounded(drawn.low), rounded(drawn.high)],
        "tolerance": pair.asked.tolerance,
        "share": None if pair.share is None or math.isinf(pair.share) else rounded(pair.share),
        "p_out": drawn.out,
        "contributions": [
            {
                "name": each.source.name,
                "u": rounded(each.u),
                "share": rounded(each.share),
                "origin": each.source.scatter.origin,
            }
            for each in pair.enters
        ],
    }


def _print(budget: Budget, drawn: tuple[DrawnPair, ...]) -> None:
    if not budget.pairs:
        print("Nothing that is cut in one setup is seen from what another cuts, and no feature has a tolerance.")
    for pair, each in zip(budget.pairs, drawn, strict=True):
        asked = pair.asked
        seen = f" from {asked.to}" if asked.to else ""
        limit = ""
        if asked.tolerance is not None and each.out is not None and pair.share is not None:
            limit = f", {100.0 * pair.share:.0f} % of {asked.tolerance:g}, out {100.0 * each.out:.2f} %"
        print(f"{asked.feature}{seen}, {asked.what} {asked.direction}: {_within(pair)}{limit}")
        print(f"  drawn {each.draws} times: 95 % between {each.low:.3f} and {each.high:.3f}")
        for enters in pair.enters[:3]:
            print(f"  {enters.source.name}: {enters.u:.4f}, {100.0 * enters.share:.0f} %")
    if budget.assumed:
        from ledgecliff.core.budget.worth import worth_measuring

        print(f"{len(budget.assumed)} of {len(budget.entering)} figures are only assumed:")
        for worth in worth_measuring(budget):
            print(f"  {worth.said_in('mm')}")


def _within(pair: Pair) -> str:
    return f"within a circle of {pair.expanded:.3f} (95 %)" if pair.asked.is_circle else f"±{pair.expanded:.3f} (95 %)"


def seeds(text: str) -> range:
    """``FROM-TO``, both with it."""
    first, _, last = text.partition("-")
    if not (first.isdecimal() and last.isdecimal()) or int(last) < int(first):
        raise argparse.ArgumentTypeError(f"'{text}' is no range of seeds; give the first and the last, such as 1-50")
    if int(last) - int(first) >= _MOST_SEEDS:
        raise argparse.ArgumentTypeError(f"'{text}' is more than {_MOST_SEEDS} seeds; give fewer")
    return range(int(first), int(last) + 1)


def rehearse_seeds(options: argparse.Namespace) -> int:
    """``rehearse JOB --seeds FROM-TO``."""
    from ledgecliff.core.budget.budget import budget_rehearsed
    from ledgecliff.core.rehearsal.rehearse import written_plan
    from ledgecliff.core.rehearsal.spread import spread_over

    plan = plan_of(options)
    budget = budget_rehearsed(plan)
    spread = spread_over(written_plan(plan), budget, options.seeds)
    if options.json:
        print_json({
            "seeds": [spread.seeds[0], spread.seeds[-1]],
            "failed": list(spread.failed),
            "pairs": [_seen(each) for each in spread.pairs],
        })  # fmt: skip
    else:
        for each in spread.pairs:
            print(each.words())
        if spread.failed:
            print(f"A program stopped in trial {', '.join(map(str, spread.failed))}, which counts for nothing here.")
    return int(bool(spread.failed) or not all(each.agrees for each in spread.pairs))


def _seen(pair: SpreadPair) -> dict[str, Any]:
    return {
        "feature": pair.budget.asked.feature,
        "to": pair.budget.asked.to or None,
        "what": pair.budget.asked.what,
        "direction": pair.budget.asked.direction,
        "parts": len(pair.off),
        "mean": rounded(pair.mean),
        "sd": rounded(pair.sd),
        "budget": {"mean": rounded(pair.expected[0]), "sd": rounded(pair.expected[1])},
        "between": {"mean": [rounded(end) for end in pair.means], "sd": [rounded(end) for end in pair.sds]},
        "agrees": pair.agrees,
    }
