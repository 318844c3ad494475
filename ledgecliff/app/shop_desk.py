"""The shop's library as the window holds it: edited, undone and kept apart from any job."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.shop import Shop
from ledgecliff.core.quantities import Unit
from ledgecliff.store.library import keep_shop

from .document import Document
from .library_reading import LibraryReading


class _ShopEdit(QUndoCommand):
    def __init__(self, desk: ShopDesk, before: Shop, after: Shop, words: str) -> None:
        super().__init__(words)
        self._desk, self._before, self._after = desk, before, after

    def redo(self) -> None:
        self._desk._keep(self._after)

    def undo(self) -> None:
        self._desk._keep(self._before)


class ShopDesk(QObject):
    """Every edit is written at once, since the library belongs to no file that would be saved later."""

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self.undo_stack = QUndoStack(self)
        self.reading = LibraryReading(document)
        self.reading.found.connect(self._found)

    @property
    def unit(self) -> Unit:
        return self._document.unit

    @property
    def subject(self) -> Shop | None:
        return self._document.shop

    def apply(self, words: str, change: Callable[[Shop], Shop]) -> None:
        """Raises InvalidValueError, WriteError, ShopDatabaseError, or ThingChangedError where somebody else has changed
        the same thing, and changes nothing, when it cannot be."""
        shop = self._document.shop
        if shop is None:
            return
        after = change(shop)
        if after != shop:
            self._write(shop, after)  # refuses before anything is pushed
            self.undo_stack.push(_ShopEdit(self, shop, after, words))

    def set_value(self, words: str, path: Path, value: object) -> None:
        self.apply(words, lambda shop: set_value(shop, path, value))

    def _keep(self, shop: Shop) -> None:
        before = self._document.shop
        if before is not None and before != shop:
            self._write(before, shop)
        self._show(shop)

    def _write(self, before: Shop, after: Shop) -> None:
        """Where somebody else was quicker theirs is shown, and the refusal says both."""
        try:
            keep_shop(before, after)
        except LedgecliffError:
            self.look_again()
            raise

    def look_again(self) -> None:
        """What others have changed meanwhile."""
        self.reading.ask()

    def _show(self, shop: Shop) -> None:
        if shop != self._document.shop:
            self._document.shop = shop
            self.changed.emit()

    def _found(self, shop: Shop) -> None:
        """What was undone would be done to another library."""
        if shop != self._document.shop:
            self.undo_stack.clear()
            self._show(shop)
