"""The open job and everything the window shows about it: one object that all views listen to.

An edit is a new job pushed through ``apply``; undo and redo walk the same way.  Views change
nothing but this object, and this object computes nothing but asks the core.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from ledgecliff.core.edits import Path as FieldPath
from ledgecliff.core.edits import set_value
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, Scene, make_plan
from ledgecliff.core.quantities import Unit
from ledgecliff.core.simulator.rehearsal import Rehearsal
from ledgecliff.core.solids.geometry import Models


class _Edit(QUndoCommand):
    """From one job to another; both are whole and immutable, so either way is just showing it."""

    def __init__(self, document: Document, before: Job, after: Job, words: str) -> None:
        super().__init__(words)
        self._document, self._before, self._after = document, before, after

    def redo(self) -> None:
        self._document._show(self._after)

    def undo(self) -> None:
        self._document._show(self._before)


class Document(QObject):
    #: Another plan: after an edit, undo, redo, or opening a job.
    plan_changed = Signal()
    #: Another scene or lens on the stage.
    scene_changed = Signal()
    #: Another thing is picked: a source key of drawing and tape.
    picked_changed = Signal(str)
    unit_changed = Signal()
    rehearsal_changed = Signal()
    #: Title, path or unsaved state.
    file_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self.file_changed)
        self.plan: Plan | None = None
        self.path: Path | None = None
        self.scene_index = 0
        self.lens = "hold"
        self.picked = ""
        self.unit: Unit = "mm"
        self.rehearsal: Rehearsal | None = None
        self._recovered = False

    # --- the job --------------------------------------------------------------------------

    @property
    def job(self) -> Job | None:
        return self.plan.job if self.plan else None

    @property
    def scene(self) -> Scene | None:
        return self.plan.scenes[self.scene_index] if self.plan else None

    def open(self, job: Job, models: Models, path: Path | None, *, recovered: bool = False) -> None:
        """Another job; ``recovered`` marks one that differs from what ``path`` holds."""
        self.plan = make_plan(job, models)
        self.path, self._recovered = path, recovered
        self.scene_index, self.picked = 1, ""
        self.lens = "hold"
        self._drop_rehearsal()
        self.undo_stack.clear()
        self.file_changed.emit()
        self.plan_changed.emit()
        self.scene_changed.emit()

    def apply(self, words: str, change: Callable[[Job], Job]) -> None:
        """The one way to edit.  Raises InvalidValueError and changes nothing when it cannot be."""
        if self.plan is None:
            return
        after = change(self.plan.job)
        make_plan(after, self.plan.models)  # refuses before anything is pushed
        if after != self.plan.job:
            self.undo_stack.push(_Edit(self, self.plan.job, after, words))

    def set_value(self, words: str, path: FieldPath, value: object) -> None:
        self.apply(words, lambda job: set_value(job, path, value))

    def _show(self, job: Job) -> None:
        assert self.plan is not None, "edits exist only once a job is open"
        self.plan = make_plan(job, self.plan.models)
        self.scene_index = min(self.scene_index, len(self.plan.scenes) - 1)
        self._drop_rehearsal()
        self.plan_changed.emit()
        self.file_changed.emit()

    # --- file state -----------------------------------------------------------------------

    @property
    def unsaved(self) -> bool:
        return self.plan is not None and (self._recovered or not self.undo_stack.isClean())

    def saved_as(self, job: Job, path: Path) -> None:
        """The job stands in ``path`` now; ``job`` may differ in where its model lies."""
        if self.plan is not None and job != self.plan.job:
            self.plan = make_plan(job, self.plan.models)
            self.undo_stack.clear()
        self.path, self._recovered = path, False
        self.undo_stack.setClean()
        self.file_changed.emit()

    # --- what is shown --------------------------------------------------------------------

    def show_scene(self, index: int) -> None:
        if self.plan is None or not 0 <= index < len(self.plan.scenes) or index == self.scene_index:
            return
        self.scene_index = index
        self.pick("")
        self.scene_changed.emit()

    def show_lens(self, lens: str) -> None:
        if lens != self.lens:
            self.lens = lens
            self.pick("")
            self.scene_changed.emit()

    def pick(self, source: str) -> None:
        if source != self.picked:
            self.picked = source
            self.picked_changed.emit(source)

    def show_unit(self, unit: Unit) -> None:
        if unit != self.unit:
            self.unit = unit
            self.unit_changed.emit()

    def set_rehearsal(self, rehearsal: Rehearsal | None) -> None:
        self.rehearsal = rehearsal
        self.rehearsal_changed.emit()

    def _drop_rehearsal(self) -> None:
        """What was rehearsed belongs to the plan it was run for."""
        if self.rehearsal is not None:
            self.set_rehearsal(None)
