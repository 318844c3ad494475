"""Where everything of a run's picture stands on paper: one scale of time for band, lanes and hours (pixels).

Whoever paints it decides nothing any more, and what is picked is found by its place.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from ..model.run import TaskRef
from ..runs.picture import Lane, RunPicture
from ..runs.posting import clock_words
from .items import Point2
from .layout import TextWidth, shortened
from .marks import Box

#: A block of the band, a task, a wait, what the operator does; a lane's name and the line under it; an hour of the
#: scale, and when no order ends before; a title, how much is in work, and when something is cut.
Kind = Literal["block", "bar", "wait", "act", "name", "under", "hour", "bound", "title", "work", "cut"]
_PICKED: tuple[Kind, ...] = ("block", "bar", "act")
#: Heights of the band, of a lane and of the hours below the band; between band and lanes; round words (pixels).
_BAND, _LANE, _SCALE, _GAP, PAD = 26.0, 24.0, 22.0, 6.0, 3.0
_MOST_NAMES = 200.0
#: As wide as is needed to be seen, and to be hit.
_LEAST, _LEAST_ACT = 0.5, 7.0
#: As long as a day is at least (minutes).
_SOONEST = 1e-6


@dataclass(frozen=True)
class Piece:
    """``words`` are what fits of it, ``tip`` all of it; ``second`` tells blocks beside each other apart."""

    kind: Kind
    box: Box
    words: str = ""
    tip: str = ""
    refs: tuple[TaskRef, ...] = ()
    frozen: bool = False
    second: bool = False


@dataclass(frozen=True)
class RunLayout:
    width: float
    height: float
    pieces: tuple[Piece, ...]

    def at(self, place: Point2) -> Piece | None:
        """The block, task or act there."""
        return next((each for each in self.pieces if each.kind in _PICKED and each.box.holds(place)), None)


def run_layout(picture: RunPicture, width: float, text_width: TextWidth) -> RunLayout:
    """As high as its lanes ask for."""
    ends = max(picture.minutes, *(wait.end for lane in picture.lanes for wait in lane.waits), 0.0)
    time = scale_of([_name(lane) for lane in picture.lanes], ends, width, text_width)
    pieces = list(_band(picture, time))
    pieces += (Piece("hour", Box(time.x(mark), _BAND, 0.0, _SCALE), clock_words(mark)) for mark in picture.marks)
    top = _BAND + _SCALE + _GAP
    for lane in picture.lanes:
        pieces += _lane(lane, top, time, width)
        top += _LANE
    if picture.bound > 0.0:
        tip = f"no order ends before {clock_words(picture.bound)}"
        pieces.append(Piece("bound", Box(time.x(picture.bound), 0.0, 0.0, top), tip=tip))
    return RunLayout(width, top + PAD, tuple(pieces))


def scale_of(names: Sequence[str], ends: float, width: float, text_width: TextWidth) -> TimeScale:
    """One that has room for the names of lanes at the left, and comes to ``ends`` (minutes) at the right."""
    left = min(max(map(text_width, names), default=0.0), _MOST_NAMES) + 3.0 * PAD
    ends = max(ends, _SOONEST)
    return TimeScale(left, max(width - left - 4.0 * PAD, 1.0) / ends, ends, text_width)


@dataclass(frozen=True)
class TimeScale:
    """Where minutes lie, up to where it ``ends``."""

    left: float
    per_minute: float
    ends: float
    text_width: TextWidth

    def x(self, minutes: float) -> float:
        return self.left + minutes * self.per_minute

    def box(self, start: float, end: float, top: float, height: float, least: float = _LEAST) -> Box:
        return Box(self.x(start), top, max((end - start) * self.per_minute, least), height)

    def fitting(self, words: str, box: Box) -> str:
        """Nothing where not even a sign of it has room."""
        shown = shortened(words, box.width - 2.0 * PAD, self.text_width)
        return "" if shown == "…" else shown


def _name(lane: Lane) -> str:
    return f"{lane.name}  {lane.offset}".rstrip()


def _band(picture: RunPicture, time: TimeScale) -> Iterator[Piece]:
    for number, block in enumerate(picture.blocks):
        box = time.box(block.start, block.end, 0.0, _BAND)
        words = time.fitting(block.tool, box)
        yield Piece("block", box, words, block.tool, block.refs, second=number % 2 == 1)


def _lane(lane: Lane, top: float, time: TimeScale, width: float) -> Iterator[Piece]:
    name = _name(lane)
    room = Box(PAD, top, time.left - 2.0 * PAD, _LANE)
    yield Piece("under", Box(0.0, top + _LANE, width, 0.0))
    yield Piece("name", room, shortened(name, room.width, time.text_width), name)
    for wait in lane.waits:
        yield Piece("wait", time.box(wait.start, wait.end, top + 5.0, _LANE - 10.0), tip=wait.words)
    for bar in lane.bars:
        box = time.box(bar.start, bar.end, top + 3.0, _LANE - 6.0)
        tip = f"{bar.tool} {bar.words}"
        yield Piece("bar", box, time.fitting(bar.words, box), tip, (bar.ref,), frozen=bar.frozen)
    for act in lane.acts:
        box = time.box(act.start, act.end, top + 3.0, _LANE - 6.0, _LEAST_ACT)
        yield Piece("act", box, tip=act.words, refs=(act.ref,))
