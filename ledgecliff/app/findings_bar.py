"""Findings: the worst one in a line at the bottom, with its remedy as a button; on demand all of them, the worst on
top, over a line that counts them."""

from __future__ import annotations

import html
from collections.abc import Mapping
from typing import TYPE_CHECKING

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
from ledgecliff.core.findings.counted import kinds_counted, setups_counted
from ledgecliff.core.quantities import Unit, spell

from .theme import SEVERITY_MARKS, Theme, font, plain_tip

if TYPE_CHECKING:
    from ledgecliff.core.remedies.offered import Remedy

#: What mends findings, by their keys.
Remedies = Mapping[tuple[str, str, str], "Remedy | None"]

#: The open list never takes more than this from the stage (pixels).
_LIST_HEIGHT = 190
_MORE_WIDTH = 104
#: All facts begin below one another (pixels).
_MARK_WIDTH = 78
_CHANGE_TIP = "Change the plan this way: it was tried on a copy, and cures. It can be undone"
_PROMISE_TIP = "States that it is so at machine or bench, so that the plan counts on it. See to it; it can be undone"


def _empty(layout: QLayout) -> None:
    """Takes everything out; hidden at once, since deleting waits for the next event."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()


class FindingRow(QWidget):
    """One finding: mark, fact with its cost, what mends it, and the buttons of the remedy that was tried."""

    fix_wanted = Signal(object)
    setup_wanted = Signal(str)

    def __init__(self, finding: Finding, theme: Theme, unit: Unit, *, large: bool) -> None:
        super().__init__()
        self.finding, self._unit = finding, unit
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 6, 10, 6)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        mark = QLabel(f"{SEVERITY_MARKS[finding.severity]} {finding.severity}")
        mark.setFont(font(13, bold=True))
        mark.setMinimumWidth(_MARK_WIDTH)
        mark.setStyleSheet(f"color: {theme.severity(finding.severity).name()}")
        grid.addWidget(mark, 0, 0, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        message = QLabel(finding.message(unit))
        message.setTextFormat(Qt.TextFormat.PlainText)
        message.setWordWrap(True)
        message.setFont(font(13, bold=large))
        self.advice = QLabel()
        self.advice.setTextFormat(Qt.TextFormat.PlainText)
        self.advice.setWordWrap(True)
        self.advice.setProperty("quiet", True)
        grid.addWidget(message, 0, 1)
        grid.addWidget(self.advice, 1, 1)
        grid.setColumnStretch(1, 1)
        self.setToolTip(finding.code)
        if finding.setup:
            go = QPushButton("Show")
            go.setProperty("flat", True)
            go.setToolTip(plain_tip(f"Bring {finding.setup} to the stage"))
            go.clicked.connect(lambda: self.setup_wanted.emit(finding.setup))
            grid.addWidget(go, 0, 2, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        self.fix_button, self.everywhere_button = self._button(), self._button()
        for column, button in enumerate((self.fix_button, self.everywhere_button), start=3):
            grid.addWidget(button, 0, column, 2, 1, Qt.AlignmentFlag.AlignVCenter)
        self.fix_button.clicked.connect(lambda: self._take(everywhere=False))
        self.everywhere_button.clicked.connect(lambda: self._take(everywhere=True))
        self.remedy: Remedy | None = None
        self.show_remedy(None)

    def _button(self) -> QPushButton:
        button = QPushButton()
        button.hide()
        return button

    def show_remedy(self, remedy: Remedy | None) -> None:
        """What was tried and cures, or nothing so far."""
        self.remedy = remedy
        advice = self.finding.remedy(self._unit)
        self.advice.setText(f"{advice}  {remedy.words(self._unit)}" if remedy is not None else advice)
        fixes = (None, None) if remedy is None else (remedy.fix, remedy.everywhere)
        for button, fix in zip((self.fix_button, self.everywhere_button), fixes, strict=True):
            button.setVisible(fix is not None)
            if fix is not None:
                # A statement about the world is ticked, a change of the plan is made.
                button.setText(("☐ " if fix.promise else "") + spell(fix.label, self._unit))
                button.setProperty("promise", fix.promise)
                button.style().unpolish(button)
                button.style().polish(button)
                button.setToolTip(plain_tip(_PROMISE_TIP if fix.promise else _CHANGE_TIP))
        self.setAccessibleName(f"{self.finding.severity}: {self.finding.message(self._unit)} {self.advice.text()}")

    def _take(self, *, everywhere: bool) -> None:
        if self.remedy is not None:
            self.fix_wanted.emit(self.remedy.everywhere if everywhere else self.remedy.fix)


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
        self._remedies: Remedies = {}
        #: What is shown is of an older plan: nothing of it may be pressed.
        self.checking = False
        self._whole = True
        self._good = QLabel()
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
        #: The setup whose findings alone are listed, by its name; None for all.
        self._only: str | None = None
        self.counts = QLabel()
        self.counts.setTextFormat(Qt.TextFormat.RichText)
        self.counts.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self.counts.setWordWrap(True)
        self.counts.setToolTip("A setup lists its findings alone")
        self.counts.linkActivated.connect(self._list_only)
        self.counts.setContentsMargins(14, 6, 10, 6)
        self.counts.hide()
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
        line.addWidget(self.counts, 1)
        line.addWidget(self.more)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.list_area)
        column.addWidget(self._worst)
        self.setMinimumHeight(54)

    def toggle_list(self) -> None:
        self._open(self.list_area.isHidden() and len(self.findings) > 1)

    def _open(self, is_open: bool) -> None:
        """The worst finding stands on top of the open list, and in the line under it while that is closed."""
        rows = self.rows()
        if rows:
            if is_open:
                self._rows.insertWidget(0, rows[0])
            else:
                self._worst_row.addWidget(rows[0])
        self._only = self._only if is_open and any(each.setup == self._only for each in self.findings) else None
        self._show_counts()
        self.counts.setVisible(is_open)
        for row in rows:
            row.setVisible(self._only is None or row.finding.setup == self._only)
        height = sum(row.sizeHint().height() for row in rows if not row.isHidden()) + 2
        self.list_area.setFixedHeight(min(height, _LIST_HEIGHT))
        self.list_area.verticalScrollBar().setValue(0)
        self.list_area.setVisible(is_open)
        self._label_more()

    def _show_counts(self) -> None:
        """Of each kind, and of each setup, which is a link that lists its own."""
        links = []
        for number, (setup, count) in enumerate(setups_counted(self.findings)):
            words = html.escape(f"{setup or 'whole job'}: {count}").replace(" ", "&nbsp;")
            links.append(f'<a href="{number}">{f"<b>{words}</b>" if setup == self._only else words}</a>')
        if self._only is not None:
            links.append('<a href="all">all</a>')
        kinds = kinds_counted(each for each in self.findings if self._only in (None, each.setup))
        self.counts.setText(f"{kinds} · {', '.join(links)}")

    def _list_only(self, link: str) -> None:
        setup = None if link == "all" else setups_counted(self.findings)[int(link)][0]
        self._only = None if setup == self._only else setup
        self._open(True)

    def open_list(self) -> None:
        if self.list_area.isHidden():
            self.toggle_list()

    def show_checking(self) -> None:
        """The plan is another one; what is found against it is not known yet."""
        self._set_checking(True)

    def _set_checking(self, checking: bool) -> None:
        self.checking = checking
        self._list.setEnabled(not checking)
        self._worst.setEnabled(not checking)
        self._label_more()

    def show_findings(self, findings: tuple[Finding, ...], *, whole: bool = True) -> None:
        """``whole`` says that nothing is still being read that more may be found in."""
        self._set_checking(False)
        self._whole = whole
        self.show_remedies({})
        was_open = not self.list_area.isHidden()
        if findings == self.findings and (self.rows() or self._worst_row.count()):
            self._say_nothing_found()
            self._label_more()
            return
        self.findings = findings
        for layout in (self._worst_row, self._rows):
            _empty(layout)
        if findings:
            self._worst_row.addWidget(self._row(findings[0], large=True))
        else:
            self._good = QLabel()
            self._good.setContentsMargins(14, 6, 10, 6)
            self._worst_row.addWidget(self._good)
            self._say_nothing_found()
        rows = [self._row(finding, large=False) for finding in findings[1:]]
        for row in rows:
            self._rows.addWidget(row)
        self._rows.addStretch(1)
        self._open(was_open and len(findings) > 1)

    def _say_nothing_found(self) -> None:
        if not self.findings:
            self._good.setText("✓ Nothing found against this plan." if self._whole else "Programs are being read…")

    def show_remedies(self, remedies: Remedies) -> None:
        """What mends each finding, by its key, as far as it is known."""
        self._remedies = remedies
        for row in self.rows():
            remedy = remedies.get(row.finding.key)
            if remedy != row.remedy:
                row.show_remedy(remedy)

    def rows(self) -> list[FindingRow]:
        """The worst first."""
        items = [self._worst_row.itemAt(0), *(self._rows.itemAt(k) for k in range(self._rows.count()))]
        return [row for item in items if item is not None and isinstance(row := item.widget(), FindingRow)]

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self._show_again()

    def show_unit(self, unit: Unit) -> None:
        self.unit = unit
        self._show_again()

    def _show_again(self) -> None:
        """The same findings in other words or colours."""
        findings, self.findings = self.findings, ()
        remedies = self._remedies
        for layout in (self._worst_row, self._rows):
            _empty(layout)
        self.show_findings(findings, whole=self._whole)
        self.show_remedies(remedies)

    def _row(self, finding: Finding, *, large: bool) -> FindingRow:
        row = FindingRow(finding, self.theme, self.unit, large=large)
        row.fix_wanted.connect(self.fix_wanted)
        row.setup_wanted.connect(self.setup_wanted)
        return row

    def _label_more(self) -> None:
        count = len(self.findings) - 1
        self.more.setVisible(count > 0 or self.checking or not self._whole)
        words = f"{count} more ▴" if self.list_area.isHidden() else "fewer ▾"
        self.more.setText("checking…" if self.checking or not self._whole else words)
