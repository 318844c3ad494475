"""The machine's text profile as a sheet over the stage: its text at the left, what it writes at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QTextCursor, QTextFormat
from PySide6.QtWidgets import (
    QFileDialog,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QSplitter,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.changing import changed
from ledgecliff.core.edits.profiles import example, own_copy, with_profile, without_profile
from ledgecliff.core.errors import InvalidValueError, LedgecliffError, ProfileError
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.programs.profile import DIALECTS, SHIPPED, in_present_words, profile_of, shipped_profile
from ledgecliff.store.atomic import write_atomic

from .document import Document
from .sheet import Sheet
from .theme import Theme

#: The example follows when nothing was typed for so long (ms).
_PAUSE_MS = 250
_FILES = "Text profiles (*.txt);;All files (*)"
#: So many lines are shown above one that is at fault.
_ABOVE = 5
#: A larger file is no profile (bytes).
_LARGEST = 60_000


class ProfileSheet(Sheet):
    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document, self.theme = document, theme
        self._profile: OutputProfile | None = None
        self.add_head(
            ("copy", "Copy", "A copy of this profile that is this machine's own", self._copy),
            ("keep", "Keep", "Use this text for the machine's programs", self._keep),
            ("remove", "Remove", "Take this copy out of the machine", self._remove),
            ("read", "Read a file…", "A profile from a text file", self._read),
            ("write", "Write a file…", "This profile as a text file", self._write),
            ("close", "Back to the job", "Put this sheet away; what is not kept is lost", self.closed.emit),
        )
        self.said.setAccessibleName("What is wrong with the profile")
        self.text = self._editor("Text of the profile", read_only=False)
        self.example = self._editor("What the profile writes for this setup", read_only=True)
        self.files, self.suffix = QLineEdit(), QLineEdit()
        self.files.setAccessibleName("How files are called")
        self.files.setToolTip(
            "{nn} setup's number, {kk} program's, {setup} its name, {what} what it does; {job}, {side}, {version}"
        )
        self.suffix.setAccessibleName("Ending of files")
        self.suffix.setFixedWidth(80)
        row = self.add_row()
        row.addWidget(QLabel("Files are called"))
        row.addWidget(self.files, 1)
        row.addWidget(QLabel("and end in"))
        row.addWidget(self.suffix)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.addWidget(self._titled("Profile", self.text))
        both.addWidget(self._titled("What it writes for this setup", self.example))
        both.setChildrenCollapsible(False)
        self.column.addWidget(both, 1)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_PAUSE_MS)
        self._timer.timeout.connect(self.try_out)
        for edited in (self.text.textChanged, self.files.textEdited, self.suffix.textEdited):
            edited.connect(self._timer.start)

    def _machine(self) -> int:
        """The number of the machine on the stage."""
        job, machine = self._document.job, self._document.machine
        return 0 if job is None or machine is None else job.number_of(machine)

    @staticmethod
    def _editor(name: str, *, read_only: bool) -> QPlainTextEdit:
        editor = QPlainTextEdit()
        editor.setObjectName("program")
        editor.setReadOnly(read_only)
        editor.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        editor.setAccessibleName(name)
        return editor

    @staticmethod
    def _titled(words: str, editor: QPlainTextEdit) -> QWidget:
        place = QWidget()
        column = QVBoxLayout(place)
        column.setContentsMargins(0, 0, 0, 0)
        label = QLabel(words)
        label.setProperty("quiet", True)
        column.addWidget(label)
        column.addWidget(editor, 1)
        return place

    def attempt(self, action: Callable[[], object]) -> None:
        try:
            action()
        except LedgecliffError as error:
            self._say(str(error), bad=True)

    def _say(self, words: str, *, bad: bool) -> None:
        self.said.setText(words)
        self.said.setVisible(bool(words))
        self.said.setProperty("bad", bad)
        self.said.setProperty("quiet", not bad)
        self.said.style().unpolish(self.said)
        self.said.style().polish(self.said)

    # --- what is shown --------------------------------------------------------------------

    def open(self) -> None:
        self.show_profile()

    def show_profile(self) -> None:
        """The profile in use; a name that leads nowhere shows the parameter style to start from."""
        job = self._document.job
        if job is None:
            return
        try:
            self._profile = profile_of(job.machines[self._machine()])
        except ProfileError:
            self._profile = shipped_profile("parameter style")
        self.text.setPlainText(self._profile.text)
        self.files.setText(self._profile.files)
        self.suffix.setText(self._profile.suffix)
        self.try_out()

    def _edited(self) -> OutputProfile:
        assert self._profile is not None, "the sheet is shown with a profile"
        typed = {"text": self.text.toPlainText(), "files": self.files.text(), "suffix": self.suffix.text().strip()}
        return changed(self._profile, dict(typed))

    def try_out(self) -> None:
        """Writes the example anew, or marks the line that is at fault; what files may not be called is said."""
        self._timer.stop()
        plan, scene = self._document.plan, self._document.scene
        if plan is None or self._profile is None:
            return
        shipped = self._profile.name in SHIPPED
        for editor in (self.text, self.files, self.suffix):
            editor.setReadOnly(shipped)
        is_changed = (self.text.toPlainText(), self.files.text(), self.suffix.text().strip()) != (
            self._profile.text, self._profile.files, self._profile.suffix
        )  # fmt: skip
        self.title.setText(f"{self._profile.name}{' (changed)' if is_changed else ''}")
        self.buttons["copy"].setEnabled(shipped)
        self.buttons["keep"].setEnabled(is_changed and not shipped)
        self.buttons["remove"].setEnabled(not shipped)
        try:
            setup = scene.setup if scene is not None and scene.setup is not None else 0
            self.example.setPlainText(example(plan, setup, self._edited()))
        except LedgecliffError as error:
            self._mark(getattr(error, "line", 0))
            self._say(str(error), bad=True)
            return
        self._mark(0)
        dialect = f"For controls with {DIALECTS[self._profile.control]}."
        state = "It ships with the program; copy it to change it." if shipped else "It writes a program."
        self._say(f"{dialect} {state}", bad=False)

    def _mark(self, line: int) -> None:
        """Tints the line at fault, and brings it into sight unless somebody is typing."""
        marks = []
        block = self.text.document().findBlockByNumber(line - 1) if line else None
        if block is not None and block.isValid():
            mark = QTextEdit.ExtraSelection()
            mark.cursor = QTextCursor(block)
            mark.format.setBackground(QColor(self.theme.color("accent_soft")))
            mark.format.setProperty(QTextFormat.Property.FullWidthSelection, True)
            marks.append(mark)
            if not self.text.hasFocus():
                self.text.verticalScrollBar().setValue(max(line - _ABOVE, 0))
        self.text.setExtraSelections(marks)

    # --- what the buttons do ----------------------------------------------------------------

    def _copy(self) -> None:
        machine = self._machine()
        self._document.apply("profile", lambda job: own_copy(job, machine))
        self.show_profile()

    def _keep(self) -> None:
        profile = self._edited()
        machine = self._machine()
        self._document.apply("profile", lambda job: with_profile(job, profile, machine))
        self.show_profile()

    def _remove(self) -> None:
        assert self._profile is not None, "the sheet is shown with a profile"
        name = self._profile.name
        machine = self._machine()
        self._document.apply("remove profile", lambda job: without_profile(job, name, machine))
        self.show_profile()

    def _read(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Read a profile", "", _FILES)
        if path:
            self.read_file(Path(path))

    def read_file(self, path: Path) -> None:
        """The text of a file as this machine's own profile, by the file's name.  Raises InvalidValueError."""
        try:
            text = path.read_text(encoding="utf-8") if path.stat().st_size <= _LARGEST else None
        except (OSError, UnicodeDecodeError) as error:
            raise InvalidValueError("profile", f"'{path.name}' cannot be read as text: {error}") from error
        if text is None:
            raise InvalidValueError("profile", f"'{path.name}' is too large for a profile")
        control = self._profile.control if self._profile is not None else "parameter style"
        profile = OutputProfile(name=path.stem[:80], control=control, text=in_present_words(text))
        machine = self._machine()
        self._document.apply("profile", lambda job: with_profile(job, profile, machine))
        self.show_profile()

    def _write(self) -> None:
        name = f"{self._profile.name if self._profile else 'profile'}.txt".replace(" ", "-")
        path, _ = QFileDialog.getSaveFileName(self, "Write the profile", name, _FILES)
        if path:
            write_atomic(Path(path), self.text.toPlainText())
