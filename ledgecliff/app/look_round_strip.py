"""The look round in a strip under the route: what to do next, shown on request, left and found again at will."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ledgecliff.core.look_round import STATIONS, Seen, station_after

from .document import Document


class LookRoundStrip(QWidget):
    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document, self.station = document, 0
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 10, 6)
        self.count, self.words = QLabel(), QLabel()
        self.count.setProperty("head", True)
        self.words.setWordWrap(True)
        self.show_me, self.leave = QPushButton("Show me"), QPushButton("Leave")
        self.show_me.setToolTip("Bring the place of it to the stage")
        self.leave.setToolTip("Put the look round away; Help → Look round goes on with it")
        self.show_me.clicked.connect(self.go_there)
        self.leave.clicked.connect(self.hide)
        row.addWidget(self.count)
        row.addWidget(self.words, 1)
        row.addWidget(self.show_me)
        row.addWidget(self.leave)
        self.hide()
        for signal in (document.findings_changed, document.rehearsal_changed, document.scene_changed):
            signal.connect(self.refresh)
        document.opened.connect(self.hide)

    def begin(self) -> None:
        self.station = 0
        self.go_on()

    def go_on(self) -> None:
        """Where it was left; from the beginning once all of it was done."""
        if self.station == len(STATIONS) - 1:
            self.station = 0
        self.show()
        self.refresh()

    def go_there(self) -> None:
        there = STATIONS[self.station]
        self._document.show_scene(there.scene)
        self._document.show_lens(there.lens)

    def refresh(self) -> None:
        document = self._document
        if self.isHidden() or document.job is None:
            return
        seen = Seen(document.job, document.findings, document.rehearsal, document.lens)
        self.station = station_after(self.station, seen)
        self.count.setText(f"{self.station + 1} of {len(STATIONS)}")
        self.words.setText(STATIONS[self.station].words)
        self.leave.setText("Done" if self.station == len(STATIONS) - 1 else "Leave")
