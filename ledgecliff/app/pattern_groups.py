"""What the table's panel has about a setup that stands many times: its stations, groups, instances and offsets."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from typing import TYPE_CHECKING, Any, get_args

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import QAbstractItemView, QLineEdit, QListWidget

from ledgecliff.core.edits.patterns import (
    costs_words,
    faces_for,
    first_layout,
    own_of,
    path_of,
    pattern_in,
    typed_recut,
    with_costs,
    with_group,
    with_group_shift,
    with_instance_shift,
    with_measured,
    with_new_load,
    with_over_groups,
    with_pattern,
    with_recut,
    with_state,
    without_pattern,
)
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.many_parts.choices import compared
from ledgecliff.core.many_parts.codes import SCHOOLS, codes_of_setup, with_school
from ledgecliff.core.many_parts.words import PROBED_WORDS, codes_words, compared_words, instance_words
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.pattern import Grid, GroupedBy, Listed, Missing, Ring
from ledgecliff.core.patterns.instances import Instance
from ledgecliff.core.patterns.places import recut_words
from ledgecliff.core.quantities import format_length, spell
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.setup_plan import SetupPlan

from .field_table import FieldSpec, Section, length
from .fields import ChoiceField

if TYPE_CHECKING:
    from .table_page import TablePanel

_LAYOUTS = (("one station", None), ("a grid", "grid"), ("a ring", "ring"), ("a list", "list"))
_GROUPS: dict[GroupedBy, str] = {
    "all": "all together", "rows": "rows", "columns": "columns", "faces": "faces", "own": "groups of their own",
}  # fmt: skip
_MISSING: dict[Missing, str] = {"stop": "the run stops", "skip it": "it is left out, the run goes on"}
_LIST_HIGH = 170


class PatternGroups:
    def __init__(self, panel: TablePanel, setup: int) -> None:
        self._panel, self._setup = panel, setup
        self.list: QListWidget | None = None

    # --- what it is about ---------------------------------------------------------------------

    @property
    def _plan(self) -> SetupPlan:
        return self._panel.plan.setups[self._setup]

    def instances(self) -> tuple[Instance, ...]:
        return self._panel.plan.instances(self._setup)

    def in_hand(self) -> list[Instance]:
        """Those that are picked."""
        picked = self._panel.picked_places
        return [each for each in self.instances() if each.key in picked]

    def _entries(self) -> tuple[Entry, ...]:
        beside = self._panel.document.beside
        return beside.entries.get(self._plan.machine.id, ()) if beside is not None else ()

    def _apply(self, words: str, change: Callable[[Job], Job]) -> None:
        self._panel.document.apply(f"{words}, {self._plan.setup.name}", change)

    def _set(self, words: str, **fields: Any) -> None:
        self._apply(words, lambda job: with_pattern(job, self._setup, **fields))

    # --- the groups ---------------------------------------------------------------------------

    def build(self) -> None:
        job, panel = self._panel.job, self._panel
        pattern = job.setups[self._setup].pattern
        panel.add_heading(f"{self._plan.setup.name}: how often, and where", folds=True)
        panel.add_choice(
            ChoiceField(
                "Stands at",
                "One station, or several made from it.",
                lambda: [(words, kind) for words, kind in _LAYOUTS],
                lambda: None if job.setups[self._setup].pattern is None else pattern_in(job, self._setup).layout.kind,
                self._begin,
            )
        )
        if pattern is None:
            return
        panel.add_fields(*self._layout_fields())
        self._layout_choices()
        self._instances()
        self._offsets()
        self._groups()
        self._faces()
        self._numbering()

    def _begin(self, kind: object) -> None:
        if kind is None:
            self._apply("one station", lambda job: without_pattern(job, self._setup))
            return
        low, high = self._plan.near_box
        room = float(high[0] - low[0]), float(high[1] - low[1])
        self._set("another pattern", layout=first_layout(str(kind), room), codes=(), instances=())

    def _layout_fields(self) -> tuple[FieldSpec, ...]:
        layout, path = pattern_in(self._panel.job, self._setup).layout, (*path_of(self._setup), "layout")
        step = "From one to the next, in the frame of what carries it; a sum, such as 2.9 in + 0.5 mm."
        match layout:
            case Grid():
                return (
                    FieldSpec("Columns", (*path, "columns"), "count", "Side by side along X; the master is the first."),
                    length("Column pitch", step, *path, "column_pitch"),
                    FieldSpec("Rows", (*path, "rows"), "count", "One behind the other along Y."),
                    length("Row pitch", step, *path, "row_pitch"),
                    FieldSpec("Turned", (*path, "turn_deg"), "angle", "The whole grid about its master."),
                )
            case Ring():
                return (
                    FieldSpec("Stations", (*path, "count"), "count", "Round the middle, the master among them."),
                    length("Middle X", "From the master's zero.", *path, "middle_x"),
                    length("Middle Y", "From the master's zero.", *path, "middle_y"),
                    FieldSpec("Step", (*path, "step_deg"), "angle", "From one to the next, counter-clockwise."),
                )
            case Listed():
                return tuple(
                    length(f"{k + 2}: {axis.upper()}", "From the master's zero.", *path, "places", k, "step", axis)
                    for k in range(len(layout.places))
                    for axis in AXES
                )

    def _layout_choices(self) -> None:
        layout = pattern_in(self._panel.job, self._setup).layout
        if isinstance(layout, Ring):
            self._toggle("They turn along", "layout", "turns_along", "With the ring; else they stay parallel.")
        if isinstance(layout, Listed):
            self._panel.add_buttons(
                ("One more", "A station to the list, beside the last", self._one_more),
                ("Take the last out", "The last station of the list", self._one_less),
            )

    def _numbering(self) -> None:
        panel, path = self._panel, (*path_of(self._setup), "numbering")
        layout = pattern_in(panel.job, self._setup).layout
        panel.add_heading("How they are counted", folds=True)
        panel.add_fields(
            FieldSpec("First number", (*path, "first"), "count", "How the first of them is counted."),
            FieldSpec(
                "Before it", (*path, "prefix"), "text", "Letters before each number, such as A.", True,
                change=lambda job, text: with_pattern(
                    job, self._setup,
                    numbering=pattern_in(job, self._setup).numbering.model_copy(update={"prefix": str(text or "")}),
                ),
            ),
        )  # fmt: skip
        if isinstance(layout, Grid):
            panel.add_choice(
                ChoiceField(
                    "Counted along", "Row after row, or column after column.",
                    lambda: [("rows", "rows"), ("columns", "columns")],
                    lambda: pattern_in(panel.job, self._setup).numbering.along,
                    lambda along: self._numbered(along=along),
                )
            )  # fmt: skip
            self._toggle("From the right", "numbering", "from_right", "Else from the left.")
            self._toggle("From the back", "numbering", "from_back", "Else from the front.")
            self._toggle("To and fro", "numbering", "to_and_fro", "Every other row is counted backwards.")

    def _numbered(self, **update: object) -> None:
        numbering = pattern_in(self._panel.job, self._setup).numbering
        self._set("numbering", numbering=numbering.model_copy(update=update))

    def _toggle(self, label: str, part: str, name: str, why: str) -> None:
        def value() -> bool:
            return bool(getattr(getattr(pattern_in(self._panel.job, self._setup), part), name))

        def choose(chosen: object) -> None:
            whole = getattr(pattern_in(self._panel.job, self._setup), part)
            self._set(label.lower(), **{part: whole.model_copy(update={name: bool(chosen)})})

        self._panel.add_choice(ChoiceField(label, why, lambda: [("yes", True), ("no", False)], value, choose))

    def _one_more(self) -> None:
        from ledgecliff.store.identity import new_id

        layout = pattern_in(self._panel.job, self._setup).layout
        assert isinstance(layout, Listed), "offered with a list"
        low, high = self._plan.near_box
        step = {"x": round(float(high[0] - low[0]) + 10.0) * (len(layout.places) + 1), "y": 0.0, "z": 0.0}
        more = {"id": new_id(), "step": step}
        self._set("one more station", layout={"kind": "list", "places": (*layout.places, more)})

    def _one_less(self) -> None:
        layout = pattern_in(self._panel.job, self._setup).layout
        assert isinstance(layout, Listed), "offered with a list"
        self._set("one station less", layout=layout.model_copy(update={"places": layout.places[:-1]}))

    def _faces(self) -> None:
        others = faces_for(self._panel.job, self._setup)
        if not others:
            return
        self._panel.add_heading("Faces", folds=True)
        for mount, offered in others:
            now = next(
                (f for f in pattern_in(self._panel.job, self._setup).faces if f.carrier == mount.id), None
            )  # fmt: skip
            face = now or offered
            if face is None:
                continue
            at = " ".join(f"{angle.word}{angle.degrees:g}" for angle in face.index)
            self._panel.add_choice(
                ChoiceField(
                    f"{mount.name} {at}".strip(), "All of it once more on that face, with the axes standing there.",
                    lambda: [("yes", True), ("no", False)],
                    partial(self._is_on_face, mount.id),
                    partial(self._on_face, face),
                )
            )  # fmt: skip

    def _is_on_face(self, carrier: str) -> bool:
        return any(each.carrier == carrier for each in pattern_in(self._panel.job, self._setup).faces)

    def _on_face(self, face: Any, chosen: object) -> None:
        faces = tuple(
            each for each in pattern_in(self._panel.job, self._setup).faces if each.carrier != face.carrier
        )  # fmt: skip
        self._set("faces", faces=(*faces, face) if chosen else faces, codes=())

    # --- groups -------------------------------------------------------------------------------

    def _groups(self) -> None:
        panel = self._panel
        panel.add_heading("What shifts together", folds=True)
        panel.add_choice(
            ChoiceField(
                "Groups", "What is moved at once: a row on a block of its own, a face.",
                lambda: [(_GROUPS[kind], kind) for kind in get_args(GroupedBy)[:4]],
                lambda: pattern_in(panel.job, self._setup).grouped_by,
                lambda kind: self._set("groups", grouped_by=kind, groups=()),
            )
        )  # fmt: skip
        for key, name in {each.place.group: each.group_name for each in self.instances()}.items():
            self._group(key, name)
        for operation in self._plan.setup.operations:
            self._over_groups(operation.name)

    def _group(self, key: str, name: str) -> None:
        path = (*path_of(self._setup), "groups")
        why = "How far this group lies from where the pattern has it, along the axes of what carries it; a sum."
        fields = [
            FieldSpec("Name", path, "text", "What it is called at this fixture.", False,
                      change=lambda job, text: with_group(job, self._setup, key, name, name=str(text)),
                      show=lambda _groups: self._group_of(key, name).name),
        ]  # fmt: skip
        fields += [
            FieldSpec(
                f"Shift {axis.upper()}", path, "length", why,
                change=partial(self._shift_group, key, name, axis),
                show=partial(self._group_shift, key, name, axis),
            )
            for axis in AXES
        ]  # fmt: skip
        fields += [
            FieldSpec(
                "Re-cut", path, "text",
                "Where the locating face looks and how much was cut off it, such as -Y 0.2: the sign is worked out.",
                True, change=lambda job, text: self._recut(job, key, name, str(text or "")), show=lambda _groups: "",
            ),
            FieldSpec(
                "Note", path, "text", "Why; it pops up where the fixture is used.", True,
                change=lambda job, text: with_group(job, self._setup, key, name, note=str(text or "")),
                show=lambda _groups: self._group_of(key, name).note,
            ),
        ]  # fmt: skip
        self._panel.add_sections((Section(name, tuple(fields)),))
        for recut in self._group_of(key, name).recuts:
            said = f"{recut.on}: {recut_words(recut)}" + (f" {recut.reason}" if recut.reason else "")
            self._panel.add_quiet(spell(said, self._panel.document.unit))

    def _over_groups(self, operation: str) -> None:
        self._panel.add_choice(
            ChoiceField(
                operation, "A long pass over a row, a cut over all, is one of its group's, not of an instance.",
                lambda: [("at each instance", False), ("over its group in one sweep", True)],
                lambda: operation in pattern_in(self._panel.job, self._setup).over_groups,
                lambda over: self._apply(
                    operation, lambda job: with_over_groups(job, self._setup, operation, over=bool(over))
                ),
            )
        )  # fmt: skip

    def _shift_group(self, key: str, name: str, axis: Axis, job: Job, mm: float) -> Job:
        return with_group_shift(job, self._setup, key, name, axis, mm, date.today().isoformat())

    def _group_shift(self, key: str, name: str, axis: Axis, _groups: object) -> str:
        return format_length(getattr(self._group_of(key, name).shift, axis), self._panel.document.unit)

    def _group_of(self, key: str, name: str) -> Any:
        from ledgecliff.core.model.pattern import Group

        return pattern_in(self._panel.job, self._setup).group(key) or Group(key=key, name=name)

    def _recut(self, job: Job, key: str, name: str, text: str) -> Job:
        if not text:
            return job
        recut = typed_recut(text, self._panel.document.unit, date.today().isoformat())
        return with_recut(job, self._setup, key, name, recut)

    # --- instances ----------------------------------------------------------------------------

    def _instances(self) -> None:
        panel = self._panel
        panel.add_heading("Instances")
        self.list = QListWidget()
        self.list.setObjectName("tight")
        self.list.setAccessibleName("Instances: pick one or several")
        self.list.setFixedHeight(_LIST_HIGH)
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.itemSelectionChanged.connect(self._picked)
        panel.add_widget(self.list)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why it is skipped, such as bad blank")
        self.reason.setAccessibleName("Why an instance is skipped")
        panel.add_widget(self.reason)
        panel.add_buttons(
            ("Skip", "Left out of this load, for the reason above", lambda: self._state("skipped")),
            ("On", "Run in this load", lambda: self._state("on")),
            ("Finished", "Done in this load", lambda: self._state("finished")),
            ("New load", "All that was finished is on, with new blanks", self._new_load),
        )
        for axis in AXES:
            panel.add_fields(
                FieldSpec(
                    f"Own shift {axis.upper()}", (*path_of(self._setup), "instances"), "length",
                    "Of what is picked, beyond its group's; also by the arrow keys on the drawing.",
                    change=partial(self._shift, axis),
                    show=partial(self._own, axis),
                )
            )  # fmt: skip

        for axis in AXES:
            panel.add_fields(
                FieldSpec(
                    f"Blank's {axis.upper()}", (*path_of(self._setup), "instances"), "length",
                    "As measured, of what is picked, along this setup's axis; blank: not measured.", True,
                    change=partial(self._measure, axis),
                    show=partial(self._measured, axis),
                )
            )  # fmt: skip

    def _measure(self, axis: Axis, job: Job, mm: float | None) -> Job:
        return with_measured(job, self._setup, [each.key for each in self.in_hand()], axis, mm)

    def _measured(self, axis: Axis, _instances: object) -> str:
        owns = [own_of(self._panel.job, self._setup, each.key).measured for each in self.in_hand()]
        values = {None if own is None else getattr(own, axis) for own in owns}
        one = values.pop() if len(values) == 1 else None
        return "" if one is None else format_length(one, self._panel.document.unit)

    def _picked(self) -> None:
        if self.list is not None:
            instances = self.instances()
            rows = [index.row() for index in self.list.selectedIndexes()]
            self._panel.pick_places({instances[row].key for row in rows if row < len(instances)})

    def _state(self, state: Any) -> None:
        keys = [each.key for each in self.in_hand()]
        reason = self.reason.text().strip()
        self._apply(state, lambda job: with_state(job, self._setup, keys, state, reason))

    def _new_load(self) -> None:
        self._apply("a new load", lambda job: with_new_load(job, self._setup))

    def _shift(self, axis: Axis, job: Job, mm: float) -> Job:
        for each in self.in_hand():
            job = with_instance_shift(job, self._setup, each.key, axis, mm)
        return job

    def _own(self, axis: Axis, _instances: object) -> str:
        values = {getattr(own_of(self._panel.job, self._setup, each.key).shift, axis) for each in self.in_hand()}
        return format_length(values.pop(), self._panel.document.unit) if len(values) == 1 else ""

    # --- offsets and probing ------------------------------------------------------------------

    def _offsets(self) -> None:
        panel, job = self._panel, self._panel.job
        panel.add_heading("Offsets and probing", folds=True)
        self.codes = panel.add_quiet("")
        panel.add_choice(
            ChoiceField(
                "Zeros are kept in", "How every instance gets its zero; offsets are given out at once.",
                lambda: [(school, school) for school in SCHOOLS],
                lambda: pattern_in(panel.job, self._setup).school,
                lambda school: panel.attempt(
                    lambda: self._apply(
                        "offsets", lambda job: with_school(job, self._setup, school, self._entries())  # type: ignore[arg-type]
                    )
                ),
            )
        )  # fmt: skip
        if pattern_in(job, self._setup).school != "own each":
            self._plain_choice("One for each", "one_each", {"face": "face", "group": "group"}, "What shares an offset.")
        self._plain_choice("Probed", "probed", PROBED_WORDS, "Who is touched to find the zero.")
        self._plain_choice(
            "Presence and seat", "seating", {True: "of each", False: "not looked for"},
            "The top of every instance is touched, in a window.",
        )  # fmt: skip
        self._plain_choice("Where one is missing", "missing", _MISSING, "Or where it does not seat.")
        panel.add_fields(
            FieldSpec(
                "Stop, miss, wrong", ("setups", self._setup, "probing", "costs"), "text",
                "What a stop and a miss cost, and which share lies wrong: 1, 50, 1%, as assumed while blank.", True,
                change=lambda job, text: with_costs(job, self._setup, str(text or "")),
                show=lambda _costs: costs_words(panel.job, self._setup),
            ),
            FieldSpec("Loads", (*path_of(self._setup), "loads"), "count", "How often all of it is loaded."),
            length("Seat scatter", "Standard deviation, as it was measured; blank: as the fixture has it.",
                   *path_of(self._setup), "seat_scatter", optional=True),
            length("Pattern error", "Standard deviation of its stations, as measured; blank: assumed.",
                   *path_of(self._setup), "pattern_error", optional=True),
        )  # fmt: skip
        self.compared = panel.add_quiet("")

    def _plain_choice(self, label: str, name: str, words: dict[Any, str], why: str) -> None:
        self._panel.add_choice(
            ChoiceField(
                label, why, lambda: [(text, value) for value, text in words.items()],
                lambda: getattr(pattern_in(self._panel.job, self._setup), name),
                lambda value: self._set(label.lower(), **{name: value}),
            )
        )  # fmt: skip

    # --- what changes by itself -----------------------------------------------------------------

    def refresh(self) -> None:
        if self.list is None or self._panel.job.setups[self._setup].pattern is None:
            return
        unit, instances = self._panel.document.unit, self.instances()
        texts = [spell(instance_words(each), unit) for each in instances]
        with QSignalBlocker(self.list):
            if [self.list.item(k).text() for k in range(self.list.count())] != texts:
                self.list.clear()
                self.list.addItems(texts)
            for k, each in enumerate(instances):
                self.list.item(k).setSelected(each.key in self._panel.picked_places)
        job, entries = self._panel.job, self._entries()
        codes = [codes_of_setup(job, self._setup, entries, school) for school in SCHOOLS]
        self.codes.setText("\n".join(codes_words(each) for each in codes))
        told = compared(self._panel.plan, self._plan, entries)
        self.compared.setText(spell(compared_words(told), unit))
