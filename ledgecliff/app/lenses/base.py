"""What all lens panels share: a scrolling column of headed sections beside the drawing."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QListWidget, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.plan import Plan

from ..document import Document
from ..field_table import FieldSpec, Section
from ..fields import ChoiceField, ValueField
from ..groups import Group
from ..theme import scaled

#: How wide a panel is with texts of the usual size (pixels).
_WIDTH = 332


class LensPanel(QScrollArea):
    """Base of a lens; ``build`` fills it for the scene on the stage, ``refresh`` shows new values."""

    #: A model is to be read, for what (a ``Purpose`` of the file desk).
    model_wanted = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.setObjectName("paper")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.fit_text()
        self.fields: list[ValueField] = []
        self.choices: list[ChoiceField] = []
        self._column = QVBoxLayout()
        #: Where widgets are put: the column, or the group that was opened last.
        self._into = self._column
        self._foot: QWidget | None = None
        self._built_for: object = None

    def fit_text(self) -> None:
        """As wide as its fields need with the size that texts have."""
        self.setMinimumWidth(scaled(_WIDTH))

    # What a lens brings.

    def key(self) -> object:
        """The panel is built anew when this changes; otherwise it is only refreshed."""
        return self.setup_index

    def build(self) -> None:
        raise NotImplementedError

    def refresh_more(self) -> None:
        """Shows what is neither field nor choice."""

    def foot(self) -> QVBoxLayout:
        """Filled by ``build``: what stays in sight under the column, however far that is scrolled."""
        self._foot_is_filled = True
        return self._at_foot

    def _make_foot(self) -> None:
        if self._foot is not None:
            # As with the column: it may be just sending the signal that led here.
            self._foot.hide()
            self._foot.deleteLater()
        self._foot = QWidget(self)
        self._foot.setObjectName("panel")
        self._foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._at_foot = QVBoxLayout(self._foot)
        self._at_foot.setContentsMargins(12, 6, 16, 8)
        self._foot_is_filled = False
        # What the core refuses of the panel's buttons is said here: in the column it would push them away.
        self.refused = QLabel()
        self.refused.setTextFormat(Qt.TextFormat.PlainText)
        self.refused.setWordWrap(True)
        self.refused.setProperty("bad", True)
        self.refused.hide()
        self._at_foot.addWidget(self.refused)

    def _fit_foot(self) -> None:
        if self._foot is None:
            return
        wanted = self._foot_is_filled or not self.refused.isHidden()
        self._foot.setVisible(wanted)  # before it is asked how high: only now its texts have their fonts
        wraps = self._foot.hasHeightForWidth()
        height = self._foot.heightForWidth(self.width()) if wraps else self._foot.sizeHint().height()
        height = height if wanted else 0
        self.setViewportMargins(0, 0, 0, height)
        self._foot.setGeometry(0, self.height() - height, self.width(), height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_foot()

    # What a lens uses.

    @property
    def setup_index(self) -> int:
        scene = self.document.scene
        return scene.setup if scene is not None and scene.setup is not None else 0

    @property
    def job(self) -> Job:
        assert self.document.job is not None, "a lens is shown only with a job"
        return self.document.job

    @property
    def machine(self) -> Machine:
        """The machine of the setup on the stage."""
        return self.job.machine_of(self.job.setups[self.setup_index])

    @property
    def machine_path(self) -> tuple[str, int]:
        """Where that stands in the job."""
        return self.job.machine_path(self.job.setups[self.setup_index])

    @property
    def plan(self) -> Plan:
        assert self.document.plan is not None, "a lens is shown only with a job"
        return self.document.plan

    def refresh(self) -> None:
        if self.document.plan is None:
            return
        if self.key() != self._built_for:
            self.rebuild()
        for field in self.fields:
            field.refresh()
        for choice in self.choices:
            choice.refresh()
        self.refresh_more()
        self._fit_foot()

    def rebuild(self) -> None:
        self.fields, self.choices = [], []
        self._make_foot()
        panel = QWidget()
        panel.setObjectName("panel")
        self._column = QVBoxLayout(panel)
        self._column.setContentsMargins(12, 10, 16, 12)
        self._column.setSpacing(3)
        self._into = self._column
        self._built_for = self.key()
        self.build()
        self._column.addStretch(1)
        # What stood here may be just sending the signal that led here, so it goes when that is over.
        before = self.takeWidget()
        self.setWidget(panel)
        if before is not None:
            before.hide()
            before.deleteLater()

    def add_heading(self, text: str, *, folds: bool = False) -> None:
        """What follows belongs to it; where it ``folds``, it is hidden and shown by it, and stays so until undone."""
        self._into = self._column
        if folds:
            group = Group(text, self.document.folded, f"{type(self).__name__} {text}")
            self._column.addWidget(group)
            self._into = group.inside
            return
        label = QLabel(text)
        label.setProperty("head", True)
        label.setContentsMargins(0, 6, 0, 1)
        self._column.addWidget(label)

    def add_quiet(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setWordWrap(True)
        label.setProperty("quiet", True)
        self._into.addWidget(label)
        return label

    def add_sections(self, sections: tuple[Section, ...]) -> None:
        for section in sections:
            self.add_heading(section.title, folds=True)
            self.add_fields(*section.fields)

    def add_fields(self, *specs: FieldSpec) -> None:
        """Fields into the group that was opened last."""
        for spec in specs:
            field = ValueField(self.document, spec)
            self.fields.append(field)
            self._into.addWidget(field)

    def add_buttons(self, *buttons: tuple[str, str, Callable[[], None]]) -> list[QPushButton]:
        """A row of buttons: words, tip, what they do; what the core refuses is said below them."""
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        line.setSpacing(6)
        made = []
        for words, tip, action in buttons:
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, action=action: self.attempt(action))
            line.addWidget(button)
            made.append(button)
        line.addStretch(1)
        self._into.addWidget(row)
        return made

    def attempt(self, action: Callable[[], None]) -> None:
        """Does it, and says what the core refuses beside the buttons instead of in a dialog."""
        try:
            action()
        except LedgecliffError as error:
            self.refused.setText(str(error))
            self.refused.show()
            self._fit_foot()
            return
        self.refused.hide()
        self._fit_foot()

    @staticmethod
    def show_rows(rows: QListWidget, texts: list[str], current: int) -> bool:
        """Shows ``texts`` with one of them current; True when the rows had to be made anew.

        Equal rows stay: a list must not lose its rows while it tells that another one is current.
        """
        anew = [rows.item(k).text() for k in range(rows.count())] != texts
        with QSignalBlocker(rows):
            if anew:
                rows.clear()
                rows.addItems(texts)
            rows.setCurrentRow(current)
        return anew

    def add_choice(self, choice: ChoiceField) -> None:
        self.choices.append(choice)
        self._into.addWidget(choice)

    def add_widget(self, widget: QWidget) -> None:
        self._into.addWidget(widget)

    def fold_all(self) -> None:
        """Folds all groups, or opens them where all are folded."""
        groups = self.findChildren(Group)
        folds = any(not group.is_folded for group in groups)
        for group in groups:
            group.fold(folds)
