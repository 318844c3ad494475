"""Rows of the shop's database as what they are: entries of the record and of the offset register."""

from __future__ import annotations

import json
from dataclasses import fields
from functools import lru_cache
from typing import Any

from sqlalchemy import Row

from ledgecliff.core.record.entries import LONGEST_NAME, RecordEntry
from ledgecliff.core.record.subjects import about
from ledgecliff.core.record.times import moment
from ledgecliff.core.register.entries import Entry, Use, Value

from .signed import zoned


def entry_row(entry: RecordEntry) -> dict[str, Any]:
    """A row of the record."""
    names = [word for subject in entry.on for word in (subject.name, subject.id)]
    data = json.dumps(entry.data, ensure_ascii=False, sort_keys=True, allow_nan=False)
    words = " ".join((entry.what, entry.by, entry.workstation, *names, *entry.numbers, data)).lower()
    return {
        "id": entry.id,
        "kind": entry.kind,
        "at": entry.at,
        "moment": moment(entry.at),
        "by": entry.by,
        "workstation": entry.workstation,
        "job_checksum": entry.job_checksum,
        "what": entry.what,
        "numbers": json.dumps(entry.numbers, allow_nan=False),
        "data": json.dumps(entry.data, allow_nan=False),
        "corrects": entry.corrects,
        "withdrawn": entry.withdrawn,
        "words": words,
    }


def offset_entry(machine: str, machine_name: str, entry: Entry, entry_id: str, station: str) -> RecordEntry:
    """What the record keeps of a change of an offset of a machine (its id)."""
    value, use = entry.value, entry.use
    on = [
        about("machine", machine, machine_name),
        about("offset", f"{machine}/{entry.code}", f"{machine_name} {entry.code}"),
    ]
    if use is not None and use.job_id:
        on.append(about("job", use.job_id, use.job))
        on.append(about("setup", f"{use.job_id}/{use.setup_id}", f"{use.job} {use.setup}"))
    return RecordEntry(
        id=entry_id,
        kind="tape" if entry.origin == "tape" and value is not None else "offset",
        at=zoned(entry.at),
        by=entry.by[:LONGEST_NAME],
        workstation=station[:LONGEST_NAME],
        on=tuple(on),
        what=f"{entry.code}: {entry.what}",
        numbers={} if value is None else {"x": value.x, "y": value.y, "z": value.z, "turn": value.turn_deg},
        data={
            "code": entry.code,
            "revision": entry.revision,
            "origin": entry.origin,
            "label": entry.label,
            "resident": entry.resident,
            "lines": list(entry.lines),
        },
    )


def register_entry(row: Row[Any]) -> Entry:
    """A change of the offset register."""
    value = None if row.x is None else Value(row.x, row.y, row.z, row.turn_deg)
    return Entry(
        code=row.code,
        revision=row.revision,
        label=row.label,
        value=value,
        origin=row.origin,
        lines=tuple(json.loads(row.lines)),
        readings=row.readings,
        use=use_of_text(row.use),
        found_for=use_of_text(row.found_for),
        resident=row.resident,
        at=row.at,
        by=row.by,
        what=row.what,
    )


@lru_cache(maxsize=4096)
def use_of_text(text: str | None) -> Use | None:
    """For whom an offset is kept, as a row has it."""
    if text is None:
        return None
    known = {field.name for field in fields(Use)}
    return Use(**{key: value for key, value in json.loads(text).items() if key in known})
