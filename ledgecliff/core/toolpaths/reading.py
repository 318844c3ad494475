"""Reading a toolpath program as a stream of bytes, a block of whole lines at a time.

Most of a toolpath is lines of nothing but X, Y, Z and F, with I and J for arcs: whole runs of them are taken in one
go.  Every other line is read by the simulated control's own reader, so that what counts as a word
is the same in both.  What is worked out at the machine (parameters, subprograms) is not guessed: it
is remarked upon with its line, and the summary says that it is not complete.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator

import numpy as np

from ..errors import ProgramError
from ..simulator.arcs import PLANES, centre_by_radius
from ..simulator.blocks import Block, read_block
from ..simulator.expressions import ExpressionError
from ..simulator.modal import NUMBERED_STYLE, OFFSETS, PARAMETER_STYLE, Dialect
from .arcs import arc_extent, arcs_extent
from .plain_runs import Words, carried, runs, words
from .summary import Extent, ProgramSummary, Remark, ToolUse

#: Bytes of a file taken at a time, and the longest line that is a line of a program.
CHUNK = 1 << 20
_LONGEST_LINE = 4096
#: So many remarks are kept; more of the same say nothing new.
_MOST_REMARKS = 50
#: A shorter run of plain lines is read line by line, which is quicker.
_WORTH_IT = 6
_STRAIGHT = (0, 10)
_ARCS = (20, 30)
_CYCLES = (730, 810, 820, 830, 850)
_OFFSET_WORD = {word: f"G{word / 10:g}" for word in OFFSETS}


def read_toolpath(
    chunks: Iterable[bytes],
    progress: Callable[[int], None] = lambda _bytes: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> ProgramSummary:
    """Reads a program from ``chunks`` of bytes of any size.  Memory does not grow with the file.

    ``progress`` gets how many bytes are read; ``should_stop`` ends the reading early, with a remark.
    """
    reader = _Reader()
    done = 0
    for block in _whole_lines(chunks):
        reader.take(block)
        done += len(block)
        progress(done)
        if should_stop():
            reader.remark("reading was stopped here; what follows is not counted")
            break
    return reader.summary


def _whole_lines(chunks: Iterable[bytes]) -> Iterator[bytes]:
    """The same bytes cut after line ends; the last line gets one if it has none."""
    rest = b""
    for chunk in chunks:
        data = rest + chunk
        cut = data.rfind(b"\n") + 1
        if cut:
            yield data[:cut]
        rest = data[cut:]
        if len(rest) > _LONGEST_LINE:
            # No program has such lines: hand it on, so that memory does not grow, and let it be remarked upon.
            yield rest + b"\n"
            rest = b""
    if rest:
        yield rest + b"\n"


class _Reader:
    def __init__(self) -> None:
        self.summary = ProgramSummary()
        self._dialect: Dialect = PARAMETER_STYLE
        self._per_unit, self._absolute, self._motion, self._plane = 1.0, True, -1, "G17"
        self._offset, self._selected, self._tool = "", 0, 0
        self._at: list[float | None] = [None, None, None]
        self._cycle: dict[str, float] = {}

    # --- runs of plain lines ---------------------------------------------------------------

    def take(self, block: bytes) -> None:
        for run in runs(block, _WORTH_IT):
            at = run.start
            if run.plain:
                # Until a motion word has come, line by line.
                while self._motion not in (*_STRAIGHT, *_ARCS) and at < run.stop:
                    at = self._next_line(block, at)
                rest = block[at : run.stop]
                if rest and self._run(words(rest)):
                    self.summary.lines += rest.count(b"\n")
                    continue
            while at < run.stop:
                at = self._next_line(block, at)

    def _next_line(self, block: bytes, at: int) -> int:
        stop = block.index(b"\n", at) + 1
        self.summary.lines += 1
        self._line(block[at:stop])
        return stop

    def _run(self, run: Words) -> bool:
        """Takes a run of plain lines at once; False where it has to be read line by line, to say which is wrong."""
        modes = run.of("G")
        arcs = self._motion in _ARCS or bool(np.any(modes > 1.0))
        if arcs and not self._run_of_arcs(run):
            return False
        if not arcs and not self._straight_run(run):
            return False
        if len(modes):
            self._motion = round(float(modes[-1]) * 10)
        return True

    def _straight_run(self, run: Words) -> bool:
        """Absolute, the extremes are those of the words; incremental, of their running sums."""
        if not self._absolute and any(self._at[axis] is None and len(run.of("XYZ"[axis])) for axis in range(3)):
            return False
        extent = self._extent()
        for axis, letter in enumerate("XYZ"):
            values = run.of(letter) * self._per_unit
            if not len(values):
                continue
            before = self._at[axis]
            if not self._absolute and before is not None:
                values = np.cumsum(values) + before
            extent.take(axis, float(values.min()))
            extent.take(axis, float(values.max()))
            self._at[axis] = float(values[-1])
        return True

    def _run_of_arcs(self, run: Words) -> bool:
        """Straight moves and arcs by I and J in the XY plane, in absolute coordinates."""
        x, y = self._at[0], self._at[1]
        if not self._absolute or self._plane != "G17" or x is None or y is None:
            return False
        columns = {letter: run.column(letter) * self._per_unit for letter in "XYIJ"}
        mode = carried(run.column("G"), self._motion / 10)
        named = {letter: ~np.isnan(column) for letter, column in columns.items()}
        centred = named["I"] | named["J"]
        arc = (mode > 1.0) & (centred | named["X"] | named["Y"])
        if bool(np.any(arc & ~centred)):
            return False
        end = np.column_stack([carried(columns["X"], x), carried(columns["Y"], y)])
        start = np.concatenate([[[x, y]], end[:-1]])
        centre = start + np.nan_to_num(np.column_stack([columns["I"], columns["J"]]))
        reach = None
        if bool(arc.any()):
            reach = arcs_extent(start[arc], end[arc], centre[arc], mode[arc] == 2.0)
            if reach is None:
                return False
        if not self._straight_run(run):
            return False
        for low_or_high in reach or ():
            self._extent().take(0, float(low_or_high[0]))
            self._extent().take(1, float(low_or_high[1]))
        return True

    # --- single lines ----------------------------------------------------------------------

    def remark(self, text: str) -> None:
        if len(self.summary.remarks) < _MOST_REMARKS:
            self.summary.remarks.append(Remark(self.summary.lines, text))

    def _line(self, line: bytes) -> None:
        if len(line) > _LONGEST_LINE:
            self.remark("a line this long is none of a program")
            return
        text = line.decode("ascii", errors="replace")
        try:
            block = self._read(text)
            self._block(block, text)
        except ProgramError as error:
            self.remark(str(error).split(": ", 1)[1])
        except ExpressionError as error:
            self.remark(str(error))

    def _read(self, text: str) -> Block:
        """As either style of control reads it."""
        try:
            return read_block(self.summary.lines, text, self._dialect)
        except ProgramError:
            self._dialect = NUMBERED_STYLE if self._dialect is PARAMETER_STYLE else PARAMETER_STYLE
            return read_block(self.summary.lines, text, self._dialect)

    def _block(self, block: Block, text: str) -> None:
        if block.deletable:
            self.summary.deletable += 1
        if block.flow or block.assigns or not block.plain:
            self.remark("what is worked out at the machine is not counted")
            return
        words: dict[str, float] = block.words  # type: ignore[assignment]
        in_machine = 530 in block.g or 280 in block.g
        if "A" in words:
            self.remark("the rotary axis A turns the part; what follows is counted as if it stood still")
        for word in block.g:
            self._mode(word, words)
        self._tool_words(block, words, text)
        if 100 in block.g:
            self.summary.writes_offsets.append(self.summary.lines)
        elif (40 not in block.g and any(axis in words for axis in "XYZ")) or self._turns(words):
            self._move(words, in_machine)

    def _turns(self, words: dict[str, float]) -> bool:
        return self._motion in _ARCS and ("I" in words or "J" in words or "K" in words)

    def _mode(self, word: int, words: dict[str, float]) -> None:
        summary, line = self.summary, self.summary.lines
        if word in (*_STRAIGHT, *_ARCS, *_CYCLES):
            self._motion = word
            if word in _CYCLES and not {"Z", "R"} & words.keys() and not self._cycle:
                self.remark("a drilling cycle without Z and R")
        elif word == 800:
            self._motion, self._cycle = 0, {}
        elif word in OFFSETS:
            self._offset = _OFFSET_WORD[word]
            summary.offsets.setdefault(self._offset, line)
            # In another WCS the same place reads otherwise.
            self._at = [None, None, None]
        elif word == 541:
            self._offset = f"G54.1 P{words.get('P', 0):g}"
            summary.offsets.setdefault(self._offset, line)
            self._at = [None, None, None]
        elif word in (200, 210):
            self._per_unit = 25.4 if word == 200 else 1.0
            summary.units.setdefault("in" if word == 200 else "mm", line)
        elif word in (900, 910):
            self._absolute = word == 900
            summary.distance.setdefault("absolute" if word == 900 else "incremental", line)
        elif word in (170, 180, 190):
            self._plane = f"G{word // 10}"
            summary.planes.setdefault(self._plane, line)
        elif word in (410, 420) and summary.tools:
            summary.tools[-1].compensated.append(line)
        elif word == 901:
            self.remark("arc centres in absolute coordinates are not read; arcs after this are not counted for certain")

    def _tool_words(self, block: Block, words: dict[str, float], text: str) -> None:
        line = self.summary.lines
        if "T" in words:
            self._selected = round(words["T"])
        if 6 in block.m:
            self._tool = self._selected
            comment = " ".join(re.findall(r"\(([^()]*)\)", text)).strip()
            self.summary.tools.append(ToolUse(self._tool, line, comment))
            self._at = [None, None, None]
        if self.summary.tools:
            use = self.summary.tools[-1]
            if "H" in words:
                use.h.setdefault(round(words["H"]), line)
            if "D" in words:
                use.d.setdefault(round(words["D"]), line)
        if (3 in block.m or 4 in block.m) and not self.summary.spindle_on:
            self.summary.spindle_on = line
        if 98 in block.m:
            self.remark("a subprogram is called; its moves are not counted")

    # --- moves -----------------------------------------------------------------------------

    def _extent(self) -> Extent:
        return self.summary.extents.setdefault((self._offset, self._tool), Extent())

    def _move(self, words: dict[str, float], in_machine: bool) -> None:
        if in_machine:
            for axis, letter in enumerate("XYZ"):
                if letter in words:
                    self.summary.machine_moves.take(axis, words[letter] * self._per_unit)
                    self._at[axis] = None
            return
        if self._motion == -1:
            self.remark("there are axis words but no motion word is active")
            return
        start = list(self._at)
        if self._motion in _CYCLES:
            self._drill(words)
            return
        self._go(words)
        if self._motion in _ARCS:
            self._arc(words, start)

    def _go(self, words: dict[str, float]) -> None:
        extent = self._extent()
        for axis, letter in enumerate("XYZ"):
            if letter not in words:
                continue
            value = words[letter] * self._per_unit
            if not self._absolute:
                before = self._at[axis]
                if before is None:
                    self.remark(f"{letter} moves on from a place that is not known")
                    continue
                value += before
            self._at[axis] = value
            extent.take(axis, value)

    def _arc(self, words: dict[str, float], start: list[float | None]) -> None:
        a, b, _ = PLANES[self._plane]
        ends = (start[a], start[b], self._at[a], self._at[b])
        if any(value is None for value in ends):
            self.remark("an arc from a place that is not known")
            return
        start_a, start_b, end_a, end_b = (float(value) for value in ends if value is not None)
        if "R" in words:
            self._arc_by_radius((start_a, start_b), (end_a, end_b), words["R"] * self._per_unit)
            return
        letters = "IJK"
        centre = (
            start_a + words.get(letters[a], 0.0) * self._per_unit,
            start_b + words.get(letters[b], 0.0) * self._per_unit,
        )
        self._take_arc((start_a, start_b), (end_a, end_b), centre)

    def _take_arc(self, start: tuple[float, float], end: tuple[float, float], centre: tuple[float, float]) -> None:
        a, b, _ = PLANES[self._plane]
        low, high = arc_extent(start, end, centre, self._motion == 20)
        extent = self._extent()
        for axis, k in ((a, 0), (b, 1)):
            extent.take(axis, low[k])
            extent.take(axis, high[k])

    def _arc_by_radius(self, start: tuple[float, float], end: tuple[float, float], radius: float) -> None:
        self._take_arc(start, end, centre_by_radius(start, end, radius, self._motion == 20))

    def _drill(self, words: dict[str, float]) -> None:
        """The hole's place, its bottom and the height it is come to from."""
        self._cycle |= {letter: words[letter] * self._per_unit for letter in "ZR" if letter in words}
        self._go({letter: words[letter] for letter in "XY" if letter in words})
        if not self._absolute:
            self.remark("an incremental drilling cycle is not read; its depth is not counted")
            return
        for letter in "ZR":
            if letter in self._cycle:
                self._extent().take(2, self._cycle[letter])
