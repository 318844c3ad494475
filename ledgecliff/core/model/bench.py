"""Steps beside the machine, between setups or before and after all of them: what is sawn, glued, filled, treated."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from .base import Feed, Length, Model, Name, NonNegativeLength, Point, PositiveLength, Size, Spindle, Text
from .identity import Id
from .orientation import PartDirection

#: How long one waits until the next step may begin (minutes).
Minutes = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]


class _Step(Model):
    """``id`` says which step it is; it comes ``before`` a setup (its id), or after all of them where none is named.
    Steps at one place follow each other in their order."""

    id: Id
    name: Name
    before: Id | None = None
    wait: Minutes = 0.0
    note: Text = ""


class Saw(_Step):
    """Takes off whatever lies beyond a plane: on the side of ``off``, from ``at`` along that part axis (mm, P)."""

    kind: Literal["saw"] = "saw"
    off: PartDirection = "+Z"
    at: Length = 0.0


class Glue(_Step):
    """Puts another block to the stock: its lowest corner and its sizes along part X, Y and Z (mm, P)."""

    kind: Literal["glue"] = "glue"
    low: Point
    size: Size
    material: Name


class Cure(_Step):
    """Waits until glue or filler bears a load."""

    kind: Literal["cure"] = "cure"


class Fill(_Step):
    """Fills what was cut for a feature, so that its walls are borne while others are cut."""

    kind: Literal["fill"] = "fill"
    feature: Name


class TakeOut(_Step):
    """Takes the filler of a feature out again: melted, washed or pulled."""

    kind: Literal["take out"] = "take out"
    feature: Name


class CutTabs(_Step):
    """Cuts the tabs that an outline was left on, flush with the part; the border goes."""

    kind: Literal["cut tabs"] = "cut tabs"


class Sand(_Step):
    """Takes ``takes`` off the faces that are sanded (mm), which counts as nothing beside what is cut."""

    kind: Literal["sand"] = "sand"
    takes: NonNegativeLength = 0.0


class HeatTreat(_Step):
    """After which what was cut before may lie off by ``moves`` to either side (mm)."""

    kind: Literal["heat-treat"] = "heat-treat"
    moves: NonNegativeLength = 0.05


class MakeFixture(_Step):
    """Cuts in place what the setup after is held in: soft jaws to the outline, pockets and zero hole of a jig, bores
    for the dowels of a plate, which go ``bore_depth`` into it, the edge of a fence on a
    board, the level tops of supports.

    ``offset`` keeps the zero that it is cut from; ``measured`` is what came out, in words, once it has been made.
    """

    kind: Literal["make fixture"] = "make fixture"
    tool: Annotated[int, Field(ge=1, le=9999)]
    offset: Name
    feed: Feed = 400.0
    spindle: Spindle = 10000
    pass_depth: PositiveLength = 2.0
    bore_depth: PositiveLength = 10.0
    measured: Text = ""


BenchStep = Annotated[
    Saw | Glue | Cure | Fill | TakeOut | CutTabs | Sand | HeatTreat | MakeFixture, Field(discriminator="kind")
]  # fmt: skip
AnyBenchStep = Saw | Glue | Cure | Fill | TakeOut | CutTabs | Sand | HeatTreat | MakeFixture
BenchKind = Literal["saw", "glue", "cure", "fill", "take out", "cut tabs", "sand", "heat-treat", "make fixture"]
