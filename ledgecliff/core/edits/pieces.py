"""Pieces of a job taken along and put in again, here or in another job: a setup, a hold, operations, probing steps.

A piece says what it needs besides: cutters with their sizes, the kind of fixture.  Numbers and ids are not the same in
another job: tools are found again by what they are, fixtures by their kind, features and words by their names.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Literal, TypeVar, get_args

from pydantic import Field, ValidationError

from ..changing import changed, free_name, problem_words, set_value
from ..errors import InvalidValueError
from ..model.base import Model, Name
from ..model.cycles import ProbeCycle
from ..model.holding import Hold
from ..model.job import KIND_WORDS, Job
from ..model.machine import Cutter, Machine
from ..model.operations import Operation
from ..model.setup import Setup
from ..programs.targets import code_for_new
from .setups import next_name

PieceKind = Literal["setup", "hold", "operations", "steps"]
PIECE_KINDS: tuple[PieceKind, ...] = get_args(PieceKind)
#: An operation, or a probing step.
Thing = TypeVar("Thing", Operation, ProbeCycle)
#: Diameters this near are of the same cutter (mm).
_SAME = 0.005


class Piece(Model):
    """What was taken from a job of that ``title``; ``cutters`` are those that it calls."""

    format: Literal["ledgecliff-piece"] = "ledgecliff-piece"
    version: Literal[1] = 1
    kind: PieceKind
    title: Name
    setup: Setup | None = None
    hold: Hold | None = None
    station: Annotated[str, Field(max_length=80)] = ""
    operations: Annotated[tuple[Operation, ...], Field(max_length=200)] = ()
    steps: Annotated[tuple[ProbeCycle, ...], Field(max_length=40)] = ()
    cutters: Annotated[tuple[Cutter, ...], Field(max_length=200)] = ()


def taken(job: Job, setup: int, kind: PieceKind, names: Sequence[str] = ()) -> Piece:
    """A piece of a setup; of operations and steps those of ``names``, all where none is named.

    Raises InvalidValueError for a name that is not there, or where there is nothing of the kind.
    """
    now = job.setups[setup]
    machine = job.machine_of(now)
    operations = _named("operation", now.operations, names) if kind == "operations" else ()
    steps = _named("step", now.probing.cycles or (), names) if kind == "steps" else ()
    tools = {each.tool for each in (now.operations if kind == "setup" else operations)}
    tools |= {now.hover.tool} if kind == "setup" else set()
    return Piece(
        kind=kind,
        title=job.title,
        setup=now if kind == "setup" else None,
        hold=now.hold if kind in ("setup", "hold") else None,
        station=machine.fixture_at(now.station).name,
        operations=operations,
        steps=steps,
        cutters=tuple(cutter for cutter in machine.cutters if cutter.tool in tools),
    )


def _named(what: str, things: Sequence[Thing], names: Sequence[str]) -> tuple[Thing, ...]:
    known = [thing.name for thing in things]
    if not known:
        hint = "; take them over first (Edit these steps)" if what == "step" else ""
        raise InvalidValueError(what, f"the setup has none of its own to be taken along{hint}")
    strange = next((name for name in names if name not in known), None)
    if strange is not None:
        raise InvalidValueError(what, f"there is no '{strange}'; the setup has {', '.join(known)}")
    return tuple(thing for thing in things if not names or thing.name in names)


def piece_from(text: str) -> Piece:
    """Raises InvalidValueError for text that is none."""
    try:
        return Piece.model_validate_json(text)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        if first["type"] == "json_invalid" or "format" in first["loc"]:
            raise InvalidValueError(
                "piece", "what is to be put in is no piece of a job; take one along first"
            ) from error
        where = " ".join(str(part) for part in first["loc"])
        raise InvalidValueError(f"piece, {where}", problem_words(first["msg"])) from error


def with_piece(job: Job, piece: Piece, setup: int, new_id: str) -> Job:
    """The job with a piece in it: a setup after ``setup``, of the id ``new_id``; anything else in ``setup`` itself.

    Raises InvalidValueError for what the job lacks: a cutter, a fixture of the kind, a feature, a word.
    """
    machine = job.machine_of(job.setups[setup])
    tool = _tools(machine, piece)
    match piece.kind:
        case "setup":
            return _with_setup(job, piece, setup, new_id, tool)
        case "hold":
            return _with_hold(job, piece, setup)
        case "operations":
            taken_names = [each.name for each in job.setups[setup].operations]
            added: list[Operation] = []
            for each in piece.operations:
                name = free_name(each.name, [*taken_names, *(other.name for other in added)])
                added.append(each.model_copy(update={"name": name, "tool": tool(each.tool), "program": ""}))
            operations = (*job.setups[setup].operations, *added)
            return set_value(job, ("setups", setup, "operations"), operations)
        case "steps":
            return _with_steps(job, piece, setup)


def _with_steps(job: Job, piece: Piece, setup: int) -> Job:
    """At the end of the setup's own list; operations that they wait for must be there."""
    own = job.setups[setup].probing.cycles
    if own is None:
        raise InvalidValueError(
            "steps", f"those of {job.setups[setup].name} are proposed; take them over first (Edit these steps)"
        )
    added: list[ProbeCycle] = []
    for each in piece.steps:
        name = free_name(each.name, [other.name for other in (*own, *added)])
        added.append(each.model_copy(update={"name": name}))
    return set_value(job, ("setups", setup, "probing", "cycles"), (*own, *added))


def _with_hold(job: Job, piece: Piece, setup: int) -> Job:
    hold = piece.hold
    assert hold is not None, "a piece of that kind has one"
    now = job.setups[setup]
    station = _station(job.machine_of(now), piece, now.station)
    return changed(job, {"setups": _replaced(job, setup, now.model_copy(update={"hold": hold, "station": station}))})


def _with_setup(job: Job, piece: Piece, after: int, new_id: str, tool: Callable[[int], int]) -> Job:
    new = piece.setup
    assert new is not None, "a piece of that kind has one"
    beside = job.setups[after]
    machine = job.machine_of(beside)
    names = [each.name for each in job.setups]
    there = machine.station(new.station) is not None and new.machine == machine.id
    new = new.model_copy(
        update={
            "id": new_id,
            "name": new.name if new.name not in names else next_name(job.setups),
            "machine": machine.id,
            "station": new.station if there else _station(machine, piece, ""),
            "index": new.index if there else (),
            "offset": code_for_new(job, beside),
            "hover": new.hover.model_copy(update={"tool": tool(new.hover.tool)}),
            "operations": tuple(
                each.model_copy(update={"tool": tool(each.tool), "program": ""}) for each in new.operations
            ),
        }
    )
    setups = (*job.setups[: after + 1], new, *job.setups[after + 1 :])
    return changed(job, {"setups": setups})


def _replaced(job: Job, setup: int, new: Setup) -> tuple[Setup, ...]:
    return tuple(new if k == setup else each for k, each in enumerate(job.setups))


def _station(machine: Machine, piece: Piece, now: str) -> str:
    """Where something of the kind stands: as it is now, under the same name, or anywhere."""
    hold = piece.hold
    assert hold is not None, "only what holds is asked about"
    fitting = [each for each in machine.stations if machine.fixture_at(each.id).kind == hold.by]
    by_name = [each for each in fitting if machine.fixture_at(each.id).name == piece.station]
    here = [each for each in fitting if each.id == now]
    best = next(iter((*here, *by_name, *fitting)), None)
    if best is None:
        raise InvalidValueError(
            "hold",
            f"{machine.name} has no {KIND_WORDS[hold.by]}; put one on it first (it was held in '{piece.station}')",
        )
    return best.id


def _tools(machine: Machine, piece: Piece) -> Callable[[int], int]:
    """The number here of each cutter of the piece: by what it is, since a number alone says nothing elsewhere."""
    numbers: dict[int, int] = {}
    for cutter in piece.cutters:
        alike = [
            each
            for each in machine.cutters
            if abs(each.diameter - cutter.diameter) < _SAME and each.shape == cutter.shape
        ]
        same = [each for each in alike if each.tool == cutter.tool]
        named = [each for each in alike if each.name == cutter.name]
        best = next(iter((*same, *named, *alike)), None)
        if best is None:
            raise InvalidValueError(
                "tools",
                f"{machine.name} has no cutter like T{cutter.tool} {cutter.name} ({cutter.diameter:g} mm, "
                f"{cutter.shape}); add it to the tool table first",
            )
        numbers[cutter.tool] = best.tool
    return lambda tool: numbers.get(tool, tool)


def as_template(job: Job, title: str, new_id: str, setup_ids: Sequence[str]) -> Job:
    """The same job as a new one of its own: other ids, and nothing that belongs to the old one's run."""
    setups = tuple(
        setup.model_copy(
            update={
                "id": each,
                "operations": tuple(op.model_copy(update={"program": ""}) for op in setup.operations),
            }
        )
        for setup, each in zip(job.setups, setup_ids, strict=True)
    )
    stock = job.stock.model_copy(update={"is_measured": False})
    return changed(job, {"id": new_id, "title": title, "setups": setups, "stock": stock})
