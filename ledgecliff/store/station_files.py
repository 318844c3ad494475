"""Stations of a job as CSV and DXF, for whoever programs the toolpaths."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from ledgecliff.core.many_parts.listing import COLUMNS, station_rows, station_sheet
from ledgecliff.core.plain_text import harmless_cell
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, mm_per

from .atomic import write_atomic

#: Columns that hold lengths; they say their unit.
_LENGTHS = ("machine x", "machine y", "machine z", "local x", "local y", "local z")


def stations_csv(plan: Plan) -> str:
    """One row an instance; lengths in the unit of the first machine's control, which the heading says."""
    unit: Unit = plan.job.machine.program_units
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow([f"{name} ({unit})" if name in _LENGTHS else name for name in COLUMNS])
    places = 4 if unit == "mm" else 5
    for row in station_rows(plan):
        cells = []
        for name, cell in zip(COLUMNS, row, strict=True):
            value = cell / mm_per(unit) if isinstance(cell, float) and name in _LENGTHS else cell
            cells.append(f"{value + 0.0:.{places}f}" if isinstance(value, float) else harmless_cell(str(value or "")))
        writer.writerow(cells)
    return text.getvalue()


def write_stations_csv(plan: Plan, path: Path) -> Path:
    """Raises WriteError."""
    write_atomic(path, stations_csv(plan))
    return path


def write_stations_dxf(plan: Plan, path: Path) -> Path:
    """Raises WriteError."""
    from .dxf_files import dxf_text  # slow to import

    write_atomic(path, dxf_text(station_sheet(plan), plan.job.machine.program_units))
    return path
