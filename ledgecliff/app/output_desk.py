"""What is written from the window: programs, drawings, pictures; and hole patterns read from drawings."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QBuffer, QByteArray, QIODevice
from PySide6.QtGui import QPixmap

from ledgecliff.core.edits.turns import with_pattern, with_pocket_outline
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.programs.text import file_stem
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store import outputs
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.drawing_shapes import DrawnShapes

from .document import Document
from .file_desk import FileDesk
from .notices import NoticeStrip

if TYPE_CHECKING:
    from .stage import Stage


#: So many files are named; the rest is counted.
_NAMED = 3


class OutputDesk:
    """Asks for a name, writes, and says in the notice strip what came of it."""

    def __init__(self, document: Document, stage: Stage, files: FileDesk, notices: NoticeStrip) -> None:
        self._document, self._stage, self._files, self._notices = document, stage, files, notices

    def _said(self, write: Callable[[], str]) -> None:
        try:
            self._notices.say(write())
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)

    def write_programs(self) -> None:
        plan = self._document.plan
        folder = self._files.ask_folder() if plan is not None else None
        if plan is None or folder is None:
            return

        def write() -> None:
            self._said(lambda: f"{len(outputs.write_programs(plan, folder))} programs written to {folder}.")

        try:
            others = outputs.would_replace(plan, folder)
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return
        if not others:
            write()
            return
        named = ", ".join(others[:_NAMED]) + (f" and {len(others) - _NAMED} more" if len(others) > _NAMED else "")
        words = f"In {folder} other programs of these names stand already: {named}. Replace them?"
        self._notices.say(words, ("Replace them", write))

    def write_drawings(self) -> None:
        from ledgecliff.store.drawing_files import write_turn_drawings  # brings ezdxf, which is slow to import

        plan = self._document.plan
        if plan is None:
            return
        if not turns_of(plan):
            self._notices.say("There is no turn to draw: the route has one setup only.")
            return
        folder = self._files.ask_folder()
        if folder is not None:
            self._said(lambda: f"{len(write_turn_drawings(plan, folder))} drawings written to {folder}.")

    def save_picture(self) -> None:
        """PNG of what the stage shows, or the drawings alone as SVG or DXF, by the ending of the name."""
        scene = self._document.scene
        if scene is None:
            return
        start = self._files.folder() / f"{file_stem(scene.title)}.png"
        path = self._files.ask_save(start, "Pictures (*.png *.svg *.dxf)")
        if path is None:
            return

        def write() -> str:
            target = path if path.suffix else path.with_suffix(".png")
            if target.suffix.lower() in (".svg", ".dxf"):
                outputs.write_drawings(self._stage.canvas.drawings, target, self._document.unit)
            else:
                write_atomic(target, _png(self._stage.picture()))
            return f"Picture written to {target}."

        self._said(write)

    def write_cards(self) -> None:
        """The cards of the setup on the stage as HTML or PDF, by the ending of the name."""
        plan, scene, unit = self._document.plan, self._document.scene, self._document.unit
        if plan is None or scene is None or scene.setup is None:
            self._notices.say("Cards are of a setup: show one first.", bad=True)
            return
        setup = scene.setup
        start = self._files.folder() / f"cards-{file_stem(plan.job.setups[setup].name)}.pdf"
        path = self._files.ask_save(start, "Cards (*.pdf *.html)")
        if path is not None:
            self._said(lambda: f"Cards written to {outputs.write_cards(plan, path, unit, [setup])}.")

    def write_tape(self) -> None:
        """The touch-off's tape as text, HTML or PDF, by the ending of the name."""
        tape, unit = self._stage.hand_panel.tape(), self._document.unit
        start = self._files.folder() / f"tape-{file_stem(tape.title)}.pdf"
        path = self._files.ask_save(start, "Tapes (*.pdf *.html *.txt)")
        if path is not None:
            self._said(lambda: f"Tape written to {outputs.write_tape(tape, unit, path)}.")

    def take_pattern(self, index: int) -> None:
        """The circles of a drawing become the pins of the turn to setup ``index``."""
        self._take("pins from a drawing", lambda job, shapes: with_pattern(job, index, shapes.circles))

    def take_outline(self, index: int) -> None:
        """The largest closed outline of a drawing becomes the second pocket of the jig that holds setup ``index``."""
        self._take("pocket from a drawing", lambda job, shapes: with_pocket_outline(job, index, shapes.outlines))

    def _take(self, words: str, edit: Callable[[Job, DrawnShapes], Job]) -> None:
        from ledgecliff.store.drawing_files import read_drawing

        path = self._files.ask_drawing()
        if path is None:
            return

        def take() -> str:
            shapes = read_drawing(path, self._document.unit)
            self._document.apply(words, lambda job: edit(job, shapes))
            return f"Taken from {path.name}: {words.removesuffix(' from a drawing')}."

        self._said(take)


def _png(picture: QPixmap) -> bytes:
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return bytes(data.data())
