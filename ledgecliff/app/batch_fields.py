"""The stock lens's part about blanks that vary: sizes in, groups, how many clean up, and a group's values taken."""

from __future__ import annotations

from pathlib import Path
from typing import Any, get_args

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QListWidget, QPlainTextEdit

from ledgecliff.core.blank_batches import BatchTold, batch_told, group_words, odds_words
from ledgecliff.core.drawing.odds_view import odds_view
from ledgecliff.core.edits.batches import (
    batch_in,
    with_batch,
    with_group_values,
    with_typed_sizes,
    without_batch,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.batch import AllowanceRule, OddsFrom
from ledgecliff.core.quantities import format_length, spell

from .drawing_card import DrawingCard
from .field_table import length
from .fields import ChoiceField
from .lenses.base import LensPanel
from .theme import Theme, scaled

_RULES: dict[AllowanceRule, str] = {
    "equal load": "as much at both ends of the middle one",
    "equal least": "as much at both ends of the smallest",
}
_ODDS: dict[OddsFrom, str] = {
    "as measured": "the blanks as measured", "uniform": "sizes spread evenly", "normal": "sizes spread normally",
}  # fmt: skip
_STOPS = {"minus": "−", "plus": "+"}
_SIZES_HIGH, _GROUPS_HIGH = 64, 132


class BatchSection:
    """Fills a lens panel."""

    def __init__(self, panel: LensPanel, theme: Theme) -> None:
        self._panel, self._theme = panel, theme
        self.list: QListWidget | None = None

    def build(self) -> None:
        panel, self.list = self._panel, None
        panel.add_heading("Blanks that differ", folds=True)
        if panel.job.stock.batch is None:
            panel.add_quiet("Sizes that were measured are shared out into groups, with what comes off each.")
            panel.add_buttons(("Measured blanks", "Groups by size, and how many clean up", self._begin))
            return
        self._sizes()
        self._how()
        self.picture = DrawingCard(self._theme, "How many blanks are of which size, and from where on they clean up")
        panel.add_widget(self.picture)
        self.odds = panel.add_quiet("")
        self._groups()

    def _begin(self) -> None:
        self._panel.document.apply("measured blanks", with_batch)

    def _sizes(self) -> None:
        self.sizes = QPlainTextEdit()
        self.sizes.setAccessibleName("Sizes of the blanks: typed or pasted, apart by spaces, commas or lines")
        self.sizes.setPlaceholderText("97.62 97.05 96.88 …")
        self.sizes.setTabChangesFocus(True)
        self.sizes.setFixedHeight(scaled(_SIZES_HIGH))
        self._panel.add_widget(self.sizes)
        self._panel.add_buttons(
            ("Take sizes", "Those above, instead of what was measured before", self._take_sizes),
            ("Read…", "A table with a size for each blank (.csv)", self._read),
            ("No batch", "Nothing more is said of several blanks", self._end),
        )

    def _how(self) -> None:
        panel = self._panel
        self._choice("Measured along", "along", {axis: f"part {axis.upper()}" for axis in AXES}, "What differs.")
        along = batch_in(panel.job).along.upper()
        stops: dict[Any, str] = {side: f"their part {sign}{along} side" for side, sign in _STOPS.items()}
        self._choice("Lie against", "stop", stops, "Which side of each blank is pushed against the stop.")
        panel.add_fields(
            length("Group differs by", "The most that blanks of one group differ.", "stock", "batch", "spread"),
            length(
                "Off everywhere", "At least so much must come off for a side to clean up.", "stock", "batch", "least"
            ),
        )
        self._choice("Comes off", "rule", {rule: _RULES[rule] for rule in get_args(AllowanceRule)},
                     "Equal load on both sides, or the most that the smallest can have.")  # fmt: skip
        self._choice("Odds from", "odds", {odds: _ODDS[odds] for odds in get_args(OddsFrom)},
                     "With no sizes: how far the stock varies, of which a normal spread holds 95 in 100.")  # fmt: skip

    def _choice(self, label: str, name: str, words: dict[Any, str], why: str) -> None:
        self._panel.add_choice(
            ChoiceField(
                label, why, lambda: [(text, value) for value, text in words.items()],
                lambda: getattr(batch_in(self._panel.job), name),
                lambda value: self._panel.document.apply(label.lower(), lambda job: with_batch(job, **{name: value})),
            )
        )  # fmt: skip

    def _groups(self) -> None:
        panel = self._panel
        self.list = QListWidget()
        self.list.setObjectName("tight")
        self.list.setAccessibleName("Groups of blanks: pick the one that is run")
        self.list.setWordWrap(True)
        self.list.setFixedHeight(scaled(_GROUPS_HIGH))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        panel.add_widget(self.list)
        self.setup = QComboBox()
        self.setup.setAccessibleName("Where its blanks are run")
        self.setup.addItems(["the stock alone", *(f"against the stop of {each.name}" for each in panel.job.setups)])
        self.setup.setToolTip("Dowels, clamps and stop of that setup stay, and the part and its zero move")
        panel.add_widget(self.setup)
        self.moved = QCheckBox("Its stop or jaw is moved, parts stay")
        self.moved.setToolTip("All groups of that setup's pattern are shifted with what the blanks lie against")
        panel.add_widget(self.moved)
        panel.add_buttons(("Take this group", "Its size, how far it varies, and what comes off", self._take_group))

    # --- what it does -------------------------------------------------------------------------

    def _end(self) -> None:
        self._panel.document.apply("no batch", without_batch)

    def _take_sizes(self) -> None:
        text, unit = self.sizes.toPlainText(), self._panel.document.unit
        self._panel.document.apply("sizes of blanks", lambda job: with_typed_sizes(job, text, unit))

    def _read(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self._panel, "Sizes of blanks", "", "Tables (*.csv *.txt);;All files (*)")
        if path:
            self._panel.attempt(lambda: self.read(Path(path)))

    def read(self, path: Path) -> None:
        """Raises InvalidValueError for what holds no sizes."""
        try:
            text = path.read_text(encoding="utf-8-sig")
        except (OSError, UnicodeError) as error:
            raise InvalidValueError("sizes", f"'{path.name}' could not be read ({error}); save it as text") from error
        unit = self._panel.document.unit
        self._panel.document.apply("sizes of blanks", lambda job: with_typed_sizes(job, text, unit))

    def _take_group(self) -> None:
        assert self.list is not None, "there is a list beside the button"
        if (row := self.list.currentRow()) < 0:
            raise InvalidValueError("group", "none is picked; pick the one that is run")
        plan, setup = self._panel.plan, self.setup.currentIndex() - 1
        where, moved = (setup if setup >= 0 else None), self.moved.isChecked()
        self._panel.document.apply(
            f"group {row + 1} of the blanks", lambda _job: with_group_values(plan, row + 1, where, stop_moved=moved)
        )

    # --- what changes by itself ---------------------------------------------------------------

    def refresh(self) -> None:
        told = batch_told(self._panel.plan)
        if self.list is None or told is None:
            return
        unit = self._panel.document.unit
        self.picture.show_drawing(odds_view(told), unit)
        self.odds.setText(spell(odds_words(told), unit))
        self._show_sizes(told)
        texts = [spell(group_words(number, each), unit) for number, each in enumerate(told.groups, start=1)]
        with QSignalBlocker(self.list):
            if [self.list.item(k).text() for k in range(self.list.count())] != texts:
                self.list.clear()
                self.list.addItems(texts)

    def _show_sizes(self, told: BatchTold) -> None:
        """What is being typed is not written over."""
        if not self.sizes.hasFocus():
            unit = self._panel.document.unit
            self.sizes.setPlainText("  ".join(format_length(size, unit) for size in told.batch.sizes))
