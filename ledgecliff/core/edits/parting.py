"""The parting plane of a job, and what goes to it."""

from __future__ import annotations

from ..changing import changed, set_value
from ..frames import Axis
from ..model.job import Job
from ..model.operations import goes_to_parting
from ..model.parting import PartingPlane
from ..solids.geometry import PartGeometry


def with_parting(job: Job, along: Axis | None, geometry: PartGeometry) -> Job:
    """A parting plane square to a part axis, in the part's middle; without one everything goes its own way again."""
    if along is not None:
        k = "xyz".index(along)
        middle = round(float(geometry.low[k] + geometry.high[k]) / 2.0, 6)
        past = job.parting.past if job.parting is not None else PartingPlane(at=0.0).past
        return set_value(job, ("parting",), PartingPlane(along=along, at=middle, past=past))
    setups = tuple(
        setup.model_copy(
            update={
                "operations": tuple(
                    each.model_copy(update={"to_parting": False}) if goes_to_parting(each) else each
                    for each in setup.operations
                )
            }
        )
        for setup in job.setups
    )
    return changed(job, {"parting": None, "setups": setups})
