"""Work about the plan in a thread behind the window: one at a time, begun once edits pause, dropped for a newer one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThreadPool, QTimer, Signal

from .document import Document
from .workers import Work


class Behind(QObject):
    """Who derives from it says in ``_begin`` what is done, by ``_run``."""

    failed = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._work: Work | None = None
        #: Whoever destroys the pool while something of it runs waits for ever: nothing begins after ``stop``.
        self._over = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._begin)

    def busy(self) -> bool:
        """Something is still to come."""
        return self._work is not None or self._soon.isActive()

    def stop(self) -> None:
        """Ends it for good and waits for the end."""
        self._over = True
        self._cancel()
        self._pool.waitForDone()

    def _cancel(self) -> None:
        self._soon.stop()
        if self._work is not None:
            self._work.cancel()
            self._work = None

    def _begin_in(self, pause_ms: int) -> None:
        """What runs is dropped now; the next begins after a pause."""
        self._cancel()
        if not self._over:
            self._soon.start(pause_ms)

    def _begin(self) -> None:
        raise NotImplementedError

    def _run(self, function: Callable[[Callable[[int, int], None], Callable[[], bool]], Any]) -> None:
        self._work = work = Work(function)
        work.failed.connect(self.failed)
        work.ended.connect(self._ended)
        work.start(self._pool)

    def _ended(self) -> None:
        if self.sender() is self._work:
            self._work = None
            self._all_done()

    def _all_done(self) -> None:
        """The newest work came to its end."""
