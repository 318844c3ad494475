"""The error budget on paper: for each pair of features what may be off as stacked lengths, to one scale with its
tolerance (pixels).

A source's length is its share of the square of what 95 % stay within, so that all together are as long as that.
"""

from __future__ import annotations

from dataclasses import dataclass

from ..budget.budget import Budget
from ..budget.pair import Pair
from ..quantities import Unit, format_length
from .marks import Box

#: Room for the names at the left and for sizes at the right, above the first row, and how high a row is (pixels).
_LEFT, _RIGHT, _ABOVE, _ROW = 12.0, 12.0, 30.0, 84.0
#: Within a row: where its bar is, and how high.
_BAR_AT, _BAR = 24.0, 18.0
#: So many sources have a piece of their own; the others share the last.
_MOST = 5
#: A piece narrower than this has no number on it (pixels).
_ROOM_FOR_NUMBER = 14.0


@dataclass(frozen=True)
class Piece:
    """What one source, or all the rest, adds: its box, its number in the row's words, and what is said of it."""

    box: Box
    number: str
    tip: str
    tone: int


@dataclass(frozen=True)
class Row:
    """A pair: what it is, what it comes to, its pieces, and its largest sources in words.  ``limit`` is where its
    tolerance ends and ``stated`` where the share of it does that may be taken; None without one."""

    feature: str
    top: float
    words: str
    amount: str
    pieces: tuple[Piece, ...]
    largest: str
    limit: float | None
    stated: float | None
    keeps: bool | None


@dataclass(frozen=True)
class BudgetLayout:
    rows: tuple[Row, ...]
    left: float
    right: float
    height: float
    #: What the length from left to right is.
    scale: str

    @property
    def bar(self) -> tuple[float, float]:
        """Of a row, where its bar begins and how high it is."""
        return _BAR_AT, _BAR


def worst_first(budget: Budget) -> tuple[Pair, ...]:
    """Those with a tolerance before the others, each the worst first."""
    return tuple(
        sorted(budget.pairs, key=lambda pair: (pair.share is None, -(pair.share or 0.0), -pair.expanded))
    )  # fmt: skip


def budget_layout(budget: Budget, share: float, width: float, unit: Unit) -> BudgetLayout:
    """``share`` is how much of a tolerance may be taken."""
    pairs = worst_first(budget)
    whole = max((max(pair.expanded, pair.asked.tolerance or 0.0) for pair in pairs), default=1.0) or 1.0
    left, right = _LEFT, max(width - _RIGHT, _LEFT + 1.0)
    per_mm = (right - left) / whole
    rows = tuple(_row(pair, share, _ABOVE + k * _ROW, left, per_mm, unit) for k, pair in enumerate(pairs))
    return BudgetLayout(rows, left, right, _ABOVE + len(pairs) * _ROW, format_length(whole, unit))


def _row(pair: Pair, share: float, top: float, left: float, per_mm: float, unit: Unit) -> Row:
    asked, tolerance = pair.asked, pair.asked.tolerance
    parts: list[tuple[str, float, str]] = [
        (each.source.name, each.share, each.source.scatter.origin) for each in pair.enters[:_MOST]
    ]
    rest = 1.0 - sum(part[1] for part in parts)
    if len(pair.enters) > _MOST:
        parts.append((f"{len(pair.enters) - _MOST} more", rest, ""))
    pieces, at = [], left
    for tone, (name, part, origin) in enumerate(parts):
        wide = part * pair.expanded * per_mm
        number = str(tone + 1) if wide >= _ROOM_FOR_NUMBER and tone < _MOST else ""
        came = f", {origin}" if origin else ""
        tip = f"{name}: {100.0 * part:.0f} %{came}"
        pieces.append(Piece(Box(at, top + _BAR_AT, wide, _BAR), number, tip, tone))
        at += wide
    seen = f" from {asked.to}" if asked.to else ""
    within = format_length(pair.expanded, unit)
    amount = f"within {within}" if asked.is_circle else f"±{within}"
    if tolerance is not None and pair.share is not None:
        amount += f", {100.0 * pair.share:.0f} % of {format_length(tolerance, unit)}"
    largest = "   ".join(
        f"{number} {name} {100.0 * part:.0f} %" for number, (name, part, _) in enumerate(parts[:3], start=1)
    )
    return Row(
        feature=asked.feature,
        top=top,
        words=f"{asked.feature}{seen}, {asked.what} {asked.direction}",
        amount=amount,
        pieces=tuple(pieces),
        largest=largest,
        limit=None if tolerance is None else left + tolerance * per_mm,
        stated=None if tolerance is None else left + share * tolerance * per_mm,
        keeps=None if pair.share is None else pair.share <= share,
    )
