"""The card of the picked probing step, worked out behind the window: how near is near enough takes its time."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal

from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.cards import Card, cards_of

from .behind import Behind
from .document import Document

#: So long after the last edit the cards are worked out (ms).
_PAUSE_MS = 250


class Cards(Behind):
    """Keeps the cards of the setup they were asked for, as long as the plan is the same."""

    changed = Signal()
    _came = Signal(object, int, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._setup: int | None = None
        #: The plan and setup that the cards are of.
        self._of: tuple[Plan, int] | None = None
        self._cards: tuple[Card, ...] = ()
        self._came.connect(self._take)

    def of(self, setup: int) -> tuple[Card, ...] | None:
        """The cards of a setup of the present plan; None while they are worked out."""
        plan = self._document.plan
        if self._of is not None and self._of[0] is plan and self._of[1] == setup:
            return self._cards
        if self._setup != setup or not self.busy():
            self._setup = setup
            self._begin_in(_PAUSE_MS)
        return None

    def _begin(self) -> None:
        plan, setup = self._document.plan, self._setup
        if plan is None or setup is None or setup >= len(plan.setups):
            return

        def work(_progress: object, _cancelled: Callable[[], bool]) -> None:
            self._came.emit(plan, setup, cards_of(plan.setups[setup]))

        self._run(work)

    def _take(self, plan: Plan, setup: int, cards: tuple[Card, ...]) -> None:
        if plan is self._document.plan:
            self._of, self._cards = (plan, setup), cards
            self.changed.emit()
