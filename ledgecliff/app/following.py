"""What follows a plan without holding up typing: what is found against it, and the pictures of its route.

Stage and tape show a new plan at once.  The rest is worked out in a thread on the same immutable plan: the picture of
the scene on the stage, the findings (those that wait for programs to be read come after the others), then the other
pictures, those nearest to that scene first.  A newer plan makes an end of it between two rules or pictures, and what
still arrives of an older one is dropped.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QElapsedTimer, Signal

from ledgecliff.core.drawing.pictures import Picture, scene_picture
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import Beside, found_against
from ledgecliff.core.plan import Plan
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.release.seals import Seal, seals_of
from ledgecliff.core.route import scenes_of
from ledgecliff.store.beside_job import BesideJob

from .behind import Behind
from .document import Document

#: Edits that come faster than this are of a held key or a drag (ms)...
_HELD_MS = 150
#: ...and nothing is begun before they pause for so long (ms): it would be dropped, and slow them down.
_PAUSE_MS = 70


class Following(Behind):
    """Tells the document what was found; ``picture_came`` brings a scene's index and its picture."""

    picture_came = Signal(int, object)
    _found = Signal(object, object, object, object)
    _drawn = Signal(object, int, object)

    def __init__(self, document: Document, width: int, height: int) -> None:
        super().__init__(document)
        self._size = (width, height)
        self._beside = BesideJob()
        self._since = QElapsedTimer()
        self._found.connect(self._take_findings)
        self._drawn.connect(self._take_picture)
        document.plan_changed.connect(self._again)

    def _again(self) -> None:
        held = self._since.isValid() and self._since.elapsed() < _HELD_MS
        self._since.start()
        self._begin_in(_PAUSE_MS if held else 0)

    def look_beside_again(self) -> None:
        """The register, or a program beside the job, is another one now."""
        self._beside.forget_register()
        self._again()

    def _begin(self) -> None:
        plan = self._document.plan
        if plan is None:
            return
        here = self._document.scene_index
        folder = self._document.path.parent if self._document.path is not None else None

        def follow(_progress: object, cancelled: Callable[[], bool]) -> None:
            near_first = sorted(range(len(scenes_of(plan))), key=lambda index: abs(index - here))
            self._draw(plan, near_first[0])
            if not self._beside.knows(plan, folder):
                self._found.emit(plan, found_against(plan, cancelled=cancelled), None, ())
            beside = self._beside.read(plan, folder, cancelled=cancelled)
            found = found_against(plan, beside, cancelled)
            self._found.emit(plan, found, beside, seals_of(plan.job, found, self._history(plan)))
            for index in near_first[1:]:
                if cancelled():
                    return
                self._draw(plan, index)

        self._run(follow)

    def _draw(self, plan: Plan, index: int) -> None:
        """In the thread."""
        self._drawn.emit(plan, index, scene_picture(plan, scenes_of(plan)[index], *self._size))

    def _history(self, plan: Plan) -> tuple[RecordEntry, ...]:
        """Where the record is away nothing is known of it, which is told among the findings."""
        try:
            return self._beside.history(plan.job)
        except LedgecliffError:
            return ()

    def _take_findings(
        self, plan: Plan, findings: tuple[Finding, ...], beside: Beside | None, seals: tuple[Seal, ...]
    ) -> None:
        if plan is self._document.plan:
            self._document.set_findings(findings, beside, seals)

    def _take_picture(self, plan: Plan, index: int, picture: Picture | None) -> None:
        if plan is self._document.plan:
            self.picture_came.emit(index, picture)
