"""The open job and everything the window shows about it: one object that all views listen to.

An edit is a new job pushed through ``apply``; undo and redo walk the same way.  Views change
nothing but this object, and this object computes nothing but asks the core.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoCommand, QUndoStack

from ledgecliff.core.changing import Path as FieldPath
from ledgecliff.core.changing import set_value
from ledgecliff.core.finding import Finding, Fix
from ledgecliff.core.findings.everything import Beside, with_rehearsed
from ledgecliff.core.lenses import BY_KEY, LensKey, SceneKind
from ledgecliff.core.look import Look
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.shop import Shop
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import Unit, spell
from ledgecliff.core.rehearsal.results import Rehearsal
from ledgecliff.core.rehearsal.worlds import Worlds
from ledgecliff.core.release.seals import Seal
from ledgecliff.core.remedies.said import said_changes
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.route import Scene, scenes_of
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.touchoff.draft import HandDraft

from .drafts import Drafts

if TYPE_CHECKING:
    from ledgecliff.core.remedies.offered import Remedy

#: Through which a kind of scene is seen first.
_FIRST_LENSES: dict[SceneKind, LensKey] = {
    "stock": "stock", "bench": "bench", "setup": "hold", "turn": "turn", "finished": "finished",
}  # fmt: skip


class _Edit(QUndoCommand):
    """From one plan's job and models to another's; all are immutable, so either way is just showing it."""

    def __init__(self, document: Document, before: Plan, after: Plan, words: str) -> None:
        super().__init__(words)
        self._document, self._before, self._after = document, (before.job, before.models), (after.job, after.models)
        #: Pushing it shows it at once.  Later it is made again: plans weigh too much to keep them all.
        self._made: Plan | None = after

    def redo(self) -> None:
        made, self._made = self._made, None
        self._document._show(made or self._document._plan_again(*self._after))

    def undo(self) -> None:
        self._document._show(self._document._plan_again(*self._before))


class _Typing(QUndoCommand):
    """From one state of a touch-off by hand to the next."""

    def __init__(self, document: Document, setup: str, before: HandDraft | None, after: HandDraft, words: str) -> None:
        super().__init__(words)
        self._document, self._setup, self._before, self._after = document, setup, before, after

    def redo(self) -> None:
        self._document.put_draft(self._setup, self._after)

    def undo(self) -> None:
        self._document.put_draft(self._setup, self._before)


class Document(QObject):
    #: Another job altogether, and with it another plan and scene; ``plan_changed`` follows.
    opened = Signal()
    #: Another plan: after an edit, undo, redo, or opening a job.
    plan_changed = Signal()
    #: Another scene or lens on the stage.
    scene_changed = Signal()
    #: Another thing is picked: a source key of drawing and tape.
    picked_changed = Signal(str)
    unit_changed = Signal()
    rehearsal_changed = Signal()
    #: One that has just come to its end.
    rehearsed = Signal(object)
    #: What is found against the plan is known now, or more of it.
    findings_changed = Signal()
    #: A setup has come farther, or back, with no finding another.
    seals_changed = Signal()
    #: The scenes along which a chain runs that is looked at.
    lit_changed = Signal()
    #: What mends a finding is known now, or that nothing does.
    remedies_changed = Signal()
    #: Title, path or unsaved state.
    file_changed = Signal()
    #: Something is typed of a touch-off by hand, or taken back.
    draft_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.undo_stack = QUndoStack(self)
        # Only after an edit is shown is it known what can be undone.
        self.undo_stack.indexChanged.connect(self.file_changed)
        self._plan: Plan | None = None
        #: What was found against the plan, None until it is known (see ``Following``); and what is known beside the
        #: plan, None while some of that is still being read.
        self.found: tuple[Finding, ...] | None = None
        self.beside: Beside | None = None
        #: How far each setup has come, with what is known beside the plan; none until that is.
        self.seals: tuple[Seal, ...] = ()
        #: By key of the finding: what mends it, or None where nothing that was tried does (see ``Trying``).
        self.remedies: dict[tuple[str, str, str], Remedy | None] = {}
        self.all_tried = False
        self.path: Path | None = None
        #: Where the open job's model paths count from; differs from the job's folder only after recovery.
        self.model_folder = Path()
        self.scene_index = 0
        #: The lens last used for each kind of scene.
        self._lenses = dict(_FIRST_LENSES)
        #: The operation on the stage through the cut lens, from 0.
        self.operation = 0
        #: The probing step on the stage through the probe lens, from 0.
        self.step = 0
        self.picked = ""
        #: Setups (by number) along whose scenes a chain runs that is looked at.
        self.lit: frozenset[int] = frozenset()
        self.unit: Unit = "mm"
        self.rehearsal: Rehearsal | None = None
        #: The same plan rehearsed in many trials.
        self.worlds: Worlds | None = None
        #: What was found by weighing it against other choices.
        self.weighed: tuple[Finding, ...] = ()
        #: The shop's library; None while it cannot be read.
        self.shop: Shop | None = None
        #: Groups of fields that are folded away.
        self.folded: set[str] = set()
        #: Touch-offs that are being typed.
        self.drafts = Drafts()
        #: The job as its file has it; None while it is nowhere.
        self._saved: Job | None = None

    # --- the job --------------------------------------------------------------------------

    @property
    def plan(self) -> Plan | None:
        return self._plan

    @plan.setter
    def plan(self, plan: Plan) -> None:
        """Nothing found against another one counts for it; whoever sets it says that it has changed."""
        self._plan, self.found, self.beside, self.seals, self.weighed = plan, None, None, (), ()
        self.remedies, self.all_tried, self.lit = {}, False, frozenset()

    @property
    def findings(self) -> tuple[Finding, ...] | None:
        """What was found against the plan, and what a rehearsal of it came to; None until it is known."""
        if self._plan is None or self.found is None:
            return None
        return with_rehearsed(self._plan, self.found, self.rehearsal, self.worlds, self.weighed)

    def set_findings(self, found: tuple[Finding, ...], beside: Beside | None, seals: tuple[Seal, ...] = ()) -> None:
        """``beside`` is None while there is more to come."""
        known = self.beside is not None and beside is not None and found == self.found
        if known:
            self.beside = beside  # looked at again, and nothing is another
            if seals != self.seals:
                self.seals = seals
                self.seals_changed.emit()
            return
        self.found, self.beside, self.seals = found, beside, seals
        self.remedies, self.all_tried = {}, False
        self.findings_changed.emit()

    def set_remedy(self, finding: Finding, remedy: Remedy | None) -> None:
        self.remedies[finding.key] = remedy
        self.remedies_changed.emit()

    def end_trying(self) -> None:
        """Everything that is worth trying was tried."""
        self.all_tried = True
        self.remedies_changed.emit()

    @property
    def job(self) -> Job | None:
        return self.plan.job if self.plan else None

    @property
    def subject(self) -> Job | None:
        """What fields edit."""
        return self.job

    @property
    def machine(self) -> Machine | None:
        """The machine of the setup on the stage, or of the one that a turn leads to; elsewhere of the first one."""
        job, scene = self.job, self.scene
        if job is None:
            return None
        return job.machine_of(job.setups[(scene.setup if scene is not None else None) or 0])

    @property
    def scene(self) -> Scene | None:
        return scenes_of(self.plan)[self.scene_index] if self.plan else None

    def open(self, job: Job, models: Models, path: Path | None, *, recovered: bool = False) -> None:
        """Another job; ``recovered`` marks one that differs from what ``path`` holds."""
        self.plan = make_plan(job, models)
        self.path, self._saved = path, None if recovered else job
        self.scene_index, self.picked = 1, ""
        self._lenses, self.operation, self.step = dict(_FIRST_LENSES), 0, 0
        self.forget_rehearsal()
        self.undo_stack.clear()
        self.opened.emit()
        self.file_changed.emit()
        self.plan_changed.emit()

    def apply(self, words: str, change: Callable[[Job], Job]) -> None:
        """The one way to edit.  Raises InvalidValueError and changes nothing when it cannot be."""
        if self.plan is None:
            return
        self.apply_with_models(words, change(self.plan.job), self.plan.models)

    def apply_with_models(self, words: str, after: Job, models: Models) -> None:
        """An edit that brings other models along, such as a changed part."""
        assert self.plan is not None, "edits exist only once a job is open"
        plan = make_plan(after, models)  # refuses before anything is pushed
        if after != self.plan.job:
            self.undo_stack.push(_Edit(self, self.plan, plan, words))

    def set_value(self, words: str, path: FieldPath, value: object) -> None:
        self.apply(words, lambda job: set_value(job, path, value))

    def apply_fix(self, fix: Fix) -> str:
        """Takes a remedy and says what it has changed.  Raises InvalidValueError where the job cannot be so."""
        before = self.job
        self.apply(spell(fix.label, self.unit), lambda job: with_fix(job, fix))
        assert before is not None and self.job is not None, "there are findings only once a job is open"
        return spell(said_changes(before, self.job, fix), self.unit)

    def _plan_again(self, job: Job, models: Models) -> Plan:
        """What undo comes back to is of the job that is open, also where that has become another one by being saved."""
        if self.plan is not None:
            job = job.model_copy(update={"id": self.plan.job.id})
        return make_plan(job, models)

    def _show(self, plan: Plan) -> None:
        self.plan = plan
        self.scene_index = min(self.scene_index, len(scenes_of(plan)) - 1)
        self.forget_rehearsal()
        self.plan_changed.emit()

    # --- by hand --------------------------------------------------------------------------

    def draft(self, setup: str) -> HandDraft | None:
        """What is typed for the setup of that id, and not kept in the register yet."""
        return self.drafts.typed(self.job.id, setup) if self.job is not None else None

    def type_draft(self, words: str, setup: str, draft: HandDraft) -> None:
        self.undo_stack.push(_Typing(self, setup, self.draft(setup), draft, words))

    def put_draft(self, setup: str, draft: HandDraft | None) -> None:
        """Not to be undone; None where it is kept, or nothing is typed."""
        if self.job is not None:
            self.drafts.put(self.job.id, setup, draft)
            self.draft_changed.emit()
            self.file_changed.emit()

    def typed_setups(self) -> list[str]:
        """Names of the setups for which something is typed and not kept."""
        if self.job is None:
            return []
        typed = self.drafts.setups(self.job.id)
        return [setup.name for setup in self.job.setups if setup.id in typed]

    # --- file state -----------------------------------------------------------------------

    @property
    def unsaved(self) -> bool:
        return self.plan is not None and self.plan.job != self._saved

    def saved_as(self, job: Job, path: Path) -> None:
        """The job stands in ``path`` now; ``job`` may differ in its id, or in where its model lies."""
        another = self.plan is not None and job != self.plan.job
        if self.plan is not None and another:
            self.drafts.move(self.plan.job.id, job.id)
            moved = job.part.model != self.plan.job.part.model or job.stock != self.plan.job.stock
            self.plan = make_plan(job, self.plan.models)
            if moved:
                self.undo_stack.clear()
        self.path, self._saved = path, job
        if another:
            self.plan_changed.emit()  # another job owns none of the codes, and is checked anew
        self.file_changed.emit()

    # --- what is shown --------------------------------------------------------------------

    def show_scene(self, index: int) -> None:
        if self.plan is None or not 0 <= index < len(scenes_of(self.plan)) or index == self.scene_index:
            return
        self.scene_index, self.operation, self.step = index, 0, 0
        self.pick("")
        self.scene_changed.emit()

    @property
    def lens(self) -> LensKey:
        """The lens through which the scene on the stage is seen."""
        return self._lenses[self.scene.kind if self.scene else "setup"]

    def look(self, number: int) -> Look | None:
        """What is on the stage; ``number`` is the operation or step of it."""
        if self._plan is None:
            return None
        scene, whole = scenes_of(self._plan)[self.scene_index], self.found is not None
        return Look(self._plan, scene, number, self.picked, self.rehearsal, whole)

    def show_setup(self, setup: int) -> None:
        """The scene of a setup by its number, from 0."""
        if self.plan is not None:
            scenes = scenes_of(self.plan)
            self.show_scene(next(k for k, s in enumerate(scenes) if s.kind == "setup" and s.setup == setup))

    def show_lens(self, lens: LensKey) -> None:
        """``lens`` for the kinds of scenes that have it; one that all have is for the kind on the stage alone."""
        before, scenes = self.lens, BY_KEY[lens].scenes
        here = self.scene.kind if self.scene else "setup"
        for kind in scenes if len(scenes) == 1 else (here,):
            self._lenses[kind] = lens
        if self.lens != before:
            self.pick("")
            self.scene_changed.emit()

    def show_step(self, index: int) -> None:
        """Puts a probing step on the stage; what was picked of another one no longer is."""
        if index != self.step or self.picked.startswith("touch-"):
            self.step = index
            self.picked = ""
            self.scene_changed.emit()

    def show_operation(self, index: int) -> None:
        if index != self.operation:
            self.operation = index
            self.scene_changed.emit()

    def pick(self, source: str) -> None:
        if source != self.picked:
            self.picked = source
            self.picked_changed.emit(source)

    def show_unit(self, unit: Unit) -> None:
        if unit != self.unit:
            self.unit = unit
            self.unit_changed.emit()

    def set_rehearsal(self, rehearsal: Rehearsal | None) -> None:
        self.rehearsal = rehearsal
        self._rehearsed()
        if rehearsal is not None:
            self.rehearsed.emit(rehearsal)

    def set_worlds(self, worlds: Worlds) -> None:
        self.worlds = worlds
        self._rehearsed()

    def light(self, setups: frozenset[int]) -> None:
        if setups != self.lit:
            self.lit = setups
            self.lit_changed.emit()

    def set_weighed(self, found: tuple[Finding, ...]) -> None:
        if found != self.weighed:
            self.weighed = found
            if self.found is not None:
                self.findings_changed.emit()

    def _rehearsed(self) -> None:
        self.rehearsal_changed.emit()
        if self.found is not None:
            self.findings_changed.emit()

    def forget_rehearsal(self) -> None:
        """What was rehearsed belongs to the plan it was run for."""
        if self.rehearsal is not None or self.worlds is not None:
            self.worlds = None
            self.set_rehearsal(None)
