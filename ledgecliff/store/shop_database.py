"""The shop's database, which the offset register and the record are in: opened, begun, its troubles told in our words.

SQLite in the user's data folder unless told otherwise, or any other by its URL.
"""

from __future__ import annotations

from pathlib import Path
from types import TracebackType
from typing import Any

from sqlalchemy import create_engine, event
from sqlalchemy.engine import URL, Connection, Engine, make_url
from sqlalchemy.exc import DatabaseError, SQLAlchemyError

from ledgecliff.core.errors import LedgecliffError

from .credentials import password_of
from .shop_schema import PATIENCE_S, NewerDatabaseError, begin

#: A server that does not answer for so long is away (s).
_CONNECTS_S = 5


class ShopDatabaseError(LedgecliffError, ValueError):
    """A database that cannot be opened, read or written; what was in it stays."""


class ShopDatabase:
    """``what`` is what is wanted of it, such as "offset register"."""

    def __init__(self, place: Path | str, what: str) -> None:
        self.place, self._what = place, what
        try:
            if isinstance(place, Path):
                place.parent.mkdir(parents=True, exist_ok=True)
            self.engine = _engine(place)
            begin(self.engine)
        except NewerDatabaseError as error:
            raise ShopDatabaseError(f"The {what} '{shown(place)}' {error}") from error
        except (SQLAlchemyError, ModuleNotFoundError, OSError) as error:
            raise self.cannot("opened", error) from error

    def close(self) -> None:
        self.engine.dispose()

    @property
    def is_sqlite(self) -> bool:
        return self.engine.dialect.name == "sqlite"

    def reading(self) -> Reading:
        return Reading(self)

    def writing(self) -> Any:
        """A transaction in which whoever writes has looked at what is there with nobody else between."""
        return self.engine.execution_options(writes=True).begin()

    def cannot(self, what: str, error: Exception) -> ShopDatabaseError:
        reason = str(getattr(error, "orig", None) or getattr(error, "strerror", None) or error)
        return ShopDatabaseError(
            f"The {self._what} '{shown(self.place)}' cannot be {what}: {reason}. Nothing in it was changed; look at "
            "the disk and its rights, or name another file."
        )


class Reading:
    """A connection to read from, whose troubles are told in our words."""

    def __init__(self, database: ShopDatabase) -> None:
        self._database = database

    def __enter__(self) -> Connection:
        try:
            self._connection = self._database.engine.connect()
        except DatabaseError as error:
            raise self._database.cannot("read", error) from error
        return self._connection

    def __exit__(
        self, _kind: type[BaseException] | None, error: BaseException | None, _trace: TracebackType | None
    ) -> None:
        self._connection.close()
        if isinstance(error, DatabaseError):
            raise self._database.cannot("read", error) from error


def _engine(place: Path | str) -> Engine:
    url = make_url(place) if isinstance(place, str) else URL.create("sqlite", database=str(place))
    if url.get_backend_name() != "sqlite":
        more: dict[str, Any] = {"connect_timeout": _CONNECTS_S} if url.get_backend_name() == "postgresql" else {}
        if url.password is None and (password := password_of(url)) is not None:
            more["password"] = password
        # A server that was away meanwhile is asked anew, not over a connection that is dead.
        return create_engine(url, pool_pre_ping=True, connect_args=more)
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


def shown(place: Path | str) -> str:
    """A URL without its password."""
    if isinstance(place, Path):
        return str(place)
    try:
        return make_url(place).render_as_string(hide_password=True)
    except SQLAlchemyError:
        return place.split("://", 1)[0] + "://…"
