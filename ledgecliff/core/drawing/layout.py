"""Drawings laid out on paper: where each number, arrow and word of a drawing stands, worked out once for all papers.

Stage, sheets and files paint the same marks.  What a text is wide is asked of whoever has the typeface.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from typing import Literal, assert_never

from ..quantities import Unit, format_length, spell
from .cut_short import BROAD, SLIM, cut_short
from .items import (
    Ball,
    Dimension,
    Drawing,
    Fill,
    Item,
    Label,
    Ladder,
    Line,
    Lines,
    Point2,
    Spot,
    Stroke,
    Touchable,
    Zero,
)
from .marks import Band, Box, Disc, Head, Layout, Mark, Patch, Placing, Run, Words

#: How wide a text is in the words' own size (pixels).
TextWidth = Callable[[str], float]

#: Room for one lane of dimensions, below and beside a view (pixels).
LANE_BELOW, LANE_BESIDE, NARROW_LANE_BESIDE = 26.0, 56.0, 50.0
#: Room for the words of the ladder right of a front view (pixels), and where there is little.
LADDER_ROOM, NARROW_LADDER_ROOM = 206.0, 90.0
#: Paper narrower than this has the ladder's numbers without their names, which the tape has (pixels).
NARROW_BELOW = 560.0
#: Height of the words, and of a row of them (pixels).
TEXT_SIZE, ROW = 12.0, 17.0
#: Room about all drawings, and for the name above each (pixels).
MARGIN, TITLE = 18.0, 20.0
#: Length of an arrow, and how far one that points from outside reaches.
_ARROW, _OUTSIDE = 7.0, 17.5
#: A dimension that is broken off is at least so long (pixels).
_BROKEN = 46.0
#: Words keep so far from either edge of the paper.
_WORDS_EDGE = 6.0
#: Width of the band along a face that can be touched, and length of the arrow that shows how.
_BAND, _WAY = 8.0, 38.0
#: A touch's number stands in the first of these directions from its ball that is free, from the way it moves (radians).
_ROUND_A_BALL = tuple(math.radians(turn) for turn in (0, 45, -45, 90, -90, 135, -135, 180))
#: A scale smaller than this shows nothing (pixels a millimetre).
_LEAST_SCALE = 0.05


def room_needed(drawing: Drawing, *, narrow: bool) -> tuple[float, float, float]:
    """Pixels that dimensions and ladder take left, right and below."""
    dimensions = [item for item in drawing.items if isinstance(item, Dimension)]

    def lanes(side: Literal["left", "right", "below"]) -> int:
        return max((item.lane for item in dimensions if item.side == side), default=0)

    lane = NARROW_LANE_BESIDE if narrow else LANE_BESIDE
    right = lanes("right") * lane
    ladders = [item for item in drawing.items if isinstance(item, Ladder)]
    if ladders:
        right = max(right, NARROW_LADDER_ROOM if narrow else LADDER_ROOM)
    # Arrows of a dimension beside that is too short for them stand under the view.
    tails = _OUTSIDE if any(item.side != "below" for item in dimensions) else 0.0
    deeper = any(rung.y < drawing.low[1] for ladder in ladders for rung in ladder.rungs)
    below = max(lanes("below") * LANE_BELOW, tails, ROW if deeper else 0.0)
    return lanes("left") * lane, right, below


def placings(drawings: Sequence[Drawing], width: float, height: float, *, on_screen: bool = False) -> list[Placing]:
    """Where drawings go, at the largest scale at which all of them fit the paper: one above the other, sharing X, or
    ``on_screen``, where they are larger so, from left to right on one line; there they are cut short where the screen
    is narrower than each bears."""
    if not drawings:
        return []
    drawings = _as_shown(drawings, width, on_screen)
    rooms = [room_needed(drawing, narrow=width < NARROW_BELOW) for drawing in drawings]
    above = _above_one_another(drawings, rooms, width, height)
    if not on_screen or len(drawings) < 2:
        return above
    beside = _beside_one_another(drawings, rooms, width, height)
    return beside if beside[0].scale > above[0].scale else above


def _as_shown(drawings: Sequence[Drawing], width: float, on_screen: bool) -> Sequence[Drawing]:
    round_it = SLIM if width < NARROW_BELOW else BROAD
    cut = (on_screen and width < drawing.cut_below for drawing in drawings)
    return [cut_short(drawing, round_it) if each else drawing for drawing, each in zip(drawings, cut, strict=True)]


#: Pixels that dimensions and ladder take left, right and below of a drawing.
_Room = tuple[float, float, float]


def _beside_one_another(
    drawings: Sequence[Drawing], rooms: Sequence[_Room], width: float, height: float
) -> list[Placing]:
    wide = [drawing.high[0] - drawing.low[0] for drawing in drawings]
    tall = max(drawing.high[1] - drawing.low[1] for drawing in drawings)
    beside = sum(left + right for left, right, _ in rooms) + (len(drawings) + 1) * MARGIN
    free_x, free_y = width - beside, height - TITLE - 2.0 * MARGIN - max(below for _, _, below in rooms)
    scale = max(min(free_x / max(sum(wide), 1e-6), free_y / max(tall, 1e-6)), _LEAST_SCALE)
    spare = max(free_x - sum(wide) * scale, 0.0) / (len(drawings) + 1)
    foot = MARGIN + TITLE + (max(free_y - tall * scale, 0.0)) / 2.0 + tall * scale
    placed, x = [], MARGIN
    for drawing, across, (left, right, _) in zip(drawings, wide, rooms, strict=True):
        x += left + spare
        placed.append(_standing_on(foot, x - drawing.low[0] * scale, scale, drawing))
        x += across * scale + right + MARGIN
    return placed


def _standing_on(foot: float, x: float, scale: float, drawing: Drawing) -> Placing:
    """The drawing with its lower edge at so many pixels down."""
    if drawing.points_down:
        return Placing(scale, x, foot - drawing.high[1] * scale, points_down=True)
    return Placing(scale, x, foot + drawing.low[1] * scale)


def _above_one_another(
    drawings: Sequence[Drawing], rooms: Sequence[_Room], width: float, height: float
) -> list[Placing]:
    left, right = max(room[0] for room in rooms) + MARGIN, max(room[1] for room in rooms) + MARGIN
    below = [room[2] for room in rooms]
    low_x, high_x = min(drawing.low[0] for drawing in drawings), max(drawing.high[0] for drawing in drawings)
    heights = [drawing.high[1] - drawing.low[1] for drawing in drawings]
    free_y = height - sum(below) - len(heights) * (TITLE + MARGIN) - MARGIN
    free_x = width - left - right
    scale = max(min(free_x / max(high_x - low_x, 1e-6), free_y / max(sum(heights), 1e-6)), _LEAST_SCALE)
    x = left + (free_x - (high_x - low_x) * scale) / 2.0 - low_x * scale
    spare = max(free_y - sum(heights) * scale, 0.0) / (len(heights) + 1)
    placed, top = [], MARGIN
    for drawing, tall, under in zip(drawings, heights, below, strict=True):
        top += TITLE + spare
        bottom = top + tall * scale
        placed.append(_standing_on(bottom, x, scale, drawing))
        top = bottom + under + MARGIN
    return placed


def lay_out(
    drawings: Sequence[Drawing],
    width: float,
    height: float,
    unit: Unit,
    text_width: TextWidth,
    picked: str = "",
    *,
    on_screen: bool = False,
) -> list[Layout]:
    """Drawings on a paper of ``width`` x ``height`` pixels, to one scale: see ``placings``."""
    placed = placings(drawings, width, height, on_screen=on_screen)
    drawings = _as_shown(drawings, width, on_screen)
    return [
        _LayingOut(drawing, placing, Box(0.0, 0.0, width, height), unit, text_width, picked).layout()
        for drawing, placing in zip(drawings, placed, strict=True)
    ]


class _LayingOut:
    def __init__(
        self, drawing: Drawing, placing: Placing, paper: Box, unit: Unit, text_width: TextWidth, picked: str
    ) -> None:
        self._drawing, self._placing, self._paper = drawing, placing, paper
        self._unit, self._text_width, self._picked = unit, text_width, picked
        self._narrow = paper.width < NARROW_BELOW
        self._lane = NARROW_LANE_BESIDE if self._narrow else LANE_BESIDE
        (left, a), (right, b) = placing.point(drawing.low), placing.point(drawing.high)
        self._low, self._high = (left, max(a, b)), (right, min(a, b))
        self._marks: list[Mark] = []
        self._targets: list[tuple[Box, str]] = []
        #: Where words stand already, and none may come to lie.
        self._taken: list[Box] = []

    def layout(self) -> Layout:
        self._name()
        for item in self._drawing.items:
            self._lay(item)
        return Layout(
            spell(self._drawing.name, self._unit), self._placing, tuple(self._marks), tuple(self._targets), self._picked
        )

    def _lay(self, item: Item) -> None:
        match item:
            case Fill() | Lines():
                self._marks.append(item)
            case Stroke():
                points = tuple(self._placing.point(at) for at in item.points)
                self._marks.append(Run(points, item.line, self._is_picked(item.source)))
            case Label():
                self._label(item)
            case Dimension():
                self._dimension(item)
            case Zero():
                self._zero(item)
            case Spot():
                self._spot(item)
            case Touchable():
                self._touchable(item)
            case Ball():
                self._ball(item)
            case Ladder():
                self._ladder(item)
            case _:
                assert_never(item)

    def _is_picked(self, source: str) -> bool:
        return bool(source) and source == self._picked

    def _name(self) -> None:
        """Above the view at its right end."""
        name = spell(self._drawing.name, self._unit)
        width = self._text_width(name)
        right, top = max(self._high[0], width + _WORDS_EDGE), max(self._high[1] - 22.0, 0.0)
        self._taken.append(Box(right - width, top, width, 18.0))
        self._marks.append(Words((right, top + 9.0), name, "right", "quiet"))

    # --- pieces -----------------------------------------------------------------------------

    def _line(self, start: Point2, end: Point2, line: Line, *, picked: bool = False) -> None:
        self._marks.append(Run((start, end), line, picked))

    def _arrow(self, tip: Point2, towards: Point2, line: Line, *, picked: bool = False) -> None:
        """A slim filled head at ``tip`` whose shaft runs ``towards`` the other place."""
        dx, dy = towards[0] - tip[0], towards[1] - tip[1]
        length = math.hypot(dx, dy)
        if length < 0.5:
            return
        ux, uy = dx / length, dy / length
        foot = (tip[0] + _ARROW * ux, tip[1] + _ARROW * uy)
        sides = ((foot[0] - 2.0 * uy, foot[1] + 2.0 * ux), (foot[0] + 2.0 * uy, foot[1] - 2.0 * ux))
        self._marks.append(Head((tip, *sides), line, picked))

    def _words(self, box: Box, text: str, source: str) -> None:
        """Text in ``box``, on a patch of paper so that lines below do not run through it, pushed onto the paper."""
        box = self._on_paper(box)
        self._taken.append(box)
        picked = self._is_picked(source)
        self._marks.append(Patch(box.grown(3.0, 0.0), "accent_soft" if picked else "paper", 1.0 if picked else 0.88))
        self._marks.append(Words(box.middle, text))
        if source:
            self._targets.append((box.grown(4.0, 3.0), source))

    def _on_paper(self, box: Box) -> Box:
        left = max(min(box.left, self._paper.right - box.width - _WORDS_EDGE), _WORDS_EDGE)
        top = max(min(box.top, self._paper.bottom - box.height - _WORDS_EDGE), _WORDS_EDGE)
        return Box(left, top, box.width, box.height)

    def _free(self, wanted: Sequence[Box]) -> Box:
        """The first of ``wanted`` places where no words stand yet; where all are taken, the first of all."""
        places = [self._on_paper(box) for box in wanted]
        return next((box for box in places if not any(box.overlaps(taken) for taken in self._taken)), places[0])

    # --- items ------------------------------------------------------------------------------

    def _label(self, item: Label) -> None:
        (x, y), text = self._placing.point(item.at), spell(item.text, self._unit)
        width = self._text_width(text)
        left = x - {"left": 0.0, "centre": width / 2.0, "right": width}[item.anchor]
        box = Box(left, y - 8.0, width, 16.0)
        rows = (0.0, -1.0, 1.0, -2.0, 2.0, -3.0, 3.0)
        self._words(self._free([Box(box.left, box.top + row * ROW, width, 16.0) for row in rows]), text, item.source)

    def _dimension(self, item: Dimension) -> None:
        text = format_length(item.mm, self._unit, sign=item.signed)
        width = self._text_width(text) + 2.0
        start, end = self._placing.point(item.start), self._placing.point(item.end)
        a, b = self._dimension_ends(item, start, end)
        picked = self._is_picked(item.source)
        self._line(start, a, "thin")
        self._line(end, b, "thin")
        if item.broken:
            a, b = (b, a) if item.broken == "start" else (a, b)
            reach = max(math.dist(a, b), _BROKEN) / max(math.dist(a, b), 1e-6)
            b = (a[0] + reach * (b[0] - a[0]), a[1] + reach * (b[1] - a[1]))
            self._line(a, b, "holding", picked=picked)
            self._arrow(a, b, "holding", picked=picked)
            self._break(b, a)
            middle = ((a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0)
            self._words(Box(middle[0] - width / 2.0, middle[1] - 8.0, width, 16.0), text, item.source)
            return
        room = math.dist(a, b)
        middle = ((a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0)
        if room >= (width if item.side == "below" else 16.0) + 3.0 * _ARROW:
            self._line(a, b, "holding", picked=picked)
            self._arrow(a, b, "holding", picked=picked)
            self._arrow(b, a, "holding", picked=picked)
        else:
            # Too narrow for arrows inside: they point from outside, the number stands beside.
            ux, uy = ((b[0] - a[0]) / room, (b[1] - a[1]) / room) if room > 0.0 else (1.0, 0.0)
            before = (a[0] - _OUTSIDE * ux, a[1] - _OUTSIDE * uy)
            after = (b[0] + _OUTSIDE * ux, b[1] + _OUTSIDE * uy)
            self._line(before, after, "holding", picked=picked)
            self._arrow(a, before, "holding", picked=picked)
            self._arrow(b, after, "holding", picked=picked)
            if item.side == "below":
                middle = (after[0] + width / 2.0 + 2.0, after[1])
            else:
                top, foot = sorted((before, after), key=lambda place: place[1])
                # Above, unless the number of the dimension that it goes on from stands there.
                above = Box(top[0] - width / 2.0, top[1] - 17.0, width, 16.0)
                is_free = not any(above.overlaps(other) for other in self._taken)
                middle = (top[0], top[1] - 9.0) if is_free else (foot[0], foot[1] + 9.0)
        self._words(Box(middle[0] - width / 2.0, middle[1] - 8.0, width, 16.0), text, item.source)

    def _break(self, at: Point2, towards: Point2) -> None:
        """A short zigzag across the end of a line that goes on."""
        length = max(math.dist(at, towards), 1e-6)
        ux, uy = (towards[0] - at[0]) / length, (towards[1] - at[1]) / length
        places = [
            (at[0] + along * ux - across * uy, at[1] + along * uy + across * ux)
            for along, across in ((2.0, -6.0), (-2.0, -1.5), (4.0, 1.5), (0.0, 6.0))
        ]
        for start, end in itertools.pairwise(places):
            self._line(start, end, "holding")

    def _dimension_ends(self, item: Dimension, start: Point2, end: Point2) -> tuple[Point2, Point2]:
        """Ends of the dimension's own line, in its lane."""
        match item.side:
            case "below":
                y = self._low[1] + item.lane * LANE_BELOW - 8.0
                return (start[0], y), (end[0], y)
            case "left":
                x = self._low[0] - item.lane * self._lane + 24.0
            case "right":
                x = self._high[0] + item.lane * self._lane - 24.0
            case _:
                assert_never(item.side)
        return (x, start[1]), (x, end[1])

    def _zero(self, item: Zero) -> None:
        """Our own mark: a ring quartered by two letters' arrows, the near quarter filled."""
        x, y = self._placing.point(item.at)
        if item.proposed:
            for dx, dy in ((24.0, 0.0), (0.0, 24.0)):
                self._line((x - dx, y - dy), (x + dx, y + dy), "phantom")
            self._marks.append(Disc((x, y), 12.0, "phantom", "paper"))
            self._taken.append(Box(x - 12.0, y - 12.0, 24.0, 24.0))
            return
        up = math.copysign(34.0, self._placing.down)
        for dx, dy, letter in ((34.0, 0.0, item.letters[0]), (0.0, up, item.letters[1])):
            tip = (x + dx, y + dy)
            self._line((x, y), tip, "zero")
            self._arrow(tip, (x, y), "zero")
            aside, above = 11.0 if dx else 0.0, math.copysign(11.0 if dy else 0.0, dy)
            box = Box(tip[0] - 7.0 + aside, tip[1] - 8.0 + above, 14.0, 16.0)
            self._taken.append(box)
            self._marks.append(Patch(box, "paper", 0.82))
            self._marks.append(Words(box.middle, letter, colour="zero", bold=True))
        self._marks.append(Disc((x, y), 6.0, "zero", "paper", quartered=True))
        self._targets.append((Box(x - 9.0, y - 9.0, 18.0, 18.0), "wcs"))

    def _spot(self, item: Spot) -> None:
        x, y = self._placing.point(item.at)
        picked = self._is_picked(item.source)
        size = 6.0 if picked else 4.0
        self._line((x - size, y), (x + size, y), "thin", picked=picked)
        self._line((x, y - size), (x, y + size), "thin", picked=picked)
        self._targets.append((Box(x - 8.0, y - 8.0, 16.0, 16.0), item.source))

    def _touchable(self, item: Touchable) -> None:
        """A broad band along the face; the picked one with the way the tool comes."""
        start, end = self._placing.point(item.start), self._placing.point(item.end)
        picked = self._is_picked(item.source)
        self._marks.append(Band(start, end, _BAND, "accent" if picked else "touch", 0.78 if picked else 0.35))
        if picked:
            middle = ((start[0] + end[0]) / 2.0, (start[1] + end[1]) / 2.0)
            tail = (middle[0] - item.way[0] * _WAY, middle[1] + item.way[1] * _WAY)
            self._line(tail, middle, "search", picked=True)
            self._arrow(middle, tail, "search", picked=True)
        left, top = min(start[0], end[0]), min(start[1], end[1])
        along = Box(left, top, abs(end[0] - start[0]), abs(end[1] - start[1]))
        self._targets.append((along.grown(_BAND, _BAND), item.source))

    def _ball(self, item: Ball) -> None:
        at, start, end = (self._placing.point(place) for place in (item.at, item.start, item.end))
        picked = self._is_picked(item.source)
        self._line(start, end, "approach", picked=picked)
        self._line(start, at, "search", picked=picked)
        if math.dist(start, at) > 2.0:
            self._arrow(at, start, "search", picked=picked)
        radius = max(item.radius * self._placing.scale, 3.0)
        self._marks.append(Disc(at, radius, "search", "accent_soft" if picked else "paper", picked))
        # The number stands beyond the surface; a touch that runs into the picture has it beside.
        dx, dy = end[0] - at[0], end[1] - at[1]
        if math.hypot(dx, dy) < 2.0:
            dx, dy = (1.0 if item.number % 2 else -1.0), -0.6
        heading, width = math.atan2(dy, dx), self._text_width(str(item.number)) + 4.0
        places = [
            (at[0] + away * math.cos(heading + turn), at[1] + away * math.sin(heading + turn))
            for away in (radius + 11.0, radius + 24.0)
            for turn in _ROUND_A_BALL
        ]
        boxes = [Box(x - width / 2.0, y - 7.5, width, 15.0) for x, y in places]
        self._words(self._free(boxes), str(item.number), item.source)
        self._targets.append((Box(at[0] - radius, at[1] - radius, 2.0 * radius, 2.0 * radius), item.source))

    def _ladder(self, item: Ladder) -> None:
        """Heights as words right of the view, spread so that no two overlap, led to their height."""
        edge = self._high[0] + 8.0
        rungs = sorted(item.rungs, key=lambda rung: self._placing.point((0.0, rung.y))[1])
        # What is deeper or higher than the view shows (a table far below) is named at its foot or head.
        foot = self._low[1] + 0.75 * ROW
        head = self._high[1] - 0.75 * ROW
        wanted = [min(max(self._placing.point((0.0, rung.y))[1], head), foot) for rung in rungs]
        numbers = [format_length(rung.mm, self._unit, sign=True) for rung in rungs]
        column = max(self._text_width(number) for number in numbers) + 2.0
        room = (NARROW_LADDER_ROOM if self._narrow else LADDER_ROOM) - 28.0
        rows = spread(wanted, ROW)
        lowest = self._paper.bottom - ROW / 2.0 - 1.0
        for k in reversed(range(len(rows))):
            rows[k], lowest = min(rows[k], lowest), min(rows[k], lowest) - ROW
        for rung, number, height, row in zip(rungs, numbers, wanted, rows, strict=True):
            picked = self._is_picked(rung.source)
            self._line((edge - 6.0, height), (edge + 4.0, height), "thin", picked=picked)
            self._line((edge + 4.0, height), (edge + 16.0, row), "thin", picked=picked)
            box = Box(edge + 18.0, row - ROW / 2.0, room, ROW)
            if picked:
                self._marks.append(Patch(box, "accent_soft", 1.0))
            self._marks.append(Words((box.left + column, row), number, "right"))
            self._taken.append(box)
            if not self._narrow:
                words = shortened(rung.text, room - column - 7.0, self._text_width)
                self._marks.append(Words((box.left + column + 7.0, row), words, "left", "quiet"))
            self._targets.append((box, rung.source))


def shortened(text: str, room: float, text_width: TextWidth) -> str:
    """As much of a text as has room, with an ellipsis where some is left out."""
    if text_width(text) <= room:
        return text
    kept = next((k for k in range(len(text) - 1, 0, -1) if text_width(f"{text[:k].rstrip()}…") <= room), 0)
    return f"{text[:kept].rstrip()}…"


def spread(wanted: Sequence[float], row: float) -> list[float]:
    """Rows at least ``row`` apart, in order, as near to ``wanted`` (rising) as that allows."""
    groups: list[tuple[float, int]] = []
    for value in wanted:
        groups.append((value, 1))
        # Groups that would overlap join and settle about their common middle.
        while len(groups) > 1:
            (a, m), (b, n) = groups[-2:]
            if b - (n - 1) * row / 2 - (a + (m - 1) * row / 2) >= row:
                break
            groups[-2:] = [((a * m + b * n) / (m + n), m + n)]
    return [middle + (k - (count - 1) / 2) * row for middle, count in groups for k in range(count)]
