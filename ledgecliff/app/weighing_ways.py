"""How far off each way to register a turn would leave its far side, worked out in a thread while the turn is shown."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.plan import Plan

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.core.alternatives.ways import WeighedWay
    from ledgecliff.core.turns.turn_plan import Way


class WeighingWays(Behind):
    """Keeps them of the plan and the turn that were last looked at."""

    changed = Signal()
    _came = Signal(object, int, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.found: dict[Way, WeighedWay] = {}
        self._of: tuple[Plan, int] | None = None
        self._came.connect(self._take)

    def look(self, plan: Plan, index: int) -> None:
        """At the turn to a setup; what is known of it already is not worked out again."""
        if self._of is not None and self._of[0] is plan and self._of[1] == index:
            return
        self._of, self.found = (plan, index), {}
        self._begin_in(0)

    def _begin(self) -> None:
        if self._of is None:
            return
        plan, index = self._of

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.alternatives.ways import weighed_ways  # not wanted before the window stands

            for each in weighed_ways(plan, index, cancelled):
                self._came.emit(plan, index, each)

        self._run(work)

    def _take(self, plan: Plan, index: int, way: WeighedWay) -> None:
        if self._of is not None and self._of[0] is plan and self._of[1] == index:
            self.found[way.offer.way] = way
            self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()
