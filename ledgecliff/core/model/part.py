"""The finished part: which model it is, and the features that carry a name."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..frames import PartDirection
from .base import Model, Name, Point, PositiveLength

FeatureKind = Literal["bore", "hole", "counterbore", "edge break", "pocket", "face"]


class ModelReference(Model):
    """The part model beside the job file, and what it must be to be the same one."""

    path: Annotated[str, Field(min_length=1, max_length=500)]
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]


class Feature(Model):
    """A named place on the finished part.

    ``at`` is its reference point in P; for a round feature that point lies on its axis, and
    ``opens_to`` is the part direction in which it opens at that point.  ``partner`` names the
    near-side feature that this one must line up with.
    """

    name: Name
    kind: FeatureKind
    at: Point
    opens_to: PartDirection
    diameter: PositiveLength | None = None
    partner: Name | None = None

    def is_round(self) -> bool:
        return self.diameter is not None


class Part(Model):
    name: Name
    model: ModelReference
    features: tuple[Feature, ...] = ()

    def feature(self, name: str) -> Feature | None:
        return next((feature for feature in self.features if feature.name == name), None)
