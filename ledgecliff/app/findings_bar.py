"""Findings: the worst one in a line at the bottom, with its remedy as a button; the rest on demand."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.finding import Finding
from ledgecliff.core.quantities import Unit, spell

from .theme import SEVERITY_MARKS, Theme, font, plain_tip

#: The open list never takes more than this from the stage (pixels).
_LIST_HEIGHT = 190
_MORE_WIDTH = 104


def _empty(layout: QLayout) -> None:
    """Takes everything out; hidden at once, since deleting waits for the next event."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()


class FindingRow(QWidget):
    """One finding: mark, fact with its cost, remedy, and the button that applies it."""

    fix_wanted = Signal(object)
    setup_wanted = Signal(str)

    def __init__(self, finding: Finding, theme: Theme, unit: Unit, *, large: bool) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 6, 10, 6)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        mark = QLabel(f"{SEVERITY_MARKS[finding.severity]} {finding.severity}")
        mark.setFont(font(13, bold=True))
        mark.setStyleSheet(f"color: {theme.severity(finding.severity).name()}")
        grid.addWidget(mark, 0, 0, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        message = QLabel(finding.message(unit))
        message.setTextFormat(Qt.TextFormat.PlainText)
        message.setWordWrap(True)
        message.setFont(font(13, bold=large))
        remedy = QLabel(finding.remedy(unit))
        remedy.setTextFormat(Qt.TextFormat.PlainText)
        remedy.setWordWrap(True)
        remedy.setProperty("quiet", True)
        grid.addWidget(message, 0, 1)
        grid.addWidget(remedy, 1, 1)
        grid.setColumnStretch(1, 1)
        self.setToolTip(finding.code)
        self.setAccessibleName(f"{finding.severity}: {finding.message(unit)} {finding.remedy(unit)}")
        self.fix_button: QPushButton | None = None
        if finding.setup:
            go = QPushButton("Show")
            go.setProperty("flat", True)
            go.setToolTip(plain_tip(f"Bring {finding.setup} to the stage"))
            go.clicked.connect(lambda: self.setup_wanted.emit(finding.setup))
            grid.addWidget(go, 0, 2, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        if finding.fix is not None:
            self.fix_button = QPushButton(spell(finding.fix.label, unit))
            self.fix_button.setToolTip("Change the plan this way; it can be undone")
            self.fix_button.clicked.connect(lambda: self.fix_wanted.emit(finding.fix))
            grid.addWidget(self.fix_button, 0, 3, 2, 1, Qt.AlignmentFlag.AlignVCenter)


class FindingsBar(QWidget):
    fix_wanted = Signal(object)
    setup_wanted = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.theme = theme
        self.unit: Unit = "mm"
        self.findings: tuple[Finding, ...] = ()
        #: What is shown is of an older plan: nothing of it may be pressed.
        self.checking = False
        self._list = QWidget()
        self._list.setObjectName("panel")
        self._rows = QVBoxLayout(self._list)
        self._rows.setContentsMargins(0, 0, 0, 0)
        self._rows.setSpacing(0)
        self.list_area = QScrollArea()
        self.list_area.setObjectName("paper")
        self.list_area.setFrameShape(QFrame.Shape.NoFrame)
        self.list_area.setWidgetResizable(True)
        self.list_area.setWidget(self._list)
        self.list_area.hide()
        self._worst = QWidget()
        line = QHBoxLayout(self._worst)
        line.setContentsMargins(0, 0, 8, 0)
        self._worst_row = QHBoxLayout()
        self.more = QPushButton()
        self.more.setProperty("flat", True)
        # Wide enough for all that it says, so that nothing moves while it is being checked.
        self.more.setMinimumWidth(_MORE_WIDTH)
        self.more.setToolTip("All findings (Ctrl+F)")
        self.more.clicked.connect(self.toggle_list)
        line.addLayout(self._worst_row, 1)
        line.addWidget(self.more)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.list_area)
        column.addWidget(self._worst)
        self.setMinimumHeight(54)

    def toggle_list(self) -> None:
        self.list_area.setVisible(not self.list_area.isVisible() and len(self.findings) > 1)
        self._label_more()

    def show_checking(self) -> None:
        """The plan is another one; what is found against it is not known yet."""
        self._set_checking(True)

    def _set_checking(self, checking: bool) -> None:
        self.checking = checking
        self._list.setEnabled(not checking)
        self._worst.setEnabled(not checking)
        self._label_more()

    def show_findings(self, findings: tuple[Finding, ...]) -> None:
        self._set_checking(False)
        if findings == self.findings and self._worst_row.count():
            return
        self.findings = findings
        for layout in (self._worst_row, self._rows):
            _empty(layout)
        if findings:
            self._worst_row.addWidget(self._row(findings[0], large=True))
        else:
            good = QLabel("✓ Nothing found against this plan.")
            good.setContentsMargins(14, 6, 10, 6)
            self._worst_row.addWidget(good)
        rows = [self._row(finding, large=False) for finding in findings[1:]]
        for row in rows:
            self._rows.addWidget(row)
        self._rows.addStretch(1)
        self.list_area.setFixedHeight(min(sum(row.sizeHint().height() for row in rows) + 2, _LIST_HEIGHT))
        if len(findings) < 2:
            self.list_area.hide()
        self._label_more()

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._show_again()

    def show_unit(self, unit: Unit) -> None:
        self.unit = unit
        self._show_again()

    def _show_again(self) -> None:
        """The same findings in other words or colours."""
        findings, self.findings = self.findings, ()
        _empty(self._worst_row)
        self.show_findings(findings)

    def _row(self, finding: Finding, *, large: bool) -> FindingRow:
        row = FindingRow(finding, self.theme, self.unit, large=large)
        row.fix_wanted.connect(self.fix_wanted)
        row.setup_wanted.connect(self.setup_wanted)
        return row

    def worst_row(self) -> FindingRow | None:
        item = self._worst_row.itemAt(0)
        widget = item.widget() if item else None
        return widget if isinstance(widget, FindingRow) else None

    def _label_more(self) -> None:
        count = len(self.findings) - 1
        self.more.setVisible(count > 0 or self.checking)
        words = "fewer ▾" if self.list_area.isVisible() else f"{count} more ▴"
        self.more.setText("checking…" if self.checking else words)
