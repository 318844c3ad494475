"""Reading of lengths and feeds as they are typed.

A field takes a sum in any units (``55 mm - 1.5 in``, ``3.120 in / 2``, ``3/16"``, ``1 1/2 in``).
A number without a unit takes the unit shown beside the field.  The grammar is ours because a
general expression reader multiplies ``1 1/2`` to a half.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from .errors import QuantityError
from .quantities import LARGEST_MM, Unit, mm_per, mm_per_named

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
        return mm_per_named(known)

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


def parse_angles(text: str) -> list[object]:
    """Numbers between commas or blanks, with or without a degree sign; what is no number stays as it is typed, for the
    model to refuse."""
    values: list[object] = []
    for word in text.replace(",", " ").replace("°", " ").replace("−", "-").split():
        try:
            values.append(float(word))
        except ValueError:
            values.append(word)
    return values
