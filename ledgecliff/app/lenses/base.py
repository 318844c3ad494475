"""What all lens panels share: a scrolling column of headed sections beside the drawing."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from ..document import Document
from ..field_table import Section
from ..fields import ChoiceField, ValueField


class LensPanel(QScrollArea):
    """Base of a lens; ``build`` fills it for the scene on the stage, ``refresh`` shows new values."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.setObjectName("paper")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(332)
        self.fields: list[ValueField] = []
        self.choices: list[ChoiceField] = []
        self._column = QVBoxLayout()
        self._built_for: object = None

    # What a lens brings.

    def key(self) -> object:
        """The panel is built anew when this changes; otherwise it is only refreshed."""
        return (self.setup_index, self.vise_index)

    def build(self) -> None:
        raise NotImplementedError

    def refresh_more(self) -> None:
        """Shows what is neither field nor choice."""

    # What a lens uses.

    @property
    def setup_index(self) -> int:
        scene = self.document.scene
        return scene.setup if scene is not None and scene.setup is not None else 0

    @property
    def vise_index(self) -> int:
        job = self.document.job
        if job is None:
            return 0
        name = job.setups[self.setup_index].hold.vise
        return next(k for k, vise in enumerate(job.machine.vises) if vise.name == name)

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

    def rebuild(self) -> None:
        self.fields, self.choices = [], []
        panel = QWidget()
        panel.setObjectName("panel")
        self._column = QVBoxLayout(panel)
        self._column.setContentsMargins(12, 10, 16, 12)
        self._column.setSpacing(3)
        self._built_for = self.key()
        self.build()
        self._column.addStretch(1)
        self.setWidget(panel)

    def add_heading(self, text: str) -> None:
        label = QLabel(text)
        label.setProperty("head", True)
        label.setContentsMargins(0, 6, 0, 1)
        self._column.addWidget(label)

    def add_quiet(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setWordWrap(True)
        label.setProperty("quiet", True)
        self._column.addWidget(label)
        return label

    def add_sections(self, sections: tuple[Section, ...]) -> None:
        for section in sections:
            self.add_heading(section.title)
            for spec in section.fields:
                field = ValueField(self.document, spec, self.setup_index, self.vise_index)
                self.fields.append(field)
                self._column.addWidget(field)

    def add_choice(self, choice: ChoiceField) -> None:
        self.choices.append(choice)
        self._column.addWidget(choice)

    def add_widget(self, widget: QWidget) -> None:
        self._column.addWidget(widget)
