"""Single lines of a toolpath program, as the simulated control's own reader understands them.

Units, distance mode and whatever else stays in force are never lost: a line that cannot be read and may hold
such a word makes the whole program *not read*.
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Callable

from ..errors import ProgramError
from ..simulator.blocks import Block, read_block
from ..simulator.expressions import ExpressionError
from ..simulator.modal import GROUPS, WORK_OFFSET, Dialect
from .control_words import ControlWords
from .duration import INVERSE, PER_MINUTE, PER_TURN
from .moves import by_way_of, move
from .state import ARCS, DRILLING, STRAIGHT, State
from .subprograms import Finder, SubprogramError
from .summary import ProgramSummary, Remark, ToolUse

#: The longest line that is a line of a program (bytes).
LONGEST_LINE = 4096
#: So many remarks are kept; more of the same say nothing new.
_MOST_REMARKS = 50
#: A dwell of so many whole seconds is more likely one of thousandths.
_MANY_SECONDS = 60.0
#: Subprograms within subprograms, and bytes of them followed in all.
_DEEPEST = 8
_MOST_FOLLOWED = 64 << 20
_MOTIONS = (*STRAIGHT, *ARCS, *DRILLING)
_DISTORTING = (150, 160, 500, 501, 510, 511, 680, 690)
#: Words that stay in force or say where the program goes on: a line with one of them must be understood.
_LASTING = {"units", "distance", "plane", "polar", "scaling", "mirror", "rotation", "arc centre"}
_LASTING_G = {word for word, group in GROUPS.items() if group in _LASTING} | {520, 700, 710, 920, 921, 922, 923}
_LEADING_M = frozenset((2, 6, 30, 97, 98, 99, 198))
_ANY_G = re.compile(r"G([+-]?[\d.]+|[#\[])")
_ANY_M = re.compile(r"M([\d.]+|[#\[])")
_ANY_T = re.compile(r"(?<![A-Z])T[\d#\[]")
_TURN = re.compile(r"R\s*\[?\s*#\s*(\d+)\s*\]?\s*(?:[A-Z;]|$)")
_INNERMOST = re.compile(r"\([^()]*\)")
_HEADING = re.compile(r"[ \t/]*(?:N[ \t]*\d+[ \t]*)?O[ \t]*(\d+)[ \t]*(?:\(.*)?;?\s*", re.IGNORECASE)


class LineReader(ABC):
    """``over`` once the program, or the subprogram being followed, has ended; ``skipping`` one that is not called."""

    def __init__(self, find: Finder, should_stop: Callable[[], bool], control: ControlWords) -> None:
        self.summary = ProgramSummary(control.unit)
        self.state = State(self.summary, self.remark, 25.4 if control.unit == "in" else 1.0)
        self.over = self.skipping = False
        #: Whether the whole program has ended, and whether by M99, which subprograms end by.
        self.program_over = self.returned = False
        self._find, self._should_stop, self._control = find, should_stop, control
        self._dialects = control.dialects()
        self._dialect: Dialect = self._dialects[0]
        self._begun = False
        self._texts: dict[tuple[int, bool], bytes] = {}
        #: Names of the subprograms being followed, and the line of the innermost.
        self._within: list[str] = []
        self._sub_line = 0
        self._followed = 0

    @abstractmethod
    def take(self, block: bytes) -> int:
        """Lines of the program or of a subprogram, up to where it ends; where in the block that is."""

    def finished(self) -> ProgramSummary:
        """What was read, once there is no more."""
        if self.summary.not_read is not None:
            self.summary.extents.clear()
        if self.skipping:
            self.remark("a subprogram has no end")
        return self.summary

    # --- remarks ---------------------------------------------------------------------------

    def remark(self, text: str) -> None:
        if len(self.summary.remarks) < _MOST_REMARKS:
            self.summary.remarks.append(Remark(self.summary.lines, self._placed(text)))

    def _placed(self, text: str) -> str:
        return f"{self._within[-1]}, line {self._sub_line}: {text}" if self._within else text

    def _refuse(self, text: str) -> None:
        """Something that counts for all that follows is in doubt."""
        if self.summary.not_read is None:
            self.summary.not_read = Remark(self.summary.lines, self._placed(text))

    def _count(self, lines: int) -> None:
        if self._within:
            self._sub_line += lines
        else:
            self.summary.lines += lines

    # --- a line ----------------------------------------------------------------------------

    def line(self, line: bytes, above: bytes) -> None:
        """One line; ``above`` is the text right before it, to look for a comment in."""
        text = line.decode("ascii", errors="replace")
        if self._passes_over(text):
            return
        if len(line) > LONGEST_LINE:
            self._unreadable(text, "a line this long is none of a program")
            return
        try:
            block = self._read(text)
        except ProgramError as error:
            self._unreadable(text, str(error).split(": ", 1)[1])
            return
        try:
            self._block(block, text, above)
        except (ExpressionError, SubprogramError) as error:
            self.remark(str(error))

    def _passes_over(self, text: str) -> bool:
        """Whether a line belongs to a subprogram that is not being called, or to what comes after the end."""
        words = "".join(text.split()).upper()
        if self.skipping:
            self.skipping = re.match(r"O\d+ENDSUB", words) is None
            return True
        if words == "%":
            self.over = self.over or self._begun
            return True
        heading = _HEADING.fullmatch(text)
        if heading is not None:
            if self._begun and not self._within:
                self.remark(f"the program runs on into O{heading[1]}, without an end of its own; that is not counted")
                self.over = True
            return True
        self._begun = self._begun or (bool(words) and not words.startswith("("))
        return False

    def _read(self, text: str) -> Block:
        """As either style of control reads it."""
        try:
            return read_block(self.summary.lines, text, self._dialect)
        except ProgramError:
            other = next(each for each in self._dialects if each is not self._dialect)
            block = read_block(self.summary.lines, text, other)
            self._dialect = other
            return block

    def _unreadable(self, text: str, reason: str) -> None:
        """What stays in force must not be lost with a line that cannot be read."""
        code = text.split(";")[0]
        while (bare := _INNERMOST.sub("", code)) != code:
            code = bare
        code = "".join(code.split()).upper()
        found = [word for word in _ANY_G.findall(code) if word]
        g = [round(float(word) * 10) for word in found if _is_number(word)]
        m = [word for word in _ANY_M.findall(code) if not _is_number(word) or float(word) in _LEADING_M]
        if strange := next((word for word in g if self._may_select(word)), None):
            self._refuse(
                f"G{strange / 10:g} may call a work offset that the machine's settings do not state; add it there"
            )
            return
        if len(g) < len(found) or m or _ANY_T.search(code) or any(self._lasts(word) for word in g):
            self._refuse(f"{reason}, in a line that counts for what follows")
            return
        self.remark(reason)
        motions = [word for word in g if word in _MOTIONS]
        if motions:
            self.state.motion = motions[-1] if len(motions) == 1 else -1
        self.state.lose("".join(letter for letter in "XYZ" if letter in code))

    def _lasts(self, word: int) -> bool:
        return word in _LASTING_G or self._dialect.group(word) == WORK_OFFSET

    def _may_select(self, word: int) -> bool:
        """Whether a word that is not known may be one that calls an offset: beside G54, or of three digits."""
        return self._dialect.group(word) is None and ((word // 100 == 5 and word >= 540) or word >= 1000)

    def _block(self, block: Block, text: str, above: bytes) -> None:
        if block.flow:
            self._flow(block)
            return
        words = {letter: value for letter, value in block.words.items() if not callable(value)}
        worked_out = block.words.keys() - words.keys()
        by = self._turned_by(block, words, text)
        if by is not None:
            worked_out = worked_out - {"R"}
        if block.deletable:
            self.summary.deletable += 1
            if any(self._lasts(word) for word in block.g) or _LEADING_M & {*block.m} or "T" in words:
                self.remark("whether this line counts is decided at the machine (block delete); it is counted")
        if block.assigns or worked_out:
            self.remark("what is worked out at the machine is not counted")
        if turned := sorted({*"ABCUVW"} & block.words.keys()):
            if self._indexes(block, words, turned):
                again = {letter for letter, degrees, _ in self.summary.indexed if degrees != words.get(letter, degrees)}
                if again & {*turned}:
                    self.remark(f"the axis {turned[0]} is turned again; what follows is counted as on the same side")
                self.summary.indexed += [(letter, words[letter], self.summary.lines) for letter in turned]
                self.state.lose()
            else:
                self.remark(f"the axis {turned[0]} moves too; what follows is counted as if it stood still")
        for word in block.g:
            if word != 680 or by is None:
                self._mode(word, words)
        self._times(block, words)
        self._tool_words(block, words, text, above)
        if by is not None:
            self.state.turn_by(by)
        elif 100 in block.g:
            self.summary.writes_offsets.append(self.summary.lines)
            self.state.lose()
        elif 520 in block.g or 920 in block.g:
            self._shifts(block, words)
        elif {*_DISTORTING} & {*block.g}:
            self._with_distortion(words)
        elif 280 in block.g or 300 in block.g:
            by_way_of(self.state, words)
        elif worked_out & {*"XYZIJKRL"}:
            self.state.lose("".join(letter for letter in "XYZ" if letter in block.words))
        elif (40 not in block.g and any(axis in words for axis in "XYZ")) or self._turns(words):
            move(self.state, words, in_machine=530 in block.g)
        self._ends(block, words)

    def _times(self, block: Block, words: dict[str, float]) -> None:
        """Feed, speed and dwell (seconds); a long whole P may be one of thousandths, and is not known for certain."""
        clock = self.state.clock
        if "S" in words:
            clock.turns = words["S"]
        if "F" in block.words:
            per_unit = 1.0 if clock.mode == INVERSE else self.state.per_unit
            clock.feed = words["F"] * per_unit if "F" in words else None
        if 40 not in block.g:
            return
        if "P" in words:
            if words["P"] >= _MANY_SECONDS and words["P"] == round(words["P"]):
                clock.lost(self.summary.lines)
            else:
                clock.duration.dwell_s += words["P"]
        elif "X" in words or "U" in words:
            clock.duration.dwell_s += words.get("X", words.get("U", 0.0))
        else:
            clock.lost(self.summary.lines)

    def _indexes(self, block: Block, words: dict[str, float], turned: list[str]) -> bool:
        """Whether a block sends rotary axes to an angle and does nothing else: after it, nobody knows where the tool is
        from a WCS that may have turned away."""
        rapid = 0 in block.g or (self.state.motion == 0 and not {*_MOTIONS} & {*block.g})
        alone = not {*"XYZIJKRUVW"} & block.words.keys()
        absolute = 900 in block.g or (self.state.absolute and 910 not in block.g)
        return rapid and alone and absolute and all(letter in words for letter in turned)

    def _turned_by(self, block: Block, words: dict[str, float], text: str) -> int | None:
        """The variable of a G68 about the zero by an offset's own turn; another turn takes coordinates elsewhere."""
        if 680 not in block.g or words.get("X") != 0.0 or words.get("Y") != 0.0:
            return None
        match = _TURN.search(_INNERMOST.sub("", text).upper())
        variable = int(match[1]) if match else None
        return variable if variable in self._control.turns and not self.state.distorted else None

    def _turns(self, words: dict[str, float]) -> bool:
        return self.state.motion in ARCS and ("I" in words or "J" in words or "K" in words)

    def _mode(self, word: int, words: dict[str, float]) -> None:
        summary, state, line = self.summary, self.state, self.summary.lines
        if word in _MOTIONS:
            if word in DRILLING and state.motion not in DRILLING:
                state.cycle, state.cycle_start = {}, state.at[2]
            state.motion = word
        elif word == 800:
            state.motion = 0
        elif self._dialect.group(word) == WORK_OFFSET:
            state.offset = self._dialect.offsets.code(word, words.get("P", 0.0))
            summary.offsets.setdefault(state.offset, line)
            # In another WCS the same place reads otherwise.
            state.lose()
        elif word in (200, 210):
            state.per_unit = 25.4 if word == 200 else 1.0
            summary.units.setdefault("in" if word == 200 else "mm", line)
        elif word in (900, 910):
            state.absolute = word == 900
            summary.distance.setdefault("absolute" if word == 900 else "incremental", line)
        elif word in (170, 180, 190):
            state.plane = f"G{word // 10}"
            summary.planes.setdefault(state.plane, line)
        elif word in (980, 990):
            state.back_to_start = word == 980
        elif word in (INVERSE, PER_MINUTE, PER_TURN):
            # A feed of one kind says nothing in another.
            state.clock.feed = state.clock.feed if word == state.clock.mode else None
            state.clock.mode = word
        elif word in _DISTORTING:
            if words_to_tell := state.distort(word):
                self.remark(words_to_tell)
        elif word in (921, 922, 923):
            state.end_stated(word)
            if word == 921 and self._dialect.o_words:
                # In the parameter style G52 and G92 are one shift.
                self.summary.shift_left = 0
        elif word == 901:
            self.remark("arc centres in absolute coordinates are not read; arcs after this are not counted for certain")
        elif word == 650:
            self.remark("a macro is called; its moves are not counted")
            state.lose()

    # --- tools, lengths, compensation --------------------------------------------------------

    def _tool_words(self, block: Block, words: dict[str, float], text: str, above: bytes) -> None:
        line, state = self.summary.lines, self.state
        if "T" in words:
            state.selected = round(words["T"])
            self.summary.not_changed_to.append((state.selected, line))
        if 6 in block.m:
            state.use = ToolUse(state.selected, line, _comment(text, above))
            state.has_length = False
            self.summary.tools.append(state.use)
            self.summary.not_changed_to = [each for each in self.summary.not_changed_to if each[0] != state.selected]
            state.lose()
        use = state.use
        if "D" in words:
            use.d.setdefault(round(words["D"]), line)
        if 430 in block.g or 490 in block.g or ("H" in words and state.has_length):
            self._length(block, words)
        if 400 in block.g:
            use.open = 0
        elif 410 in block.g or 420 in block.g:
            use.compensated.append(line)
            use.open = use.open or line
            if not use.d:
                use.without_d = use.without_d or line

    def _shifts(self, block: Block, words: dict[str, float]) -> None:
        given = {axis: words[letter] * self.state.per_unit for axis, letter in enumerate("XYZ") if letter in words}
        if not given or len({*"XYZ"} & block.words.keys()) > len(given):
            self.remark("a shift that is not stated in numbers; what follows is counted without it")
        elif 520 in block.g:
            self.state.shift_locally(given)
            self.summary.shift_left = self.summary.lines if any(self.state.local) else 0
        elif told := self.state.state_here(given):
            self.remark(told)

    def _with_distortion(self, words: dict[str, float]) -> None:
        """Axis words beside such a word are mostly its own centre; where they are a move, it is not counted."""
        if not self.state.distorted and {*"XYZ"} & words.keys():
            self.remark("what moves in the line that ends a distortion is not counted")

    def _length(self, block: Block, words: dict[str, float]) -> None:
        """A length comes into force, or leaves it: then the same place of the tool reads otherwise along Z."""
        use, line = self.state.use, self.summary.lines
        self.state.lose("Z")
        if 490 in block.g:
            self.state.has_length = False
            return
        number = round(words["H"]) if "H" in words else None
        if number is not None:
            use.h.setdefault(number, line)
        self.state.has_length = number != 0
        if number == 0 and not use.bare:
            use.zero = line

    # --- flow ------------------------------------------------------------------------------

    def _flow(self, block: Block) -> None:
        word = block.flow
        if word == "SUB":
            self.skipping = not self._within
        elif word in ("ENDSUB", "RETURN"):
            self.over = bool(self._within)
        elif word == "CALL":
            self._follow(block.label, 1)
        elif word == "MACRO":
            self.remark("a macro is called; its moves are not counted")
            self.state.lose()
        elif word != "PROGRAM":
            self.remark("what is worked out at the machine is not counted")

    def _ends(self, block: Block, words: dict[str, float]) -> None:
        if 97 in block.m:
            self.remark("M97 runs lines of this program elsewhere; its moves are not counted")
            self.state.lose()
        if 98 in block.m or 198 in block.m:
            if "P" not in words:
                raise ExpressionError("a subprogram is called without its number; its moves are not counted")
            self._call(round(words["P"]), round(words.get("L", 1.0)), outside=198 in block.m)
        if 99 in block.m and ("P" in words or block.deletable):
            self.remark("where the program goes on is decided at the machine")
        if {2, 30, 99} & {*block.m} and not block.deletable:
            self.over = True
            self.program_over = 99 not in block.m or not self._within
            self.returned = self.program_over and 99 in block.m

    def _call(self, number: int, times: int, *, outside: bool) -> None:
        """The number may have how often in front of its last four digits."""
        if number > 9999 and times == 1 and not self._has(number, outside):
            number, times = number % 10_000, number // 10_000
        self._follow(number, times, outside=outside)

    def _has(self, number: int, outside: bool) -> bool:
        try:
            self._text(number, outside)
        except SubprogramError:
            return False
        return True

    def _text(self, number: int, outside: bool) -> bytes:
        key = (number, outside)
        if key not in self._texts:
            self._texts[key] = self._find(number, outside=outside)
        return self._texts[key]

    def _follow(self, number: int, times: int, *, outside: bool = False) -> None:
        if len(self._within) >= _DEEPEST:
            raise ExpressionError("subprograms call each other too deeply; their moves are not counted")
        try:
            text = self._text(number, outside)
        except SubprogramError:
            self.state.lose()
            raise
        line = self._sub_line
        self._within.append(f"in subprogram {number}")
        try:
            for _ in range(times):
                self._sub_line = 0
                self._followed += len(text)
                if self._followed > _MOST_FOLLOWED or self._should_stop():
                    raise ExpressionError("it is repeated more often than can be followed; the rest is not counted")
                self.take(text)
                if self.program_over:
                    return
                self.over = False
        finally:
            self._within.pop()
            self._sub_line = line


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True


def _comment(text: str, above: bytes) -> str:
    """The comment beside a tool change, or else the one alone on the line above it.

    Of a list of tools at the head of a program the last line stands above the first change by chance: a comment with
    another comment above it does not count.
    """
    beside = " ".join(_INNERMOST.findall(text)).replace("(", "").replace(")", "").strip()
    if beside:
        return beside
    lines = [line.strip() for line in above.decode("ascii", errors="replace").splitlines()]
    alone = [bool(re.fullmatch(r"(?:N\d+)?\s*\([^()]*\)", line, re.IGNORECASE)) for line in lines]
    if not alone or not alone[-1] or (len(alone) > 1 and alone[-2]):
        return ""
    return lines[-1][lines[-1].index("(") + 1 : -1].strip()
