"""The route: the part's journey as a strip of scenes, always at the top."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QPushButton, QScrollArea, QWidget

from ledgecliff.core.drawing.pictures import Picture
from ledgecliff.core.finding import Severity
from ledgecliff.core.findings.rules import worst_of
from ledgecliff.core.frames import Turn
from ledgecliff.core.model.stock import measured_along
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, format_short
from ledgecliff.core.rehearsal.results import RehearsedSetup
from ledgecliff.core.release.seals import Stage
from ledgecliff.core.route import Scene, scenes_of

from .document import Document
from .following import Following
from .in_place import edit_setup_name
from .scene_card import FOLDED_HEIGHT, HEIGHT, Form, SceneCard
from .setup_menu import setup_menu
from .theme import Theme

#: From so many setups on the turns between them are narrow marks.
_MANY_SETUPS = 5
#: Room round the cards, above and below together, and the scroll bar of a long route (pixels).
_AIR = 12


#: How far a setup has come.
_STAGE_MARKS: dict[Stage, str] = {"planned": "○", "checked": "◔", "rehearsed": "●", "released": "▣", "run": "✓"}


def result_words(result: RehearsedSetup, unit: Unit) -> str:
    """How a setup came out of its rehearsal: stopped, or by how much a zero is off, or right."""
    if result.stopped:
        return "✕ stopped"
    off = result.worst_off
    return "● rehearsed" if off is None else f"✕ {format_short(off, unit)} off"


class Route(QScrollArea):
    """Scenes from left to right; Left and Right walk them."""

    #: What the core refused of a card's menu.
    refused = Signal(str)
    #: A hand folded or opened it.
    folded_by_hand = Signal(bool)

    def __init__(self, document: Document, following: Following, theme: Theme) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._document = document
        self._theme = theme
        self.folded = False
        self._strip = QWidget()
        self._strip.setObjectName("strip")
        self._row = QHBoxLayout(self._strip)
        self._row.setContentsMargins(8, 0, 30, 0)
        self._row.setSpacing(2)
        self.setWidget(self._strip)
        self.fold_button = QPushButton("▴", self)
        self.fold_button.setObjectName("fold")
        self.fold_button.setFixedSize(26, 26)
        self.fold_button.setAccessibleName("Fold the route to one line, or open it")
        self.fold_button.setToolTip("Fold the route to one line, or open it (Ctrl+Shift+R)")
        self.fold_button.clicked.connect(self.toggle_fold)
        self._group = QButtonGroup(self)
        self.cards: list[SceneCard] = []
        self._set_height()
        document.plan_changed.connect(self._await_pictures)
        document.findings_changed.connect(self.refresh)
        document.seals_changed.connect(self.refresh)
        following.picture_came.connect(self._show_picture)
        document.scene_changed.connect(self._mark)
        document.lit_changed.connect(self._light)
        document.rehearsal_changed.connect(self.refresh)
        document.unit_changed.connect(self.refresh)

    # --- how much room it takes ---------------------------------------------------------------

    def toggle_fold(self) -> None:
        self.fold(not self.folded)
        self.folded_by_hand.emit(self.folded)

    def fold(self, folded: bool) -> None:
        """To one line a scene, or open again."""
        if folded != self.folded:
            self.folded = folded
            self.fold_button.setText("▾" if folded else "▴")
            self._set_height()
            self._form_cards()

    def _set_height(self) -> None:
        # A long route has a scroll bar below its cards.
        self.setFixedHeight((FOLDED_HEIGHT if self.folded else HEIGHT) + _AIR)

    def _form_cards(self) -> None:
        plan = self._document.plan
        many = plan is not None and len(plan.setups) >= _MANY_SETUPS
        form: Form = "folded" if self.folded else "narrow" if many else "open"
        for card in self.cards:
            card.set_form(form)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fold_button.move(self.width() - self.fold_button.width() - 2, 2)

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        for card in self.cards:
            card.set_theme(theme)

    # --- what is shown ------------------------------------------------------------------------

    def refresh(self) -> None:
        plan = self._document.plan
        if plan is None:
            return
        self._match_cards(len(scenes_of(plan)))
        self._form_cards()
        for card, scene in zip(self.cards, scenes_of(plan), strict=True):
            turn = None
            if scene.kind == "turn" and scene.setup is not None:
                turn = Turn(plan.setups[scene.setup - 1].setup.orientation, plan.setups[scene.setup].setup.orientation)
            seal, worst = self._seal(plan, scene), self._worst(plan, scene, card)
            card.show_scene(scene, seal, worst, turn, self._document.unit)
        self._mark()
        self._light()

    def _await_pictures(self) -> None:
        for card in self.cards:
            card.stale = True
        self.refresh()

    def _worst(self, plan: Plan, scene: Scene, card: SceneCard) -> Severity | None:
        """What was found last stays until what is found now is known."""
        if self._document.findings is None:
            return card.worst
        if scene.kind not in ("stock", "setup"):
            return None
        return worst_of(self._document.findings, "" if scene.setup is None else plan.setups[scene.setup].setup.name)

    def _seal(self, plan: Plan, scene: Scene) -> str:
        """Word and mark for how far a scene has come."""
        if scene.kind == "stock":
            along = measured_along(plan.job.stock)
            return "■ measured" if all(along) else "◧ partly measured" if any(along) else "□ assumed"
        if scene.kind != "setup" or scene.setup is None:
            return ""
        rehearsal, seals = self._document.rehearsal, self._document.seals
        stage = seals[scene.setup].stage if seals else "planned"
        if rehearsal is not None and stage not in ("released", "run"):
            return result_words(rehearsal.setups[scene.setup], self._document.unit)
        return f"{_STAGE_MARKS[stage]} {stage}"

    def _match_cards(self, count: int) -> None:
        while len(self.cards) > count:
            card = self.cards.pop()
            self._group.removeButton(card)
            card.hide()
            card.deleteLater()
        while len(self.cards) < count:
            card = SceneCard(self._theme)
            index = len(self.cards)
            card.clicked.connect(lambda _checked=False, index=index: self._document.show_scene(index))
            card.menu_wanted.connect(lambda at, index=index: self._show_menu(index, at))
            card.name_wanted.connect(lambda index=index: self.rename(index))
            self._group.addButton(card)
            self.cards.append(card)
            self._row.insertWidget(index, card)

    def _show_menu(self, index: int, at: QPoint) -> None:
        """What can be done to a setup, at its card."""
        menu = self.menu_of(index)
        if menu is not None:
            menu.exec(at)

    def rename(self, index: int) -> None:
        """The name of a setup, edited on its card."""
        plan = self._document.plan
        scene = scenes_of(plan)[index] if plan is not None else None
        if scene is not None and scene.kind == "setup" and scene.setup is not None:
            card = self.cards[index]
            edit_setup_name(self._document, scene.setup, card, card.name_area(), self.refused.emit)

    def menu_of(self, index: int) -> QMenu | None:
        """None for what is no setup."""
        plan = self._document.plan
        scene = scenes_of(plan)[index] if plan is not None else None
        if scene is None or scene.kind != "setup" or scene.setup is None:
            return None
        return setup_menu(self._document, scene.setup, lambda: self.rename(index), self.refused.emit, self)

    def _show_picture(self, index: int, picture: Picture) -> None:
        if index < len(self.cards):
            self.cards[index].show_picture(picture)

    def _light(self) -> None:
        """Scenes that a chain runs through, and turns that it goes over."""
        for card in self.cards:
            scene, lit = card.scene, self._document.lit
            setup = None if scene is None else scene.setup
            ends = {setup, setup - 1} if setup is not None and scene is not None and scene.kind == "turn" else {setup}
            card.set_lit(ends <= lit)

    def _mark(self) -> None:
        index = self._document.scene_index
        if index < len(self.cards):
            self.cards[index].setChecked(True)
            self.ensureWidgetVisible(self.cards[index], 40, 0)
