"""How the part lies in a setup, how it is turned there, and where its zero is taken from."""

from __future__ import annotations

from ..changing import set_value
from ..errors import InvalidValueError
from ..frames import Axis, Turn, rotation
from ..model.job import Job
from ..model.orientation import Orientation, PartDirection, orientation_from_matrix
from ..model.setup import SOURCES, AxisDatum, DatumSource


def set_datum(
    job: Job, setup: int, axis: Axis, source: DatumSource, feature: str | None = None, dowel: int | None = None
) -> Job:  # fmt: skip
    """Another source for one axis of a setup's zero, its shift kept."""
    if source not in SOURCES[axis]:
        raise InvalidValueError(f"{axis.upper()} zero", f"'{source}' cannot give it; choose {', '.join(SOURCES[axis])}")
    shift = job.setups[setup].datum.axis(axis).shift
    datum = AxisDatum(source=source, feature=feature, dowel=dowel, shift=shift)
    return set_value(job, ("setups", setup, "datum", axis), datum)


def turn_setup(job: Job, setup: int, axis: Axis, angle_deg: float) -> Job:
    """Turns the part into ``setup`` from the one before by ``angle_deg`` (quarter turns) about a machine axis."""
    before = job.setups[setup - 1].orientation.matrix()
    after = orientation_from_matrix(rotation(axis, angle_deg) @ before)
    return set_value(job, ("setups", setup, "orientation"), after)


def turn_words(axis: Axis, angle_deg: float) -> str:
    """How a turn by quarter turns about a machine axis is called."""
    start = Orientation()
    return Turn(start, orientation_from_matrix(rotation(axis, angle_deg) @ start.matrix())).in_shop_words()


def orient_setup(job: Job, setup: int, up: PartDirection | None = None, right: PartDirection | None = None) -> Job:
    """Another way for the part to lie.  A right direction that the new up direction rules out gives
    way to the part direction that lay up before."""
    now = job.setups[setup].orientation
    up, right = up or now.up, right or now.right
    if up[1] == right[1]:
        right = now.up
    return set_value(job, ("setups", setup, "orientation"), Orientation(up=up, right=right))
