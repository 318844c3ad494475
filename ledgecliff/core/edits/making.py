"""What was cut in place is known in place: the fixture stands where the offset has it that it was cut from."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from ..changing import set_value
from ..errors import InvalidValueError
from ..fixture_making import fixture_cut
from ..model.base import Point
from ..model.bench import MakeFixture
from ..model.job import Job
from ..plan import Plan
from ..quantities import Unit
from ..typed import parse_length


def with_place_known(plan: Plan, step: str, value: Sequence[float]) -> Job:
    """The fixture's station put so that the zero it was cut from is where the control's offset has it: ``value`` (3,),
    as the offset's page shows it (mm).

    Raises InvalidValueError where nothing was cut, or the station stands on something that turns.
    """
    made = next((each for each in plan.job.bench if each.id == step), None)
    cut = fixture_cut(plan, made) if isinstance(made, MakeFixture) else None
    if cut is None or not all(math.isfinite(float(mm)) for mm in value):
        raise InvalidValueError(
            "place", "nothing is cut in place in this step; hold the setup in soft jaws, a jig or at a fence"
        )
    machine, setup = cut.setup.machine, cut.setup.setup
    station = machine.station(setup.station)
    assert station is not None, "the job's own validation keeps stations true"
    if station.on is not None:
        raise InvalidValueError(
            "place", f"'{station.name}' stands on a carrier; state its place in the machine's settings"
        )
    m_zero = np.add(value, (0.0, 0.0, machine.length_shift()))
    off = m_zero - cut.setup.located.tf_m_u(cut.u_zero)
    x, y, z = (round(float(mm), 6) for mm in np.array(station.at.as_tuple()) + off)
    number = machine.stations.index(station)
    return set_value(plan.job, (*plan.job.machine_path(setup), "stations", number, "at"), Point(x=x, y=y, z=z))


def place_typed(plan: Plan, step: str, text: str, unit: Unit) -> Job:
    """From words such as ``-520.1, -180.02, -410``, as the control shows the offset.  Raises InvalidValueError."""
    words = text.split(",")
    if len(words) != 3:
        raise InvalidValueError("place", "takes X, Y and Z of the offset, with commas between")
    return with_place_known(plan, step, [parse_length(word, unit) for word in words])
