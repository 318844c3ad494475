"""The rehearse lens: run the programs on the simulated machine, watch the ball, compare offsets."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from ledgecliff.core.measuring.measured import measured_names
from ledgecliff.core.patterns.instances import pattern_of
from ledgecliff.core.quantities import format_length, spell
from ledgecliff.core.rehearsal.playback import Playback
from ledgecliff.core.rehearsal.told import OffsetRow, offset_rows, said_of_pairs, said_of_proof, said_of_setup

from ..document import Document
from ..register_desk import RegisterDesk
from .base import LensPanel
from .measured import MeasuredSection
from .returned import ReturnedSection

_TICK_MS = 40
#: The offset list's rows and first column (pixels).
_ROW_HEIGHT, _FIRST_COLUMN, _MOST_ROWS = 24, 84, 16
_SPEEDS = (("slow", 2.0), ("normal", 8.0), ("fast", 30.0))


class RehearsePanel(LensPanel):
    run_wanted = Signal(int)
    many_wanted = Signal()
    #: A Moment while playing, None when the ball is put away.
    ball_moved = Signal(object)

    def __init__(self, document: Document, register: RegisterDesk) -> None:
        super().__init__(document)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._playback: Playback | None = None
        self._seconds = 0.0
        self._speed = 1
        self._by_cards = False
        self.measured = MeasuredSection(self, register)
        self.returned = ReturnedSection(self, register)
        document.plan_changed.connect(self.measured.forget_touches)
        document.scene_changed.connect(self.stop)
        document.opened.connect(self.stop)

    def key(self) -> object:
        many = pattern_of(self.job, self.setup_index) is not None
        return self.setup_index, measured_names(self.plan.setups[self.setup_index]), many

    def build(self) -> None:
        self.add_heading("Rehearse all setups")
        self.add_quiet(
            "The simulated machine runs the very program text. Where things really stand is hidden from it and a "
            "little off, in each trial otherwise."
        )
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.seed = QLineEdit(str(self.document.rehearsal.seed if self.document.rehearsal else 1))
        self.seed.setValidator(QIntValidator(0, 999_999, self.seed))
        self.seed.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.seed.returnPressed.connect(self._want_run)
        self.seed.setAccessibleName("Number of the trial")
        self.run = QPushButton("Rehearse")
        self.run.setProperty("main", True)
        self.run.setToolTip("Run probing and hover-check programs of every setup (Ctrl+R)")
        self.run.clicked.connect(self._want_run)
        line.addWidget(QLabel("Trial"))
        line.addWidget(self.seed, 1)
        line.addWidget(self.run)
        self.many = QPushButton("20 trials")
        self.many.setToolTip("Rehearse twenty trials from this number on, and say the worst of them")
        self.many.clicked.connect(self.many_wanted)
        line.addWidget(self.many)
        self.add_widget(row)
        self.by_cards = QCheckBox("By cards, begun by eye")
        self.by_cards.setToolTip("The control's own cycles in place of programs, each begun as near as its card asks")
        self.by_cards.setChecked(self._by_cards)
        self.by_cards.toggled.connect(self._choose_way)
        self.add_widget(self.by_cards)
        self._proof = self.add_quiet("")
        self._build_player()
        self.add_heading("Offset list")
        self.offsets = QTableWidget(0, 4)
        self.offsets.setHorizontalHeaderLabels(["", "X", "Y", "Z"])
        self.offsets.verticalHeader().hide()
        self.offsets.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.offsets.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.offsets.setObjectName("tight")
        self.offsets.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.offsets.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
        self.offsets.setColumnWidth(0, _FIRST_COLUMN)
        self.offsets.setTextElideMode(Qt.TextElideMode.ElideNone)
        self.offsets.setWordWrap(False)
        self.offsets.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.offsets.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.offsets.setAccessibleName("Offsets: planned, found, found less true")
        self.add_widget(self.offsets)
        self.add_heading("Far side against near side")
        self._pairs = self.add_quiet("")
        self.measured.build()
        self.returned.build()
        self.refresh_more()

    def _build_player(self) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.play = QPushButton("Watch the ball")
        self.play.setToolTip("Play, or hold where it is")
        self.play.clicked.connect(self.toggle_play)
        line.addWidget(self.play, 1)
        self.step = QPushButton("Next move")
        self.step.setToolTip("One move of the program at a time")
        self.step.clicked.connect(self.one_move)
        line.addWidget(self.step)
        self.add_widget(row)
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.breaks = QCheckBox("Hold at touches")
        self.breaks.setToolTip("Playing holds whenever the ball has triggered")
        line.addWidget(self.breaks, 1)
        self.again = QPushButton("Back")
        self.again.setToolTip("Back to the first move")
        self.again.clicked.connect(self.stop)
        line.addWidget(self.again)
        self.speed = QPushButton(_SPEEDS[self._speed][0])
        self.speed.setToolTip("How fast the rehearsal is played")
        self.speed.clicked.connect(self._next_speed)
        line.addWidget(self.speed)
        self.add_widget(row)
        self._doing = self.add_quiet("")

    def is_by_cards(self) -> bool:
        return self._by_cards

    def _choose_way(self, by_cards: bool) -> None:
        """What was rehearsed the other way proves nothing of this one."""
        self._by_cards = by_cards
        self.document.forget_rehearsal()

    def seed_value(self) -> int:
        """The seed in the field; an empty field counts as 0."""
        return int(self.seed.text() or 0)

    def _want_run(self) -> None:
        self.run_wanted.emit(self.seed_value())

    def refresh_more(self) -> None:
        rehearsal = self.document.rehearsal
        self.stop()
        for button in (self.play, self.step, self.again):
            button.setEnabled(rehearsal is not None and self._result_ran())
        self._fill_offsets()
        self._proof.setText(spell(said_of_proof(rehearsal, self.document.worlds), self.document.unit))
        if rehearsal is None:
            self._doing.setText("")
            self._pairs.setText("Shown after a rehearsal.")
            self.measured.refresh()
            self.returned.refresh()
            return
        unit = self.document.unit
        self._doing.setText(spell(said_of_setup(rehearsal, self.setup_index), unit))
        self._pairs.setText(spell(said_of_pairs(rehearsal), unit))
        self.measured.refresh()
        self.returned.refresh()

    def _result_ran(self) -> bool:
        rehearsal = self.document.rehearsal
        return rehearsal is not None and rehearsal.setups[self.setup_index].ran

    def _fill_offsets(self) -> None:
        plan, rehearsal = self.document.plan, self.document.rehearsal
        if plan is None:
            return
        rows = offset_rows(plan, rehearsal)
        self.offsets.setRowCount(len(rows))
        for row, each in enumerate(rows):
            texts = [each.words, *(self._shown(each, k) for k in range(3))]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column and each.off[column - 1]:
                    bold = item.font()
                    bold.setBold(True)
                    item.setFont(bold)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.offsets.setItem(row, column, item)
        for row in range(len(rows)):
            self.offsets.setRowHeight(row, _ROW_HEIGHT)
        self.offsets.setFixedHeight((min(len(rows), _MOST_ROWS) + 1) * _ROW_HEIGHT + 6)

    def _shown(self, row: OffsetRow, k: int) -> str:
        """A value, marked for right or wrong where it is held against the truth."""
        value = row.values[k]
        if value is None:
            return "not set"
        mark = ("✕ " if row.off[k] else "✓ ") if row.is_judged else ""
        return mark + format_length(value, self.document.unit, sign=not row.is_limit)

    # --- playing --------------------------------------------------------------------------

    def playback(self) -> Playback | None:
        """The time line of the rehearsed setup on the stage."""
        rehearsal, job = self.document.rehearsal, self.document.job
        if rehearsal is None or job is None or not self._result_ran():
            return None
        return Playback(rehearsal.setups[self.setup_index], self.machine.probe)

    def toggle_play(self) -> None:
        """Plays from where the ball is, or holds it there."""
        if self._timer.isActive():
            self._hold()
            return
        self._playback = self._playback or self.playback()
        if self._playback is None:
            return
        if self._seconds >= self._playback.duration_s:
            self._seconds = 0.0
        self.play.setText("Hold")
        self._timer.start()

    def one_move(self) -> None:
        """To the end of the move that runs, or of the next one."""
        self._hold()
        self._playback = self._playback or self.playback()
        if self._playback is not None:
            self._seconds = self._playback.next_move(self._seconds)
            self._show_moment()

    def _hold(self) -> None:
        self._timer.stop()
        self.play.setText("Watch the ball" if self._seconds == 0.0 else "Go on")

    def stop(self) -> None:
        """Back to the start, with the ball put away."""
        self._playback, self._seconds = None, 0.0
        if self._timer.isActive() or (hasattr(self, "play") and self.play.text() != "Watch the ball"):
            self._hold()
        self.ball_moved.emit(None)

    def _next_speed(self) -> None:
        self._speed = (self._speed + 1) % len(_SPEEDS)
        self.speed.setText(_SPEEDS[self._speed][0])

    def _tick(self) -> None:
        if self._playback is None:
            return
        by = _TICK_MS / 1000.0 * _SPEEDS[self._speed][1]
        self._seconds, holds = self._playback.advanced(self._seconds, by, hold_at_touches=self.breaks.isChecked())
        self._show_moment()
        if holds:
            self._hold()

    def _show_moment(self) -> None:
        moment = self._playback.at(self._seconds) if self._playback is not None else None
        if moment is not None:
            self._doing.setText(moment.words)
            self.ball_moved.emit(moment)

    def is_playing(self) -> bool:
        return self._timer.isActive()
