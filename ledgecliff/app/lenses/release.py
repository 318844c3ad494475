"""The release lens: the programs as they will leave, the sheet, and the cautions that go with them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.profile import DIALECTS, profile_names, profile_of
from ledgecliff.core.programs.released import hover_text, probing_texts, registration_texts, released_files
from ledgecliff.core.quantities import spell
from ledgecliff.core.rehearsal.told import said_of_proof

from ..control_fields import offset_sections, result_sections, word_sections
from ..document import Document
from ..fields import ChoiceField
from ..hover_fields import stands_on
from ..probe_fields import hover_sections
from .base import LensPanel

if TYPE_CHECKING:
    from ledgecliff.core.reading_back.check import ReadBack

_CAUTIONS = (
    "Spindle stopped and locked out of rotation while a probe is fitted. Hands out of the travel. "
    "First run of any program above the part, at reduced feed, with a finger on hold. "
    "Follow the machine builder's manual, the shop's own rules and local safety law; "
    "where a licensed or trained person must approve the work, that person decides."
)


#: So many kinds of program stand beside each other.
_IN_A_ROW = 2


class ReleasePanel(LensPanel):
    programs_wanted = Signal()
    sheet_wanted = Signal()
    #: Who releases it, and what of it.
    release_wanted = Signal()
    #: The other kind of program is wanted on the stage.
    kind_changed = Signal()
    #: The programs of a setup are to be read back.
    read_back_wanted = Signal(int)
    #: The profile's text is wanted.
    profile_wanted = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._kind = "probing"
        document.findings_changed.connect(self._hear_findings)

    def _hear_findings(self) -> None:
        if self._built_for is not None:
            self._show_standing()

    def key(self) -> object:
        return self.setup_index, self._kinds()

    def _kinds(self) -> tuple[str, ...]:
        return ("probing", "hover", *registration_texts(self.plan, self.setup_index))

    def build(self) -> None:
        if self._kind not in self._kinds():
            self._kind = "probing"
        self.add_heading("To write")
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        for words, tip, signal in (
            ("Programs…", "Write probing and hover-check programs of all setups (Ctrl+E)", self.programs_wanted),
            ("Release…", "Programs and sheets into a folder, under one seal", self.release_wanted),
            ("Sheet…", "Write the setup sheet as HTML or PDF; all other sheets: Ctrl+P", self.sheet_wanted),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            line.addWidget(button)
        self.add_widget(row)
        self._standing = self.add_quiet("")
        self._proof = self.add_quiet("")
        self.add_heading("What will be written")
        self._files = self.add_quiet("")
        self.add_heading("Written in")
        self.add_choice(
            ChoiceField(
                "Profile",
                "How programs are spelled for this machine's control.",
                lambda: [(name, name) for name in profile_names(self.machine)],
                lambda: self.machine.profile,
                lambda name: self.document.set_value("profile", (*self.machine_path, "profile"), name),
            )
        )
        self._dialect = self.add_quiet("")
        self.add_buttons(
            ("Edit these words…", "See the profile, copy it, change it with a live example", self.profile_wanted.emit),
            (
                "Read back",
                "Run the probing program, drive each of its stops, and compare it with the plan",
                self._want_back,
            ),
        )
        self._read = self.add_quiet("")
        self.add_sections(result_sections(self.machine_path[1], self.setup_index))
        self.add_sections(word_sections(self.machine_path[1]))
        self.add_sections(offset_sections(self.machine_path[1]))
        self.add_sections(hover_sections(self.setup_index))
        self.add_choice(stands_on(self.document, self.setup_index))
        self.add_heading("Program text on the stage")
        self.kind_buttons: dict[str, QPushButton] = {}
        self._group = QButtonGroup(self)
        for first in range(0, len(self._kinds()), _IN_A_ROW):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 2, 0, 2)
            for kind in self._kinds()[first : first + _IN_A_ROW]:
                line.addWidget(self._kind_button(kind))
            line.addStretch(1)
            self.add_widget(row)
        self.add_heading("Caution")
        self.add_quiet(_CAUTIONS)
        self.refresh_more()

    def _kind_button(self, kind: str) -> QPushButton:
        button = QPushButton(f"{kind} program" if kind in ("probing", "hover") else f"{kind}")
        button.setCheckable(True)
        button.setChecked(kind == self._kind)
        button.setProperty("tab", True)
        button.clicked.connect(lambda _checked=False: self.show_kind(kind))
        self._group.addButton(button)
        self.kind_buttons[kind] = button
        return button

    def show_kind(self, kind: str) -> None:
        """Another kind of program on the stage, as by its button."""
        if kind in self.kind_buttons:
            self.kind_buttons[kind].setChecked(True)
        self._kind = kind
        self.kind_changed.emit()

    def refresh_more(self) -> None:
        plan = self.document.plan
        if plan is None:
            return
        self._read.setText("")
        self._show_standing()
        self._proof.setText(spell(said_of_proof(self.document.rehearsal, self.document.worlds), self.document.unit))
        self._files.setText(_listed(plan))
        self._dialect.setText(self._dialect_words())

    def _dialect_words(self) -> str:
        try:
            return f"For controls with {DIALECTS[profile_of(self.machine).control]}."
        except LedgecliffError as error:
            return str(error)

    def _show_standing(self) -> None:
        findings = self.document.findings
        bad = [f for f in findings or () if f.severity in ("hazard", "error")]
        if findings is None or self.document.beside is None:
            words = "Being checked…"
        elif bad:
            stand = "1 hazard or error stands" if len(bad) == 1 else f"{len(bad)} hazards or errors stand"
            words = f"{stand} against this plan: not fit to run."
        else:
            words = "No hazard or error stands."
        self._standing.setText(words)

    def _want_back(self) -> None:
        self.read_back_wanted.emit(self.setup_index)

    def show_read_back(self, setup_index: int, back: ReadBack) -> None:
        """Says what came of running the text on the control against the plan."""
        if setup_index != self.setup_index:
            return
        if back.differences:
            self._read.setText("Not as planned: " + "; ".join(back.differences[:3]))
        else:
            agree = f"{back.touches} touches and {back.results} results agree"
            self._read.setText(f"As planned: {agree}, {back.stops} stops were driven and held.")

    def program_text(self) -> str:
        """The text on the stage, or why there is none."""
        plan = self.document.plan
        if plan is None:
            return ""
        try:
            match self._kind:
                case "probing":
                    return "\n".join(text.text for text in probing_texts(plan, self.setup_index))
                case "hover":
                    return hover_text(plan, self.setup_index)
                case kind:
                    return registration_texts(plan, self.setup_index).get(kind, "")
        except LedgecliffError as error:
            return str(error)


def _listed(plan: Plan) -> str:
    """The names of all programs, a line each; or why there are none."""
    try:
        return "\n".join(released_files(plan))
    except LedgecliffError as error:
        return str(error)
