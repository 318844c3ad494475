"""Reading and writing of lengths and feeds as they are said in a shop.

Lengths are millimetres everywhere inside; this module is the edge where other units come in.
A field takes a sum in any units (``55 mm - 1.5 in``, ``3.120 in / 2``, ``3/16"``, ``1 1/2 in``).
A number without a unit takes the unit shown beside the field.  The grammar is ours because a
general expression reader multiplies ``1 1/2`` to a half; the unit factors are pint's.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from typing import Literal

from .errors import QuantityError

Unit = Literal["mm", "in"]

#: What people type, and the name pint knows it by.
_UNIT_NAMES = {
    "mm": "mm",
    "cm": "cm",
    "m": "m",
    "um": "micrometer",
    "µm": "micrometer",
    "in": "inch",
    "inch": "inch",
    "inches": "inch",
    '"': "inch",
    "″": "inch",
    "thou": "thou",
    "ft": "ft",
}
_TOKEN = re.compile(r"\s*(?:(\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+)|([A-Za-zµ]+|[\"″])|([-+*/()]))")
_SIGNS = str.maketrans({"−": "-", "–": "-", "×": "*", "·": "*", "÷": "/", "\u00a0": " "})
#: Nothing on a machine tool is longer; a larger number is a slip of the finger.
LARGEST_MM = 100_000.0


@cache
def _mm_per(unit: str) -> float:
    if unit == "mm":
        return 1.0
    import pint  # slow to import, and only needed once something is not in millimetres

    return float(pint.UnitRegistry().Quantity(1, unit).to("mm").magnitude)


def mm_per(unit: Unit) -> float:
    """Millimetres in one display unit."""
    return _mm_per(_UNIT_NAMES[unit])


@dataclass(frozen=True)
class _Term:
    """A value and the power of length it carries: 0 for a plain number, 1 for a length."""

    value: float
    power: int


class _Reader:
    """Recursive descent over sum, product, factor; a unit multiplies what stands before it."""

    def __init__(self, text: str, default_unit: Unit) -> None:
        self._text = text
        self._default_mm = mm_per(default_unit)
        self._tokens = self._split(text.translate(_SIGNS))
        self._at = 0

    def length(self) -> float:
        if not self._tokens:
            raise QuantityError("Nothing was entered. Type a length such as 55 mm or 3/16 in.")
        total = self._as_length(self._sum())
        if self._at != len(self._tokens):
            raise self._error(f"'{self._tokens[self._at]}' is not expected here")
        if abs(total) > LARGEST_MM:
            raise self._error(f"that is longer than {LARGEST_MM / 1000:.0f} m")
        return total

    def _error(self, reason: str) -> QuantityError:
        return QuantityError(
            f"'{self._text.strip()}' is not a length: {reason}. "
            "Write numbers with a point, units mm, cm, m, in or thou, and + - * / ( )."
        )

    def _split(self, text: str) -> list[str]:
        tokens, at, text = [], 0, text.rstrip()
        while at < len(text):
            match = _TOKEN.match(text, at)
            if match is None:
                sign = text[at:].strip()[0]
                hint = "decimals take a point, not a comma" if sign == "," else f"'{sign}' is unknown"
                raise self._error(hint)
            tokens.append(match.group().strip())
            at = match.end()
        return tokens

    def _peek(self) -> str:
        return self._tokens[self._at] if self._at < len(self._tokens) else ""

    def _take(self) -> str:
        token = self._peek()
        self._at += 1
        return token

    def _as_length(self, term: _Term) -> float:
        if term.power == 0:
            return term.value * self._default_mm
        if term.power != 1:
            raise self._error("lengths are multiplied or divided by each other")
        return term.value

    def _sum(self) -> _Term:
        left = self._product()
        while self._peek() in ("+", "-"):
            sign = 1.0 if self._take() == "+" else -1.0
            right = self._product()
            if left.power == right.power == 0:
                left = _Term(left.value + sign * right.value, 0)
            else:
                left = _Term(self._as_length(left) + sign * self._as_length(right), 1)
        return left

    def _product(self) -> _Term:
        left = self._factor()
        while True:
            token = self._peek()
            if token == "*":
                self._take()
                right = self._factor()
                left = _Term(left.value * right.value, left.power + right.power)
            elif token == "/":
                self._take()
                right = self._factor()
                if right.value == 0.0:
                    raise self._error("it divides by zero")
                left = _Term(left.value / right.value, left.power - right.power)
            elif token and (token[0].isalpha() or token in '"″'):
                left = _Term(left.value * self._unit(self._take()), left.power + 1)
            else:
                return left

    def _unit(self, name: str) -> float:
        known = _UNIT_NAMES.get(name) or _UNIT_NAMES.get(name.lower())
        if known is None:
            raise self._error(f"the unit '{name}' is unknown")
        return _mm_per(known)

    def _factor(self) -> _Term:
        token = self._take()
        if token in ("-", "+"):
            inner = self._factor()
            return _Term(-inner.value if token == "-" else inner.value, inner.power)
        if token == "(":
            inner = self._sum()
            if self._take() != ")":
                raise self._error("a closing bracket is missing")
            return inner
        if not token or not (token[0].isdigit() or token[0] == "."):
            raise self._error(f"a number is missing before '{token}'" if token else "it ends too early")
        return _Term(float(token) + self._fraction_after_whole(token), 0)

    def _fraction_after_whole(self, whole: str) -> float:
        """The ``1/2`` of ``1 1/2``: a whole number directly followed by number / number."""
        ahead = self._tokens[self._at : self._at + 3]
        if not (whole.isdigit() and len(ahead) == 3 and ahead[1] == "/"):
            return 0.0
        if not (ahead[0].isdigit() and ahead[2].isdigit() and int(ahead[2])):
            return 0.0
        self._at += 3
        return int(ahead[0]) / int(ahead[2])


def parse_length(text: str, default_unit: Unit = "mm") -> float:
    """The length in millimetres that ``text`` says.

    A plain number, alone or as a term of a sum with units, counts in ``default_unit``.
    Raises QuantityError with the reason and what would be accepted.

    >>> round(parse_length('55 mm - 1.5 in'), 6), round(parse_length('1 1/2 in'), 6)
    (16.9, 38.1)
    """
    return _Reader(text, default_unit).length()


def parse_feed(text: str, default_unit: Unit = "mm") -> float:
    """A feed in millimetres per minute; ``/min`` may be written or left out."""
    bare = re.sub(r"\s*(/\s*min|ipm)\s*$", lambda m: " in" if "ipm" in m[0] else "", text.strip())
    return parse_length(bare, default_unit)


def decimals(unit: Unit) -> int:
    """Places shown: a thousandth of a millimetre, a ten-thousandth of an inch."""
    return 3 if unit == "mm" else 4


def format_length(mm: float, unit: Unit = "mm", *, sign: bool = False, with_unit: bool = False) -> str:
    """``mm`` in the display unit with the places of that unit.

    ``sign`` shows a plus on coordinates; a true minus sign is used, and zero never reads minus.
    """
    places = decimals(unit)
    value = round(mm / mm_per(unit), places) + 0.0
    text = f"{value:+.{places}f}" if sign else f"{value:.{places}f}"
    return text.replace("-", "−") + (f" {unit}" if with_unit else "")


def format_short(mm: float, unit: Unit = "mm") -> str:
    """As ``format_length`` without trailing noughts, for names and running text."""
    text = f"{round(mm / mm_per(unit), decimals(unit)) + 0.0:.{decimals(unit)}f}".rstrip("0").rstrip(".")
    return text.replace("-", "−")


_TOKEN_OPEN, _TOKEN_CLOSE = "\u27e6", "\u27e7"
_IN_TEXT = re.compile(rf"{_TOKEN_OPEN}([~²³]?)(-?\d+\.\d+(?:e[+-]?\d+)?){_TOKEN_CLOSE}")


def said(mm: float) -> str:
    """A length inside a sentence, to be spelled out in whatever unit is shown (``spell``)."""
    return f"{_TOKEN_OPEN}{float(mm)!r}{_TOKEN_CLOSE}"


def said_bare(mm: float) -> str:
    """As ``said``, but spelled without unit and trailing noughts."""
    return f"{_TOKEN_OPEN}~{float(mm)!r}{_TOKEN_CLOSE}"


def said_area(mm2: float) -> str:
    """An area in mm² inside a sentence."""
    return f"{_TOKEN_OPEN}²{float(mm2)!r}{_TOKEN_CLOSE}"


def said_volume(mm3: float) -> str:
    """A volume in mm³ inside a sentence; spelled in cm³ or cubic inches."""
    return f"{_TOKEN_OPEN}³{float(mm3)!r}{_TOKEN_CLOSE}"


def spell(text: str, unit: Unit) -> str:
    """``text`` with its lengths, areas and volumes written in ``unit``."""

    def written(match: re.Match[str]) -> str:
        value = float(match[2])
        match match[1]:
            case "~":
                return format_short(value, unit)
            case "²":
                return f"{value:.0f} mm²" if unit == "mm" else f"{value / mm_per('in') ** 2:.2f} in²"
            case "³":
                return f"{value / 1000.0:.2f} cm³" if unit == "mm" else f"{value / mm_per('in') ** 3:.3f} in³"
            case _:
                return format_length(value, unit, with_unit=True)

    return _IN_TEXT.sub(written, text)
