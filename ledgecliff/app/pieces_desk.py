"""Pieces of a job taken along through the clipboard: a setup, a hold, the picked operation or step."""

from __future__ import annotations

from PySide6.QtGui import QGuiApplication

from ledgecliff.core.edits.pieces import Piece, PieceKind, as_template, piece_from, taken, with_piece
from ledgecliff.core.errors import InvalidValueError, JobFileError, LedgecliffError
from ledgecliff.core.lenses import LensKey
from ledgecliff.core.programs.text import file_stem
from ledgecliff.store.identity import new_id
from ledgecliff.store.job_files import write_job
from ledgecliff.store.part_models import carry_models

from .document import Document
from .file_desk import FileDesk
from .notices import NoticeStrip

_WORDS: dict[PieceKind, str] = {
    "setup": "setup", "hold": "way it is held", "operations": "operation", "steps": "probing step"
}  # fmt: skip


class PiecesDesk:
    def __init__(self, document: Document, notices: NoticeStrip, files: FileDesk) -> None:
        self._document, self._notices, self._files = document, notices, files

    def begin_alike(self) -> None:
        """The job as a template: written elsewhere as a new one, with its models, and opened."""
        job = self._document.job
        if job is None:
            return
        target = self._files.ask_save(self._files.folder() / f"{file_stem(job.title)}-new.json")
        if target is None:
            return
        target = target if target.suffix else target.with_suffix(".json")
        try:
            if self._files.is_demo(target) or target == self._document.path:
                raise JobFileError("A new job needs a file of its own. Choose another name or folder.")
            new = as_template(job, f"{job.title[:70]} (new)", new_id(), [new_id() for _ in job.setups])
            write_job(carry_models(new, self._files.model_folder, target.parent), target)
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return
        self._files.open(target)

    def take(self) -> None:
        """What is picked on the stage goes to the clipboard, to be put in here or in another job."""
        job, scene = self._document.job, self._document.scene
        if job is None or scene is None or scene.setup is None:
            self._notices.say("Show a setup first: it, its hold, or a picked operation or step is taken.", bad=True)
            return
        kind = _kind_in(self._document.lens)
        try:
            piece = taken(job, scene.setup, kind, self._picked(kind, scene.setup))
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return
        QGuiApplication.clipboard().setText(piece.model_dump_json())
        self._notices.say(f"Taken along: {self._named(piece)} of {job.setups[scene.setup].name}.")

    def put_in(self) -> None:
        """What was taken along comes into the setup on the stage; a whole setup after it."""
        job, scene = self._document.job, self._document.scene
        if job is None or scene is None:
            return
        try:
            piece = piece_from(QGuiApplication.clipboard().text())
            if scene.setup is None and piece.kind != "setup":
                raise InvalidValueError("piece", "show the setup first that it is to be put into")
            setup = len(job.setups) - 1 if scene.setup is None else scene.setup
            self._document.apply(f"put in a {_WORDS[piece.kind]}", lambda job: with_piece(job, piece, setup, new_id()))
        except LedgecliffError as error:
            self._notices.say(f"Not put in: {error}", bad=True)
            return
        self._notices.say(f"Put in: {self._named(piece)} from {piece.title}.")

    def _picked(self, kind: PieceKind, setup: int) -> tuple[str, ...]:
        job = self._document.job
        assert job is not None, "asked with a job open"
        now = job.setups[setup]
        if kind == "operations" and now.operations:
            return (now.operations[min(self._document.operation, len(now.operations) - 1)].name,)
        if kind == "steps" and now.probing.cycles:
            return (now.probing.cycles[min(self._document.step, len(now.probing.cycles) - 1)].name,)
        return ()

    @staticmethod
    def _named(piece: Piece) -> str:
        names = [each.name for each in (*piece.operations, *piece.steps)]
        return f"{_WORDS[piece.kind]} {', '.join(names)}".rstrip()


def _kind_in(lens: LensKey) -> PieceKind:
    """What is taken along in a lens; a whole setup where it shows no part of one by itself."""
    match lens:
        case "hold":
            return "hold"
        case "cut":
            return "operations"
        case "probe":
            return "steps"
        case _:
            return "setup"
