"""The setup sheet of a job as one self-contained HTML page, and the same page as PDF.

Everything a job says is escaped by the template engine; drawings are made here and inserted as
they are.  The PDF printer may load nothing but what is inside the page.
"""

from __future__ import annotations

import base64
from functools import cache
from importlib import resources
from typing import Any

import jinja2
from markupsafe import Markup

from ledgecliff.core.datums import datum_words
from ledgecliff.core.drawing.stage import setup_views, stock_views
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.frames import AXES, Turn
from ledgecliff.core.plan import Plan, SetupPlan
from ledgecliff.core.programs.text import comment, file_stem
from ledgecliff.core.programs.writer import hovering
from ledgecliff.core.quantities import Unit, format_length, spell

from .svg import svg

_WIDTH = 660.0


class SheetError(LedgecliffError, OSError):
    """The sheet cannot be printed here; the text says what is missing."""


def sheet_html(plan: Plan, unit: Unit = "mm") -> str:
    """The whole sheet as HTML, lengths in ``unit``."""
    template = _environment(unit).get_template("setup_sheet.html")
    turns = [None] + [
        Turn(before.setup.orientation, after.setup.orientation).in_shop_words()
        for before, after in zip(plan.setups, plan.setups[1:], strict=False)
    ]
    return template.render(
        job=plan.job,
        unit=unit,
        fonts={"regular": _font("B612-Regular.otf"), "bold": _font("B612-Bold.otf")},
        # Inside a style sheet HTML escaping does not help, so only harmless signs get there.
        footer=Markup(comment(plan.job.title).replace('"', "").replace("'", "")),
        scenes=plan.scenes,
        findings=plan.findings,
        blocked=any(finding.severity in ("hazard", "error") for finding in plan.findings),
        part_size=[float(value) for value in plan.geometry.high - plan.geometry.low],
        stock_views=[Markup(svg(drawing, unit, _WIDTH, 300.0)) for drawing in stock_views(plan)],
        setups=[_setup(plan, setup, turn, unit) for setup, turn in zip(plan.setups, turns, strict=True)],
    )


def sheet_pdf(plan: Plan, unit: Unit = "mm") -> bytes:
    """The sheet as PDF.  Raises SheetError when the text layout library of the system is missing."""
    try:
        from weasyprint import HTML  # loads system libraries, and slowly
        from weasyprint.urls import URLFetcher
    except OSError as error:
        raise SheetError(f"PDF needs the system library Pango, which is missing here ({error}).") from error
    pdf: bytes = HTML(string=sheet_html(plan, unit), url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf()
    return pdf


@cache
def _environment(unit: Unit) -> jinja2.Environment:
    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("ledgecliff", "sheets/templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    environment.filters["mm"] = lambda value: format_length(float(value), unit)
    environment.filters["spelled"] = lambda text: spell(text, unit)
    environment.filters["signed"] = lambda value: format_length(float(value), unit, sign=True)
    return environment


@cache
def _font(name: str) -> str:
    data = (resources.files("ledgecliff") / "resources" / "fonts" / name).read_bytes()
    return base64.b64encode(data).decode("ascii")


def _setup(plan: Plan, setup: SetupPlan, turn: str | None, unit: Unit) -> dict[str, Any]:
    plan_view, _ = setup_views(setup, "probe")
    _, front_view = setup_views(setup, "hold")
    cutters = [plan.job.machine.cutter(operation.tool) for operation in setup.setup.operations]
    z_zero = float(setup.wcs.u_origin[2])
    return {
        "plan": setup,
        "turn": turn,
        "stem": f"{setup.index + 1:02d}-{file_stem(setup.setup.name)}",
        "views": [Markup(svg(plan_view, unit, _WIDTH, 250.0)), Markup(svg(front_view, unit, _WIDTH, 190.0))],
        "datum": [
            {
                "axis": axis.upper(),
                "words": datum_words(axis, setup.setup.datum.axis(axis)),
                "shift": setup.setup.datum.axis(axis).shift,
            }
            for axis in AXES
        ],
        "heights": [{"name": rung.name, "w_z": rung.u_z - z_zero} for rung in setup.holding.heights()],
        "hover": hovering(setup.setup, setup.holding, setup.wcs, setup.probing),
        "tools": [cutter.name if cutter else "" for cutter in cutters],
    }
