"""The test that shows which way a rotary axis turns: to nought, to +90, a stop to look after each, and back.

It touches nothing and counts on nothing but the top of the travel; what is seen is entered on the machine.
"""

from __future__ import annotations

from ..frames import Axis
from ..model.machine import Machine
from ..model.stations import Rotary
from .dialect import dialect_of
from .index_moves import turned_to
from .text import NumberWriter, comment

#: What is to be seen on the part at +90: right-handed, and left-handed.
SEEN: dict[Axis, tuple[str, str]] = {
    "x": ("the back side of the part has come up", "the front side"),
    "y": ("the left side of the part has come up", "the right side"),
    "z": ("the part has gone counter-clockwise, seen from above", "clockwise"),
}


def sense_test(machine: Machine, rotary: Rotary) -> str:
    """The program as text; where the axis ends before +90 it goes as far as it does."""
    words = dialect_of(machine).o_words
    there = rotary.flat_deg + 90.0
    if not rotary.reaches(there) and rotary.highest_deg is not None:
        there = rotary.highest_deg
    right, left = SEEN[rotary.about]
    says = "MSG, " if words else ""
    level, over = turned_to(rotary, rotary.flat_deg), turned_to(rotary, there)
    free, clamp = ([word] if word else [] for word in (rotary.free_word, rotary.clamp_word))
    return "\n".join(
        [
            "%",
            f"({comment(f'sense test of {rotary.word}, {rotary.name}')})",
            "(CAUTION: spindle stopped, nothing in the way of anything that turns, hands out, finger on hold.)",
            "(CAUTION: the machine builder's manual and the shop's rules come first.)",
            "M5",
            "G90 G94",
            f"G53 G0 Z{NumberWriter(machine.program_units)(machine.travel_max.z)}",
            *free,
            f"G0 {level.letter}{level.degrees}",
            f"M0 ({says}remember how the part lies)",
            f"G0 {over.letter}{over.degrees}",
            f"M0 ({says}{comment(f'right-handed: {right}; left-handed: {left}')})",
            f"G0 {level.letter}{level.degrees}",
            *clamp,
            "M2" if words else "M30",
            "%",
            "",
        ]
    )
