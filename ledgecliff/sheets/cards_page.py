"""Cards on paper: what is keyed in at the control, step by step, with a box for each value that must come out."""

from __future__ import annotations

from collections.abc import Sequence

from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.cards import BEFORE_CARDS, cards_of, result_words, row_words
from ledgecliff.core.quantities import Unit

from .about import NOT_SAID, About
from .page import page


def cards_html(plan: Plan, unit: Unit, setups: Sequence[int], about: About = NOT_SAID) -> str:
    """Of some setups, numbered from 0, lengths in ``unit``."""
    return page(
        "cards.html",
        plan.job.title,
        unit,
        about.paper,
        about.mark(plan.job.id),
        job=plan.job,
        before=BEFORE_CARDS,
        setups=[
            {
                "setup": plan.setups[k].setup,
                "probe": plan.setups[k].machine.probe,
                "fixture": fixture_words(plan.setups[k].machine, plan.setups[k].setup)[1],
                "indexed": plan.setups[k].probing.indexed,
                "carried": plan.setups[k].probing.carried,
                "stays": plan.setups[k].probing.stays,
                "cards": cards_of(plan.setups[k]),
            }
            for k in setups
        ],
        row_words=row_words,
        result_words=result_words,
    )
