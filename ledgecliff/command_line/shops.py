"""Where the shop's database is, what is in it, what waits for it: ``shop init``, ``join``, ``status``, ``backup``."""

from __future__ import annotations

import argparse
import getpass
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.store.register_place import joined, joined_file, own_file, place_of, register_place, waiting_file

if TYPE_CHECKING:
    from ledgecliff.core.library.planned_with import History


def add_commands(commands: Any) -> None:
    """Adds ``shop`` to the parser's commands."""
    words = "the shop's database: the offset register and the record"
    shop = commands.add_parser("shop", help=words, description=words)
    kinds = shop.add_subparsers(required=True, metavar="WHAT")

    def command(name: str, run: Callable[[argparse.Namespace], int], said: str) -> argparse.ArgumentParser:
        sub: argparse.ArgumentParser = kinds.add_parser(name, help=said, description=said)
        sub.set_defaults(run=run)
        sub.add_argument("--json", action="store_true", help="print JSON")
        return sub

    command("init", _init, "a database of this workstation's own is begun; a shared one that was joined is left")
    joining = command("join", _join, "a database that several workstations share, on a server")
    joining.add_argument("url", metavar="URL", help="postgresql://USER@SERVER/DATABASE, without a password")
    joining.add_argument("--password-file", type=Path, metavar="FILE", help="that only you can read; else it is asked")
    things = command("things", _things, "machines, fixtures, tools, probes, profiles: who changed what")
    things.add_argument("--of", metavar="WORDS", help="only what is called so, with all that it was")
    changes = command("changes", _changes, "what the shop has changed since a job was planned")
    changes.add_argument("job", type=Path, metavar="JOB")
    changes.add_argument("--take", action="append", default=[], metavar="WHAT", help="into the job; 'all' for all")
    for sub in (things, changes):
        sub.add_argument("--register", metavar="FILE", help="another database than the shop's own, or its URL")
    command("status", _status, "where it is, what is in it, and what waits for it")
    for name, run, said in (
        ("backup", _backup, "all of it, in one file that any database takes back"),
        ("restore", _restore, "a backup, into a database that is empty"),
    ):
        command(name, run, said).add_argument("file", type=Path, metavar="FILE")


def _told(options: argparse.Namespace, told: dict[str, Any]) -> int:
    if options.json:
        print_json(told)
    else:
        print("\n".join(f"{name}: {value}" for name, value in told.items() if value not in ("", None, [])))
    return 0


def _init(options: argparse.Namespace) -> int:
    from ledgecliff.store.atomic import WriteError
    from ledgecliff.store.shop_database import ShopDatabase

    there = own_file().exists()
    ShopDatabase(own_file(), "shop").close()
    left = joined()
    try:
        joined_file().unlink(missing_ok=True)
    except OSError as error:
        raise WriteError(f"'{joined_file()}' cannot be taken away: {error.strerror}.") from error
    return _told(options, {"place": str(own_file()), "begun": not there, "left": left})


def _join(options: argparse.Namespace) -> int:
    from sqlalchemy.engine import make_url
    from sqlalchemy.exc import ArgumentError

    from ledgecliff.store.atomic import make_folder, write_atomic
    from ledgecliff.store.credentials import forget_password, keep_password, password_of, read_password
    from ledgecliff.store.shop_database import ShopDatabase, shown

    try:
        url = make_url(options.url)
    except (ArgumentError, ValueError):
        raise InvalidValueError("URL", "is none; write postgresql://USER@SERVER/DATABASE") from None
    if url.password is not None:
        raise InvalidValueError(
            "URL", "has a password in it, which everyone sees who lists what runs; leave it out, it is asked for"
        )
    if url.get_backend_name() == "postgresql":
        url = url.set(drivername="postgresql+psycopg")
    kept = ""
    if options.password_file is not None:
        kept = keep_password(url, read_password(options.password_file))
    elif url.get_backend_name() != "sqlite" and password_of(url) is None and sys.stdin.isatty():
        typed = getpass.getpass(f"Password of {url.username} (none: just press Enter): ")
        kept = keep_password(url, typed) if typed else ""
    place = url.render_as_string(hide_password=True)
    try:
        ShopDatabase(place, "shop").close()  # it is there, and its tables are begun
    except LedgecliffError:
        if kept:
            forget_password(url)
        raise
    make_folder(joined_file().parent)
    write_atomic(joined_file(), json.dumps({"url": place}) + "\n")
    return _told(options, {"place": shown(place), "password": kept})


def _things(options: argparse.Namespace) -> int:
    from ledgecliff.core.library.things import said_difference, thing_name

    history = _history(options)
    rows: list[dict[str, Any]] = []
    for key, revisions in history.items():
        name = thing_name(key, next((each.body for each in reversed(revisions) if each.body is not None), None))
        if options.of not in (None, name, key.which):
            continue
        shown = range(len(revisions)) if options.of is not None else [len(revisions) - 1]
        for number in shown:
            each = revisions[number]
            before = revisions[number - 1].body if number else None
            what = "kept"
            if before is not None:
                what = "taken out" if each.body is None else said_difference(before, each.body, "was", "is")
            rows.append({
                "kind": key.kind, "name": name, "revision": number + 1, "at": each.at, "by": each.by,
                "workstation": each.workstation, "what": what,
            })  # fmt: skip
    if options.json:
        print_json({"things": rows})
        return 0
    for row in rows:
        print(f"{row['at'][:16]}  {row['by']}  {row['kind']} {row['name']}, revision {row['revision']}: {row['what']}")
    return 0


def _changes(options: argparse.Namespace) -> int:
    """Exit status 1 as long as something is changed that was not taken over."""
    from ledgecliff.core.library.planned_with import changed_since_planned, taken_over
    from ledgecliff.store.job_files import read_job, write_job

    job, history = read_job(options.job), _history(options)
    found = changed_since_planned(job, history)
    unknown = set(options.take) - {"all"} - {each.name for each in found}
    if unknown:
        raise InvalidValueError("--take", f"'{min(unknown)}' is not among what the shop has changed")
    for each in found:
        if each.name in options.take or "all" in options.take:
            job = taken_over(job, each)
    if options.take:
        write_job(job, options.job)
        found = changed_since_planned(job, history)
    if options.json:
        told = [{"kind": each.key.kind, "name": each.name, "by": each.by, "at": each.at, "what": each.words()}
                for each in found]  # fmt: skip
        print_json({"changes": told})
    else:
        print("\n".join(f"{each.words()} ({each.by}, {each.at[:10]})" for each in found) or "nothing")
    return int(bool(found))


def _history(options: argparse.Namespace) -> History:
    from ledgecliff.store.library_db import LibraryDb
    from ledgecliff.store.register_place import is_there

    place = shop_place(options)
    if not is_there(place):
        return {}
    db = LibraryDb(place)
    try:
        return db.history()
    finally:
        db.close()


def _status(options: argparse.Namespace) -> int:
    """Tells what can be told: a server that is away does not hide what waits for it."""
    from ledgecliff.store.outbox import Outbox
    from ledgecliff.store.shop_database import shown
    from ledgecliff.store.shop_schema import VERSION

    place = register_place()
    told: dict[str, Any] = {"place": shown(place), "shared": not isinstance(place, Path), "version": VERSION}
    try:
        told |= _counts(place)
    except LedgecliffError as error:
        told |= {"reached": False, "why": str(error)}
    outbox = Outbox(waiting_file(place))
    waiting, refused = outbox.counts()
    told |= {
        "waiting": waiting,
        "refused": [f"{entry.id}: {why}" for entry, why in outbox.refused()] if refused else [],
    }
    _told(options, told)
    return 0 if told["reached"] else 1


def _counts(place: Path | str) -> dict[str, Any]:
    from ledgecliff.store.record_db import RecordDb, Wanted
    from ledgecliff.store.register_db import RegisterDb

    register, record = RegisterDb(place), RecordDb(place)
    try:
        return {
            "reached": True,
            "machines": list(register.machines()),
            "changes": register.last_change(),
            "entries": record.count(Wanted()),
        }
    finally:
        register.close()
        record.close()


def _backup(options: argparse.Namespace) -> int:
    from ledgecliff.store.shop_backup import back_up
    from ledgecliff.store.shop_database import ShopDatabase

    return _told(options, {"file": str(options.file), **back_up(ShopDatabase(register_place(), "shop"), options.file)})


def _restore(options: argparse.Namespace) -> int:
    from ledgecliff.store.shop_backup import restore
    from ledgecliff.store.shop_database import ShopDatabase, shown

    place = register_place()
    return _told(options, {"place": shown(place), **restore(ShopDatabase(place, "shop"), options.file)})


def shop_place(options: argparse.Namespace) -> Path | str:
    """Where a command's database is: as it says, or the shop's own."""
    return place_of(options.register) if options.register else register_place()
