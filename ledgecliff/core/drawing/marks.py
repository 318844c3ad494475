"""What is put on paper: marks whose places are pixels, x right and y down, and faces and lines still in millimetres.

A drawing is laid out into them once (``layout``); whoever paints them decides nothing any more.  Colours are names,
as line styles are.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .items import Fill, Line, Lines, Point2

Colour = Literal["ink", "quiet", "paper", "zero", "accent", "accent_soft", "touch"]


@dataclass(frozen=True)
class Placing:
    """Millimetres of a view to pixels: scale, where the view's (0, 0) lies, and whether its second axis points down."""

    scale: float
    x: float
    y: float
    points_down: bool = False

    @property
    def down(self) -> float:
        """Pixels down for a millimetre along the second axis."""
        return self.scale if self.points_down else -self.scale

    def point(self, at: Point2) -> Point2:
        return (self.x + at[0] * self.scale, self.y + at[1] * self.down)


@dataclass(frozen=True)
class Box:
    left: float
    top: float
    width: float
    height: float

    @property
    def right(self) -> float:
        return self.left + self.width

    @property
    def bottom(self) -> float:
        return self.top + self.height

    @property
    def middle(self) -> Point2:
        return (self.left + self.width / 2.0, self.top + self.height / 2.0)

    def grown(self, across: float, along: float) -> Box:
        """Wider by ``across`` on both sides and higher by ``along``."""
        return Box(self.left - across, self.top - along, self.width + 2.0 * across, self.height + 2.0 * along)

    def holds(self, at: Point2) -> bool:
        return self.left <= at[0] <= self.right and self.top <= at[1] <= self.bottom

    def overlaps(self, other: Box) -> bool:
        return (
            self.left < other.right and other.left < self.right and self.top < other.bottom and other.top < self.bottom
        )


@dataclass(frozen=True)
class Run:
    """A polyline in a line style."""

    points: tuple[Point2, ...]
    line: Line
    picked: bool = False


@dataclass(frozen=True)
class Band:
    """A broad see-through line; ``alpha`` from 0 to 1."""

    start: Point2
    end: Point2
    width: float
    colour: Colour
    alpha: float


@dataclass(frozen=True)
class Head:
    """A filled arrow head in the colour of a line style."""

    corners: tuple[Point2, Point2, Point2]
    line: Line
    picked: bool = False


@dataclass(frozen=True)
class Disc:
    """A circle, filled; with its lower left quarter in the colour of its line where that is ``quartered``."""

    at: Point2
    radius: float
    line: Line
    fill: Colour
    picked: bool = False
    quartered: bool = False


@dataclass(frozen=True)
class Patch:
    """A filled box under words."""

    box: Box
    colour: Colour
    alpha: float


@dataclass(frozen=True)
class Words:
    """Text at a place, upright in the middle of it; ``anchor`` says which end or middle of the text lies there."""

    at: Point2
    text: str
    anchor: Literal["left", "centre", "right"] = "centre"
    colour: Colour = "ink"
    bold: bool = False


Mark = Fill | Lines | Run | Band | Head | Disc | Patch | Words


@dataclass(frozen=True, eq=False)
class Layout:
    """A drawing on paper: what to paint, in this order, and which source lies where.

    Of faces and lines in millimetres ``placing`` gives the pixels; a ``Lines`` whose source is ``picked`` is painted
    as picked.
    """

    name: str
    placing: Placing
    marks: tuple[Mark, ...]
    targets: tuple[tuple[Box, str], ...]
    picked: str = ""
