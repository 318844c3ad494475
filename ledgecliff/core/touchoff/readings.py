"""What is read at the machine by hand, one kind for each method.  Lengths in mm, readings as the control shows them.

``side`` is the physical surface as seen from the front; which way the tool came, and so every sign, follows from it.
``should_read`` is what the surface, or the found centre, must read in the WCS.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..model.base import Length, Model, Name, NonNegativeLength, PositiveLength
from ..model.machine import LengthsFrom
from .centre_readings import CentreReading

LevelSide = Literal["left", "right", "front", "back"]


#: What was touched, in words for the tape; where nothing is said the side is named.
Touched = Annotated[str, Field(max_length=200)]


class Edge(Model):
    """Edge finder, cutter or stop against one upright side; ``gauge`` is the paper or feeler between."""

    method: Literal["edge"] = "edge"
    side: LevelSide
    surface: Touched = ""
    reading: Length
    diameter: NonNegativeLength
    gauge: NonNegativeLength = 0.0
    should_read: Length = 0.0


class WallToWall(Model):
    """Both walls across one axis: the centre, where the radius cancels.  ``inside`` when they face one another."""

    method: Literal["wall to wall"] = "wall to wall"
    minus_reading: Length
    plus_reading: Length
    diameter: NonNegativeLength
    gauge: NonNegativeLength = 0.0
    inside: bool = False
    expected_width: PositiveLength | None = None
    should_read: Length = 0.0


class HalfSize(Model):
    """One side touched, and half of a measured size to the centre."""

    method: Literal["half a measured size"] = "half a measured size"
    side: LevelSide
    surface: Touched = ""
    reading: Length
    diameter: NonNegativeLength
    gauge: NonNegativeLength = 0.0
    measured_size: PositiveLength
    should_read: Length = 0.0


class Spigot(Model):
    """A round spigot or bar touched from one side: its axis lies half its diameter further on."""

    method: Literal["spigot"] = "spigot"
    side: LevelSide
    surface: Touched = ""
    reading: Length
    diameter: NonNegativeLength
    gauge: NonNegativeLength = 0.0
    spigot_diameter: PositiveLength
    should_read: Length = 0.0


class Swept(Model):
    """An indicator swept round a bore or boss until it stands still: the spindle is on its axis."""

    method: Literal["indicator swept"] = "indicator swept"
    reading: Length
    should_read: Length = 0.0


class KnownValue(Model):
    """The value of a fixture that stays, as the register has it."""

    method: Literal["known value"] = "known value"
    value: Length
    origin: Name = "fixture"


class TopByTool(Model):
    """A tool's tip on a surface, over a gauge block or paper; its length counts from the gauge line."""

    method: Literal["tool on top"] = "tool on top"
    surface: Touched = ""
    reading: Length
    tool_length: PositiveLength
    gauge: NonNegativeLength = 0.0
    should_read: Length = 0.0


class TopByIndicator(Model):
    """An indicator at the same dial reading on the reference that tools were set on, and on the surface."""

    method: Literal["indicator against reference"] = "indicator against reference"
    surface: Touched = ""
    reading: Length
    reference_reading: Length
    should_read: Length = 0.0


class StandsOver(Model):
    """Whatever is in the spindle stands over something, by eye."""

    method: Literal["over it, by eye"] = "over it, by eye"
    surface: Touched = ""
    reading: Length
    should_read: Length = 0.0


class StandsAbove(Model):
    """The tip of whatever is in the spindle stands about so far ``above`` a surface; its length counts from the gauge
    line, and ``plane`` is where the control's lengths count from (machine Z, 0 where that is the gauge line)."""

    method: Literal["above it, by eye"] = "above it, by eye"
    surface: Touched = ""
    reading: Length
    tool_length: PositiveLength
    above: NonNegativeLength = 0.0
    plane: Length = 0.0
    should_read: Length = 0.0


class TestCut(Model):
    """The same flat cut from both sides, the part turned by 180° between: a step ``s`` puts the axis off by ``s/2``.

    ``deeper`` is the side that was cut deeper; the offset moves towards it.
    """

    method: Literal["test cut"] = "test cut"
    before: Length
    step: NonNegativeLength
    deeper: Literal["minus", "plus"]


LevelReading = Annotated[
    Edge | WallToWall | HalfSize | Spigot | Swept | StandsOver | KnownValue | TestCut, Field(discriminator="method")
]
HeightReading = Annotated[
    TopByTool | TopByIndicator | StandsAbove | KnownValue | TestCut, Field(discriminator="method")
]
_ACROSS: dict[str, tuple[LevelSide, LevelSide]] = {"x": ("left", "right"), "y": ("front", "back")}


class Before(Model):
    """What the offset held before, as far as it is known."""

    x: Length | None = None
    y: Length | None = None
    z: Length | None = None


class HandReadings(Model):
    """Readings for one work offset, or for the ``centre`` of a rotary axis; an axis that is left out is not found.

    ``setup`` names the setup of a job whose expected values the readings are compared with.
    """

    format: Literal["ledgecliff-tape"] = "ledgecliff-tape"
    version: Literal[1] = 1
    unit: Literal["mm", "in"] = "mm"
    offset: Name = "G54"
    setup: Name | None = None
    lengths_from: LengthsFrom = "gauge line"
    before: Before = Before()
    x: LevelReading | None = None
    y: LevelReading | None = None
    z: HeightReading | None = None
    centre: CentreReading | None = None

    @model_validator(mode="after")
    def _fits_together(self) -> HandReadings:
        for axis, reading in (("x", self.x), ("y", self.y)):
            side = getattr(reading, "side", None)
            if side is not None and side not in _ACROSS[axis]:
                raise ValueError(f"the {side} side says nothing of {axis.upper()}; touch {' or '.join(_ACROSS[axis])}")
        if isinstance(self.z, TopByTool) and self.lengths_from == "reference plane":
            raise ValueError(
                "z: a tool's length from the gauge line cannot be mixed with lengths from a reference plane; take "
                "the indicator's two readings instead, or set lengths_from to 'gauge line'"
            )
        if isinstance(self.z, TopByIndicator) and self.lengths_from == "gauge line":
            raise ValueError(
                "z: an indicator against the tools' reference goes with lengths from a reference plane; "
                "set lengths_from to 'reference plane', or touch with a tool of known length"
            )
        if self.x is None and self.y is None and self.z is None and self.centre is None:
            raise ValueError("no axis has a reading; give x, y or z, or a centre")
        return self
