"""What the number of an offset means: a digest of all that decides where a setup's zero lies on its part.

Names and titles are not in it, nor what is measured of the one piece of stock at hand; a copy of a job that puts the
zero elsewhere has another digest than the job.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from ..carried import takes_over
from ..frames import AXES
from ..model.base import Model
from ..model.holding import Chuck, Fixture, Hold, Vise
from ..model.job import Job
from ..model.machine import Machine
from ..model.operations import Operation
from ..model.own_fixture import OwnFixture
from ..model.part import Feature, Part
from ..model.setup import Datum, Setup
from ..model.stations import Carrier, IndexAngle, Mount, Rotary, Station

#: Sources by which a zero follows from the fixture alone, whatever part it holds.
_OF_FIXTURE = (
    "fixture value",
    "fixture bore",
    "fixed jaw",
    "jaw minus end",
    "jaw plus end",
    "fixture face",
    "parallels",
    "rotary axis",
)
#: The field in which a hold once named its fixture, where that is not the kind's own word.
_NAMED_BY = {"v-block": "v_block"}
#: What of a rotary axis says where it is: how well that is known, and how it is driven, does not.
_PLACE = {"kind", "word", "about", "centre", "sense", "flat_deg"}
#: What of stock says nothing of the size that it has on paper.
_NO_SIZE = {
    "measured", "is_measured", "varies", "varies_from", "material", "grain", "prepared", "batch", "lot", "expansion",
}  # fmt: skip
#: What of an operation says nothing of the shape it leaves.
_NO_SHAPE = {"name", "program", "features", "feed", "spindle", "peck", "pass_depth", "side_force", "board_offset"}


def meaning_of(job: Job, setup: Setup, at: tuple[Station, tuple[IndexAngle, ...]] | None = None) -> str:
    """Sixteen hexadecimal digits; of another offset of its pattern ``at`` a station of that, and its index."""
    number = next(k for k, each in enumerate(job.setups) if each.id == setup.id)
    meaning = _meaning(job, number)
    if at is not None:
        station, index = at
        there = setup.model_copy(update={"index": index})
        meaning["fixture"] |= {"at": _plain(station.at)}
        meaning |= {"turn": station.turn_deg} | _turned(job, there, station)
    text = json.dumps(meaning, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def follows_from_fixture(setup: Setup, fixture: Fixture) -> bool:
    """Whether the zero is where the fixture is, so that it stays the same for another part."""
    datum = setup.datum
    axes = (datum.x, datum.y, datum.z)
    if isinstance(fixture, Vise) and fixture.centring and any(axis.source == "fixture bore" for axis in axes):
        return False  # that jaw stands elsewhere for a part of another size
    return all(axis.source in _OF_FIXTURE for axis in axes) and datum.skew is None


def _meaning(job: Job, index: int) -> dict[str, Any]:
    setup = job.setups[index]
    machine = job.machine_of(setup)
    station, fixture = machine.station(setup.station), machine.fixture_at(setup.station)
    assert station is not None, "the job's own validation keeps stations true"
    named = {axis.feature for axis in (setup.datum.x, setup.datum.y, setup.datum.z)}
    model = job.part.model
    return {
        "part": _plain(job.part, {"features", "name", "copies"}) if model is None else model.key,
        "features": [_feature(each) for each in job.part.features if each.name in named],
        "stock": _plain(job.stock, _NO_SIZE),
        "orientation": _plain(setup.orientation, {"tilted"}),
        "datum": _datum(setup.datum),
        "hold": _hold(setup.hold) | {_NAMED_BY.get(fixture.kind, fixture.kind): fixture.name},
        "fixture": _fixture(fixture) | {"at": _plain(station.at)},
        "lengths": [machine.lengths_from, machine.reference_z],
        "cut": [[_shape_of(each, job) for each in before.operations] for before in job.setups[:index]],
        "before": _meaning(job, index - 1) if index and takes_over(setup) else None,
        **_turned(job, setup, station),
        **_beside(job, index),
        **_more_in_the_blank(job.part),
    }


def _feature(feature: Feature) -> dict[str, Any]:
    """Registers of 0.9.0 know of none that was found, nor on which part of the blank one is."""
    plain: dict[str, Any] = _plain(feature, {"tolerance", "on_copy"})
    if not plain["found"]:
        del plain["found"]
    return plain


def _more_in_the_blank(part: Part) -> dict[str, Any]:
    """Further parts and holes that were found, where there are any."""
    copies = [_plain(copy.shift) for copy in part.copies]
    found = [_feature(each) for each in part.features if each.found]
    return ({"copies": copies} if copies else {}) | ({"found": found} if found else {})


def _beside(job: Job, index: int) -> dict[str, Any]:
    """What was done beside the machine until then, where anything was: registers of 0.9.0 know of none."""
    steps = [step for before in range(index + 1) for step in job.bench_before(before)]
    without = {"id", "name", "before", "wait", "note", "material", "takes", "moves"}
    shaping = [
        _plain(step, without) for step in steps if step.kind not in ("cure", "sand", "heat-treat", "make fixture")
    ]
    return {"bench": shaping} if shaping else {}


def _shape_of(operation: Operation, job: Job) -> dict[str, Any]:
    """With the parting plane where it goes to that; registers of 0.9.0 know of none."""
    plain: dict[str, Any] = _plain(operation, _NO_SHAPE)
    if plain.get("blind", 0.0) is None:
        del plain["blind"]
    if plain.pop("to_parting", False):
        plain["parting"] = _plain(job.parting)
    return plain


def _fixture(fixture: Fixture) -> dict[str, Any]:
    """Its sizes; of one from a model what that is, wherever its file lies."""
    plain: dict[str, Any] = _plain(fixture, {"name", "kind", "scatter_from", *_not_centring(fixture)})
    if isinstance(fixture, OwnFixture):
        plain["model"] = fixture.model.key
        for part, of_part in zip(plain["moving"], fixture.moving, strict=True):
            part["model"] = of_part.model.key
    return plain


def _hold(hold: Hold) -> dict[str, Any]:
    """Without what registers of 0.9.0 do not know of, as long as it says nothing new."""
    plain: dict[str, Any] = _plain(hold, {"tape_holds", "second", "mark", "supports"})
    if plain.get("stop") and not plain["stop"]["at_jaw_end"]:
        del plain["stop"]["at_jaw_end"]
    if plain.get("fence", 0) is None:
        del plain["fence"]
    return plain


def _datum(datum: Datum) -> dict[str, Any]:
    """Without the dowel and the fixture's face that no axis names: registers of 0.9.0 know none, and go on to count."""
    plain: dict[str, Any] = _plain(datum)
    for axis in AXES:
        for name in ("dowel", "face"):
            if plain[axis][name] is None:
                del plain[axis][name]
    return plain


def _turned(job: Job, setup: Setup, station: Station) -> dict[str, Any]:
    """What stands or lies turned, where anything does: nothing of it was known to registers of 0.7.0, whose digests go
    on to count."""
    more = {
        "tilted": [_plain(turn) for turn in setup.orientation.tilted],
        "turn": station.turn_deg,
        "carried by": [_carrier(each) for each in job.machine_of(setup).carried_by(station)],
        "index": [_plain(angle) for angle in setup.index],
    }
    carriers = [
        each
        for each in job.machine_of(setup).carried_by(station)
        if not _is_the_chucks_own(job.machine_of(setup), each, station)
    ]
    return more if any((more["tilted"], more["turn"], more["index"], carriers)) else {}


def _not_centring(fixture: Fixture) -> tuple[str, ...]:
    """What is left out of a vise that does not centre: registers of 0.9.0 know no other, and go on to count."""
    return () if isinstance(fixture, Vise) and fixture.centring else ("centring",)


def _is_the_chucks_own(machine: Machine, carrier: Mount | Rotary, station: Station) -> bool:
    """Whether it is the axis through a chuck's place, which was always known with the chuck."""
    fixture = machine.fixture_at(station.id)
    return isinstance(carrier, Rotary) and isinstance(fixture, Chuck) and not fixture.stands


def _carrier(carrier: Carrier) -> dict[str, Any]:
    # Bodies say nothing of a zero; a tilt does where there is one.
    measured = {"measured_on", "bodies"}
    measured |= {name for name in ("tilt_x_deg", "tilt_y_deg") if not getattr(carrier, name, 0.0)}
    unsaid = set(Rotary.model_fields) - _PLACE if isinstance(carrier, Rotary) else measured
    plain: dict[str, Any] = _plain(carrier, {"id", "name", "on"} | unsaid)
    return plain


def _plain(value: Any, without: set[str] | None = None) -> Any:
    return value.model_dump(mode="json", exclude=without) if isinstance(value, Model) else repr(value)
