"""The error budget and what else could give setups their places, worked out in a thread while they are looked at."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.plan import Plan

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.core.alternatives.ranked import Alternative
    from ledgecliff.core.budget.budget import Budget
    from ledgecliff.core.budget.drawing_lots import DrawnPair
    from ledgecliff.core.finding import Finding

#: Draws of each pair, enough that an end is known to a hundredth of what lies between both.
_DRAWS = 100_000


class Weighing(Behind):
    """Keeps them of the plan and the setup on the stage."""

    changed = Signal()
    _came = Signal(object, object, object)
    _ranked = Signal(object, object, object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.budget: Budget | None = None
        self.drawn: tuple[DrawnPair, ...] = ()
        self.ranked: tuple[Alternative, ...] = ()
        #: The whole route at once.
        self.routes: tuple[Alternative, ...] = ()
        self._of: tuple[Plan, int | None] | None = None
        self._came.connect(self._take_budget)
        self._ranked.connect(self._take_ranked)

    def look(self) -> None:
        """At what is on the stage now; what is known of it already is not worked out again."""
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None:
            return
        setup = scene.setup
        if self._of is not None and self._of[0] is plan and self._of[1] == setup:
            return
        if self._of is None or self._of[0] is not plan:
            self.budget, self.drawn, self.routes = None, (), ()
        self._of, self.ranked = (plan, setup), ()
        self._begin_in(0)

    def _begin(self) -> None:
        if self._of is None:
            return
        plan, setup = self._of
        known, routed = self.budget is not None, bool(self.routes)

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.alternatives.cheaper import cheaper_keeps  # not wanted before the window stands
            from ledgecliff.core.alternatives.ranked import alternatives
            from ledgecliff.core.alternatives.route import routes
            from ledgecliff.core.budget.budget import budget_of
            from ledgecliff.core.budget.drawing_lots import draw_pairs

            if not known:
                budget = budget_of(plan)
                self._came.emit(plan, budget, ())
                self._came.emit(plan, budget, draw_pairs(budget, _DRAWS, should_stop=cancelled))
            if setup is not None:
                ranked = alternatives(plan, setup, cancelled)
                self._ranked.emit(plan, setup, ranked, tuple(cheaper_keeps(ranked)))
            if not routed:
                ranked = routes(plan, cancelled)
                self._ranked.emit(plan, None, ranked, tuple(cheaper_keeps(ranked)))

        self._run(work)

    def _take_budget(self, plan: Plan, budget: Budget, drawn: tuple[DrawnPair, ...]) -> None:
        if self._of is not None and plan is self._of[0]:
            self.budget, self.drawn = budget, drawn
            self.changed.emit()

    def _take_ranked(
        self, plan: Plan, setup: int | None, ranked: tuple[Alternative, ...], found: tuple[Finding, ...]
    ) -> None:
        if self._of is None or self._of[0] is not plan:
            return
        if setup is None:
            self.routes = ranked
        elif self._of[1] == setup:
            self.ranked = ranked
        known = [each for each in self._document.weighed if each.key not in {of.key for of in found}]
        self._document.set_weighed((*known, *found))
        self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()
