"""Recorded touches and stated true worlds as JSON files; measurements as tables and drawings."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Sequence
from pathlib import Path
from typing import TypeVar

from pydantic import ValidationError

from ledgecliff.core.changing import field_path, path_words, problem_words
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.measured import Measurement, RecordedTouches
from ledgecliff.core.measuring.measured_drawing import COLUMNS, measured_sheet, table_rows
from ledgecliff.core.measuring.results_back import ReturnedResults
from ledgecliff.core.model.base import Model
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import Rotary
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.plain_text import harmless_cell
from ledgecliff.core.quantities import Unit
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.touchoff.readings import HandReadings

from .atomic import write_atomic

Kind = TypeVar("Kind", bound=Model)


def read_touches(path: Path) -> RecordedTouches:
    """Raises InvalidValueError, naming the field that is wrong."""
    recorded = _read(path, RecordedTouches)
    touches = [touch.model_copy(update={"step": _present_title(touch.step)}) for touch in recorded.touches]
    return recorded.model_copy(update={"touches": touches})


def _present_title(step: str) -> str:
    """What a step is called now; up to 0.8.0 one that touches both sides had another word first."""
    return re.sub(r"^([XY]) (?:web|pocket), (.+)$", r"\2, both sides in \1", step)


def read_world(path: Path, job: Job) -> TrueWorld:
    """Raises InvalidValueError, naming the field that is wrong, or what the job does not have."""
    world = _read(path, TrueWorld)
    machines = job.machines
    _known(path, "setup", [setup.name for setup in world.setups], [setup.name for setup in job.setups])
    _known(path, "rotary axis", [axis.axis for axis in world.axes], _axes_of(job))
    for tool in world.tools:
        if tool.machine is not None:
            _known(path, "machine", [tool.machine], [machine.name for machine in machines])
        _known(path, "tool", [tool.number], _tools_of(machines, tool.machine))
    for offset in world.offsets:
        if offset.machine is not None:
            _known(path, "machine", [offset.machine], [machine.name for machine in machines])
        codes = [code.code for each in machines if offset.machine in (None, each.name) for code in codes_of(each)]
        _known(path, "offset", [offset.code], codes)
    return world


def write_world(world: TrueWorld, path: Path) -> None:
    write_atomic(path, world.model_dump_json(indent=1) + "\n")


def _axes_of(job: Job) -> list[str]:
    return [each.name for machine in job.machines for each in machine.carriers if isinstance(each, Rotary)]


def _tools_of(machines: Sequence[Machine], name: str | None) -> list[int]:
    return [
        n
        for each in machines
        if name in (None, each.name)
        for n in (*(probe.tool for probe in each.probes), *(cutter.tool for cutter in each.cutters))
    ]


def _known(path: Path, what: str, stated: Sequence[object], there: Sequence[object]) -> None:
    """Raises InvalidValueError where something is stated that the job does not have."""
    strange = next((each for each in stated if each not in there), None)
    if strange is not None:
        has = ", ".join(str(each) for each in there) or "none"
        raise InvalidValueError(str(path), f"the job has no {what} '{strange}'; it has {has}")


def read_results(path: Path) -> ReturnedResults:
    """Raises InvalidValueError, naming the field that is wrong."""
    return _read(path, ReturnedResults)


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
