"""The rehearse lens: run the programs on the simulated machine, watch the ball, compare offsets."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QIntValidator
from PySide6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.frames import AXES
from ledgecliff.core.playback import Playback
from ledgecliff.core.probing.measured import Measurement, RecordedTouches, measure, measured_names
from ledgecliff.core.probing.rehearsed import recorded
from ledgecliff.core.quantities import format_length
from ledgecliff.store.touch_files import read_touches, write_measured_drawing, write_table

from ..document import Document
from ..fields import ChoiceField
from .base import LensPanel

_TICK_MS = 40
#: The offset list's rows and first column (pixels).
_ROW_HEIGHT, _FIRST_COLUMN = 24, 84
_SPEEDS = (("slow", 2.0), ("brisk", 8.0), ("fast", 30.0))


class RehearsePanel(LensPanel):
    run_wanted = Signal(int)
    #: A Moment while playing, None when the ball is put away.
    ball_moved = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._playback: Playback | None = None
        self._seconds = 0.0
        self._speed = 1
        self._reference: str | None = None
        self._towards: str | None = None
        self._touches: RecordedTouches | None = None
        self._measured: QLabel | None = None
        document.plan_changed.connect(self._forget_touches)
        document.scene_changed.connect(self.stop)

    def _forget_touches(self) -> None:
        self._touches = None

    def key(self) -> object:
        return self.setup_index, measured_names(self.plan.setups[self.setup_index])

    def build(self) -> None:
        self.add_heading("Rehearse all setups")
        self.add_quiet(
            "The simulated machine runs the program text against a true world with hidden errors. "
            "The seed picks which world."
        )
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.seed = QLineEdit(str(self.document.rehearsal.seed if self.document.rehearsal else 1))
        self.seed.setValidator(QIntValidator(0, 999_999, self.seed))
        self.seed.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.seed.returnPressed.connect(self._want_run)
        self.seed.setAccessibleName("Seed of the true world")
        self.run = QPushButton("Rehearse")
        self.run.setProperty("main", True)
        self.run.setToolTip("Run probing and hover-check programs of every setup (Ctrl+R)")
        self.run.clicked.connect(self._want_run)
        line.addWidget(QLabel("Seed"))
        line.addWidget(self.seed, 1)
        line.addWidget(self.run)
        self.add_widget(row)
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
        self._build_measured()
        self.refresh_more()

    def _build_player(self) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.play = QPushButton("Watch the ball")
        self.play.setToolTip("Play, or hold where it is")
        self.play.clicked.connect(self.toggle_play)
        line.addWidget(self.play, 1)
        self.step = QPushButton("One move")
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

    def _build_measured(self) -> None:
        self.add_heading("Features from a measured one")
        names = measured_names(self.plan.setups[self.setup_index])
        if len(names) < 2:
            self.add_quiet("Measure two features or more in X and Y to see one from the other.")
            self._measured = None
            return
        reference, towards = [(name, name) for name in names], [("as the WCS is turned", None)]
        self.add_choice(
            ChoiceField("Seen from", "The feature that all others are seen from.", lambda: list(reference),
                        lambda: self._reference if self._reference in names else names[0], self._see_from)
        )  # fmt: skip
        self.add_choice(
            ChoiceField("Squared to", "The feature that lies where the drawing has it; the others follow.",
                        lambda: [*towards, *reference], lambda: self._towards, self._square_to)
        )  # fmt: skip
        self.add_buttons(
            ("Table…", "Write it as CSV", lambda: self._write_measured("csv")),
            ("Drawing…", "Write it as a dimensioned DXF drawing", lambda: self._write_measured("dxf")),
            ("Touches…", "Evaluate touches that a control has recorded", self._read_touches),
        )
        self._measured = self.add_quiet("")

    def _see_from(self, name: object) -> None:
        self._reference = cast("str | None", name)
        self._show_measured()

    def _square_to(self, name: object) -> None:
        self._towards = cast("str | None", name)
        self._show_measured()

    def measurement(self) -> Measurement | None:
        """What the touches in hand give: those of a file that was read, else of the rehearsal."""
        plan, rehearsal = self.document.plan, self.document.rehearsal
        if plan is None:
            return None
        setup = plan.setups[self.setup_index]
        names = measured_names(setup)
        reference = self._reference if self._reference in names else (names[0] if names else None)
        towards = self._towards if self._towards in names and self._towards != reference else None
        if self._touches is not None and self._touches.setup == setup.setup.name:
            return measure(setup, self._touches.model_copy(update={"reference": reference, "towards": towards}))
        if rehearsal is None or not rehearsal.setups[self.setup_index].ran:
            return None
        touches = recorded(setup.probing.steps, rehearsal.setups[self.setup_index], reference, towards)
        return None if touches is None else measure(setup, touches)

    def _show_measured(self) -> None:
        if self._measured is None:
            return
        try:
            measured = self.measurement()
        except LedgecliffError as error:
            self._measured.setText(str(error))
            return
        if measured is None:
            self._measured.setText("Shown after a rehearsal, or for touches read from a file.")
            return
        unit = self.document.unit
        self._reference = measured.reference
        rows = [
            f"{row.name}: X {format_length(row.x, unit, sign=True)}  Y {format_length(row.y, unit, sign=True)}"
            f"\n    off {format_length(row.off, unit)}"
            + ("" if row.allowed is None else f" of {format_length(row.allowed, unit)} allowed")
            for row in measured.table
        ]
        source = "touches from a file" if self._touches is not None else "rehearsed"
        head = f"{source}; turned {measured.table_skew_deg:+.4f}°"
        self._measured.setText("\n".join([head, *rows]))

    def _write_measured(self, kind: str) -> None:
        measured = self.measurement()
        if measured is None or not measured.table:
            raise InvalidValueError("measurement", "there is none yet; rehearse first, or read touches from a file")
        what = "Table (*.csv)" if kind == "csv" else "Drawing (*.dxf)"
        path, _ = QFileDialog.getSaveFileName(self, "Write the measurement", f"measured.{kind}", what)
        if path:
            self.write_measured(measured, Path(path))

    def write_measured(self, measured: Measurement, path: Path) -> None:
        if path.suffix.lower() == ".dxf":
            write_measured_drawing(measured, self.job.machine.program_units, path)
        else:
            write_table(measured, path)

    def _read_touches(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Read recorded touches", "", "Touches (*.json);;All files (*)")
        if path:
            self.read_touches(Path(path))

    def read_touches(self, path: Path) -> None:
        """Evaluates a control's recorded touches in place of the rehearsal's, until the job changes."""
        touches = read_touches(path)
        measure(self.plan.setups[self.setup_index], touches)
        self._touches = touches
        self._show_measured()

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
        if rehearsal is None:
            self._doing.setText("Not rehearsed since the last change.")
            self._pairs.setText("Shown after a rehearsal.")
            self._show_measured()
            return
        result = rehearsal.setups[self.setup_index]
        said = [f"{result.name}: {result.counted} touches, " + ("; ".join(result.alarms) or "no alarm")]
        if result.hover_gap is not None:
            said.append(f"hover check: {format_length(result.hover_gap, self.document.unit, sign=True)} over the block")
        self._doing.setText("\n".join(said))
        unit = self.document.unit
        rows = [
            f"{pair.feature} to {pair.partner}\n    "
            + "  ".join(
                f"{axis.upper()} {format_length(value, unit, sign=True)}"
                for axis, value in zip(AXES, pair.p_deviation, strict=True)
            )
            for pair in rehearsal.pairs
        ]
        self._pairs.setText("\n".join(rows) or "No feature is cut against a near-side partner.")
        self._show_measured()

    def _result_ran(self) -> bool:
        rehearsal = self.document.rehearsal
        return rehearsal is not None and rehearsal.setups[self.setup_index].ran

    def _fill_offsets(self) -> None:
        plan, rehearsal, unit = self.document.plan, self.document.rehearsal, self.document.unit
        if plan is None:
            return
        rows: list[tuple[str, list[float]]] = []
        for k, setup in enumerate(plan.setups):
            rows.append((f"{setup.setup.offset} planned", list(setup.wcs.m_offset)))
            if rehearsal is not None and not rehearsal.setups[k].stopped:
                rows.append(("found", list(rehearsal.setups[k].found)))
                rows.append(("found − true", list(rehearsal.setups[k].difference)))
        self.offsets.setRowCount(len(rows))
        for row, (words, values) in enumerate(rows):
            texts = [words, *(format_length(float(value), unit, sign=True) for value in values)]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.offsets.setItem(row, column, item)
        for row in range(len(rows)):
            self.offsets.setRowHeight(row, _ROW_HEIGHT)
        self.offsets.setFixedHeight((len(rows) + 1) * _ROW_HEIGHT + 6)

    # --- playing --------------------------------------------------------------------------

    def playback(self) -> Playback | None:
        """The time line of the rehearsed setup on the stage."""
        rehearsal, job = self.document.rehearsal, self.document.job
        if rehearsal is None or job is None or not self._result_ran():
            return None
        return Playback(rehearsal.setups[self.setup_index], job.machine.probe)

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
        until = self._seconds + _TICK_MS / 1000.0 * _SPEEDS[self._speed][1]
        touch = self._playback.touch_between(self._seconds, until) if self.breaks.isChecked() else None
        self._seconds = min(until, self._playback.duration_s) if touch is None else touch
        self._show_moment()
        if touch is not None or self._seconds >= self._playback.duration_s:
            self._hold()

    def _show_moment(self) -> None:
        moment = self._playback.at(self._seconds) if self._playback is not None else None
        if moment is not None:
            self._doing.setText(moment.words)
            self.ball_moved.emit(moment)

    def is_playing(self) -> bool:
        return self._timer.isActive()
