"""What is read at the machine to find the centre of a rotary axis, or its nought: one kind for each way.

Lengths in mm as the control shows them; the axis lies along machine ``about``, so that its centre has the other two
coordinates.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from ..frames import AXES, Axis
from ..model.base import Length, Model, NonNegativeLength, PositiveLength

Sense = Literal["right-handed", "left-handed"]
Angle = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]

#: How near a reading by hand comes where nobody has said (plus or minus, mm).
_READS_WITHIN = 0.01


class _Reading(Model):
    """``reads_within`` is how near any one reading comes (plus or minus, mm)."""

    about: Axis = "x"
    reads_within: NonNegativeLength | None = None

    @property
    def within(self) -> float:
        return _READS_WITHIN if self.reads_within is None else self.reads_within

    def across(self) -> tuple[Axis, Axis]:
        """The two coordinates that the centre has."""
        first, second = (axis for axis in AXES if axis != self.about)
        return first, second


class BarOnce(Model):
    """One angle: what both sides of a bar read along the first coordinate across its axis, and the gauge line with a
    tool of ``tool_length`` on its top, over ``gauge`` of paper; or, about Z, both sides along the second as well."""

    sides: tuple[Length, Length]
    top: Length | None = None
    second_sides: tuple[Length, Length] | None = None


class Bar(_Reading):
    """A bar touched on both sides and on its top, at one angle or at 0 and at 180: then the middle of both middles is
    the axis, whatever the bar runs out; at one angle it is the bar's own."""

    kind: Literal["bar"] = "bar"
    at_first: BarOnce
    turned_over: BarOnce | None = None
    bar_diameter: PositiveLength
    tool_length: NonNegativeLength = 0.0
    gauge: NonNegativeLength = 0.0

    @model_validator(mode="after")
    def _has_both(self) -> Bar:
        for once in filter(None, (self.at_first, self.turned_over)):
            if self.about == "z" and once.second_sides is None:
                raise ValueError("about Z the bar stands upright; give second_sides, both sides along Y")
            if self.about != "z" and once.top is None:
                raise ValueError("the bar's height is not known without its top; give top")
        return self


class FaceTouch(Model):
    """The table's face touched along Y, or along X of an axis about Y, while that stands at ``degrees`` from level,
    with a ball or edge finder whose middle then is at ``y`` (or ``x``) and ``z``; ``z`` counts for nothing where the
    face stands upright."""

    degrees: Angle
    x: Length | None = None
    y: Length | None = None
    z: Length = 0.0


class TrunnionFaces(_Reading):
    """The empty table's face touched at two angles, at best +90 and -90, from its open side, and its height while it
    lies level; ``radius`` is that of the ball or edge finder."""

    kind: Literal["trunnion faces"] = "trunnion faces"
    about: Literal["x", "y"] = "x"
    sense: Sense = "right-handed"
    z_table: Length
    radius: NonNegativeLength
    first: FaceTouch
    second: FaceTouch

    def across_of(self, touch: FaceTouch) -> float:
        value = touch.y if self.about == "x" else touch.x
        assert value is not None, "the reading's own validation asks for it"
        return value

    @model_validator(mode="after")
    def _says_enough(self) -> TrunnionFaces:
        apart = math.fmod(self.first.degrees - self.second.degrees, 360.0)
        if min(abs(apart), 360.0 - abs(apart)) < 20.0:
            raise ValueError("both angles are nearly the same and tell nothing of the height; take two further apart")
        across = "y" if self.about == "x" else "x"
        for name, touch in (("first", self.first), ("second", self.second)):
            if getattr(touch, across) is None:
                raise ValueError(
                    f"an axis about {self.about.upper()} is touched along {across.upper()}; give {name}.{across}"
                )
            if abs(math.sin(math.radians(touch.degrees))) < 0.3:
                raise ValueError(
                    f"at {touch.degrees:g}° the face lies too level to be touched from its side; tilt it more"
                )
        return self


class TableBore(_Reading):
    """The middle of a table's bore as an indicator finds it with the table at 0 and at 180: a bore is not the axis."""

    kind: Literal["table bore"] = "table bore"
    about: Literal["z"] = "z"
    at_0: tuple[Length, Length]
    at_180: tuple[Length, Length]


class FlatSweep(_Reading):
    """Two touches on a table a length apart, along Y for an axis about X and along X for one about Y, while the word
    reads ``word_deg``; ``z_low`` is at the lower coordinate.  What comes of it is the word's value that lies level."""

    kind: Literal["flat sweep"] = "flat sweep"
    about: Literal["x", "y"] = "x"
    sense: Sense = "right-handed"
    word_deg: Angle = 0.0
    z_low: Length
    z_high: Length
    apart: PositiveLength


class SpigotByHand(_Reading):
    """A spigot or bar touched from one side with a tool, and on its top: half of it, half the tool, and the paper.

    ``from_side`` is where the tool came from along the first coordinate across; ``gap`` over ``over`` is what a square
    shows between its blade and the blank.
    """

    kind: Literal["spigot"] = "spigot"
    about: Literal["x", "y"] = "x"
    side: Length
    from_side: Literal["minus", "plus"]
    tool_diameter: NonNegativeLength
    spigot_diameter: PositiveLength
    gauge: NonNegativeLength = 0.0
    top: Length
    tool_length: NonNegativeLength = 0.0
    gap: NonNegativeLength = 0.0
    over: PositiveLength | None = None


class TestCutCentre(_Reading):
    """One face of the part cut at 0 from one machine side and at 180 from the opposite one, next to each other:
    ``step`` between both, deeper on the ``deeper`` machine side.  ``along`` is which coordinate it tells.

    ``moved_along`` is how far the axis that was moved along for a fresh length stands from where it was; until it is
    moved back the work is not done.
    """

    kind: Literal["test cut"] = "test cut"
    along: Axis
    believed: Length
    step: NonNegativeLength
    deeper: Literal["minus", "plus"]
    moved_along: Length = 0.0
    moved_back: bool = False

    @model_validator(mode="after")
    def _is_across(self) -> TestCutCentre:
        if self.along == self.about:
            raise ValueError(f"a cut tells nothing of the centre along {self.about.upper()}, which the axis lies along")
        return self


class MeasuredPart(_Reading):
    """Features cut in line from opposite indexes, as they were measured along one direction of the first index, which
    there lay along machine ``along``."""

    kind: Literal["measured part"] = "measured part"
    along: Axis
    believed: Length
    first: Length
    second: Length


CentreReading = Annotated[
    Bar | TrunnionFaces | TableBore | FlatSweep | SpigotByHand | TestCutCentre | MeasuredPart,
    Field(discriminator="kind"),
]


def put_at(data: dict[str, Any], path: str, value: object) -> None:
    """Puts a value of a reading at a dotted path: names and numbers of places one within the other."""
    *above, last = path.split(".")
    within: Any = data
    for k, key in enumerate(above):
        follows = (*above, last)[k + 1]
        within = within.setdefault(key, [None, None] if follows.isdigit() else {})
    if isinstance(within, list):
        within[int(last)] = value
    else:
        within[last] = value
