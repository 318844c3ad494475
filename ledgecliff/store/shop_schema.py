"""The tables of the shop's database, and how those of older versions are brought up to the present one."""

from __future__ import annotations

import random
import time
from collections.abc import Callable

from sqlalchemy import (
    Boolean,
    Column,
    Double,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    String,
    Table,
    Text,
    UniqueConstraint,
    func,
    inspect,
    select,
    text,
    update,
)
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DatabaseError

from ledgecliff.core.model.identity import derived_id

from .migrations import machine_id
from .record_rows import entry_row, offset_entry, register_entry

#: Version 1 had no table that said so; machines were known by their names.  Version 2 had no record, 3 no library.
VERSION = 4
_DATA = MetaData()
#: One row: which version of these tables it is.
SCHEMA = Table("schema", _DATA, Column("version", Integer, nullable=False))
MACHINES = Table(
    "machines", _DATA,
    Column("id", Integer, primary_key=True),
    #: Which machine it is (``core.model.identity``), and what it was called when it was last written.
    Column("identity", String(12), nullable=False, unique=True),
    Column("name", String(200), nullable=False),
)  # fmt: skip
#: One row a change, each the whole entry as it stands from then on.
CHANGES = Table(
    "changes", _DATA,
    Column("id", Integer, primary_key=True),
    Column("machine", ForeignKey("machines.id"), nullable=False),
    Column("code", String(40), nullable=False),
    Column("revision", Integer, nullable=False),
    Column("at", String(40), nullable=False),
    Column("by", String(100), nullable=False),
    Column("what", String(200), nullable=False),
    Column("label", String(200), nullable=False),
    Column("resident", String(200), nullable=False),
    Column("x", Float), Column("y", Float), Column("z", Float), Column("turn_deg", Float),
    Column("origin", String(40)),
    Column("lines", Text, nullable=False),
    Column("readings", Text, nullable=False),
    Column("use", Text), Column("found_for", Text),
    UniqueConstraint("machine", "code", "revision", name="one_change_a_revision"),
)  # fmt: skip
Index("newest_of_a_code", CHANGES.c.machine, CHANGES.c.code, CHANGES.c.id)
#: One row an entry of the record, which is never changed.
ENTRIES = Table(
    "record_entries", _DATA,
    Column("number", Integer, primary_key=True),
    #: Which entry it is (``core.record.entries``), in whatever database it is.
    Column("id", String(12), nullable=False, unique=True),
    Column("kind", String(20), nullable=False),
    Column("at", String(40), nullable=False),
    #: The same as seconds since 1970: times of several zones follow each other by these.
    Column("moment", Double, nullable=False),
    Column("by", String(200), nullable=False),
    Column("workstation", String(200), nullable=False),
    Column("job_checksum", String(64), nullable=False),
    Column("what", Text, nullable=False),
    Column("numbers", Text, nullable=False),
    Column("data", Text, nullable=False),
    Column("corrects", String(12)),
    Column("withdrawn", Boolean, nullable=False),
    #: What is searched, in small letters.
    Column("words", Text, nullable=False),
)  # fmt: skip
Index("entries_by_time", ENTRIES.c.moment, ENTRIES.c.number)
Index("entries_by_kind", ENTRIES.c.kind, ENTRIES.c.moment, ENTRIES.c.number)
Index("what_an_entry_corrects", ENTRIES.c.corrects)
#: What entries are about, in the order in which each names it.
SUBJECTS = Table(
    "record_subjects", _DATA,
    Column("entry", ForeignKey("record_entries.number"), primary_key=True),
    Column("place", Integer, primary_key=True),
    Column("kind", String(20), nullable=False),
    Column("id", String(200), nullable=False),
    Column("name", String(200), nullable=False),
)  # fmt: skip
Index("entries_about", SUBJECTS.c.kind, SUBJECTS.c.id, SUBJECTS.c.entry)
Index("subjects_by_name", SUBJECTS.c.name)
#: One row a change of a thing of the library (``core.library.things``), which is what it says from then on; without a
#: body it is gone.
THINGS = Table(
    "library_things", _DATA,
    Column("id", Integer, primary_key=True),
    Column("kind", String(20), nullable=False),
    Column("place", String(40), nullable=False),
    Column("which", String(200), nullable=False),
    Column("revision", Integer, nullable=False),
    Column("at", String(40), nullable=False),
    Column("by", String(100), nullable=False),
    Column("workstation", String(200), nullable=False),
    Column("body", Text),
    UniqueConstraint("kind", "place", "which", "revision", name="one_thing_a_revision"),
)  # fmt: skip
#: Files of models that fixtures of the library are made of, and pictures of notes, by what is in them.
MODEL_FILES = Table(
    "library_files", _DATA,
    Column("sha256", String(64), primary_key=True),
    Column("content", LargeBinary, nullable=False),
)  # fmt: skip
#: How long one window waits for another's write (s).
PATIENCE_S = 10
#: So many turns are waited for where several begin a register at once; what a database says then.
_TURNS = 40
_OF_ANOTHERS_TURN = ("already exists", "locked", "duplicate key", "busy")


class NewerDatabaseError(ValueError):
    """Tables of a version that this program does not know."""


def begin(engine: Engine) -> None:
    """Makes the tables that are not there, or brings those of an older version up to this one.

    Several that open a register at once do it by turns.  Raises NewerDatabaseError.
    """
    for patience in range(_TURNS):
        try:
            with engine.connect() as connection:
                if _version(connection) == VERSION:
                    return
            with engine.execution_options(writes=True).begin() as connection:
                _begun(connection)
            return
        except DatabaseError as error:
            # Somebody else has just made a table, or is about to.
            if patience == _TURNS - 1 or not any(words in str(error.orig).lower() for words in _OF_ANOTHERS_TURN):
                raise
            time.sleep(PATIENCE_S / _TURNS * random.uniform(0.2, 1.0))


def _begun(connection: Connection) -> None:
    version = _version(connection)
    if version == 0:
        _DATA.create_all(connection)
        connection.execute(SCHEMA.insert().values(version=VERSION))
        return
    if version > VERSION:
        raise NewerDatabaseError(
            f"is of version {version}; this program reads up to {VERSION}. Open it with a newer Ledgecliff."
        )
    for step in range(version, VERSION):
        _STEPS[step](connection)
    if version < VERSION:
        connection.execute(SCHEMA.update().values(version=VERSION))


def _version(connection: Connection) -> int:
    """Of the tables as they are; nought where there are none."""
    there = set(inspect(connection).get_table_names())
    if "schema" in there:
        return int(connection.scalar(select(SCHEMA.c.version)) or 1)
    return 1 if "changes" in there else 0


def _to_2(connection: Connection) -> None:
    """Machines got an identity, which follows from their name; one of a name was one machine.

    The column that was unique stays so under its new name, which no database needs to rebuild a table for.
    """
    SCHEMA.create(connection)
    connection.execute(SCHEMA.insert().values(version=2))
    connection.execute(text("ALTER TABLE machines RENAME COLUMN name TO identity"))
    connection.execute(text("ALTER TABLE machines ADD COLUMN name VARCHAR(200) NOT NULL DEFAULT ''"))
    for number, name in connection.execute(text("SELECT id, identity FROM machines")).all():
        now = update(MACHINES).where(MACHINES.c.id == number)
        connection.execute(now.values(identity=machine_id(name), name=name))


def _to_3(connection: Connection) -> None:
    """There is a record, which begins with what every offset held."""
    _DATA.create_all(connection, [ENTRIES, SUBJECTS])
    changes = select(CHANGES, MACHINES.c.identity, MACHINES.c.name).join(MACHINES).order_by(CHANGES.c.id)
    for number, row in enumerate(connection.execute(changes).all(), start=1):
        entry_id = derived_id("register", row.identity, row.code, str(row.revision), row.at, row.by)
        entry = offset_entry(row.identity, row.name, register_entry(row), entry_id, "")
        connection.execute(ENTRIES.insert().values(number=number, **entry_row(entry)))
        connection.execute(SUBJECTS.insert(), [
            {"entry": number, "place": place, **subject.model_dump()} for place, subject in enumerate(entry.on)
        ])  # fmt: skip
    if connection.dialect.name == "postgresql":
        # Numbers that were given do not count there by themselves.
        highest = select(func.coalesce(func.max(ENTRIES.c.number), 0) + 1)
        connection.execute(
            text("SELECT setval('record_entries_number_seq', :next, false)"), {"next": connection.scalar(highest)}
        )


def _to_4(connection: Connection) -> None:
    """There is a library, which whoever keeps something first begins."""
    _DATA.create_all(connection, [THINGS, MODEL_FILES])


_STEPS: dict[int, Callable[[Connection], None]] = {1: _to_2, 2: _to_3, 3: _to_4}
