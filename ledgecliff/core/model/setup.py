"""One clamping: how the part lies, what holds it, where its zero is and what is cut."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from ..frames import AXES, Axis
from .base import Length, Model, Name, NonNegativeLength, Size
from .holding import Hold
from .identity import Id
from .machine import Hover, ProbingRoutine
from .operations import Operation
from .orientation import Orientation
from .pattern import Pattern
from .stations import IndexAngle

#: What a WCS axis can be taken from.  Minus and plus are machine directions.
DatumSource = Literal[
    "stock centre",
    "stock minus side",
    "stock plus side",
    "part centre",
    "part minus side",
    "part plus side",
    "feature",
    "feature minus side",
    "feature plus side",
    "fixed jaw",
    "jaw minus end",
    "jaw plus end",
    "stop",
    "dowel",
    "fixture face",
    "parallels",
    "stock top",
    "part top",
    "fixture bore",
    "rotary axis",
    "fixture value",
    "carried over",
    "rotary index",
]
#: From a part's sides, its features and what it is pushed against.
_SIDEWAYS: tuple[DatumSource, ...] = get_args(DatumSource)[:15]
#: From the zero of the setup before: its value stays, or it is worked out where the rotary axes have taken it.
FROM_BEFORE: tuple[DatumSource, ...] = ("carried over", "rotary index")
#: A bore of the fixture's own, such as a jig's zero hole or one in a soft jaw; the known place of a fixture that
#: stays; and what follows from the zero of the setup before.
_KNOWN: tuple[DatumSource, ...] = ("fixture bore", "fixture value", *FROM_BEFORE)
#: What a chuck turns about; along X it has no place.
_AXIS: DatumSource = "rotary axis"
#: Which sources make sense for which axis.
SOURCES: dict[Axis, tuple[DatumSource, ...]] = {
    "x": (*_SIDEWAYS, *_KNOWN),
    "y": (*_SIDEWAYS, *_KNOWN, _AXIS),
    "z": ("parallels", "stock top", "part top", "feature", "fixture face", "fixture value", *FROM_BEFORE, _AXIS),
}


#: What a WCS can be turned to: a side of the stock or of the part.
SkewSource = Literal[
    "stock front side",
    "stock back side",
    "stock left side",
    "stock right side",
    "part front side",
    "part back side",
    "part left side",
    "part right side",
]
SKEW_SOURCES: tuple[SkewSource, ...] = get_args(SkewSource)


class AxisDatum(Model):
    """What gives one axis its zero; the zero lies ``shift`` in the plus direction from there.

    Of a ``feature`` that is its middle, in Z its floor or level; or the wall on one side of it.  ``dowel`` is which of
    the hold's, from 1; ``face`` one of a fixture of the shop's own, by its name.
    """

    source: DatumSource
    feature: Name | None = None
    dowel: Annotated[int, Field(ge=1, le=99)] | None = None
    face: Name | None = None
    shift: Length = 0.0

    @model_validator(mode="after")
    def _feature_goes_with_its_source(self) -> AxisDatum:
        if self.source.startswith("feature") != (self.feature is not None):
            raise ValueError("name the feature when, and only when, the zero is taken from a feature")
        if (self.source == "dowel") != (self.dowel is not None):
            raise ValueError("say which dowel when, and only when, the zero is taken from a dowel")
        if (self.source == "fixture face") != (self.face is not None):
            raise ValueError("name the fixture's face when, and only when, the zero is taken from one")
        return self


class Datum(Model):
    """``skew`` is the side that the WCS is turned to about Z; without one it stays square to what holds the part."""

    x: AxisDatum
    y: AxisDatum
    z: AxisDatum
    skew: SkewSource | None = None

    @model_validator(mode="after")
    def _sources_fit_axes(self) -> Datum:
        for axis in AXES:
            source = self.axis(axis).source
            if source not in SOURCES[axis]:
                raise ValueError(
                    f"'{source}' cannot give the zero of {axis.upper()}; choose {', '.join(SOURCES[axis])}"
                )
        return self

    def axis(self, axis: Axis) -> AxisDatum:
        return {"x": self.x, "y": self.y, "z": self.z}[axis]


class Setup(Model):
    """``stock_assumed`` is the block its toolpath programs were made for, sizes along machine
    X, Y and Z; nothing is compared where it is not given.  ``offset`` is the code that holds its WCS.
    ``least_wall`` is the thinnest wall or floor that may be left while it is clamped (mm).  ``id`` says which setup of
    the job it is, ``name`` what people call it.  It is clamped at ``station`` of its ``machine`` (their
    ids), and ``index`` is where the rotary axes stand that carry that.  With a ``pattern`` that is the master of
    several stations where the same is done.
    """

    id: Id
    name: Name
    side: Annotated[str, Field(max_length=80)] = ""
    orientation: Orientation = Orientation()
    machine: Id
    station: Id
    index: Annotated[tuple[IndexAngle, ...], Field(max_length=3)] = ()
    hold: Hold
    offset: Name
    datum: Datum
    probing: ProbingRoutine = ProbingRoutine()
    hover: Hover
    operations: tuple[Operation, ...] = ()
    stock_assumed: Size | None = None
    least_wall: NonNegativeLength = 1.5
    pattern: Pattern | None = None
