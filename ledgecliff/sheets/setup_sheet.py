"""The setup sheet of a job as one self-contained HTML page, and the same page as PDF."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from markupsafe import Markup

from ledgecliff.core.blanks import stock_size
from ledgecliff.core.checklist.checks import checks_of
from ledgecliff.core.checklist.put_together import placed_rows, put_together
from ledgecliff.core.datums import datum_words
from ledgecliff.core.drawing.line_work import VIEW_NAMES
from ledgecliff.core.drawing.part_views import stock_views
from ledgecliff.core.drawing.stage import jaw_in_front, setup_views
from ledgecliff.core.findings.everything import NOTHING_BESIDE, Beside, found_against, with_rehearsed
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.model.stock import Allowance, measured_along
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.released import programs_of_setup
from ledgecliff.core.quantities import Unit
from ledgecliff.core.rehearsal.told import said_of_proof
from ledgecliff.core.route import scenes_of
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.several_parts import cut_apart_in, names_of
from ledgecliff.core.turns.turn_plan import turns_of

from .about import NOT_SAID, About
from .budget_page import budget_page
from .instances_table import instances_table
from .page import page
from .svg import svg
from .tool_rows import tool_rows
from .turn_page import turn_page

_WIDTH = 660.0


def sheet_html(
    plan: Plan, unit: Unit = "mm", beside: Beside = NOTHING_BESIDE, about: About = NOT_SAID, setups: Sequence[int] = ()
) -> str:
    """The sheet as HTML, lengths in ``unit``, of some ``setups`` (from 0) or of all; what is known ``beside`` the plan,
    and what a rehearsal came to, counts among its findings."""
    shown = [plan.setups[k] for k in setups] if setups else list(plan.setups)
    found = with_rehearsed(plan, found_against(plan, beside), about.rehearsal, about.worlds)
    return page(
        "setup_sheet.html",
        plan.job.title,
        unit,
        about.paper,
        about.mark(plan.job.id),
        job=plan.job,
        machines=", ".join(machine.name for machine in plan.job.machines),
        scenes=scenes_of(plan),
        findings=found,
        blocked=any(finding.severity in ("hazard", "error") for finding in found),
        about=about,
        proof=said_of_proof(about.rehearsal, about.worlds),
        tools=[
            row
            for machine in plan.job.machines
            for row in tool_rows(machine, [each for each in shown if each.machine.id == machine.id])
        ],
        stock_words="measured" if all(measured_along(plan.job.stock)) else "assumed",
        stock_size=[float(value) for value in stock_size(plan.job.stock, plan.models.stock)],
        allowances=_allowances(plan.job.stock.allowance),
        part_size=[float(value) for value in plan.geometry.high - plan.geometry.low],
        stock_views=[Markup(svg(drawing, unit, 0.48 * _WIDTH, 170.0)) for drawing in stock_views(plan)],
        setups=[_setup(plan, setup, unit) for setup in shown],
        budget=budget_page(plan, unit, _WIDTH),
        parts=_parts(plan),
        cut_apart=cut_apart_in(plan),
    )


def _allowances(allowance: Allowance) -> list[tuple[str, float]]:
    """Sides with a stated allowance, as part directions."""
    return [
        (sign + axis.upper(), mm)
        for axis in AXES
        for sign, mm in zip(("−", "+"), allowance.sides(axis), strict=True)
        if mm is not None
    ]


def _setup(plan: Plan, setup: SetupPlan, unit: Unit) -> dict[str, Any]:
    plan_view, _ = setup_views(setup, "probe")
    _, front_view = setup_views(setup, "hold")
    z_zero = float(setup.wcs.u_origin[2])
    return {
        "plan": setup,
        "turn": turn_page(plan, turns_of(plan)[setup.index - 1], unit, _WIDTH) if setup.index else None,
        "files": programs_of_setup(plan, setup.index),
        "checks": [check for check in checks_of(plan, setup.index) if check.part != "turn it over"],
        "toolpaths": [operation.program for operation in setup.setup.operations if operation.program],
        "view_names": VIEW_NAMES[setup.machine.spindle],
        "views": [Markup(svg(plan_view, unit, _WIDTH, 250.0)), Markup(svg(front_view, unit, _WIDTH, 190.0))],
        "datum": [
            {
                "axis": axis.upper(),
                "words": datum_words(axis, setup.setup.datum.axis(axis)),
                "shift": setup.setup.datum.axis(axis).shift,
            }
            for axis in AXES
        ],
        "heights": [{"name": rung.name, "w_z": rung.u_z - z_zero} for rung in setup.heights()],
        "cut_away": jaw_in_front(setup),
        "held_by": _held_by(setup),
        "holding": [*put_together(setup), *placed_rows(plan, setup)],
        "many": instances_table(plan, setup.index, unit, _WIDTH),
    }


def _parts(plan: Plan) -> list[dict[str, Any]]:
    """Every part of the blank, with its features, each to be measured and noted by itself; none for a single one."""
    if not plan.job.part.copies:
        return []
    return [
        {
            "name": name,
            "features": [each.name for each in plan.job.part.features if (each.on_copy or 1) == number],
        }
        for number, name in enumerate(names_of(plan), start=1)
    ]


def _held_by(setup: SetupPlan) -> str:
    kind, name = fixture_words(setup.machine, setup.setup)
    return f"{'on' if kind in ('plate', 'spoilboard') else 'in'} the {name}"
