"""What can be added to a setup: at the picked feature, tried in a thread (``core.adding``); the rest in a menu."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.adding.offer import Offer
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.lenses import LensKey
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.remedies.tried import Judge

from .behind import Behind
from .document import Document
from .fields import ChoiceField

#: Nothing is tried before hands pause for so long (ms).
_PAUSE_MS = 120

#: What a lens has to offer at a feature: of a plan, setup, feature's name, findings and judge.
Offers = Callable[[Plan, int, str, Sequence[Finding], Judge, Callable[[], bool]], Sequence[Offer[Any]]]
#: Groups of a menu: words, and what is in each by its own words.
Groups = Iterable[tuple[str, Iterable[tuple[str, object]]]]


class Adding(Behind):
    """Keeps what one lens offers at the feature that is picked, while that lens is on the stage."""

    changed = Signal()
    _came = Signal(object, str, object)

    def __init__(self, document: Document, lens: LensKey, offers: Offers) -> None:
        super().__init__(document)
        self._lens, self._of = lens, offers
        #: What is offered; None while it is tried.
        self.offers: Sequence[Offer[Any]] | None = ()
        self.feature = ""
        self._came.connect(self._take)
        for signal in (document.picked_changed, document.plan_changed, document.scene_changed):
            signal.connect(self._again)
        document.findings_changed.connect(self._again_when_found)

    def _again(self) -> None:
        self._cancel()
        document = self._document
        job, here = document.job, document.scene
        names = [feature.name for feature in job.part.features] if job is not None else []
        wanted = document.lens == self._lens and here is not None and here.kind == "setup" and document.picked in names
        self.feature = document.picked if wanted else ""
        self.offers = None if wanted else ()
        if wanted:
            self._begin_in(_PAUSE_MS)
        self.changed.emit()

    def _again_when_found(self) -> None:
        if self.feature and self.offers is None and not self.busy():
            self._begin_in(_PAUSE_MS)

    def _begin(self) -> None:
        plan, found, beside = self._document.plan, self._document.found, self._document.beside
        scene, name = self._document.scene, self.feature
        if plan is None or found is None or beside is None or scene is None or scene.setup is None:
            return  # begun again once the findings are known
        setup = scene.setup

        def work(_progress: object, cancelled: Callable[[], bool]) -> None:
            judge = partial(found_against, beside=beside, cancelled=cancelled)
            self._came.emit(plan, name, self._of(plan, setup, name, found, judge, cancelled))

        self._run(work)

    def _take(self, plan: Plan, name: str, offers: Sequence[Offer[Any]]) -> None:
        if plan is self._document.plan and name == self.feature:
            self.offers = offers
            self.changed.emit()


class AddHere(QWidget):
    """Buttons of what can be added at the picked feature, reasons for what cannot, and a menu with the rest."""

    def __init__(self, adding: Adding, document: Document, groups: Callable[[], Groups], take: Callable[[Any], None]):
        super().__init__()
        self._adding, self._document, self._groups, self._take = adding, document, groups, take
        self.at = ChoiceField(
            "At",
            "A feature, picked here or on the drawing: what can be done there is tried and listed.",
            self._features,
            lambda: document.picked if adding.feature else None,
            lambda name: document.pick(str(name or "")),
        )
        self._about = QLabel()
        self._about.setTextFormat(Qt.TextFormat.PlainText)
        self._about.setWordWrap(True)
        self._about.setProperty("quiet", True)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(2)
        self.more = QPushButton("Add something else…")
        self.more.setToolTip("Everything that can be added here, in groups")
        self._menu = QMenu(self.more)
        self._menu.aboutToShow.connect(self._fill)
        self.more.setMenu(self._menu)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 2)
        column.setSpacing(3)
        column.addWidget(self.at)
        column.addWidget(self._about)
        column.addLayout(self._rows)
        column.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        adding.changed.connect(self.refresh)
        document.unit_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        name, offers = self._adding.feature, self._adding.offers
        self.at.refresh()
        self._about.show()
        while (row := self._rows.takeAt(0)) is not None:
            widget = row.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()  # it may be just sending the signal that led here
        if not name:
            self._about.setText("Pick a feature: what can be done there is tried, and listed with reasons.")
            return
        self._about.setVisible(offers is None)
        self._about.setText("Trying what can be done there…")
        for offer in offers or ():
            self._show(offer)

    def _features(self) -> list[tuple[str, object]]:
        job = self._document.job
        return [("…", None), *((feature.name, feature.name) for feature in (job.part.features if job else ()))]

    def _show(self, offer: Offer[Any]) -> None:
        says = QLabel(spell(offer.says, self._document.unit))
        says.setTextFormat(Qt.TextFormat.PlainText)
        says.setWordWrap(True)
        says.setProperty("quiet", True)
        if offer.what is None:
            title = QLabel(f"✕ {offer.title}")
            title.setTextFormat(Qt.TextFormat.PlainText)
            title.setWordWrap(True)
            self._rows.addWidget(title)
        else:
            button = QPushButton(f"+ {offer.title}")
            button.setAccessibleDescription(says.text())
            button.clicked.connect(lambda _checked=False, what=offer.what: self._take(what))
            self._rows.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        self._rows.addWidget(says)

    def _fill(self) -> None:
        self._menu.clear()
        for words, each in self._groups():
            into = self._menu.addMenu(words)
            for title, what in each:
                into.addAction(title, partial(self._take, what))
