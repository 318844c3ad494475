"""What can be done to a setup as a whole: copied, moved, taken out, another one put after it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from ledgecliff.core.edits.bench import BENCH_KINDS, BENCH_WORDS
from ledgecliff.core.edits.setups import add_setup, copy_setup, move_setup, remove_setup
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.orientation import DIRECTIONS, PartDirection, shown
from ledgecliff.core.plan import Plan
from ledgecliff.store.identity import new_id

from .document import Document
from .lenses.bench import add_beside


def _added(side: PartDirection, plan: Plan) -> Callable[[Job], Job]:
    return lambda job: add_setup(job, side, plan, new_id())


def _attempt(action: Callable[[], None], refuse: Callable[[str], None]) -> None:
    try:
        action()
    except LedgecliffError as error:
        refuse(str(error))


def setup_menu(
    document: Document, setup: int, rename: Callable[[], None], refuse: Callable[[str], None], parent: QWidget
) -> QMenu:
    """The menu of a setup's card; what the core refuses is handed to ``refuse``."""
    plan, job = document.plan, document.job
    assert plan is not None and job is not None, "there are cards only once a job is open"
    menu = QMenu(parent)
    name, last = job.setups[setup].name, len(job.setups) - 1

    def offer(words: str, what: str, change: Callable[[Job], Job], *, fits: bool = True, into: QMenu = menu) -> None:
        def apply() -> None:
            try:
                document.apply(what, change)
            except LedgecliffError as error:
                refuse(str(error))

        into.addAction(words, apply).setEnabled(fits)

    menu.addAction(f"Rename {name}…", rename)
    offer(f"Copy {name}", "copy of a setup", lambda job: copy_setup(job, setup, new_id()))
    more = menu.addMenu("Add a setup at the end, with up")
    for side in DIRECTIONS:
        offer(f"part {shown(side)}", "new setup", _added(side, plan), into=more)
    beside = menu.addMenu(f"Beside the machine, before {name}")
    for kind in BENCH_KINDS:
        beside.addAction(BENCH_WORDS[kind], partial(_attempt, partial(add_beside, document, kind, setup), refuse))
    menu.addSeparator()
    offer("Earlier", "order of setups", lambda job: move_setup(job, setup, -1), fits=setup > 0)
    offer("Later", "order of setups", lambda job: move_setup(job, setup, 1), fits=setup < last)
    menu.addSeparator()
    offer(f"Remove {name}", "remove setup", lambda job: remove_setup(job, setup), fits=last > 0)
    return menu
