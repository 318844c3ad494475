"""Jobs that wait to be cut: ``run backlog`` edits them, ``run loads`` splits them."""

from __future__ import annotations

import argparse
import time
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.core.backlogs import edits
from ledgecliff.core.backlogs.listing import backlog_rows, split_words
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.backlog import BacklogList, KindOfStation
from ledgecliff.core.scheduling.backlog import Backlog, BacklogJob, Room, Split, checked_backlog
from ledgecliff.core.scheduling.backlog_reading import read_stations
from ledgecliff.core.scheduling.loads import split
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.backlog_files import (
    names_a_backlog,
    read_backlog_list,
    read_table,
    write_backlog_list,
    write_table,
)

#: Times are told to a thousandth of a minute.
_PLACES = 3
#: How wide a picture is (pixels).
_WIDE = 1200.0


def add_commands(kinds: Any) -> None:
    """Adds ``loads`` and ``backlog`` to the commands of ``run``."""
    words = "a backlog split into the fewest loads, with the fewest tools changed between them, least late"
    loads = kinds.add_parser("loads", help=words, description=words)
    loads.set_defaults(run=_loads)
    loads.add_argument(
        "file", type=Path, metavar="BACKLOG", help="a table (.csv) or a backlog (.json), see docs/run-files.md"
    )
    loads.add_argument("--frozen", nargs="+", default=[], metavar="JOB=LOAD", help="stays in that load (from 1)")
    loads.add_argument("--seconds", type=seconds, default=20.0, metavar="N", help="look no longer than this (20)")
    loads.add_argument("--picture", type=Path, metavar="FILE.svg", help="the loads over time")
    words = "jobs that wait: a table taken in, the room of a load, what is frozen, out or done; it is written"
    backlog = kinds.add_parser("backlog", help=words, description=words)
    backlog.set_defaults(run=_backlog)
    backlog.add_argument("file", type=Path, metavar="FILE", help="backlog (.json); begun where it is not there")
    backlog.add_argument(
        "--take", type=Path, metavar="TABLE.csv", help="jobs of known names are said anew, others added"
    )
    backlog.add_argument("--freeze", nargs="+", default=[], metavar="JOB=LOAD", help="stays in that load (from 1)")
    backlog.add_argument("--thaw", nargs="+", default=[], metavar="JOB")
    backlog.add_argument("--out", nargs="+", default=[], metavar="JOB", help="jobs that are taken out")
    backlog.add_argument("--first-load-done", action="store_true", help="all that is in the first load is cut")
    backlog.add_argument("--table", type=Path, metavar="TABLE.csv", help="written: what waits now")
    for each in (loads, backlog):
        each.add_argument("--stations", metavar="WORDS", help="by kind: 'vise 2, plate 1'")
        each.add_argument("--pockets", type=_count, metavar="N", help="of the magazine (20)")
        each.add_argument("--codes", type=_count, metavar="N", help="work offsets (6)")
        each.add_argument("--hours", type=_positive, metavar="H", help="of a load (8)")
        each.add_argument("--between", type=_minutes, metavar="MIN", help="from one load to the next (0)")
        each.add_argument("--json", action="store_true", help="print JSON (times in minutes)")


def seconds(text: str) -> float:
    value = float(text)
    if not 0.0 < value <= 3600.0:
        raise argparse.ArgumentTypeError("takes more than 0 and at most 3600 seconds")
    return value


def _positive(text: str) -> float:
    value = float(text)
    if not 0.0 < value <= 10_000.0:
        raise argparse.ArgumentTypeError("takes more than 0 and at most 10000")
    return value


def _minutes(text: str) -> float:
    return 0.0 if float(text) == 0.0 else _positive(text)


def _count(text: str) -> int:
    value = int(text)
    if not 1 <= value <= 1000:
        raise argparse.ArgumentTypeError("takes 1 to 1000")
    return value


def _room(room: Room, options: argparse.Namespace) -> Room:
    """With what is stated anew."""
    said: dict[str, Any] = {
        "stations": None if options.stations is None else read_stations(options.stations),
        "pockets": options.pockets,
        "offsets": options.codes,
        "minutes": None if options.hours is None else options.hours * 60.0,
        "between": options.between,
    }
    return replace(room, **{name: value for name, value in said.items() if value is not None})


def _loads(options: argparse.Namespace) -> int:
    if names_a_backlog(options.file):
        backlog = edits.plain_backlog(read_backlog_list(options.file))
    else:
        backlog = Backlog(read_table(options.file), Room({"vise": 2, "plate": 1}, 20, 6, 480.0))
    jobs = _with_frozen(backlog.jobs, dict(_frozen(words) for words in options.frozen))
    backlog = checked_backlog(Backlog(jobs, _room(backlog.room, options)))
    found = split(backlog, options.seconds, time.monotonic)
    if options.picture is not None:
        from ledgecliff.sheets.run_svg import loads_svg

        write_atomic(options.picture, loads_svg(backlog, found, _WIDE) + "\n")
    if options.json:
        print_json(_split(backlog, found))
    else:
        print("\n".join(split_words(backlog, found)))
    return 0


def _with_frozen(jobs: tuple[BacklogJob, ...], frozen: dict[str, int]) -> tuple[BacklogJob, ...]:
    lost = next((name for name in frozen if name not in {job.name for job in jobs}), None)
    if lost is not None:
        raise InvalidValueError("--frozen", f"there is no job '{lost}'; take it out")
    return tuple(replace(job, load=frozen.get(job.name, job.load)) for job in jobs)


def _frozen(words: str) -> tuple[str, int]:
    name, _, load = words.rpartition("=")
    if not name or not load.isdecimal() or int(load) < 1:
        raise InvalidValueError("--frozen", f"'{words}' is no job with its load; write such as 'bracket 3=2'")
    return name, int(load) - 1


def _split(backlog: Backlog, found: Split) -> dict[str, Any]:
    return {
        "loads": [
            {
                "jobs": [
                    {"name": backlog.jobs[k].name, "step": n + 1, "start": round(start, _PLACES)}
                    for (k, n), start in zip(load.steps, load.starts, strict=True)
                ],
                "tools_in": list(load.changed),
                "start": round(load.start, _PLACES),
                "end": round(load.end, _PLACES),
                "waits": round(load.idle(backlog), _PLACES),
            }
            for load in found.loads
        ],
        "tools_changed": found.changed,
        "late": round(found.late, _PLACES),
        "bound": {
            "loads": found.least_loads,
            "tools_changed": found.least_changed,
            "late": round(found.least_late, _PLACES),
        },
        "proven": found.proven,
    }


def _backlog(options: argparse.Namespace) -> int:
    from ledgecliff.store.identity import new_id

    path: Path = options.file
    held = read_backlog_list(path) if path.exists() else edits.new_backlog(new_id(), path.stem[:80])
    if options.take is not None:
        held = edits.with_table(held, read_table(options.take), new_id)
    held = edits.with_room(held, _model_room(held, options))
    for words in options.freeze:
        name, load = _frozen(words)
        held = edits.with_load(held, _named(held, [name]), load + 1)
    held = edits.with_load(held, _named(held, options.thaw), None)
    held = edits.without_jobs(held, _named(held, options.out))
    if options.first_load_done:
        backlog = checked_backlog(edits.plain_backlog(held))
        held = edits.with_load_done(held, split(backlog, 20.0, time.monotonic))
    write_backlog_list(held, path)
    if options.table is not None:
        write_table(held, options.table)
    rows = backlog_rows(held, None)
    if options.json:
        print_json({"title": held.title, "jobs": [{"name": each.name, "load": each.load} for each in held.jobs]})
    else:
        print("\n".join("  ".join(cell for cell in row.cells if cell) for row in rows))
    return 0


def _model_room(held: BacklogList, options: argparse.Namespace) -> dict[str, Any]:
    room = _room(edits.plain_backlog(held).room, options)
    stations = tuple(KindOfStation(kind=kind, count=count) for kind, count in room.stations.items())
    return {
        "stations": stations, "pockets": room.pockets, "offsets": room.offsets, "minutes": room.minutes,
        "between": room.between,
    }  # fmt: skip


def _named(held: BacklogList, names: Iterable[str]) -> list[str]:
    ids = {each.name: each.id for each in held.jobs}
    lost = next((name for name in names if name not in ids), None)
    if lost is not None:
        raise InvalidValueError("job", f"there is no '{lost}'; there are {', '.join(ids) or 'none'}")
    return [ids[name] for name in names]
