"""How fast the offset register answers with a long history."""

from __future__ import annotations

import random
import tempfile
from pathlib import Path

from sqlalchemy import insert, select

from bench.planning import Row, median
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.work_offsets import ExtendedOffsets
from ledgecliff.core.register.entries import Entry, Use, Value, found, with_value
from ledgecliff.core.register.present_table import differences, read_table, table_text
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.record_rows import register_entry
from ledgecliff.store.register_db import RegisterDb, _machine, _row
from ledgecliff.store.shop_schema import CHANGES

_CODES, _FIXTURES, _ROWS = 300, 30, 100_000


def register() -> list[Row]:
    """300 codes, 30 fixtures, 100,000 changes: every page that the window or the command line asks for."""
    machine = read_job(demo_job("float-housing")).machine
    machine = machine.model_copy(update={"extended": ExtendedOffsets(count=_CODES - len(machine.offsets))})
    with tempfile.TemporaryDirectory() as folder:
        db = RegisterDb(Path(folder) / "register.db")
        _fill(db, machine)
        entries = db.entries(machine)
        text = table_text(entries)
        code = entries[7].code
        rows: list[Row] = [
            (
                "every code as it stands, first time (s)", median(lambda: _anew(db).entries(machine), 7), "0.1",
                "all rows read, the newest kept", median(lambda: _all_rows(db), 3),
            ),
            ("the same again (s)", median(lambda: db.entries(machine), 7), "0.1", "", None),
            ("a page of one code's history (s)", median(lambda: db.history(machine, code), 7), "0.1", "", None),
            ("its last page (s)", median(lambda: db.history(machine, code, 200), 7), "0.1", "", None),
            ("a search (s)", median(lambda: found(db.entries(machine), "fixture 7 op 20"), 7), "0.1", "", None),
            (
                "a present table against it (s)",
                median(lambda: differences(db.entries(machine), read_table(text, machine)), 7), "0.1", "", None,
            ),
            ("one change, on the disk (s)", median(lambda: _change(db, machine, code), 15), "0.1", "", None),
            ("whether anything has changed (s)", median(db.last_change, 15), "0.1", "", None),
        ]  # fmt: skip
        db.close()
    return rows


def _anew(db: RegisterDb) -> RegisterDb:
    """As if nothing had been read before."""
    db._seen.clear()
    return db


def _all_rows(db: RegisterDb) -> dict[str, Entry]:
    with db._database.engine.connect() as connection:
        return {row.code: register_entry(row) for row in connection.execute(select(CHANGES).order_by(CHANGES.c.id))}


def _change(db: RegisterDb, machine: Machine, code: str) -> None:
    entry = next(entry for entry in db.entries(machine) if entry.code == code)
    db.write(machine, [with_value(entry, Value(1.0, 2.0, 3.0), "typed")])


def _fill(db: RegisterDb, machine: Machine) -> None:
    """The history as rows, without the checks of single changes."""
    rng = random.Random(3)
    codes = [entry.code for entry in db.entries(machine)]
    revisions = dict.fromkeys(codes, 0)
    with db._database.writing() as connection:
        number = _machine(connection, machine)
        rows = []
        for k in range(_ROWS):
            code = rng.choice(codes)
            revisions[code] += 1
            fixture = f"fixture {k % _FIXTURES}"
            value = Value(rng.uniform(-600, 0), rng.uniform(-400, 0), rng.uniform(-500, 0))
            use = Use(job=f"job {code}", setup=f"Op {10 + 10 * (k % 3)}", fixture=fixture)
            entry = Entry(
                code=code, revision=revisions[code], value=value, origin="tape", use=use, found_for=use,
                lines=("left side, moving +: −412.630", "radius, +: 5.000", "E X: −359.610"),
                at="2026-11-25T08:00", by="Ada", what="x",
            )  # fmt: skip
            rows.append(_row(entry, number))
        connection.execute(insert(CHANGES), rows)
