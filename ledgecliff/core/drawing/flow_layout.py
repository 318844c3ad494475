"""Flow and batch as two time pictures one under the other: on one scale of time when each side is set up, loaded and
cut, and how many parts are in work (pixels)."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

from ..runs.many import WAYS
from ..runs.picture import scale_marks
from ..runs.posting import clock_words
from ..scheduling.flow import Side, Span, Way, What
from .layout import TextWidth, shortened
from .marks import Box
from .run_layout import PAD, Kind, Piece, RunLayout, TimeScale, scale_of

#: Heights of a title, of a side's lane, of what is in work, and of the hours below; between both pictures (pixels).
_TITLE, _LANE, _WORK, _SCALE, _GAP = 24.0, 22.0, 46.0, 22.0, 12.0
_IN_WORK = "parts in work"
#: Narrower ones are drawn as one (pixels).
_APART = 2.0
_LOOKS: Mapping[What, Kind] = {"set up": "block", "load": "act", "cycle": "bar"}


def flow_layout(sides: tuple[Side, ...], ways: Mapping[str, Way], width: float, text_width: TextWidth) -> RunLayout:
    """As high as its lanes ask for; ``ways`` by what they are called."""
    ends, most = max(way.minutes for way in ways.values()), max(way.in_work for way in ways.values())
    time = scale_of([*(side.name for side in sides), _IN_WORK], ends, width, text_width)
    pieces, top = list[Piece](), 0.0
    for name, way in ways.items():
        title = f"{WAYS[name]}: {way.minutes:.1f} min, first part after {clock_words(way.first_part)}"
        pieces.append(Piece("title", Box(PAD, top, width - 2.0 * PAD, _TITLE), title, title))
        top += _TITLE
        high = len(sides) * _LANE + _WORK
        for number, side in enumerate(sides):
            pieces += _lane(side, number, way, top + number * _LANE, time, width)
        pieces += _in_work(way, most, top + len(sides) * _LANE, time, width)
        words = f"first part finished after {clock_words(way.first_part)}"
        pieces.append(Piece("bound", Box(time.x(way.first_part), top, 0.0, high), tip=words))
        top += high + _GAP
    pieces += (Piece("hour", Box(time.x(mark), top, 0.0, _SCALE), clock_words(mark)) for mark in scale_marks(ends))
    return RunLayout(width, top + _SCALE + PAD, tuple(pieces))


def _lane(side: Side, number: int, way: Way, top: float, time: TimeScale, width: float) -> Iterator[Piece]:
    yield Piece("under", Box(0.0, top + _LANE, width, 0.0))
    room = Box(PAD, top, time.left - 2.0 * PAD, _LANE)
    yield Piece("name", room, shortened(side.name, room.width, time.text_width), side.name)
    mine = [span for span in way.spans if number in span.sides]
    for alike in _together(mine, time, lambda one, other: one.what == other.what):
        first, last = alike[0], alike[-1]
        box = time.box(first.start, last.end, top + 3.0, _LANE - 6.0)
        each = f", {first.end - first.start:.1f} min from {clock_words(first.start)} on"
        tip = f"{first.what}{each}" if len(alike) == 1 else f"{len(alike)} cycles from {clock_words(first.start)} on"
        yield Piece(_LOOKS[first.what], box, tip=tip)


def _in_work(way: Way, most: int, top: float, time: TimeScale, width: float) -> Iterator[Piece]:
    """As high as parts are in work, of the most of both ways."""
    room = Box(PAD, top, time.left - 2.0 * PAD, _WORK)
    yield Piece("name", room, _IN_WORK, f"up to {way.in_work} {_IN_WORK}")
    for alike in _together(way.spans, time, lambda _one, _other: True):
        parts = max(span.parts for span in alike)
        high = (_WORK - PAD) * parts / most
        box = time.box(alike[0].start, alike[-1].end, top + _WORK - high, high)
        if parts:
            yield Piece("work", box, tip=f"{parts} {_IN_WORK} from {clock_words(alike[0].start)} on")
    yield Piece("under", Box(0.0, top + _WORK, width, 0.0))


def _together(spans: Sequence[Span], time: TimeScale, same: Callable[[Span, Span], bool]) -> Iterator[list[Span]]:
    """Spans that follow each other and are the same, as many as are too narrow to be told apart."""
    group: list[Span] = []
    for span in spans:
        narrow = bool(group) and (span.end - group[0].start) * time.per_minute < _APART
        if group and not (narrow and group[-1].end == span.start and same(group[-1], span)):
            yield group
            group = []
        group.append(span)
    if group:
        yield group
