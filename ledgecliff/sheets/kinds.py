"""Every kind of sheet of a job, by its name."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from markupsafe import Markup

from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.findings.everything import NOTHING_BESIDE, Beside
from ledgecliff.core.first_article.lines import lines_of, sampled
from ledgecliff.core.first_article.measured import Judged
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.places import station_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.turns.turn_plan import turns_of

from .about import NOT_SAID, About
from .page import page
from .setup_sheet import sheet_html
from .stands import stands
from .svg import svg
from .tool_rows import tool_rows
from .turn_page import turn_page
from .wanted import ALL, Wanted

_WIDTH, _HIGH = 660.0, 420.0
#: So many empty columns for parts go beside each other on paper.
_COLUMNS = 8


def kind_html(
    kind: str,
    plan: Plan,
    unit: Unit = "mm",
    beside: Beside = NOTHING_BESIDE,
    about: About = NOT_SAID,
    wanted: Wanted = ALL,
) -> str:
    """A sheet of one of ``SHEET_KINDS``, lengths in ``unit``; ``beside`` counts on the setup sheet."""
    if kind == "setup":
        return sheet_html(plan, unit, beside, about, wanted.setups)
    template, values = _KINDS[kind](plan, unit, wanted)
    return page(
        template, plan.job.title, unit, about.paper, about.mark(plan.job.id), job=plan.job, about=about, **values
    )


def _turn(plan: Plan, unit: Unit, wanted: Wanted) -> tuple[str, dict[str, Any]]:
    after = {setup.index for setup in wanted.of(plan)}
    turns = [turn_page(plan, turn, unit, _WIDTH) for turn in turns_of(plan) if turn.after.index in after]
    return "turn_sheet.html", {"turns": turns}


def _machines(setups: Iterable[SetupPlan]) -> list[Machine]:
    return list({setup.machine.id: setup.machine for setup in setups}.values())


def _table(plan: Plan, unit: Unit, wanted: Wanted) -> tuple[str, dict[str, Any]]:
    setups = wanted.of(plan)
    return "table_sheet.html", {
        "machines": [
            {
                "name": machine.name,
                "pictures": _pictures(plan, machine, setups, unit),
                "rows": [row for setup in setups if setup.machine.id == machine.id for row in stands(plan, setup)],
            }
            for machine in _machines(setups)
        ]
    }


def _pictures(plan: Plan, machine: Machine, setups: Sequence[SetupPlan], unit: Unit) -> list[dict[str, Any]]:
    """From above, once for each place of the rotary axes at which something stands there."""
    mine = [setup for setup in setups if setup.machine.id == machine.id]
    stations = {each.setup.index: station_of(machine, each.setup).id for each in reversed(mine)}
    drawings = [table_views(plan, machine, f"station-{station}")[0] for station in reversed(stations.values())]
    return [{"name": each.name, "svg": Markup(svg(each, unit, _WIDTH, _HIGH))} for each in drawings]


def _tools(plan: Plan, _unit: Unit, wanted: Wanted) -> tuple[str, dict[str, Any]]:
    setups = wanted.of(plan)
    return "tools_sheet.html", {
        "machines": [
            {
                "name": machine.name,
                "lengths_from": machine.lengths_from,
                "tools": tool_rows(machine, [each for each in setups if each.machine.id == machine.id]),
            }
            for machine in _machines(setups)
        ]
    }


def _first_article(plan: Plan, _unit: Unit, wanted: Wanted) -> tuple[str, dict[str, Any]]:
    measured = list(wanted.measured) or [Judged(line) for line in lines_of(plan.job)]
    verdicts = [each.verdict for each in measured if each.line.is_judged]
    numbers = list(sampled(wanted.every, wanted.parts))
    # The first one is the article itself; the others are filled in by hand, so many to a table.
    later = numbers[1:]
    return "first_article.html", {
        "part": wanted.part,
        "measured": measured,
        "says": _says(verdicts),
        "none_judged": not verdicts,
        "every": wanted.every,
        "parts": wanted.parts,
        "tables": [later[k : k + _COLUMNS] for k in range(0, len(later), _COLUMNS)],
    }


def _says(verdicts: Sequence[str]) -> str:
    failed, open_ones = verdicts.count("FAIL"), verdicts.count("")
    if failed:
        return f"FAILS: {failed} of {len(verdicts)} lines are out"
    if open_ones:
        return f"{open_ones} of {len(verdicts)} lines with a tolerance are not measured yet"
    return "passes" if verdicts else "no feature has a tolerance yet, so none is judged"


def _labels(plan: Plan, _unit: Unit, wanted: Wanted) -> tuple[str, dict[str, Any]]:
    """One for each work offset of each machine, with every setup that has its zero in it."""
    made: dict[tuple[str, str], dict[str, Any]] = {}
    for row, machine in ((row, setup.machine) for setup in wanted.of(plan) for row in stands(plan, setup)):
        if not row["is_on"]:
            continue
        label = made.setdefault(
            (machine.id, row["offset"]), {"machine": machine.name, "offset": row["offset"], "of": []}
        )
        label["of"].append(row)
    return "labels.html", {"labels": list(made.values())}


_KINDS: dict[str, Callable[[Plan, Unit, Wanted], tuple[str, dict[str, Any]]]] = {
    "turn": _turn, "table": _table, "tools": _tools, "first-article": _first_article, "labels": _labels,
}  # fmt: skip
