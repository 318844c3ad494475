"""Pictures of an entry, shown small in a row; whole in whatever shows pictures on this desktop, by a click."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QSize, Qt, QUrl, Signal
from PySide6.QtGui import QDesktopServices, QIcon, QPixmap
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from ledgecliff.store.pictures import fetch_picture
from ledgecliff.store.register_place import register_place

from .behind import Behind
from .document import Document

_SMALL = QSize(150, 110)


class PictureReading(Behind):
    """Fetched from the shop's database where they are not here yet."""

    found = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._asked: tuple[str, ...] = ()

    def ask(self, checksums: Sequence[str]) -> None:
        self._asked = tuple(checksums)
        self._begin_in(0)

    def _begin(self) -> None:
        asked, place = self._asked, register_place()

        def work(_progress: object, _cancelled: object) -> None:
            self.found.emit({sha: fetch_picture(place, sha) for sha in asked})

        self._run(work)


class PictureRow(QWidget):
    def __init__(self, document: Document) -> None:
        super().__init__()
        self.reading = PictureReading(document)
        self.reading.found.connect(self._show)
        self._wanted: tuple[str, ...] = ()
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self.buttons: list[QPushButton] = []
        self.hide()

    def show_pictures(self, checksums: Sequence[str]) -> None:
        if tuple(checksums) == self._wanted:
            return
        self._wanted = tuple(checksums)
        self._clear()
        self.setVisible(bool(checksums))
        if checksums:
            self.reading.ask(checksums)

    def _clear(self) -> None:
        for button in self.buttons:
            self._row.removeWidget(button)
            button.hide()
            button.deleteLater()
        self.buttons = []

    def _show(self, found: dict[str, Path | None]) -> None:
        if tuple(found) != self._wanted:
            return
        self._clear()
        for path in found.values():
            self._row.addWidget(self._button(path))
        self._row.addStretch(1)

    def _button(self, path: Path | None) -> QPushButton:
        button = QPushButton()
        self.buttons.append(button)
        picture = QPixmap() if path is None else QPixmap(str(path))
        if path is None or picture.isNull():
            button.setText("a picture that is not here")
            button.setEnabled(False)
            return button
        small = picture.scaled(
            _SMALL, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )  # fmt: skip
        button.setIcon(QIcon(small))
        button.setIconSize(small.size())
        button.setToolTip("Show it whole")
        button.setAccessibleName("Picture of this entry")
        button.clicked.connect(lambda: QDesktopServices.openUrl(QUrl.fromLocalFile(str(path))))
        return button
