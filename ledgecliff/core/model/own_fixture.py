"""A fixture of the shop's own as a model has it: a nest, a plate with pads, a spigot, an arbor, a vise of its own.

The model says what it looks like; what its faces are for, what on it moves, and where it may be probed says the shop.
Places are in the fixture's own frame: the model turned as it ``stands``, less its ``zero`` (mm, Z up).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Length, Model, Name, NonNegativeLength, Point, PositiveLength
from .figure import FromRecord
from .orientation import Orientation, PartDirection
from .part import ModelReference

#: What a face is there for: the stock lies on it, is pushed against it, or the probe may touch it.
FaceUse = Literal["seat", "against", "probed"]
#: Seats this near in height are one (mm).
_LEVEL = 1e-3


class FixtureFace(Model):
    """A flat face that looks to ``facing``, named by a place ``at`` on it."""

    name: Name
    use: FaceUse
    facing: Literal["+X", "-X", "+Y", "-Y", "+Z"]
    at: Point

    @property
    def axis(self) -> int:
        return "XYZ".index(self.facing[1])

    @property
    def sign(self) -> int:
        return 1 if self.facing[0] == "+" else -1

    @property
    def level(self) -> float:
        """Where it is along the axis it looks along (mm)."""
        return self.at.as_tuple()[self.axis]

    @model_validator(mode="after")
    def _looks_where_it_must(self) -> FixtureFace:
        if self.use == "seat" and self.facing != "+Z":
            raise ValueError(f"'{self.name}' looks to {self.facing}, and nothing lies on it; a seat looks up")
        if self.use == "against" and self.facing == "+Z":
            raise ValueError(f"'{self.name}' looks up, and nothing is pushed against it; let it be a seat, or probed")
        return self


class FixtureBore(Model):
    """An upright bore at a known place that the probe may find: its ``top`` and how far it goes down (mm)."""

    name: Name
    x: Length
    y: Length
    top: Length
    diameter: PositiveLength
    depth: PositiveLength


class Spigot(Model):
    """An upright round of the fixture that a bore of the part goes over; one that ``expands`` grips it from within and
    takes up its play."""

    name: Name
    x: Length
    y: Length
    diameter: PositiveLength
    expands: bool = False


class MovingPart(Model):
    """What is moved to clamp: a body of a model, drawn open, and how far it goes the way it moves.  The model has it
    where the fixture's own model would."""

    name: Name
    model: ModelReference
    to: PartDirection
    travel: PositiveLength


class FixtureScrew(Model):
    """A screw that goes through the part into the fixture; its head presses on whatever is on top there."""

    x: Length
    y: Length
    head_diameter: PositiveLength = 10.0
    head_height: NonNegativeLength = 5.0


class OwnFixture(Model):
    """``seat_scatter`` is how far stock may lie off what it is pushed against or lies on (mm)."""

    kind: Literal["own"] = "own"
    name: Name
    model: ModelReference
    stands: Orientation = Orientation()
    zero: Point = Point(x=0.0, y=0.0, z=0.0)
    faces: Annotated[tuple[FixtureFace, ...], Field(min_length=1, max_length=60)]
    bores: Annotated[tuple[FixtureBore, ...], Field(max_length=40)] = ()
    spigots: Annotated[tuple[Spigot, ...], Field(max_length=20)] = ()
    moving: Annotated[tuple[MovingPart, ...], Field(max_length=12)] = ()
    screws: Annotated[tuple[FixtureScrew, ...], Field(max_length=40)] = ()
    seat_scatter: NonNegativeLength = 0.02
    scatter_from: FromRecord | None = None

    @model_validator(mode="after")
    def _can_be_laid_on(self) -> OwnFixture:
        seats = [face for face in self.faces if face.use == "seat"]
        if not seats:
            raise ValueError("no face of it is a seat; say on which one the stock lies")
        odd = next((face for face in seats if abs(face.level - seats[0].level) > _LEVEL), None)
        if odd is not None:
            raise ValueError(
                f"the seats '{seats[0].name}' and '{odd.name}' are not at one height ({seats[0].level:g} and "
                f"{odd.level:g} mm); let one of them be probed only"
            )
        for what, things in (
            ("faces", self.faces), ("bores", self.bores), ("spigots", self.spigots), ("moving parts", self.moving),
        ):  # fmt: skip
            names = [thing.name for thing in things]
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} of it share the name '{twice}'; rename one of them")
        for k in (0, 1):
            ways = {face.sign for face in self.faces if face.use == "against" and face.axis == k}
            if len(ways) > 1:
                raise ValueError(
                    f"the stock cannot be pushed against faces that look both ways along {'XY'[k]}; let those on one "
                    "side be probed only"
                )
        return self

    @property
    def seat(self) -> float:
        """The height of what the stock lies on (mm)."""
        return next(face.level for face in self.faces if face.use == "seat")

    def against(self, k: int) -> tuple[FixtureFace, ...]:
        """What stock is pushed against along X (0) or Y (1)."""
        return tuple(face for face in self.faces if face.use == "against" and face.axis == k)

    def face(self, name: str | None) -> FixtureFace | None:
        return next((face for face in self.faces if face.name == name), None)

    def bore(self, name: str | None) -> FixtureBore | None:
        """The bore of that name, the first one where none is named."""
        return next((bore for bore in self.bores if name in (None, bore.name)), None)

    def spigot(self, name: str) -> Spigot | None:
        return next((spigot for spigot in self.spigots if spigot.name == name), None)

    def with_models(self, change: Callable[[ModelReference], ModelReference]) -> OwnFixture:
        """The same with each of its models referred to in another way."""
        moving = tuple(part.model_copy(update={"model": change(part.model)}) for part in self.moving)
        return self.model_copy(update={"model": change(self.model), "moving": moving})

    @property
    def models(self) -> tuple[ModelReference, ...]:
        """Every model it is made of."""
        return (self.model, *(part.model for part in self.moving))


class OverSpigot(Model):
    """Which bore of the part goes over which spigot of the fixture."""

    feature: Name
    spigot: Name
