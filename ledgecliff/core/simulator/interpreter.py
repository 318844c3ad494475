"""The simulated control: runs RS-274/NGC style program text on a simulated machine.

It knows nothing about who wrote the text.  Supported: straight moves, probing moves, units,
absolute and incremental, work offsets and ``G10 L2``, tool change and length, stops, messages,
parameters, expressions and ``o… if / else / endif``.  Anything else is refused with its line.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from ..errors import ProgramError
from ..frames import Array
from ..quantities import mm_per
from .expressions import ExpressionError, Parameters, Scanner
from .machine import RAPID_FEED, Alarm, SimulatedMachine

_OFFSET_WORDS = {540: 1, 550: 2, 560: 3, 570: 4, 580: 5, 590: 6, 591: 7, 592: 8, 593: 9}
_MOTIONS = {0: "rapid", 10: "feed", 382: "towards", 383: "towards if", 384: "away"}
#: Words with no effect on a three-axis machine that runs these programs: planes, radius
#: compensation off, canned cycles off, feed per minute.
_IGNORED = {170, 400, 800, 940}
_FLOW = re.compile(r"^O(\d+)(IF|ELSEIF|ELSE|ENDIF)(.*)$")


@dataclass(frozen=True)
class Outcome:
    """How a program ended: ``alarm`` is empty when it ran to its own end without a stop."""

    alarm: str
    alarm_line: int
    messages: tuple[str, ...]
    parameters: Parameters
    blocks: int
    room_at_pauses: tuple[float, ...]


@dataclass
class _Line:
    number: int
    text: str
    code: str
    message: str


class _ProgramEnd(Exception):  # noqa: N818 - reaching M2 is no error
    pass


@dataclass
class Control:
    """Interprets one program at a time; tables and positions stay in the machine."""

    machine: SimulatedMachine
    parameters: Parameters = field(default_factory=dict)
    messages: list[str] = field(default_factory=list)
    #: At every M0: how far down from the tip the next thing is (mm).
    rooms: list[float] = field(default_factory=list)
    _per_unit: float = 1.0
    _absolute: bool = True
    _motion: str = ""
    _feed: float = 0.0
    _offset: int = 1
    _length: float = 0.0
    _selected_tool: int = 0

    def run(self, program: str, should_stop: Callable[[], bool] = lambda: False) -> Outcome:
        """Runs ``program`` to its end, its first alarm, or until ``should_stop``.

        Raises ProgramError when the text itself is not understood.
        """
        lines = [_read_line(k, text) for k, text in enumerate(program.splitlines(), start=1)]
        jumps = _matched_ifs(lines)
        self._store_offsets()
        alarm, alarm_line, blocks, at = "", 0, 0, 0
        while at < len(lines):
            line = lines[at]
            blocks += 1
            if should_stop():
                alarm, alarm_line = "stopped by the operator", line.number
                break
            try:
                at = self._flow(lines, jumps, at) if line.code.startswith("O") else self._block(line, at)
            except ExpressionError as error:
                raise ProgramError(line.number, line.text, str(error)) from error
            except Alarm as error:
                alarm, alarm_line = str(error), line.number
                break
            except _ProgramEnd:
                stop = next((text for text in reversed(self.messages[-1:]) if text.startswith("STOP")), "")
                alarm, alarm_line = stop, line.number if stop else 0
                break
        return Outcome(alarm, alarm_line, tuple(self.messages), dict(self.parameters), blocks, tuple(self.rooms))

    # --- flow -----------------------------------------------------------------------------

    def _flow(self, lines: list[_Line], jumps: dict[int, list[int]], at: int) -> int:
        """The next line after an o-word: into the first branch that holds, past the others."""
        match = _FLOW.match(lines[at].code)
        assert match is not None, "_matched_ifs has read every o-word"
        if match[2] != "IF":
            # Reached by running off the end of a branch that was taken.
            return jumps[at][-1] + 1
        for branch in jumps[at]:
            branch_match = _FLOW.match(lines[branch].code)
            assert branch_match is not None, "_matched_ifs has read every o-word"
            if branch_match[2] in ("ELSE", "ENDIF"):
                return branch + 1
            if Scanner(branch_match[3], self.parameters).bracket():
                return branch + 1
        raise AssertionError("an if always ends in endif")

    # --- one block ------------------------------------------------------------------------

    def _block(self, line: _Line, at: int) -> int:
        if line.message:
            self.messages.append(line.message)
        if not line.code or line.code == "%":
            return at + 1
        if line.code.startswith("#"):
            self._assign(line.code)
            return at + 1
        words = self._words(line.code)
        self._execute(words, line)
        return at + 1

    def _assign(self, code: str) -> None:
        scanner = Scanner(code, self.parameters)
        number = scanner.parameter_number()
        scanner.take("=")
        value = scanner.value()
        if not scanner.done():
            raise ExpressionError(f"'{scanner.text[scanner.at :]}' is not expected after the value")
        self.parameters[number] = value

    def _words(self, code: str) -> list[tuple[str, float]]:
        scanner, words = Scanner(code, self.parameters), []
        while not scanner.done():
            letter = scanner.peek()
            if letter not in "FGHLMNPSTXYZ":
                raise ExpressionError(f"the word '{letter}' is not supported")
            scanner.take(letter)
            words.append((letter, scanner.value()))
        return words

    def _execute(self, words: list[tuple[str, float]], line: _Line) -> None:
        g_words = [round(value * 10) for letter, value in words if letter == "G"]
        m_words = [round(value) for letter, value in words if letter == "M"]
        rest = {letter: value for letter, value in words if letter not in "GMN"}
        self._modes(g_words)
        if "F" in rest:
            self._feed = rest["F"] * self._per_unit
        if "T" in rest:
            self._selected_tool = round(rest["T"])
        for word in m_words:
            self._m_word(word)
        if 430 in g_words:
            self._length = self.machine.table_length(round(rest.get("H", self.machine.tool)))
        if 490 in g_words:
            self._length = 0.0
        if 100 in g_words:
            self._write_offset(rest)
        elif any(axis in rest for axis in "XYZ"):
            self._move(rest, 530 in g_words, line.number)
        if any(word in (2, 30) for word in m_words):
            raise _ProgramEnd

    def _modes(self, g_words: list[int]) -> None:
        for word in g_words:
            if word in (200, 210):
                self._per_unit = 25.4 if word == 200 else 1.0
            elif word in (900, 910):
                self._absolute = word == 900
            elif word in _OFFSET_WORDS:
                self._offset = _OFFSET_WORDS[word]
            elif word in _MOTIONS:
                self._motion = _MOTIONS[word]
            elif word not in (100, 430, 490, 530) and word not in _IGNORED:
                raise ExpressionError(f"G{word / 10:g} is not supported")

    def _m_word(self, word: int) -> None:
        if word == 6:
            self.machine.change_tool(self._selected_tool)
        elif word in (3, 4, 5):
            self.machine.spindle_on = word != 5
        elif word == 0:
            self.rooms.append(self.machine.room_below())
        elif word not in (1, 2, 30):
            raise ExpressionError(f"M{word} is not supported")

    # --- coordinates ----------------------------------------------------------------------

    def _zero(self) -> Array:
        """Machine reading of the active WCS's zero with the active tool length."""
        zero: Array = self.machine.offsets[self._offset] + np.array([0.0, 0.0, self._length])
        return zero

    def _write_offset(self, rest: dict[str, float]) -> None:
        if round(rest.get("L", 0)) != 2:
            raise ExpressionError("only G10 L2 is supported")
        number = round(rest.get("P", 0)) or self._offset
        if number not in self.machine.offsets:
            raise ExpressionError(f"G10 P{number}: there is no such work offset")
        value = self.machine.offsets[number].copy()
        for k, axis in enumerate("XYZ"):
            if axis in rest:
                value[k] = rest[axis] * self._per_unit
        self.machine.offsets[number] = value
        self._store_offsets()

    def _store_offsets(self) -> None:
        """#5221 and on hold the offset table, always in the control's own unit.

        A program in the other unit that adds to them comes out wrong, here as on a control.
        """
        own_unit = mm_per(self.machine.machine.program_units)
        for number, value in self.machine.offsets.items():
            for k in range(3):
                self.parameters[5221 + 20 * (number - 1) + k] = float(value[k]) / own_unit

    def _target(self, rest: dict[str, float], in_machine: bool) -> Array:
        target = self.machine.position.copy()
        zero = np.zeros(3) if in_machine else self._zero()
        for k, axis in enumerate("XYZ"):
            if axis in rest:
                mm = rest[axis] * self._per_unit
                target[k] = zero[k] + mm if self._absolute or in_machine else self.machine.position[k] + mm
        return target

    def _move(self, rest: dict[str, float], in_machine: bool, line: int) -> None:
        target = self._target(rest, in_machine)
        motion = self._motion
        if motion == "":
            raise ExpressionError("there are axis words but no motion word is active")
        if motion != "rapid" and self._feed <= 0.0:
            raise ExpressionError("a feed move without a feed")
        if motion == "rapid":
            self.machine.travel_to(target, "rapid", RAPID_FEED, line)
        elif motion == "feed":
            self.machine.travel_to(target, "feed", self._feed, line)
        elif motion == "away":
            self._latch(self.machine.probe_away(target, self._feed, line))
        else:
            self._latch(self.machine.probe_towards(target, self._feed, line, must_touch=motion == "towards"))

    def _latch(self, m_reading: Array | None) -> None:
        """#5061 to #5063 in the active WCS and unit; #5070 tells whether contact was made."""
        self.parameters[5070] = float(m_reading is not None)
        if m_reading is None:
            return
        for k, value in enumerate(m_reading - self._zero()):
            self.parameters[5061 + k] = float(value) / self._per_unit


def _read_line(number: int, text: str) -> _Line:
    comments = re.findall(r"\(([^()]*)\)", text)
    code = re.sub(r"\([^()]*\)", "", text).split(";")[0]
    if "(" in code or ")" in code:
        raise ProgramError(number, text, "a comment is not closed")
    message = next((c.strip()[4:].strip() for c in comments if c.strip().upper().startswith("MSG,")), "")
    return _Line(number, text.strip(), re.sub(r"\s", "", code).upper(), message)


def _matched_ifs(lines: list[_Line]) -> dict[int, list[int]]:
    """For every o-word line of one if: the line numbers (from 0) of that if's o-words in order."""
    open_ifs: list[tuple[str, list[int]]] = []
    result: dict[int, list[int]] = {}
    for at, line in enumerate(lines):
        if not line.code.startswith("O"):
            continue
        match = _FLOW.match(line.code)
        if match is None:
            raise ProgramError(line.number, line.text, "only o… if, elseif, else and endif are supported")
        label, word = match[1], match[2]
        if word == "IF":
            open_ifs.append((label, [at]))
        elif not open_ifs or open_ifs[-1][0] != label:
            raise ProgramError(line.number, line.text, f"'{word.lower()}' without its if")
        else:
            open_ifs[-1][1].append(at)
        if word == "ENDIF":
            _, group = open_ifs.pop()
            result |= dict.fromkeys(group, group)
    if open_ifs:
        line = lines[open_ifs[-1][1][0]]
        raise ProgramError(line.number, line.text, "the if has no endif")
    return result
