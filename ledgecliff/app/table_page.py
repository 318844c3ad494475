"""The Table view: what the machine carries, from above and from the front, beside the values of the picked station."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.drawing.table_instances import instance_boxes
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.edits.patterns import nudged, with_table_stated
from ledgecliff.core.edits.placing import Draggable
from ledgecliff.core.edits.rotary import rotaries
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import Carrier
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.on_table import OnTable, moved_to, on_grid, on_table
from ledgecliff.core.patterns.instances import pattern_of
from ledgecliff.core.quantities import Unit, format_length
from ledgecliff.core.tape.instances import instance_tape
from ledgecliff.core.tape.table import station_tape
from ledgecliff.core.tape_lines import Tape

from .axis_fields import AxisGroups
from .canvas import Canvas, Ghost
from .carrier_fields import CarrierGroups
from .document import Document
from .field_table import FieldSpec, Section, length
from .fields import ChoiceField
from .lenses.base import LensPanel
from .pattern_groups import PatternGroups
from .theme import Theme

#: What is dragged comes to stand on this grid (mm), by the unit that is shown.
_GRID: dict[Unit, float] = {"mm": 1.0, "in": 2.54}
_LIST_HIGH, _ROW_HIGH = 150, 24
#: Wider than any screen (pixels).
_WIDE = 10_000
#: Which way each arrow key goes.
_WAYS = {
    Qt.Key.Key_Left: (-1.0, 0.0),
    Qt.Key.Key_Right: (1.0, 0.0),
    Qt.Key.Key_Down: (0.0, -1.0),
    Qt.Key.Key_Up: (0.0, 1.0),
}


class TablePanel(LensPanel):
    """The stations of the machine, and the values of the one in hand."""

    station_picked = Signal(str)
    #: The id of a rotary axis whose centre is to be found.
    centre_wanted = Signal(str)
    #: All axes are to be gone through, step by step.
    steps_wanted = Signal()
    #: Other instances are in hand.
    places_picked = Signal()

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document)
        self.theme = theme
        #: The station in hand, and what carries stations, by its id.
        self.station = self.carrier = ""
        #: Which setup's instances are shown where several are clamped at the station in hand, and which are picked.
        self.setup_in_hand: int | None = None
        self.picked_places: set[str] = set()
        self.patterns: PatternGroups | None = None

    def stations(self) -> tuple[OnTable, ...]:
        machine = self.document.machine
        return () if machine is None else on_table(self.plan, machine)

    def in_hand(self) -> OnTable | None:
        stations = self.stations()
        return next((each for each in stations if each.station.id == self.station), stations[0] if stations else None)

    def carrier_in_hand(self) -> Carrier | None:
        """The one that was picked, else what carries the station in hand, else the first there is."""
        machine, each = self.document.machine, self.in_hand()
        if machine is None:
            return None
        wanted = (self.carrier, each.station.on if each is not None else None)
        by_id = {carrier.id: carrier for carrier in machine.carriers}
        found = next((by_id[wish] for wish in wanted if wish in by_id), None)
        return found or next(iter(machine.carriers), None)

    def pattern_setup(self) -> int | None:
        """The setup at the station in hand whose instances are shown: the one that was picked, else the first with a
        pattern, else the first."""
        each = self.in_hand()
        here = [setup.index for setup in each.setups] if each is not None else []
        if self.setup_in_hand in here:
            return self.setup_in_hand
        with_pattern = [k for k in here if self.job.setups[k].pattern is not None]
        return next(iter((*with_pattern, *here)), None)

    def pick_places(self, places: set[str]) -> None:
        """Takes instances in hand, by their keys."""
        self.picked_places = places
        self.places_picked.emit()

    def take_carrier(self, carrier: str) -> None:
        self.carrier = carrier
        self.refresh()

    def key(self) -> object:
        machine, each = self.document.machine, self.in_hand()
        axes = (
            [
                (axis.id, axis.word, axis.about, axis.name, axis.sense is None, axis.stale_since())
                for axis in rotaries(machine)
            ]
            if machine
            else None
        )
        carriers = [carrier.name for carrier in machine.carriers] if machine else None
        carrier = self.carrier_in_hand()
        bodies = carrier and (
            carrier.id,
            type(carrier),
            carrier.on,
            [(body.kind, body.name) for body in carrier.bodies],
        )
        pattern = self._pattern_key()
        return (
            pattern,
            machine and machine.id,
            machine and machine.table is None,
            each and each.station.id,
            each and each.station.on,
            axes,
            carriers,
            bodies,
        )

    def _pattern_key(self) -> object:
        """What of a pattern has fields or choices."""
        number = self.pattern_setup()
        pattern = None if number is None else self.job.setups[number].pattern
        if pattern is None:
            return number
        layout = (pattern.layout.kind, len(getattr(pattern.layout, "places", ())))
        groups = [(each.key, each.name, len(each.recuts)) for each in pattern.groups]
        faces = [each.carrier for each in pattern.faces]
        rows = getattr(pattern.layout, "rows", 1), getattr(pattern.layout, "columns", 1)
        operations = [each.name for each in self.job.setups[number or 0].operations]
        return number, layout, pattern.grouped_by, groups, faces, pattern.school, rows, operations, self.document.unit

    def build(self) -> None:
        machine, each = self.document.machine, self.in_hand()
        self.patterns = None
        assert machine is not None, "the view is shown only with a job"
        self.add_heading(f"On {machine.name}")
        self.list = QListWidget()
        self.list.setObjectName("tight")
        self.list.setAccessibleName("Stations of the machine")
        self.list.setFixedHeight(min(_LIST_HIGH, _ROW_HIGH * max(len(self.stations()), 2) + 6))
        self.list.setWordWrap(True)
        self.list.currentRowChanged.connect(self._row_changed)
        self.add_widget(self.list)
        if each is None:
            return
        path = ("machines", self.job.number_of(machine), "stations", machine.stations.index(each.station))
        frame = "in the frame of what carries it" if each.station.on is not None else "in machine coordinates"
        why = f"Where the zero of its fixture lies, {frame}. Setups, offsets and programs follow."
        places = tuple(length(axis.upper(), why, *path, "at", axis) for axis in AXES)
        turned = FieldSpec("Turned about Z", (*path, "turn_deg"), "angle", "Counter-clockwise, as seen from above.")
        self.add_sections((Section(each.station.name, (*places, turned)),))
        self._build_pattern(each)
        axes = AxisGroups(self, machine, self.centre_wanted.emit, self.steps_wanted.emit)
        axes.station_stands_on(each.station)
        axes.build()
        CarrierGroups(self, machine).build()
        self._build_known(machine)
        self._build_top(machine)
        self.add_heading("Who has which offset")
        self._offsets = self.add_quiet("")
        self.refresh_more()

    def _build_known(self, machine: Machine) -> None:
        """How well things of the machine are known, which the error budget counts with."""
        path: Path = ("machines", self.job.number_of(machine))
        blank = "Blank: nobody has said, and it is not counted."
        fields = [
            FieldSpec("Cuts land to", (*path, "accuracy"), "scatter",
                      "One standard deviation, from where their zero says."),
            FieldSpec("Tools' lengths to", (*path, "length_scatter"), "scatter",
                      f"One standard deviation of each, but for probes. {blank}", True),
        ]  # fmt: skip
        wheres: list[Path] = [(*path, "probe"), *((*path, "more_probes", k) for k in range(len(machine.more_probes)))]
        for probe, where in zip(machine.probes, wheres, strict=True):
            whose = f", T{probe.tool}" if machine.more_probes else ""
            fields += [
                FieldSpec(f"Touches to{whose}", (*where, "repeatability"), "scatter",
                          "How a touch repeats, one standard deviation."),
                FieldSpec(f"Ball known to{whose}", (*where, "radius_scatter"), "scatter",
                          f"One standard deviation of its effective radius. {blank}", True),
                FieldSpec(f"Probe's length to{whose}", (*where, "length_scatter"), "scatter",
                          f"One standard deviation. {blank}", True),
            ]  # fmt: skip
        fields.append(
            FieldSpec("Parts within (K)", (*path, "temperature_spread"), "number",
                      f"How far from 20 °C while they are cut, plus or minus. {blank}", True),
        )  # fmt: skip
        self.add_sections((Section("How well it is known", tuple(fields)),))

    def _build_top(self, machine: Machine) -> None:
        """Where the table's top ends, if anybody has said so."""
        number = self.job.number_of(machine)
        path = ("machines", number, "table")
        self.add_heading("Where the table ends", folds=True)
        if machine.table is None:
            self.add_buttons(
                (
                    "State it",
                    "As far as the axes travel to begin with; what lies over its edge is told then",
                    lambda: self.document.apply("table's top", lambda job: with_table_stated(job, number)),
                )
            )
            return
        why = "In machine coordinates, as the spindle's axis would read over that edge."
        self.add_fields(*(length(edge.capitalize(), why, *path, edge) for edge in ("left", "right", "front", "back")))
        self.add_buttons(
            (
                "Not known",
                "Nothing is said of the table's edges",
                lambda: self.document.set_value("table's top", path, None),
            )
        )

    def _build_pattern(self, each: OnTable) -> None:
        number = self.pattern_setup()
        if number is None:
            return
        if len(each.setups) > 1:
            self.add_choice(
                ChoiceField(
                    "Instances of", "Which of the setups that are clamped here.",
                    lambda: [(setup.setup.name, setup.index) for setup in each.setups],
                    self.pattern_setup,
                    self._take_setup,
                )
            )  # fmt: skip
        self.patterns = PatternGroups(self, number)
        self.patterns.build()

    def _take_setup(self, number: object) -> None:
        self.setup_in_hand = number if isinstance(number, int) else None
        self.picked_places = set()
        self.refresh()

    def refresh_more(self) -> None:
        if self.patterns is not None:
            self.patterns.refresh()
        stations, each = self.stations(), self.in_hand()
        chosen = next(
            (k for k, other in enumerate(stations) if each is not None and other.station.id == each.station.id), 0
        )
        self.show_rows(self.list, [other.short_words for other in stations], chosen)
        if each is not None:
            self._offsets.setText(self._owners())

    def _owners(self) -> str:
        """Every code of the machine with this job's setup that keeps its zero there, and whom the register has."""
        machine = self.document.machine
        assert machine is not None, "asked with a station in hand"
        here: dict[str, str] = {}
        for setup in (each for each in self.job.setups if each.machine == machine.id):
            here[setup.offset] = ", ".join(filter(None, (here.get(setup.offset), setup.name)))
        beside = self.document.beside
        kept = {
            e.code: e.use.words() for e in (beside.entries.get(machine.id, ()) if beside else ()) if e.use is not None
        }
        lines = []
        for code in [code.code for code in codes_of(machine)]:
            who = [words for words in (here.get(code, ""), f"register: {kept[code]}" if code in kept else "") if words]
            lines.append(f"{code}  {' · '.join(who) or 'free'}")
        return "\n".join(lines)

    def _row_changed(self, row: int) -> None:
        stations = self.stations()
        if 0 <= row < len(stations):
            self.station_picked.emit(stations[row].station.id)


class TablePage(QWidget):
    tape_changed = Signal()
    refused = Signal(str)

    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__()
        self._document = document
        self.canvas = Canvas(theme)
        self.canvas.setAccessibleName("The machine's table from above and from the front")
        self.canvas.picked.connect(self._source_picked)
        self.canvas.dragged.connect(self._show_drag)
        self.canvas.dropped.connect(self._drop)
        self.panel = TablePanel(document, theme)
        self.panel.station_picked.connect(self.pick)
        self.panel.places_picked.connect(self._others_in_hand)
        self.canvas.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.canvas.installEventFilter(self)
        both = QSplitter(Qt.Orientation.Horizontal)
        both.addWidget(self.canvas)
        both.addWidget(self.panel)
        both.setStretchFactor(0, 1)
        both.setChildrenCollapsible(False)
        # The drawing has what room the panel's fields leave.
        both.setSizes([_WIDE, 0])
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(both)

    def refresh(self) -> None:
        machine = self._document.machine
        if self._document.plan is None or machine is None:
            return
        self.panel.refresh()
        each = self.panel.in_hand()
        self.canvas.unit = self._document.unit
        picked = frozenset(self.panel.picked_places)
        drawings = table_views(self._document.plan, machine, each.source if each is not None else "", picked)
        self.canvas.show_drawings(drawings)
        # What stands on a pallet or an axis is not dragged: its numbers count along that.
        flat = [other for other in self.panel.stations() if other.station.on is None]
        self.canvas.draggables = (
            *(thing for other in flat for thing in instance_boxes(other)),
            *(Draggable(other.station.id, _two(other.m_low), _two(other.m_high)) for other in flat),
        )

    def _others_in_hand(self) -> None:
        self.refresh()
        self.tape_changed.emit()

    def pick(self, station: str) -> None:
        if station != self.panel.station:
            self.panel.picked_places = set()
        self.panel.station = station
        self.refresh()
        self.tape_changed.emit()

    def _source_picked(self, source: str) -> None:
        if source.startswith("instance-"):
            self._pick_instance(source)
        elif source.startswith("station-"):
            self.pick(source.removeprefix("station-"))
        elif source.startswith("carrier-"):
            self.panel.take_carrier(source.removeprefix("carrier-"))

    def _pick_instance(self, source: str) -> None:
        """One instance; with Ctrl or Shift held one more, or one less."""
        setup_id, _, key = source.removeprefix("instance-").partition("-")
        job = self._document.job
        number = next((k for k, setup in enumerate(job.setups) if setup.id == setup_id), None) if job else None
        if job is None or number is None:
            return
        more = QApplication.keyboardModifiers() & (
            Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )  # fmt: skip
        before = self.panel.picked_places if more and number == self.panel.pattern_setup() else set()
        self.panel.station, self.panel.setup_in_hand = job.setups[number].station, number
        self.panel.picked_places = before ^ {key}
        self.refresh()
        self.tape_changed.emit()

    # --- by the keys --------------------------------------------------------------------------

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Arrow keys nudge what is picked: by a step of the grid, with Shift by a tenth of it."""
        if watched is self.canvas and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            way = _WAYS.get(Qt.Key(event.key()))
            if way is not None and self.panel.picked_places:
                step = _GRID[self._document.unit]
                step /= 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
                self._move_instances((way[0] * step, way[1] * step))
                return True
        return super().eventFilter(watched, event)

    def _move_instances(self, by: tuple[float, float]) -> None:
        number, places = self.panel.pattern_setup(), sorted(self.panel.picked_places)
        if number is None or not places:
            return
        try:
            self._document.apply(
                f"shift of {len(places)} instances", lambda job: nudged(job, number, places, (*by, 0.0))
            )
        except LedgecliffError as error:
            self.refused.emit(str(error))

    def tape(self) -> Tape | None:
        each, machine, beside = self.panel.in_hand(), self._document.machine, self._document.beside
        if each is None or machine is None:
            return None
        picked = self.panel.patterns.in_hand() if self.panel.patterns is not None else []
        number, job = self.panel.pattern_setup(), self._document.job
        pattern = None if number is None or job is None else pattern_of(job, number)
        if len(picked) == 1 and pattern is not None and number is not None:
            return instance_tape(self.panel.plan.setups[number], pattern, picked[0], each.source)
        return station_tape(each, beside.entries.get(machine.id, ()) if beside is not None else ())

    # --- dragging -----------------------------------------------------------------------------

    def _moved(self, station: str, x: float, y: float) -> tuple[OnTable, tuple[float, float]] | None:
        each = next((other for other in self.panel.stations() if other.station.id == station), None)
        return None if each is None else (each, moved_to(each, (x, y), _GRID[self._document.unit]))

    def _show_drag(self, station: str, x: float, y: float) -> None:
        if station.startswith("instance-"):
            self._show_instance_drag(station, x, y)
            return
        moved = self._moved(station, x, y)
        if moved is None:
            return
        each, (to_x, to_y) = moved
        by = (to_x - each.station.at.x, to_y - each.station.at.y)
        low, high = ((float(corner[0]) + by[0], float(corner[1]) + by[1]) for corner in (each.m_low, each.m_high))
        numbers = "  ".join(
            f"{axis} {format_length(value, self._document.unit, sign=True)}"
            for axis, value in (("X", to_x), ("Y", to_y))
        )
        self.canvas.show_ghost(Ghost(low, high, numbers))

    def _show_instance_drag(self, source: str, x: float, y: float) -> None:
        thing = next((each for each in self.canvas.draggables if each.name == source), None)
        if thing is None:
            return
        dx, dy = on_grid((x, y), _GRID[self._document.unit])
        low, high = ((corner[0] + dx, corner[1] + dy) for corner in (thing.low, thing.high))
        numbers = "  ".join(
            f"{axis} {format_length(value, self._document.unit, sign=True)}" for axis, value in (("X", dx), ("Y", dy))
        )
        self.canvas.show_ghost(Ghost(low, high, numbers))

    def _drop(self, station: str, x: float, y: float) -> None:
        if station.startswith("instance-"):
            # What was pressed on is picked by now; where others are too, they go along.
            self._move_instances(on_grid((x, y), _GRID[self._document.unit]))
            return
        moved, machine, job = self._moved(station, x, y), self._document.machine, self._document.job
        if moved is None or machine is None or job is None:
            return
        each, (to_x, to_y) = moved
        path = ("machines", job.number_of(machine), "stations", machine.stations.index(each.station), "at")

        def placed(old: Job) -> Job:
            return set_value(set_value(old, (*path, "x"), to_x), (*path, "y"), to_y)

        try:
            self._document.apply(f"place of {each.station.name}", placed)
        except LedgecliffError as error:
            self.refused.emit(str(error))
        self.pick(station)

    def set_theme(self, theme: Theme) -> None:
        self.canvas.theme = self.panel.theme = theme
        self.canvas.update()
        self.panel.fit_text()


def _two(corner: object) -> tuple[float, float]:
    x, y = corner[0], corner[1]  # type: ignore[index]
    return (float(x), float(y))


class TableStrip(QScrollArea):
    """The stations of the machine in a row, in place of the route."""

    picked = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.setObjectName("strip")
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedHeight(54)
        self._inner = QWidget()
        self._inner.setObjectName("strip")
        self._row = QHBoxLayout(self._inner)
        self._row.setContentsMargins(8, 4, 8, 4)
        self._row.addStretch(1)
        self.setWidget(self._inner)
        self.buttons: list[QPushButton] = []

    def show_stations(self, stations: tuple[OnTable, ...], chosen: str) -> None:
        while len(self.buttons) > len(stations):
            button = self.buttons.pop()
            button.hide()
            button.deleteLater()
        while len(self.buttons) < len(stations):
            button = QPushButton()
            button.setCheckable(True)
            index = len(self.buttons)
            button.clicked.connect(lambda _checked=False, index=index: self._pick(index))
            self._row.insertWidget(index, button)
            self.buttons.append(button)
        self._ids = [each.station.id for each in stations]
        for button, each in zip(self.buttons, stations, strict=True):
            with QSignalBlocker(button):
                button.setText(each.short_words)
                button.setToolTip(each.words)
                button.setChecked(each.station.id == chosen)

    def _pick(self, index: int) -> None:
        self.picked.emit(self._ids[index])
