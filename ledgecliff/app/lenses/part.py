"""The part lens: every feature in a list, recognised and named, with its place, sizes and tolerances."""

from __future__ import annotations

from typing import Literal, cast

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QListWidget

from ledgecliff.app.part_fields import job_section
from ledgecliff.core.edits.parts import (
    ENTERED,
    add_feature,
    alike_features,
    name_alike,
    name_feature,
    remove_feature,
    with_bar_along,
    with_direction,
    with_shape,
)
from ledgecliff.core.edits.tolerances import seen_from
from ledgecliff.core.feature_list import FeatureRow, feature_list
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.model.orientation import DIRECTIONS, PartDirection, shown
from ledgecliff.core.model.part import BarShape, Feature, FeatureKind
from ledgecliff.core.quantities import format_short, spell

from ..document import Document
from ..fields import ChoiceField
from ..part_fields import feature_sections, parts_section, shape_section
from .base import LensPanel

#: Height of the list (pixels).
_LIST_HEIGHT = 262
_SYMBOLS = {"diameter": "Ø", "radius": "R"}


class PartPanel(LensPanel):
    def __init__(self, document: Document) -> None:
        super().__init__(document)
        #: The picked feature and how many there were, to follow it through a new name.
        self._followed, self._index, self._count = "", 0, 0

    def key(self) -> object:
        part = self.job.part
        return (
            part.shape.form if part.shape else part.model,
            self._picked_index(),
            len(part.features),
            self.document.unit,
        )

    def refresh(self) -> None:
        """A picked feature stays picked under another name."""
        names = [feature.name for feature in self.job.part.features]
        if self.document.picked == self._followed != "" and self._followed not in names and len(names) == self._count:
            self.document.pick(names[self._index])
        index = self._picked_index()
        self._followed, self._count = self.document.picked if index is not None else "", len(names)
        self._index = index if index is not None else 0
        super().refresh()

    def _picked_index(self) -> int | None:
        names = [feature.name for feature in self.job.part.features]
        return names.index(self.document.picked) if self.document.picked in names else None

    def build(self) -> None:
        part = self.job.part
        self.add_sections((job_section(),))
        self.add_heading("The part")
        if part.shape is None:
            notes = self.plan.geometry.notes
            self.add_quiet(
                ". ".join(("Read from its model", *(spell(note, self.document.unit) for note in notes))) + "."
            )
        else:
            self.add_choice(
                ChoiceField(
                    "Entered as",
                    "The body from which the features are cut.",
                    lambda: [("block", "block"), ("bar", "bar")],
                    lambda: self.job.part.shape.form if self.job.part.shape else None,
                    self._take_shape,
                )
            )
            section = shape_section(part)
            assert section is not None, "it has a shape"
            self.add_sections((section,))
            if part.shape.form == "bar":
                self._add_bar_axis()
        self.add_sections((parts_section(part, lambda: self.plan),))
        self.add_heading("Features")
        self.list = QListWidget()
        self.list.setAccessibleName("Features of the part")
        self.list.setToolTip("Named features first, then what else was recognised. Pick one to see it on the drawing.")
        self.list.setFixedHeight(_LIST_HEIGHT)
        self.list.setObjectName("tight")
        self.list.setUniformItemSizes(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._picked)
        self.add_widget(self.list)
        self.buttons = self.add_buttons(
            ("Name it", "Make the recognised feature one of the job's own, to be used by name", self._name),
            ("Remove", "Take the name away; what uses it must be changed first", self._remove),
        )
        if part.shape is not None:
            self.add_choice(
                ChoiceField(
                    "Add a",
                    "One more feature, in the middle of the top; then type its place and sizes.",
                    lambda: [("…", None), *((kind, kind) for kind in ENTERED)],
                    lambda: None,
                    self._add,
                )
            )
        index = self._picked_index()
        if index is not None:
            feature = part.features[index]
            if feature.on_copy is not None:
                self.add_quiet("It follows from the same feature of the first part: change it there.")
                self.refresh_more()
                return
            self.add_sections(feature_sections(index, feature, by_dimensions=part.shape is not None))
            alike = len(alike_features(self.job, index))
            if alike > 1:
                why = "Features that differ in nothing but their place take this one's name, each with a number"
                self.add_buttons((f"Name all {alike} alike so", why, lambda: self._name_alike(index)))
            if part.shape is not None:
                self._add_directions(index)
            self.add_choice(
                ChoiceField(
                    "Seen from",
                    "From which feature position, distance and wall are asked; the part's zero where none is named.",
                    lambda: [("the part's zero", None), *((f.name, f.name) for f in self.job.part.features)],
                    lambda: (t := self.job.part.features[index].tolerance) and t.to,
                    lambda name: self.document.apply(
                        "seen from", lambda job: seen_from(job, index, cast(str | None, name))
                    ),
                )
            )
        self.refresh_more()

    def _add_bar_axis(self) -> None:
        self.add_choice(
            ChoiceField(
                "Lies along",
                "The part direction along which the bar's axis runs.",
                lambda: [(f"part {axis.upper()}", axis) for axis in AXES],
                lambda: self.job.part.shape.along if isinstance(self.job.part.shape, BarShape) else None,
                lambda axis: self.document.apply("bar's axis", lambda job: with_bar_along(job, cast(Axis, axis))),
            )
        )

    def _add_directions(self, index: int) -> None:
        """Where a feature that is entered by dimensions opens, and along what its length runs."""
        path = ("part", "features", index)

        def feature() -> Feature:
            return self.job.part.features[index]

        def open_to(value: object) -> None:
            self.document.apply("direction", lambda job: with_direction(job, index, cast(PartDirection, value)))

        self.add_choice(
            ChoiceField(
                "Opens to",
                "The part direction in which it opens, or in which a boss stands out.",
                lambda: [(shown(way), way) for way in DIRECTIONS],
                lambda: feature().opens_to,
                open_to,
            )
        )
        if feature().kind in ("hole", "bore", "pocket", "slot"):
            self.add_choice(
                ChoiceField(
                    "Goes",
                    "Right through the part, or as deep as its depth says.",
                    lambda: [("to its depth", False), ("right through", True)],
                    lambda: bool(feature().through),
                    lambda value: self.document.set_value("depth", (*path, "through"), value),
                )
            )
        if feature().kind in ("pocket", "slot", "chamfer"):
            self.add_choice(
                ChoiceField(
                    "Length along",
                    "The part direction along which its length runs.",
                    lambda: [(shown(way), way) for way in DIRECTIONS if way[1] != feature().opens_to[1]],
                    lambda: feature().lengthwise,
                    lambda value: self.document.set_value("direction of length", (*path, "lengthwise"), value),
                )
            )

    def refresh_more(self) -> None:
        rows = feature_list(self.plan)
        self._rows = rows
        current = next((k for k, row in enumerate(rows) if row.name == self.document.picked), -1)
        if self.show_rows(self.list, [_words(row, self.document.unit) for row in rows], current):
            quiet = QColor(self.palette().placeholderText().color())
            for k, row in enumerate(rows):
                if not row.named:
                    self.list.item(k).setForeground(quiet)
        if current >= 0:
            self.list.scrollToItem(self.list.item(current))
        picked = self.current()
        self.buttons[0].setEnabled(picked is not None and not picked.named)
        mine = picked is not None and picked.index is not None and self.job.part.features[picked.index].on_copy is None
        self.buttons[1].setEnabled(picked is not None and picked.named and mine)

    def current(self) -> FeatureRow | None:
        row = self.list.currentRow()
        return self._rows[row] if 0 <= row < len(self._rows) else None

    def _picked(self, row: int) -> None:
        if 0 <= row < len(self._rows):
            self.document.pick(self._rows[row].name)

    def _name(self) -> None:
        row = self.current()
        if row is not None and row.found is not None:
            found = row.found
            self.document.apply("name", lambda job: name_feature(job, found))

    def _name_alike(self, index: int) -> None:
        self.attempt(lambda: self.document.apply("names", lambda job: name_alike(job, index)))

    def _remove(self) -> None:
        row = self.current()
        if row is not None and row.index is not None:
            index = row.index
            self.document.apply("remove feature", lambda job: remove_feature(job, index))

    def _add(self, kind: object) -> None:
        if kind is not None:
            plan = self.plan
            self.document.apply(f"{kind}", lambda job: add_feature(job, cast(FeatureKind, kind), plan))
            self.document.pick(self.job.part.features[-1].name)

    def _take_shape(self, form: object) -> None:
        plan = self.plan
        if self.job.part.shape is not None and form != self.job.part.shape.form:
            self.document.apply("part's form", lambda job: with_shape(job, cast(Literal["block", "bar"], form), plan))


def _words(row: FeatureRow, unit: Literal["mm", "in"]) -> str:
    """Name, sizes, and what a machinist asks first: through or blind, raw or finished."""
    sizes = " × ".join(_SYMBOLS.get(name, "") + format_short(mm, unit) for name, mm in row.sizes if name != "radius")
    through = " through" if row.through else ""
    mark = "●" if row.named else "○"
    return f"{mark} {row.name}   {sizes}{through}{'' if row.surface == 'finished' else '   as the stock is'}"
