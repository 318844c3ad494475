"""Commands about the offset register: ``offsets list|allocate|set|import|export|verify``."""

from __future__ import annotations

import argparse
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded, warn
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.quantities import spell
from ledgecliff.core.register import entries as register
from ledgecliff.core.register.allocation import Allocation
from ledgecliff.core.register.checks import PresentValues
from ledgecliff.store.register_place import is_there, place_of, register_place

if TYPE_CHECKING:
    from ledgecliff.core.model.job import Job
    from ledgecliff.core.model.machine import Machine
    from ledgecliff.core.register.entries import Entry
    from ledgecliff.store.register_db import RegisterDb


def add_commands(commands: Any) -> None:
    """Adds ``offsets`` with its own commands to the parser's."""
    words = "the offset register of a machine"
    offsets = commands.add_parser("offsets", help=words, description=words)
    subs = offsets.add_subparsers(title="commands", metavar="COMMAND", required=True)

    def command(name: str, run: Any, words: str) -> argparse.ArgumentParser:
        sub: argparse.ArgumentParser = subs.add_parser(name, help=words, description=words)
        sub.set_defaults(run=run)
        sub.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
        sub.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")
        return sub

    def of_machine(sub: argparse.ArgumentParser) -> argparse.ArgumentParser:
        sub.add_argument("--job", type=Path, metavar="JOB", help="job whose machine is meant; else the shop's")
        return sub

    listing = of_machine(command("list", _list, "every code: value, owner, origin, state"))
    listing.add_argument("--search", default="", metavar="TEXT", help="only codes in which every word occurs")
    listing.add_argument("--history", metavar="CODE", help="what this code held, newest first")
    allocating = command("allocate", _allocate, "a code for every setup of a job, none for two unless it keeps one")
    allocating.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    choice = allocating.add_mutually_exclusive_group()
    choice.add_argument(
        "--one-for-all",
        dest="codes",
        action="store_const",
        const="one for all",
        help="from now on one code is kept through all setups, and found again in each",
    )
    choice.add_argument(
        "--one-a-setup",
        dest="codes",
        action="store_const",
        const="one a setup",
        help="from now on each setup has a code of its own",
    )
    allocating.add_argument("--apply", action="store_true", help="claim them, and write them into the job")
    setting = of_machine(command("set", _set, "value, label, resident fixture; or give a code back"))
    setting.add_argument("code", metavar="CODE")
    for axis in "xyz":
        setting.add_argument(f"--{axis}", metavar="LENGTH", help=f"machine {axis.upper()}, with its unit or in mm")
    setting.add_argument("--turn", type=float, default=0.0, metavar="DEGREES", help="turn about Z")
    setting.add_argument("--label", metavar="TEXT")
    setting.add_argument("--resident", metavar="FIXTURE", help="the fixture that stays there; '' for none")
    setting.add_argument("--release", action="store_true", help="give the code back; its value stays")
    setting.add_argument("--clear", action="store_true", help="forget the value")
    importing = of_machine(command("import", _import, "the control's present table against the register"))
    importing.add_argument("table", type=Path, metavar="FILE", help="CSV, or a program of G10 blocks")
    importing.add_argument("--apply", action="store_true", help="take over what differs")
    exporting = of_machine(command("export", _export, "the register as a table or as a program that loads it"))
    exporting.add_argument("-o", "--out", type=Path, required=True, metavar="FILE", help=".csv, else a program")
    exporting.add_argument("--search", default="", metavar="TEXT", help="only codes in which every word occurs")
    verifying = of_machine(command("verify", _verify, "a program that stops where the control's table differs"))
    verifying.add_argument("-o", "--out", type=Path, required=True, metavar="FILE", help="program to write")
    verifying.add_argument("--tolerance", metavar="LENGTH", help="what may differ (0.01 mm)")
    verifying.add_argument("--search", default="", metavar="TEXT", help="only codes in which every word occurs")


def _opened(options: argparse.Namespace) -> RegisterDb:
    """To be written: a register that is not there yet is begun."""
    from ledgecliff.store.register_db import RegisterDb

    return RegisterDb(place_of(options.register) if options.register else register_place())


def _entries_of(options: argparse.Namespace, machine: Machine) -> tuple[Entry, ...]:
    """To be read only: nothing is begun by looking.  Raises InvalidValueError for a file that is not there."""
    from ledgecliff.store.beside_job import register_entries

    return register_entries(place_to_read(options), machine)


def place_to_read(options: argparse.Namespace) -> Path | str:
    """Where the register is, as it was named or its usual place.  Raises InvalidValueError for a name that leads
    nowhere."""
    place = place_of(options.register) if options.register else register_place()
    if options.register and not is_there(place):
        raise InvalidValueError(
            "register", f"there is no register '{place}'; correct its name, or begin it by setting a code"
        )
    return place


def present_values(options: argparse.Namespace, job: Job) -> PresentValues:
    """The offsets that were found for this very job: what the controls hold when it runs."""
    from ledgecliff.core.register.checks import values_for

    return {
        key: value
        for machine in job.machines
        for key, value in values_for(job, _entries_of(options, machine), machine).items()
    }


def _job(path: Path) -> Job:
    from ledgecliff.store.job_files import read_job

    return read_job(path)


def _machine(options: argparse.Namespace) -> Machine:
    from ledgecliff.store.library import current_shop

    return _job(options.job).machine if options.job is not None else current_shop(told=warn).machine


def _list(options: argparse.Namespace) -> int:
    machine = _machine(options)
    entries = _entries_of(options, machine)
    if options.history is not None:
        code = _entry_of(entries, options.history, machine).code
        rows = _opened(options).history(machine, code) if any(entry.revision for entry in entries) else ()
    else:
        rows = register.found(entries, options.search)
    if options.json:
        print_json({"machine": machine.name, "offsets": [_shown(entry) for entry in rows]})
        return 0
    for entry in rows:
        value = entry.value
        numbers = " " * 36 if value is None else f"{value.x:12.3f}{value.y:12.3f}{value.z:12.3f}"
        who = entry.use.words() if entry.use is not None else entry.resident
        dated = f"  {entry.what}, {entry.at} {entry.by}" if options.history is not None else ""
        print(f"{entry.code:<10}{numbers}  {entry.state():<16}{entry.label:<20} {who}{dated}".rstrip())
    return 0


def _shown(entry: Entry) -> dict[str, Any]:
    value = None if entry.value is None else {key: rounded(mm) for key, mm in asdict(entry.value).items()}
    return asdict(entry) | {
        "value": value,
        "lines": [spell(line, "mm") for line in entry.lines],
        "state": entry.state(),
    }


def _entry_of(entries: tuple[Entry, ...], words: str, machine: Machine) -> Entry:
    from ledgecliff.core.model.work_offsets import code_of

    code = code_of(machine, words)
    if code is None:
        raise InvalidValueError("code", f"{machine.name} has no work offset '{words}'")
    return next(entry for entry in entries if entry.code == code.code)


def _allocated_on(options: argparse.Namespace, job: Job, machine: Machine) -> tuple[Allocation, ...]:
    """Codes for the setups that go over one machine, claimed where they are to be applied."""
    from ledgecliff.core.register.allocation import allocate, claims

    entries = _opened(options).entries(machine) if options.apply else _entries_of(options, machine)
    allocations = allocate(job, entries, machine)
    if options.apply and (new := claims(entries, allocations)):
        _opened(options).write(machine, new)
    return allocations


def _allocate(options: argparse.Namespace) -> int:
    from ledgecliff.core.programs.targets import with_codes
    from ledgecliff.core.register.allocation import allocated
    from ledgecliff.store.job_files import write_job

    as_it_was = _job(options.job)
    job = as_it_was if options.codes is None else with_codes(as_it_was, options.codes)
    allocations = [each for machine in job.machines for each in _allocated_on(options, job, machine)]
    if options.apply and (job != as_it_was or any(each.changes for each in allocations)):
        write_job(allocated(job, allocations), options.job)
    if options.json:
        rows = [
            {"setup": each.use.setup, "instance": each.use.instance,
             "machine": job.machine_of(job.setups[each.setup]).name, "code": each.code,
             "planned": each.planned, "why": each.why}
            for each in allocations
        ]  # fmt: skip
        print_json({"machine": job.machine.name, "applied": bool(options.apply), "allocations": rows})
        return 0
    for each in allocations:
        planned = f", planned {each.planned}" if each.changes else ""
        print(f"{each.use.setup:<20}{each.code:<10}{each.why}{planned}")
    return 0


def _set(options: argparse.Namespace) -> int:
    from ledgecliff.core.typed import parse_length

    machine, db = _machine(options), _opened(options)
    first = entry = _entry_of(db.entries(machine), options.code, machine)
    if options.release:
        entry = register.released(entry)
    if options.label is not None:
        entry = register.labelled(entry, options.label)
    if options.resident is not None:
        entry = register.made_resident(entry, options.resident)
    if options.clear:
        entry = register.cleared(entry)
    given = [getattr(options, axis) for axis in "xyz"]
    if any(text is not None for text in given):
        if None in given:
            raise InvalidValueError("value", "a whole offset has X, Y and Z; give all three")
        x, y, z = (parse_length(text) for text in given)
        entry = register.with_value(entry, register.Value(x, y, z, options.turn), "typed")
    if entry is first:
        raise InvalidValueError("set", "nothing is said to be set; give --x --y --z, --label, --resident or --release")
    (written,) = db.write(machine, [entry])
    if options.json:
        print_json(_shown(written))
    else:
        print(f"{written.code}: {written.what}")
    return 0


def _import(options: argparse.Namespace) -> int:
    """Exit status 1 when the control's table is not what the register has, and nothing was taken over."""
    from ledgecliff.core.register.present_table import differences, read_table, taken_over

    machine = _machine(options)
    entries = _opened(options).entries(machine) if options.apply else _entries_of(options, machine)
    try:
        text = options.table.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidValueError(str(options.table), f"cannot be read: {error}") from error
    present = read_table(text, machine, options.table.name)
    found = differences(entries, present)
    changed = [each for each in found if each.kind in ("differs", "not in the register")]
    if options.apply and changed:
        _opened(options).write(machine, taken_over(entries, changed, options.table.name))
    if options.json:
        print_json({"machine": machine.name, "applied": bool(options.apply), "codes": [asdict(each) for each in found]})
    else:
        for each in found:
            moved = "".join(f"{mm:+12.3f}" for mm in each.moved) if each.moved is not None else ""
            print(f"{each.code:<10}{each.kind:<20}{moved}  {each.label}".rstrip())
    return int(any(each.kind != "same" for each in found) and not options.apply)


def _export(options: argparse.Namespace) -> int:
    return _write_file(options, verify=False)


def _verify(options: argparse.Namespace) -> int:
    return _write_file(options, verify=True)


def _write_file(options: argparse.Namespace, *, verify: bool) -> int:
    from ledgecliff.core.typed import parse_length
    from ledgecliff.store.register_files import TOLERANCE, write_register_file

    machine = _machine(options)
    given = getattr(options, "tolerance", None)
    tolerance = TOLERANCE if given is None else parse_length(given)
    if tolerance <= 0.0:
        raise InvalidValueError("tolerance", "nothing differs by less than nothing; give a length above 0")
    entries = register.found(_entries_of(options, machine), options.search)
    write_register_file(machine, entries, options.out, verify=verify, tolerance=tolerance)
    count = sum(entry.value is not None for entry in entries)
    if options.json:
        print_json({"file": str(options.out), "offsets": count})
    else:
        print(f"{options.out}: {count} offsets")
    return 0
