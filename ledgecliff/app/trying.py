"""Remedies tried in a thread once the findings are known; a button comes only to what cures (``core.remedies``)."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.plan import Plan

from .document import Document
from .workers import Work

if TYPE_CHECKING:
    from ledgecliff.core.remedies.offered import Remedy

#: Nothing is tried before edits pause for so long (ms).
_PAUSE_MS = 150


class Trying(QObject):
    """Tells the document of each finding what mends it, as it becomes known, and when all was tried."""

    failed = Signal(str)
    _came = Signal(object, int, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._work: Work | None = None
        #: Whoever destroys the pool while something of it runs waits for ever: nothing begins after ``stop``.
        self._over = False
        #: The plan that is tried on, or was.
        self._plan: Plan | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._begin)
        self._came.connect(self._take)
        document.plan_changed.connect(self._cancel)
        document.findings_changed.connect(self._again)

    def busy(self) -> bool:
        return self._work is not None or self._soon.isActive()

    def stop(self) -> None:
        """Ends it for good and waits for the end."""
        self._over = True
        self._cancel()
        self._pool.waitForDone()

    def _cancel(self) -> None:
        self._soon.stop()
        self._plan = None
        if self._work is not None:
            self._work.cancel()
            self._work = None

    def _again(self) -> None:
        if not self._over and self._document.beside is not None and self._plan is not self._document.plan:
            self._plan = self._document.plan
            self._soon.start(_PAUSE_MS)

    def _begin(self) -> None:
        plan, found, beside = self._document.plan, self._document.found, self._document.beside
        if plan is None or found is None or beside is None:
            return
        shop = self._document.shop

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            from ledgecliff.core.remedies.offered import remedies_of  # not wanted before the window stands

            def judge(after: Plan) -> tuple[Finding, ...]:
                return found_against(after, beside, cancelled)

            for place, remedy in remedies_of(plan, found, judge, shop, cancelled):
                self._came.emit(plan, place, remedy)

        self._work = Work(work)
        self._work.failed.connect(self.failed)
        self._work.ended.connect(self._ended)
        self._work.start(self._pool)

    def _take(self, plan: Plan, place: int, remedy: Remedy | None) -> None:
        if plan is self._document.plan and self._document.found is not None:
            self._document.set_remedy(self._document.found[place], remedy)

    def _ended(self) -> None:
        if self.sender() is self._work:
            self._work = None
            self._document.end_trying()
