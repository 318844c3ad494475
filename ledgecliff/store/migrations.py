"""Job files and shop libraries of older versions, brought up to the present one: one small function a step."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from typing import Any

from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.job import VERSION
from ledgecliff.core.model.shop import SHOP_VERSION
from ledgecliff.core.programs.profile import in_present_words

Data = dict[str, Any]


def migrated(data: Data) -> Data:
    """``data`` as the present version has it; what cannot be understood is left for validation to name."""
    data = copy.deepcopy(data)
    while isinstance(data.get("version"), int) and 1 <= data["version"] < VERSION:
        _STEPS[data["version"]](data)
        data["version"] += 1
    return data


def _to_2(data: Data) -> None:
    """Stock and holding got kinds; the facing allowance became one of six sides."""
    stock = data.get("stock")
    if isinstance(stock, dict):
        stock.setdefault("form", "block")
        if stock.get("facing") is not None:
            stock["allowance"] = {_first_up(data): stock.pop("facing")}
    for setup in _dicts(data.get("setups")):
        if isinstance(setup.get("hold"), dict):
            setup["hold"].setdefault("by", "vise")


def _first_up(data: Data) -> str:
    """The side that is up in the first setup, as the name of an allowance."""
    first = next(iter(_dicts(data.get("setups"))), {})
    orientation = first.get("orientation")
    up = orientation.get("up", "+Z") if isinstance(orientation, dict) else "+Z"
    sides = {sign + axis: f"{word}_{axis.lower()}" for sign, word in (("+", "plus"), ("-", "minus")) for axis in "XYZ"}
    return sides.get(up, "plus_z")


def _dicts(value: Any) -> list[Data]:
    return [item for item in value if isinstance(item, dict)] if isinstance(value, list) else []


def _to_3(_data: Data) -> None:
    """Jigs, pins, frames and carried-over zeros came; what was there before means the same."""


def _to_4(_data: Data) -> None:
    """Probing cycles, skew, text profiles and switches of the probe came; without them all is as before."""


def _to_5(_data: Data) -> None:
    """Dowel pins got a length; one that is not stated is asked for where it matters."""


def _to_6(data: Data) -> None:
    """Ids came.  The job's follows from all that the file held, so that it is the same each time the file is opened."""
    data["id"] = derived_id(json.dumps(data, sort_keys=True))
    for number, setup in enumerate(_dicts(data.get("setups"))):
        setup["id"] = derived_id(data["id"], str(number))
    _with_machine_id(data.get("machine"))


def _with_machine_id(machine: Any) -> None:
    """Machines of one name were one machine."""
    if isinstance(machine, dict):
        machine["id"] = machine_id(str(machine.get("name")))


def machine_id(name: str) -> str:
    """The id of a machine that was known by its name alone."""
    return derived_id("machine", name)


def _to_7(data: Data) -> None:
    """Fixtures came into one list, and where they stand into stations; setups name theirs in place of the fixture, and
    the machine they go over, of which there may be several."""
    machine = data.get("machine")
    if not isinstance(machine, dict):
        return
    _with_stations(machine, str(machine.get("id")))
    by_name = {station["name"]: station["id"] for station in machine["stations"]}
    data["machines"] = [data.pop("machine")]
    for setup in _dicts(data.get("setups")):
        setup["machine"] = machine.get("id")
        hold = setup.get("hold")
        if isinstance(hold, dict):
            kind = str(hold.get("by"))
            name = hold.pop(_NAMED_BY.get(kind, kind), None)
            # A name that nothing has leads nowhere, which validation says.
            setup["station"] = by_name.get(name, derived_id(str(machine.get("id")), "station", str(name)))


#: The lists that fixtures stood in, and what kind stood in each.
_LISTS = {
    "vises": "vise", "plates": "plate", "boards": "board", "v_blocks": "v-block", "chucks": "chuck", "jigs": "jig",
}  # fmt: skip
#: The field in which a hold named its fixture, where that is not the kind's own word.
_NAMED_BY = {"v-block": "v_block"}


def _with_stations(where: Data, seed: str) -> None:
    """One list of fixtures in place of six, a station for each at its place, and an axis for each chuck."""
    fixtures, stations, carriers = [], [], []
    for shelf, kind in _LISTS.items():
        for fixture in _dicts(where.pop(shelf, None)):
            name, at = fixture.get("name"), fixture.pop("at", None)
            station = {"id": derived_id(seed, "station", str(name)), "name": name, "fixture": name, "at": at}
            if kind == "chuck" and "travel_min" in where:
                axis = {"kind": "rotary", "id": derived_id(seed, "axis", str(name)), "name": f"axis of {name}"[:80]}
                carriers.append(axis | {"word": "A", "about": "x", "centre": at, "sense": "right-handed"})
                station["on"] = axis["id"]
            fixtures.append(fixture | {"kind": kind})
            stations.append(station)
    where["fixtures"], where["stations"] = fixtures, stations
    if carriers:
        where["carriers"] = carriers


#: Kinds of probing cycles by what they were called up to version 7.
_CYCLES = {"web": "outside width", "pocket": "inside width"}


def _to_8(data: Data) -> None:
    """Cycles got plain words, and so did the macro of a guarded move; stock says whether it was measured."""
    for machine in _dicts(data.get("machines")):
        _with_present_profiles(machine)
    for setup in _dicts(data.get("setups")):
        routine = setup.get("probing")
        for cycle in _dicts(routine.get("cycles")) if isinstance(routine, dict) else ():
            cycle["kind"] = _CYCLES.get(str(cycle.get("kind")), cycle.get("kind"))


def _with_present_profiles(machine: Data) -> None:
    for profile in _dicts(machine.get("profiles")):
        if isinstance(profile.get("text"), str):
            profile["text"] = in_present_words(profile["text"])


_STEPS: dict[int, Callable[[Data], None]] = {1: _to_2, 2: _to_3, 3: _to_4, 4: _to_5, 5: _to_6, 6: _to_7, 7: _to_8}


# --- the shop's library -------------------------------------------------------------------------


def migrated_shop(data: Data) -> Data:
    """A library as the present version has it."""
    data = copy.deepcopy(data)
    while isinstance(data.get("version"), int) and 1 <= data["version"] < SHOP_VERSION:
        _SHOP_STEPS[data["version"]](data)
        data["version"] += 1
    return data


def _shop_to_2(data: Data) -> None:
    """The machine got an id."""
    _with_machine_id(data.get("machine"))


def _shop_to_3(data: Data) -> None:
    """Fixtures came into one list, on the machine and on the shelf."""
    machine = data.get("machine")
    if isinstance(machine, dict):
        _with_stations(machine, str(machine.get("id")))
    _with_stations(data, "shelf")


def _shop_to_4(data: Data) -> None:
    """The macro of a guarded move is called so."""
    machine = data.get("machine")
    if isinstance(machine, dict):
        _with_present_profiles(machine)


_SHOP_STEPS: dict[int, Callable[[Data], None]] = {1: _shop_to_2, 2: _shop_to_3, 3: _shop_to_4}
