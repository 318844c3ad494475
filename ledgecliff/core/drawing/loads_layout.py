"""Loads over time: each as a block, below it a lane for each station with the job that stands there, when it is cut,
and what waits (pixels)."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from ..model.run import TaskRef
from ..runs.picture import scale_marks
from ..runs.posting import clock_words
from ..scheduling.backlog import Backlog, Load, Split
from ..scheduling.problem import tool_words
from .layout import TextWidth, shortened
from .marks import Box
from .run_layout import PAD, Piece, RunLayout, TimeScale, scale_of

#: Heights of the loads' band, of the hours below it, of a lane, and of the strip in it that says when it is cut.
_BAND, _SCALE, _GAP, _LANE, _STRIP = 26.0, 22.0, 6.0, 30.0, 5.0


def loads_layout(backlog: Backlog, split: Split, ids: Sequence[str], width: float, text_width: TextWidth) -> RunLayout:
    """``ids`` are those of the jobs: what is picked says which."""
    lanes = _lanes(backlog)
    ends = max((load.end for load in split.loads), default=0.0)
    time = scale_of(lanes, ends, width, text_width)
    pieces, top = list[Piece](), {name: _BAND + _SCALE + _GAP + k * _LANE for k, name in enumerate(lanes)}
    for number, load in enumerate(split.loads):
        refs = tuple(TaskRef(of=ids[k]) for k in dict.fromkeys(k for k, _ in load.steps))
        words = f"Load {number + 1}"
        tools = f", into the magazine {' '.join(map(tool_words, load.changed))}" if load.changed else ""
        box = time.box(load.start, load.end, 0.0, _BAND)
        tip = f"{words}, {clock_words(load.start)} to {clock_words(load.end)}{tools}"
        pieces.append(Piece("block", box, time.fitting(words, box), tip, refs, second=number % 2 == 1))
    pieces += (Piece("hour", Box(time.x(mark), _BAND, 0.0, _SCALE), clock_words(mark)) for mark in scale_marks(ends))
    for name in lanes:
        room = Box(PAD, top[name], time.left - 2.0 * PAD, _LANE)
        pieces.append(Piece("under", Box(0.0, top[name] + _LANE, width, 0.0)))
        pieces.append(Piece("name", room, shortened(name, room.width, text_width), name))
    for load in split.loads:
        for k, taken in _places(backlog, load).items():
            pieces += _job(backlog, load, k, ids[k], [top[name] for name in taken], time)
    return RunLayout(width, max(top.values(), default=_BAND + _SCALE) + _LANE + PAD, tuple(pieces))


def _lanes(backlog: Backlog) -> list[str]:
    return [name for kind in backlog.room.stations for name in _of_kind(backlog, kind)]


def _of_kind(backlog: Backlog, kind: str) -> list[str]:
    count = backlog.room.stations[kind]
    return [f"{kind} {n}" if count > 1 else kind for n in range(1, count + 1)]


def _places(backlog: Backlog, load: Load) -> Mapping[int, list[str]]:
    """Which stations each job of a load takes: those of its kind one after the other."""
    free = {kind: _of_kind(backlog, kind) for kind in backlog.room.stations}
    found = {}
    for k in dict.fromkeys(k for k, _ in load.steps):
        job = backlog.jobs[k]
        found[k], free[job.kind] = free[job.kind][: job.stations], free[job.kind][job.stations :]
    return found


def _job(backlog: Backlog, load: Load, k: int, job_id: str, tops: Sequence[float], time: TimeScale) -> Iterator[Piece]:
    """It stands at its stations for as long as the load lasts, and is cut when its strips say."""
    job, ref = backlog.jobs[k], (TaskRef(of=job_id),)
    mine = [(n, start) for (of, n), start in zip(load.steps, load.starts, strict=True) if of == k]
    for top in tops:
        box = time.box(load.start, load.end, top + 2.0, _LANE - 4.0)
        due = "" if job.due is None else f", due after {clock_words(job.due)}"
        tip = f"{job.name}{due}{', frozen here' if job.load is not None else ''}"
        yield Piece("bar", box, "", tip, ref, frozen=job.load is not None)
        room = Box(box.left + PAD, box.top, box.width - PAD, box.height - _STRIP - PAD)
        yield Piece("name", room, time.fitting(job.name, room))
        strip, last = top + _LANE - 4.0 - _STRIP, None
        for n, start in mine:
            step = job.steps[n]
            if last is not None and step.wait:
                yield Piece(
                    "wait", time.box(last, last + step.wait, strip, _STRIP), tip=f"{job.name} waits {step.wait:g} min"
                )
            last = start + step.minutes
            words = f"{job.name} is cut from {clock_words(start)} to {clock_words(last)}"
            yield Piece("cut", time.box(start, last, strip, _STRIP), tip=words)
        if job.due is not None and job.due <= time.ends:
            yield Piece("bound", Box(time.x(job.due), top, 0.0, _LANE), tip=f"{job.name} is due")
