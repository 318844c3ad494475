"""The release lens: the programs as they will leave, the sheet, and the cautions that go with them."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from ledgecliff.core.errors import LedgecliffError

from ..document import Document
from ..probe_fields import hover_sections
from .base import LensPanel

_CAUTIONS = (
    "Spindle stopped and locked out of rotation while a probe is fitted. Hands out of the travel. "
    "First run of any program above the part, at reduced feed, with a finger on hold. "
    "Follow the machine builder's manual, the shop's own rules and local safety law; "
    "where a licensed or trained person must approve the work, that person decides."
)


class ReleasePanel(LensPanel):
    programs_wanted = Signal()
    sheet_wanted = Signal()
    #: The other kind of program is wanted on the stage.
    kind_changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._kind = "probing"

    def build(self) -> None:
        self.add_heading("Leaves as")
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        for words, tip, signal in (
            ("Programs…", "Write probing and hover-check programs of all setups (Ctrl+E)", self.programs_wanted),
            ("Setup sheet…", "Write the setup sheet as HTML or PDF (Ctrl+P)", self.sheet_wanted),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(signal)
            line.addWidget(button)
        self.add_widget(row)
        self._standing = self.add_quiet("")
        self.add_sections(hover_sections(self.setup_index))
        self.add_heading("Program text on the stage")
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        self.kind_buttons: dict[str, QPushButton] = {}
        for kind in ("probing", "hover"):
            button = QPushButton(f"{kind} program")
            button.setCheckable(True)
            button.setAutoExclusive(True)
            button.setChecked(kind == self._kind)
            button.setProperty("tab", True)
            button.clicked.connect(lambda _checked=False, kind=kind: self._show_kind(kind))
            self.kind_buttons[kind] = button
            line.addWidget(button)
        line.addStretch(1)
        self.add_widget(row)
        self.add_heading("Caution")
        self.add_quiet(_CAUTIONS)
        self.refresh_more()

    def _show_kind(self, kind: str) -> None:
        self._kind = kind
        self.kind_changed.emit()

    def refresh_more(self) -> None:
        plan = self.document.plan
        if plan is None:
            return
        bad = [f for f in plan.findings if f.severity in ("hazard", "error")]
        self._standing.setText(
            f"{len(bad)} hazards or errors stand against this plan: not fit to run."
            if bad
            else "No hazard or error stands."
        )

    def program_text(self) -> str:
        """The text on the stage, or why there is none."""
        plan = self.document.plan
        if plan is None:
            return ""
        try:
            return plan.probing_text(self.setup_index) if self._kind == "probing" else plan.hover_text(self.setup_index)
        except LedgecliffError as error:
            return str(error)
