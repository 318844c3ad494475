"""A document of its own beside jobs, as the window holds it: every edit is written at once, and can be undone."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.scheduling.solver import Stopper

from .behind import Behind
from .document import Document


class _Edit(QUndoCommand):
    """Shows what has been written: whatever refuses to be written does so before the stack is moved."""

    def __init__(self, desk: WrittenDesk, before: Any, after: Any, words: str) -> None:
        super().__init__(words)
        self._desk, self.before, self.after = desk, before, after

    def redo(self) -> None:
        self._desk.show(self.after)

    def undo(self) -> None:
        self._desk.show(self.before)


class WrittenDesk(Behind):
    """What was done must outlive the program, and another hand may write into the file meanwhile.

    Who derives from it says how the document is read, written and shown, and what is forgotten with another file.
    It has one base only: Qt's wrappers do not bear a generic one beside it.
    """

    #: The document, or what is known of it, is another one.
    changed = Signal()
    #: Another file.
    opened = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.undo_stack = QUndoStack(self)
        self.path: Path | None = None
        self.held: Any = None
        self._stopper = Stopper()

    def read(self, path: Path) -> Any:
        raise NotImplementedError

    def write(self, held: Any, path: Path) -> None:
        raise NotImplementedError

    def show(self, held: Any) -> None:
        self.held = held

    def forget(self) -> None:
        """What is known of the document so far."""

    def take_up(self, path: Path) -> None:
        """Another file.  Raises InvalidValueError, and leaves all as it is, where it cannot be read."""
        held = self.read(path)
        self._cancel()
        self.undo_stack.clear()
        self.path = path
        self.forget()
        self.show(held)
        self.opened.emit(path)
        self.changed.emit()

    def look_again(self) -> None:
        """All is read anew, and what is looked for behind the window is looked for once more."""
        self.forget()
        self.take_up(self.named_path())

    def enough(self) -> None:
        """The best that is found by now is taken."""
        self._stopper.stop()

    def _cancel(self) -> None:
        self._stopper.stop()
        super()._cancel()

    def named_path(self) -> Path:
        if self.path is None:
            raise InvalidValueError("file", "none is open; open one, or begin one")
        return self.path

    def apply(self, words: str, change: Callable[[Any], Any]) -> None:
        """Raises LedgecliffError, and changes nothing, where it cannot be."""
        held = self.as_written()
        after = change(held)
        if after != held:
            self.write(after, self.named_path())
            self.undo_stack.push(_Edit(self, held, after, words))
            self.changed.emit()  # only now does the stack have it

    def undo(self) -> None:
        """Raises LedgecliffError, and leaves all as it is, where it cannot be written."""
        self.as_written()
        edit = self.undo_stack.command(self.undo_stack.index() - 1)
        if isinstance(edit, _Edit):
            self.write(edit.before, self.named_path())
            self.undo_stack.undo()
            self.changed.emit()

    def redo(self) -> None:
        """Raises LedgecliffError, and leaves all as it is, where it cannot be written."""
        self.as_written()
        edit = self.undo_stack.command(self.undo_stack.index())
        if isinstance(edit, _Edit):
            self.write(edit.after, self.named_path())
            self.undo_stack.redo()
            self.changed.emit()

    def as_written(self) -> Any:
        """The document, which the file must still say: another hand may have changed it.  Raises InvalidValueError
        where it does not, and reads it anew."""
        path = self.named_path()
        assert self.held is not None, "open with its path"
        if self.read(path) != self.held:
            self.take_up(path)
            raise InvalidValueError(path.name, "has been changed from elsewhere and is read anew; do it once more")
        return self.held
