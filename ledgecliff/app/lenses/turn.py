"""The turn lens: about which axis the part is turned, played on wish, and what to mind."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal

from ledgecliff.core import edits
from ledgecliff.core.frames import Axis, Turn

from ..document import Document
from ..fields import ChoiceField
from .base import LensPanel

#: A tick and the whole turn (ms), and the rest at its end as a share of the way.
_TICK_MS, _WHOLE_MS, _REST = 40, 1800, 0.4
#: Turns that are offered: words are worked out from the turn itself.
_TURNS: tuple[tuple[Axis, float], ...] = (
    ("x", 180.0),
    ("y", 180.0),
    ("z", 180.0),
    ("x", 90.0),
    ("x", -90.0),
    ("y", 90.0),
    ("y", -90.0),
    ("z", 90.0),
    ("z", -90.0),
)


class TurnPanel(LensPanel):
    #: A share of the way, from 0 to 1, while the turn is played.
    moment_shown = Signal(float)
    ended = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._share = 0.0
        document.scene_changed.connect(self.stop)

    def build(self) -> None:
        self.add_heading("How the part is turned over")
        self.add_choice(
            ChoiceField(
                "Turn",
                "About which machine axis the part is turned between the two setups.",
                self._turns,
                self._current,
                self._apply,
            )
        )
        self.add_quiet(
            "Turned about X the left end stays left: a left stop still meets the same end. "
            "Turned about Y the other end meets it, and the blank's length enters."
        )
        (self.play,) = self.add_buttons(
            ("Play the turn", "Shows the stock on its way, in the drawing and in the solid view", self.toggle_play)
        )
        self.add_heading("After the turn")
        self.add_quiet(
            "Mark the end that stays left with a cross. Clean table and underside, no chips under the part. "
            "Seat it, tap it down, check that neither parallel moves. Check one feature by touch before cutting."
        )

    def _turns(self) -> list[tuple[str, object]]:
        choices: list[tuple[str, object]] = []
        for axis, angle in _TURNS:
            words = edits.turn_words(axis, angle)
            choices.append((words, words))
        if self._current() not in [words for words, _ in choices]:
            choices.append((self._current(), self._current()))
        return choices

    def _current(self) -> str:
        job = self.document.job
        if job is None or self.setup_index == 0:
            return ""
        return Turn(
            job.setups[self.setup_index - 1].orientation, job.setups[self.setup_index].orientation
        ).in_shop_words()

    def _apply(self, words: object) -> None:
        index = self.setup_index
        chosen = next(((a, d) for a, d in _TURNS if edits.turn_words(a, d) == words), None)
        if chosen is not None:
            self.document.apply("turn", lambda job: edits.turn_setup(job, index, *chosen))

    def toggle_play(self) -> None:
        if self._timer.isActive():
            self.stop()
            return
        self._share = 0.0
        self.play.setText("Stop")
        self._timer.start()
        self._tick()

    def _tick(self) -> None:
        self.moment_shown.emit(min(self._share, 1.0))
        if self._share > 1.0 + _REST:
            self.stop()
        self._share += _TICK_MS / _WHOLE_MS

    def stop(self) -> None:
        """Ends playing; the scene shows before and after again."""
        if self._timer.isActive():
            self._timer.stop()
            self.play.setText("Play the turn")
            self.ended.emit()
