"""The shop's record with 100,000 entries, in a file and on a server: any page, any search, out and in again."""

from __future__ import annotations

import json
import random
import statistics
import tempfile
import time
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path

from bench.planning import Row
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.entries import KINDS, RecordEntry, Subject
from ledgecliff.core.record.exchange import lines_of, read_lines
from ledgecliff.store.record_db import RecordDb, Wanted
from tests.store.servers import server

#: How many entries there are, and how often each page is asked for.
_ENTRIES, _ASKED = 100_000, 5


def _entries() -> list[RecordEntry]:
    chance = random.Random(7)
    things = [Subject(kind="fixture", id=f"m1/f{k}", name=f"fixture {k}") for k in range(20)]
    start = datetime(2026, 1, 5, 7, tzinfo=UTC)
    return [
        RecordEntry(
            id=derived_id("bench", str(k)), kind=chance.choice(KINDS), at=(start + timedelta(minutes=k)).isoformat(),
            by="Ada", on=tuple(chance.sample(things, chance.randint(0, 3))), what=f"found {k} near the door",
            numbers={"x": chance.uniform(-500, 500)}, data={"step": k},
        )
        for k in range(_ENTRIES)
    ]  # fmt: skip


_WANTED = (
    ("the newest", Wanted(), 0), ("the oldest", Wanted(), _ENTRIES - 100), ("of a kind", Wanted(kind="touch"), 5000),
    ("of a fixture", Wanted(subject=("fixture", "m1/f3")), 5000), ("with words in it", Wanted(words="door 77"), 0),
    ("with words that are nowhere", Wanted(words="nowhere"), 0),
)  # fmt: skip


def run_record() -> list[Row]:
    told, rows = _entries(), list[Row]()
    begun = time.perf_counter()
    lines = list(lines_of(told))
    rows.append(("100,000 entries out (s)", time.perf_counter() - begun, "", "", None))
    begun = time.perf_counter()
    back = list(read_lines(lines))
    took = time.perf_counter() - begun
    assert back == told, "nothing is lost on the way"
    begun = time.perf_counter()
    for line in lines:
        json.loads(line)
    rows.append(("… and in again, each checked (s)", took, "", "JSON by itself", time.perf_counter() - begun))
    with tempfile.TemporaryDirectory() as folder:
        rows += _pages("in a file", Path(folder) / "shop.db", told)
    try:
        rows += _pages("on a server", server().fresh(), told)
    except unittest.SkipTest as why:
        rows.append((str(why), 0.0, "", "", None))
    return rows


def _pages(where: str, place: Path | str, told: list[RecordEntry]) -> list[Row]:
    db = RecordDb(place)
    begun = time.perf_counter()
    db.add(told)
    rows: list[Row] = [(f"100,000 entries added {where} (s)", time.perf_counter() - begun, "", "", None)]
    for words, wanted, skip in _WANTED:
        times = []
        for _ in range(_ASKED):
            begun = time.perf_counter()
            db.page(wanted, skip)
            times.append(time.perf_counter() - begun)
        rows.append((f"{where}, a page {words} (s)", statistics.median(times), "0.1", "", None))
    db.close()
    return rows
