"""Numbers, parameters and bracketed expressions of RS-274/NGC program text.

Source of the grammar: the public RS-274/NGC interpreter report (NISTIR 6556), section 3.3.2.
Parameters not yet set read zero, as on the control.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable

Parameters = dict[int, float]

_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)")
_NAME = re.compile(r"[A-Z]+")
_BINARY: dict[str, tuple[int, Callable[[float, float], float]]] = {
    "**": (4, lambda a, b: a**b),
    "*": (3, lambda a, b: a * b),
    "/": (3, lambda a, b: a / b),
    "MOD": (3, lambda a, b: a % b),
    "+": (2, lambda a, b: a + b),
    "-": (2, lambda a, b: a - b),
    "EQ": (1, lambda a, b: float(a == b)),
    "NE": (1, lambda a, b: float(a != b)),
    "GT": (1, lambda a, b: float(a > b)),
    "GE": (1, lambda a, b: float(a >= b)),
    "LT": (1, lambda a, b: float(a < b)),
    "LE": (1, lambda a, b: float(a <= b)),
    "AND": (0, lambda a, b: float(bool(a) and bool(b))),
    "OR": (0, lambda a, b: float(bool(a) or bool(b))),
}
_UNARY: dict[str, Callable[[float], float]] = {
    "ABS": abs,
    "SQRT": math.sqrt,
    "SIN": lambda a: math.sin(math.radians(a)),
    "COS": lambda a: math.cos(math.radians(a)),
    "TAN": lambda a: math.tan(math.radians(a)),
    "ROUND": lambda a: math.floor(a + 0.5),
    "FIX": math.floor,
    "FUP": math.ceil,
}


class ExpressionError(ValueError):
    """What is wrong with a value, without the line it stands in."""


class Scanner:
    """Reads values from one line with comments, blanks and case already taken care of."""

    def __init__(self, text: str, parameters: Parameters) -> None:
        self.text = text
        self.at = 0
        self._parameters = parameters

    def done(self) -> bool:
        return self.at >= len(self.text)

    def peek(self) -> str:
        return self.text[self.at] if not self.done() else ""

    def take(self, sign: str) -> None:
        if not self.text.startswith(sign, self.at):
            raise ExpressionError(f"'{sign}' is missing after '{self.text[: self.at]}'")
        self.at += len(sign)

    def value(self) -> float:
        """A number, ``#parameter``, ``[expression]`` or ``FUNCTION[expression]``, signed or not."""
        if match := _NUMBER.match(self.text, self.at):
            self.at = match.end()
            return float(match.group())
        sign = self.peek()
        if sign in "+-" and sign:
            self.at += 1
            return -self.value() if sign == "-" else self.value()
        if sign == "#":
            return self._parameters.get(self.parameter_number(), 0.0)
        if sign == "[":
            return self.bracket()
        if match := _NAME.match(self.text, self.at):
            name = match.group()
            if name in _UNARY:
                self.at = match.end()
                return self._call(name)
        raise ExpressionError(f"a number is expected at '{self.text[self.at :] or 'the end'}'")

    def _call(self, name: str) -> float:
        argument = self.bracket()
        try:
            return float(_UNARY[name](argument))
        except ValueError:
            raise ExpressionError(f"{name} of {argument} does not exist") from None

    def parameter_number(self) -> int:
        self.take("#")
        number = self.value()
        if number != int(number) or not 1 <= number <= 5602:
            raise ExpressionError(f"there is no parameter #{number:g}")
        return int(number)

    def bracket(self) -> float:
        self.take("[")
        result = self._operation(0)
        self.take("]")
        return result

    def _operation(self, least: int) -> float:
        """Precedence climbing; operators of one rank run from left to right."""
        left = self.value()
        while (name := self._operator()) and _BINARY[name][0] >= least:
            self.at += len(name)
            rank, function = _BINARY[name]
            right = self._operation(rank + 1)
            try:
                left = float(function(left, right))
            except ZeroDivisionError:
                raise ExpressionError("division by zero") from None
        return left

    def _operator(self) -> str:
        rest = self.text[self.at :]
        return next((name for name in sorted(_BINARY, key=len, reverse=True) if rest.startswith(name)), "")
