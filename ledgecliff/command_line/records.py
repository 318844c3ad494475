"""The shop's record: ``record`` lists, adds, corrects, exports and takes in; ``drift`` shows a number against time."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, warn
from ledgecliff.command_line.shops import shop_place
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.record.drift import drift_of
from ledgecliff.core.record.entries import KINDS, RecordEntry, Subject, correction, made_entry
from ledgecliff.core.record.listing import drift_words
from ledgecliff.core.record.subjects import split_words, subjects_of_job, subjects_of_machine
from ledgecliff.core.record.times import moment

if TYPE_CHECKING:
    from ledgecliff.store.record_db import RecordDb, Wanted


def add_commands(commands: Any) -> None:
    """Adds ``record`` and ``drift`` to the parser's commands."""
    words = "what was measured and done: nothing in it is overwritten"
    record = commands.add_parser("record", help=words, description=words)
    kinds = record.add_subparsers(required=True, metavar="WHAT")

    def command(name: str, run: Callable[[argparse.Namespace], int], said: str) -> argparse.ArgumentParser:
        sub: argparse.ArgumentParser = kinds.add_parser(name, help=said, description=said)
        sub.set_defaults(run=run)
        _with_place(sub)
        return sub

    listing = command("list", _list, "entries, newest first")
    listing.add_argument("--kind", choices=KINDS)
    listing.add_argument("--on", metavar="WHAT", help="what it is about: its name, or such as 'fixture:left vise'")
    listing.add_argument("--search", default="", metavar="WORDS", help="entries with all these words in them")
    listing.add_argument("--since", type=_time, metavar="TIME", help="such as 2026-03-09T07:30:00+01:00")
    listing.add_argument("--until", type=_time, metavar="TIME")
    listing.add_argument("--skip", type=_count, default=0, metavar="N")
    listing.add_argument("--most", type=_count, default=100, metavar="N", help="no more than so many (100)")
    adding = command("add", _add, "a note, a mark, or a value that was measured")
    adding.add_argument("--note", required=True, metavar="TEXT", help="in words")
    adding.add_argument("--on", action="append", default=[], metavar="WHAT", help="what it is about (several times)")
    adding.add_argument("--job", type=Path, metavar="JOB", help="WHAT is looked for in this job and its machines, too")
    adding.add_argument("--number", action="append", default=[], metavar="NAME=VALUE", help="measured (mm, degrees)")
    adding.add_argument("--mark", action="store_true", help="from here on values are not compared with those before")
    adding.add_argument("--picture", action="append", default=[], type=Path, metavar="FILE", help="PNG or JPEG")
    correcting = command("correct", _correct, "an entry in the place of a wrong one, which stays to be seen")
    correcting.add_argument("entry", metavar="ID", help="of the wrong one")
    correcting.add_argument("--note", metavar="TEXT", help="in other words")
    correcting.add_argument("--number", action="append", default=[], metavar="NAME=VALUE", help="numbers said anew")
    correcting.add_argument("--withdraw", action="store_true", help="nothing stands in its place")
    exporting = command("export", _export, "all of it, as JSON Lines or CSV")
    exporting.add_argument("file", type=Path, metavar="FILE", help="FILE.jsonl or FILE.csv")
    taking = command("import", _import, "what was exported; entries that are there already are passed over")
    taking.add_argument("file", type=Path, metavar="FILE", help="FILE.jsonl or FILE.csv")
    words = "a number of the record against time: its limits, jumps, and when to look again"
    drifting = commands.add_parser("drift", help=words, description=words)
    drifting.set_defaults(run=_drift)
    drifting.add_argument("what", metavar="WHAT", help="what it is of and what it is called: 'Mill 2 G54/x'")
    _with_place(drifting)


def _with_place(sub: argparse.ArgumentParser) -> None:
    sub.add_argument("--register", metavar="FILE", help="another database than the shop's own, or its URL")
    sub.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _time(text: str) -> float:
    try:
        return moment(RecordEntry(id="0" * 12, kind="note", at=text, by="").at)
    except ValueError as error:
        raise argparse.ArgumentTypeError("takes a time with its zone, such as 2026-03-09T07:30:00+01:00") from error


def _count(text: str) -> int:
    value = int(text)
    if not 0 <= value <= 1_000_000:
        raise argparse.ArgumentTypeError("takes 0 to 1000000")
    return value


def _opened(options: argparse.Namespace) -> RecordDb:
    from ledgecliff.store.record_db import RecordDb

    return RecordDb(shop_place(options))


def _wanted(db: RecordDb, about: str | None, **more: Any) -> Wanted:
    """Entries about what is meant."""
    from ledgecliff.store.record_db import Wanted

    if about is None:
        return Wanted(**more)
    subject = _one(about, _known(db, about, None))
    return Wanted(subject=(subject.kind, subject.id), **more)


def _known(db: RecordDb | None, words: str, job: Path | None) -> list[Subject]:
    """What is called so in the job, in the shop's library, and in the record where that is there; each once."""
    from ledgecliff.store.job_files import read_job
    from ledgecliff.store.library import current_shop

    kind, name = split_words(words)
    candidates = [] if job is None else list(subjects_of_job(read_job(job)))
    candidates += [
        *subjects_of_machine(current_shop(told=warn).machine),
        *(db.subjects(name) if db is not None else ()),
    ]
    found: dict[tuple[str, str], Subject] = {}
    for each in candidates:
        if each.name == name and kind in (None, each.kind):
            found.setdefault((each.kind, each.id), each)
    # A station is mostly called as the fixture that stands there, which is what is meant then.
    fixture = kind is None and any(each.kind == "fixture" for each in found.values())
    return [each for each in found.values() if not (fixture and each.kind == "station")]


def _one(words: str, found: list[Subject]) -> Subject:
    if len(found) == 1:
        return found[0]
    if not found:
        raise InvalidValueError("--on", f"nothing is called '{words}'; say its name as in the job, or name the job")
    listed = ", ".join(f"{each.kind}:{each.name} ({each.id})" for each in found)
    raise InvalidValueError("--on", f"'{words}' may be {listed}; say which kind, such as '{found[0].kind}:{words}'")


def _about(db: RecordDb | None, words: str, job: Path | None) -> Subject:
    """What is meant; what nobody knows is a thing of that name."""
    found = _known(db, words, job)
    kind, name = split_words(words)
    if not found and kind in (None, "thing", "batch", "feature"):
        return Subject(kind=kind or "thing", id=name, name=name)
    return _one(words, found)


def _numbers(said: Iterable[str]) -> dict[str, float]:
    found = {}
    for words in said:
        name, equals, text = words.partition("=")
        try:
            found[name.strip()] = float(text.replace(",", "."))
        except ValueError:
            equals = ""
        if not equals or not name.strip():
            raise InvalidValueError("--number", f"'{words}' is no name with its value; write such as 'x=12.5'")
    return found


def _list(options: argparse.Namespace) -> int:
    db = _opened(options)
    wanted = _wanted(db, options.on, kind=options.kind, words=options.search, since=options.since, until=options.until)
    found = db.page(wanted, options.skip, options.most)
    if options.json:
        print_json({"entries": [each.model_dump(mode="json") for each in found], "count": db.count(wanted)})
        return 0
    for each in found:
        about = ", ".join(subject.name for subject in each.on)
        numbers = " ".join(f"{name} {value:g}" for name, value in each.numbers.items())
        corrects = f"(in place of {each.corrects}{', withdrawn' if each.withdrawn else ''})" if each.corrects else ""
        parts = (each.at, each.id, each.kind, each.by, about, each.what, numbers, corrects)
        print("  ".join(part for part in parts if part))
    return 0


def _add(options: argparse.Namespace) -> int:
    """Where the shop's server is away it waits here."""
    from ledgecliff.store.pictures import PICTURES, keep_picture
    from ledgecliff.store.record_keeper import RecordKeeper
    from ledgecliff.store.recording import dated
    from ledgecliff.store.run_files import checksum_of
    from ledgecliff.store.shop_database import ShopDatabaseError

    keeper, numbers = RecordKeeper(shop_place(options)), _numbers(options.number)
    try:
        db: RecordDb | None = keeper.opened()
    except ShopDatabaseError:
        db = None
    entry = made_entry(
        **dated(),
        kind="mark" if options.mark else "measured" if numbers else "note",
        job_checksum=checksum_of(options.job) if options.job is not None else "",
        on=tuple(_about(db, words, options.job) for words in options.on),
        what=options.note,
        numbers=numbers,
        data={PICTURES: [keep_picture(path) for path in options.picture]} if options.picture else {},
    )
    if waits := keeper.add([entry]).words:
        print(f"ledgecliff: {waits}", file=sys.stderr)
    return _told(entry, options)


def _correct(options: argparse.Namespace) -> int:
    db = _opened(options)
    wrong = db.entry(options.entry)
    if wrong is None:
        raise InvalidValueError("entry", f"there is no '{options.entry}'; 'record list' tells what there is")
    newer = db.corrections([wrong.id])
    if newer:
        raise InvalidValueError("entry", f"{wrong.id} is corrected already, last by {newer[-1].id}; correct that")
    if not options.withdraw and options.note is None and not options.number:
        raise InvalidValueError("--note", "nothing is said anew; say words, numbers, or --withdraw")
    from ledgecliff.store.recording import dated

    entry = correction(
        wrong,
        **dated(),
        what=wrong.what if options.note is None else options.note,
        numbers=wrong.numbers | _numbers(options.number),
        withdrawn=options.withdraw,
    )
    db.add([entry])
    return _told(entry, options)


def _told(entry: RecordEntry, options: argparse.Namespace) -> int:
    if options.json:
        print_json(entry.model_dump(mode="json"))
    else:
        print(entry.id)
    return 0


def _export(options: argparse.Namespace) -> int:
    from ledgecliff.store.record_files import export_with_pictures

    entries = list(_opened(options).every())
    pictures = export_with_pictures(shop_place(options), entries, options.file)
    told = {"entries": len(entries), "file": str(options.file)}
    return _counted(options, told | ({"pictures": pictures} if pictures else {}))


def _import(options: argparse.Namespace) -> int:
    from ledgecliff.store.record_files import import_with_pictures

    entries = import_with_pictures(shop_place(options), options.file)
    new = _opened(options).add(entries)
    return _counted(options, {"entries": len(entries), "new": new})


def _counted(options: argparse.Namespace, told: dict[str, Any]) -> int:
    if options.json:
        print_json(told)
    else:
        print(", ".join(f"{name} {value}" for name, value in told.items()))
    return 0


def _drift(options: argparse.Namespace) -> int:
    words, slash, number = options.what.rpartition("/")
    if not slash or not number:
        raise InvalidValueError("WHAT", f"'{options.what}' does not say which number; write such as 'Mill 2 G54/x'")
    db = _opened(options)
    about = list(db.every(_wanted(db, words)))
    found = drift_of(about, number)
    if not found.values:
        has = sorted({name for each in about for name in each.numbers})
        raise InvalidValueError("WHAT", f"'{words}' has no number '{number}'; it has {', '.join(has) or 'none'}")
    limits = found.limits
    if options.json:
        print_json({
            "values": [{"at": each.at, "value": each.value, "entry": each.entry} for each in found.values],
            "marks": [{"at": each.at, "what": each.words} for each in found.marks],
            "since": found.since,
            "limits": None if limits is None else {
                "mean": limits.mean, "low": limits.low, "high": limits.high, "moving_range": limits.moving_range,
            },
            "jumps": [
                {"at": found.values[jump.index].at, "value": found.values[jump.index].value, "why": jump.why}
                for jump in found.jumps
            ],
            "proposal": found.proposal,
        })  # fmt: skip
        return 0
    jumps = {jump.index: jump.why for jump in found.jumps}
    for k, each in enumerate(found.values):
        print(f"{each.at}  {each.value:+.4f}  {jumps.get(k, '')}".rstrip())
    print("\n".join(drift_words(found)))
    return 0
