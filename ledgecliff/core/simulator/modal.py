"""Words that the simulated control knows, and which of them exclude one another.

Groups as in the public RS-274/NGC interpreter report (NISTIR 6556), table 4: one word of a group
stays in force until another of it comes, and a block may hold only one of each group.  G words are
kept as tenths (``G38.2`` is 382).  By which words a control selects its work offsets is the machine's to state.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..model.machine import Machine
from ..model.work_offsets import OffsetWords, offset_words

#: Work offset words that are common, for reading a program of which no machine is known.
COMMON_OFFSETS = OffsetWords(frozenset((540, 550, 560, 570, 580, 590, 591, 592, 593)), frozenset((541,)))
#: Drilling and boring cycles.
CYCLES = (730, 810, 820, 830, 850, 860, 890)
#: The group of the words that select a work offset.
WORK_OFFSET = "work offset"
#: Every other G word by its group.  Words of one block that move or are for that block alone have a group of their own.
GROUPS: dict[int, str] = {
    **dict.fromkeys((0, 10, 20, 30, 310, 382, 383, 384, 385, 800, *CYCLES), "motion"),
    **dict.fromkeys((170, 180, 190), "plane"),
    **dict.fromkeys((200, 210), "units"),
    **dict.fromkeys((900, 910), "distance"),
    **dict.fromkeys((901, 911), "arc centre"),
    **dict.fromkeys((930, 940), "feed mode"),
    **dict.fromkeys((400, 410, 420), "cutter radius"),
    **dict.fromkeys((430, 490), "tool length"),
    **dict.fromkeys((980, 990), "cycle return"),
    **dict.fromkeys((610, 640), "path"),
    **dict.fromkeys((40, 100, 280, 300, 520, 530, 650, 920, 921, 922, 923), "one block"),
    **dict.fromkeys((150, 160), "polar"),
    **dict.fromkeys((500, 510), "scaling"),
    **dict.fromkeys((501, 511), "mirror"),
    **dict.fromkeys((680, 690), "rotation"),
    **dict.fromkeys((740, 840, 880), "motion"),
    **dict.fromkeys((51, 80, 90, 611, 620, 630, 1870), "smoothing"),
    **dict.fromkeys((960, 970), "spindle mode"),
    950: "feed mode",
}
#: Words that toolpath programs use and no simulated control: they are read, not run.
_READ_ONLY = frozenset(
    (51, 80, 90, 150, 160, 300, 500, 501, 510, 511, 611, 620, 630, 680, 690, 740, 840, 880, 950, 960, 970, 1870)
)
#: Every M word of which a block may hold only one, by its group; coolant may be mist and flood at once.
M_GROUPS: dict[int, str] = {
    **dict.fromkeys((0, 1, 2, 30), "stop"),
    **dict.fromkeys((3, 4, 5, 19), "spindle"),
    **dict.fromkeys((98, 99), "subprogram"),
}
#: What a word is for, by its letter: the G words (tenths) that use it; those of a cycle in force, and of an arc.
USES: dict[str, frozenset[int]] = {
    "H": frozenset((430,)),
    "D": frozenset((410, 420)),
    "P": frozenset((40, 100, 650, 820, 860, 890)),
    "Q": frozenset((730, 830)),
    "L": frozenset((100, 650, *CYCLES)),
    "R": frozenset((20, 30, 100, 680, *CYCLES)),
    "I": frozenset((20, 30)),
    "J": frozenset((20, 30)),
    "K": frozenset((20, 30)),
}
#: Letters that may begin a word.
LETTERS = frozenset("ABCDFGHIJKLMNPQRSTXYZ")
#: The local parameter that each letter of a macro call sets.
MACRO_LETTERS = {
    "A": 1, "B": 2, "C": 3, "I": 4, "J": 5, "K": 6, "D": 7, "E": 8, "F": 9, "H": 11, "M": 13, "Q": 17, "R": 18,
    "S": 19, "T": 20, "U": 21, "V": 22, "W": 23, "X": 24, "Y": 25, "Z": 26,
}  # fmt: skip


@dataclass(frozen=True)
class Dialect:
    """What one style of control understands beyond what all share."""

    name: str
    #: ``o… if / while / sub``, against ``IF […] GOTO``, ``WHILE […] DO`` and ``M98``.
    o_words: bool
    #: G words that this one refuses: those of the other style, and those that are only read.
    unknown: frozenset[int]
    #: Whether a work offset can hold a turn about Z (``G10 L2 R``).
    turns: bool
    letters: frozenset[str] = LETTERS
    offsets: OffsetWords = COMMON_OFFSETS

    def on(self, machine: Machine) -> Dialect:
        """The same with the work offsets that a machine has, and coordinate rotation where it has that."""
        rotates = not self.turns and machine.offset_turns is not None
        unknown = self.unknown - {680, 690} if rotates else self.unknown
        return replace(self, unknown=unknown, offsets=offset_words(machine))

    def group(self, word: int) -> str | None:
        """Which words exclude this one; None for a word that is not known."""
        if word in self.offsets.alone or word in self.offsets.with_number:
            return WORK_OFFSET
        return None if word in self.unknown else GROUPS.get(word)

    def uses(self, letter: str) -> frozenset[int]:
        """The G words that a letter is for."""
        return USES[letter] | self.offsets.with_number if letter == "P" else USES[letter]


PARAMETER_STYLE = Dialect("parameter style", True, _READ_ONLY | {310, 650}, True)
NUMBERED_STYLE = Dialect("numbered-variable skip style", False, _READ_ONLY | {382, 383, 384, 385, 922, 923}, False)
#: Both as toolpath programs are read: with every word that is known, and axes that no simulated machine has.
READ_STYLES = tuple(
    replace(style, name=f"{style.name}, read", unknown=frozenset(), letters=LETTERS | frozenset("EUVW"))
    for style in (PARAMETER_STYLE, NUMBERED_STYLE)
)
DIALECTS = {dialect.name: dialect for dialect in (PARAMETER_STYLE, NUMBERED_STYLE)}
