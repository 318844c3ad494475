"""The lens for touching off by hand: a page for each axis, big enough for the machine, and the tape beside it."""

from __future__ import annotations

from typing import Literal, cast, get_args

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.model.machine import HoverSurface
from ledgecliff.core.quantities import spell
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.tape_lines import Tape, note
from ledgecliff.core.touchoff.cautions import ALWAYS, caution
from ledgecliff.core.touchoff.draft import (
    HandDraft,
    Method,
    expected_of,
    methods_of,
    readings_of,
    tools_of,
    why_not_by_hand,
    with_method,
    with_picked,
    with_tool,
    without_surface,
)
from ledgecliff.core.touchoff.hand_tape import AxisResult, hand_tape
from ledgecliff.core.touchoff.keeping import results_of
from ledgecliff.core.touchoff.page import (
    all_doubt_words,
    all_offset_words,
    asks_for_tool,
    doubt_words,
    kept_words,
    moved_words,
    must_read,
    offset_words,
    tool_of,
    touchable,
)
from ledgecliff.core.touchoff.surfaces import surfaces_of
from ledgecliff.core.touchoff.typing_in import WAYS, correcting_lines, touched_lines

from ..document import Document
from ..field_table import Section, length
from ..fields import ChoiceField, ValueField
from ..hand_fields import axis_fields, correction_fields
from ..hover_fields import stands_on
from ..probe_fields import hover_sections
from ..touch_desk import TouchDesk
from .base import LensPanel

Page = Literal["start", "x", "y", "z", "end"]
PAGES: tuple[Page, ...] = ("start", *AXES, "end")
_WORDS: dict[Page, str] = {"start": "Begin", "x": "X", "y": "Y", "z": "Z", "end": "Result"}


class HandPanel(LensPanel):
    #: Something typed or picked has changed the tape.
    tape_changed = Signal()
    hover_wanted = Signal()
    print_wanted = Signal()

    def __init__(self, document: Document, desk: TouchDesk) -> None:
        super().__init__(document)
        self.desk = desk
        self.setProperty("big", True)
        desk.changed.connect(self._typed)
        document.picked_changed.connect(self._picked)

    @property
    def page(self) -> Page:
        """Each setup's own, the one that was left."""
        left = self.desk.page
        return left if left in PAGES else "start"

    # --- the panel --------------------------------------------------------------------------

    def key(self) -> object:
        draft = self.desk.subject
        method = draft.axis(self.page).method if draft is not None and self.page in AXES else ""
        return self.setup_index, self.page, method, self.machine.lengths_from, draft is None

    def build(self) -> None:
        if why_not := why_not_by_hand(self._setup()):
            self.add_heading(f"{self._setup().setup.name} by hand")
            self.add_quiet(f"Not here: {why_not}.")
            return
        self.add_widget(self._page_buttons())
        at_foot = self.foot()
        if self.page == "start":
            self._build_start()
        elif self.page == "end":
            self._build_end()
        else:
            self._build_axis(self.page)
        if self.page in AXES:
            at_foot.addWidget(self.number)
        at_foot.addLayout(self._walk())
        self.refresh_more()

    def _page_buttons(self) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 4)
        line.setSpacing(4)
        self.pages: dict[Page, QPushButton] = {}
        for page in PAGES:
            button = QPushButton(_WORDS[page])
            button.setCheckable(True)
            button.setChecked(page == self.page)
            button.setToolTip(
                {"start": "Before anything is touched", "end": "What was found"}.get(page, f"Find {page.upper()}")
            )
            button.clicked.connect(lambda _checked=False, page=page: self.show_page(page))
            line.addWidget(button, 1)
            self.pages[page] = button
        return row

    def _walk(self) -> QHBoxLayout:
        line = QHBoxLayout()
        at = PAGES.index(self.page)
        for words, step in (("Back", -1), ("Next", +1)):
            button = QPushButton(words)
            button.setEnabled(0 <= at + step < len(PAGES))
            button.clicked.connect(lambda _checked=False, to=at + step: self.show_page(PAGES[to]))
            line.addWidget(button, 1)
        return line

    def show_page(self, page: Page) -> None:
        self.desk.turn_to(page)
        draft = self.desk.subject
        if draft is not None:
            surface = draft.axis(page).surface if page in AXES else ""
            self.document.pick(f"surface-{surface}" if surface else "")
        self.refresh()
        self.tape_changed.emit()

    def _build_start(self) -> None:
        setup = self.plan.setups[self.setup_index]
        self.add_heading(f"{setup.setup.name} by hand, into {setup.setup.offset}")
        lengths = setup.machine.lengths_from
        self.add_quiet(
            f"Readings as the control shows them, in {self.document.unit} or with their unit. Tool lengths count from "
            f"the {lengths}."
        )
        self.add_choice(
            ChoiceField(
                "Lengths from", "What tool lengths count from on this machine; said once, never mixed.",
                lambda: [("the gauge line", "gauge line"), ("a reference plane", "reference plane")],
                lambda: self.machine.lengths_from,
                lambda value: self.document.set_value("lengths from", (*self.machine_path, "lengths_from"), value),
            )
        )  # fmt: skip
        if lengths == "reference plane":
            plane = length(
                "Plane stands at", "Machine Z of the plane that tools were set on; 0 while it is not known.",
                *self.machine_path, "reference_z",
            )  # fmt: skip
            self.add_sections((Section("Reference plane", (plane,)),))
        self.add_heading("First")
        for text in ALWAYS:
            self.add_quiet(text)

    def _build_axis(self, axis: Axis) -> None:
        draft = self._draft()
        each = draft.axis(axis)
        self.add_heading(f"{axis.upper()} of {draft.offset}")
        self.add_quiet(caution(each.method))
        self.add_choice(
            ChoiceField(
                "Method", "How this axis is found.",
                lambda: [(method, method) for method in methods_of(self._setup(), axis)],
                lambda: self._draft().axis(axis).method,
                lambda method: self._take_method(axis, cast(Method, method)),
            )
        )  # fmt: skip
        if touchable(self._setup(), axis, each.method):
            self.add_choice(
                ChoiceField(
                    "Touched", "What the tool was brought to; or pick it on the drawing.",
                    lambda: list(touchable(self._setup(), axis, self._draft().axis(axis).method)),
                    lambda: self._draft().axis(axis).surface,
                    lambda name: self._pick_surface(cast(str, name)),
                )
            )  # fmt: skip
        if asks_for_tool(each.method):
            self.add_choice(
                ChoiceField(
                    "Touched with", "A cutter of the tool table, or what is typed below.",
                    self._tools,
                    lambda: tool_of(tools_of(self.machine), self._draft().axis(axis)),
                    lambda tool: self._take_tool(axis, cast(int, tool)),
                )
            )  # fmt: skip
        for spec in axis_fields(axis, each):
            field = ValueField(self.desk, spec)
            self.fields.append(field)
            self.add_widget(field)
        if each.method == "test cut":
            self.add_choice(
                ChoiceField(
                    "Cut deeper", "The side that was cut deeper.",
                    lambda: [("on the plus side", "plus"), ("on the minus side", "minus")],
                    lambda: self._draft().axis(axis).deeper,
                    lambda side: self.desk.set_value("deeper side", (axis, "deeper"), side),
                )
            )  # fmt: skip
        self.reads = self.add_quiet("")
        self.number = QLabel()
        self.number.setObjectName("bignumber")
        self.number.setTextFormat(Qt.TextFormat.PlainText)
        self.moved = self.add_quiet("")
        self.doubt = self.add_quiet("")
        self.doubt.setProperty("bad", True)

    def _build_end(self) -> None:
        setup = self._setup()
        self.add_heading(f"{setup.setup.offset} as found by hand")
        self.found = QLabel()
        self.found.setObjectName("bignumber")
        self.found.setTextFormat(Qt.TextFormat.PlainText)
        self.add_widget(self.found)
        self.doubt = self.add_quiet("")
        self.doubt.setProperty("bad", True)
        self.kept = self.add_quiet("")
        self.add_buttons(("Keep in the register", "Kept with every line of the tape as its origin", self._write))
        self.add_buttons(("Write the tape…", "As text, HTML or PDF", self.print_wanted.emit))
        self.add_heading("To type at the control")
        self.add_choice(
            ChoiceField(
                "Its offset page", "Whether what is typed there is set, or added to what stands there: said once.",
                lambda: [(words, way) for way, words in WAYS.items()],
                lambda: self.machine.offset_entry,
                lambda way: self.document.set_value("offset page", (*self.machine_path, "offset_entry"), way),
            )
        )  # fmt: skip
        self.to_type = self.add_quiet("")
        self.add_heading("Prove it")
        self.add_quiet(
            f"Type {setup.setup.offset} into the control as found above, then run the hover check: spindle stopped, "
            "single block, reduced feed, finger on hold. First run of any program above the part."
        )
        self.add_choice(stands_on(self.document, self.setup_index))
        self.add_sections(hover_sections(self.setup_index))
        self.add_buttons(
            ("Show the hover check", "The program that stops over something visible", self.hover_wanted.emit)
        )
        self.add_heading("Correct it")
        for spec in correction_fields():
            field = ValueField(self.desk, spec)
            self.fields.append(field)
            self.add_widget(field)
        self.correcting = self.add_quiet("")

    # --- what is typed and picked -------------------------------------------------------------

    def _setup(self) -> SetupPlan:
        return self.plan.setups[self.setup_index]

    def _draft(self) -> HandDraft:
        draft = self.desk.subject
        assert draft is not None, "the lens of a setup is shown"
        return draft

    def _tools(self) -> list[tuple[str, object]]:
        cutters = [(f"T{cutter.tool} {cutter.name}", cutter.tool) for cutter in self.machine.cutters]
        return [("as typed", 0), *cutters, (f"T{self.machine.probe.tool} the probe", self.machine.probe.tool)]

    def _take_tool(self, axis: Axis, tool: int) -> None:
        size = next((each for each in tools_of(self.machine) if each.tool == tool), None)
        if size is not None:
            self.desk.apply("tool", lambda draft: with_tool(draft, axis, size))

    def _take_method(self, axis: Axis, method: Method) -> None:
        self.desk.apply("method", lambda draft: with_method(self._setup(), draft, axis, method))
        surface = self._draft().axis(axis).surface
        self.document.pick(f"surface-{surface}" if surface else "")

    def _pick_surface(self, name: str) -> None:
        axis = self.page
        if not name and axis in ("x", "y", "z"):
            self.desk.apply("touched", lambda draft: without_surface(self._setup(), draft, axis))
        self.document.pick(f"surface-{name}" if name else "")

    def _picked(self, source: str) -> None:
        """A face picked on the drawing is what is touched, and its axis comes to the page."""
        if self.document.lens != "hand" or not source.startswith("surface-") or self.desk.subject is None:
            return
        surface = next((each for each in surfaces_of(self._setup()) if each.source == source), None)
        if self.page == "end" and surface is not None and surface.name in get_args(HoverSurface):
            # While it is proven, a level surface is what the gauge block stands on.
            self.document.set_value("hover check", ("setups", self.setup_index, "hover", "over"), surface.name)
            return
        if surface is not None and self.page != surface.axis:
            self.desk.turn_to(surface.axis)
        self.desk.apply("touched", lambda draft: with_picked(self._setup(), draft, source))
        self.refresh()
        self.tape_changed.emit()

    def _typed(self) -> None:
        if self.document.lens == "hand":
            self.refresh()
            self.tape_changed.emit()

    # --- what follows -------------------------------------------------------------------------

    def _results(self) -> dict[Axis, AxisResult]:
        return {result.axis: result for result in results_of(self._setup(), self._draft())}

    def refresh_more(self) -> None:
        if self.document.plan is None or self.page == "start" or self.desk.subject is None:
            return
        try:
            results = self._results()
        except LedgecliffError as error:
            self._say(self.doubt, str(error))
            return
        if self.page == "end":
            self._show_end(results)
        else:
            self._show_axis(self.page, results.get(self.page))

    def _say(self, label: QLabel, words: str) -> None:
        """Words where there are some; without any the place is given up."""
        label.setText(spell(words, self.document.unit))
        label.setVisible(bool(words))

    def _show_axis(self, axis: Axis, result: AxisResult | None) -> None:
        draft = self._draft()
        self._say(self.reads, must_read(draft.axis(axis)))
        self._say(self.number, f"{self._setup().setup.offset} {offset_words(axis, result)}")
        self._say(self.moved, moved_words(draft.axis(axis), result))
        self._say(self.doubt, doubt_words(self._setup(), self.job.stock, draft, axis, result))

    def _show_end(self, results: dict[Axis, AxisResult]) -> None:
        self._say(self.found, all_offset_words(results))
        setup, draft, machine = self._setup(), self._draft(), self.machine
        self._say(
            self.to_type, "\n".join(touched_lines(machine, draft, results)) if results else "Nothing is found yet."
        )
        self._say(self.correcting, "\n".join(correcting_lines(machine, setup, draft, results)))
        self._say(self.doubt, all_doubt_words(results))
        try:
            self._say(self.kept, kept_words(self.desk.entry()))
        except LedgecliffError as error:
            self._say(self.kept, str(error))

    def _write(self) -> None:
        self.desk.write()
        self.refresh()

    def tape(self) -> Tape:
        """Every line from the readings to the offset; what is wrong with them where something is."""
        setup, draft = self._setup(), self.desk.subject
        if draft is None:
            return Tape(setup.setup.offset, "touched off by hand", (note(why_not_by_hand(setup)),))
        try:
            readings = readings_of(draft)
        except LedgecliffError as error:
            return Tape(draft.offset, "touched off by hand", (note(str(error)),))
        if readings is None:
            return Tape(draft.offset, "touched off by hand", (note("nothing is typed yet"),))
        return hand_tape(readings, expected_of(setup))
