"""Recorded touches and stated true worlds as JSON files; measurements as tables and drawings."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from ledgecliff.core.changing import field_path, path_words, problem_words
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.measured import Measurement, RecordedTouches
from ledgecliff.core.measuring.measured_drawing import COLUMNS, measured_sheet, table_rows
from ledgecliff.core.model.base import Model
from ledgecliff.core.model.job import Job
from ledgecliff.core.plain_text import harmless_cell
from ledgecliff.core.quantities import Unit
from ledgecliff.core.rehearsal.stated import StatedWorld
from ledgecliff.core.touchoff.readings import HandReadings

from .atomic import write_atomic

Kind = TypeVar("Kind", bound=Model)


def read_touches(path: Path) -> RecordedTouches:
    """Raises InvalidValueError, naming the field that is wrong."""
    return _read(path, RecordedTouches)


def read_world(path: Path, job: Job) -> StatedWorld:
    """Raises InvalidValueError, naming the field that is wrong or the setup that the job does not have."""
    world = _read(path, StatedWorld)
    names = [setup.name for setup in job.setups]
    strange = next((setup.name for setup in world.setups if setup.name not in names), None)
    if strange is not None:
        raise InvalidValueError(str(path), f"the job has no setup '{strange}'; it has {', '.join(names)}")
    return world


def read_hand_readings(path: Path) -> HandReadings:
    """Raises InvalidValueError, naming the field that is wrong."""
    return _read(path, HandReadings)


def write_table(measured: Measurement, path: Path) -> None:
    """Every feature from the reference as CSV, lengths in mm."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for row in table_rows(measured):
        writer.writerow(
            ["" if cell is None else f"{cell:.4f}" if isinstance(cell, float) else harmless_cell(cell) for cell in row]
        )
    write_atomic(path, text.getvalue())


def write_measured_drawing(measured: Measurement, unit: Unit, path: Path) -> None:
    """The same as a dimensioned drawing (DXF)."""
    from .dxf_files import dxf_text  # slow to import

    write_atomic(path, dxf_text(measured_sheet(measured), unit))


def _read(path: Path, kind: type[Kind]) -> Kind:
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise InvalidValueError(str(path), f"cannot be read: {error.strerror}") from error
    except (UnicodeDecodeError, json.JSONDecodeError) as error:
        raise InvalidValueError(str(path), f"is not JSON: {error}") from error
    try:
        return kind.model_validate(data)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = path_words(field_path(first["loc"])) or "the file"
        raise InvalidValueError(f"{path}, {where}", problem_words(first["msg"])) from error
