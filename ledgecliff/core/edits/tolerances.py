"""Edits of what the drawing asks of a feature."""

from __future__ import annotations

from typing import Literal

from ..changing import set_value
from ..errors import InvalidValueError
from ..feature_places import distance_between
from ..model.job import Job
from ..model.part import Tolerance

Asks = Literal["position", "distance", "wall", "size", "even"]
#: What is seen from another feature, or may be.
_SEEN: tuple[Asks, ...] = ("position", "distance", "wall")


def with_asked(job: Job, index: int, what: Asks, value: float | None) -> Job:
    """One value (mm), or none any more; a distance or a wall is between the feature and its partner, else the one that
    is nearest, until another is named."""
    feature = job.part.features[index]
    asked = (feature.tolerance or Tolerance()).model_dump() | {what: value}
    if value is not None and asked["to"] is None and what in ("distance", "wall"):
        others = [each for each in job.part.features if each.name != feature.name and each.on_copy is None]
        if not others:
            raise InvalidValueError(what, "is between two features, and the part has no other; name one first")
        nearest = min(others, key=lambda each: distance_between(feature, each))
        asked["to"] = feature.partner or nearest.name
    if all(asked[name] is None for name in _SEEN):
        asked["to"] = None
    empty = all(each is None for each in asked.values())
    return set_value(job, ("part", "features", index, "tolerance"), None if empty else asked)


def seen_from(job: Job, index: int, name: str | None) -> Job:
    """Its position, distance or wall seen from another feature; from P zero with none."""
    asked = (job.part.features[index].tolerance or Tolerance()).model_dump() | {"to": name}
    return set_value(job, ("part", "features", index, "tolerance"), asked)
