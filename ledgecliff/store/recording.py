"""What happens here, dated, signed and put into the shop's record; where that is away it waits."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any

from ledgecliff.core.record.entries import LONGEST_NAME, LONGEST_TEXT, RecordEntry
from ledgecliff.core.record.made import Draft

from .identity import new_id
from .record_keeper import Kept, RecordKeeper
from .register_place import register_place
from .signed import this_moment, who, workstation


def dated() -> dict[str, Any]:
    """An id of its own, this moment, who is at which workstation: fields of an entry."""
    return {
        "id": new_id(),
        "at": this_moment(),
        "by": who()[:LONGEST_NAME],
        "workstation": workstation()[:LONGEST_NAME],
    }


def signed(drafts: Iterable[Draft], job_checksum: str = "") -> list[RecordEntry]:
    """Entries of this moment; words and names as much as is kept of them."""
    return [
        RecordEntry(
            **dated(), kind=draft.kind, job_checksum=job_checksum, on=draft.on, what=draft.what[:LONGEST_TEXT],
            numbers=dict(draft.numbers), data=dict(draft.data),
        )
        for draft in drafts
    ]  # fmt: skip


def record(drafts: Iterable[Draft], place: Path | str | None = None, job_checksum: str = "") -> Kept:
    """They are on a disk when this returns.  Raises OutboxError where not even this workstation can keep them."""
    entries = signed(drafts, job_checksum)
    if not entries:
        return Kept()
    keeper = RecordKeeper(register_place() if place is None else place)
    try:
        return keeper.add(entries)
    finally:
        keeper.close()
