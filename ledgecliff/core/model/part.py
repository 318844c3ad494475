"""The finished part: which model or dimensions it has, and the features that carry a name."""

from __future__ import annotations

import hashlib
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field, model_validator

from ..frames import Array, Axis
from .base import Model, Name, NonNegativeLength, Point, PositiveLength, Size
from .identity import Id
from .orientation import PartDirection, direction_vector

FeatureKind = Literal[
    "bore",
    "hole",
    "counterbore",
    "countersink",
    "boss",
    "outer round",
    "pocket",
    "slot",
    "web",
    "edge break",
    "chamfer",
    "face",
]
#: Kinds that have a width, and walls to either side of it.
WIDE: tuple[FeatureKind, ...] = ("pocket", "slot", "web")
ModelUnit = Literal["mm", "cm", "m", "in"]
#: Millimetres per unit of an STL file.
MM_PER: dict[ModelUnit, float] = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4}


class ModelReference(Model):
    """A model file beside the job file, and what it must be to be the same one.

    ``body`` is which of several bodies it is, from 1, or 0 for all as one assembly; ``unit`` is the
    length unit of a format that states none (STL).
    """

    path: Annotated[str, Field(min_length=1, max_length=500)]
    sha256: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    body: Annotated[int, Field(ge=0, le=9999)] | None = None
    unit: ModelUnit = "mm"

    @property
    def key(self) -> str:
        """Equal for equal geometry: of file, body and unit."""
        return hashlib.sha256(f"{self.sha256}:{self.body}:{self.unit}".encode()).hexdigest()


class Tolerance(Model):
    """What the drawing asks of a feature: plus-or-minus values in mm, for the error budget.

    ``position`` is how far it may lie from where it should, seen from ``to`` (P zero where that is
    None); ``distance`` how far its distance from ``to`` may be off, ``wall`` the thickness of what is
    left between both; ``size`` how far its size may be off; ``even`` by how much an edge break may be
    wider on one side than on the other.
    """

    position: NonNegativeLength | None = None
    to: Name | None = None
    distance: NonNegativeLength | None = None
    wall: NonNegativeLength | None = None
    size: NonNegativeLength | None = None
    even: NonNegativeLength | None = None

    @model_validator(mode="after")
    def _something_is_asked(self) -> Tolerance:
        if self.to is not None and (self.position, self.distance, self.wall) == (None, None, None):
            raise ValueError(
                "what is seen from another feature needs its value; enter a position, a distance or a wall, or remove "
                "the feature's name"
            )
        if self.to is None and (self.distance, self.wall) != (None, None):
            raise ValueError("a distance or a wall is between two features; enter which other one it is seen from")
        return self


class Feature(Model):
    """A named place on the finished part.

    ``at`` is its reference point in P; for a round feature that point lies on its axis, for a pocket
    in the middle of its floor, for a slot in the middle of its mouth.  ``opens_to`` is the part
    direction in which it opens at that point; ``skew`` gives the exact direction where that is none
    of the part's own.  ``partner`` names the near-side feature that this one must line up with.

    ``depth`` counts inward from the opening (for a boss and a pocket: from its top to its foot).  A
    On a part besides the first from the same blank it is ``on_copy``, its number, and follows from the first one's.
    A round one that was ``found`` is no drawing's: it is in the blank from the beginning.  A
    ``length`` runs along ``lengthwise``; ``width`` across it, ``radius`` is that of a pocket's corners.  A web opens
    nowhere: ``opens_to`` is the way its width runs.
    """

    name: Name
    kind: FeatureKind
    at: Point
    opens_to: PartDirection
    skew: Point | None = None
    diameter: PositiveLength | None = None
    depth: PositiveLength | None = None
    through: bool | None = None
    length: PositiveLength | None = None
    width: PositiveLength | None = None
    radius: NonNegativeLength | None = None
    lengthwise: PartDirection | None = None
    partner: Name | None = None
    tolerance: Tolerance | None = None
    found: bool = False
    on_copy: Annotated[int, Field(ge=2)] | None = None

    @model_validator(mode="after")
    def _is_a_hole_if_found(self) -> Feature:
        if self.found and (self.kind not in ("hole", "bore") or self.diameter is None):
            raise ValueError("only a hole or bore with its diameter can have been found in the blank; correct its kind")
        return self

    @model_validator(mode="after")
    def _directions_fit(self) -> Feature:
        if self.skew is not None and float(np.linalg.norm(self.skew.as_tuple())) < 1e-6:
            raise ValueError("the skewed direction is nought; give three numbers of which one is not 0, or remove it")
        if self.lengthwise is not None and self.lengthwise[1] == self.opens_to[1]:
            raise ValueError(
                f"the length cannot run along {self.lengthwise}, in which the feature opens; choose a direction across"
            )
        return self

    def is_round(self) -> bool:
        return self.diameter is not None

    def direction(self) -> Array:
        """Unit vector (3,) in P in which the feature opens."""
        if self.skew is None:
            return direction_vector(self.opens_to)
        vector = np.array(self.skew.as_tuple())
        unit: Array = vector / np.linalg.norm(vector)
        return unit

    def across(self) -> Array:
        """Unit vector (3,) in P along the feature's length."""
        if self.lengthwise is not None:
            return direction_vector(self.lengthwise)
        return direction_vector("+Y" if self.opens_to[1] == "X" else "+X")

    def widthwise(self) -> Array:
        """Unit vector (3,) in P along the feature's width."""
        if self.kind == "web":
            return self.direction()
        wide: Array = np.cross(self.direction(), self.across())
        return wide


class BlockShape(Model):
    """A rectangular part entered by dimensions; P zero is its lowest left front corner."""

    form: Literal["block"] = "block"
    size: Size


class BarShape(Model):
    """A round part entered by dimensions; P zero is the middle of its end on the minus side of ``along``."""

    form: Literal["bar"] = "bar"
    along: Axis = "z"
    diameter: PositiveLength
    length: PositiveLength


Shape = Annotated[BlockShape | BarShape, Field(discriminator="form")]


def copy_name(feature: str, number: int) -> str:
    """What the feature of the first part is called on another one."""
    return f"{feature}, part {number}"[:80]


def _on_copy(feature: Feature, copy: PartCopy, number: int) -> Feature:
    at, shift = feature.at, copy.shift
    tolerance = feature.tolerance
    if tolerance is not None and tolerance.to is not None:
        tolerance = tolerance.model_copy(update={"to": copy_name(tolerance.to, number)})
    return feature.model_copy(
        update={
            "name": copy_name(feature.name, number),
            "at": Point(x=at.x + shift.x, y=at.y + shift.y, z=at.z + shift.z),
            "partner": None if feature.partner is None else copy_name(feature.partner, number),
            "tolerance": tolerance,
            "on_copy": number,
        }
    )


class PartCopy(Model):
    """Another part of the same kind from the same blank: which one it is, what it is called, and how far it lies from
    the first one (mm, P)."""

    id: Id
    name: Name
    shift: Point


class Part(Model):
    """A part has either a ``model`` or a ``shape``, from which its features are then cut.

    ``copies`` are further ones from the same blank, numbered from 2.  Their features follow from those of the first,
    named after them.
    """

    name: Name
    model: ModelReference | None = None
    shape: Shape | None = None
    features: tuple[Feature, ...] = ()
    copies: Annotated[tuple[PartCopy, ...], Field(max_length=39)] = ()

    @model_validator(mode="before")
    @classmethod
    def _copies_follow(cls, data: Any) -> Any:
        """The copies' features are never stated by themselves: what is told of them is worked out anew."""
        if not isinstance(data, dict) or not isinstance(data.get("features", ()), (list, tuple)):
            return data
        features = [Feature.model_validate(each) for each in data.get("features", ())]
        first = tuple(each for each in features if each.on_copy is None)
        copies = [PartCopy.model_validate(each) for each in data.get("copies", ()) or ()]
        more = (_on_copy(each, copy, number) for number, copy in enumerate(copies, start=2) for each in first)
        return data | {"features": (*first, *(each for each in more if not each.found))}

    @model_validator(mode="after")
    def _copies_apart(self) -> Part:
        ids, names = [copy.id for copy in self.copies], [copy.name for copy in self.copies]
        if len(set(ids)) < len(ids) or len(set(names)) < len(names):
            raise ValueError("two parts of the blank share an id or a name; give each its own")
        return self

    @model_validator(mode="after")
    def _one_source(self) -> Part:
        if (self.model is None) == (self.shape is None):
            raise ValueError("a part has either a model or dimensions (shape); give exactly one of them")
        return self

    def feature(self, name: str) -> Feature | None:
        return next((feature for feature in self.features if feature.name == name), None)
