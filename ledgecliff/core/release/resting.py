"""What a release or a rehearsal of a setup rests on: a digest of each part of the job that decides what is written for
it and whether that is safe, so that what was changed since can be named.

The job's title, names of setups and machines, and notes are not in it; names by which features, fixtures and tools are
referred to are, for to swap two of them is another plan.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from pydantic import JsonValue

from ..model.base import Model
from ..model.job import Job
from ..model.machine import Machine
from ..model.setup import Setup

#: Of a setup, what each part of it is called.
_PARTS: Mapping[str, tuple[str, ...]] = {
    "how it lies": ("orientation", "station", "index"),
    "what holds it": ("hold",),
    "zero": ("datum", "offset"),
    "probing": ("probing", "hover"),
    "operations": ("operations", "stock_assumed", "least_wall"),
    "instances": ("pattern",),
}
#: What people say of a thing; and what they call a setup.
_SAID, _CALLED = frozenset({"note"}), ("name", "side")
#: What of a machine are things by themselves.
_LISTS = ("fixtures", "stations", "cutters", "probe", "more_probes", "profiles", "id", "name")
Resting = Mapping[str, str]


def resting_of(job: Job, index: int) -> dict[str, str]:
    """By what each part is called, twelve hexadecimal digits of it; of setup ``index`` (from 0)."""
    setup, machine = job.setups[index], job.machine_of(job.setups[index])
    found: dict[str, Any] = {
        "part": ({name: value for name, value in _plain(job.part).items() if name != "name"}, job.parting),
        "stock": _plain(job.stock),
        "what is done before": (
            [_whole(each) for each in job.setups[:index]],
            [_plain(step) for number in range(index + 1) for step in job.bench_before(number)],
        ),
        "machine": _machine(machine, setup),
        "fixture": [_plain(each) for each in machine.fixtures if each.name == _fixture(machine, setup)],
        "tools": [_plain(each) for each in machine.cutters if each.tool in _called(setup)],
        "probe": _plain(machine.probe),
    }
    whole = _whole(setup)
    found |= {words: [whole.get(name) for name in names] for words, names in _PARTS.items()}
    return {words: _digest(value) for words, value in found.items()}


def _machine(machine: Machine, setup: Setup) -> dict[str, Any]:
    plain = {name: value for name, value in _plain(machine).items() if name not in _LISTS}
    plain["profile text"] = [_plain(each) for each in machine.profiles if each.name == machine.profile]
    plain["station"] = [_plain(each) for each in machine.stations if each.id == setup.station]
    return plain


def _fixture(machine: Machine, setup: Setup) -> str:
    station = machine.station(setup.station)
    return "" if station is None else station.fixture


def _called(setup: Setup) -> set[int]:
    return {setup.hover.tool, *(operation.tool for operation in setup.operations)}


def _whole(setup: Setup) -> dict[str, Any]:
    return {name: value for name, value in _plain(setup).items() if name not in _CALLED}


def _plain(model: Model) -> dict[str, Any]:
    # What is not there says nothing: a field that comes with a later version changes no release of before.
    plain = _without_words(model.model_dump(mode="json", exclude_none=True))
    assert isinstance(plain, dict), "a model is dumped as an object"
    return plain


def _without_words(value: JsonValue) -> JsonValue:
    if isinstance(value, dict):
        return {name: _without_words(each) for name, each in value.items() if name not in _SAID}
    return [_without_words(each) for each in value] if isinstance(value, list) else value


def _digest(value: object) -> str:
    text = json.dumps(value, sort_keys=True, default=lambda model: model.model_dump(mode="json"))
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def changed_parts(before: Resting, now: Resting) -> tuple[str, ...]:
    """What is another now, in the order in which it is told."""
    return tuple(words for words in now if before.get(words) != now[words])
