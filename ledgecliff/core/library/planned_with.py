"""What of a job's copies the shop has changed since, told apart from what the job itself has changed.

A job keeps the machine, fixtures, tools, probes and profiles that it was planned with.  Where a value of its copy is
one that the shop had before, and the shop has another now, the shop has changed it since; a value that the shop never
had is the job's own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from pydantic import JsonValue, ValidationError

from ..errors import InvalidValueError
from ..finding import Finding, Fix
from ..model.job import Job
from ..model.machine import Machine
from .things import Body, Key, leaves, same_thing, thing_name, things_of_machine

#: Where a thing stands in the list of its kind is not what it is.
_PLACE = ("place",)
#: Nor where the file of its model lies, which is another for the job and for the library; and what says which file.
_FILE, _MODEL = ("path",), "sha256"
_TOLD = 4


@dataclass(frozen=True)
class Revision:
    """A thing from then on, as whoever changed it left it; ``body`` is None where it was taken out."""

    body: Body | None
    at: str
    by: str
    workstation: str = ""


History = Mapping[Key, Sequence[Revision]]


@dataclass(frozen=True)
class Changed:
    """A thing of a job's machine that the shop has changed since it was planned with: by whom and when last, and what
    of it (where in it, what the job has, what the shop has).  ``newest`` is the thing as the shop has it, None where
    it is there no more."""

    key: Key
    name: str
    at: str
    by: str
    values: tuple[tuple[tuple[str, ...], JsonValue, JsonValue], ...]
    newest: Body | None = None

    @property
    def is_gone(self) -> bool:
        return self.newest is None

    def words(self) -> str:
        if self.is_gone:
            return f"the shop has no {self.name} any more"
        told = [f"{' '.join(path[1:] if path[:1] == ('thing',) else path).replace('_', ' ')} was {_shown(was)} and is "
                f"{_shown(now)}" for path, was, now in self.values]  # fmt: skip
        more = f" and {len(told) - _TOLD} more" if len(told) > _TOLD else ""
        return f"{self.name}: {'; '.join(told[:_TOLD])}{more}"


def _shown(value: JsonValue) -> str:
    if value is None:
        return "nothing"
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= 40 else f"{text[:40]}…"


def changed_since_planned(job: Job, history: History) -> tuple[Changed, ...]:
    """Everything of the job's machines that the shop has changed since; ``history`` oldest first."""
    return tuple(change for machine in job.machines for change in _of_machine(machine, history))


def _of_machine(machine: Machine, history: History) -> Iterator[Changed]:
    for key, mine in things_of_machine(machine).items():
        revisions = history.get(key, ())
        if not revisions:
            continue
        newest = revisions[-1]
        if newest.body is None:
            # Only what the shop had just so was the shop's.
            if any(each.body is not None and same_thing(each.body, mine) for each in revisions):
                yield Changed(key, thing_name(key, mine), newest.at, newest.by, ())
            continue
        values = tuple(_values(mine, newest.body, [each.body for each in revisions[:-1] if each.body is not None]))
        if values:
            yield Changed(key, thing_name(key, mine), newest.at, newest.by, values, newest.body)


def _values(
    mine: Body, newest: Body, older: Sequence[Body]
) -> Iterator[tuple[tuple[str, ...], JsonValue, JsonValue]]:  # fmt: skip
    """Those in which the job has what the shop had before."""
    here, there = dict(leaves(mine)), dict(leaves(newest))
    before = [dict(leaves(each)) for each in older]
    for path in dict.fromkeys((*here, *there)):
        was, now = here.get(path), there.get(path)
        if path == _PLACE or path[-1:] == _FILE or was == now:
            continue
        # What is not there counts as a value too: the shop may have given a thing what it had not.
        if any((path in each) == (path in here) and each.get(path) == was for each in before):
            yield path, was, now


def taken_over(job: Job, change: Changed) -> Job:
    """The job with what the shop changed of a thing; what the job itself had changed of it stays.

    Raises InvalidValueError where the job cannot be so, or the shop has it no more.
    """
    if change.is_gone:
        raise InvalidValueError(change.name, "is not in the shop any more; choose another in the job, or keep its copy")
    number = next((k for k, machine in enumerate(job.machines) if machine.id == change.key.where), None)
    if number is None:
        raise InvalidValueError(change.name, "is of no machine of this job")
    if any(_MODEL in path for path, _, _ in change.values):
        raise InvalidValueError(change.name, "has another model in the shop; choose it anew in the setup's hold")
    plain = job.model_dump(mode="json")
    thing, newest = _thing_in(plain["machines"][number], change.key), _thing(change.newest or {})
    for path, _, now in change.values:
        _take(thing, newest, path[1:] if path[:1] == ("thing",) else path, now)
    try:
        return Job.model_validate(plain)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidValueError(change.name, f"cannot be taken over: {first['msg']}; change the job first") from error


def _thing_in(machine: dict[str, JsonValue], key: Key) -> dict[str, JsonValue]:
    lists = {"fixture": ("fixtures", "name"), "station": ("stations", "id"), "tool": ("cutters", "tool"),
             "probe": ("more_probes", "tool"), "profile": ("profiles", "name")}  # fmt: skip
    if key.kind == "machine":
        return machine
    if key.which == "usual":
        found = machine["probe"]
        assert isinstance(found, dict)
        return found
    name, by = lists[key.kind]
    items = machine[name]
    assert isinstance(items, list)
    return next(each for each in items if isinstance(each, dict) and str(each[by]) == key.which)


def _thing(body: Body) -> Body:
    thing = body.get("thing", body)
    return thing if isinstance(thing, Mapping) else {}


def _take(thing: dict[str, JsonValue], newest: Body, path: tuple[str, ...], now: JsonValue) -> None:
    """One value; or, where what it belongs to is of another kind by now, all of that."""
    mine, theirs = thing.get(path[0]), newest.get(path[0])
    if {each for each, _ in leaves({"": mine})} != {each for each, _ in leaves({"": theirs})} or len(path) == 1:
        thing[path[0]] = theirs
        return
    assert isinstance(mine, dict), "it has something inside"
    inner = mine
    for name in path[1:-1]:
        each = inner[name]
        assert isinstance(each, dict), "both have the same inside"
        inner = each
    inner[path[-1]] = now


def library_findings(job: Job, history: History) -> Iterator[Finding]:
    """Told once for each thing that the job uses, with the step that takes it over."""
    used = _used(job)
    for change in changed_since_planned(job, history):
        if change.key not in used:
            continue
        fixes: tuple[Fix, ...] = ()
        try:
            after = taken_over(job, change)
        except InvalidValueError:
            advice = "Look whether the plan still holds, and change the job accordingly."
        else:
            advice = "Take it over, or keep the job's copy if the machine still has it so."
            fixes = (Fix(f"Take {change.name} over", ((("machines",), after.machines),)),)
        yield Finding(
            "SHOP_HAS_CHANGED", "warning", "",
            f"The shop has changed since this was planned: {change.words()} ({change.by}, {change.at[:10]}).",
            advice, fixes, about=" ".join(change.key),
        )  # fmt: skip


def _used(job: Job) -> set[Key]:
    """What any setup of the job uses, the machines and their probes among it."""
    used: set[Key] = set()
    for setup in job.setups:
        machine = job.machine_of(setup)
        used |= {Key("machine", machine.id, ""), Key("probe", machine.id, "usual")}
        used.add(Key("profile", machine.id, machine.profile))
        used.add(Key("station", machine.id, setup.station))
        station = machine.station(setup.station)
        used |= set() if station is None else {Key("fixture", machine.id, station.fixture)}
        used |= {Key("tool", machine.id, str(step.tool)) for step in setup.operations}
        used.add(Key("tool", machine.id, str(setup.hover.tool)))
        used |= {Key("probe", machine.id, str(probe.tool)) for probe in machine.more_probes}
    return used
