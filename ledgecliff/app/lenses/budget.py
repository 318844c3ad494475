"""The budget lens: how far features cut in different setups may be off each other, why, and what else there is; and the
same beside what rehearsals of many worlds have seen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.alternatives.ranked import Alternative, said_of
from ledgecliff.core.budget.links import Link, Node, ends_of, links_of
from ledgecliff.core.budget.pair import Pair
from ledgecliff.core.budget.worth import worth_measuring
from ledgecliff.core.drawing.budget_layout import worst_first
from ledgecliff.core.quantities import Unit, format_length, format_scatter, spell
from ledgecliff.core.route import scenes_of

from ..budget_chart import BudgetChart
from ..chain_chart import ChainChart
from ..document import Document
from ..flat_table import FlatRows, FlatTable
from ..spread_chart import SpreadChart
from ..theme import Theme
from ..weighing import Weighing
from ..weighing_worlds import WORLDS, WeighingWorlds

_HEADS = ("what else", "95 %", "keeps", "min", "touches", "offsets", "needs")
#: The table is never higher than this (pixels).
_HEIGHT = 160
_LINK_HEADS = ("link", "adds", "of it")
_LEGEND = (
    "What 95 % of parts stay within. A line stands where the tolerance ends, a dashed one where as much of it ends as "
    "may be taken."
)
_BESIDE = (
    "The line is what the budget says of the sources that the simulated machine has, the bars what came out there; "
    "their means stand on the scale, that of the rehearsals dashed."
)


class BudgetLens(QWidget):
    picked = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self.weighing, self.worlds = Weighing(document), WeighingWorlds(document)
        self.weighing.changed.connect(self._show)
        self.worlds.changed.connect(self._show)
        self.worlds.progress.connect(self._tell_progress)
        self.says, self.worth = _words(), _words()
        self.worth.setProperty("quiet", True)
        self.chart, self.chain, self.spread = BudgetChart(theme), ChainChart(theme), SpreadChart(theme)
        self.chart.picked.connect(self._pick_pair)
        self.chain.link_picked.connect(self._pick_link)
        self.chain.node_picked.connect(self._pick_node)
        self._pages = QStackedWidget()
        for chart in (self.chart, self.chain, self.spread):
            self._pages.addWidget(_scrolled(chart, across=chart is self.chain))
        self.table = FlatTable(_HEIGHT)
        self.table.setAccessibleName("What else could give this setup its place, the best first")
        self._build()
        self._picked, self._pair = 0, 0
        self._node: Node | None = None

    def _build(self) -> None:
        self.sources = QPushButton("What makes it so")
        self.beside = QPushButton("Beside rehearsals")
        self.of_setup = QPushButton("This setup")
        self.of_route = QPushButton("The whole route")
        self.of_chain = QPushButton("Its chain")
        self.of_chain.setToolTip(
            "From the one feature to the other, and what each link adds; a click above picks a pair"
        )
        for pair in ((self.sources, self.of_chain, self.beside), (self.of_setup, self.of_route)):
            group = QButtonGroup(self)
            for button in pair:
                button.setCheckable(True)
                group.addButton(button)
            pair[0].setChecked(True)
            group.buttonClicked.connect(self._show)
        self.next_pair = QPushButton("Next pair")
        self.next_pair.setToolTip("The chain of the pair that is off next most")
        self.next_pair.clicked.connect(self._to_next_pair)
        self.rehearse = QPushButton(f"Rehearse {WORLDS} worlds")
        self.rehearse.setToolTip("The whole job on the simulated machine, everything off by other amounts each time")
        self.rehearse.clicked.connect(self._rehearse)
        self.take = QPushButton("Take it")
        self.take.setToolTip("It can be undone; steps of your own are proposed anew, so that they find it")
        self.take.clicked.connect(self._take)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addLayout(_in_a_row(self.sources, self.of_chain, self.beside, self.next_pair, self.rehearse))
        column.addWidget(self.says)
        column.addWidget(self._pages, 1)
        column.addWidget(self.worth)
        column.addLayout(_in_a_row(self.of_setup, self.of_route, self.take))
        column.addWidget(self.table)

    def set_theme(self, theme: Theme) -> None:
        for chart in (self.chart, self.chain, self.spread):
            chart.theme = theme
            chart.update()

    def stop(self) -> None:
        self.weighing.stop()
        self.worlds.stop()

    def refresh(self) -> None:
        self.weighing.look()
        self.worlds.drop_for(self._document.plan)
        self._show()

    def _show(self) -> None:
        budget, unit, plan = self.weighing.budget, self._document.unit, self._document.plan
        beside, of_chain = self.beside.isChecked(), self.of_chain.isChecked()
        self._pages.setCurrentIndex(2 if beside else int(of_chain))
        share = 0.5 if plan is None else plan.job.tolerance_share
        self.chart.show_budget(budget, share, unit)
        spread = self.worlds.spread
        self.spread.show_spread(spread.pairs if spread is not None else (), self.worlds.drawn, unit)
        says = self._of_worlds() if beside else self._of_chain(unit) if of_chain else self._of_budget(unit)
        self.says.setText(says)
        self.next_pair.setVisible(of_chain and budget is not None and len(budget.pairs) > 1)
        first = () if budget is None or beside or of_chain else worth_measuring(budget)[:1]
        self.worth.setText("".join(each.said_in(unit) for each in first))
        self.worth.setVisible(bool(first))
        self.rehearse.setVisible(beside)
        self.rehearse.setText("Enough" if self.worlds.busy() else f"Rehearse {WORLDS} worlds")
        self.rehearse.setEnabled(spread is None)
        self._show_ranked(unit, hidden=beside)

    def _of_budget(self, unit: Unit) -> str:
        budget, ranked = self.weighing.budget, self._ranked()
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
            told.append("Trying what else there is…")
        return " ".join(told)

    # --- the chain of a pair ----------------------------------------------------------------------

    def _pick_pair(self, number: int, feature: str) -> None:
        self._pair, self._node = number, None
        self.picked.emit(feature)
        self._show()

    def _to_next_pair(self) -> None:
        budget = self.weighing.budget
        if budget is not None and budget.pairs:
            self._pair, self._node = (self._pair + 1) % len(budget.pairs), None
            self._show()

    def _pick_link(self, number: int) -> None:
        self.table.selectRow(number)

    def _pick_node(self, node: Node) -> None:
        """It is what *Look at it* goes to, and the first link that ends there is picked with it."""
        number = next((k for k, each in enumerate(self._links()) if node in (each.a, each.b)), None)
        if number is not None:
            self._pick_link(number)
        self._node = node
        self._mark()

    def _chosen_pair(self) -> Pair | None:
        """That was picked, else the worst."""
        budget = self.weighing.budget
        if budget is None or not budget.pairs:
            return None
        pairs = worst_first(budget)
        return pairs[min(self._pair, len(pairs) - 1)]

    def _links(self) -> tuple[Link, ...]:
        pair, plan = self._chosen_pair(), self._document.plan
        return () if pair is None or plan is None or not self.of_chain.isChecked() else links_of(plan, pair)

    def _of_chain(self, unit: Unit) -> str:
        pair = self._chosen_pair()
        if pair is None:
            return self._of_budget(unit)
        seen = f" from {pair.asked.to}" if pair.asked.to else ""
        return (
            f"{pair.asked.feature}{seen}, {pair.asked.direction}: within {format_length(pair.expanded, unit)} {unit}. "
            "Lines are as thick as their share, dotted where nothing is added; figures are one standard deviation."
        )

    def _mark(self) -> None:
        self.chain.mark(self._picked if self._links() else None, self._node)

    def _show_links(self, unit: Unit) -> None:
        links, plan, pair = self._links(), self._document.plan, self._chosen_pair()
        if plan is not None and pair is not None:
            self.chain.show_chain(links, ends_of(plan, pair), [each.setup.name for each in plan.setups], unit)
        whole = sum(each.u**2 for each in links) or 1.0
        rows = []
        for each in links:
            share = f"{100.0 * each.u**2 / whole:.0f} %"
            ends, adds = f"{each.a.words} – {each.b.words}", format_scatter(each.u, unit)
            rows.append(((ends, adds, share), f"{ends}: {adds}, {share}"))
        self._fill(_LINK_HEADS, rows)
        self._mark()
        self._document.light(frozenset().union(*(each.setups for each in links)))

    # --- beside rehearsals ------------------------------------------------------------------------

    def _of_worlds(self) -> str:
        spread = self.worlds.spread
        if spread is None:
            return f"{WORLDS} worlds are rehearsed, in each of which everything is off by another amount."
        told = [_BESIDE]
        plan = self._document.plan
        if plan is not None and any(each.pattern is not None for each in plan.job.setups):
            told.append("Of every load one part is looked at, at another station than the one that lends its zero.")
        if spread.failed:
            told.append(f"A program stopped in {len(spread.failed)} of them, which count for nothing here.")
        if not spread.pairs:
            told.append("Nothing was made that is seen from what another setup has cut.")
        return " ".join(told)

    def _rehearse(self) -> None:
        if self.worlds.busy():
            self.worlds.give_up()
        else:
            self.worlds.ask()
        self._show()

    def _tell_progress(self, done: int, of: int) -> None:
        if self.beside.isChecked() and self.worlds.busy():
            self.says.setText(f"World {min(done + 1, of)} of {of}…")

    # --- what else there is -----------------------------------------------------------------------

    def _ranked(self) -> tuple[Alternative, ...]:
        return self.weighing.routes if self.of_route.isChecked() else self.weighing.ranked

    def _show_ranked(self, unit: Unit, *, hidden: bool) -> None:
        budget = self.weighing.budget
        some = not hidden and budget is not None and bool(budget.pairs)
        for button in (self.of_setup, self.of_route):
            button.setVisible(some and not self.of_chain.isChecked())
        self.take.setVisible(some)
        self.take.setText("Look at it" if self.of_chain.isChecked() else "Take it")
        if some and self.of_chain.isChecked():
            self.table.setVisible(True)
            self._show_links(unit)
            return
        self._document.light(frozenset())
        ranked = self._ranked() if some else ()
        self.table.setVisible(bool(ranked))
        self.take.setEnabled(False)
        if not ranked:
            return
        self._fill(_HEADS, [(_texts(each, unit), ", ".join(_texts(each, unit))) for each in ranked])

    def _fill(self, heads: Sequence[str], rows: Sequence[tuple[Sequence[str], str]]) -> None:
        so = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        self.table.show_rows(FlatRows(heads, rows, so, self.table))
        self.table.selectionModel().currentRowChanged.connect(self._look_at)
        self._picked = max(min(self._picked, len(rows) - 1), 0)
        self.table.selectRow(self._picked)
        self._may_take()

    def _look_at(self, now: QModelIndex) -> None:
        self._picked, self._node = now.row(), None
        self._may_take()
        self._mark()

    def _may_take(self) -> None:
        ranked = self._ranked()
        of_chain = self.of_chain.isChecked()
        self.take.setEnabled(of_chain or (self._picked < len(ranked) and not ranked[self._picked].is_now))

    def _look_at_link(self) -> None:
        """The node that was picked, else the link's further end, on the stage of its setup."""
        links, plan = self._links(), self._document.plan
        if plan is None or self._picked >= len(links):
            return
        layout = self.chain.layout_now()
        shown = [each.node for each in layout.nodes] if layout is not None else []
        node = self._node if self._node in shown else links[self._picked].b
        scenes = scenes_of(plan)
        number = next((k for k, each in enumerate(scenes) if each.kind == "setup" and each.setup == node.setup), None)
        if number is not None:
            self._document.show_scene(number)
            self._document.show_lens("datum")
            self._document.pick(node.source)

    def _take(self) -> None:
        if self.of_chain.isChecked():
            self._look_at_link()
            return
        ranked = self._ranked()
        if self._picked < len(ranked):
            chosen = ranked[self._picked]
            self._document.apply(chosen.change, lambda _job: chosen.job)


def _words() -> QLabel:
    label = QLabel()
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    return label


def _scrolled(chart: QWidget, *, across: bool) -> QScrollArea:
    area = QScrollArea()
    area.setWidgetResizable(True)
    if not across:
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidget(chart)
    area.setObjectName("paper")
    return area


def _in_a_row(*widgets: QWidget) -> QHBoxLayout:
    row = QHBoxLayout()
    for widget in widgets:
        row.addWidget(widget)
    row.addStretch(1)
    return row


def _texts(each: Alternative, unit: Unit) -> tuple[str, ...]:
    off = "" if each.expanded is None else format_length(each.expanded, unit)
    keeps = {True: "✓", False: "✕", None: ""}[each.keeps]
    cost, needs = each.cost, spell(each.cost.needs(), unit)
    if each.brings is not None:
        needs = f"brings: {each.brings.message(unit)}"
    return each.name, off, keeps, f"{cost.minutes:.1f}", str(cost.touches), str(cost.codes), needs
