"""The touch-off that is being typed, for each setup, as the fields edit it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.quantities import Unit
from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.entries import Entry, Use
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.touchoff.draft import HandDraft, brought_up_to_date, why_not_by_hand
from ledgecliff.core.touchoff.keeping import draft_from, kept

from .document import Document
from .register_desk import RegisterDesk


class TouchDesk(QObject):
    """What is typed is the document's, and undone with it; once kept it stands in the register, to be corrected."""

    changed = Signal()

    def __init__(self, document: Document, register: RegisterDesk) -> None:
        super().__init__(document)
        self._document, self._register = document, register
        #: By the id of their setup: what the register had, before anything was typed.
        self._begun: dict[str, HandDraft] = {}
        #: The draft that was asked for last: what it was made from, and itself.
        self._shown: tuple[SetupPlan, HandDraft, HandDraft] | None = None
        document.opened.connect(self._begun.clear)
        document.draft_changed.connect(self.changed)

    @property
    def unit(self) -> Unit:
        return self._document.unit

    @property
    def setup(self) -> SetupPlan | None:
        plan, scene = self._document.plan, self._document.scene
        return plan.setups[scene.setup] if plan is not None and scene is not None and scene.setup is not None else None

    @property
    def subject(self) -> HandDraft | None:
        """The draft of the setup on the stage; None where it cannot be touched off by hand."""
        setup = self.setup
        if setup is None or why_not_by_hand(setup):
            return None
        draft = self._document.draft(setup.setup.id) or self._begin(setup)
        if self._shown is None or self._shown[0] is not setup or self._shown[1] is not draft:
            self._shown = (setup, draft, brought_up_to_date(setup, draft))
        return self._shown[2]

    def _begin(self, setup: SetupPlan) -> HandDraft:
        which = setup.setup.id
        if which not in self._begun:
            try:
                entry = self.entry()
            except LedgecliffError:
                entry = Entry(setup.setup.offset)  # that it cannot be read is told where it would be written
            self._begun[which] = draft_from(setup, entry, self._use(setup))
        return self._begun[which]

    @property
    def page(self) -> str | None:
        """The page that was left, of the setup on the stage."""
        job, setup = self._document.job, self.setup
        return None if job is None or setup is None else self._document.drafts.page(job.id, setup.setup.id)

    def turn_to(self, page: str) -> None:
        job, setup = self._document.job, self.setup
        if job is not None and setup is not None:
            self._document.drafts.turn_to(job.id, setup.setup.id, page)

    def entry(self) -> Entry:
        """What the register has for the setup's offset."""
        setup = self.setup
        assert setup is not None, "a lens of a setup is shown"
        return self._register.entry(setup.setup.offset)

    def _use(self, setup: SetupPlan) -> Use:
        job = self._document.job
        assert job is not None, "a plan has its job"
        return use_of(job, setup.setup)

    def apply(self, words: str, change: Callable[[HandDraft], HandDraft]) -> None:
        setup, draft = self.setup, self.subject
        if setup is None or draft is None:
            return
        after = change(draft)
        if after != draft:
            self._document.type_draft(f"{words} by hand", setup.setup.id, after)

    def set_value(self, words: str, path: Path, value: object) -> None:
        self.apply(words, lambda draft: set_value(draft, path, value))

    def write(self) -> Entry:
        """What is found goes into the register.  Raises InvalidValueError, RegisterError or ShopDatabaseError."""
        setup, draft = self.setup, self.subject
        assert setup is not None and draft is not None, "a lens of a setup is shown"
        entry = kept(setup, draft, self.entry(), self._use(setup), self._register.entries())
        self._register.write([entry])
        self._begun[setup.setup.id] = draft
        self._document.put_draft(setup.setup.id, None)
        return entry
