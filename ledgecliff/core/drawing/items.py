"""What a drawing is made of.  Coordinates are millimetres in the view: x right, y up.

``source`` links a thing on the drawing to the tape's lines and to the fields; it is empty where
nothing hangs on it.  Styles are names; the theme of whoever paints gives them colour and width.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Point2 = tuple[float, float]
Line = Literal[
    "visible", "hidden", "holding", "hidden_holding", "phantom", "center", "thin", "approach", "search", "zero"
]
Surface = Literal["raw", "finished", "jaw", "parallel", "section", "taken"]
Anchor = Literal["left", "centre", "right"]


@dataclass(frozen=True)
class Stroke:
    """A polyline."""

    points: tuple[Point2, ...]
    line: Line
    source: str = ""


@dataclass(frozen=True, eq=False)
class Lines:
    """Many separate straight lines of one style: ``segments`` (N, 2, 2), start and end points."""

    segments: NDArray[np.float64]
    line: Line
    source: str = ""


@dataclass(frozen=True, eq=False)
class Fill:
    """A region by its rings, filled by the even-odd rule."""

    rings: tuple[tuple[Point2, ...], ...]
    surface: Surface


@dataclass(frozen=True)
class Label:
    """Words at a place; they, and a drawing's name, may hold lengths to be spelled."""

    at: Point2
    text: str
    anchor: Anchor = "left"
    source: str = ""


@dataclass(frozen=True)
class Dimension:
    """A distance between two places, shown along x or y.

    ``lane`` counts from 1 outward on its side: ``below``, ``left`` or ``right`` of the view.
    ``mm`` is what is written.  Where the view is cut short, its ``broken`` end lies beyond.
    """

    start: Point2
    end: Point2
    mm: float
    side: Literal["below", "left", "right"]
    lane: int = 1
    source: str = ""
    signed: bool = False
    broken: Literal["", "start", "end"] = ""


@dataclass(frozen=True)
class Zero:
    """The WCS mark with the letters of the two axes that lie in the view; ``proposed`` is one that is not taken yet."""

    at: Point2
    letters: tuple[str, str]
    proposed: bool = False


@dataclass(frozen=True)
class Spot:
    """A small centre mark on a feature, to be picked."""

    at: Point2
    source: str


@dataclass(frozen=True)
class Touchable:
    """A face that a tool can be brought to, to be picked along its whole line; ``way`` is how the tool moves."""

    start: Point2
    end: Point2
    way: Point2
    source: str


@dataclass(frozen=True)
class Ball:
    """The probe's ball at a contact, its number, and where its search begins and ends at latest."""

    at: Point2
    radius: float
    number: int
    start: Point2
    end: Point2
    source: str = ""


@dataclass(frozen=True)
class Rung:
    """One height beside the front view: where it is in the view, what it reads, what it is."""

    y: float
    mm: float
    text: str
    source: str = ""


@dataclass(frozen=True)
class Ladder:
    """Heights read off beside the view; whoever paints spreads the words so that none overlap."""

    rungs: tuple[Rung, ...]


Item = Stroke | Lines | Fill | Label | Dimension | Zero | Spot | Touchable | Ball | Ladder


@dataclass(frozen=True)
class Drawing:
    """One view.  ``low`` and ``high`` bound what is drawn, dimensions aside; on a screen narrower than ``cut_below``
    (pixels) it is cut short to its ``heart``, if it has one.  Where it ``points_down`` the second axis is drawn so."""

    name: str
    items: tuple[Item, ...]
    low: Point2
    high: Point2
    heart: tuple[Point2, Point2] | None = None
    cut_below: float = 0.0
    points_down: bool = False
