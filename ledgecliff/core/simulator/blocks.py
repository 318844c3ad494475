"""Program text to blocks: comments, words, assignments and flow words, each read once.

A block is one line.  What is read here is only the line's own shape; what its words do is the
interpreter's business.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from ..errors import ProgramError
from .expressions import ExpressionError, Scanner, Value
from .modal import M_GROUPS, MACRO_LETTERS, NUMBERED_STYLE, Dialect

#: Blocks of plain words, which are nearly all of a toolpath, are read in one go.
_PLAIN = re.compile(r"(?:[A-Z][+-]?(?:\d+\.?\d*|\.\d+))+")
_WORD = re.compile(r"([A-Z])([+-]?[\d.]+)")
_COMMENT = re.compile(r"\(([^()]*)\)")
_O_WORD = re.compile(r"O(\d+)(IF|ELSEIF|ELSE|ENDIF|WHILE|ENDWHILE|REPEAT|ENDREPEAT|SUB|ENDSUB|CALL|RETURN)(.*)")
_NUMBERED = re.compile(r"(IF|WHILE|GOTO|DO|END)(.*)")
_MACRO_CALL = re.compile(r"G65(?![\d.])")


@dataclass(slots=True)
class Block:
    """One line.  ``words`` by letter, without G and M; ``flow`` is a flow word with its ``label``."""

    message: str = ""
    words: dict[str, Value] = field(default_factory=dict)
    g: tuple[int, ...] = ()
    m: tuple[int, ...] = ()
    #: Whether every word is a plain number.
    plain: bool = True
    assigns: tuple[tuple[Value, Value], ...] = ()
    flow: str = ""
    label: int = 0
    arguments: tuple[Value, ...] = ()
    #: A block with ``/`` in front is left out while block delete is on.
    deletable: bool = False


def read_block(number: int, text: str, dialect: Dialect) -> Block:
    """Raises ProgramError for a line that cannot be understood, with its number and text."""
    try:
        return _read(text, dialect)
    except ExpressionError as error:
        raise ProgramError(number, text.strip(), str(error)) from error


@lru_cache(maxsize=8192)
def _read(text: str, dialect: Dialect) -> Block:
    """The same line means the same everywhere, and probing programs repeat their lines."""
    block = Block()
    code = text
    if "(" in code or ")" in code or ";" in code:
        comments = _COMMENT.findall(text)
        code = _COMMENT.sub("", text).split(";")[0]
        if "(" in code or ")" in code:
            raise ExpressionError("a comment is not closed")
        block.message = next((c.strip()[4:].strip() for c in comments if c.strip().upper().startswith("MSG,")), "")
        if not block.message and "#3000" in code and comments:
            block.message = comments[0].strip()
    code = "".join(code.split()).upper()
    if code.startswith("/"):
        block.deletable, code = True, code[1:]
    if not code or code == "%":
        return block
    if code.startswith("N"):
        code = _numbered_line(block, code)
        if not code:
            return block
    if not dialect.o_words and _MACRO_CALL.match(code):
        _macro_call(block, code)
    elif _PLAIN.fullmatch(code):
        if not _plain_words(block, code, dialect):
            _heading(block, code, dialect)
    elif code[0] == "O" and dialect.o_words:
        _o_word(block, code)
    elif (match := _NUMBERED.match(code)) and not dialect.o_words:
        _numbered(block, match[1], match[2])
    else:
        _words(block, code, dialect)
    return block


def _numbered_line(block: Block, code: str) -> str:
    match = re.match(r"N(\d+)", code)
    if match is None:
        raise ExpressionError("a line number is expected after N")
    block.label = int(match[1])
    return code[match.end() :]


def _heading(block: Block, code: str, dialect: Dialect) -> None:
    """``O1234`` alone: the name of a program or, in the numbered style, where a subprogram begins."""
    if not re.fullmatch(r"O\d+", code):
        raise ExpressionError(f"the word '{code[0]}' is not supported")
    block.flow, block.label = ("" if dialect.o_words else "PROGRAM"), int(code[1:])


def _plain_words(block: Block, code: str, dialect: Dialect) -> bool:
    """Fills in plain words; False when the line is a heading."""
    g: list[int] = []
    m: list[int] = []
    words = block.words
    for letter, digits in _WORD.findall(code):
        if letter == "G":
            g.append(round(float(digits) * 10))
        elif letter == "M":
            m.append(_whole(letter, float(digits)))
        elif letter == "O":
            return False
        else:
            _once(words, letter, dialect)
            words[letter] = float(digits)
    if g or m:
        block.g, block.m = _checked(g, dialect), _checked_m(m)
    return True


def _words(block: Block, code: str, dialect: Dialect) -> None:
    scanner = Scanner(code)
    g: list[int] = []
    m: list[int] = []
    assigns: list[tuple[Value, Value]] = []
    while not scanner.done():
        letter = scanner.peek()
        if letter == "#":
            assigns.append(_assigned(scanner, dialect))
            continue
        if letter not in dialect.letters:
            raise ExpressionError(f"the word '{letter}' is not supported")
        scanner.take(letter)
        value = scanner.value()
        if letter in "GM":
            if callable(value):
                raise ExpressionError(f"the number of a {letter} word must stand there, not be worked out")
            if letter == "G":
                g.append(round(value * 10))
            else:
                m.append(_whole(letter, value))
            continue
        _once(block.words, letter, dialect)
        block.words[letter] = value
        block.plain = block.plain and not callable(value)
    block.g, block.m, block.assigns = _checked(g, dialect), _checked_m(m), tuple(assigns)


def _assigned(scanner: Scanner, dialect: Dialect) -> tuple[Value, Value]:
    """``#n = value``, which in the numbered style needs no brackets round a sum."""
    target = scanner.parameter()
    scanner.take("=")
    return target, scanner.value() if dialect.o_words else scanner.operation()


def _macro_call(block: Block, code: str) -> None:
    """``G65 P…`` with letters that set the macro's own parameters; ``L`` is how often."""
    scanner = Scanner(code)
    scanner.take("G65")
    given: dict[str, Value] = {}
    while not scanner.done():
        letter = scanner.peek()
        if letter in given or (letter not in MACRO_LETTERS and letter not in "PL"):
            raise ExpressionError(f"G65 takes no {letter}, or only one; each letter sets one parameter of the macro")
        scanner.take(letter)
        given[letter] = scanner.value()
    if "P" not in given:
        raise ExpressionError("G65 needs the macro's number in P")
    block.flow = "MACRO"
    block.arguments = (given.pop("P"), given.pop("L", 1.0))
    block.assigns = tuple((float(MACRO_LETTERS[letter]), value) for letter, value in given.items())


def _checked_m(m: list[int]) -> tuple[int, ...]:
    """The M words of a block, of different groups."""
    seen: dict[str, int] = {}
    for word in m:
        group = M_GROUPS.get(word)
        if group in seen:
            raise ExpressionError(f"M{seen[group]} and M{word} cannot stand in one block")
        if group is not None:
            seen[group] = word
    return tuple(m)


def _once(words: dict[str, Value], letter: str, dialect: Dialect) -> None:
    if letter not in dialect.letters:
        raise ExpressionError(f"the word '{letter}' is not supported")
    if letter in words:
        raise ExpressionError(f"there are two {letter} words in one block")


def _whole(letter: str, value: float) -> int:
    if value != int(value):
        raise ExpressionError(f"{letter}{value:g} is not supported")
    return int(value)


def _checked(g: list[int], dialect: Dialect) -> tuple[int, ...]:
    """The G words of a block, known and of different groups; G80 goes with any motion word and comes before it."""
    if 800 in g and any(dialect.group(word) == "motion" for word in g if word != 800):
        return (800, *_checked([word for word in g if word != 800], dialect))
    seen: dict[str, int] = {}
    for word in g:
        group = dialect.group(word)
        if group is None:
            raise ExpressionError(f"G{word / 10:g} is not supported in the {dialect.name}")
        if group in seen:
            raise ExpressionError(f"G{seen[group] / 10:g} and G{word / 10:g} cannot stand in one block")
        seen[group] = word
    return tuple(g)


def _o_word(block: Block, code: str) -> None:
    match = _O_WORD.fullmatch(code)
    if match is None:
        raise ExpressionError("only o… if, while, repeat, sub, call and return are supported")
    block.flow, block.label = match[2], int(match[1])
    scanner, values = Scanner(match[3]), []
    while not scanner.done():
        values.append(scanner.bracket())
    wanted = {"IF": 1, "ELSEIF": 1, "WHILE": 1, "REPEAT": 1}.get(block.flow, 0)
    if block.flow != "CALL" and len(values) != wanted:
        raise ExpressionError(f"'{block.flow.lower()}' takes {wanted or 'no'} value in brackets")
    block.arguments = tuple(values)


def _numbered(block: Block, word: str, rest: str) -> None:
    """``IF […] GOTO n``, ``IF […] THEN #…``, ``WHILE […] DO n``, ``END n``, ``GOTO n``."""
    scanner = Scanner(rest)
    if word in ("IF", "WHILE"):
        block.arguments = (scanner.bracket(),)
        rest = rest[scanner.at :]
        match = re.match(r"GOTO(\d+)$|DO(\d+)$|THEN(#.+)$", rest)
        if match is None or (word == "WHILE") != bool(match[2]):
            raise ExpressionError("IF takes GOTO or THEN, WHILE takes DO, each with its number")
        if match[3]:
            block.flow = "THEN"
            then = Scanner(match[3])
            block.assigns = (_assigned(then, NUMBERED_STYLE),)
            if not then.done():
                raise ExpressionError(f"'{then.text[then.at :]}' is not expected after the value")
            return
        block.flow, block.arguments = word, (*block.arguments, float(match[1] or match[2]))
        return
    if not re.fullmatch(r"\d+", rest):
        raise ExpressionError(f"{word} needs a number")
    block.flow, block.arguments = word, (float(rest),)


@dataclass
class Program:
    """All lines of a text, each read when it is first reached, with its flow words matched beforehand."""

    lines: Sequence[str]
    dialect: Dialect
    #: For every o-word of an if: the indexes of that if's o-words in order.  For loops: begin and end.
    groups: dict[int, list[int]]
    #: Where each subprogram begins.
    subs: dict[int, int]
    #: Where each numbered line stands, for GOTO.
    labels: dict[int, int]
    _blocks: list[Block | None] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._blocks = [None] * len(self.lines)

    def block(self, at: int) -> Block:
        block = self._blocks[at]
        if block is None:
            block = self._blocks[at] = read_block(at + 1, self.lines[at], self.dialect)
        return block


def read_program(text: str, dialect: Dialect) -> Program:
    """Raises ProgramError when flow words do not match; other faults show when their line is reached."""
    lines = text.splitlines()
    program = Program(lines, dialect, {}, {}, {})
    matcher = _Matcher(program)
    for at, line in enumerate(lines):
        # Nearly all lines of a toolpath hold none of these letters in a place that matters.
        head = line.lstrip(" \t/")[:1].upper()
        if head and head in "OIWEGN":
            if dialect.o_words and (head == "G" or (head == "N" and "O" not in line.upper())):
                continue
            if head == "G" and not line.lstrip(" \t/").upper().startswith("GOTO"):
                continue
            block = program.block(at)
            if block.flow or (block.label and not dialect.o_words):
                matcher.take(at, block)
    matcher.finish()
    return program


_OPENS = {"IF": "ENDIF", "WHILE": "ENDWHILE", "REPEAT": "ENDREPEAT", "SUB": "ENDSUB"}


class _Matcher:
    """Pairs o-words by their labels, and DO with END."""

    def __init__(self, program: Program) -> None:
        self._program = program
        self._open: list[tuple[str, int, list[int]]] = []

    def take(self, at: int, block: Block) -> None:
        take: Callable[[int, Block], None] = self._o_word if self._program.dialect.o_words else self._numbered
        take(at, block)

    def _o_word(self, at: int, block: Block) -> None:
        word = block.flow
        if word in _OPENS:
            if word == "SUB":
                self._program.subs[block.label] = at
            self._open.append((word, block.label, [at]))
        elif word in ("ELSEIF", "ELSE", *_OPENS.values()):
            if not self._open or self._open[-1][1] != block.label or not self._fits(word):
                raise self._wrong(at, f"'{word.lower()}' without its {self._opener(word)}")
            self._open[-1][2].append(at)
            if word in _OPENS.values():
                group = self._open.pop()[2]
                self._program.groups |= dict.fromkeys(group, group)

    def _fits(self, word: str) -> bool:
        opened = self._open[-1][0]
        return opened == "IF" if word in ("ELSE", "ELSEIF") else _OPENS[opened] == word

    @staticmethod
    def _opener(word: str) -> str:
        return next((opener.lower() for opener, end in _OPENS.items() if end == word), "if")

    def _numbered(self, at: int, block: Block) -> None:
        if block.flow == "PROGRAM":
            self._program.subs[block.label] = at
        elif block.label:
            self._program.labels[block.label] = at
        if block.flow == "WHILE":
            self._open.append(("WHILE", int(block.arguments[1]), [at]))  # type: ignore[arg-type]
        elif block.flow == "END":
            if not self._open or self._open[-1][1] != block.arguments[0]:
                raise self._wrong(at, "END without its DO")
            group = [*self._open.pop()[2], at]
            self._program.groups |= dict.fromkeys(group, group)

    def finish(self) -> None:
        if self._open:
            word, _, group = self._open[-1]
            end = _OPENS[word].lower() if self._program.dialect.o_words else "END"
            raise self._wrong(group[0], f"the {word.lower()} has no {end}")

    def _wrong(self, at: int, reason: str) -> ProgramError:
        return ProgramError(at + 1, self._program.lines[at].strip(), reason)
