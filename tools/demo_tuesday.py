"""The demo *Tuesday's table*: a float housing, ten rack shoes and a dial ring at once on one wide mill.

The jobs are those of the other demos, on a machine that has the fixtures of all three and one table of tools.
"""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Mapping
from pathlib import Path

from ledgecliff.core.backlogs.edits import new_backlog, with_table
from ledgecliff.core.changing import changed
from ledgecliff.core.model.backlog import BacklogList, KindOfStation, LoadRoom
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import Plate, Spoilboard
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.run import Run, RunAction, TaskRef
from ledgecliff.core.plan import make_plan
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.tasks import ref_named
from ledgecliff.core.scheduling.backlog_reading import read_backlog
from ledgecliff.store.job_files import job_text
from ledgecliff.store.migrations import machine_id
from ledgecliff.store.part_models import load_models
from ledgecliff.store.plain_documents import document_text
from ledgecliff.store.run_files import run_text
from tools.fixtures import station_id, with_fixtures

NAME = "Mill 6, the full table"
FULL = machine_id(NAME)
#: Numbers of the rack shoes' tools on this machine.
_LONG = {1: 7, 2: 6}
#: How long each task takes (minutes).
_HOUSING = (4.0, 7.5, 11.0, 3.5)
_CURES = 90.0
_FOLDER = "tuesday"


def full_table(mill: Machine, wide: Machine, thin: Machine) -> Machine:
    """One machine with the vises of ``mill``, the plates of ``wide`` and the thin end mill of ``thin``."""
    long = tuple(changed(each, {"tool": _LONG[each.tool]}) for each in wide.cutters)
    bare = changed(
        wide,
        {
            "id": FULL, "name": NAME, "accuracy": 0.02, "fixtures": (), "stations": (),
            "travel_min": Point(x=-2160, y=-560, z=-560), "cutters": (*thin.cutters, *long),
        },
    )  # fmt: skip
    vises = (each for each in mill.fixtures if each.name in ("left vise", "right vise"))
    return with_fixtures(
        bare,
        *((vise, Point(x=x, y=-280, z=-480)) for vise, x in zip(vises, (-2000, -1720), strict=True)),
        (Spoilboard(name="spoilboard", length=560, width=390, thickness=25), Point(x=-1300, y=-280, z=-460)),
        (Plate(name="plate of ten", length=420, width=260, thickness=25), Point(x=-760, y=-280, z=-500)),
        (Plate(name="plate of five", length=420, width=140, thickness=25), Point(x=-280, y=-280, z=-500)),
    )


def on_the_table(job: Job, table: Machine, tools: Mapping[int, int], offsets: Mapping[str, str]) -> Job:
    """The job with its setups moved to ``table``, in other offsets, its tools numbered as there."""

    def number(tool: int) -> int:
        return tools.get(tool, tool)

    setups = []
    for setup in job.setups:
        stands = next(each for each in job.machine_of(setup).stations if each.id == setup.station)
        setups.append(
            changed(
                setup,
                {
                    "machine": table.id,
                    "station": station_id(stands.name, table.id),
                    "offset": offsets.get(setup.name, setup.offset),
                    "hover": changed(setup.hover, {"tool": number(setup.hover.tool)}),
                    "operations": tuple(changed(each, {"tool": number(each.tool)}) for each in setup.operations),
                },
            )
        )
    title = f"{job.title}, Tuesday"
    return changed(job, {"id": derived_id(title), "title": title, "machines": (table,), "setups": tuple(setups)})


def write_tuesday(demo: Path, housing: Job, shoes: Job, ring: Job) -> None:
    """Jobs, run and backlog into their folder below that of the other demos."""
    folder = demo / _FOLDER
    folder.mkdir(exist_ok=True)
    table = full_table(housing.machines[0], shoes.machines[0], ring.machines[0])
    model = changed(housing.part.model, {"path": f"../{housing.part.model.path}"}) if housing.part.model else None
    housing = changed(housing, {"part": changed(housing.part, {"model": model})})
    jobs = {
        "float_housing": on_the_table(housing, table, {}, {}),
        "rack_shoes": on_the_table(shoes, table, _LONG, {"Op 10": "G56", "Op 20": "G57"}),
        "dial_ring": on_the_table(ring, table, {}, {"Op 10": "G58", "Op 20": "G58"}),
    }
    for name, job in jobs.items():
        (folder / f"{name}.json").write_text(job_text(job), encoding="utf-8")
    (folder / "tuesdays_table.json").write_text(run_text(_run(folder, jobs, table)), encoding="utf-8")
    (folder / "backlog.csv").write_text(backlog(), encoding="utf-8")
    (folder / "backlog.json").write_text(document_text(_backlog()), encoding="utf-8")


def _backlog() -> BacklogList:
    """The same on a table with four vises and two plates, in loads of half a shift."""
    numbers = itertools.count()
    room = LoadRoom(
        stations=(KindOfStation(kind="vise", count=4), KindOfStation(kind="plate", count=2)),
        pockets=6, offsets=6, minutes=240.0, between=15.0,
    )  # fmt: skip
    empty = new_backlog(derived_id("backlog"), "Brackets and plates", room)
    return with_table(empty, read_backlog(backlog()), lambda: derived_id("backlog", str(next(numbers))))


def _run(folder: Path, jobs: Mapping[str, Job], table: Machine) -> Run:
    numbers = itertools.count()

    def fresh() -> str:
        return derived_id("Tuesday's table", str(next(numbers)))

    run = edits.new_run(fresh(), "Tuesday's table", table)
    loaded = (
        ("float_housing", 0, "Housing Op 10"), ("float_housing", 1, "Housing Op 20"), ("dial_ring", 0, "Ring Op 10"),
        ("dial_ring", 1, "Ring Op 20"), ("rack_shoes", 0, "Shoe"),
    )  # fmt: skip
    for name, number, called in loaded:
        path = folder / f"{name}.json"
        plan = make_plan(jobs[name], load_models(jobs[name], path))
        checksum = hashlib.sha256(path.read_bytes()).hexdigest()
        run = edits.with_setup(run, plan, number, fresh, path.name, checksum, called)
    for station in run.stations:
        for task in station.tasks:
            words = f"{station.name}/{task.name}"
            run = edits.with_minutes(run, ref_named(run, words), _minutes(station.name, task.name))
    at = {station.name: station.id for station in run.stations}
    for name, first, then, minutes in (
        ("turn the housing", "Housing Op 10", "Housing Op 20", 4.0), ("turn the ring", "Ring Op 10", "Ring Op 20", 6.0),
    ):  # fmt: skip
        action = RunAction(id=fresh(), name=name, takes_from=at[first], station=at[then], minutes=minutes)
        run = edits.with_turn(run, action)
    fill = RunAction(id=fresh(), name="fill the marks", station=at["Ring Op 10"], minutes=8.0)
    run = edits.with_action(run, fill)
    ring = next(each for each in run.stations if each.name == "Ring Op 10")
    for task in ring.tasks:
        ref = TaskRef(of=ring.id, task=task.name)
        if task.name.startswith("cut upper mark"):
            run = edits.with_after(run, ref, TaskRef(of=fill.id))
        elif task.name.startswith(("ring bore", "outline")):
            run = edits.with_after(run, TaskRef(of=fill.id), ref, _CURES)
    return run


def _minutes(station: str, task: str) -> float:
    if station.startswith("Shoe"):
        return 1.8 if task == "bore pin bore" else 0.9
    if station == "Housing Op 10":
        return dict(zip(("face", "outl", "pock", "bore"), _HOUSING, strict=True))[task[:4]]
    if station == "Housing Op 20":
        return 3.0 if task.startswith("face") else 2.5
    return 2.2 if "mark" in task else 6.0


#: Brackets and plates by turns: kind, tools and minutes; some cure in between, some are due.
_ONES = (
    ("gauge bracket", "vise", "T1 T2", 38),
    ("lamp plate", "plate", "T2 T3", 22),
    ("rail bracket", "vise", "T1 T3", 27),
    ("name plate", "plate", "T5", 18),
    ("chain bracket", "vise", "T1 T2 T4", 44),
    ("cover plate", "plate", "T2 T6", 31),
    ("pipe bracket", "vise", "T1 T2", 25),
    ("sill plate", "plate", "T3 T6", 36),
)


def backlog() -> str:
    """Twenty-four one-off brackets and plates, as a table."""
    lines = ["name;kind;tools;minutes;steps;due_h"]
    for k in range(24):
        name, kind, tools, minutes = _ONES[k % len(_ONES)]
        turn = k // len(_ONES)
        due = str(6 + 2 * turn) if k % 5 == 0 else ""
        if k % 11 == 3:
            lines.append(f"{name} {turn + 1};{kind};;;{minutes} {tools} | wait 60 | 9 T3;{due}")
        else:
            lines.append(f"{name} {turn + 1};{kind};{tools};{minutes + 3 * turn};;{due}")
    return "\n".join(lines) + "\n"
