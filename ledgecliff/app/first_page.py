"""What the stage shows before a job is open: ways to begin, jobs opened lately, and the demos."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.programs.profile import DIALECTS, SHIPPED
from ledgecliff.store.demo import DEMOS, demo_job, demo_picture
from ledgecliff.store.recent import recent_jobs
from ledgecliff.store.shop import shop_file

#: So many of the jobs opened lately are offered.
_RECENT = 6
_PICTURE = QSize(120, 68)
#: The styles as somebody sees them who has not met one of them yet.
_STYLE_WORDS = {
    "parameter style": "Parameter style",
    "numbered-variable skip style": "Numbered-variable skip style",
    "user macro style": "User macro style: the machine has macros of its own",
    "cycle call style": "Cycle call style: one call for a whole probing cycle",
}


class FirstPage(QScrollArea):
    """Nothing else is on the stage while it is shown."""

    import_wanted = Signal()
    new_wanted = Signal()
    open_wanted = Signal()
    look_round_wanted = Signal()
    #: A job file to be opened.
    job_wanted = Signal(object)
    #: How the control's programs are spelled: a profile by name.
    style_wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setWidgetResizable(True)
        self.ways: dict[str, QPushButton] = {}
        self.demo_buttons: dict[str, QPushButton] = {}
        self.recent_buttons: list[QPushButton] = []
        self.style_buttons: dict[str, QPushButton] = {}
        self.refresh()

    def refresh(self) -> None:
        """Built anew: jobs opened lately are others now, and what was asked is not asked again."""
        self.style_buttons = {}
        page = QWidget()
        page.setObjectName("paper")
        grid = QGridLayout(page)
        grid.setContentsMargins(28, 20, 28, 20)
        grid.setHorizontalSpacing(28)
        grid.setVerticalSpacing(6)
        grid.addLayout(self._begin(), 0, 0)
        grid.addLayout(self._demos(), 0, 1)
        grid.setColumnStretch(0, 1)
        grid.setColumnStretch(1, 1)
        grid.setRowStretch(1, 1)
        self.setWidget(page)

    def _begin(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(8)
        column.addWidget(_head("Begin"))
        of_model = "STEP or STL, or drop the file here: a plan one could run is made of it."
        of_sizes = "A block or bar without a model, its features typed in."
        saved = "A job that was saved before, or drop its file here."
        for key, words, why, signal in (
            ("model", "From a model…", of_model, self.import_wanted),
            ("dimensions", "From dimensions", of_sizes, self.new_wanted),
            ("job", "Open a job…", saved, self.open_wanted),
        ):
            button = _large(words, why)
            button.clicked.connect(signal)
            self.ways[key] = button
            column.addWidget(button)
        self._recent(column)
        if not shop_file().exists():
            self._styles(column)
        column.addStretch(1)
        return column

    def _recent(self, column: QVBoxLayout) -> None:
        self.recent_buttons = []
        paths = recent_jobs()[:_RECENT]
        if not paths:
            return
        column.addWidget(_head("Opened lately"))
        for path in paths:
            button = QPushButton(path.name)
            button.setProperty("flat", True)
            button.setProperty("left", True)
            button.setToolTip(str(path))
            button.clicked.connect(lambda _checked=False, path=path: self.job_wanted.emit(path))
            self.recent_buttons.append(button)
            column.addWidget(button)

    def _styles(self, column: QVBoxLayout) -> None:
        """Asked for once: it goes into the shop's machine, with which every new job begins."""
        column.addWidget(_head("How are programs spelled on your control?"))
        group = QButtonGroup(self)
        self.style_buttons = {}
        for name, control in SHIPPED.items():
            button = _large(_STYLE_WORDS[name], DIALECTS[control])
            button.setCheckable(True)
            button.clicked.connect(lambda _checked=False, name=name: self._choose(name))
            group.addButton(button)
            self.style_buttons[name] = button
            column.addWidget(button)
        self._style_words = _quiet(
            "Until you say so it is the parameter style. Each job can have another, as text you can change."
        )
        column.addWidget(self._style_words)

    def _choose(self, name: str) -> None:
        self._style_words.setText(f"New jobs are written in the {name}.")
        self.style_wanted.emit(name)

    def _demos(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        column.addWidget(_head("Look at a demo"))
        self.look_round = _large(
            "Look round, five minutes",
            "A demo by the hand: change a size, see what is wrong, mend it, rehearse, release.",
        )
        self.look_round.clicked.connect(self.look_round_wanted)
        column.addWidget(self.look_round)
        for demo in DEMOS:
            picture = QPixmap()
            picture.loadFromData(demo_picture(demo.name))
            button = _large(demo.title, demo.sentence)
            _with_picture(button, picture)
            path = demo_job(demo.name)
            button.clicked.connect(lambda _checked=False, path=path: self._open(path))
            self.demo_buttons[demo.name] = button
            column.addWidget(button)
        column.addWidget(_quiet("All of the Brackwater Tide Works, which nobody ever built."))
        column.addStretch(1)
        return column

    def _open(self, path: Path) -> None:
        self.job_wanted.emit(path)


def _head(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("head", True)
    label.setContentsMargins(0, 8, 0, 0)
    return label


def _quiet(words: str) -> QLabel:
    label = QLabel(words)
    label.setProperty("quiet", True)
    label.setWordWrap(True)
    return label


def _large(words: str, why: str) -> QPushButton:
    """A button with a sentence below its words."""
    button = QPushButton()
    button.setAccessibleName(f"{words}. {why}")
    row = QHBoxLayout(button)
    row.setContentsMargins(12, 6, 12, 6)
    column = QVBoxLayout()
    column.setSpacing(1)
    for text, kind in ((words, "head"), (why, "quiet")):
        label = QLabel(text)
        label.setProperty(kind, True)
        label.setWordWrap(True)
        label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        column.addWidget(label)
    row.addLayout(column, 1)
    button.setMinimumHeight(58)
    return button


def _with_picture(button: QPushButton, picture: QPixmap) -> None:
    """The picture left of the words, in the button's own row: Qt would put an icon in the middle of it."""
    label = QLabel()
    label.setPixmap(
        picture.scaled(_PICTURE, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
    )
    label.setFixedSize(_PICTURE)
    label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
    row = button.layout()
    assert isinstance(row, QHBoxLayout), "made in _large"
    row.insertWidget(0, label)
    button.setMinimumHeight(_PICTURE.height() + 12)
