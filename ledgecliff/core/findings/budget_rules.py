"""Rules about how far features may be off each other, by the error budget."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ..budget.budget import Budget, budget_of
from ..budget.offs import Source
from ..budget.pair import Pair
from ..budget.worth import ASSUMED
from ..finding import Finding
from ..plan import Plan
from ..quantities import said
from ..turns.turn_plan import turns_of

#: A saw cut is in the chain where it makes this share of what a pair may be off, in squares.
_SHARE_OF_SAW = 0.25


def pair_out_of_tolerance(plan: Plan) -> Iterator[Finding]:
    stated = plan.job.tolerance_share
    for pair in budget_of(plan).pairs:
        asked, share = pair.asked, pair.share
        if asked.tolerance is None or share is None or share <= stated:
            continue
        beyond = pair.expanded > asked.tolerance
        yield Finding(
            "PAIR_OUT_OF_TOLERANCE",
            "error" if beyond else "warning",
            _made_in(plan, pair),
            f"{_pair_words(pair)} may be off by {said(pair.expanded)} (95 %), and by {said(asked.tolerance)} at most"
            + ("" if beyond else f": more than {100.0 * stated:.0f} % of it")
            + f". Most of it is {_most(pair)}.",
            "See what else could give that setup its zero, or register its turn; or measure what is only assumed.",
            about=" ".join(asked.key),
        )


def figure_only_assumed(plan: Plan) -> Iterator[Finding]:
    """Where a pair keeps its tolerance or not by figures that nobody has measured."""
    stated = plan.job.tolerance_share
    for pair in budget_of(plan).pairs:
        if pair.asked.tolerance is None:
            continue
        assumed = [each for each in pair.enters if each.source.scatter.origin == "assumed"]
        least, most = (
            pair.expanded * math.sqrt(max(1.0 + sum(each.share for each in assumed) * (factor**2 - 1.0), 0.0))
            for factor in (1.0 - ASSUMED, 1.0 + ASSUMED)
        )
        limit = stated * pair.asked.tolerance
        if least <= limit < most:
            yield Finding(
                "FIGURE_ONLY_ASSUMED",
                "note",
                _made_in(plan, pair),
                f"Whether {_pair_words(pair)} keeps {said(limit)} hangs on what is only assumed: it is within "
                f"{said(least)} or {said(most)}, as that is half as much or half as much again. "
                f"Most of it is {assumed[0].source.name}.",
                "Measure it again and again, and take the figure from the record.",
                about=" ".join(pair.asked.key),
            )


def saw_cut_in_chain(plan: Plan) -> Iterator[Finding]:
    """A turn that brings the blank's other end to where the part is pushed or touched."""
    budget = budget_of(plan)
    for turn in turns_of(plan):
        if turn.axis is None:
            continue
        turned = "XY"["yx".index(turn.axis)]
        worst = _worst_by_saw(budget, plan, turn.index)
        if worst is None:
            continue
        pair, source, share = worst
        axis = source.key.split()[-1]  # also of the first part of a load
        # Which table axis that size lies along: half a turn about the other one brings its far end there.
        row = turn.after.setup.orientation.matrix()[0 if turned == "X" else 1]
        if abs(float(row["xyz".index(axis)])) < 0.5:
            continue
        yield Finding(
            "SAW_CUT_IN_CHAIN",
            "warning",
            turn.after.setup.name,
            f"{turn.after.setup.name} is turned about {turn.axis.upper()}, which brings the blank's other end in "
            f"{turned} to where the first was: how its size varies makes {100.0 * share:.0f} % of what "
            f"{_pair_words(pair)} may be off, ±{said(pair.expanded)}.",
            f"Turn it about {turned}, or take {turned} from something that was cut before.",
        )


def _worst_by_saw(budget: Budget, plan: Plan, index: int) -> tuple[Pair, Source, float] | None:
    """The pair of what a setup makes in which a size of the blank has the largest share, if any has enough."""
    found = [
        (pair, each.source, each.share)
        for pair in budget.pairs
        if _index(plan, pair) == index
        for each in pair.enters
        if each.source.kind == "blank" and each.share >= _SHARE_OF_SAW
    ]
    return max(found, key=lambda each: each[2], default=None)


def _index(plan: Plan, pair: Pair) -> int:
    """Of the setup that makes the later of both."""
    names = {pair.asked.feature, pair.asked.to}
    made = (k for k, each in enumerate(plan.job.setups) if names & {f for op in each.operations for f in op.features})
    return max(made, default=0)


def _made_in(plan: Plan, pair: Pair) -> str:
    return plan.job.setups[_index(plan, pair)].name


def _pair_words(pair: Pair) -> str:
    asked = pair.asked
    return f"'{asked.feature}'" + (f" from '{asked.to}'" if asked.to else "") + f" ({asked.what})"


def _most(pair: Pair) -> str:
    return "; ".join(f"{each.source.name} ({100.0 * each.share:.0f} %)" for each in pair.enters[:2])


RULES = (pair_out_of_tolerance, figure_only_assumed, saw_cut_in_chain)
