"""Fields: values edited where they stand, in any unit, with what was understood beside them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Protocol

from pydantic import BaseModel
from PySide6.QtCore import QEvent, QSignalBlocker, Qt
from PySide6.QtGui import QKeyEvent, QKeySequence, QShowEvent
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QWidget

from ledgecliff.core.changing import Path, path_words, value_at
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.quantities import Unit, format_length, format_scatter
from ledgecliff.core.typed import parse_feed, parse_length

from .field_table import FieldSpec
from .theme import scaled


class Editor(Protocol):
    """What a field edits through: the open job's document, or the desk of the shop's library."""

    @property
    def unit(self) -> Unit: ...

    @property
    def subject(self) -> BaseModel | None: ...

    def apply(self, words: str, change: Callable[[Any], Any]) -> None: ...

    def set_value(self, words: str, path: Path, value: object) -> None: ...


def _restyle(widget: QWidget) -> None:
    widget.style().unpolish(widget)
    widget.style().polish(widget)


#: Labels with more letters may take two lines.
_LONG_LABEL = 16


class _Entry(QLineEdit):
    """A line edit whose Escape takes back what was typed and whose undo is the job's."""

    def __init__(self, take_back: Callable[[], None]) -> None:
        super().__init__()
        self._take_back = take_back
        self.setAlignment(Qt.AlignmentFlag.AlignRight)

    def event(self, event: QEvent) -> bool:
        """Undo and redo belong to the job, unless something is being typed right now."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.ShortcutOverride
            and not self.isModified()
            and (event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo))
        ):
            event.ignore()
            return False
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._take_back()
            return
        super().keyPressEvent(event)


class ValueField(QWidget):
    """One value of the job: label, entry, unit, and below it what was understood or what is wrong."""

    def __init__(self, editor: Editor, spec: FieldSpec) -> None:
        super().__init__()
        self._editor, self.spec = editor, spec
        self.path = spec.path
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 1, 0, 1)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(0)
        label = QLabel(spec.label)
        label.setWordWrap(len(spec.label) > _LONG_LABEL)
        self.entry = _Entry(self.show_value)
        self.entry.setFixedWidth(112 if spec.kind != "text" else 174)
        label.setBuddy(self.entry)
        if spec.optional:
            self.entry.setPlaceholderText("—")
        self.unit_label = QLabel()
        self.unit_label.setProperty("quiet", True)
        self.unit_label.setFixedWidth(54 if spec.kind != "text" else 0)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setProperty("quiet", True)
        self.said.hide()
        grid.addWidget(label, 0, 0)
        grid.addWidget(self.entry, 0, 1)
        grid.addWidget(self.unit_label, 0, 2)
        grid.addWidget(self.said, 1, 0, 1, 3)
        grid.setColumnStretch(0, 1)
        self.setToolTip(spec.why)
        if spec.kind == "text":
            # Words are read from their beginning, numbers by their last digit.
            self.entry.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.entry.setAccessibleName(f"{spec.label}, {path_words(self.path)}")
        self.entry.setAccessibleDescription(spec.why)
        self.entry.textEdited.connect(self._typing)
        self.entry.editingFinished.connect(self._commit)
        self.show_value()

    def refresh(self) -> None:
        """Shows the job's value, unless something is being typed right now and is not yet in."""
        if not (self.entry.hasFocus() and self.entry.isModified()):
            self.show_value()

    def show_value(self) -> None:
        """Shows the job's value in place of whatever was typed."""
        if self._editor.subject is None:
            return
        with QSignalBlocker(self.entry):
            self.entry.setText(self._shown())
            self.entry.setModified(False)
            if self.spec.kind == "text":
                self.entry.setCursorPosition(0)
        unit = self._editor.unit
        units = {"length": unit, "scatter": unit, "feed": f"{unit}/min", "angle": "°", "seconds": "s"}
        self.unit_label.setText(units.get(self.spec.kind, ""))
        self._say("", bad=False)

    def _shown(self) -> str:
        subject = self._editor.subject
        value = None if subject is None else value_at(subject, self.path)
        if value is None:
            return ""
        if self.spec.show is not None:
            return self.spec.show(value)
        if self.spec.kind in ("angle", "seconds", "minutes", "number"):
            return f"{value:g}"
        if self.spec.kind == "scatter":
            return format_scatter(value, self._editor.unit)
        if self.spec.kind in ("length", "feed"):
            return format_length(value, self._editor.unit)
        return str(value)

    def _say(self, text: str, *, bad: bool) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))
        if self.said.property("bad") != bad:
            for widget in (self.said, self.entry):
                widget.setProperty("bad", bad)
                _restyle(widget)

    def _understood(self, text: str) -> object:
        """The value that ``text`` says.  Raises LedgecliffError."""
        unit = self._editor.unit
        if self.spec.optional and not text.strip():
            return "" if self.spec.kind == "text" else None
        match self.spec.kind:
            case "length" | "scatter":
                return parse_length(text, unit)
            case "feed":
                return parse_feed(text, unit)
            case "tool" | "count":
                return int(text) if text.strip().isdigit() else text
            case "angle" | "seconds" | "minutes" | "number":
                return _number(text)
            case _:
                return text.strip()

    def _typing(self, text: str) -> None:
        """While typing only what is understood is shown; errors wait until the entry is left."""
        if self.spec.kind not in ("length", "feed"):
            return
        try:
            value = self._understood(text)
        except LedgecliffError:
            self._say("", bad=False)
            return
        if not isinstance(value, float):
            self._say("", bad=False)
            return
        unit = self._editor.unit
        self._say(
            f"= {format_length(value, unit, with_unit=True)}{'/min' if self.spec.kind == 'feed' else ''}", bad=False
        )

    def _commit(self) -> None:
        if not self.entry.isModified():
            return
        try:
            value = self._understood(self.entry.text())
            change = self.spec.change
            if change is not None:
                self._editor.apply(self.spec.label.lower(), lambda subject: change(subject, value))
            else:
                self._editor.set_value(self.spec.label.lower(), self.path, value)
        except LedgecliffError as error:
            self._say(error.said_in(self._editor.unit), bad=True)
            return
        self.show_value()


def _number(text: str) -> object:
    """A plain number, or the text itself for validation to refuse."""
    try:
        return float(text.replace("−", "-").rstrip("°s "))
    except ValueError:
        return text


#: How wide the list of a choice is beside its label, and how much of that its texts have not (pixels).
_BOX, _BOX_FRAME = 174, 40
#: What Qt takes for no limit (pixels).
_ANY_WIDTH = 2**24 - 1


class ChoiceField(QWidget):
    """One choice: label and list, which stands below the label where a text of it is too long to stand beside;
    ``apply`` gets the chosen value."""

    def __init__(
        self,
        label: str,
        why: str,
        choices: Callable[[], Sequence[tuple[str, object]]],
        current: Callable[[], object],
        apply: Callable[[object], None],
    ) -> None:
        super().__init__()
        self._choices, self._current, self._apply = choices, current, apply
        self._grid = grid = QGridLayout(self)
        grid.setContentsMargins(0, 1, 0, 1)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        words = QLabel(label)
        words.setWordWrap(len(label) > _LONG_LABEL)
        self.box = QComboBox()
        self.box.setMinimumContentsLength(8)
        self.box.setAccessibleName(label)
        self.box.setAccessibleDescription(why)
        words.setBuddy(self.box)
        self.said = QLabel()
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.said.setWordWrap(True)
        self.said.setProperty("bad", True)
        self.said.hide()
        grid.addWidget(words, 0, 0)
        grid.addWidget(self.box, 0, 1)
        grid.addWidget(self.said, 2, 0, 1, 2)
        grid.setColumnStretch(0, 1)
        self.setToolTip(why)
        self.box.activated.connect(self._chosen)
        self.refresh()

    def refresh(self) -> None:
        choices, current = self._choices(), self._current()
        with QSignalBlocker(self.box):
            if [self.box.itemText(k) for k in range(self.box.count())] != [words for words, _ in choices]:
                self.box.clear()
                self.box.addItems([words for words, _ in choices])
            index = next((k for k, (_, value) in enumerate(choices) if value == current), -1)
            self.box.setCurrentIndex(index)
        self.said.hide()
        self._fit()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._fit()  # only now its texts have their font

    def _fit(self) -> None:
        metrics, room = self.box.fontMetrics(), scaled(_BOX)
        texts = (self.box.itemText(k) for k in range(self.box.count()))
        is_long = max(map(metrics.horizontalAdvance, texts), default=0) + _BOX_FRAME > room
        self._grid.addWidget(self.box, *((1, 0, 1, 2) if is_long else (0, 1)))
        self.box.setMinimumWidth(0 if is_long else room)
        self.box.setMaximumWidth(_ANY_WIDTH if is_long else room)

    def _chosen(self, index: int) -> None:
        try:
            self._apply(self._choices()[index][1])
        except LedgecliffError as error:
            self.said.setText(str(error))
            self.said.show()
            return
        self.refresh()
