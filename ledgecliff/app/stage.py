"""The stage: the picked scene through the picked lens, drawing beside panel."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.quantities import spell

from .actions import ACTIONS
from .canvas import Canvas
from .document import LENSES, Document
from .lenses.base import LensPanel
from .lenses.cut import CutPanel
from .lenses.hold import HoldPanel
from .lenses.part import PartPanel
from .lenses.plain import DatumPanel, FinishedPanel, ProbePanel, TurnPanel
from .lenses.rehearse import RehearsePanel
from .lenses.release import ReleasePanel
from .lenses.sides import SidesPanel
from .lenses.stock import StockPanel
from .lenses.table import TableLens
from .theme import Theme

#: The words on the lenses' tabs, in the order of the work.
LENS_WORDS = {
    "part": "Part",
    "stock": "Stock",
    "sides": "Sides",
    "hold": "Hold",
    "cut": "Cut",
    "datum": "Datum",
    "probe": "Probe",
    "table": "Table",
    "rehearse": "Rehearse",
    "release": "Release",
}


class Stage(QWidget):
    picked = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.canvas = Canvas(theme)
        self.canvas.picked.connect(self.picked)
        self.rehearse_panel = RehearsePanel(document)
        self.release_panel = ReleasePanel(document)
        self.sides_panel = SidesPanel(document)
        self.panels: dict[str, LensPanel] = {
            "part": PartPanel(document),
            "stock": StockPanel(document),
            "sides": self.sides_panel,
            "turn": TurnPanel(document),
            "finished": FinishedPanel(document),
            "hold": HoldPanel(document),
            "cut": CutPanel(document),
            "datum": DatumPanel(document),
            "probe": ProbePanel(document),
            "rehearse": self.rehearse_panel,
            "release": self.release_panel,
        }
        self.table = TableLens(document)
        self.table.picked.connect(self.picked)
        self._panel_stack = QStackedWidget()
        for panel in self.panels.values():
            self._panel_stack.addWidget(panel)
        self._board = QSplitter(Qt.Orientation.Horizontal)
        self.program = QPlainTextEdit()
        self.program.setObjectName("program")
        self.program.setReadOnly(True)
        self.program.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.program.setAccessibleName("Program text")
        self._sheet = QStackedWidget()
        self._sheet.addWidget(self.canvas)
        self._sheet.addWidget(self.program)
        self._board.addWidget(self._sheet)
        self._board.addWidget(self._panel_stack)
        self._board.setStretchFactor(0, 1)
        self._board.setStretchFactor(1, 0)
        self._board.setChildrenCollapsible(False)
        self._empty = self._first_words()
        self._pages = QStackedWidget()
        for page in (self._empty, self._board, self.table):
            self._pages.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._tab_bar())
        column.addWidget(self._pages, 1)
        self.rehearse_panel.ball_moved.connect(self._show_ball)
        self.release_panel.kind_changed.connect(self._show_program)
        document.plan_changed.connect(self.refresh)
        document.scene_changed.connect(self.refresh)
        document.unit_changed.connect(self.refresh)
        document.rehearsal_changed.connect(self.refresh)
        document.picked_changed.connect(self._show_picked)

    def _tab_bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("desk")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(10, 4, 12, 0)
        row.setSpacing(2)
        self.tabs: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for lens, words in LENS_WORDS.items():
            tab = QPushButton(words)
            tab.setCheckable(True)
            tab.setProperty("tab", True)
            shortcut = next((spec.shortcut for spec in ACTIONS if spec.id == lens), "")
            tab.setToolTip(f"{words} ({shortcut})" if shortcut else words)
            tab.clicked.connect(lambda _checked=False, lens=lens: self._document.show_lens(lens))
            group.addButton(tab)
            self.tabs[lens] = tab
            row.addWidget(tab)
        row.addStretch(1)
        self.caption = QLabel()
        self.caption.setTextFormat(Qt.TextFormat.PlainText)
        self.caption.setProperty("quiet", True)
        row.addWidget(self.caption)
        return bar

    def _first_words(self) -> QWidget:
        page = QWidget()
        page.setObjectName("paper")
        page.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(page)
        words = QLabel(
            "Nothing is on the stage yet.\n\n"
            "Open a job with Ctrl+O, drop a job file here, or open the demo from the Job menu."
        )
        words.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(words)
        return page

    # --- what is shown --------------------------------------------------------------------

    def panel_key(self) -> str:
        """The panel that belongs to scene and lens."""
        scene = self._document.scene
        lens = self._document.lens
        return "finished" if scene is None else lens if lens in self.panels else scene.kind

    def refresh(self) -> None:
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None:
            self._pages.setCurrentWidget(self._empty)
            return
        lenses = LENSES.get(scene.kind, ("table",))
        for lens, tab in self.tabs.items():
            tab.setVisible(lens in lenses)
            tab.setChecked(lens == self._document.lens)
        words = (scene.title, spell(scene.caption, self._document.unit), scene.detail)
        self.caption.setText(" · ".join(part for part in words if part))
        if self._document.lens == "table":
            self.table.refresh()
            self._pages.setCurrentWidget(self.table)
            return
        self._pages.setCurrentWidget(self._board)
        panel = self.panels[self.panel_key()]
        panel.refresh()
        self._panel_stack.setCurrentWidget(panel)
        if panel is self.release_panel:
            self._show_program()
            return
        self._sheet.setCurrentWidget(self.canvas)
        self.canvas.unit = self._document.unit
        self.canvas.show_drawings(
            scene_views(plan, scene, self._document.lens, self._document.operation, self._document.picked)
        )

    def _show_program(self) -> None:
        text = self.release_panel.program_text()
        if text != self.program.toPlainText():
            self.program.setPlainText(text)
        self._sheet.setCurrentWidget(self.program)

    def _show_picked(self, source: str) -> None:
        self.canvas.picked_source = source
        if self._document.lens == "part":
            self.refresh()  # the list, the fields and the drawing all follow what is picked
        self.canvas.update()

    def _show_ball(self, moment: object) -> None:
        job = self._document.job
        if moment is None or job is None:
            self.canvas.hide_ball()
            return
        x, y, z = moment.w_ball  # type: ignore[attr-defined]
        self.canvas.show_ball((x, y), (x, z), job.machine.probe.ball_radius)

    def set_theme(self, theme: Theme) -> None:
        self.canvas.theme = theme
        self.canvas.update()
