"""What all sheets share that lie over the stage until they are put away."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QWidget


class Sheet(QWidget):
    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)

    def open(self) -> None:
        """It comes over the stage."""
        self.refresh()

    def refresh(self) -> None:
        """Job, unit or rehearsal are others while it lies there."""

    def put_away(self) -> None:
        """The stage is wanted again."""
