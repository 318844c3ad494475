"""Probing cycles as a setup asks for them: what is touched, what it sets, and how.

Sides and corners are named as seen at the machine, from the front.  Lengths in mm; what is left out
is taken from the setup's routine, from the probe, or worked out by the planner.
"""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, model_validator

from .base import Feed, Length, Model, Name, NonNegativeLength, PositiveLength
from .machine_words import SaidWords

CycleKind = Literal[
    "surface",
    "outside width",
    "inside width",
    "rectangle",
    "bore",
    "boss",
    "corner",
    "edge angle",
    "plane",
    "bar",
    "rotary axis",
    "presence",
    "consistency",
]
#: Those that find a width along one axis, and the middle of it.
WIDTHS: tuple[CycleKind, ...] = ("outside width", "inside width")
#: What a cycle touches: the stock as it is then, the finished part's own faces, or what holds it.
ProbedBody = Literal[
    "stock", "part", "feature", "fixed jaw", "jaw end", "stop", "dowel", "fixture face", "parallels", "fixture bore"
]  # fmt: skip
#: Bodies that stand where the fixture does, whatever part it holds.
OF_FIXTURE: tuple[ProbedBody, ...] = get_args(ProbedBody)[3:]
Side = Literal["left", "right", "front", "back", "top"]
SIDES: tuple[Side, ...] = get_args(Side)
Corner = Literal["left front", "right front", "left back", "right back"]
CORNERS: tuple[Corner, ...] = get_args(Corner)
#: Between opposite sides: up and over, or straight across.
Crossing = Literal["over", "straight"]

#: Which bodies each kind of cycle can touch.
BODIES: dict[CycleKind, tuple[ProbedBody, ...]] = {
    "surface": ("stock", "part", "feature", "fixed jaw", "jaw end", "stop", "fixture face", "parallels"),
    "outside width": ("stock", "part", "feature"),
    "inside width": ("feature",),
    "rectangle": ("stock", "part", "feature"),
    "bore": ("feature", "fixture bore"),
    "boss": ("feature", "dowel", "stock"),
    "corner": ("stock", "part", "feature"),
    "edge angle": ("stock", "part"),
    "plane": ("stock", "part"),
    "bar": ("stock",),
    "rotary axis": ("stock",),
    "presence": ("stock",),
    "consistency": ("stock",),
}


class ProbeCycle(Model):
    """One cycle.  ``into`` is the offset it sets, the setup's own where it is None.

    ``reads`` makes the found place read a stated value instead of what the plan has there, along the one
    axis that the cycle sets.  ``moved`` shifts the touches along the touched side from its middle; None lets
    the planner find a free place.  ``angles_deg`` are where a round feature is touched, from +X counter-clockwise.
    ``spacing`` is between two touches of one edge, and ``skew`` makes a corner take two on each.
    ``below`` and ``above`` are the window of a presence check, ``rise`` the least it must catch, ``tilt`` the most a
    plane may rise over 100 mm.
    ``dowel`` is which of the hold's, from 1, ``face`` one of a fixture of the shop's own; ``at_x`` and ``at_y`` are
    one's own place (WCS) for a touch from above.
    ``after`` names the operation of this setup after which it runs; before all of them where it is None.
    ``words_before`` and ``words_after`` are what the machine is told besides, by name.
    """

    name: Name
    kind: CycleKind
    on: ProbedBody
    feature: Name | None = None
    dowel: Annotated[int, Field(ge=1, le=99)] | None = None
    face: Name | None = None
    side: Side | None = None
    axis: Literal["x", "y"] | None = None
    corner: Corner | None = None
    action: Literal["set", "measure"] = "set"
    into: Name | None = None
    reads: Length | None = None
    touches: Annotated[int, Field(ge=1, le=9)] = 1
    rough: bool = False
    skew: bool = False
    stand_off: PositiveLength | None = None
    overtravel: PositiveLength | None = None
    depth: Length | None = None
    clearance: PositiveLength | None = None
    search_feed: Feed | None = None
    touch_feed: Feed | None = None
    back_off: PositiveLength | None = None
    crossing: Crossing | None = None
    moved: Length | None = None
    at_x: Length | None = None
    at_y: Length | None = None
    spacing: PositiveLength | None = None
    angles_deg: Annotated[tuple[Annotated[float, Field(ge=-360, le=360)], ...], Field(max_length=24)] = ()
    below: NonNegativeLength = 0.5
    above: NonNegativeLength = 0.3
    rise: PositiveLength = 0.6
    tilt: NonNegativeLength = 0.05
    after: Name | None = None
    words_before: SaidWords = ()
    words_after: SaidWords = ()

    @model_validator(mode="after")
    def _makes_sense(self) -> ProbeCycle:
        if self.on not in BODIES[self.kind]:
            bodies = _or(BODIES[self.kind])
            raise ValueError(f"a cycle of the kind '{self.kind}' touches {bodies}, not '{self.on}'; choose one")
        if (self.on == "feature") != (self.feature is not None):
            raise ValueError("name the feature when, and only when, the cycle touches a feature")
        if (self.on == "dowel") != (self.dowel is not None):
            raise ValueError("say which dowel when, and only when, the cycle touches a dowel")
        if (self.on == "fixture face") != (self.face is not None):
            raise ValueError("name the fixture's face when, and only when, the cycle touches one")
        sided = ("stock", "part", "feature", "jaw end")
        if self.kind in ("surface", "edge angle") and self.on in sided and self.side is None:
            raise ValueError("say which side is touched: left, right, front, back or top")
        if self.kind == "edge angle" and self.side == "top":
            raise ValueError("the top has no angle about Z; choose left, right, front or back")
        if self.kind in WIDTHS and self.axis is None:
            raise ValueError("say along which axis the width is touched: x or y")
        if self.kind == "corner" and self.corner is None:
            raise ValueError(f"say which corner: {', '.join(CORNERS)}")
        if self.angles_deg and (len(self.angles_deg) < 3 or self.kind not in ("bore", "boss")):
            raise ValueError("angles are for bores and bosses, at least three of them; remove them or add some")
        if self.kind in ("presence", "consistency") and self.action == "set":
            raise ValueError(f"a {self.kind} check sets nothing; let it measure")
        return self


def _or(words: tuple[str, ...]) -> str:
    return " or ".join(words)
