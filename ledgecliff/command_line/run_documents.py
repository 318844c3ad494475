"""Run documents: all the commands of ``run`` that read one."""

from __future__ import annotations

import argparse
import sys
import time
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.finding import Finding
from ledgecliff.core.model.run import Run, RunAction, RunStation, TaskRef
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.rules import Planned, run_findings
from ledgecliff.core.runs.tasks import problem_of, ref_named, ref_words
from ledgecliff.core.scheduling.ordering import Ordered, put_in_order
from ledgecliff.sheets.wanted import PAPERS
from ledgecliff.store.run_files import checksum_of, job_path, read_run, write_run

#: So long an order is looked for before a run is checked (s).
_TO_CHECK = 5.0
#: How wide a picture is (pixels).
_WIDE = 1200.0


def add_commands(kinds: Any) -> None:
    """Adds the commands on run documents to those of ``run``."""
    add = _command(kinds, "add", _add, "load a setup of a job; the run is begun where it is not there")
    add.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    add.add_argument("--setup", required=True, metavar="SETUP")
    add.add_argument("--as", dest="called", metavar="NAME", help="what its station is called in the run")
    add.add_argument("--title", default="", help="of a run that is begun")
    change = _command(kinds, "change", _change, "what the run says of its tasks; it is written")
    change.add_argument("--minutes", nargs=2, action="append", default=[], metavar=("TASK", "MIN"))
    change.add_argument("--after", nargs=2, action="append", default=[], metavar=("EARLIER", "LATER"))
    change.add_argument("--wait", nargs=3, action="append", default=[], metavar=("EARLIER", "LATER", "MIN"))
    change.add_argument("--not-after", nargs=2, action="append", default=[], metavar=("EARLIER", "LATER"))
    change.add_argument("--no-action", nargs="+", default=[], metavar="NAME", help="actions that are taken out")
    change.add_argument("--action", nargs="+", action="append", default=[], metavar="NAME MIN [STATION]")
    change.add_argument("--turn", nargs=4, action="append", default=[], metavar=("NAME", "MIN", "FROM", "TO"))
    change.add_argument("--freeze", nargs="+", metavar="TASK", help="they follow each other as they are named")
    change.add_argument("--thaw", nargs="+", default=[], metavar="TASK")
    change.add_argument("--rough", nargs="+", default=[], metavar="TASK")
    change.add_argument("--finish", nargs="+", default=[], metavar="TASK")
    change.add_argument("--rough-first", choices=("yes", "no"), help="all that is roughed before anything is finished")
    change.add_argument("--out", nargs="+", default=[], metavar="STATION", help="stations that are taken out")
    change.add_argument("--life", nargs=2, action="append", default=[], metavar=("TOOL", "MIN"))
    for name, what in (
        ("pockets", "of the magazine"), ("due", "minutes until all is done"), ("tool-call-s", "seconds"),
        ("offset-call-s", "seconds"), ("index-s", "seconds"), ("rapid", "mm a minute, for the times of programs"),
    ):  # fmt: skip
        change.add_argument(f"--{name}", metavar="N", help=what)
    for name, what in (
        ("parts", "how many are made"), ("probing", "of one on one side"), ("loading", "of one on one side"),
        ("setting-up", "of a side, once"),
    ):  # fmt: skip
        change.add_argument(f"--{name}", metavar="N" if name == "parts" else "MIN", help=f"for flow or batch: {what}")
    change.add_argument("--loads", choices=("inside", "outside"), help="between cycles, or while it cuts")
    take = _command(kinds, "take", _take, "take over what its jobs say now; what has changed is told")
    take.add_argument(
        "--times", action="store_true", help="and the minutes of toolpath programs, in place of what is typed"
    )
    tick = _command(kinds, "tick", _tick, "what is done; it is written, and what is left is told")
    tick.add_argument("tasks", nargs="+", metavar="TASK", help="station and task, as 'A/face the top', or an action")
    tick.add_argument("--undo", action="store_true", help="to be done again")
    stop = _command(kinds, "stop", _stop, "after a stop: stations where something may have moved are to be found again")
    stop.add_argument("stations", nargs="*", metavar="STATION", help="all of them where none is named")
    found = _command(kinds, "found", _found, "stations whose zeros were found again, so that they may be cut at")
    found.add_argument("stations", nargs="+", metavar="STATION")
    picture = _command(kinds, "picture", _picture, "the run over time: tool blocks, a lane for each station, waits")
    picture.add_argument("-o", "--out", type=Path, required=True, metavar="FILE.svg")
    post = _command(kinds, "post", _post, "the main program of what is left, its toolpath programs taken in")
    post.add_argument("-o", "--out", type=Path, required=True, metavar="DIR")
    post.add_argument("--by-block", action="store_true", help="one program for each tool block")
    sheet = _command(kinds, "sheet", _sheet, "the run on paper: what is done, tools, what stands where")
    sheet.add_argument("-o", "--out", type=Path, required=True, metavar="FILE", help="FILE.html or FILE.pdf")
    sheet.add_argument("--unit", choices=("mm", "in"), default="mm")
    sheet.add_argument("--paper", choices=PAPERS, default="A4", help="A4, or letter")
    _command(kinds, "check", _check, "findings of a run; exit status 1 when a hazard or error stands")


def _command(kinds: Any, name: str, run: Any, words: str) -> Any:
    command = kinds.add_parser(name, help=words, description=words)
    command.set_defaults(run=run)
    command.add_argument("file", type=Path, metavar="FILE", help="run document (.json)")
    command.add_argument("--json", action="store_true", help="print JSON (times in minutes)")
    return command


def _add(options: argparse.Namespace) -> int:
    from ledgecliff.store.identity import new_id

    plan = plan_of(options)
    number = setup_named(plan, options.setup)
    if options.file.exists():
        run = read_run(options.file)
    else:
        machine = plan.job.machine_of(plan.job.setups[number])
        run = edits.new_run(new_id(), options.title or options.file.stem[:80], machine)
    path, checksum = job_path(options.file, options.job), checksum_of(options.job)
    run = edits.with_setup(run, plan, number, new_id, path, checksum, options.called)
    return _written(run, options)


def _written(run: Run, options: argparse.Namespace) -> int:
    write_run(run, options.file)
    print(f"{options.file.name} is written.", file=sys.stderr)
    _show(run, options)
    return 0


def _change(options: argparse.Namespace) -> int:
    from ledgecliff.store.identity import new_id

    run = read_run(options.file)
    for name in options.out:
        run = edits.without_station(run, _station(run, name).id)
    for words in options.no_action:
        run = edits.without_action(run, ref_named(run, words).of)
    for earlier, later in options.not_after:
        run = edits.without_after(run, ref_named(run, earlier), ref_named(run, later))
    for words in options.action:
        if len(words) not in (2, 3):
            raise InvalidValueError("--action", "takes its name, minutes, and the station it is at, if any")
        station = _station(run, words[2]).id if len(words) == 3 else None
        minutes = _number("--action", words[1])
        run = edits.with_action(
            run, edits.made(RunAction, id=new_id(), name=words[0], minutes=minutes, station=station)
        )
    for name, minutes, first, then in options.turn:
        ends = {"takes_from": _station(run, first).id, "station": _station(run, then).id}
        turn = edits.made(RunAction, id=new_id(), name=name, minutes=_number("--turn", minutes), **ends)
        run = edits.with_turn(run, turn)
    for words, minutes in options.minutes:
        run = edits.with_minutes(run, ref_named(run, words), _number("--minutes", minutes))
    for earlier, later in options.after:
        run = edits.with_after(run, ref_named(run, earlier), ref_named(run, later))
    for earlier, later, minutes in options.wait:
        run = edits.with_after(run, ref_named(run, earlier), ref_named(run, later), _number("--wait", minutes))
    for stage, names in (("rough", options.rough), ("finish", options.finish)):
        for words in names:
            run = edits.with_stage(run, ref_named(run, words), stage)  # type: ignore[arg-type]
    for words in options.thaw:
        run = edits.thawed(run, ref_named(run, words))
    if options.freeze:
        run = edits.with_frozen(run, [ref_named(run, words) for words in options.freeze])
    if options.rough_first is not None:
        run = set_value(run, ("rough_first",), options.rough_first == "yes")
    for tool, minutes in options.life:
        run = edits.with_life(run, _number("--life", tool), _number("--life", minutes))
    for name in ("pockets", "due", "tool_call_s", "offset_call_s", "index_s", "rapid"):
        if (text := getattr(options, name)) is not None:
            run = set_value(run, (name,), _number(f"--{name.replace('_', '-')}", text))
    for name in ("parts", "probing", "loading", "setting_up"):
        if (text := getattr(options, name)) is not None:
            run = set_value(run, ("many", name), _number(f"--{name.replace('_', '-')}", text))
    if options.loads is not None:
        run = set_value(run, ("many", "loads"), options.loads)
    return _written(run, options)


def _number(where: str, text: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise InvalidValueError(where, f"'{text}' is no number; write one such as 12.5") from None


def _station(run: Run, name: str) -> RunStation:
    found = next((each for each in run.stations if each.name == name), None)
    if found is None:
        names = ", ".join(each.name for each in run.stations) or "none"
        raise InvalidValueError("station", f"there is no '{name}'; there are {names}")
    return found


def _take(options: argparse.Namespace) -> int:
    from ledgecliff.store.run_taking import take_over

    run, told = take_over(read_run(options.file), options.file, times=options.times)
    write_run(run, options.file)
    if options.json:
        print_json({"changed": list(told)})
    else:
        print("\n".join(told) or "nothing has changed")
    return 0


def _tick(options: argparse.Namespace) -> int:
    from ledgecliff.core.record.made import of_ticks
    from ledgecliff.store.recording import record

    run = read_run(options.file)
    refs = [ref_named(run, words) for words in options.tasks]
    after = edits.with_done(run, refs, done=not options.undo)
    status = _written(after, options)
    if waits := record(of_ticks(run, after)).words:
        print(f"ledgecliff: {waits}", file=sys.stderr)
    return status


def _stop(options: argparse.Namespace) -> int:
    run = read_run(options.file)
    named = [_station(run, name).id for name in options.stations] or [each.id for each in run.stations]
    return _written(edits.stopped(run, named), options)


def _found(options: argparse.Namespace) -> int:
    run = read_run(options.file)
    return _written(edits.found_again(run, [_station(run, name).id for name in options.stations]), options)


def _ordered(run: Run) -> tuple[Planned, Ordered]:
    """What is left in its order.  Raises InvalidValueError where none can be made."""
    tasks = problem_of(run, done=frozenset(run.done))
    found = put_in_order(tasks.problem, _TO_CHECK, time.monotonic, by=run.by)
    return Planned(tasks, found.order), found


def _post(options: argparse.Namespace) -> int:
    from ledgecliff.store.run_outputs import write_run_programs

    run = read_run(options.file)
    planned, _ = _ordered(run)
    written = write_run_programs(run, options.file, planned, options.out, by_block=options.by_block)
    names, back = [str(path) for path in written.paths], written.back
    if options.json:
        read = {"tasks": back.tasks, "moves": back.moves, "stood_in": back.stood_in, "not_run": list(back.not_run)}
        print_json({"programs": names, "read_back": read})
    else:
        print("\n".join([*names, back.words]))
    return 0


def _picture(options: argparse.Namespace) -> int:
    from ledgecliff.core.runs.picture import run_picture
    from ledgecliff.sheets.run_svg import run_svg
    from ledgecliff.store.atomic import write_atomic

    run = read_run(options.file)
    planned, ordered = _ordered(run)
    write_atomic(options.out, run_svg(run_picture(run, planned, ordered.bound.minutes), _WIDE) + "\n")
    if options.json:
        print_json({"picture": str(options.out)})
    else:
        print(options.out)
    return 0


def _sheet(options: argparse.Namespace) -> int:
    from ledgecliff.store.run_outputs import write_run_sheet

    run = read_run(options.file)
    planned, ordered = _ordered(run)
    path = write_run_sheet(run, options.file, planned, ordered, options.out, options.unit, options.paper)
    if options.json:
        print_json({"sheet": str(path)})
    else:
        print(path)
    return 0


def _check(options: argparse.Namespace) -> int:
    from ledgecliff.store.beside_run import beside_run

    run = read_run(options.file)
    planned, why = None, ""
    try:
        planned, _ = _ordered(run)
    except InvalidValueError as error:
        why = str(error)
    found = run_findings(run, planned, beside_run(run, options.file))
    if options.json:
        print_json({"findings": [_plain(each) for each in found], "no_order": why})
    else:
        for each in found:
            print(f"{each.severity}: {each.code}: {each.message()} {each.remedy()}")
        print(why or ("" if found else "nothing found"))
    return 1 if any(each.severity in ("hazard", "error") for each in found) else 0


def _plain(each: Finding) -> dict[str, Any]:
    return {
        "code": each.code,
        "severity": each.severity,
        "station": each.setup,
        "message": each.message(),
        "remedy": each.remedy(),
    }


def _show(run: Run, options: argparse.Namespace) -> None:
    """The run's stations and tasks, and what of them is done."""
    done = set(run.done)
    rows = [
        {
            "station": station.name,
            "offset": station.offset,
            "index": station.index,
            "tasks": [
                {
                    "task": task.name,
                    "tool": task.tool,
                    "minutes": task.minutes,
                    "minutes_from": task.minutes_from,
                    "done": TaskRef(of=station.id, task=task.name) in done,
                }
                for task in station.tasks
            ],
        }
        for station in run.stations
    ]
    actions = [
        {"action": action.name, "minutes": action.minutes, "done": TaskRef(of=action.id) in done}
        for action in run.actions
    ]
    if options.json:
        print_json({"title": run.title, "stations": rows, "actions": actions})
        return
    for station in run.stations:
        print(f"{station.name}  {station.offset}  {station.index}".rstrip())
        for task in station.tasks:
            mark = "x" if TaskRef(of=station.id, task=task.name) in done else " "
            minutes = "?" if task.minutes_from == "none" else f"{task.minutes:g}"
            print(f"  [{mark}] {task.name}  T{task.tool}  {minutes} min")
    for action in run.actions:
        ref = TaskRef(of=action.id)
        print(f"[{'x' if ref in done else ' '}] {ref_words(run, ref)}  by hand  {action.minutes:g} min")
