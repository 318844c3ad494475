"""The shop's library as a sheet over the stage: shelves at the left, what is picked at the right."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.edits.shop import SHELVES, Shelf, add_new, keep_fixture, keep_machine, remove, things_on
from ledgecliff.core.model.holding import JawSide, Vise
from ledgecliff.store.shop import for_shop

from .document import Document
from .field_table import Section
from .fields import ChoiceField, ValueField
from .hold_fields import CLOSES, CLOSES_HELP
from .sheet import Sheet
from .shop_desk import ShopDesk
from .shop_fields import new_job_sections, thing_sections

_SIDES: tuple[JawSide, ...] = ("back", "front", "left", "right")
#: Fields are no wider than this, so that names stay near their values (pixels).
_FIELDS_WIDE = 400
#: A row's shelf, and the number of its thing in the shelf's list, or None for the shelf itself.
_ROLE = Qt.ItemDataRole.UserRole


class ShopSheet(Sheet):
    def __init__(self, document: Document, desk: ShopDesk) -> None:
        super().__init__("The shop's library")
        self._document, self._desk = document, desk
        self.fields: list[ValueField] = []
        self.add_head(
            ("add", "Add", "One more thing on the picked shelf", self._add),
            ("remove", "Remove", "Take the picked thing out of the library; jobs that use it keep it", self._remove),
            ("keep", "Keep this job's fixture", "The fixture of the setup on the stage, into the library", self._keep),
            ("machine", "Keep this job's machine", "Machine, fixtures and cutters, for new jobs", self._keep_machine),
            ("undo", "Undo", "Take back the last change of the library", desk.undo_stack.undo),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
        )
        row = QHBoxLayout()
        row.setSpacing(16)
        self.list = QListWidget()
        self.list.setObjectName("tight")
        self.list.setAccessibleName("Shelves of the shop")
        self.list.setMinimumWidth(270)
        self.list.currentItemChanged.connect(self._show_thing)
        row.addWidget(self.list, 2)
        self._place = QScrollArea()
        self._place.setObjectName("paper")
        self._place.setFrameShape(QFrame.Shape.NoFrame)
        self._place.setWidgetResizable(True)
        row.addWidget(self._place, 3)
        self.column.addLayout(row, 1)
        desk.changed.connect(self.refresh)
        self.buttons["undo"].setEnabled(False)
        desk.undo_stack.canUndoChanged.connect(self.buttons["undo"].setEnabled)

    def open(self) -> None:
        """With what others have changed since."""
        super().open()
        self._desk.look_again()

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        """Shelves and things anew; what was picked stays picked."""
        shop, picked = self._desk.subject, self.picked()
        self.buttons["keep"].setEnabled(self._document.job is not None)
        self.buttons["machine"].setEnabled(self._document.job is not None)
        if shop is None:
            return
        rows: list[tuple[str, tuple[Shelf, int | None]]] = []
        for shelf in SHELVES:
            rows.append((shelf.title, (shelf, None)))
            rows += [(f"     {thing.name}", (shelf, k)) for k, thing in things_on(shop, shelf)]  # type: ignore[attr-defined]
        if [self.list.item(k).text() for k in range(self.list.count())] != [words for words, _ in rows]:
            with QSignalBlocker(self.list):
                self.list.clear()
                for words, place in rows:
                    item = QListWidgetItem(words)
                    item.setData(_ROLE, place)
                    if place[1] is None:
                        font = item.font()
                        font.setBold(True)
                        item.setFont(font)
                    self.list.addItem(item)
                current = next((k for k, (_, place) in enumerate(rows) if place == picked), 0)
                self.list.setCurrentRow(current)
            self._show_thing()
        for field in self.fields:
            field.refresh()

    def picked(self) -> tuple[Shelf, int | None] | None:
        item = self.list.currentItem()
        return None if item is None else cast("tuple[Shelf, int | None]", item.data(_ROLE))

    def pick(self, name: str) -> None:
        """The thing or shelf of that name."""
        for k in range(self.list.count()):
            if self.list.item(k).text().strip() == name:
                self.list.setCurrentRow(k)

    def _show_thing(self, *_rows: object) -> None:
        panel = QWidget()
        panel.setObjectName("panel")
        panel.setMaximumWidth(_FIELDS_WIDE)
        column = QVBoxLayout(panel)
        column.setContentsMargins(0, 0, 12, 0)
        column.setSpacing(3)
        self.fields = []
        picked, shop = self.picked(), self._desk.subject
        self.buttons["remove"].setEnabled(picked is not None and picked[1] is not None)
        shelf, index = picked if picked is not None else (None, None)
        if shelf is not None and shop is not None and index is not None:
            thing = dict(things_on(shop, shelf)).get(index)
            if thing is not None:
                self._add_fields(column, thing_sections(shop, thing, (*shelf.path, index)))
                if isinstance(thing, Vise):
                    column.addWidget(self._closes((*shelf.path, index, "centring"), thing))
                    column.addWidget(self._jaw_side((*shelf.path, index, "fixed_jaw"), thing))
        else:
            words = QLabel("Pick a thing to see and change its sizes, or a shelf to add to it.")
            words.setProperty("quiet", True)
            words.setWordWrap(True)
            column.addWidget(words)
            self._add_fields(column, new_job_sections() if shop is not None else ())
        column.addStretch(1)
        before = self._place.takeWidget()
        self._place.setWidget(panel)
        if before is not None:
            before.hide()
            before.deleteLater()

    def _add_fields(self, column: QVBoxLayout, sections: tuple[Section, ...]) -> None:
        for section in sections:
            head = QLabel(section.title)
            head.setProperty("head", True)
            column.addWidget(head)
            for spec in section.fields:
                field = ValueField(self._desk, spec)
                self.fields.append(field)
                column.addWidget(field)

    def _closes(self, path: tuple[str | int, ...], vise: Vise) -> ChoiceField:
        return ChoiceField(
            "Closes",
            CLOSES_HELP,
            lambda: list(CLOSES),
            lambda: vise.centring,
            lambda centring: self._desk.set_value("how the vise closes", path, centring),
        )

    def _jaw_side(self, path: tuple[str | int, ...], vise: Vise) -> ChoiceField:
        return ChoiceField(
            "First jaw" if vise.centring else "Fixed jaw",
            "Where it stands, seen by the operator.",
            lambda: [(f"at the {side}", side) for side in _SIDES],
            lambda: vise.fixed_jaw,
            lambda side: self._desk.set_value("fixed jaw", path, side),
        )

    # --- what the buttons do --------------------------------------------------------------

    def _add(self) -> None:
        picked = self.picked()
        if picked is None:
            return
        shelf = picked[0]
        self._desk.apply(f"add to {shelf.title}", lambda shop: add_new(shop, shelf))
        shop = self._desk.subject
        if shop is not None:
            self.pick(things_on(shop, shelf)[-1][1].name)  # type: ignore[attr-defined]

    def _remove(self) -> None:
        picked = self.picked()
        shelf, index = picked if picked is not None else (None, None)
        if shelf is not None and index is not None:
            self._desk.apply("remove from the library", lambda shop: remove(shop, shelf, index))

    def _keep(self) -> None:
        plan, scene = self._document.plan, self._document.scene
        if plan is None or scene is None:
            return
        setup = plan.setups[scene.setup or 0]
        fixture, station = setup.holding.fixture, setup.machine.station(setup.setup.station)
        assert station is not None, "the job's own validation keeps stations true"
        kept = for_shop(fixture, self._document.model_folder)
        self._desk.apply("keep fixture", lambda shop: keep_fixture(shop, kept, station))
        self.pick(fixture.name)

    def _keep_machine(self) -> None:
        machine = self._document.machine
        if machine is not None:
            folder = self._document.model_folder
            fixtures = tuple(for_shop(each, folder) for each in machine.fixtures)
            machine = machine.model_copy(update={"fixtures": fixtures})
            self._desk.apply("keep machine", lambda shop: keep_machine(shop, machine))
