"""A formula over named quantities, read from text: its value, its value for many draws at once, and its derivatives.

Names, numbers, ``+ - * / ** ^``, brackets, ``pi`` and a few functions; angles are in radians.  The text is parsed by
Python's own parser and then walked by us, so that nothing in it is ever run.  Derivatives are carried along with the
values (forward differentiation), to rounding and not by steps.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from ..errors import InvalidValueError
from ..frames import Array

#: A formula longer than this, or nested deeper, is no formula of a machinist.
_LONGEST, _DEEPEST = 2000, 60

_Rule = tuple[Callable[[Array], Array], Callable[[Array], Array]]
#: Each with its derivative.
_FUNCTIONS: dict[str, _Rule] = {
    "sqrt": (np.sqrt, lambda x: 0.5 / np.sqrt(x)),
    "exp": (np.exp, np.exp),
    "log": (np.log, lambda x: 1.0 / x),
    "sin": (np.sin, np.cos),
    "cos": (np.cos, lambda x: -np.sin(x)),
    "tan": (np.tan, lambda x: 1.0 / np.cos(x) ** 2),
    "asin": (np.arcsin, lambda x: 1.0 / np.sqrt(1.0 - x**2)),
    "acos": (np.arccos, lambda x: -1.0 / np.sqrt(1.0 - x**2)),
    "atan": (np.arctan, lambda x: 1.0 / (1.0 + x**2)),
    "abs": (np.abs, np.sign),
    "radians": (np.radians, lambda x: np.full_like(x, math.pi / 180.0)),
    "degrees": (np.degrees, lambda x: np.full_like(x, 180.0 / math.pi)),
}
_CONSTANTS = {"pi": math.pi}


@dataclass(frozen=True, eq=False)
class _Dual:
    """Values (N,) and their derivatives (names, N)."""

    value: Array
    slope: Array


class Expression:
    """``text`` over ``names``.  Raises InvalidValueError where it is none, or has a name that nobody gives."""

    def __init__(self, text: str, names: Iterable[str]) -> None:
        self.text, self.names = text, tuple(names)
        if len(text) > _LONGEST:
            raise InvalidValueError("model", f"is longer than {_LONGEST} characters; shorten it.")
        try:
            self._tree = ast.parse(text.strip().replace("^", "**").replace("−", "-"), mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
            raise InvalidValueError(
                "model", f"'{text}' is not a formula. Write one such as 'a + 2*b' over the sources' names."
            ) from error
        self._check(self._tree, 0)

    def _check(self, node: ast.expr, depth: int) -> None:
        if depth > _DEEPEST:
            raise InvalidValueError("model", "is nested too deep; write it more simply.")
        match node:
            case ast.Constant(value=int() | float()) if not isinstance(node.value, bool):
                return
            case ast.Name(id=name) if name in self.names or name in _CONSTANTS:
                return
            case ast.Name(id=name):
                known = ", ".join(self.names) or "none"
                raise InvalidValueError("model", f"'{name}' is no source. Use the sources' names: {known}.")
            case ast.BinOp(op=ast.Add() | ast.Sub() | ast.Mult() | ast.Div() | ast.Pow()):
                within = [node.left, node.right]
            case ast.UnaryOp(op=ast.UAdd() | ast.USub()):
                within = [node.operand]
            case ast.Call(func=ast.Name(id=name), args=[argument], keywords=[]) if name in _FUNCTIONS:
                within = [argument]
            case _:
                raise InvalidValueError(
                    "model",
                    f"'{ast.unparse(node)}' cannot be worked out. There are + - * / ** and "
                    f"{', '.join(_FUNCTIONS)} of one value each.",
                )
        for each in within:
            self._check(each, depth + 1)

    def values(self, given: Mapping[str, Array]) -> Array:
        """What it comes to (N,) for as many values (N,) of each name.

        Raises InvalidValueError where that is not finite for one of them.
        """
        size = max((np.size(value) for value in given.values()), default=1)
        with np.errstate(all="ignore"):
            found = np.broadcast_to(self._value(self._tree, given), (size,))
        if not np.all(np.isfinite(found)):
            raise InvalidValueError(
                "model",
                f"'{self.text}' has no value for {int(np.sum(~np.isfinite(found)))} of {size} draws of its "
                "sources. A root of what may be negative, or a division by what may be nought, does not work.",
            )
        return np.array(found)

    def _value(self, node: ast.expr, given: Mapping[str, Array]) -> Array:
        return self._walk(node, {name: _Dual(np.asarray(value), _NONE) for name, value in given.items()}).value

    def at(self, given: Mapping[str, float]) -> tuple[float, dict[str, float]]:
        """Its value at a place, and its derivative by each name.  Raises InvalidValueError where either has no finite
        value."""
        unit = np.eye(len(self.names))
        places = {name: _Dual(np.array([float(given[name])]), unit[k][:, None]) for k, name in enumerate(self.names)}
        with np.errstate(all="ignore"):
            found = self._walk(self._tree, places)
        slope = np.broadcast_to(found.slope, (len(self.names), 1))
        if not (np.all(np.isfinite(found.value)) and np.all(np.isfinite(slope))):
            raise InvalidValueError(
                "model",
                f"'{self.text}' has no value, or no slope, at the sources' values. Enter values at which it has.",
            )
        return float(found.value.ravel()[0]), dict(zip(self.names, slope[:, 0].tolist(), strict=True))

    def _walk(self, node: ast.expr, given: Mapping[str, _Dual]) -> _Dual:
        match node:
            case ast.Constant(value=int() | float() as number):
                return _Dual(np.array([float(number)]), _NONE)
            case ast.Name(id=name):
                return given[name] if name in given else _Dual(np.array([_CONSTANTS[name]]), _NONE)
            case ast.UnaryOp(op=op, operand=operand):
                of = self._walk(operand, given)
                return of if isinstance(op, ast.UAdd) else _Dual(-of.value, -of.slope)
            case ast.Call(func=ast.Name(id=name), args=[argument]):
                of, (function, slope) = self._walk(argument, given), _FUNCTIONS[name]
                return _Dual(function(of.value), slope(of.value) * of.slope)
            case ast.BinOp(left=left, op=op, right=right):
                return _combined(self._walk(left, given), op, self._walk(right, given))
            case _:
                raise AssertionError("the formula was checked")


#: Of what hangs on no name.
_NONE: Array = np.zeros((1, 1))


def _combined(a: _Dual, op: ast.operator, b: _Dual) -> _Dual:
    x, y, dx, dy = a.value, b.value, a.slope, b.slope
    match op:
        case ast.Add():
            return _Dual(x + y, dx + dy)
        case ast.Sub():
            return _Dual(x - y, dx - dy)
        case ast.Mult():
            return _Dual(x * y, dx * y + x * dy)
        case ast.Div():
            return _Dual(x / y, dx / y - x / y**2 * dy)
        case ast.Pow():
            power = np.power(x, y)
            # Where the exponent hangs on nothing, a base of nought or less has a slope all the same.
            by_exponent = power * np.log(x) * dy if np.any(dy) else 0.0
            return _Dual(power, y * np.power(x, y - 1.0) * dx + by_exponent)
        case _:
            raise AssertionError("the formula was checked")
