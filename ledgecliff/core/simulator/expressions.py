"""Numbers, parameters and bracketed expressions of program text, compiled once and evaluated often.

Source of the grammar: the public RS-274/NGC interpreter report (NISTIR 6556), section 3.3.2.  A
compiled ``Value`` is a plain number, or a function of the parameters.  Parameters not yet set read
zero, as on the control.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable


class Parameters(dict[int, float]):
    """Numbered parameters; ``live`` gives those that the control works out at the moment they are read."""

    def __init__(self, live: Callable[[int], float] = lambda _number: 0.0) -> None:
        super().__init__()
        self._live = live

    def __missing__(self, number: int) -> float:
        return self._live(number)


Value = float | Callable[[Parameters], float]

_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)")
_NAME = re.compile(r"[A-Z]+")
_HIGHEST_PARAMETER = 99_999
_BINARY: dict[str, tuple[int, Callable[[float, float], float]]] = {
    "**": (4, lambda a, b: a**b),
    "*": (3, lambda a, b: a * b),
    "/": (3, lambda a, b: a / b),
    "MOD": (3, lambda a, b: a % abs(b)),  # never below nought
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
    "XOR": (0, lambda a, b: float(bool(a) != bool(b))),
}
_OPERATORS = sorted(_BINARY, key=len, reverse=True)
_UNARY: dict[str, Callable[[float], float]] = {
    "ABS": abs,
    "SQRT": math.sqrt,
    "SIN": lambda a: math.sin(math.radians(a)),
    "COS": lambda a: math.cos(math.radians(a)),
    "TAN": lambda a: math.tan(math.radians(a)),
    "ACOS": lambda a: math.degrees(math.acos(a)),
    "ASIN": lambda a: math.degrees(math.asin(a)),
    # Halves go away from nought, -2.5 to -3.
    "ROUND": lambda a: math.copysign(math.floor(abs(a) + 0.5), a),
    "EXP": math.exp,
    "LN": math.log,
    "FIX": math.floor,
    "FUP": math.ceil,
}


class ExpressionError(ValueError):
    """What is wrong with a value, without the line it stands in."""


def evaluated(value: Value, parameters: Parameters) -> float:
    return value(parameters) if callable(value) else value


class Scanner:
    """Compiles values from one line with comments, blanks and case already taken care of."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0

    def done(self) -> bool:
        return self.at >= len(self.text)

    def peek(self) -> str:
        return self.text[self.at] if not self.done() else ""

    def take(self, sign: str) -> None:
        if not self.text.startswith(sign, self.at):
            raise ExpressionError(f"'{sign}' is missing after '{self.text[: self.at]}'")
        self.at += len(sign)

    def value(self) -> Value:
        """A number, ``#parameter``, ``[expression]`` or ``FUNCTION[expression]``, signed or not."""
        if match := _NUMBER.match(self.text, self.at):
            self.at = match.end()
            return float(match.group())
        sign = self.peek()
        if sign and sign in "+-":
            self.at += 1
            return _of(lambda a: -a, self.value()) if sign == "-" else self.value()
        if sign == "#":
            return self._read(self.parameter())
        if sign == "[":
            return self.bracket()
        if match := _NAME.match(self.text, self.at):
            name = match.group()
            if name in _UNARY or name == "ATAN":
                self.at = match.end()
                return self._call(name)
        raise ExpressionError(f"a number is expected at '{self.text[self.at :] or 'the end'}'")

    def _call(self, name: str) -> Value:
        argument = self.bracket()
        if name == "ATAN":
            # The one function of two values: ATAN[rise]/[run], right in all four quadrants.
            self.take("/")
            return _both(lambda a, b: math.degrees(math.atan2(a, b)), argument, self.bracket())
        function = _UNARY[name]

        def call(value: float) -> float:
            try:
                return float(function(value))
            except (ValueError, OverflowError):
                raise ExpressionError(f"{name} of {value:g} does not exist") from None

        return _of(call, argument)

    def parameter(self) -> Value:
        """The number of a parameter, ``#7`` or ``#[...]``, checked where it is known already."""
        self.take("#")
        number = self.value()
        return number if callable(number) else float(parameter_number(number))

    @staticmethod
    def _read(number: Value) -> Value:
        if not callable(number):
            fixed = int(number)
            return lambda parameters: parameters[fixed]
        return lambda parameters: parameters[parameter_number(number(parameters))]

    def bracket(self) -> Value:
        self.take("[")
        result = self.operation()
        self.take("]")
        return result

    def operation(self, least: int = 0) -> Value:
        """Values with operators between them.  Precedence climbing; operators of one rank run from left to right."""
        left = self.value()
        while (name := self._operator()) and _BINARY[name][0] >= least:
            self.at += len(name)
            rank, function = _BINARY[name]
            left = _both(function, left, self.operation(rank + 1))
        return left

    def _operator(self) -> str:
        return next((name for name in _OPERATORS if self.text.startswith(name, self.at)), "")


def whole(letter: str, value: float) -> int:
    """The number of a word that counts things: a tool, a length, a repeat."""
    if value != int(value) or value < 0.0:
        raise ExpressionError(f"{letter}{value:g}: a whole number, nought or more, is expected")
    return int(value)


def parameter_number(number: float) -> int:
    if number != int(number) or not 1 <= number <= _HIGHEST_PARAMETER:
        raise ExpressionError(f"there is no parameter #{number:g}")
    return int(number)


def _of(function: Callable[[float], float], a: Value) -> Value:
    if callable(a):
        return lambda parameters: function(a(parameters))
    return function(a)


def _both(function: Callable[[float, float], float], a: Value, b: Value) -> Value:
    def call(x: float, y: float) -> float:
        try:
            return float(function(x, y))
        except ZeroDivisionError:
            raise ExpressionError("division by zero") from None
        except (OverflowError, TypeError, ValueError):
            raise ExpressionError(f"the result for {x:g} and {y:g} is not a number") from None

    if callable(a) or callable(b):
        return lambda parameters: call(evaluated(a, parameters), evaluated(b, parameters))
    return call(a, b)
