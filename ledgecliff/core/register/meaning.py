"""What the number of an offset means: a digest of all that decides where a setup's zero lies on its part.

Names and titles are not in it, nor what is measured of the one piece of stock at hand; a copy of a job that puts the
zero elsewhere has another digest than the job.
"""

from __future__ import annotations

import hashlib
import json
from typing import Any

from ..carried import takes_over
from ..model.base import Model
from ..model.job import Job
from ..model.setup import Setup

#: Sources by which a zero follows from the fixture alone, whatever part it holds.
_OF_FIXTURE = ("fixture value", "fixture bore", "fixed jaw", "parallels", "rotary axis")
#: What of an operation says nothing of the shape it leaves.
_NO_SHAPE = {"name", "program", "features", "feed", "spindle", "peck", "pass_depth"}


def meaning_of(job: Job, setup: Setup) -> str:
    """Sixteen hexadecimal digits."""
    text = json.dumps(_meaning(job, job.setups.index(setup)), sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def follows_from_fixture(setup: Setup) -> bool:
    """Whether the zero is where the fixture is, so that it stays the same for another part."""
    datum = setup.datum
    return all(axis.source in _OF_FIXTURE for axis in (datum.x, datum.y, datum.z)) and datum.skew is None


def _meaning(job: Job, index: int) -> dict[str, Any]:
    setup, machine = job.setups[index], job.machine
    named = {axis.feature for axis in (setup.datum.x, setup.datum.y, setup.datum.z)}
    model = job.part.model
    return {
        "part": _plain(job.part, {"features", "name"}) if model is None else model.key,
        "features": [_plain(each, {"tolerance"}) for each in job.part.features if each.name in named],
        "stock": _plain(job.stock, {"measured", "varies", "material", "grain"}),
        "orientation": _plain(setup.orientation),
        "datum": _plain(setup.datum),
        "hold": _plain(setup.hold),
        "fixture": _plain(machine.fixture(setup.hold), {"name"}),
        "lengths": [machine.lengths_from, machine.reference_z],
        "cut": [[_plain(each, _NO_SHAPE) for each in before.operations] for before in job.setups[:index]],
        "before": _meaning(job, index - 1) if index and takes_over(setup) else None,
    }


def _plain(value: Any, without: set[str] | None = None) -> Any:
    return value.model_dump(mode="json", exclude=without) if isinstance(value, Model) else repr(value)
