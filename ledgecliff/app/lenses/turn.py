"""The turn lens: how the part is turned over, what registers it, and what to mind before and after."""

from __future__ import annotations

import math
from typing import cast

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import QListWidget, QPushButton

from ledgecliff.core.budget.pair import Pair
from ledgecliff.core.edits import lying
from ledgecliff.core.edits.turns import add_pin, remove_pin, with_jig_anew, with_layout, with_way
from ledgecliff.core.frames import Axis
from ledgecliff.core.quantities import format_length, said, said_area, spell
from ledgecliff.core.registration.pins import PIN_LAYOUTS, PinLayout
from ledgecliff.core.registration.seats import Seat
from ledgecliff.core.turns.jig_making import outline_reach
from ledgecliff.core.turns.offers import WayOffer, way_offers
from ledgecliff.core.turns.parting import parting_of, tabs_of
from ledgecliff.core.turns.try_on_scrap import scrap_words
from ledgecliff.core.turns.turn_check import after_words, turn_check
from ledgecliff.core.turns.turn_plan import TurnPlan, turns_of

from ..document import Document
from ..fields import ChoiceField
from ..turn_fields import turn_sections
from ..weighing_ways import WeighingWays
from .base import LensPanel
from .bench import adding_choice

#: A tick and the whole turn (ms), and the rest at its end as a share of the way.
_TICK_MS, _WHOLE_MS, _REST = 40, 1800, 0.4
#: Heights of the list of ways and of a row (pixels).
_WAYS_HIGH, _ROW_HIGH = 138, 22
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
    #: The same while the fit's play is shown.
    play_shown = Signal(float)
    ended = Signal()
    #: Pins are to be taken from a drawing, for the turn to the setup of this number.
    pattern_wanted = Signal(int)
    #: The second pocket's outline is to be taken from a drawing, for the setup of this number.
    outline_wanted = Signal(int)
    drawings_wanted = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)
        self._offers: tuple[WayOffer, ...] = ()
        self.weighing = WeighingWays(document)
        self.weighing.changed.connect(self._show_ways)
        self._share = 0.0
        self._shows_play = False
        document.scene_changed.connect(self.stop)
        document.opened.connect(self.stop)

    # --- what is shown --------------------------------------------------------------------

    @property
    def turn(self) -> TurnPlan:
        return turns_of(self.plan)[self.setup_index - 1]

    def key(self) -> object:
        turn = self.turn
        pins = len(turn.pin_bores.pins) if turn.pin_bores is not None else 0
        return self.setup_index, turn.way, pins, turn.frame_slot is not None, self.document.unit

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
        (self.play,) = self.add_buttons(
            ("Play the turn", "Shows the stock on its way, in the drawing and in the solid view", self.toggle_play)
        )
        self.add_heading("What registers it")
        self.ways = self._list("Ways to register this turn", _WAYS_HIGH)
        self.ways.currentRowChanged.connect(self._way_looked_at)
        self._about = self.add_quiet("")
        (self.take,) = self.add_buttons(
            ("Register it so", "Changes holds, operations and zeros of both setups; it can be undone", self._take)
        )
        self._build_way()
        self._build_seats()
        self.add_heading("Both sides together")
        self._meeting = self.add_quiet("")
        self.add_heading("After the turn")
        self._after = self.add_quiet("")
        self._check = self.add_quiet("")
        self._scrap = self.add_quiet("")
        self.add_buttons(("Write drawings…", "Every drawing of the turns as DXF and SVG", self.drawings_wanted.emit))
        self.add_heading("Before the turn", folds=True)
        self.add_choice(adding_choice(self.document, lambda: self.setup_index))
        self.refresh_more()

    def _list(self, name: str, height: int) -> QListWidget:
        rows = QListWidget()
        rows.setAccessibleName(name)
        rows.setObjectName("tight")
        rows.setFixedHeight(height)
        rows.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.add_widget(rows)
        return rows

    def _build_way(self) -> None:
        index = self.setup_index
        if self.turn.pin_bores is not None:
            self.add_choice(
                ChoiceField(
                    "Lay out pins",
                    "In the strips at both ends of the turn axis; the blank grows where it must.",
                    lambda: [("as placed", None), *((words, words) for words in PIN_LAYOUTS)],
                    lambda: None,
                    self._lay_out,
                )
            )
            self.add_buttons(
                ("Add a pin", "One more pin; then type or drag its place", self._more),
                ("Remove the last pin", "One pin less", self._less),
            )
            self.add_buttons(
                (
                    "Pins from a drawing…",
                    "The circles of a DXF or SVG file; the drawing's zero is laid on the part's middle",
                    lambda: self.pattern_wanted.emit(index),
                )
            )
        if self.turn.way == "two-pocket jig":
            self.add_buttons(
                ("Make the jig anew", "For blank and part as they are, with the clearance below", self._jig_anew)
            )
            self.add_buttons(
                (
                    "Second pocket from a drawing…",
                    "The largest closed outline of a DXF or SVG file",
                    lambda: self.outline_wanted.emit(index),
                )
            )
        self.add_sections(turn_sections(self.job, index))

    def _build_seats(self) -> None:
        turn = self.turn
        self.seats: QListWidget | None = None
        self.play_fit: QPushButton | None = None
        if turn.way not in ("dowel pins", "interlocking frame", "two-pocket jig"):
            return
        self.add_heading("How it can go in")
        if turn.way != "two-pocket jig":
            rows = len(turn.seats) if turn.way == "dowel pins" else 4
            self.seats = self._list("Ways the part goes in", _ROW_HIGH * min(max(rows, 2), 6) + 8)
            self.seats.setToolTip("Pick one: the stage shows where the part would lie.")
            self.seats.currentRowChanged.connect(self._seat_picked)
        self._result = self.add_quiet("")
        if turn.way != "two-pocket jig":
            (self.play_fit,) = self.add_buttons(
                ("Show the play", "The seated part at the limits of its play, much larger", self.toggle_play_of_fit)
            )

    def refresh_more(self) -> None:
        self._offers = way_offers(self.plan, self.turn)
        self.weighing.look(self.plan, self.setup_index)
        self._show_ways()
        if self.seats is not None:
            self.show_rows(self.seats, self._seat_words(), self.seats.currentRow())
        if self.turn.way in ("dowel pins", "interlocking frame", "two-pocket jig"):
            self._result.setText(spell(self._result_words(), self.document.unit))
        self._meeting.setText(spell(self._meeting_words(), self.document.unit))
        self._check.setText(spell(self._check_words(), self.document.unit))
        self._scrap.setText(scrap_words(self.turn.way))
        self._after.setText(after_words(self.turn))

    def _show_ways(self) -> None:
        if not self._offers:
            return
        chosen = next(k for k, offer in enumerate(self._offers) if offer.current)
        texts = [self._offer_words(offer) for offer in self._offers]
        row = self.ways.currentRow()
        if self.show_rows(self.ways, texts, chosen if row < 0 else row):
            self.show_rows(self.ways, texts, chosen)
        self._way_looked_at(self.ways.currentRow())

    def _pair_of(self, offer: WayOffer) -> Pair | None:
        found = self.weighing.found.get(offer.way)
        return None if found is None else found.pair

    def _offer_words(self, offer: WayOffer) -> str:
        mark = "●" if offer.current else "○" if offer.fits else "–"
        if not offer.fits:
            return f"{mark} {offer.way}: {spell(offer.why_not, self.document.unit)}"
        pair = self._pair_of(offer)
        if pair is None:
            return f"{mark} {offer.way}"
        return f"{mark} {offer.way}   {format_length(pair.expanded, self.document.unit)}"

    def _way_looked_at(self, row: int) -> None:
        if not 0 <= row < len(self._offers):
            return
        offer = self._offers[row]
        lines = [f"Does not fit: {offer.why_not}."] if not offer.fits else []
        pair = self._pair_of(offer)
        if pair is not None:
            worst = f"; most of it: {pair.enters[0].source.name}" if pair.enters else ""
            lines.append(f"At {pair.asked.feature}, 95 % stay within {said(pair.expanded)}{worst}.")
        elif offer.fits:
            lines.append("Being worked out…" if self.weighing.busy() else "Nothing would hold it to its place.")
        if offer.stock:
            lines.append(f"Stock: {offer.stock}.")
        lines += [f"Work: {offer.work}."] + ([f"A wrong turn: {offer.wrong_turn}."] if offer.wrong_turn else [])
        self._about.setText(spell("\n".join(lines), self.document.unit))
        self.take.setEnabled(offer.fits and not offer.current)

    def _seat_words(self) -> list[str]:
        turn = self.turn
        if turn.way == "dowel pins":
            return [spell(_seat_words(seat), self.document.unit) for seat in turn.seats]
        checked = turn.frame_check
        if checked is None:
            return []
        wanted = "goes in as intended" if checked.fits else "does not go in as intended"
        return [wanted, *(f"{'goes in' if way.seats else 'blocked'} {way.name}" for way in checked.others)]

    def _result_words(self) -> str:
        turn, play = self.turn, self.turn.play
        if turn.way == "two-pocket jig":
            jig = turn.after.holding.fixture
            return (
                f"The part sinks {said(jig.second.depth)} into the second pocket. The first side's outline must be cut "  # type: ignore[union-attr]
                f"at least {said(outline_reach(jig))} below its top, or the second pocket does not take hold."  # type: ignore[arg-type]
            )
        if play is None:
            return "Nothing holds it to its place."
        words = (
            f"Play {said(play.shift)} and {math.degrees(play.turn_rad):.3f}°: "
            f"{said(play.worst_at(turn.farthest.place))} at {turn.farthest.name}."
        )
        if turn.way == "dowel pins":
            one = (
                "Board and blank take the same bores."
                if turn.one_program
                else ("The board's bores are the mirror image of the blank's: each has its own program.")
            )
            words = f"{words} {one}"
        return words

    def _meeting_words(self) -> str:
        """Where outlines cut from both sides meet, and what tabs keep."""
        parting = parting_of(self.turn)
        lines = []
        if parting is None:
            lines.append("The outline is cut from one side.")
        elif parting.overlap >= 0.0:
            lines.append(f"The outlines of both sides pass each other by {said(parting.overlap)}.")
        else:
            lines.append(f"The outlines of both sides leave a floor of {said(-parting.overlap)}.")
        for setup in (self.turn.before, self.turn.after):
            for tabs in tabs_of(setup):
                words = f"{len(tabs.tabs)} tabs in {setup.setup.name} keep {said_area(tabs.area)}"
                lines.append(f"{words}: times the material's shear strength, what they hold.")
        return "\n".join(lines)

    def _check_words(self) -> str:
        """The touches that tell a right turn from a wrong one, with the spindle's caution."""
        check, unit = turn_check(self.turn), self.document.unit
        lines = []
        for touch in check.touches:
            x, y, z = (format_length(value, unit, sign=True) for value in (touch.x, touch.y, touch.z))
            wrong = ", or ".join(name for name, _ in touch.tells)
            lines.append(f"Touch the top at X {x} Y {y}: Z reads {z}. More than {said(touch.threshold)} off: {wrong}.")
        if check.cannot_tell:
            lines.append(f"No touch from above tells: {', '.join(check.cannot_tell)}.")
            lines += check.offers
        if check.chip_touches:
            lines.append(f"A chip of {said(check.chip)} under one end shows as {said(check.chip_shows)} on the top.")
        lines.append("Spindle stopped and locked out of rotation while a probe or indicator is fitted.")
        return "\n".join(lines)

    # --- what is changed ------------------------------------------------------------------

    def _turns(self) -> list[tuple[str, object]]:
        choices: list[tuple[str, object]] = []
        for axis, angle in _TURNS:
            words = lying.turn_words(axis, angle)
            choices.append((words, words))
        if self._current() not in [words for words, _ in choices]:
            choices.append((self._current(), self._current()))
        return choices

    def _current(self) -> str:
        if self.document.job is None or self.setup_index == 0:
            return ""
        return self.turn.turn.in_shop_words()

    def _apply(self, words: object) -> None:
        index = self.setup_index
        chosen = next(((a, d) for a, d in _TURNS if lying.turn_words(a, d) == words), None)
        if chosen is not None:
            self.document.apply("turn", lambda job: lying.turn_setup(job, index, *chosen))

    def _take(self) -> None:
        index, plan, way = self.setup_index, self.plan, self._offers[self.ways.currentRow()].way
        self.document.apply("what registers the turn", lambda job: with_way(job, index, way, plan))

    def _lay_out(self, layout: object) -> None:
        index, plan = self.setup_index, self.plan
        if layout is not None:
            self.document.apply("pins", lambda job: with_layout(job, index, cast("PinLayout", layout), plan))

    def _more(self) -> None:
        index, plan = self.setup_index, self.plan
        self.document.apply("pin", lambda job: add_pin(job, index, plan))

    def _less(self) -> None:
        index, plan = self.setup_index, self.plan
        self.document.apply("remove pin", lambda job: remove_pin(job, index, plan))

    def _jig_anew(self) -> None:
        index, plan = self.setup_index, self.plan
        self.document.apply("jig", lambda job: with_jig_anew(job, index, plan))

    def _seat_picked(self, row: int) -> None:
        if self.turn.way == "dowel pins":
            self.document.pick(f"seat-{row}")
        else:
            self.document.pick(f"way-{row - 1}" if row > 0 else "piece")

    # --- playing --------------------------------------------------------------------------

    def toggle_play(self) -> None:
        self._toggle(play_of_fit=False)

    def toggle_play_of_fit(self) -> None:
        self._toggle(play_of_fit=True)

    def _toggle(self, *, play_of_fit: bool) -> None:
        if self._timer.isActive():
            self.stop()
            return
        self._share, self._shows_play = 0.0, play_of_fit
        button = self.play_fit if play_of_fit else self.play
        if button is not None:
            button.setText("Stop")
        self._timer.start()
        self._tick()

    def _tick(self) -> None:
        if self._shows_play:
            self.play_shown.emit(self._share % 1.0)
        else:
            self.moment_shown.emit(min(self._share, 1.0))
            if self._share > 1.0 + _REST:
                self.stop()
        self._share += _TICK_MS / _WHOLE_MS

    def stop(self) -> None:
        """Ends playing; the scene shows before and after again."""
        if self._timer.isActive():
            self._timer.stop()
            self.play.setText("Play the turn")
            if self.play_fit is not None:
                self.play_fit.setText("Show the play")
            self.ended.emit()


def _seat_words(seat: Seat) -> str:
    return f"goes in {seat.name}" if seat.seats else f"misses by {said(seat.miss)}, {seat.name}"
