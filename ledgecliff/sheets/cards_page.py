"""Cards on paper: what is keyed in at the control, step by step, with a box for each value that must come out."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.cards import BEFORE_CARDS, cards_of, result_words, row_words
from ledgecliff.core.programs.text import comment
from ledgecliff.core.quantities import Unit

from .setup_sheet import embedded_fonts, page_environment


def cards_html(plan: Plan, unit: Unit, setups: Sequence[int]) -> str:
    """Of some setups, numbered from 0, lengths in ``unit``."""
    template = page_environment(unit).get_template("cards.html")
    return template.render(
        job=plan.job,
        unit=unit,
        fonts=embedded_fonts(),
        footer=Markup(comment(plan.job.title).replace('"', "").replace("'", "")),
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
