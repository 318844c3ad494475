"""How far pairs come to be off in rehearsals of many true worlds, beside the budget, worked out in a thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.plan import Plan

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.core.frames import Array
    from ledgecliff.core.rehearsal.spread import Spread

#: So many worlds are rehearsed, and the budget is drawn so often.
WORLDS = 40
_DRAWS = 50_000


class WeighingWorlds(Behind):
    """Keeps them of the plan that they were asked for."""

    changed = Signal()
    #: Worlds that are done, and all of them.
    progress = Signal(int, int)
    _came = Signal(object, object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.spread: Spread | None = None
        self.drawn: tuple[Array, ...] = ()
        self._of: Plan | None = None
        self._came.connect(self._take)

    def drop_for(self, plan: Plan | None) -> None:
        """What was rehearsed of another plan counts no more."""
        if plan is not self._of:
            self._cancel()
            self.spread, self.drawn, self._of = None, (), plan

    def ask(self) -> None:
        self.drop_for(self._document.plan)
        if self.spread is None:
            self._begin_in(0)

    def give_up(self) -> None:
        self._cancel()
        self.changed.emit()

    def _begin(self) -> None:
        plan = self._of
        if plan is None:
            return

        def work(progress: Callable[[int, int], None], cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.budget.budget import budget_rehearsed  # not wanted before the window stands
            from ledgecliff.core.budget.drawing_lots import draw_along
            from ledgecliff.core.rehearsal.rehearse import written_plan
            from ledgecliff.core.rehearsal.spread import spread_over

            budget = budget_rehearsed(plan)
            spread = spread_over(written_plan(plan), budget, range(1, WORLDS + 1), progress, cancelled)
            along = draw_along(budget, _DRAWS, should_stop=cancelled)
            kept = {pair.budget.asked.key for pair in spread.pairs}
            drawn = tuple(each for pair, each in zip(budget.pairs, along, strict=True) if pair.asked.key in kept)
            self._came.emit(plan, spread, drawn)

        self._run(work)
        if self._work is not None:
            self._work.progress.connect(self.progress)

    def _take(self, plan: Plan, spread: Spread, drawn: tuple[Array, ...]) -> None:
        if plan is self._of:
            self.spread, self.drawn = spread, drawn
            self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()
