"""The budget lens: how far features cut in different setups may be off each other, why, and what else there is."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ledgecliff.core.alternatives.ranked import Alternative, said_of
from ledgecliff.core.budget.worth import worth_measuring
from ledgecliff.core.quantities import Unit, format_length

from ..budget_chart import BudgetChart
from ..document import Document
from ..flat_table import FlatRows, FlatTable
from ..theme import Theme
from ..weighing import Weighing

_HEADS = ("zero from", "95 %", "keeps", "min", "touches", "offsets")
#: The table is never higher than this (pixels).
_HEIGHT = 160
_LEGEND = (
    "What 95 % of parts stay within. A line stands where the tolerance ends, a dashed one where as much of it ends as "
    "may be taken."
)


class BudgetLens(QWidget):
    picked = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self.weighing = Weighing(document)
        self.weighing.changed.connect(self._show)
        self.says = QLabel()
        self.says.setTextFormat(Qt.TextFormat.PlainText)
        self.says.setWordWrap(True)
        self.chart = BudgetChart(theme)
        self.chart.picked.connect(self.picked)
        self._area = QScrollArea()
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._area.setFrameShape(QFrame.Shape.NoFrame)
        self._area.setWidget(self.chart)
        self._area.setObjectName("paper")
        self.worth = QLabel()
        self.worth.setTextFormat(Qt.TextFormat.PlainText)
        self.worth.setWordWrap(True)
        self.worth.setProperty("quiet", True)
        self.table = FlatTable(_HEIGHT)
        self.table.setAccessibleName("What else could give this setup its zero, the best first")
        self.take = QPushButton("Take this zero")
        self.take.setToolTip("It can be undone; steps of your own are proposed anew, so that they find it")
        self.take.clicked.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(self.says)
        column.addWidget(self._area, 1)
        for widget in (self.worth, self.table):
            column.addWidget(widget)
        column.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        self._picked = 0

    def refresh(self) -> None:
        self.weighing.look()
        self._show()

    def _show(self) -> None:
        plan, budget, unit = self._document.plan, self.weighing.budget, self._document.unit
        share = 0.5 if plan is None else plan.job.tolerance_share
        self.chart.show_budget(budget, share, unit)
        self.says.setText(self._words(unit))
        first = () if budget is None else worth_measuring(budget)[:1]
        self.worth.setText("".join(each.said_in(unit) for each in first))
        self.worth.setVisible(bool(first))
        self._show_ranked(unit)

    def _words(self, unit: Unit) -> str:
        budget, ranked = self.weighing.budget, self.weighing.ranked
        if budget is None:
            return "Working out how far features may be off each other…"
        if not budget.pairs:
            return (
                "No feature has a tolerance yet, and nothing that one setup cuts is seen from what another has cut. "
                "Name features, their partners and tolerances on the part."
            )
        told = [_LEGEND]
        if ranked and ranked[0].expanded is not None:
            told.append(said_of(ranked, unit))
        elif self.weighing.busy():
            told.append("Trying what else could give this setup its zero…")
        return " ".join(told)

    def _show_ranked(self, unit: Unit) -> None:
        ranked = self.weighing.ranked
        some = bool(ranked) and any(each.pair is not None for each in ranked)
        self.table.setVisible(some)
        self.take.setVisible(some)
        if not some:
            return
        so = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        rows = [(_texts(each, unit), ", ".join(_texts(each, unit))) for each in ranked]
        self.table.show_rows(FlatRows(_HEADS, rows, so, self.table))
        self.table.selectionModel().currentRowChanged.connect(self._look_at)
        self._picked = min(self._picked, len(ranked) - 1)
        self.table.selectRow(self._picked)
        self.take.setEnabled(not ranked[self._picked].is_now)

    def _look_at(self, now: QModelIndex) -> None:
        self._picked = now.row()
        self.take.setEnabled(not self.weighing.ranked[now.row()].is_now)

    def _take(self) -> None:
        ranked = self.weighing.ranked
        if self._picked < len(ranked):
            chosen = ranked[self._picked]
            self._document.apply(chosen.change, lambda _job: chosen.job)


def _texts(each: Alternative, unit: Unit) -> tuple[str, ...]:
    off = "" if each.expanded is None else format_length(each.expanded, unit)
    keeps = {True: "✓", False: "✕", None: ""}[each.keeps]
    return each.name, off, keeps, f"{each.cost.minutes:.1f}", str(each.cost.touches), str(each.cost.codes)
