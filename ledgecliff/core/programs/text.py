"""Numbers and comments in program text.

Whatever a job says may end up in a comment, and nothing in a comment may reach the control as a
word: brackets, line ends, percent signs and everything outside plain ASCII are taken out.
"""

from __future__ import annotations

import math
import re
import unicodedata
from pathlib import PurePosixPath
from typing import Literal

_PLAIN = re.compile(r"[^A-Za-z0-9 .,:+\-=/']")
_SAID = {"°": " deg", "±": "+/-", "−": "-", "–": "-", "×": "x", "Ø": "dia ", "ß": "ss"}


def comment(text: object) -> str:
    """``text`` with only what is harmless between the brackets of a comment."""
    said = "".join(_SAID.get(sign, sign) for sign in str(text))
    decomposed = unicodedata.normalize("NFKD", said)
    plain = "".join(sign for sign in decomposed if not unicodedata.combining(sign))
    return re.sub(r" {2,}", " ", _PLAIN.sub(" ", plain)).strip()


class NumberWriter:
    """Writes millimetres in the program's own unit, with a point and no exponent."""

    def __init__(self, units: Literal["mm", "in"]) -> None:
        self._per_unit = 1.0 if units == "mm" else 25.4
        self._places = 4 if units == "mm" else 5

    def __call__(self, mm: float) -> str:
        text = f"{mm / self._per_unit:.{self._places}f}".rstrip("0")
        text = text + "0" if text.endswith(".") else text
        return "0.0" if text == "-0.0" else text

    def in_brackets(self, mm: float) -> str:
        """For use after a sign inside an expression, where a bare minus would make two."""
        text = self(mm)
        return f"[{text}]" if text.startswith("-") else text


def share(value: float) -> str:
    """A plain factor, with places enough for any length it multiplies."""
    text = f"{value:.9f}".rstrip("0")
    text = text + "0" if text.endswith(".") else text
    return "0.0" if math.isclose(float(text), 0.0) else text


def file_stem(text: str) -> str:
    """A file name from a setup's name: plain lower-case words joined by hyphens."""
    words = re.findall(r"[a-z0-9]+", comment(text).lower())
    return PurePosixPath("-".join(words) or "setup").name
