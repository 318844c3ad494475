"""All pairs as a table: ``feature, to, what, direction, unit, …``, a row each."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence

from ..plain_text import harmless_cell
from ..quantities import Unit, mm_per
from .budget import Budget
from .drawing_lots import DrawnPair
from .pair import Pair

#: So many of what enters have columns of their own.
_ENTERING = 3
COLUMNS = (
    "feature", "to", "what", "direction", "unit", "u", "dof", "expanded", "low", "high", "tolerance", "share", "out",
    *(f"{name} {number}" for number in range(1, _ENTERING + 1) for name in ("source", "of it")),
)  # fmt: skip


def budget_csv(budget: Budget, drawn: Sequence[DrawnPair], unit: Unit = "mm") -> str:
    """With a header; what there is none of is empty."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for pair, each in zip(budget.pairs, drawn, strict=True):
        table.writerow(_cells(pair, each, unit))
    return out.getvalue()


def _cells(pair: Pair, drawn: DrawnPair, unit: Unit) -> list[str]:
    asked = pair.asked
    lengths = [_said(mm, mm_per(unit)) for mm in (pair.expanded, drawn.low, drawn.high, asked.tolerance)]
    words = [harmless_cell(text) for text in (asked.feature, asked.to, asked.what, asked.direction)]
    sources: list[str] = []
    for enters in pair.enters[:_ENTERING]:
        sources += [harmless_cell(enters.source.name), _said(enters.share, 1.0)]
    dof = "" if math.isinf(pair.dof) else _said(pair.dof, 1.0)
    cells = [*words, unit, _said(pair.u, mm_per(unit)), dof, *lengths, _said(pair.share, 1.0), _said(drawn.out, 1.0)]
    return [*cells, *sources, *[""] * (len(COLUMNS) - len(cells) - len(sources))]


def _said(value: float | None, unit: float) -> str:
    return "" if value is None else f"{value / unit:.7g}"
