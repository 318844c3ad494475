"""The sides lens: from where each feature can be cut, and orders of sides with their reasons."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout

from ledgecliff.core.edits.setups import add_setup
from ledgecliff.core.model.orientation import PartDirection, shown
from ledgecliff.core.quantities import spell
from ledgecliff.core.sides.order import Order, Proposal
from ledgecliff.core.sides.reach import Coverage
from ledgecliff.store.identity import new_id

from ..document import Document
from .base import LensPanel

#: So many orders are shown with their reasons.
_SHOWN = 4
#: Features that so many sides reach are listed, so many names at most; the rest is counted.
_PARTICULAR, _NAMES = 2, 6


class SidesPanel(LensPanel):
    #: The orders have to be worked out; they come back through ``show_proposal``.
    proposal_wanted = Signal()
    #: The setups are to be made from this order, which takes a while.
    order_taken = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._proposal: Proposal | None = None
        self._proposed_for: object = None

    def key(self) -> object:
        return self.plan.coverage, self._current_proposal(), self.document.unit, len(self.job.setups)

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
        self.add_heading("Proposed orders")
        proposal = self._current_proposal()
        self.take_buttons: list[QPushButton] = []
        if proposal is None:
            self.proposal_wanted.emit()
            self.add_quiet("Being worked out…")
        elif not proposal.orders:
            self.add_quiet("Nothing of the part needs cutting from a square side.")
        orders = proposal.orders if proposal else ()
        for number, order in enumerate(orders[:_SHOWN], start=1):
            self._add_order(number, order)
        if len(orders) > _SHOWN:
            self.add_quiet(f"{len(orders) - _SHOWN} more orders weigh less.")
        if proposal is not None and proposal.left_out:
            self.add_quiet(f"Left out: {proposal.left_out}.")
        self.add_heading("From which side each feature can be cut")
        self.add_quiet(_reach_words(covered))

    def _not_reached(self, covered: Coverage) -> list[tuple[PartDirection, ...]]:
        planned = {setup.orientation.up for setup in self.job.setups}
        return [reach.sides for reach in covered.features if reach.sides and not planned & set(reach.sides)]

    def _add_order(self, number: int, order: Order) -> None:
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        column.setContentsMargins(8, 6, 8, 8)
        column.setSpacing(3)
        head = QLabel(f"{number}. part {order.in_words()}   ({order.score:+.1f})".replace("-", "−"))
        head.setTextFormat(Qt.TextFormat.PlainText)
        head.setWordWrap(True)
        head.setProperty("head", True)
        column.addWidget(head)
        for argument in order.arguments:
            words = spell(argument.words, self.document.unit)
            label = QLabel(f"{'for' if argument.weight > 0 else 'against'} · {shown(argument.side)} up: {words}")
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
            label.setProperty("quiet", True)
            column.addWidget(label)
        button = QPushButton("Plan the setups so")
        button.setToolTip("Makes the setups anew in this order; everything in them can be changed, and undone")
        button.setAccessibleName(f"Plan the setups so: {order.in_words()}")
        button.clicked.connect(lambda: self.order_taken.emit(order))
        column.addWidget(button)
        self.take_buttons.append(button)
        self.add_widget(card)

    def _add(self, side: PartDirection) -> None:
        plan = self.plan
        self.document.apply("new setup", lambda job: add_setup(job, side, plan, new_id()))

    def show_proposal(self, proposal: Proposal, covered: Coverage) -> None:
        self._proposal, self._proposed_for = proposal, covered
        if self.document.plan is not None and self.isVisible():
            self.refresh()


def _reach_words(covered: Coverage) -> str:
    """Features by the sides that reach them, the most particular first; what many sides reach is counted."""
    by_sides: dict[tuple[str, ...], list[str]] = {}
    for reach in covered.features:
        by_sides.setdefault(tuple(reach.sides), []).append(reach.name)
    lines = []
    for sides, names in sorted(by_sides.items(), key=lambda pair: (len(pair[0]), pair[0])):
        if len(sides) <= _PARTICULAR:
            ways = " or ".join(shown(side) for side in sides) if sides else "no square side"  # type: ignore[arg-type]
            listed = ", ".join(names[:_NAMES]) + (f" and {len(names) - _NAMES} more" if len(names) > _NAMES else "")
            lines.append(f"{ways}: {listed}")
    rest = sum(len(names) for sides, names in by_sides.items() if len(sides) > _PARTICULAR)
    if rest:
        lines.append(f"from {_PARTICULAR + 1} sides or more: {rest} others, such as outer faces")
    return "\n".join(lines) if lines else "The stock already is the part."
