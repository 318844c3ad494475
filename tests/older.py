"""Jobs as older versions wrote them, made from those of today."""

from __future__ import annotations

import json
from typing import Any

from ledgecliff.core.model.job import Job
from ledgecliff.store.job_files import job_text

#: Where fixtures of each kind stood, and the field by which a hold named one.
_LISTS = {
    "vise": "vises", "plate": "plates", "board": "boards", "v-block": "v_blocks", "chuck": "chucks", "jig": "jigs",
}  # fmt: skip


_KINDS = {"outside width": "web", "inside width": "pocket"}


def version_7(job: Job) -> dict[str, Any]:
    """Cycles and the macro of a guarded move by their old names; nothing known of what was measured."""
    data = json.loads(job_text(job))
    del data["stock"]["is_measured"]
    for machine in data["machines"]:
        for profile in machine["profiles"]:
            del profile["files"], profile["suffix"]
            profile["text"] = profile["text"].replace("guarded", "protected")
    for setup in data["setups"]:
        for cycle in setup["probing"]["cycles"] or ():
            cycle["kind"] = _KINDS.get(cycle["kind"], cycle["kind"])
    return data | {"version": 7}


def version_5(job: Job) -> dict[str, Any]:
    """Without ids and stations: every fixture in the list of its kind, at a place of its own."""
    data = version_7(job)
    (machine,) = data.pop("machines")
    data["machine"] = machine
    at = {station["fixture"]: station["at"] for station in machine.pop("stations")}
    name_of = {station.id: station.fixture for station in job.machine.stations}
    machine |= {shelf: [] for shelf in _LISTS.values()}
    for fixture in machine.pop("fixtures"):
        kind = fixture.pop("kind")
        machine[_LISTS[kind]].append(fixture | {"at": at[fixture["name"]]})
    del machine["carriers"], machine["id"], data["id"]
    for setup in data["setups"]:
        by = setup["hold"]["by"]
        setup["hold"][by.replace("-", "_")] = name_of[setup.pop("station")]
        del setup["id"], setup["machine"], setup["index"], setup["orientation"]["tilted"]
    return data | {"version": 5}


def without_ids(job: Job) -> dict[str, Any]:
    """What a job says but for which job, setups, machine and stations they are, and whether its blank was measured."""
    places = {"id": True, "stations": {"__all__": {"id", "on"}}, "carriers": {"__all__": {"id", "on"}}}
    setups = {"__all__": {"id", "machine", "station"}}
    return job.model_dump(
        exclude={"id": True, "stock": {"is_measured"}, "machines": {"__all__": places}, "setups": setups}
    )
