"""The shop's library as the window holds it: edited, undone and kept apart from any job."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.model.shop import Shop
from ledgecliff.core.quantities import Unit
from ledgecliff.store.shop import write_shop

from .document import Document


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

    @property
    def unit(self) -> Unit:
        return self._document.unit

    @property
    def subject(self) -> Shop | None:
        return self._document.shop

    def apply(self, words: str, change: Callable[[Shop], Shop]) -> None:
        """Raises InvalidValueError or WriteError, and changes nothing, when it cannot be."""
        shop = self._document.shop
        if shop is None:
            return
        after = change(shop)
        if after != shop:
            write_shop(after)  # refuses before anything is pushed
            self.undo_stack.push(_ShopEdit(self, shop, after, words))

    def set_value(self, words: str, path: Path, value: object) -> None:
        self.apply(words, lambda shop: set_value(shop, path, value))

    def _keep(self, shop: Shop) -> None:
        write_shop(shop)
        self._document.shop = shop
        self.changed.emit()
