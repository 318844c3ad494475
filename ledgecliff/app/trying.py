"""Remedies tried in a thread once the findings are known; a button comes only to what cures (``core.remedies``)."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.plan import Plan

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.core.remedies.offered import Remedy

#: Nothing is tried before edits pause for so long (ms).
_PAUSE_MS = 150


class Trying(Behind):
    """Tells the document of each finding what mends it, as it becomes known, and when all was tried."""

    _came = Signal(object, int, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        #: The plan that is tried on, or was.
        self._plan: Plan | None = None
        self._came.connect(self._take)
        document.plan_changed.connect(self._drop)
        document.findings_changed.connect(self._again)

    def _drop(self) -> None:
        self._cancel()
        self._plan = None

    def _again(self) -> None:
        if self._document.beside is not None and self._plan is not self._document.plan:
            self._plan = self._document.plan
            self._begin_in(_PAUSE_MS)

    def _begin(self) -> None:
        plan, found, beside = self._document.plan, self._document.found, self._document.beside
        if plan is None or found is None or beside is None:
            return
        shop = self._document.shop

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.remedies.offered import remedies_of  # not wanted before the window stands

            judge = partial(found_against, beside=beside, cancelled=cancelled)
            for place, remedy in remedies_of(plan, found, judge, shop, cancelled):
                self._came.emit(plan, place, remedy)

        self._run(work)

    def _take(self, plan: Plan, place: int, remedy: Remedy | None) -> None:
        if plan is self._document.plan and self._document.found is not None:
            self._document.set_remedy(self._document.found[place], remedy)

    def _all_done(self) -> None:
        self._document.end_trying()
