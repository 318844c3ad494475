"""The register's tables, and how those of older versions are brought up to the present one."""

from __future__ import annotations

import random
import time
from collections.abc import Callable

from sqlalchemy import (
    Column,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    UniqueConstraint,
    inspect,
    select,
    text,
    update,
)
from sqlalchemy.engine import Connection, Engine
from sqlalchemy.exc import DatabaseError

from .migrations import machine_id

#: Version 1 had no table that said so; machines were known by their names.
VERSION = 2
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
#: How long one window waits for another's write (s).
PATIENCE_S = 10
#: So many turns are waited for where several begin a register at once; what a database says then.
_TURNS = 40
_OF_ANOTHERS_TURN = ("already exists", "locked", "duplicate key", "busy")


class NewerRegisterError(ValueError):
    """Tables of a version that this program does not know."""


def begin(engine: Engine) -> None:
    """Makes the tables that are not there, or brings those of an older version up to this one.

    Several that open a register at once do it by turns.  Raises NewerRegisterError.
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
        raise NewerRegisterError(
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


_STEPS: dict[int, Callable[[Connection], None]] = {1: _to_2}
