"""The part of the rehearse lens that shows features from a measured one: rehearsed, or from a control's touches."""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PySide6.QtWidgets import QFileDialog, QLabel

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.measuring.measured import Measurement, RecordedTouches, measure, measured_names, said_of, seen_from
from ledgecliff.core.quantities import spell
from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.register.measured_value import by_touches, kept_measurement
from ledgecliff.core.rehearsal.recorded import recorded
from ledgecliff.store.touch_files import read_touches, write_measured_drawing, write_table

from ..fields import ChoiceField
from ..register_desk import RegisterDesk
from .base import LensPanel


class MeasuredSection:
    """Fills a lens panel; ``words`` is the list, None where too little is measured for one."""

    def __init__(self, panel: LensPanel, register: RegisterDesk) -> None:
        self._panel, self._register = panel, register
        #: What was refused once for having moved too far; asked again, it is confirmed.
        self._asked: RecordedTouches | None = None
        self._reference: str | None = None
        self._towards: str | None = None
        self._touches: RecordedTouches | None = None
        self.words: QLabel | None = None

    def forget_touches(self) -> None:
        self._touches = None

    def build(self) -> None:
        self._panel.add_heading("Features from a measured one")
        names = measured_names(self._panel.plan.setups[self._panel.setup_index])
        if len(names) < 2:
            self._panel.add_quiet("Measure two features or more in X and Y to see one from the other.")
            self.words = None
            return
        reference, towards = [(name, name) for name in names], [("as the WCS is turned", None)]
        self._panel.add_choice(
            ChoiceField("Seen from", "The feature that all others are seen from.", lambda: list(reference),
                        lambda: self._reference if self._reference in names else names[0], self._see_from)
        )  # fmt: skip
        self._panel.add_choice(
            ChoiceField("Squared to", "The feature that lies where the drawing has it; the others follow.",
                        lambda: [*towards, *reference], lambda: self._towards, self._square_to)
        )  # fmt: skip
        self._panel.add_buttons(
            ("Table…", "Write it as CSV", lambda: self._write_measured("csv")),
            ("Drawing…", "Write it as a dimensioned DXF drawing", lambda: self._write_measured("dxf")),
            ("Touches…", "Evaluate touches that a control has recorded", self._read_touches),
        )
        (self.take_radius,) = self._panel.add_buttons(
            ("Take the radius", "The calibrated radius becomes the probe's effective one", self._take_radius)
        )
        (self.keep,) = self._panel.add_buttons(
            ("Keep in the register", "The offset that these touches of a control have set", self._keep)
        )
        self.words = self._panel.add_quiet("")

    def _take_radius(self) -> None:
        """What touches of a ring of known size have found goes where every program takes it from."""
        measured = self.measurement()
        if measured is not None and measured.calibration is not None:
            radius = round(measured.calibration.radius, 4)
            job = self._panel.job
            path = job.probe_path(job.setups[self._panel.setup_index])
            self._panel.document.set_value("calibration", (*path, "effective_radius"), radius)

    def _keep(self) -> None:
        """Only what a real control has set; a rehearsal sets nothing in the shop."""
        measured, touches = self.measurement(), self._touches
        if measured is None or touches is None:
            return
        job = self._panel.job
        use = use_of(job, job.setups[self._panel.setup_index])
        confirmed, self._asked = self._asked is touches, touches
        entries = self._register.entries()
        entry = next((each for each in entries if each.code == measured.offset), Entry(measured.offset))
        self._register.write([kept_measurement(by_touches(measured), entry, use, entries, confirmed=confirmed)])

    def _see_from(self, name: object) -> None:
        self._reference = cast("str | None", name)
        self.refresh()

    def _square_to(self, name: object) -> None:
        self._towards = cast("str | None", name)
        self.refresh()

    def measurement(self) -> Measurement | None:
        """What the touches in hand give: those of a file that was read, else of the rehearsal."""
        plan, rehearsal = self._panel.document.plan, self._panel.document.rehearsal
        if plan is None:
            return None
        setup = plan.setups[self._panel.setup_index]
        reference, towards = seen_from(measured_names(setup), self._reference, self._towards)
        if self._touches is not None and self._touches.setup == setup.setup.name:
            return measure(setup, self._touches.model_copy(update={"reference": reference, "towards": towards}))
        if rehearsal is None or not rehearsal.setups[self._panel.setup_index].ran:
            return None
        touches = recorded(setup, rehearsal.setups[self._panel.setup_index], reference, towards)
        return None if touches is None else measure(setup, touches)

    def refresh(self) -> None:
        if self.words is None:
            return
        self.take_radius.setEnabled(False)
        self.keep.setEnabled(False)
        try:
            measured = self.measurement()
        except LedgecliffError as error:
            self.words.setText(str(error))
            return
        if measured is None:
            self.words.setText("Shown after a rehearsal, or for touches read from a file.")
            return
        unit = self._panel.document.unit
        self._reference = measured.reference
        source = "touches from a file" if self._touches is not None else "rehearsed"
        self.keep.setEnabled(self._touches is not None and self._touches.wcs is not None)
        self.take_radius.setEnabled(measured.calibration is not None)
        self.words.setText(spell(f"{source}; {said_of(measured)}", unit))

    def _write_measured(self, kind: str) -> None:
        measured = self.measurement()
        if measured is None or not measured.table:
            raise InvalidValueError("measurement", "there is none yet; rehearse first, or read touches from a file")
        what = "Table (*.csv)" if kind == "csv" else "Drawing (*.dxf)"
        path, _ = QFileDialog.getSaveFileName(self._panel, "Write the measurement", f"measured.{kind}", what)
        if path:
            self.write_measured(measured, Path(path))

    def write_measured(self, measured: Measurement, path: Path) -> None:
        if path.suffix.lower() == ".dxf":
            write_measured_drawing(measured, self._panel.machine.program_units, path)
        else:
            write_table(measured, path)

    def _read_touches(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self._panel, "Read recorded touches", "", "Touches (*.json);;All files (*)"
        )
        if path:
            self.read_touches(Path(path))

    def read_touches(self, path: Path) -> None:
        """Evaluates a control's recorded touches in place of the rehearsal's, until the job changes."""
        touches = read_touches(path)
        measure(self._panel.plan.setups[self._panel.setup_index], touches)
        self._touches = touches
        self.refresh()
