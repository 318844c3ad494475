"""Features against the six directions, as a table."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal

from ledgecliff.core.model.orientation import DIRECTIONS, shown
from ledgecliff.core.sides.from_where import SideRow

from ..flat_table import FlatRows, FlatTable

#: It is never higher than this (pixels): the orders stand below it.
_HEIGHT = 190


class SideTable(FlatTable):
    #: A feature, by its name.
    picked = Signal(str)

    def __init__(self, rows: tuple[SideRow, ...]) -> None:
        super().__init__(_HEIGHT)
        self.setAccessibleName("From which side each feature can be cut")
        texts = [((row.name, *row.marks), row.words) for row in rows]
        self.show_rows(FlatRows(("", *map(shown, DIRECTIONS)), texts, Qt.AlignmentFlag.AlignCenter, self))
        self.selectionModel().currentRowChanged.connect(lambda now, _before: self.picked.emit(rows[now.row()].name))
