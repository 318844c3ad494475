"""What the setup sheet says of the error budget: the two worst pairs, to one scale with their tolerance, and why."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from markupsafe import Markup

from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.budget.worth import worth_measuring
from ledgecliff.core.drawing.budget_layout import BudgetLayout, Piece, Row, budget_layout, worst_first
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit

#: So many pairs are on the sheet.
_WORST = 2
#: Fills by turns, readable in grey.
_FILLS = ("#d8d8d8", "#ffffff", "#a8a8a8", "#f0f0f0", "#c4c4c4", "#ffffff")


def budget_page(plan: Plan, unit: Unit, width: float) -> dict[str, Any] | None:
    """Everything that ``budget_page.html`` shows; None where no pair is looked at."""
    budget = budget_of(plan)
    if not budget.pairs:
        return None
    layout = budget_layout(replace(budget, pairs=worst_first(budget)[:_WORST]), plan.job.tolerance_share, width, unit)
    worth = worth_measuring(budget)
    return {
        "picture": Markup(_svg(layout, width)),
        "rows": [
            {"words": row.words, "amount": row.amount, "why": [piece.tip for piece in row.pieces]}
            for row in layout.rows
        ],
        "share": round(100.0 * plan.job.tolerance_share),
        "assumed": len(budget.assumed),
        "of": len(budget.entering),
        "worth": worth[0].said_in(unit) if worth else "",
    }


def _svg(layout: BudgetLayout, width: float) -> str:
    at, high = layout.bar
    size = f'width="{width:.0f}" height="{layout.height:.0f}" viewBox="0 0 {width:.0f} {layout.height:.0f}"'
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} font-size="12" fill="#000">',
        f'<path d="M{layout.left:.1f} 20H{layout.right:.1f}" stroke="#000"/>',
        f'<text x="{layout.left:.1f}" y="14">0</text>',
        f'<text x="{layout.right:.1f}" y="14" text-anchor="end">{xml_escaped(layout.scale)}</text>',
    ]
    for row in layout.rows:
        parts += _row(row, layout, at, high)
    return "".join([*parts, "</svg>"])


def _row(row: Row, layout: BudgetLayout, at: float, high: float) -> list[str]:
    parts = [
        f'<text x="{layout.left:.1f}" y="{row.top + 14.0:.1f}">{xml_escaped(row.words)}</text>',
        f'<text x="{layout.right:.1f}" y="{row.top + 14.0:.1f}" text-anchor="end">{xml_escaped(row.amount)}</text>',
        *(_piece(piece) for piece in row.pieces),
    ]
    for x, dashed in ((row.limit, ""), (row.stated, ' stroke-dasharray="4 3"')):
        if x is not None:
            top, bottom = row.top + at - 5.0, row.top + at + high + 5.0
            parts.append(f'<path d="M{x:.1f} {top:.1f}V{bottom:.1f}" stroke="#000" stroke-width="2"{dashed}/>')
    return parts


def _piece(piece: Piece) -> str:
    box = piece.box
    drawn = (
        f'<rect x="{box.left:.1f}" y="{box.top:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
        f'fill="{_FILLS[piece.tone]}" stroke="#000"/>'
    )
    if piece.number:
        x, y = box.left + box.width / 2.0, box.top + box.height / 2.0 + 4.0
        drawn += f'<text x="{x:.1f}" y="{y:.1f}" text-anchor="middle">{piece.number}</text>'
    return drawn
