"""The part of the rehearse lens that takes results back from the machine: typed, pasted, or read from its report."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QHeaderView, QLabel, QTableWidget, QTableWidgetItem

from ledgecliff.core.edits.batches import with_touched_sizes
from ledgecliff.core.edits.found_holes import holes_in, with_measured_holes
from ledgecliff.core.edits.reports import with_report
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.measuring.instance_results import (
    KeptOfInstance,
    kept_of_instances,
    parsed_of_instances,
    said_of_missing,
)
from ledgecliff.core.measuring.measured import RecordedWcs
from ledgecliff.core.measuring.reports import learned, read_report
from ledgecliff.core.measuring.results_back import (
    ResultRow,
    Returned,
    ReturnedResult,
    ReturnedResults,
    parsed_results,
    result_rows,
    returned,
    said_of_returned,
)
from ledgecliff.core.patterns.instances import pattern_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import format_length, spell
from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.register.measured_value import by_results, kept_measurement
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.typed import parse_length

from ..fields import ChoiceField
from ..register_desk import RegisterDesk
from .base import LensPanel

_ROW_HEIGHT, _MOST_ROWS, _NUMBER_WIDTH = 26, 9, 84
#: What the one kind of report is called until somebody names more.
_REPORT = "report"


class ReturnedSection:
    """Fills a lens panel."""

    def __init__(self, panel: LensPanel, register: RegisterDesk) -> None:
        self._panel, self._register = panel, register
        #: Values (mm, degrees) by setup id, instance, step and key, as they came back.
        self._values: dict[tuple[str, str, int, str], float] = {}
        #: Which instance of a pattern is shown, by its key, and which of a setup were missing, in words.
        self._instance = ""
        self._missing: dict[str, str] = {}
        #: What the programs keep of each instance, for the plan and the setup that it was worked out for.
        self._kept_now: tuple[KeptOfInstance, ...] = ()
        self._kept_plan: Plan | None = None
        self._kept_index = 0
        #: What was refused once for having moved too far; asked again, it is confirmed.
        self._asked: Returned | None = None
        self.words: QLabel | None = None

    def build(self) -> None:
        panel = self._panel
        panel.add_heading("Results that came back", folds=True)
        self.instance: ChoiceField | None = None
        if pattern_of(panel.job, panel.setup_index) is not None:
            self.instance = ChoiceField(
                "Instance",
                "Whose results are shown; what is pasted goes to all of them.",
                lambda: [(f"instance {each.instance.name}", each.instance.key) for each in self._kept()],
                lambda: getattr(getattr(self._shown(), "instance", None), "key", None),
                self._show_instance,
            )
            panel.add_choice(self.instance)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["result", "value", "off"])
        self.table.verticalHeader().hide()
        self.table.setObjectName("tight")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        for column in (1, 2):
            self.table.setColumnWidth(column, _NUMBER_WIDTH)
        self.table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setAccessibleName("Results of the setup's program: type what the control shows")
        self.table.itemChanged.connect(self._typed)
        panel.add_widget(self.table)
        panel.add_buttons(
            ("Paste", "Lines as #500 = 1.234, copied from the control or a log", self._paste),
            ("Read…", "A report of a kind that was shown once", self._read),
            (
                "Show a report…",
                "The report of the run whose results stand here: others are read like it",
                self._show,
            ),
        )
        (self.keep, self.keep_sizes, self.keep_holes) = panel.add_buttons(
            ("Keep this offset", "Into the register, for this setup: worked out from what it held before", self._keep),
            ("Keep sizes", "Widths of blanks, into the batch that is shared out on Stock", self._keep_sizes),
            ("Keep found holes", "Holes that nobody has drawn are put where they measure", self._keep_holes),
        )
        self.words = panel.add_quiet("")

    def refresh(self) -> None:
        if self.words is None:
            return
        rows, unit = self._rows(), self._panel.document.unit
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(rows))
            for k, row in enumerate(rows):
                value = self._values.get(self._key(row))
                off = "" if value is None else self._said(row, value - row.expected, sign=True)
                texts = (f"{row.step}. {row.words}", "" if value is None else self._said(row, value, sign=False), off)
                for column, text in enumerate(texts):
                    item = QTableWidgetItem(text)
                    item.setToolTip(
                        f"{row.words}, #{row.parameter}: expected {self._said(row, row.expected, sign=False)}"
                    )
                    if column != 1:
                        item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                    if column:
                        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    self.table.setItem(k, column, item)
                self.table.setRowHeight(k, _ROW_HEIGHT)
        self.table.setFixedHeight((min(len(rows), _MOST_ROWS) + 1) * _ROW_HEIGHT + 6)
        try:
            found = self.returned()
        except LedgecliffError as error:
            self.words.setText(error.said_in(unit))
            self.keep.setEnabled(False)
            self.keep_holes.setVisible(False)
            return
        one = self._shown() is None
        self.keep_holes.setVisible(one and found is not None and bool(holes_in(self._panel.plan, found)))
        self.keep.setEnabled(found is not None and found.before_known)
        words = (
            "Type what the control shows, paste it, or read its report." if found is None else said_of_returned(found)
        )
        missing = self._missing.get(self._panel.job.setups[self._panel.setup_index].id, "")
        self.words.setText(spell(f"{missing}\n{words}" if missing else words, unit))

    # --- what is known ----------------------------------------------------------------------

    def _kept(self) -> tuple[KeptOfInstance, ...]:
        """Of each instance of a pattern; none without one, or where programs for them cannot be written.  Every row
        asks, so it is worked out once for a plan."""
        plan, index = self._panel.plan, self._panel.setup_index
        if self._kept_plan is not plan or self._kept_index != index:
            try:
                self._kept_now = kept_of_instances(plan, index)
            except LedgecliffError:
                self._kept_now = ()
            self._kept_plan, self._kept_index = plan, index
        return self._kept_now

    def _shown(self) -> KeptOfInstance | None:
        """The instance whose results stand in the table."""
        kept = self._kept()
        return next((each for each in kept if each.instance.key == self._instance), next(iter(kept), None))

    def _show_instance(self, key: object) -> None:
        self._instance = str(key)
        self.refresh()

    def _setup(self) -> SetupPlan:
        shown = self._shown()
        return self._panel.plan.setups[self._panel.setup_index] if shown is None else shown.setup

    def _rows(self) -> tuple[ResultRow, ...]:
        shown = self._shown()
        return result_rows(self._setup()) if shown is None else shown.rows

    def _key(self, row: ResultRow, instance: str | None = None) -> tuple[str, str, int, str]:
        if instance is None:
            shown = self._shown()
            instance = "" if shown is None else shown.instance.key
        return self._panel.job.setups[self._panel.setup_index].id, instance, row.step, row.key

    def _said(self, row: ResultRow, value: float, *, sign: bool) -> str:
        if row.is_angle:
            return f"{value:+.4f}°"
        return format_length(value, self._panel.document.unit, sign=sign or not row.key.startswith("size"))

    def results(self) -> tuple[ReturnedResult, ...]:
        """What stands in the table, of steps that are there whole."""
        return self._of(self._rows())

    def _of(self, rows: tuple[ResultRow, ...], instance: str | None = None) -> tuple[ReturnedResult, ...]:
        keys = {row: self._key(row, instance) for row in rows}
        whole = {row.step for row in rows} - {row.step for row in rows if keys[row] not in self._values}
        return tuple(
            ReturnedResult(step=row.step, key=row.key, value=self._values[keys[row]])
            for row in rows
            if row.step in whole
        )

    def returned(self) -> Returned | None:
        """None while no step's results are there whole."""
        results = self.results()
        if not results:
            return None
        setup = self._setup()
        return returned(setup, ReturnedResults(setup=setup.setup.name, before=self._before(), results=results))

    def _before(self) -> RecordedWcs | None:
        """What the register says the offset held."""
        entry = self._entry()
        if entry.value is None:
            return None
        value = entry.value
        return RecordedWcs(x=value.x, y=value.y, z=value.z, skew_deg=value.turn_deg)

    def _entry(self) -> Entry:
        code = self._setup().setup.offset
        return next((each for each in self._register.entries() if each.code == code), Entry(code))

    # --- taken in -----------------------------------------------------------------------------

    def _typed(self, item: QTableWidgetItem) -> None:
        if item.column() != 1:
            return
        row, text = self._rows()[item.row()], item.text().strip()
        if not text:
            self._values.pop(self._key(row), None)
            self.refresh()
            return
        try:
            if row.is_angle:
                self._values[self._key(row)] = float(text.rstrip("° ").replace("−", "-").replace(",", "."))
            else:
                self._values[self._key(row)] = parse_length(text, self._panel.document.unit)
        except (ValueError, LedgecliffError) as error:
            self.refresh()
            assert self.words is not None, "there is a table to type into"
            self.words.setText(f"'{text}' is not taken: {error}")
            return
        self.refresh()

    def take(self, results: tuple[ReturnedResult, ...]) -> None:
        """Results (mm, degrees) into the table."""
        rows = {(row.step, row.key): row for row in self._rows()}
        for result in results:
            row = rows.get((result.step, result.key))
            if row is not None:
                self._values[self._key(row)] = result.value
        self.refresh()

    def _touched(self) -> list[tuple[str, SetupPlan, tuple[ReturnedResult, ...]]]:
        """What came back whole of every instance, or of the setup that stands once."""
        kept = self._kept()
        if not kept:
            return [("", self._setup(), self.results())]
        return [(each.instance.key, each.setup, self._of(each.rows, each.instance.key)) for each in kept]

    def _keep_sizes(self) -> None:
        plan, index, found = self._panel.plan, self._panel.setup_index, self._touched()
        self._panel.document.apply("sizes of blanks", lambda _job: with_touched_sizes(plan, index, found))

    def _keep_holes(self) -> None:
        found = self.returned()
        if found is None:
            return
        plan, index = self._panel.plan, self._panel.setup_index
        self._panel.document.apply("found holes", lambda _job: with_measured_holes(plan, index, found))

    def _paste(self) -> None:
        text = QGuiApplication.clipboard().text()
        self._panel.attempt(lambda: self._take_pasted(text))

    def _take_pasted(self, text: str) -> None:
        setup, kept = self._panel.plan.setups[self._panel.setup_index], self._kept()
        unit = setup.machine.program_units
        if not kept:
            self.take(parsed_results(setup, text, unit))
            return
        found = parsed_of_instances(kept, text, unit, setup.setup.name)
        for each in found:
            rows = {(row.step, row.key): row for row in each.kept.rows}
            keys = {row: self._key(rows[row], each.kept.instance.key) for row in rows}
            if each.missing:
                for key in keys.values():
                    self._values.pop(key, None)
            self._values |= {keys[result.step, result.key]: result.value for result in each.results}
        self._missing[setup.setup.id] = said_of_missing(found)
        self.refresh()

    def _ask(self, title: str) -> Path | None:
        from PySide6.QtWidgets import QFileDialog

        path, _ = QFileDialog.getOpenFileName(
            self._panel, title, "", "Reports (*.txt *.log *.csv *.prn);;All files (*)"
        )
        return Path(path) if path else None

    def _read(self) -> None:
        if path := self._ask("Read a report"):
            self._panel.attempt(lambda: self.read_report(path))

    def read_report(self, path: Path) -> None:
        """Raises InvalidValueError where it is of no kind that was shown."""
        machine, text = self._panel.machine, _text(path)
        steps = self._panel.plan.setups[self._panel.setup_index].probing.steps
        if not machine.reports:
            raise InvalidValueError("report", "none was shown yet: type one run's results, then show its report")
        failed: InvalidValueError | None = None
        for pattern in machine.reports:
            try:
                self.take(read_report(pattern, text, steps))
            except InvalidValueError as error:
                failed = error
                continue
            return
        assert failed is not None, "there is a kind that was tried"
        raise failed

    def _show(self) -> None:
        if path := self._ask("The report of the run whose results stand here"):
            self._panel.attempt(lambda: self.show_report(path))

    def show_report(self, path: Path, name: str = _REPORT) -> None:
        """Keeps with the machine how such a report is read.  Raises InvalidValueError as ``learned`` does."""
        setup = self._panel.plan.setups[self._panel.setup_index]
        pattern = learned(name, _text(path), setup.probing.steps, self.results(), setup.machine.program_units)
        machine = self._panel.machine_path[1]
        self._panel.document.apply("kind of report", lambda job: with_report(job, machine, pattern))

    def _keep(self) -> None:
        found = self.returned()
        if found is None:
            return
        job = self._panel.job
        shown = self._shown()
        use = use_of(job, job.setups[self._panel.setup_index], "" if shown is None else shown.offset_key)
        confirmed = self._asked is not None and self._asked.m_zero == found.m_zero
        self._asked = found
        entries = self._register.entries()
        entry = kept_measurement(by_results(found), self._entry(), use, entries, confirmed=confirmed)
        self._register.write([entry])
        self.refresh()


def _text(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8", errors="replace")
    except OSError as error:
        raise InvalidValueError(str(path), f"cannot be read: {error.strerror}") from error
