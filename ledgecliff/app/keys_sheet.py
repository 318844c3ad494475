"""A sheet of all keys, by menu."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLabel, QScrollArea, QWidget

from .actions import ACTIONS, MENUS
from .sheet import Sheet

#: Keys that belong to no command.
_MORE = (
    ("Enter or Space", "press the button that has the focus"),
    ("Tab, Shift+Tab", "route, lenses, fields, findings, tape, and back"),
    ("Up, Down", "walk the tape, a list, or what the finder found"),
    ("Escape", "take back what is being typed; close a sheet, the finder, a notice"),
    ("Menu key", "on a setup's card: copy, add, move, remove"),
)
_COLUMNS = 2


class KeysSheet(Sheet):
    def __init__(self) -> None:
        super().__init__("Keys")
        self.add_head(("close", "Back to the job", "Put this sheet away", self.closed.emit))
        page = QWidget()
        page.setObjectName("paper")
        grid = QGridLayout(page)
        grid.setHorizontalSpacing(18)
        groups = [(menu, [(s.shortcut, s.text) for s in ACTIONS if s.menu == menu and s.shortcut]) for menu in MENUS]
        rows = [0] * _COLUMNS
        for title, keys in (*groups, ("Everywhere", list(_MORE))):
            column = rows.index(min(rows))
            rows[column] = self._group(grid, column, rows[column], title, keys)
        grid.setColumnStretch(2 * _COLUMNS, 1)
        grid.setRowStretch(max(rows), 1)
        area = QScrollArea()
        area.setObjectName("paper")
        area.setWidgetResizable(True)
        area.setWidget(page)
        self.column.addWidget(area, 1)

    @staticmethod
    def _group(grid: QGridLayout, column: int, row: int, title: str, keys: list[tuple[str, str]]) -> int:
        head = QLabel(title)
        head.setProperty("head", True)
        head.setContentsMargins(0, 8, 0, 2)
        grid.addWidget(head, row, 2 * column, 1, 2)
        for more, (key, words) in enumerate(keys, start=1):
            grid.addWidget(QLabel(key.replace("+", " + ")), row + more, 2 * column, Qt.AlignmentFlag.AlignTop)
            grid.addWidget(QLabel(words), row + more, 2 * column + 1)
        return row + len(keys) + 1
