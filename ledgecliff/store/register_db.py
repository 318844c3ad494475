"""The offset register in the shop's database: every change a new row, written whole or not at all.

Two windows may have it open: whoever writes says which
revision was looked at, and is refused when somebody else has changed that code since.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from sqlalchemy import func, insert, select, update
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DatabaseError, IntegrityError

from ledgecliff.core.errors import RegisterError
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.register.entries import Entry

from .identity import new_id
from .record_db import add_entries
from .record_rows import offset_entry, register_entry, use_of_text
from .shop_database import ShopDatabase
from .shop_schema import CHANGES, MACHINES
from .signed import now, who, workstation

_LONGEST_NAME = 100
#: The history is shown this many rows at a time.
PAGE = 200


class RegisterDb:
    """The register in a file; ``now`` and ``who`` date and sign each change."""

    def __init__(self, place: Path | str, now: Callable[[], str] = now, who: Callable[[], str] = who) -> None:
        self._now, self._who = now, who
        #: By machine: the last row that was read, and every code as it stood then.
        self._seen: dict[str, tuple[int, dict[str, Entry]]] = {}
        self._database = ShopDatabase(place, "offset register")

    def close(self) -> None:
        self._database.close()

    # --- reading --------------------------------------------------------------------------------

    def entries(self, machine: Machine) -> tuple[Entry, ...]:
        """Every code the machine has, as it stands now, in the machine's order; codes that it has no more come last.

        Rows never change, so what was read before is only brought up to date by those that came since.
        """
        last, found = self._seen.get(machine.id, (0, {}))
        mine = select(CHANGES).join(MACHINES).where(MACHINES.c.identity == machine.id)
        with self._database.reading() as connection:
            # Only where whoever writes is alone do rows come in the order of their numbers.
            if last and self._database.is_sqlite:
                rows = connection.execute(mine.where(CHANGES.c.id > last).order_by(CHANGES.c.id)).all()
            else:
                newest = (
                    select(func.max(CHANGES.c.id))
                    .join(MACHINES)
                    .where(MACHINES.c.identity == machine.id)
                    .group_by(CHANGES.c.code)
                )
                rows = connection.execute(select(CHANGES).where(CHANGES.c.id.in_(newest))).all()
        found = found | {row.code: register_entry(row) for row in rows}
        self._seen[machine.id] = (max([last, *(row.id for row in rows)]), found)
        known = [code.code for code in codes_of(machine)]
        return (
            *(found.get(code, Entry(code)) for code in known),
            *(entry for code, entry in found.items() if code not in known),
        )

    def history(self, machine: Machine, code: str, skip: int = 0, most: int = PAGE) -> tuple[Entry, ...]:
        """What the code held, newest first, a page at a time."""
        with self._database.reading() as connection:
            rows = connection.execute(
                select(CHANGES)
                .join(MACHINES)
                .where(MACHINES.c.identity == machine.id, CHANGES.c.code == code)
                .order_by(CHANGES.c.id.desc())
                .limit(most)
                .offset(skip)
            ).all()
        return tuple(register_entry(row) for row in rows)

    def machines(self) -> tuple[str, ...]:
        with self._database.reading() as connection:
            return tuple(connection.scalars(select(MACHINES.c.name).order_by(MACHINES.c.name)))

    def last_change(self) -> int:
        """A number that grows with every change of any window."""
        with self._database.reading() as connection:
            return int(connection.scalar(select(func.max(CHANGES.c.id))) or 0)

    # --- writing --------------------------------------------------------------------------------

    def write(self, machine: Machine, changed: Sequence[Entry]) -> tuple[Entry, ...]:
        """Adds ``changed`` as the next rows of their codes, all of them or none.

        Each entry's ``revision`` is the one it was made from.  Raises RegisterError when a code has been changed
        since, ShopDatabaseError when nothing can be written.
        """
        at, by = self._now(), self._who()
        written = tuple(replace(entry, revision=entry.revision + 1, at=at, by=by) for entry in changed)
        try:
            with self._database.writing() as connection:
                number = _machine(connection, machine)
                self._refuse_overwriting(connection, number, written)
                self._refuse_two_codes(connection, number, written)
                connection.execute(insert(CHANGES), [_row(entry, number) for entry in written])
                add_entries(
                    connection,
                    [offset_entry(machine.id, machine.name, entry, new_id(), workstation()) for entry in written],
                )
        except IntegrityError as error:
            codes = ", ".join(entry.code for entry in written)
            why = "somebody has changed it at this very moment; look at it and try again"
            raise RegisterError(codes, why) from error
        except DatabaseError as error:
            raise self._database.cannot("written", error) from error
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
        others = [
            (row.code, use) for row in rows if row.code not in codes and (use := use_of_text(row.use)) is not None
        ]
        for entry in written:
            for code, use in others:
                if entry.use is not None and use.is_for(entry.use):
                    raise RegisterError(
                        entry.code, f"{use.words()} has been given {code} meanwhile; take that, or release it first"
                    )


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
