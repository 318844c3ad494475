"""A name edited where it stands: a line over it, taken with Enter and left with Escape."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit, QWidget

from ledgecliff.core.errors import LedgecliffError

from .document import Document

#: It is at least this wide and high (pixels).
_WIDTH, _HEIGHT = 150, 24


class InPlace(QLineEdit):
    """``take`` gets what was typed; what it refuses is handed to ``refuse``, and the line stays as it is."""

    def __init__(
        self, over: QWidget, at: QRect, text: str, what: str, take: Callable[[str], None], refuse: Callable[[str], None]
    ) -> None:
        super().__init__(text, over.window())
        self._take, self._refuse, self._before = take, refuse, text
        self._over = False
        self.setAccessibleName(what)
        self.setAlignment(Qt.AlignmentFlag.AlignHCenter)
        area = QRect(over.mapTo(over.window(), at.topLeft()), at.size())
        area = QRect(0, 0, max(area.width(), _WIDTH), max(area.height(), _HEIGHT)).translated(area.topLeft())
        self.setGeometry(area.translated(min(0, over.window().width() - area.right() - 8), 0))
        self.selectAll()
        self.show()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        match event.key():
            case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                if self._try():
                    self._close()
            case Qt.Key.Key_Escape:
                self._close()
            case _:
                super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Looking elsewhere takes what was typed, as a field does."""
        super().focusOutEvent(event)
        if not self._over and self._try():
            self._close()

    def _try(self) -> bool:
        if self.text() == self._before:
            return True
        try:
            self._take(self.text())
        except LedgecliffError as error:
            self._refuse(str(error))
            return False
        return True

    def _close(self) -> None:
        if not self._over:
            self._over = True
            self.hide()
            self.deleteLater()


def edit_title(document: Document, over: QWidget, refuse: Callable[[str], None]) -> InPlace | None:
    """The job's title, over the widget that shows it; None while no job is open."""
    job = document.job
    if job is None:
        return None
    return InPlace(
        over, over.rect(), job.title, "Title", lambda text: document.set_value("title", ("title",), text), refuse
    )


def edit_setup_name(
    document: Document, setup: int, over: QWidget, at: QRect, refuse: Callable[[str], None]
) -> InPlace | None:
    """The name of a setup, over the part ``at`` of its card."""
    job = document.job
    if job is None:
        return None
    return InPlace(
        over, at, job.setups[setup].name, "Name of the setup",
        lambda text: document.set_value("name", ("setups", setup, "name"), text), refuse,
    )  # fmt: skip
