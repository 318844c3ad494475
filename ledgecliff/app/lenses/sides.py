"""The sides lens: from where each feature can be cut, and orders of sides with their reasons."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.edits.setups import add_setup
from ledgecliff.core.model.orientation import PartDirection, shown
from ledgecliff.core.quantities import spell
from ledgecliff.core.sides.from_where import PARTLY, PLANNED, POSSIBLE, side_rows
from ledgecliff.core.sides.order import Argument, Order, Proposal
from ledgecliff.core.sides.reach import Coverage
from ledgecliff.store.identity import new_id

from ..document import Document
from ..weighing_orders import WeighingOrders
from .base import LensPanel
from .side_table import SideTable

#: So many orders are shown with their reasons.
_SHOWN = 4


class SidesPanel(LensPanel):
    #: The orders have to be worked out; they come back through ``show_proposal``.
    proposal_wanted = Signal()
    #: The setups are to be made from this order, which takes a while.
    order_taken = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._proposal: Proposal | None = None
        self._proposed_for: object = None
        self.weighing = WeighingOrders(document)
        self.weighing.changed.connect(self._show_weighed)
        #: What each order that is shown would come to.
        self.planned_words: dict[tuple[PartDirection, ...], QLabel] = {}
        #: Orders whose reasons are open.
        self._opened: set[tuple[PartDirection, ...]] = set()

    def key(self) -> object:
        return (
            self.plan.coverage, self._current_proposal(), self.document.unit,
            tuple(setup.orientation.up for setup in self.job.setups),
        )  # fmt: skip

    def _current_proposal(self) -> Proposal | None:
        """What was worked out, while it is about the part and stock of today."""
        return self._proposal if self._proposed_for is self.plan.coverage else None

    def build(self) -> None:
        covered = self.plan.coverage
        self.add_heading("Planned")
        ups = ", then ".join(f"{shown(setup.orientation.up)} up" for setup in self.job.setups)
        self.add_quiet(f"{len(self.job.setups)} setups: part {ups}.")
        missing = sorted({side for reach in self._not_reached(covered) for side in reach})
        if missing:
            self.add_buttons(
                *(
                    (f"Add a setup with {shown(side)} up", "After the last one; then change what it says",
                     partial(self._add, side))
                    for side in missing[:2]
                )
            )  # fmt: skip
        self._add_table(covered)
        self.add_heading("Proposed orders")
        proposal = self._current_proposal()
        self.take_buttons: list[QPushButton] = []
        self.reason_buttons: list[QPushButton] = []
        self.planned_words = {}
        if proposal is None:
            self.proposal_wanted.emit()
            self.add_quiet("Being worked out…")
        elif not proposal.orders:
            self.add_quiet("Nothing of the part needs cutting from a square side.")
        self._best = self.add_quiet("")
        orders = proposal.orders if proposal else ()
        for number, order in enumerate(orders[:_SHOWN], start=1):
            self._add_order(number, order)
        if len(orders) > _SHOWN:
            self.add_quiet(f"{len(orders) - _SHOWN} more orders weigh less.")
        if proposal is not None and proposal.left_out:
            self.add_quiet(f"Left out: {proposal.left_out}.")

    def refresh_more(self) -> None:
        proposal = self._current_proposal()
        if proposal is not None and proposal.orders and self.isVisible():
            self.weighing.look(self.plan, proposal.orders[:_SHOWN])
        self._show_weighed()

    def _show_weighed(self) -> None:
        self._best.setText(spell(self.weighing.best, self.document.unit))
        self._best.setVisible(bool(self.weighing.best))
        for sides, label in self.planned_words.items():
            found = self.weighing.found.get(sides)
            if found is not None:
                label.setText(spell(found.words(), self.document.unit))
            else:
                label.setText("How far off pairs would be is being worked out…" if self.weighing.busy() else "")
            label.setVisible(bool(label.text()))

    def _add_table(self, covered: Coverage) -> None:
        self.add_heading("From which side each feature can be cut")
        rows = side_rows(covered, {setup.orientation.up for setup in self.job.setups})
        if not rows:
            self.add_quiet("The stock already is the part.")
            return
        table = SideTable(rows)
        table.picked.connect(self.document.pick)
        self.add_widget(table)
        self.add_quiet(
            f"{PLANNED} a planned setup has that side up · {POSSIBLE} it can be cut from there · {PARTLY} in part"
        )

    def _not_reached(self, covered: Coverage) -> list[tuple[PartDirection, ...]]:
        planned = {setup.orientation.up for setup in self.job.setups}
        return [reach.sides for reach in covered.features if reach.sides and not planned & set(reach.sides)]

    def _add_order(self, number: int, order: Order) -> None:
        """Order, number of setups and what speaks most against it; all reasons on opening."""
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        column.setContentsMargins(8, 6, 8, 8)
        column.setSpacing(3)
        head = self._words(f"{number}. part {order.in_words()}   ({order.score:+.1f})".replace("-", "−"))
        head.setProperty("head", True)
        column.addWidget(head)
        worst = order.worst
        told = "nothing speaks against it" if worst is None else f"worst: {self._said(worst)}"
        column.addWidget(self._quiet(f"{len(order.sides)} setups · {told}"))
        self.planned_words[order.sides] = planned = self._quiet("")
        column.addWidget(planned)
        details = QWidget()
        inside = QVBoxLayout(details)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(3)
        for argument in order.arguments:
            inside.addWidget(self._quiet(f"{'for' if argument.weight > 0 else 'against'} · {self._said(argument)}"))
        column.addWidget(details)
        row = QHBoxLayout()
        reasons = QPushButton("Reasons")
        reasons.setCheckable(True)
        reasons.setEnabled(bool(order.arguments))
        reasons.setToolTip("What speaks for this order and what against it")
        reasons.setAccessibleName(f"Reasons for and against: {order.in_words()}")
        reasons.toggled.connect(details.setVisible)
        reasons.toggled.connect(lambda is_open: (self._opened.add if is_open else self._opened.discard)(order.sides))
        reasons.setChecked(order.sides in self._opened)
        details.setVisible(reasons.isChecked())
        button = QPushButton("Plan the setups so")
        button.setToolTip("Makes the setups anew in this order; everything in them can be changed, and undone")
        button.setAccessibleName(f"Plan the setups so: {order.in_words()}")
        button.clicked.connect(lambda: self.order_taken.emit(order))
        row.addWidget(reasons)
        row.addWidget(button, 1)
        column.addLayout(row)
        self.take_buttons.append(button)
        self.reason_buttons.append(reasons)
        self.add_widget(card)

    def _said(self, argument: Argument) -> str:
        return f"{shown(argument.side)} up: {spell(argument.words, self.document.unit)}"

    def _words(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setWordWrap(True)
        return label

    def _quiet(self, text: str) -> QLabel:
        label = self._words(text)
        label.setProperty("quiet", True)
        return label

    def _add(self, side: PartDirection) -> None:
        plan = self.plan
        self.document.apply("new setup", lambda job: add_setup(job, side, plan, new_id()))

    def show_proposal(self, proposal: Proposal, covered: Coverage) -> None:
        self._proposal, self._proposed_for = proposal, covered
        if self.document.plan is not None and self.isVisible():
            self.refresh()
