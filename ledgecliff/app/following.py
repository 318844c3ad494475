"""What follows a plan without holding up typing: what is found against it, and the pictures of its route.

Stage and tape show a new plan at once.  The rest is worked out in a thread on the same immutable plan: the picture of
the scene on the stage, the findings, then the other pictures, those nearest to that scene first.  A newer plan makes
an end of it between two rules or pictures, and whatever of an older one still arrives is dropped.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QElapsedTimer, QObject, QThreadPool, QTimer, Signal

from ledgecliff.core.drawing.pictures import Picture, scene_picture
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.route import scenes_of

from .document import Document
from .workers import Work

#: Edits that come faster than this are of a held key or a drag (ms)...
_HELD_MS = 150
#: ...and nothing is begun before they pause for so long (ms): it would be dropped, and slow them down.
_PAUSE_MS = 70


class Following(QObject):
    """Tells the document what was found; ``picture_came`` brings a scene's index and its picture."""

    picture_came = Signal(int, object)
    failed = Signal(str)
    _found = Signal(object, object)
    _drawn = Signal(object, int, object)

    def __init__(self, document: Document, width: int, height: int) -> None:
        super().__init__(document)
        self._document, self._size = document, (width, height)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._work: Work | None = None
        self._since = QElapsedTimer()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._begin)
        self._found.connect(self._take_findings)
        self._drawn.connect(self._take_picture)
        document.plan_changed.connect(self._again)

    def busy(self) -> bool:
        """Something about the plan that is shown is still to come."""
        return self._work is not None or self._soon.isActive()

    def stop(self) -> None:
        """Ends it and waits for the end."""
        self._cancel()
        self._soon.stop()
        self._pool.waitForDone()

    def _cancel(self) -> None:
        if self._work is not None:
            self._work.cancel()
            self._work = None

    def _again(self) -> None:
        self._cancel()
        held = self._since.isValid() and self._since.elapsed() < _HELD_MS
        self._since.start()
        self._soon.start(_PAUSE_MS if held else 0)

    def _begin(self) -> None:
        plan = self._document.plan
        if plan is None:
            return
        here = self._document.scene_index

        def follow(_progress: object, cancelled: Callable[[], bool]) -> None:
            near_first = sorted(range(len(scenes_of(plan))), key=lambda index: abs(index - here))
            self._draw(plan, near_first[0])
            self._found.emit(plan, findings_of(plan, cancelled))
            for index in near_first[1:]:
                if cancelled():
                    return
                self._draw(plan, index)

        work = Work(follow)
        self._work = work
        work.failed.connect(self.failed)
        work.ended.connect(self._ended)
        work.start(self._pool)

    def _draw(self, plan: Plan, index: int) -> None:
        """In the thread."""
        self._drawn.emit(plan, index, scene_picture(plan, scenes_of(plan)[index], *self._size))

    def _take_findings(self, plan: Plan, findings: tuple[Finding, ...]) -> None:
        if plan is self._document.plan:
            self._document.set_findings(findings)

    def _take_picture(self, plan: Plan, index: int, picture: Picture | None) -> None:
        if plan is self._document.plan:
            self.picture_came.emit(index, picture)

    def _ended(self) -> None:
        if self.sender() is self._work:
            self._work = None
