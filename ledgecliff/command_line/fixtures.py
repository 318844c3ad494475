"""Fixtures of the shop's own on the command line: what a model has, and a setup held by one."""

from __future__ import annotations

import argparse
from dataclasses import replace
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json, rounded, warn
from ledgecliff.command_line.plans import plan_of, setup_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits import own_fixtures as edits
from ledgecliff.core.edits.setups import hold_with
from ledgecliff.core.edits.standing import to_choose
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import OwnHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.own_fixture import FaceUse, FixtureFace, OwnFixture
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.typed import parse_length
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.imports import ReadBody, read_body
from ledgecliff.store.job_files import write_job
from ledgecliff.store.library import current_shop, keep_shop
from ledgecliff.store.part_models import carry_models, read_fixtures
from ledgecliff.store.shop import for_shop

_SHOWN = "as it stands"


def fixture_model(options: argparse.Namespace) -> int:
    """The flat faces, bores, pins and spigots that a model has, by number."""
    body = read_body(options.model, options.unit, options.body)
    bare = edits.fixture_from(_SHOWN, body.reference, body.geometry)
    rows: dict[str, list[dict[str, Any]]] = {
        kind: [{"number": number, "words": spell(each.words, "mm"), **_plain(each.thing)} for number, each in found]
        for kind, found in _numbered(bare, body).items()
    }
    if options.json:
        print_json(rows)
        return 0
    for kind, listed in rows.items():
        print(kind)
        for row in listed:
            print(f"  {row['number']:>3}  {row['words']}")
    return 0


def _numbered(bare: OwnFixture, body: ReadBody) -> dict[str, list[tuple[int, edits.Offered]]]:
    """Everything that can be named of a model; pins go on where faces end."""
    unnamed = bare.model_copy(update={"faces": ()})
    faces = edits.faces_offered(unnamed, body.geometry)
    pins = edits.pins_offered(unnamed, body.geometry)
    return {
        "faces": list(enumerate(faces, start=1)),
        "pins": list(enumerate(pins, start=len(faces) + 1)),
        "bores": list(enumerate(edits.bores_offered(unnamed, body.geometry), start=1)),
        "spigots": list(enumerate(edits.spigots_offered(unnamed, body.geometry), start=1)),
    }


def _plain(thing: Any) -> dict[str, Any]:
    plain: dict[str, Any] = thing.model_dump(mode="json")
    return {key: value for key, value in plain.items() if key not in ("use", "name")}


def fixture(options: argparse.Namespace) -> int:
    """A setup held by a fixture of the shop's own; without a change, what holds it so is told."""
    plan = plan_of(options)
    setup = setup_named(plan, options.setup)
    job, models = plan.job, plan.models
    if options.model is not None:
        job, models = _from_model(options, job, models, setup)
    if options.take is not None:
        job, models = _taken(options, job, models, setup)
    if options.moving is not None:
        job, models = _with_moving(options, job, models, setup)
    if options.over is not None:
        feature, _, spigot = options.over.partition("/")
        job = edits.put_over(job, setup, (feature.strip(), spigot.strip()) if spigot else None)
    if options.at is not None:
        for axis, text in zip("xy", options.at, strict=True):
            job = set_value(job, ("setups", setup, "hold", axis), parse_length(text))
    after = make_plan(job, models)
    if job != plan.job:
        write_job(carry_models(job, options.job.parent, options.job.parent), options.job)
    if options.keep:
        _keep(options, job, setup)
    _tell(after, setup, as_json=options.json)
    return 0


def _from_model(options: argparse.Namespace, job: Job, models: Models, setup: int) -> tuple[Job, Models]:
    body = read_body(options.model, options.unit, options.body)
    reference = _beside(options.model, options.job, body)
    name = options.name or options.model.stem.replace("_", " ").replace("-", " ")
    made = edits.fixture_from(name, reference, body.geometry)
    job = edits.with_fixture(job, setup, made)
    found = _numbered(made, body)
    things = {number: each.thing for kind in ("faces", "pins") for number, each in found[kind]}
    if options.seat is not None:
        job = _with_seat(job, setup, _chosen(things, [options.seat], "--seat")[0])
    uses: tuple[tuple[FaceUse, str, list[int]], ...] = (
        ("against", "--against", options.against), ("probed", "--probe", options.probe),
    )  # fmt: skip
    for use, flag, numbers in uses:
        for thing in _chosen(things, numbers, flag):
            job = edits.with_thing(job, setup, thing.model_copy(update={"use": use}))
    for kind, flag, numbers in (("bores", "--bore", options.bore), ("spigots", "--spigot", options.spigot)):
        for thing in _chosen({number: each.thing for number, each in found[kind]}, numbers, flag):
            job = edits.with_thing(job, setup, thing)
    path = edits.fixture_path(job, setup)
    if options.zero is not None:
        job = set_value(job, (*path, "zero"), _point(options.zero))
    if options.stands_at is not None:
        machine, at = job.machine_path(job.setups[setup]), _point(options.stands_at)
        stations = job.machine_of(job.setups[setup]).stations
        number = next(k for k, each in enumerate(stations) if each.id == job.setups[setup].station)
        job = set_value(job, (*machine, "stations", number, "at"), at)
    return job, body.beside(models)


def _with_seat(job: Job, setup: int, face: FixtureFace) -> Job:
    path = (*edits.fixture_path(job, setup), "faces")
    seat = face.model_copy(update={"use": "seat", "name": "seat"})
    return set_value(job, path, (seat,))


def _chosen(things: dict[int, Any], numbers: list[int], flag: str) -> list[Any]:
    strange = next((number for number in numbers if number not in things), None)
    if strange is not None:
        raise InvalidValueError(flag, f"there is no number {strange}; fixture-model lists what there is")
    return [things[number] for number in numbers]


def _point(texts: list[str]) -> Point:
    x, y, z = (parse_length(text) for text in texts)
    return Point(x=x, y=y, z=z)


def _beside(model: Path, job_file: Path, body: ReadBody) -> Any:
    """The model copied beside the job, so that both can be taken along."""
    place = job_file.parent / model.name
    if place.resolve() != model.resolve():
        content = model.read_bytes()
        if place.exists() and place.read_bytes() != content:
            raise InvalidValueError("--model", f"'{place}' is another model of that name; give this one another name")
        write_atomic(place, content)
    return body.reference.model_copy(update={"path": place.name})


def _taken(options: argparse.Namespace, job: Job, models: Models, setup: int) -> tuple[Job, Models]:
    machine = job.machine_of(job.setups[setup])
    offered = {each.name: each for each in to_choose(machine, current_shop(told=warn))}
    if options.take not in offered:
        raise InvalidValueError("--take", f"there is no '{options.take}'; choose {', '.join(offered)}")
    job = hold_with(job, setup, offered[options.take])
    return job, replace(models, fixtures=read_fixtures(job.machines, options.job.parent))


def _with_moving(options: argparse.Namespace, job: Job, models: Models, setup: int) -> tuple[Job, Models]:
    body = read_body(options.moving, options.unit, options.moving_body)
    reference = _beside(options.moving, options.job, body)
    job = edits.with_moving_part(job, setup, options.moving.stem, reference, options.moves)
    if options.travel is not None:
        number = len(edits.own_fixture(job, setup).moving) - 1
        job = set_value(
            job, (*edits.fixture_path(job, setup), "moving", number, "travel"), parse_length(options.travel)
        )
    return job, body.beside(models)


def _keep(options: argparse.Namespace, job: Job, setup: int) -> None:
    from ledgecliff.core.edits.shop import keep_fixture

    held = job.setups[setup]
    station = job.machine_of(held).station(held.station)
    assert station is not None, "the job's own validation keeps stations true"
    kept = for_shop(edits.own_fixture(job, setup), options.job.parent)
    shop = current_shop(told=warn)
    keep_shop(shop, keep_fixture(shop, kept, station))


def _tell(plan: Plan, setup: int, *, as_json: bool) -> None:
    held = plan.setups[setup]
    own, hold = held.holding.own, held.setup.hold
    if own is None or not isinstance(hold, OwnHold):
        raise InvalidValueError(held.setup.name, "no fixture from a model holds it; give --model or --take")
    fixture = edits.own_fixture(plan.job, setup)
    x, y, z = (float(value) for value in held.holding.u_zero - held.wcs.u_origin)
    told = {
        "fixture": fixture.name,
        "zero": {"x": rounded(x), "y": rounded(y), "z": rounded(z)},
        "seat": rounded(held.holding.seat - float(held.wcs.u_origin[2])),
        "faces": [
            {"name": face.name, "use": face.use, "facing": face.facing, "level": rounded(face.level)}
            for face in fixture.faces
        ],
        "moves": [{"name": name, "way": None if way is None else rounded(way)} for name, way in own.ways],
        "play": None if own.play is None else rounded(own.play),
        "missed": list(own.missed),
    }
    if as_json:
        print_json(told)
        return
    print(f"{held.setup.name}: {fixture.name}, its zero at X {x:+.3f}, Y {y:+.3f}, Z {z:+.3f} in {held.setup.offset}")
    for face in fixture.faces:
        print(f"  {face.name}: {edits.USE_WORDS[face.use]}, {'XYZ'[face.axis]} {face.level:+.3f}")
    for name, way in own.ways:
        print(f"  {name}: " + ("never meets the stock" if way is None else f"moves {way:.3f} to the stock"))
