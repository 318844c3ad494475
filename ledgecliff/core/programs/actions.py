"""What a probing program does, one small step at a time and without any control's words.

Lengths and expressions are text already, in the program's own unit: expressions use brackets,
``#`` parameters and the functions that all profiles share.  A profile has one macro for each kind
of action, called by its ``kind``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar


@dataclass(frozen=True)
class Indirect:
    """A parameter whose number another one holds, and ``plus`` more: what stands after ``#``."""

    pointer: int
    plus: int = 0

    def __add__(self, more: int) -> Indirect:
        return Indirect(self.pointer, self.plus + more)

    def __str__(self) -> str:
        return f"[#{self.pointer} + {self.plus}]" if self.plus else f"[#{self.pointer}]"


#: The number of a parameter: known, or held by another one.
Parameter = int | Indirect


@dataclass(frozen=True)
class Word:
    """An axis word: its letter, the number of the axis from 0, and its value as text."""

    letter: str
    axis: int
    value: str


@dataclass(frozen=True)
class Note:
    kind: ClassVar[str] = "note"
    text: str


@dataclass(frozen=True)
class Free:
    """The one free move, at the top of the travel, over the first place."""

    kind: ClassVar[str] = "free"
    words: tuple[Word, ...]


@dataclass(frozen=True)
class Said:
    """A word of the machine's, with its name."""

    word: str
    name: str


@dataclass(frozen=True)
class Say:
    """Tells the machine something; with ``retract`` from the top of the travel."""

    kind: ClassVar[str] = "machine"
    words: tuple[Said, ...]
    retract: bool = False


@dataclass(frozen=True)
class HandTest:
    """The operator touches the ball by hand while the probe goes ``way`` down at ``feed``, slowly, from the top of its
    travel; without a trigger the program stops."""

    kind: ClassVar[str] = "hand_test"
    way: str
    feed: str
    label: str
    failed: tuple[Said, ...] = ()


@dataclass(frozen=True)
class Guarded:
    """A positioning move that a trigger stops; ``what`` says what that would mean, ``failed`` is said then.

    ``may_be_short`` is of one that may begin where it ends, which some controls refuse.
    """

    kind: ClassVar[str] = "guarded"
    words: tuple[Word, ...]
    label: str
    what: str
    may_be_short: bool = False
    failed: tuple[Said, ...] = ()


@dataclass(frozen=True)
class Search:
    """One touch in two stages (or one, when ``fast``).

    ``expected`` is where the contact should come,
    ``end`` is where the search ends without contact, ``start`` where it began and where the ball returns to, and
    ``behind`` a back-off before that, towards which contact is left;
    ``near`` and ``far`` lie ``back_off`` before and behind the place of the fast contact, which is kept in
    ``kept``.  ``reading`` is what the touch reads, kept in ``result``.
    """

    kind: ClassVar[str] = "search"
    number: int
    label: str
    surface: str
    moving: str
    expected: tuple[Word, ...]
    end: tuple[Word, ...]
    start: tuple[Word, ...]
    behind: tuple[Word, ...]
    kept: tuple[tuple[int, int], ...]
    near: tuple[Word, ...]
    far: tuple[Word, ...]
    #: The same as three signed lengths along X, Y and Z.
    back_off: tuple[str, str, str]
    reading: str
    result: int
    search_feed: str
    touch_feed: str
    fast: bool
    failed: tuple[Said, ...] = ()
    #: Where nothing met is no error: how the subprogram is left then; its condition is the profile's own.
    soft: LeaveIf | None = None


@dataclass(frozen=True)
class Let:
    kind: ClassVar[str] = "let"
    parameter: Parameter
    value: str
    text: str = ""


@dataclass(frozen=True)
class StopIf:
    """``failed`` is said before it stops."""

    kind: ClassVar[str] = "stop"
    condition: str
    label: str
    text: str
    failed: tuple[Said, ...] = ()


@dataclass(frozen=True)
class Confirm:
    """Waits for the operator where the condition holds; started again, the program goes on."""

    kind: ClassVar[str] = "confirm"
    condition: str
    label: str
    text: str


@dataclass(frozen=True)
class Turn:
    """Turns a rotary axis to a place (degrees), with the tool at the top of the travel; ``free`` and ``clamp`` are the
    words said before and after, where the axis has some."""

    kind: ClassVar[str] = "turn"
    letter: str
    degrees: str
    free: str = ""
    clamp: str = ""


@dataclass(frozen=True)
class Write:
    """Writes a work offset: its number, axis words, its turn about Z in degrees where that is set, and the L of the
    G10 that does it."""

    kind: ClassVar[str] = "write"
    code: str
    number: int | str
    words: tuple[Word, ...]
    turn: str = ""
    level: int | str = 2


@dataclass(frozen=True)
class Select:
    """Another work offset counts from here on, with the tool at the top of the travel."""

    kind: ClassVar[str] = "select"
    code: str


@dataclass(frozen=True)
class Shift:
    """A local shift of the active offset, along its axes; nought along all of them clears it."""

    kind: ClassVar[str] = "shift"
    words: tuple[Word, ...]


@dataclass(frozen=True)
class Call:
    """The subprogram of a number, which is written once and run for each instance."""

    kind: ClassVar[str] = "call"
    number: int


@dataclass(frozen=True)
class LeaveIf:
    """Leaves the subprogram ``number`` where the condition holds, from the top of the travel, with 1 in ``outcome``."""

    kind: ClassVar[str] = "leave"
    condition: str
    label: str
    number: int
    outcome: int


@dataclass(frozen=True)
class CallSpan:
    """Along one axis, from where the probe stands: where the search begins and ends at latest, the expected size (empty
    for a single surface) and what is probed must read there; ``sign`` is the way of a single search, ``along`` where on
    the other axis that is.  ``result`` and ``size_result`` are the parameters to keep what is found in."""

    letter: str
    axis: int
    begin: str
    far: str
    size: str
    sign: int
    along: str
    result: Parameter
    size_result: Parameter
    sets: bool
    should_read: str


@dataclass(frozen=True)
class CycleCall:
    """A whole step as one call of a cycle that the machine has itself.

    ``shape`` is top, side, width, rectangle, bore, boss or corner.  The probe stands where the cycle begins: ``down``
    above where it searches.  ``offset`` (a code), ``number`` and ``level`` say which offset is written, ``own`` is the
    parameter that holds X of the setup's own, in which readings are; with ``measures`` none is written.
    """

    kind: ClassVar[str] = "cycle"
    shape: str
    title: str
    label: str
    spans: tuple[CallSpan, ...]
    down: str
    approach: str
    overtravel: str
    inside: bool
    straight: bool
    passes: int
    tolerance: str
    search_feed: str
    touch_feed: str
    back_off: str
    fast: bool
    measures: bool
    offset: str
    number: int | str
    level: int | str
    own: Parameter

    @property
    def x(self) -> CallSpan | None:
        return next((span for span in self.spans if span.axis == 0), None)

    @property
    def y(self) -> CallSpan | None:
        return next((span for span in self.spans if span.axis == 1), None)


Action = (
    Note | Say | HandTest | Free | Guarded | Search | Let | StopIf | Confirm | Turn | Write | CycleCall
    | Select | Shift | Call | LeaveIf
)  # fmt: skip


@dataclass(frozen=True)
class ResultRow:
    """One line of the closing table: the parameter that holds a result, its words, what is expected; and those that
    hold the expected value and the deviation, where they are kept."""

    parameter: int
    text: str
    expected: str
    key: str
    step: int
    expected_in: int | None = None
    deviation_in: int | None = None
    #: The key of the instance whose it is, where a program goes over several.
    instance: str = ""
