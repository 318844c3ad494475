"""How far off pairs would be in each proposed order of sides, worked out in a thread while they are shown."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.plan import Plan
from ledgecliff.store.shop import read_shop

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.core.alternatives.orders import WeighedOrder
    from ledgecliff.core.model.orientation import PartDirection
    from ledgecliff.core.sides.order import Order

#: Edits that follow one another are weighed once (ms).
_PAUSE_MS = 400


class WeighingOrders(Behind):
    """Keeps them of the plan and the orders that were last looked at."""

    changed = Signal()
    _came = Signal(object, object, str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.found: dict[tuple[PartDirection, ...], WeighedOrder] = {}
        #: Which of them is the best, in a sentence.
        self.best = ""
        self._of: tuple[Plan, tuple[Order, ...]] | None = None
        self._came.connect(self._take)

    def look(self, plan: Plan, orders: Sequence[Order]) -> None:
        """At some orders; what is known of them already is not worked out again."""
        of = (plan, tuple(orders))
        if self._of is not None and self._of[0] is plan and self._of[1] == of[1]:
            return
        self._of, self.found, self.best = of, {}, ""
        self._begin_in(_PAUSE_MS)

    def _begin(self) -> None:
        if self._of is None:
            return
        plan, orders = self._of
        shop = self._document.shop or read_shop()

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.alternatives.orders import best_of, weighed_orders  # not before the window stands

            found = []
            for each in weighed_orders(plan, orders, shop, cancelled):
                found.append(each)
                self._came.emit(plan, each, best_of(found))

        self._run(work)

    def _take(self, plan: Plan, weighed: WeighedOrder, best: str) -> None:
        if self._of is not None and self._of[0] is plan:
            self.found[weighed.order.sides], self.best = weighed, best
            self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()
