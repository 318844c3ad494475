"""Zeros compared: what else could give an axis its zero, tried in a thread (``core.comparing_zeros``)."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.comparing_zeros import ZeroCandidate, best_first, compared
from ledgecliff.core.datums import DatumChoice
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, format_length, spell

from .behind import Behind
from .document import Document
from .flat_table import FlatRows, FlatTable

_HEADS = ("zero from", "expected", "touches", "finds")
#: It is never higher than this (pixels).
_HEIGHT = 180


class Comparing(Behind):
    """Keeps the candidates of one axis of the setup on the stage, once they are asked for."""

    changed = Signal()
    _came = Signal(object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.axis: Axis | None = None
        self.candidates: tuple[ZeroCandidate, ...] = ()
        self._came.connect(self._take)
        for signal in (document.plan_changed, document.scene_changed):
            signal.connect(self.drop)

    def drop(self) -> None:
        """What was compared counts for no other plan or scene."""
        self._cancel()
        if self.axis is not None:
            self.axis, self.candidates = None, ()
            self.changed.emit()

    def compare(self, axis: Axis) -> None:
        self.axis, self.candidates = axis, ()
        self._begin_in(0)
        self.changed.emit()

    def _begin(self) -> None:
        plan, beside, axis, scene = self._document.plan, self._document.beside, self.axis, self._document.scene
        found = self._document.found
        if plan is None or axis is None or scene is None or scene.setup is None:
            return
        if found is None or beside is None:
            self._begin_in(100)  # the findings are on their way
            return
        setup = scene.setup

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            judge = partial(found_against, beside=beside, cancelled=cancelled)
            candidates: list[ZeroCandidate] = []
            for candidate in compared(plan, setup, axis, found, judge, cancelled):
                candidates.append(candidate)
                self._came.emit(plan, best_first(candidates))

        self._run(work)

    def _take(self, plan: Plan, candidates: tuple[ZeroCandidate, ...]) -> None:
        if plan is self._document.plan and candidates[0].axis == self.axis:
            self.candidates = candidates
            self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()


def _texts(candidate: ZeroCandidate, unit: Unit) -> tuple[str, str, str, str]:
    name = candidate.choice.words
    if candidate.why_not:
        return name, "", "", "✕"
    sign = "✕" if not candidate.can_be else "◆" if candidate.come else ""
    mark = f"{sign} {len(candidate.come)}" if sign else "✓"
    if candidate.is_now:
        mark = f"now {sign}".rstrip()
    return name, f"±{format_length(candidate.expected, unit)}", str(candidate.touches), mark


class CompareZeros(QWidget):
    """Buttons for the axes, a row a candidate, what is said of the picked one, and the button that takes it."""

    #: The picked candidate, or None: shown on the stage before it is taken.
    looked_at = Signal(object)

    def __init__(self, comparing: Comparing, document: Document, take: Callable[[ZeroCandidate], None]) -> None:
        super().__init__()
        self._comparing, self._document, self._take = comparing, document, take
        self._picked: DatumChoice | None = None
        row = QHBoxLayout()
        self.buttons: dict[Axis, QPushButton] = {}
        for axis in AXES:
            button = QPushButton(f"Compare {axis.upper()}")
            button.setCheckable(True)
            button.setToolTip(f"Everything that can give {axis.upper()} its zero: expected error, touches, findings")
            button.clicked.connect(lambda _checked=False, axis=axis: comparing.compare(axis))
            self.buttons[axis] = button
            row.addWidget(button)
        row.addStretch(1)
        self.table = FlatTable(_HEIGHT)
        self.says = QLabel()
        self.says.setTextFormat(Qt.TextFormat.PlainText)
        self.says.setWordWrap(True)
        self.says.setProperty("quiet", True)
        self.take = QPushButton("Take this zero")
        self.take.setToolTip("It can be undone; steps of your own are proposed anew, so that they find it")
        self.take.clicked.connect(self._take_picked)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(4)
        column.addLayout(row)
        for widget in (self.table, self.says):
            column.addWidget(widget)
        column.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        comparing.changed.connect(self.refresh)
        document.unit_changed.connect(self.refresh)
        self.refresh()

    def picked(self) -> ZeroCandidate | None:
        return next((each for each in self._comparing.candidates if each.choice == self._picked), None)

    def refresh(self) -> None:
        comparing = self._comparing
        for axis, button in self.buttons.items():
            button.setChecked(axis == comparing.axis)
        candidates = comparing.candidates
        self.table.setVisible(bool(candidates))
        unit = self._document.unit
        rows = [(_texts(each, unit), f"{each.choice.words}: {spell(each.says(), unit)}") for each in candidates]
        so = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        self.table.show_rows(FlatRows(_HEADS, rows, so, self.table))
        at = next((k for k, each in enumerate(candidates) if each.choice == self._picked), None)
        self.table.setAccessibleName(f"What can give {(comparing.axis or 'x').upper()} its zero")
        if at is not None:
            self.table.selectRow(at)
        self.table.selectionModel().currentRowChanged.connect(self._look_at)
        self._show_picked()

    def _look_at(self, now: QModelIndex) -> None:
        self._picked = self._comparing.candidates[now.row()].choice
        self._show_picked()

    def _show_picked(self) -> None:
        comparing, picked = self._comparing, self.picked()
        if comparing.axis is None:
            self.says.setText("What else could give a zero, with its expected error, touches and findings.")
        elif picked is None:
            trying = "Trying what can give it… " if comparing.busy() else ""
            self.says.setText(f"{trying}Pick one to see where the zero would be. ✕ brings errors, ◆ warnings.")
        else:
            self.says.setText(spell(picked.says(), self._document.unit))
        self.take.setVisible(picked is not None)
        self.take.setEnabled(picked is not None and not picked.is_now and not picked.why_not)
        self.looked_at.emit(picked)

    def _take_picked(self) -> None:
        picked = self.picked()
        if picked is not None:
            self._take(picked)
