"""The simulated control: runs program text on a simulated machine.

It knows nothing about who wrote the text.  Two dialects of the same language are understood, see
``modal``; a word that the dialect does not have stops the run with its line number, nothing is
guessed.  Lengths are millimetres inside; ``_per_unit`` converts what stands in the text.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

from ..contact.first_contact import Triple
from ..errors import ProgramError
from .arcs import PLANES, arc_points
from .axes import clamp_words
from .blocks import Block, read_program
from .coordinates import Coordinates
from .drilling import Cycle, cycle_moves
from .expressions import ExpressionError, Parameters, evaluated, parameter_number, whole
from .flow import Flow
from .machine import BY_HAND, RAPID_FEED, STOPPED, Alarm, SimulatedMachine
from .modal import CYCLES, PARAMETER_STYLE, USES, WORK_OFFSET, Dialect
from .offset_table import OffsetTable

_AXES = "XYZ"
_ROTARY = frozenset("ABC")
_NUMBER = r"([+-]?(?:\d+\.?\d*|\.\d+))"
#: A line of a straight move in the usual order of words; any other goes the long way round.
_STRAIGHT = re.compile(
    rf"\s*(?:N\d+\s*)?(?:G0*([01])\s*)?(?:X{_NUMBER}\s*)?(?:Y{_NUMBER}\s*)?(?:Z{_NUMBER}\s*)?(?:F{_NUMBER}\s*)?",
    re.IGNORECASE,
).fullmatch
#: The operator's stop is looked for every so many blocks.
_STOP_EVERY = 16
_PROBING = (310, 382, 383, 384, 385)


@dataclass(frozen=True)
class Outcome:
    """How a program ended: ``alarm`` is empty when it ran to its own end without a stop."""

    alarm: str
    alarm_line: int
    messages: tuple[str, ...]
    parameters: dict[int, float]
    blocks: int
    room_at_pauses: tuple[float, ...]
    #: Whether it came to a word that ends programs, rather than to the end of its text.
    ended: bool = True


class _ProgramEnd(Exception):  # noqa: N818 - reaching M2 is no error
    pass


@dataclass
class Control:
    """Interprets one program at a time; tables and positions stay in the machine.

    ``block_delete`` leaves out blocks that begin with ``/``.
    """

    machine: SimulatedMachine
    dialect: Dialect = PARAMETER_STYLE
    block_delete: bool = False
    messages: list[str] = field(default_factory=list)
    #: At every M0: how far down from the tip the next thing is (mm).
    rooms: list[float] = field(default_factory=list)
    _per_unit: float = 1.0
    _absolute: bool = True
    _motion: int | None = None
    _feed: float = 0.0
    _offset: int = 1
    _length: float = 0.0
    _plane: str = "G17"
    _back_to_start: bool = True
    _selected_tool: int = 0
    _cycle: dict[str, float] = field(default_factory=dict)
    _cycle_start: float = 0.0
    #: Cutter compensation is in force: nothing may move in the plane, since it is not simulated.
    _compensated: bool = False
    #: Feed words are times: nothing may move at feed, since it is not simulated.
    _inverse_time: bool = False
    _coordinates: Coordinates = field(default_factory=Coordinates)

    def __post_init__(self) -> None:
        self.parameters = Parameters(self._live)
        self._builders_words = frozenset(word.word for word in self.machine.machine.words)
        self._frees = clamp_words(self.machine.machine)
        self._offset_table = OffsetTable(self.machine, self.dialect, self.parameters)
        self._refresh_zero()

    def run(self, program: str, should_stop: Callable[[], bool] = lambda: False) -> Outcome:
        """Runs ``program`` to its end, its first alarm, or until ``should_stop``.

        Raises ProgramError when the text itself is not understood.
        """
        for _ in self.steps(program, should_stop):
            pass
        return self.outcome

    def steps(self, program: str, should_stop: Callable[[], bool] = lambda: False) -> Iterator[int]:
        """As ``run``, block by block: yields the number of each line that is done; ``outcome`` holds after the last."""
        read = read_program(program, self.dialect)
        self.machine.should_stop = should_stop
        self._flow = Flow(read, self.parameters)
        self._offset_table.store()
        self._refresh_zero()
        alarm, alarm_line, blocks, at, lines = "", 0, 0, 0, read.lines
        ended = False
        while at < len(lines):
            if blocks % _STOP_EVERY == 0 and should_stop():
                alarm, alarm_line = STOPPED, at + 1
                break
            blocks += 1
            done = at + 1
            try:
                if (match := _STRAIGHT(lines[at])) and (self._motion == 0 or self._motion == 10):
                    self._straight_line(match, done)
                    at = done
                else:
                    at = self._block(read.block(at), at)
            except ExpressionError as error:
                raise ProgramError(done, lines[at].strip(), str(error)) from error
            except Alarm as error:
                alarm, alarm_line = str(error), done
                break
            except _ProgramEnd:
                ended = True
                stop = next((text for text in reversed(self.messages[-1:]) if text.startswith("STOP")), "")
                alarm, alarm_line = stop, done if stop else 0
                break
            yield done
        self.outcome = Outcome(
            alarm, alarm_line, tuple(self.messages), dict(self.parameters), blocks, tuple(self.rooms), ended
        )

    def _straight_line(self, match: re.Match[str], number: int) -> None:
        """A line of nothing but a place and a feed, with a straight move in force: nearly all of a toolpath."""
        g, x, y, z, feed = match.groups()
        if g:
            self._motion = 0 if float(g) == 0.0 else 10
        if feed:
            self._feed = self._fed(float(feed))
        if not (x or y or z):
            return
        motion, per_unit = self._motion, self._per_unit
        if motion and self._feed <= 0.0:
            raise ExpressionError("a feed move without a feed")
        if motion and self._inverse_time:
            raise ExpressionError("inverse time feed is not simulated; go back to G94 before this move")
        if self._compensated and (x or y):
            raise ExpressionError("cutter radius compensation is not simulated; cancel it with G40 before this move")
        at_x, at_y, at_z = self._coordinates.read(self.machine.position)
        if self._absolute:
            target = (
                float(x) * per_unit if x else at_x,
                float(y) * per_unit if y else at_y,
                float(z) * per_unit if z else at_z,
            )
        else:
            target = (
                at_x + float(x or 0.0) * per_unit,
                at_y + float(y or 0.0) * per_unit,
                at_z + float(z or 0.0) * per_unit,
            )
        if motion:
            self.machine.travel_to(self._coordinates.placed(target), "feed", self._feed, number)
        else:
            self.machine.travel_to(self._coordinates.placed(target), "rapid", RAPID_FEED, number)

    # --- one block ------------------------------------------------------------------------

    def _block(self, line: Block, at: int) -> int:
        if line.deletable and self.block_delete:
            return at + 1
        if line.flow:
            if line.flow == "THEN":
                if evaluated(line.arguments[0], self.parameters):
                    self._assign(line)
                return at + 1
            return self._flow.after(at, line)
        if line.message and not (line.assigns and not line.g):
            self.messages.append(line.message)
            self.machine.asked = line.message.upper().startswith(BY_HAND)
        if line.assigns and not (line.words or line.g or line.m):
            self._assign(line)
            return at + 1
        if line.plain:
            words: dict[str, float] = line.words  # type: ignore[assignment]
        else:
            words = {letter: evaluated(value, self.parameters) for letter, value in line.words.items()}
        # What a block sets counts from the next one on: its own words have been read.
        if line.assigns:
            self._assign(line)
        if line.g or line.m:
            return self._execute(line, words, at)
        if words:
            self._used(line, words)
            if "F" in words:
                self._feed = self._fed(words["F"])
            self._axis_words(words, False, at + 1)
        return at + 1

    def _assign(self, line: Block) -> None:
        values = [
            (parameter_number(evaluated(target, self.parameters)), evaluated(value, self.parameters))
            for target, value in line.assigns
        ]
        for number, value in values:
            if number == 3000 and not self.dialect.o_words:
                raise Alarm(f"STOP {line.message}".strip() if not line.message.startswith("STOP") else line.message)
            if self._follows_the_machine(number):
                raise ExpressionError(f"#{number} is worked out by the control and cannot be set")
            self.parameters[number] = value
            if self._offset_table.written(number, value):
                self._refresh_zero()

    def _execute(self, line: Block, words: dict[str, float], at: int) -> int:
        in_machine = other = False
        g_words = line.g
        for word in g_words:
            if word in (40, 100, 280, 520, 680, 920, 921, 922, 923):
                other = True
            elif word == 530:
                in_machine = True
            else:
                self._mode(word, words)
        self._used(line, words)
        if "F" in words:
            self._feed = self._fed(words["F"])
        if "T" in words:
            self._selected_tool = whole("T", words["T"])
        after = self._m_words(line, words, at)
        if 430 in g_words:
            self._length = self.machine.table_length(whole("H", words.get("H", self.machine.tool)))
            self._refresh_zero()
        if other:
            self._for_one_block(g_words, words, at + 1)
        else:
            self._axis_words(words, in_machine, at + 1)
        if 2 in line.m or 30 in line.m:
            raise _ProgramEnd
        return after

    def _fed(self, feed: float) -> float:
        if feed < 0.0:
            raise ExpressionError(f"the feed {feed:g} is below 0")
        return feed * self._per_unit

    def _mode(self, word: int, words: dict[str, float]) -> None:
        if word in (0, 10, 20, 30, *_PROBING, *CYCLES):
            if word in CYCLES and self._motion not in CYCLES:
                self._cycle, self._cycle_start = {}, self._w_position()[2]
            self._motion = word
        elif word == 800:
            self._motion = None
        elif word in (200, 210):
            self._per_unit = 25.4 if word == 200 else 1.0
        elif word in (900, 910):
            self._absolute = word == 900
        elif self.dialect.group(word) == WORK_OFFSET:
            self._offset = self._offset_table.selected(word, words)
            self._refresh_zero()
        elif word in (170, 180, 190):
            self._plane = f"G{word // 10}"
        elif word in (980, 990):
            self._back_to_start = word == 980
        elif word == 690:
            self._coordinates.end_rotation()
        elif word == 490:
            self._length = 0.0
            self._refresh_zero()
        elif word in (400, 410, 420):
            self._compensated = word != 400
        elif word == 901:
            raise ExpressionError("arc centres in absolute coordinates are not simulated")
        elif word in (930, 940):
            self._inverse_time = word == 930
        elif word == 430 and self.dialect.o_words and "H" not in words and not self.machine.tool:
            raise ExpressionError("G43 without H and without a tool in the spindle")

    def _m_words(self, line: Block, words: dict[str, float], at: int) -> int:
        after = at + 1
        for word in line.m:
            if word == 6:
                self.machine.change_tool(self._selected_tool)
            elif word in (3, 4, 5, 19):
                self._spindle(word in (3, 4))
            elif word == 0:
                # With nothing in the spindle there is nothing that a block could be tried under.
                self.rooms.append(self.machine.room_below() if self.machine.tool else -math.inf)
            elif word in (98, 99) and not self.dialect.o_words:
                if word == 99:
                    after = self._flow.back()
                else:
                    sub, times = whole("P", words.get("P", 0.0)), whole("L", words.get("L", 1.0))
                    after = self._flow.call(sub, at + 1, None, times)
            elif (said := self._said(word, words)) in self._builders_words:
                self.machine.said.append(said)
            elif said in self._frees:
                axis, free = self._frees[said]
                self.machine.free_axis(axis, free=free)
            elif not self._switched(word, words) and word not in (1, 2, 7, 8, 9, 30):
                raise ExpressionError(f"M{word} is not supported")
        return after

    def _spindle(self, on: bool) -> None:
        if on and self.machine.tool == self.machine.machine.probe.tool:
            raise Alarm("the spindle is switched on with the probe in it")
        self.machine.spindle_on = on

    def _switched(self, word: int, words: dict[str, float]) -> bool:
        """Whether an M word is what switches this machine's probe; then it is done."""
        if not self._is_switch(word, words):
            return False
        self.machine.probe_on = self._said(word, words) == self.machine.machine.probe.on_word
        return True

    @staticmethod
    def _said(word: int, words: dict[str, float]) -> str:
        return f"M{word}" + (f" P{words['P']:g}" if "P" in words else "")

    def _is_switch(self, word: int, words: dict[str, float]) -> bool:
        probe = self.machine.machine.probe
        return self._said(word, words) in (probe.on_word, probe.off_word, *self._builders_words, *self._frees)

    def _for_one_block(self, g_words: tuple[int, ...], words: dict[str, float], number: int) -> None:
        if 40 in g_words:
            if not {"P", "X"} & words.keys():
                raise ExpressionError("G4 needs its time in P")
        elif 100 in g_words:
            self._offset_table.write(words, self._per_unit, self._offset, self._length)
            self._refresh_zero()
        elif 280 in g_words:
            self._go_home(words, number)
        elif 680 in g_words:
            self._rotate(words)
        else:
            self._shift(g_words, words)

    def _shift(self, g_words: tuple[int, ...], words: dict[str, float]) -> None:
        """G92 makes the present place read what is stated, G92.1 takes that back, G92.2 and G92.3 lay it aside and take
        it up again; G52 states the shift itself."""
        now = self._coordinates
        if {921, 922} & set(g_words):
            now.kept_shift = now.shifted if 922 in g_words else (0.0, 0.0, 0.0)
            now.shifted = (0.0, 0.0, 0.0)
            return
        if 923 in g_words:
            now.shifted = now.kept_shift
            return
        stated = {k: words[axis] * self._per_unit for k, axis in enumerate(_AXES) if axis in words}
        if not stated:
            raise ExpressionError("G52 and G92 need the axes that they shift, such as X0")
        if now.rotated:
            raise ExpressionError("which way a shift goes under G68 differs from control to control; end it with G69")
        reads = self._w_position()
        if 920 in g_words:
            x, y, z = (now.shifted[k] + (reads[k] - stated[k] if k in stated else 0.0) for k in range(3))
            now.shifted = (x, y, z)
        elif self.dialect.o_words:
            # In the parameter style both are one shift, which G92.1 takes back.
            x, y, z = (stated.get(k, now.shifted[k]) for k in range(3))
            now.shifted = (x, y, z)
        else:
            x, y, z = (stated.get(k, now.shifted_locally[k]) for k in range(3))
            now.shifted_locally = (x, y, z)

    def _rotate(self, words: dict[str, float]) -> None:
        """G68 turns what is programmed after it about a place, anticlockwise seen from above."""
        if not {"X", "Y", "R"} <= words.keys():
            raise ExpressionError("G68 needs the middle of the turn in X and Y, and the turn in R")
        if not self._absolute or self._plane != "G17" or self._coordinates.rotated:
            raise ExpressionError("G68 is simulated in G17 and G90 only, and not within another")
        self._coordinates.rotate(words["X"] * self._per_unit, words["Y"] * self._per_unit, words["R"])

    def _used(self, line: Block, words: dict[str, float]) -> None:
        """Every word must be of use to something in its block: one that is passed over was meant for something."""
        motion = self._motion
        in_force = {motion} if motion in CYCLES or motion in (20, 30) else set()
        called = set(line.m) & {98} or any(self._is_switch(word, words) for word in line.m)
        for letter in words.keys() & USES.keys():
            if letter in "PL" and called:
                continue
            if letter == "P" and motion in CYCLES:
                continue
            if letter in "KQ" and motion in CYCLES and (letter == "Q" or not self.dialect.o_words):
                continue
            if not self.dialect.uses(letter) & ({*line.g} | in_force):
                raise ExpressionError(f"nothing in this block uses the word {letter}{words[letter]:g}")

    # --- coordinates ----------------------------------------------------------------------

    def _refresh_zero(self) -> None:
        x, y, z = self.machine.offsets[self._offset].tolist()
        turn_deg = self.machine.turns.get(self._offset, 0.0) if self.dialect.turns else 0.0
        self._coordinates.stand((x, y, z + self._length), turn_deg)

    def _w_position(self) -> Triple:
        """Where the tool is, as the control reads it (mm)."""
        return self._coordinates.read(self.machine.position)

    @staticmethod
    def _follows_the_machine(number: int) -> bool:
        """Whether a parameter is the control's own and is worked out when it is read."""
        position = 5021 <= number <= 5023 or 5041 <= number <= 5043 or 5420 <= number <= 5422
        return position or 5211 <= number <= 5213 or number in (5220, 5400, 4120)

    def _live(self, number: int) -> float:
        """Parameters that follow the machine: position, shifts, the offset selected and the tool in the spindle."""
        if number in (5400, 4120):
            return float(self.machine.tool)
        if 5021 <= number <= 5023:
            return self.machine.position[number - 5021] / self._per_unit
        if 5041 <= number <= 5043:
            return self._w_position()[number - 5041] / self._per_unit
        if 5420 <= number <= 5422:
            return self._w_position()[number - 5420] / self._per_unit
        if number == 5220:
            return float(self._offset)
        if 5211 <= number <= 5213:
            return self._coordinates.shifted[number - 5211] / self._per_unit
        return 0.0

    # --- motion ---------------------------------------------------------------------------

    def _axis_words(self, words: dict[str, float], in_machine: bool, number: int) -> None:
        motion = self._motion
        if words.keys() & _ROTARY:
            self._turn_axis(words)
            return
        if not ("X" in words or "Y" in words or "Z" in words):
            if motion in (20, 30) and ("I" in words or "J" in words):
                if in_machine:
                    raise ExpressionError("G53 goes with G0 or G1 only")
                self._arc(words, number)
            return
        if motion is None:
            raise ExpressionError("there are axis words but no motion word is active")
        if in_machine and motion not in (0, 10):
            raise ExpressionError("G53 goes with G0 or G1 only")
        if self._compensated and ("X" in words or "Y" in words):
            raise ExpressionError("cutter radius compensation is not simulated; cancel it with G40 before this move")
        if motion != 0 and self._feed <= 0.0:
            raise ExpressionError("a feed move without a feed")
        if motion != 0 and self._inverse_time:
            raise ExpressionError("inverse time feed is not simulated; go back to G94 before this move")
        if motion in (20, 30):
            self._arc(words, number)
        elif motion in CYCLES:
            self._drill(words, number)
        else:
            self._straight(motion, self._target(words, in_machine), number)

    def _turn_axis(self, words: dict[str, float]) -> None:
        """The rotary axis turns by itself and fast: nothing is simulated that moves and turns at once."""
        word, *others = sorted(words.keys() & _ROTARY)
        if self._motion != 0 or others or words.keys() & set("XYZIJKR"):
            raise ExpressionError(f"the rotary axis {word} turns by itself in a G0 block; give it one of its own")
        self.machine.turn_to(word, words[word] + (0.0 if self._absolute else self.machine.axes.angles.get(word, 0.0)))

    def _target(self, words: dict[str, float], in_machine: bool) -> Triple:
        per_unit = self._per_unit
        if in_machine:
            x, y, z = self.machine.position
            return (
                words["X"] * per_unit if "X" in words else x,
                words["Y"] * per_unit if "Y" in words else y,
                words["Z"] * per_unit if "Z" in words else z,
            )
        return self._coordinates.placed(self._w_target(words))

    def _w_target(self, words: dict[str, float]) -> Triple:
        per_unit = self._per_unit
        x, y, z = self._coordinates.read(self.machine.position)
        if self._absolute:
            return (
                words["X"] * per_unit if "X" in words else x,
                words["Y"] * per_unit if "Y" in words else y,
                words["Z"] * per_unit if "Z" in words else z,
            )
        return (
            x + words.get("X", 0.0) * per_unit,
            y + words.get("Y", 0.0) * per_unit,
            z + words.get("Z", 0.0) * per_unit,
        )

    def _straight(self, motion: int, target: Triple, number: int) -> None:
        machine = self.machine
        if motion == 0:
            machine.travel_to(target, "rapid", RAPID_FEED, number)
        elif motion == 10:
            machine.travel_to(target, "feed", self._feed, number)
        elif motion in (384, 385):
            self._latch(machine.probe_away(target, self._feed, number, must_lose=motion == 384))
        elif motion == 310:
            self._skip(target, number)
        else:
            self._latch(machine.probe_towards(target, self._feed, number, must_touch=motion == 382))

    def _skip(self, target: Triple, number: int) -> None:
        """G31: to the trigger, or to the end without one; the skip parameters hold where that was."""
        if self._coordinates.rotated:
            raise ExpressionError("what a skip reads under G68 differs from control to control; end it with G69 first")
        reading = self.machine.probe_towards(target, self._feed, number, must_touch=False)
        for k, value in enumerate(self._coordinates.read(target if reading is None else reading)):
            self.parameters[5061 + k] = value / self._per_unit

    def _latch(self, m_reading: Triple | None) -> None:
        """#5061 to #5063 in the active WCS and unit; #5070 tells whether the move ended as it should."""
        self.parameters[5070] = float(m_reading is not None)
        if m_reading is None:
            return
        for k, value in enumerate(self._coordinates.read(m_reading)):
            self.parameters[5061 + k] = value / self._per_unit

    def _arc(self, words: dict[str, float], number: int) -> None:
        a, b, _ = PLANES[self._plane]
        start, end = self._w_position(), self._w_target(words)
        centre = radius = None
        if "R" in words:
            radius = words["R"] * self._per_unit
        else:
            letters = "IJK"
            if not {letters[a], letters[b]} & words.keys():
                raise ExpressionError(f"an arc in {self._plane} needs {letters[a]} and {letters[b]}, or R")
            centre = (
                start[a] + words.get(letters[a], 0.0) * self._per_unit,
                start[b] + words.get(letters[b], 0.0) * self._per_unit,
            )
        for point in arc_points(start, end, self._plane, self._motion == 20, centre, radius):
            self.machine.travel_to(self._coordinates.placed(point), "feed", self._feed, number)

    def _drill(self, words: dict[str, float], number: int) -> None:
        """One hole for every repeat; Z, R and Q stay in force until the cycle is cancelled."""
        if self._plane != "G17":
            raise ExpressionError("drilling cycles run in G17 only")
        self._cycle |= {letter: words[letter] * self._per_unit for letter in "ZRQ" if letter in words}
        if not {"Z", "R"} <= self._cycle.keys():
            raise ExpressionError("a drilling cycle needs Z and R")
        for _ in range(whole("L", words.get("L", words.get("K", 1.0)))):
            now = self._w_position()
            x, y, _z = self._w_target({letter: words[letter] for letter in "XY" if letter in words})
            retract, bottom = self._cycle["R"], self._cycle["Z"]
            if not self._absolute:
                retract, bottom = self._cycle_start + retract, self._cycle_start + retract + bottom
            back_to = max(self._cycle_start, retract) if self._back_to_start else retract
            assert self._motion is not None, "a drilling cycle is the active motion"
            cycle = Cycle(self._motion, bottom, retract, self._cycle.get("Q", 0.0), back_to)
            for kind, point in cycle_moves(cycle, (x, y), now):
                target = self._coordinates.placed(point)
                if math.dist(target, self.machine.position) > 0.0:
                    self.machine.travel_to(target, kind, RAPID_FEED if kind == "rapid" else self._feed, number)

    def _go_home(self, words: dict[str, float], number: int) -> None:
        """G28: by way of the point given, to machine zero along the axes that were named."""
        named = [axis for axis in _AXES if axis in words]
        if not named:
            raise ExpressionError("G28 needs the axes that go home, such as G91 G28 Z0")
        self.machine.travel_to(self._target(words, False), "rapid", RAPID_FEED, number)
        x, y, z = self.machine.position
        home = (0.0 if "X" in named else x, 0.0 if "Y" in named else y, 0.0 if "Z" in named else z)
        self.machine.travel_to(home, "rapid", RAPID_FEED, number)
