"""Reading a toolpath program as a stream of bytes, a block of whole lines at a time.

Most of a toolpath is lines of nothing but X, Y, Z and F, with centres or radii for arcs, and comments: whole runs of
them are taken in one go.  Every other line is read by itself (``lines``).  What is worked out at the machine is not
guessed: it is remarked upon with its line, and the summary says that it is not complete.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator

import numpy as np

from ..frames import Array
from ..simulator.arcs import PLANES
from .arcs import arcs_extent, arcs_length, centres_by_radius
from .control_words import UNKNOWN_CONTROL, ControlWords
from .duration import INVERSE
from .lines import LONGEST_LINE, LineReader
from .plain_runs import Words, carried, runs, without_comments, words
from .state import ARCS, STRAIGHT
from .subprograms import Finder, has_heading, none_at_hand
from .summary import ProgramSummary

#: Bytes of a file taken at a time.
CHUNK = 1 << 20
#: A shorter run of plain lines is read line by line, which is quicker.
_WORTH_IT = 6
#: So many bytes before a line are kept to look for a comment above it.
_ABOVE = 400


def read_toolpath(
    chunks: Iterable[bytes],
    progress: Callable[[int], None] = lambda _bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
    *,
    find: Finder = none_at_hand,
    control: ControlWords = UNKNOWN_CONTROL,
) -> ProgramSummary:
    """Reads a program from ``chunks`` of bytes of any size.  Memory does not grow with the file.

    ``progress`` gets how many bytes are read; ``should_stop`` ends the reading early, with a remark.  ``find`` gives
    the subprograms that are called; ``control`` is what it reads of itself.
    """
    reader = _Reader(find, should_stop, control)
    done = 0
    for block in whole_lines(chunks):
        reader.take_main(block)
        done += len(block)
        progress(done)
        if should_stop():
            reader.remark("reading was stopped here; what follows is not counted")
            break
    return reader.finished()


def whole_lines(chunks: Iterable[bytes]) -> Iterator[bytes]:
    """The same bytes cut after line ends; the last line gets one if it has none."""
    rest = b""
    for chunk in chunks:
        data = rest + chunk
        cut = data.rfind(b"\n") + 1
        if cut:
            yield data[:cut]
        rest = data[cut:]
        if len(rest) > LONGEST_LINE:
            # No program has such lines: hand it on, so that memory does not grow, and let it be remarked upon.
            yield rest + b"\n"
            rest = b""
    if rest:
        yield rest + b"\n"


class _Reader(LineReader):
    def __init__(self, find: Finder, should_stop: Callable[[], bool], control: ControlWords) -> None:
        super().__init__(find, should_stop, control)
        self._tail = b""

    def take_main(self, block: bytes) -> None:
        """Lines of the program itself, which are counted."""
        before = self.summary.lines
        stop = 0 if self.over else self.take(block)
        if self.returned and has_heading(block[stop:]):
            self.returned = False
            self.remark("the program ends in M99, as subprograms do, and others follow; they are not counted")
        self.summary.lines = before + block.count(b"\n")
        self._tail = (self._tail + block)[-_ABOVE:]

    def take(self, block: bytes) -> int:
        """Lines of the program or of a subprogram, up to where it ends; where in the block that is."""
        clean = without_comments(block)
        for run in runs(clean, _WORTH_IT):
            at = run.start
            while at < run.stop and not self.over:
                if run.plain and not self._needs_lines():
                    at = self._take_run(block, clean, at, run.stop)
                else:
                    at = self._next_line(block, at)
            if self.over:
                return at
        return len(block)

    def _take_run(self, block: bytes, clean: bytes, start: int, stop: int) -> int:
        """Plain lines at once; where one of them is amiss, in halves, until only a few are read line by line."""
        plain = clean[start:stop]
        count = plain.count(b"\n")
        if self._run(words(plain)):
            self._count(count)
            return stop
        if count < 2 * _WORTH_IT:
            at = start
            while at < stop and not self.over:
                at = self._next_line(block, at)
            return at
        middle = clean.index(b"\n", start + len(plain) // 2) + 1
        if middle == stop:
            middle = clean.rindex(b"\n", start, stop - 1) + 1
        self._take_run(block, clean, start, middle)
        return self._take_run(block, clean, middle, stop)

    def _needs_lines(self) -> bool:
        """Until a motion word has come, and while the first move without a length or offset is looked for."""
        state = self.state
        watching = not (state.has_length or state.use.bare) or not (state.offset or self.summary.moved_before_offset)
        if self._control.turns and state.turned not in self.summary.turned:
            return True
        no_unit = not (self.summary.units or self.summary.moved_before_unit)
        own_times = state.clock.mode == INVERSE
        return watching or no_unit or self.skipping or own_times or state.motion not in (*STRAIGHT, *ARCS)

    def _next_line(self, block: bytes, at: int) -> int:
        stop = block.index(b"\n", at) + 1
        self._count(1)
        self.line(block[at:stop], (self._tail + block[max(at - _ABOVE, 0) : at])[-_ABOVE:])
        return stop

    def _run(self, run: Words) -> bool:
        """Takes a run of plain lines at once; False where it has to be read line by line, to say which is wrong."""
        state = self.state
        modes = run.of("G")
        if not state.distorted:
            arcs = state.motion in ARCS or bool(np.any(modes > 1.0))
            ways = self._ways(run)
            lengths = self._run_of_arcs(run) if arcs else np.full(run.count, np.nan)
            if ways is None or lengths is None:
                return False
            self._time(run, lengths)
            for axis, way in ways.items():
                state.take(axis, float(way.min()))
                state.go(axis, float(way[-1]))
                state.take(axis, float(way.max()))
        else:
            state.clock.lost(self.summary.lines + 1)
        feeds = run.of("F")
        if len(feeds):
            state.clock.feed = float(feeds[-1]) * state.per_unit
        if len(modes):
            state.motion = round(float(modes[-1]) * 10)
        return True

    def _ways(self, run: Words) -> dict[int, Array] | None:
        """Where each axis that is named goes, in the WCS: the words, or incremental their running sums."""
        state, ways = self.state, {}
        for axis, letter in enumerate("XYZ"):
            values = run.of(letter) * state.per_unit
            if not len(values):
                continue
            base = state.shift(axis) if state.absolute else state.at[axis]
            if base is None:
                return None
            ways[axis] = base + (values if state.absolute else np.cumsum(values))
        return ways

    def _time(self, run: Words, lengths: Array) -> None:
        """How long the moves take; ``lengths`` are those of arcs in their plane, nan for straight ones."""
        state, c = self.state, PLANES[self.state.plane][2]
        square, arc = np.zeros(run.count), ~np.isnan(lengths)
        for axis, letter in enumerate("XYZ"):
            column, start = run.column(letter), state.at[axis]
            if np.isnan(column).all():
                continue
            if start is None:
                # From where it comes is not known: a rapid counts by its other axes.
                first = int(np.flatnonzero(~np.isnan(column))[0])
                at = self._positions(column, axis, 0.0)
                if carried(run.column("G"), state.motion / 10)[first] != 0.0:
                    state.clock.lost(self.summary.lines + 1)
                gone = np.diff(at, prepend=at[0])
                gone[: first + 1] = 0.0
            else:
                gone = np.diff(self._positions(column, axis, start), prepend=start)
            square += np.where(arc & (axis != c), 0.0, gone * gone)
        mm = np.sqrt(square + np.where(arc, np.nan_to_num(lengths), 0.0) ** 2)
        feed = math.nan if state.clock.feed is None else state.clock.feed
        feeds = carried(run.column("F") * state.per_unit, feed)
        is_rapid = carried(run.column("G"), state.motion / 10) == 0.0
        state.clock.run(mm, is_rapid, feeds, self.summary.lines + 1)

    def _run_of_arcs(self, run: Words) -> Array | None:
        """How far the arcs among the moves reach, by centre or radius, in the plane in force; their lengths in it (N,),
        nan for moves that are none.  None where they have to be read line by line."""
        state = self.state
        a, b, c = PLANES[state.plane]
        start_a, start_b = state.at[a], state.at[b]
        if start_a is None or start_b is None:
            return None
        mode = carried(run.column("G"), state.motion / 10)
        columns = {axis: run.column("XYZ"[axis]) for axis in (a, b, c)}
        end = np.column_stack([self._positions(columns[a], a, start_a), self._positions(columns[b], b, start_b)])
        start = np.concatenate([[[start_a, start_b]], end[:-1]])
        centres = np.column_stack([run.column("IJK"[a]), run.column("IJK"[b])]) * state.per_unit
        by_centre, by_radius = ~np.isnan(centres).all(axis=1), ~np.isnan(run.column("R"))
        named = by_centre | ~np.isnan(np.column_stack(list(columns.values()))).all(axis=1)
        arc = (mode > 1.0) & named
        if bool(np.any(arc & ~by_centre & ~by_radius)):
            return None
        lengths = np.full(run.count, np.nan)
        if not bool(arc.any()):
            return lengths
        centre = start + np.nan_to_num(centres)
        clockwise = mode == 2.0
        if bool((radial := arc & by_radius).any()):
            radius = run.column("R")[radial] * state.per_unit
            found = centres_by_radius(start[radial], end[radial], radius, clockwise[radial])
            if found is None:
                return None
            centre[radial] = found
        reach = arcs_extent(start[arc], end[arc], centre[arc], clockwise[arc])
        if reach is None:
            return None
        for low_or_high in reach:
            state.take(a, float(low_or_high[0]))
            state.take(b, float(low_or_high[1]))
        lengths[arc] = arcs_length(start[arc], end[arc], centre[arc], clockwise[arc])
        return lengths

    def _positions(self, column: Array, axis: int, start: float) -> Array:
        state = self.state
        if not state.absolute:
            return start + np.cumsum(np.nan_to_num(column) * state.per_unit)
        shift = state.shift(axis)
        assert shift is not None, "a run with an axis whose shift is not known is read line by line"
        return carried(column * state.per_unit + shift, start)
