"""Opening, saving, recent jobs, autosave and recovery, with everything to be said in the notice strip."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from threading import Event
from typing import Any, Literal

from PySide6.QtCore import QDateTime, QObject, QThreadPool, QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from ledgecliff.core.changing import changed
from ledgecliff.core.edits.bench import among_all
from ledgecliff.core.errors import JobFileError, LedgecliffError, SeveralBodiesError
from ledgecliff.core.first_plan.making import FirstPlan
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.part import ModelReference, ModelUnit
from ledgecliff.core.new_job import first_plan, job_for_block, with_order
from ledgecliff.core.quantities import format_short, spell
from ledgecliff.core.sides.order import Order
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store import job_files, kernel_process, part_models, recent, recovery
from ledgecliff.store.backlog_files import names_a_backlog
from ledgecliff.store.demo import is_shipped
from ledgecliff.store.identity import new_id
from ledgecliff.store.imports import Imported, ReadBody, import_model, import_stock, read_body
from ledgecliff.store.run_files import names_a_run
from ledgecliff.store.shop import read_shop

from .document import Document
from .notices import NoticeStrip
from .workers import Work

AUTOSAVE_MS = 1500
_JOB_FILES = "Jobs (*.json)"
_DRAWING_FILES = "Drawings (*.dxf *.svg)"
_MODEL_FILES = "Models (*.step *.stp *.stl *.STEP *.STP *.STL)"
#: What an STL file's lengths may be, the usual ones first.
_UNITS: tuple[ModelUnit, ...] = ("mm", "in", "cm", "m")
#: What a model is read for.
Purpose = Literal["new job", "changed part", "stock", "fixture", "moving part"]
#: So many names are said of a longer list.
_NAMES = 5


class FileDesk(QObject):
    recent_changed = Signal()
    #: A model was read that is to be a fixture, or to move on one: its file, for what, and what was read.
    body_read = Signal(object, str, object)
    #: What was to be opened is a run, or a backlog.
    run_wanted = Signal(object)
    backlog_wanted = Signal(object)
    #: Reading has ended, well or badly.
    settled = Signal()

    def __init__(self, document: Document, notices: NoticeStrip, window: QWidget) -> None:
        super().__init__(window)
        self._document, self._notices, self._window = document, notices, window
        self._pool = QThreadPool(self)
        self._work: Work | None = None
        self._copy = recovery.RecoveryCopy()
        #: What was said of the part that was imported last.
        self._said = ""
        self._autosave = QTimer(self)
        self._autosave.setSingleShot(True)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self.keep_copy)
        document.plan_changed.connect(self._keep_soon)
        document.file_changed.connect(self._drop_when_saved)
        document.draft_changed.connect(self._keep_soon)

    # --- asking for names: replaced in tests ------------------------------------------------

    def ask_open(self) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Open a job", str(self.folder()), _JOB_FILES)
        return Path(name) if name else None

    def ask_save(self, suggested: Path, kinds: str = _JOB_FILES) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self._window, "Save as", str(suggested), kinds)
        return Path(name) if name else None

    def ask_folder(self) -> Path | None:
        name = QFileDialog.getExistingDirectory(self._window, "Folder to write to", str(self.folder()))
        return Path(name) if name else None

    def ask_model(self) -> Path | None:
        kernel_process.warm_up()
        name, _ = QFileDialog.getOpenFileName(self._window, "Import a model", str(self.folder()), _MODEL_FILES)
        return Path(name) if name else None

    def ask_drawing(self) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self._window, "Take from a drawing", str(self.folder()), _DRAWING_FILES)
        return Path(name) if name else None

    def folder(self) -> Path:
        """Where asking for a name starts: the job's own folder, the home for a demo."""
        path = self._document.path
        return Path.home() if path is None or self.is_demo(path) else path.parent

    @property
    def model_folder(self) -> Path:
        """Where the open job's model paths count from."""
        return self._document.model_folder

    @staticmethod
    def is_demo(path: Path) -> bool:
        return is_shipped(path)

    # --- opening ----------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Opens ``path``; unsaved work is asked about first, in the notice strip.  A run lies beside the job."""
        for names, wanted in ((names_a_run, self.run_wanted), (names_a_backlog, self.backlog_wanted)):
            if names(path):
                wanted.emit(path)
                return
        self.when_saved_or_dropped("Open another job", lambda: self._load(path))

    def _load(self, path: Path) -> None:
        def read(_progress: object, cancelled: Callable[[], bool]) -> tuple[Job, Models]:
            job = job_files.read_job(path)
            return job, part_models.load_models(job, path, cancelled)

        self.start(read, f"Opening {path.name}…", lambda result: self._loaded(path, *result))

    def remember(self, path: Path) -> None:
        """Offers it among what was opened lately."""
        recent.remember_job(path)
        self.recent_changed.emit()

    def start(
        self,
        function: Callable[[Callable[[int, int], None], Callable[[], bool]], object],
        words: str,
        done: Callable[[Any], None],
        *answers: tuple[str, Callable[[], None]],
    ) -> None:
        if self._work is not None:
            self._work.cancel()
        work = Work(function)
        self._work = work
        work.done.connect(done)
        work.failed.connect(lambda text: self._notices.say(text, bad=True))
        work.progress.connect(self._notices.set_progress)
        work.ended.connect(lambda: self._ended(work))
        self._notices.show_busy(words, work.cancel, *answers)
        work.start(self._pool)

    def _ended(self, work: Work) -> None:
        if self._work is work:
            self._work = None
            if self._notices.progress.isVisible():
                self._notices.hide()
            self.settled.emit()

    def busy(self) -> bool:
        return self._work is not None

    def wait(self) -> None:
        """Ends what is going on; before the window goes."""
        if self._work is not None:
            self._work.cancel()
        self._pool.waitForDone()

    def _loaded(self, path: Path, job: Job, models: Models) -> None:
        self._notices.hide()
        try:
            self._document.open(job, models, path)
        except LedgecliffError as error:
            self._notices.say(f"'{path.name}': {error}", bad=True)
            return
        self._copy.drop()
        self._document.model_folder = path.parent
        if not self.is_demo(path):
            self.remember(path)

    # --- models -----------------------------------------------------------------------------

    def take_dropped(self, path: Path) -> None:
        """A dropped job is opened; a model makes a new job, or becomes the open job's changed model."""
        if path.suffix.lower() not in part_models.FORMATS:
            self.open(path)
        elif self._document.job is None:
            self.import_model(path, "new job")
        else:
            self._notices.say(
                f"'{path.name}' is a model. What is it for?",
                ("A new job", lambda: self.import_model(path, "new job")),
                ("Changed model of this job", lambda: self.import_model(path, "changed part")),
                ("Stock of this job", lambda: self.import_model(path, "stock")),
                ("Fixture of this setup", lambda: self.import_model(path, "fixture")),
            )

    def import_model(
        self, path: Path, purpose: Purpose, unit: ModelUnit | None = None, body: int | None = None
    ) -> None:
        """Asks in place for what the file leaves open, then reads it aside; a bad file leaves all as it is."""
        if path.suffix.lower() == ".stl" and unit is None:
            self._notices.say(
                f"'{path.name}' states no length unit. Its numbers are in:",
                *((u, lambda u=u: self.import_model(path, purpose, u, body)) for u in _UNITS),
            )
        elif purpose == "new job" and body is None:
            self.when_saved_or_dropped("Start a new job", lambda: self._read_model(path, purpose, unit, body))
        elif purpose == "new job" or self._document.plan is not None:
            self._read_model(path, purpose, unit, body)

    def _read_model(self, path: Path, purpose: Purpose, unit: ModelUnit | None, body: int | None) -> None:
        plan = self._document.plan
        keep = (plan.job, plan.models) if plan is not None and purpose == "changed part" else None

        def read(progress: Callable[[int, int], None], cancelled: Callable[[], bool]) -> object:
            try:
                if purpose in ("fixture", "moving part"):
                    return read_body(path, unit or "mm", body, cancelled, progress)
                if purpose == "stock" and plan is not None:
                    return import_stock(path, (plan.job, plan.models), unit or "mm", body, cancelled, progress)
                return import_model(path, unit or "mm", body, keep, cancelled, progress)
            except SeveralBodiesError as error:
                return error

        def done(result: Imported | ReadBody | SeveralBodiesError) -> None:
            if isinstance(result, SeveralBodiesError):
                self._ask_body(path, purpose, unit, result)
            elif isinstance(result, ReadBody):
                self._notices.hide()
                self.body_read.emit(path, purpose, result)
            elif purpose == "new job":
                self._imported(path, result)
            elif purpose == "stock":
                self._took_stock(path, result)
            else:
                self._changed(path, result)

        self.start(read, f"Reading {path.name}…", done)

    def _ask_body(self, path: Path, purpose: Purpose, unit: ModelUnit | None, error: SeveralBodiesError) -> None:
        def answer(words: str, body: int) -> tuple[str, Callable[[], None]]:
            return words, lambda: self.import_model(path, purpose, unit, body)

        sizes = [
            answer(f"{number}: " + " × ".join(format_short(mm, self._document.unit) for mm in size), number)
            for number, size in enumerate(error.sizes[:_NAMES], start=1)
        ]
        words = f"'{error.name}' holds {len(error.sizes)} bodies. Which one is it?"
        self._notices.say(words, *sizes, answer("All, as an assembly", 0))

    def _imported(self, path: Path, imported: Imported) -> None:
        """The part comes to the stage at once; its sides are planned beside that."""
        if self._open_new(imported.job, imported.models, path.parent):
            self._said = f"{path.name}: {imported.words(self._document.unit)}."
            self._plan_first(imported.job, imported.models)

    def _plan_first(self, job: Job, models: Models) -> None:
        """Stock, sides and setups, worked out aside; what comes back is one edit of the job as it was opened."""
        shop, enough = self._document.shop or read_shop(), Event()

        def plan(progress: Callable[[int, int], None], cancelled: Callable[[], bool]) -> FirstPlan:
            return first_plan(
                job, models, shop, lambda: enough.is_set() or cancelled(), lambda done, of, _words: progress(done, of)
            )  # fmt: skip

        self.start(
            plan, f"{self._said} Planning its sides: what holds it, in which order, from which zeros…",
            lambda made: self._planned(job, made), ("Enough: take the best so far", enough.set),
        )  # fmt: skip

    def _planned(self, job: Job, made: FirstPlan) -> None:
        if self._document.job is not job:
            self._notices.say(
                "The first plan is ready, but the job has been changed since. Take stock and setups from it?",
                ("Take the plan", lambda: self._take_plan(made)),
            )
            return
        self._take_plan(made)

    def _take_plan(self, made: FirstPlan) -> None:
        self._notices.hide()

        def change(job: Job) -> Job:
            # Of the job as it is now: steps may have come since it was planned.
            steps = among_all(job.bench, job.setups, made.job.setups)
            return changed(job, {"stock": made.job.stock, "setups": made.job.setups, "bench": steps})

        try:
            self._document.apply("first plan", change)
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return
        if made.cannot:
            self._notices.say(spell(made.words(), self._document.unit), bad=True)
            return
        count = len(made.job.setups)
        self._notices.say(
            f"{self._said} {count} setup{'s' if count > 1 else ''} planned, with neither hazard nor error. "
            "Check the stock against the caliper."
        )

    def plan_order(self, order: Order) -> None:
        """The open job's setups made anew from an order of sides, worked out aside."""
        plan = self._document.plan
        if plan is None:
            return
        shop, enough, job = self._document.shop or read_shop(), Event(), plan.job
        self._said = ""

        def work(_progress: object, cancelled: Callable[[], bool]) -> FirstPlan:
            return with_order(
                job, order, plan.geometry, plan.models, shop, lambda: enough.is_set() or cancelled()
            )  # fmt: skip

        self.start(
            work, f"Planning {order.in_words()}…", lambda made: self._planned(job, made),
            ("Enough: take the best so far", enough.set),
        )  # fmt: skip

    def new_job(self) -> None:
        """A part without a model, to be entered by dimensions."""

        def begin() -> None:
            try:
                job = job_for_block(
                    Size(x=60.0, y=40.0, z=20.0), "New part", self._document.shop or read_shop(), new_id()
                )
                models = Models(fixtures=part_models.read_fixtures(job.machines, Path.home()))
            except LedgecliffError as error:
                self._notices.say(str(error), bad=True)
                return
            if self._open_new(job, models, Path.home()):
                self._notices.say(
                    "A block of 60 × 40 × 20 mm to begin with: type its sizes, add features, then plan its sides."
                )

        self.when_saved_or_dropped("Start a new job", begin)

    def _open_new(self, job: Job, models: Models, model_folder: Path) -> bool:
        """A job that stands in no file yet comes to the stage, its part first."""
        self._notices.hide()
        try:
            self._document.open(job, models, None, recovered=True)
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return False
        self._copy.drop()
        self._document.model_folder = model_folder
        self._document.show_scene(0)
        self._document.show_lens("part")
        return True

    def _changed(self, path: Path, imported: Imported) -> None:
        """The open job goes on with another version of its model; what was not matched is listed."""
        reference = imported.job.part.model
        assert reference is not None and imported.report is not None, "imported from a file, into a job"
        part = imported.job.part.model_copy(update={"model": self.from_here(reference, path)})
        job = imported.job.model_copy(update={"part": part})
        if not self._take("changed model", path, job, imported.models):
            return
        report = imported.report
        words = [f"{path.name}: {len(report.kept)} features as before"]
        if report.moved:
            listed = "; ".join(f"{name} {how}" for name, how in report.moved[:_NAMES])
            words.append(f"{len(report.moved)} changed ({listed}{'; …' if len(report.moved) > _NAMES else ''})")
        if report.lost:
            words.append(f"not matched, kept as they were: {', '.join(report.lost)}")
        self._notices.say(". ".join(words) + ".", bad=bool(report.lost))

    def _took_stock(self, path: Path, imported: Imported) -> None:
        stock = imported.job.stock
        assert stock.form == "model", "imported as stock"
        stock = stock.model_copy(update={"model": self.from_here(stock.model, path)})
        job = imported.job.model_copy(update={"stock": stock})
        if self._take("stock model", path, job, imported.models):
            self._document.show_scene(0)
            self._document.show_lens("stock")
            self._notices.say(f"{path.name} is the stock now, its middle in the part's middle. Check where it lies.")

    def from_here(self, reference: ModelReference, path: Path) -> ModelReference:
        """The reference to a model, from where the open job's models are counted."""
        place = os.path.relpath(path.resolve(), self._document.model_folder.resolve())
        return reference.model_copy(update={"path": place})

    def _take(self, words: str, path: Path, job: Job, models: Models) -> bool:
        self._notices.hide()
        try:
            self._document.apply_with_models(words, job, models)
        except LedgecliffError as error:
            self._notices.say(f"'{path.name}': {error}", bad=True)
            return False
        return True

    # --- saving -----------------------------------------------------------------------------

    def save(self) -> bool:
        """Saves where the job came from; a demo or a new job asks for a place.  False when not saved."""
        path = self._document.path
        if path is None or self.is_demo(path):
            return self.save_as()
        return self._write(path)

    def save_as(self) -> bool:
        job = self._document.job
        if job is None:
            return False
        path = self._document.path
        name = path.name if path else "job.json"
        chosen = self.ask_save(self.folder() / name)
        if chosen is None:
            return False
        return self._write(chosen if chosen.suffix else chosen.with_suffix(".json"))

    def _write(self, path: Path) -> bool:
        job = self._document.job
        assert job is not None, "asked only with a job"
        try:
            if self.is_demo(path):
                raise JobFileError("The demo stays as it ships. Choose another folder.")
            before = self._document.path
            if before is not None and path.resolve() != before.resolve():
                job = job.model_copy(update={"id": new_id()})  # saved elsewhere, it is another job from here on
            carried = part_models.carry_models(job, self._document.model_folder, path.parent)
            job_files.write_job(carried, path)
        except LedgecliffError as error:
            self._notices.say(str(error), bad=True)
            return False
        self._document.model_folder = path.parent
        self._document.saved_as(carried, path)
        self.remember(path)
        return True

    def when_saved_or_dropped(self, what: str, then: Callable[[], None]) -> None:
        """Does ``then`` at once when nothing is unsaved; else asks in place."""
        if not self._document.unsaved:
            then()
            return
        title = self._document.job.title if self._document.job else ""

        def save_then() -> None:
            if self.save():
                then()

        self._notices.say(
            f"'{title}' has changes that are not saved. {what}?",
            ("Save first", save_then),
            ("Drop the changes", then),
        )

    def when_kept_or_dropped(self, what: str, then: Callable[[], None]) -> None:
        """Does ``then`` at once when no touch-off by hand is only typed; else asks in place."""
        if not self._document.drafts:
            then()
            return
        names = self._document.typed_setups()
        whose = f" for {' and '.join(names)}" if names else " for another job"
        self._notices.say(
            f"Readings typed by hand{whose} are not kept in the register. {what}?", ("Drop the readings", then)
        )

    # --- recovery ---------------------------------------------------------------------------

    def _keep_soon(self) -> None:
        """Counted from the first edit, so that one edit after the other does not put it off for ever."""
        if not self._autosave.isActive():
            self._autosave.start()

    def keep_copy(self) -> None:
        """Keeps a recovery copy while there is unsaved work, or a touch-off that is not kept."""
        job = self._document.job
        if job is None or not self._is_at_stake():
            return
        try:
            self._copy.keep(job, self._document.path, self._document.model_folder, self._document.drafts.record(job.id))
        except LedgecliffError as error:
            self._notices.say(f"No recovery copy can be kept: {error}", bad=True)

    def _drop_when_saved(self) -> None:
        if not self._is_at_stake():
            self._copy.drop()

    def _is_at_stake(self) -> bool:
        return self._document.unsaved or bool(self._document.typed_setups())

    def drop_copy(self) -> None:
        self._autosave.stop()
        self._copy.drop()

    def offer_recovery(self, place: int = 0) -> bool:
        """Offers what programs that died have left behind, newest first and each by itself; True when there is
        something at ``place``."""
        found = recovery.left_behind()
        if not found:
            return False
        place %= len(found)
        left = found[place]
        where = f" of {left.origin.name}" if left.origin else ""
        which = f" ({place + 1} of {len(found)})" if len(found) > 1 else ""
        kept_at = QDateTime.fromSecsSinceEpoch(int(left.kept_at)).toString("d MMM hh:mm")

        def discard() -> None:
            left.discard()
            self.offer_recovery(place)

        others = [("Show the next", lambda: self.offer_recovery(place + 1))] if len(found) > 1 else []
        self._notices.say(
            f"Unsaved work{where} was kept at {kept_at} by a program that then died{which}: '{left.job.title}'.",
            ("Bring it back", lambda: self.when_saved_or_dropped("Bring it back", lambda: self._recover(left))),
            ("Discard this one" if others else "Discard it", discard),
            *others,
        )
        return True

    def _recover(self, left: recovery.Recovered) -> None:
        def read(_progress: object, cancelled: Callable[[], bool]) -> tuple[Job, Models]:
            return left.job, part_models.load_models(left.job, left.model_folder / "job.json", cancelled)

        def done(result: tuple[Job, Models]) -> None:
            self._notices.hide()
            self._document.model_folder = left.model_folder
            self._document.drafts.take(left.job.id, left.by_hand)
            self._document.open(*result, left.origin, recovered=True)
            self.keep_copy()
            left.discard()
            self.offer_recovery()

        self.start(read, "Bringing back unsaved work…", done)
