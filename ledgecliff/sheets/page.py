"""What all pages share: templates, fonts, paper, and the mark by which an outdated one is told; and pages as PDF.

Everything a job says is escaped by the template engine; drawings are made here and inserted as they are.  The PDF
printer may load nothing but what is inside the page.
"""

from __future__ import annotations

import base64
import itertools
from collections.abc import Iterable
from functools import cache
from importlib import resources
from typing import Any

import jinja2
from markupsafe import Markup

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.programs.text import comment
from ledgecliff.core.quantities import Unit, format_length, spell

from .marked import PageMark
from .wanted import Paper


class SheetError(LedgecliffError, OSError):
    """The sheet cannot be printed here; the text says what is missing."""


def print_page(html: str) -> bytes:
    """A self-contained HTML page as PDF.  Raises SheetError when the text layout library is missing."""
    try:
        from weasyprint import CSS, HTML  # loads system libraries, and slowly
        from weasyprint.urls import URLFetcher
    except OSError as error:
        raise SheetError(f"PDF needs the system library Pango, which is missing here ({error}).") from error
    # Every page has the mark at its foot, so that the one at the head of a screen would be once too many.
    once = CSS(string=".mark { display: none !important; }")
    pdf: bytes = HTML(string=html, url_fetcher=URLFetcher(allowed_protocols={"data"})).write_pdf(stylesheets=[once])
    return pdf


def page(template: str, title: str, unit: Unit, paper: Paper, mark: PageMark | None, **values: Any) -> str:
    """A page of that ``title``, which its foot tells beside the mark."""
    return (
        page_environment(unit)
        .get_template(template)
        .render(
            fonts=embedded_fonts(),
            paper=paper,
            # Inside a style sheet HTML escaping does not help, so only harmless signs get there.
            footer=Markup(comment(title).replace('"', "").replace("'", "")),
            mark=mark,
            unit=unit,
            **values,
        )
    )


@cache
def page_environment(unit: Unit) -> jinja2.Environment:
    """Templates with lengths in a unit."""
    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("ledgecliff", "sheets/templates"), autoescape=True, undefined=jinja2.StrictUndefined
    )
    environment.filters["mm"] = lambda value: format_length(float(value), unit)
    environment.filters["spelled"] = lambda text: spell(text, unit)
    environment.filters["groupby_in_order"] = _grouped
    environment.filters["signed"] = lambda value: format_length(float(value), unit, sign=True)
    return environment


def _grouped(rows: Iterable[Any], name: str) -> list[tuple[Any, list[Any]]]:
    """Rows that follow each other with the same value of one field: in their order, as jinja's own does not keep it."""
    return [(value, list(mine)) for value, mine in itertools.groupby(rows, lambda row: getattr(row, name))]


def embedded_fonts() -> dict[str, str]:
    """The fonts of pages, to be put inside them."""
    return {"regular": _font("B612-Regular.otf"), "bold": _font("B612-Bold.otf")}


@cache
def _font(name: str) -> str:
    data = (resources.files("ledgecliff") / "resources" / "fonts" / name).read_bytes()
    return base64.b64encode(data).decode("ascii")
