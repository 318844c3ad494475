"""The offset register as the shop's database: every change a new row, written whole or not at all.

SQLite in the user's data folder unless told otherwise.  Two windows may have it open: whoever writes says which
revision was looked at, and is refused when somebody else has changed that code since.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, fields, replace
from functools import lru_cache
from pathlib import Path
from typing import Any

from sqlalchemy import (
    Row,
    create_engine,
    event,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.engine import URL, Connection, Engine, make_url
from sqlalchemy.exc import DatabaseError, IntegrityError, SQLAlchemyError

from ledgecliff.core.errors import LedgecliffError, RegisterError
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.register.entries import Entry, Use, Value

from .register_schema import CHANGES, MACHINES, PATIENCE_S, NewerRegisterError, begin
from .signed import now, who

_LONGEST_NAME = 100
#: The history is shown this many rows at a time.
PAGE = 200


class RegisterFileError(LedgecliffError, ValueError):
    """A register that cannot be opened, read or written; what was in it stays."""


class RegisterDb:
    """The register in a file; ``now`` and ``who`` date and sign each change."""

    def __init__(self, place: Path | str, now: Callable[[], str] = now, who: Callable[[], str] = who) -> None:
        self.place, self._now, self._who = place, now, who
        #: By machine: the last row that was read, and every code as it stood then.
        self._seen: dict[str, tuple[int, dict[str, Entry]]] = {}
        try:
            if isinstance(place, Path):
                place.parent.mkdir(parents=True, exist_ok=True)
            self._engine = _engine(place)
            begin(self._engine)
        except NewerRegisterError as error:
            raise RegisterFileError(f"The offset register '{_shown(place)}' {error}") from error
        except (SQLAlchemyError, ModuleNotFoundError, OSError) as error:
            raise _cannot("opened", place, error) from error

    def close(self) -> None:
        self._engine.dispose()

    # --- reading --------------------------------------------------------------------------------

    def entries(self, machine: Machine) -> tuple[Entry, ...]:
        """Every code the machine has, as it stands now, in the machine's order; codes that it has no more come last.

        Rows never change, so what was read before is only brought up to date by those that came since.
        """
        last, found = self._seen.get(machine.id, (0, {}))
        mine = select(CHANGES).join(MACHINES).where(MACHINES.c.identity == machine.id)
        with self._reading() as connection:
            # Only where whoever writes is alone do rows come in the order of their numbers.
            if last and self._engine.dialect.name == "sqlite":
                rows = connection.execute(mine.where(CHANGES.c.id > last).order_by(CHANGES.c.id)).all()
            else:
                newest = (
                    select(func.max(CHANGES.c.id))
                    .join(MACHINES)
                    .where(MACHINES.c.identity == machine.id)
                    .group_by(CHANGES.c.code)
                )
                rows = connection.execute(select(CHANGES).where(CHANGES.c.id.in_(newest))).all()
        found = found | {row.code: _entry(row) for row in rows}
        self._seen[machine.id] = (max([last, *(row.id for row in rows)]), found)
        known = [code.code for code in codes_of(machine)]
        return (
            *(found.get(code, Entry(code)) for code in known),
            *(entry for code, entry in found.items() if code not in known),
        )

    def history(self, machine: Machine, code: str, skip: int = 0, most: int = PAGE) -> tuple[Entry, ...]:
        """What the code held, newest first, a page at a time."""
        with self._reading() as connection:
            rows = connection.execute(
                select(CHANGES)
                .join(MACHINES)
                .where(MACHINES.c.identity == machine.id, CHANGES.c.code == code)
                .order_by(CHANGES.c.id.desc())
                .limit(most)
                .offset(skip)
            ).all()
        return tuple(_entry(row) for row in rows)

    def machines(self) -> tuple[str, ...]:
        with self._reading() as connection:
            return tuple(connection.scalars(select(MACHINES.c.name).order_by(MACHINES.c.name)))

    def last_change(self) -> int:
        """A number that grows with every change of any window."""
        with self._reading() as connection:
            return int(connection.scalar(select(func.max(CHANGES.c.id))) or 0)

    # --- writing --------------------------------------------------------------------------------

    def write(self, machine: Machine, changed: Sequence[Entry]) -> tuple[Entry, ...]:
        """Adds ``changed`` as the next rows of their codes, all of them or none.

        Each entry's ``revision`` is the one it was made from.  Raises RegisterError when a code has been changed
        since, RegisterFileError when nothing can be written.
        """
        at, by = self._now(), self._who()
        written = tuple(replace(entry, revision=entry.revision + 1, at=at, by=by) for entry in changed)
        try:
            with self._engine.execution_options(writes=True).begin() as connection:
                number = _machine(connection, machine)
                self._refuse_overwriting(connection, number, written)
                self._refuse_two_codes(connection, number, written)
                connection.execute(insert(CHANGES), [_row(entry, number) for entry in written])
        except IntegrityError as error:
            codes = ", ".join(entry.code for entry in written)
            why = "somebody has changed it at this very moment; look at it and try again"
            raise RegisterError(codes, why) from error
        except DatabaseError as error:
            raise _cannot("written", self.place, error) from error
        return written

    @staticmethod
    def _refuse_overwriting(connection: Connection, machine: int, written: Sequence[Entry]) -> None:
        for entry in written:
            newest = connection.execute(
                select(CHANGES)
                .where(CHANGES.c.machine == machine, CHANGES.c.code == entry.code)
                .order_by(CHANGES.c.id.desc())
                .limit(1)
            ).first()
            there = 0 if newest is None else newest.revision
            if newest is not None and there != entry.revision - 1:
                raise RegisterError(
                    entry.code,
                    f"{newest.by} has changed it meanwhile ({newest.what}, {newest.at}); look at it as it stands now "
                    "and do your change again",
                )

    @staticmethod
    def _refuse_two_codes(connection: Connection, machine: int, written: Sequence[Entry]) -> None:
        """What one window gives a setup another one may have given it a moment ago, in another code."""
        newest = select(func.max(CHANGES.c.id)).where(CHANGES.c.machine == machine).group_by(CHANGES.c.code)
        rows = connection.execute(select(CHANGES).where(CHANGES.c.id.in_(newest), CHANGES.c.use.is_not(None))).all()
        codes = {entry.code for entry in written}
        others = [(row.code, use) for row in rows if row.code not in codes and (use := _use(row.use)) is not None]
        for entry in written:
            for code, use in others:
                if entry.use is not None and use.is_for(entry.use):
                    raise RegisterError(
                        entry.code, f"{use.words()} has been given {code} meanwhile; take that, or release it first"
                    )

    def _reading(self) -> _Reading:
        return _Reading(self._engine, self.place)


class _Reading:
    """A connection to read from, whose troubles are told in our words."""

    def __init__(self, engine: Engine, place: Path | str) -> None:
        self._engine, self._place = engine, place

    def __enter__(self) -> Connection:
        try:
            self._connection = self._engine.connect()
        except DatabaseError as error:
            raise _cannot("read", self._place, error) from error
        return self._connection

    def __exit__(self, kind: object, error: BaseException | None, _trace: object) -> None:
        self._connection.close()
        if isinstance(error, DatabaseError):
            raise _cannot("read", self._place, error) from error


def _engine(place: Path | str) -> Engine:
    url = make_url(place) if isinstance(place, str) else URL.create("sqlite", database=str(place))
    if url.get_backend_name() != "sqlite":
        return create_engine(url)
    engine = create_engine(url, connect_args={"timeout": PATIENCE_S})

    @event.listens_for(engine, "connect")
    def _careful(connection: Any, _record: object) -> None:
        # Written ahead, and on the disk before a change counts: a crash loses no row that was told as written.
        connection.isolation_level = None
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")
        connection.execute("PRAGMA foreign_keys=ON")

    @event.listens_for(engine, "begin")
    def _alone(connection: Connection) -> None:
        # Whoever writes has looked at the newest row with nobody else between.
        connection.exec_driver_sql("BEGIN IMMEDIATE" if connection.get_execution_options().get("writes") else "BEGIN")

    return engine


def _machine(connection: Connection, machine: Machine) -> int:
    """The number of its row, which nobody else may write under until this is done; its name as it is called now."""
    mine = select(MACHINES).where(MACHINES.c.identity == machine.id).with_for_update()
    row = connection.execute(mine).first()
    if row is None:
        result = connection.execute(insert(MACHINES).values(identity=machine.id, name=machine.name))
        (number,) = result.inserted_primary_key or (0,)
        return int(number)
    if row.name != machine.name:
        connection.execute(update(MACHINES).where(MACHINES.c.id == row.id).values(name=machine.name))
    return int(row.id)


def _row(entry: Entry, machine: int) -> dict[str, Any]:
    value = entry.value
    numbers: dict[str, Any] = dict.fromkeys(("x", "y", "z", "turn_deg")) if value is None else asdict(value)
    return numbers | {
        "machine": machine,
        "code": entry.code,
        "revision": entry.revision,
        "at": entry.at,
        "by": entry.by[:_LONGEST_NAME],
        "what": entry.what,
        "label": entry.label,
        "resident": entry.resident,
        "origin": entry.origin,
        "lines": json.dumps(entry.lines, ensure_ascii=False),
        "readings": entry.readings,
        "use": None if entry.use is None else json.dumps(asdict(entry.use), ensure_ascii=False),
        "found_for": None if entry.found_for is None else json.dumps(asdict(entry.found_for), ensure_ascii=False),
    }


def _entry(row: Row[Any]) -> Entry:
    value = None if row.x is None else Value(row.x, row.y, row.z, row.turn_deg)
    return Entry(
        code=row.code,
        revision=row.revision,
        label=row.label,
        value=value,
        origin=row.origin,
        lines=tuple(json.loads(row.lines)),
        readings=row.readings,
        use=_use(row.use),
        found_for=_use(row.found_for),
        resident=row.resident,
        at=row.at,
        by=row.by,
        what=row.what,
    )


@lru_cache(maxsize=4096)
def _use(text: str | None) -> Use | None:
    if text is None:
        return None
    known = {field.name for field in fields(Use)}
    return Use(**{key: value for key, value in json.loads(text).items() if key in known})


def _cannot(what: str, place: Path | str, error: Exception) -> RegisterFileError:
    reason = str(getattr(error, "orig", None) or getattr(error, "strerror", None) or error)
    return RegisterFileError(
        f"The offset register '{_shown(place)}' cannot be {what}: {reason}. Nothing in it was changed; look at the "
        "disk and its rights, or name another file."
    )


def _shown(place: Path | str) -> str:
    """A URL without its password."""
    if isinstance(place, Path):
        return str(place)
    try:
        return make_url(place).render_as_string(hide_password=True)
    except SQLAlchemyError:
        return place.split("://", 1)[0] + "://…"
