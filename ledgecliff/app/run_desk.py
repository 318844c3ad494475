"""A run as the window holds it: edited, undone, written at once, and put in order behind the window."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import Signal

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.run_table import RunTable, run_table
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.finding import Finding
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import Run, TaskRef
from ledgecliff.core.plan import Plan
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.kept import kept_order
from ledgecliff.core.runs.listing import compared_words
from ledgecliff.core.runs.picture import RunPicture, run_picture
from ledgecliff.core.runs.rules import BesideRun, Planned, run_findings
from ledgecliff.core.runs.tasks import problem_of
from ledgecliff.core.scheduling.counting import Order
from ledgecliff.core.scheduling.ordering import Bound, By, Ordered, put_in_order
from ledgecliff.core.scheduling.solver import Stopper
from ledgecliff.store.beside_run import beside_run
from ledgecliff.store.demo import demo_run, is_shipped
from ledgecliff.store.identity import new_id
from ledgecliff.store.run_files import checksum_of, job_path, read_run, write_run
from ledgecliff.store.run_taking import take_over

from .document import Document
from .written_desk import WrittenDesk

#: So long a better order is looked for (s), and so long after an edit it is begun (ms).
_LOOKED_FOR, _PAUSE_MS = 10.0, 150


class RunDesk(WrittenDesk):
    """What is ticked off beside a machine is in its file at once."""

    #: Something was ticked off or taken back: the run before and after it.
    ticked = Signal(object, object)
    _told = Signal(object, object, object)
    _taken = Signal(object, object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.planned: Planned | None = None
        self.ordered: Ordered | None = None
        #: The order before the last change.
        self.was: Order | None = None
        #: Why no order can be made.
        self.no_order = ""
        self._beside: BesideRun | None = None
        self._table: tuple[tuple[Run, BesideRun, Id | None], RunTable | None] | None = None
        #: What was taken over last, in words.
        self.said = ""
        self._told.connect(self._take)
        self._taken.connect(self._take_it)
        self.failed.connect(self._cannot)

    @property
    def run(self) -> Run | None:
        held: Run | None = self.held
        return held

    # --- files ------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Raises InvalidValueError, and leaves all as it is, where it cannot be read; the demo is opened in a copy."""
        self.take_up(demo_run() if is_shipped(path) else path)

    def forget(self) -> None:
        self._beside = self.planned = self.ordered = self.was = None

    def read(self, path: Path) -> Run:
        return read_run(path)

    def write(self, held: Run, path: Path) -> None:
        write_run(held, path)
        self.said = ""

    def open_demo(self) -> None:
        self.open(demo_run())

    def begin(self, path: Path) -> None:
        """A run for the machine of the setup that is on the stage, with that loaded.  Raises LedgecliffError."""
        plan, number = self._setup_shown()
        run = edits.new_run(new_id(), path.stem[:80], plan.job.machine_of(plan.job.setups[number]))
        write_run(self._loaded(run, path), path)
        self.open(path)

    def load_setup(self) -> None:
        """The setup on the stage, at one more station.  Raises LedgecliffError."""
        path = self.named_path()
        self._beside = None  # of a job that is new to the run nothing is known yet
        self.apply("load a setup", lambda run: self._loaded(run, path))

    def _loaded(self, run: Run, path: Path) -> Run:
        plan, number = self._setup_shown()
        job = self._document.path
        if job is None or self._document.unsaved:
            raise InvalidValueError("job", "has not been saved as it is now, and a run reads its file; save it first")
        return edits.with_setup(run, plan, number, new_id, job_path(path, job), checksum_of(job))

    def _setup_shown(self) -> tuple[Plan, int]:
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None or scene.setup is None:
            raise InvalidValueError("setup", "none is on the stage; pick one on the route")
        return plan, scene.setup

    # --- edits ------------------------------------------------------------------------------

    def tick(self, ref: TaskRef, *, done: bool) -> None:
        self.apply("tick off", lambda run: edits.with_done(run, [ref], done=done))

    def tick_task(self, job: str, setup: str, task: str) -> None:
        """What was done at the machine of a setup (ids), where the run that is open has it at one station alone: which
        of several it was, nobody has said."""
        run = self.run
        if run is None:
            return
        mine = [each for each in run.stations if (each.job, each.setup) == (job, setup)]
        if len(mine) == 1 and run.has(TaskRef(of=mine[0].id, task=task)):
            self.tick(TaskRef(of=mine[0].id, task=task), done=True)

    def show(self, held: Run) -> None:
        before = self.held
        super().show(held)
        self._put_in_order(held)
        if isinstance(before, Run) and before.id == held.id and before.done != held.done:
            self.ticked.emit(before, held)

    def follow(self, ref: TaskRef, then: Sequence[TaskRef]) -> None:
        self.apply("keep together", lambda run: _in_order(edits.following(run, ref, then)))

    def keep(self, refs: Sequence[TaskRef]) -> None:
        """Tasks that follow each other as they do now, and go on doing so."""
        if len(refs) < 2:
            raise InvalidValueError("task", "one by itself follows nothing; pick a block, or several rows")
        self.apply("keep together", lambda run: _in_order(edits.with_frozen(run, refs)))

    def thaw(self, ref: TaskRef) -> None:
        self.apply("free again", lambda run: edits.thawed(run, ref))

    def count_by(self, by: By) -> None:
        self.apply("what counts", lambda run: set_value(run, ("by",), by))

    def take_over(self, *, times: bool) -> None:
        """What its jobs say now, read behind the window.  Raises LedgecliffError where nothing is open."""
        run, path = self.as_written(), self.named_path()

        def work(_progress: object, _cancelled: object) -> None:
            self._taken.emit(run, *take_over(run, path, times=times))

        self._cancel()
        self._run(work)
        self.changed.emit()

    def _take_it(self, before: Run, after: Run, told: tuple[str, ...]) -> None:
        if before is not self.run or self._over:
            return
        self._beside = None
        try:
            self.apply("take over", lambda _run: after)
        except LedgecliffError as error:
            self._cannot(str(error))
        if self.run is before:
            self._begin_in(_PAUSE_MS)
        self.said = "; ".join(told) or "nothing has changed"
        self.changed.emit()

    # --- its order --------------------------------------------------------------------------

    def _put_in_order(self, held: Run) -> None:
        """At once in the order that is known, as far as that holds; a better one is looked for behind."""
        known = self.planned
        if self.ordered is not None:
            self.was = self.ordered.order
        self.planned = self.ordered = None
        self.no_order = ""
        try:
            left = problem_of(held, done=frozenset(held.done))
        except InvalidValueError as error:
            self._cancel()
            self.no_order = str(error)
        else:
            self.planned = None if known is None else kept_order(left, known)
            self._begin_in(_PAUSE_MS)

    def _begin(self) -> None:
        run, path, known = self.run, self.path, self._beside
        if run is None or path is None:
            return
        self._stopper = stopper = Stopper()

        def work(_progress: object, _cancelled: object) -> None:
            beside = known if known is not None else beside_run(run, path)
            tasks = problem_of(run, done=frozenset(run.done))

            def tell(ordered: Ordered) -> None:
                self._told.emit(run, (Planned(tasks, ordered.order), ordered), beside)

            tell(put_in_order(tasks.problem, _LOOKED_FOR, time.monotonic, by=run.by, stopper=stopper, told=tell))

        self._run(work)

    def _take(self, run: Run, found: tuple[Planned, Ordered], beside: BesideRun) -> None:
        if run is not self.run or self._over:
            return
        self.planned, self.ordered = found
        self._beside = beside
        self.changed.emit()

    def _cannot(self, why: str) -> None:
        self.no_order = why
        self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()

    # --- what is shown ----------------------------------------------------------------------

    def picture(self) -> RunPicture | None:
        if self.run is None or self.planned is None:
            return None
        bound = self.ordered.bound if self.ordered is not None else Bound(0, 0.0)
        return run_picture(self.run, self.planned, bound.minutes)

    def table(self, shown: Id | None) -> RunTable | None:
        """What stands on the machine, with its axes as the station that is ``shown`` has them; None while the jobs of
        the run are not read."""
        if self.run is None or self._beside is None:
            return None
        of = (self.run, self._beside, shown)
        if self._table is None or any(a is not b for a, b in zip(self._table[0], of, strict=True)):
            self._table = of, run_table(self.run, self._beside.plans, shown)
        return self._table[1]

    def compared(self) -> str:
        """What the last change costs, once that is known."""
        return "" if self.was is None or self.ordered is None else compared_words(self.was, self.ordered.order)

    def findings(self) -> tuple[Finding, ...]:
        return () if self.run is None else run_findings(self.run, self.planned, self._beside)


def _in_order(run: Run) -> Run:
    """Raises InvalidValueError where what is left would go round in a circle."""
    problem_of(run, done=frozenset(run.done))
    return run
