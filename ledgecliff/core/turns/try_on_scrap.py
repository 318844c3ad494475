"""What is tried on a piece of scrap before the part: fits that the way of registering rests on."""

from __future__ import annotations

from .turn_plan import Way

#: By way; empty where nothing is made that has to fit.
_WORDS: dict[Way, str] = {
    "jaw and stop": "",
    "probed feature": "",
    "soft-jaw bore": "Try on scrap first: cut the bore's size and let the part's round go in without being pressed.",
    "dowel pins": "Try on scrap first: bore one hole of each size and put its pin in; it must go in by hand without "
    "rattling. The cutter's own width decides, not the number in the table.",
    "interlocking frame": "Try on scrap first: cut a short piece of the slot and its frame, and put them together; "
    "they must go in by hand and not rock.",
    "rotary index": "",
    "two-pocket jig": "Try on scrap first: cut the pocket's outline shallow and set a finished edge in; too tight, and "
    "the part sits on its rim instead of the floor.",
}


def scrap_words(way: Way) -> str:
    return _WORDS[way]
