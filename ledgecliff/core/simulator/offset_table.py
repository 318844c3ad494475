"""The control's work offsets as programs see them: written by G10, and kept in numbered parameters.

Standard offset n has X in #5221 + 20 (n - 1) and its turn about Z nine on; extended ones, selected by a word
and P n, have theirs where the machine says.  The parameters are always in the control's own unit: a
program in the other unit that adds to them comes out wrong, here as on a control.  Where tool lengths count
from a reference plane, Z offsets do as well.
"""

from __future__ import annotations

import numpy as np

from ..frames import Array, rotation
from ..model.work_offsets import EXTENDED_FROM, codes_of, turn_variables
from ..quantities import mm_per
from .expressions import ExpressionError, Parameters, whole
from .machine import SimulatedMachine
from .modal import Dialect

_FIRST, _STEP, _STANDARD, _TURN = 5221, 20, 9, 9


class OffsetTable:
    """Of one control; the values stand in the machine, by number."""

    def __init__(self, unit: SimulatedMachine, dialect: Dialect, parameters: Parameters) -> None:
        self._unit, self._dialect, self._parameters = unit, dialect, parameters
        self._per_unit = mm_per(unit.machine.program_units)
        #: What the table shows less than the machine reading of a tool of no length.
        self._shift = (0.0, 0.0, unit.machine.length_shift())
        #: In which variables programs keep how far offsets are turned, which this control cannot do by itself.
        self._turned_in = {} if dialect.turns else {k: code.key for k, code in turn_variables(unit.machine).items()}
        self._selected = {code.selected_by: code.key for code in codes_of(unit.machine)}

    def store(self) -> None:
        """Puts every offset into its parameters."""
        for number, value in self._unit.offsets.items():
            first = self._parameter(number)
            for k, shift in enumerate(self._shift):
                self._parameters[first + k] = (float(value[k]) - shift) / self._per_unit
            if number < EXTENDED_FROM:
                self._parameters[first + _TURN] = self._unit.turns.get(number, 0.0) if self._dialect.turns else 0.0
        for variable, number in self._turned_in.items():
            self._parameters[variable] = self._unit.turns.get(number, 0.0)

    def write(self, words: dict[str, float], per_unit: float, active: int, length: float) -> None:
        """``G10 L2`` writes values, ``L20`` what makes the present place read them, with the tool ``length`` (mm)
        taken off; where the machine has extended offsets their own L writes those."""
        way = whole("L", words.get("L", 0.0))
        number = whole("P", words.get("P", 0.0)) or active
        more = self._unit.machine.extended
        if more is not None and way == more.level and not self._dialect.o_words:
            number, way = EXTENDED_FROM + whole("P", words.get("P", 0.0)), 2
        elif way not in (2, 20):
            raise ExpressionError(f"G10 L{way} writes no work offset of this control")
        if number not in self._unit.offsets:
            raise ExpressionError(f"G10 P{number}: there is no such work offset")
        if "R" in words:
            if not self._dialect.turns:
                raise ExpressionError("a work offset of this style cannot be turned by R")
            self._unit.turns[number] = words["R"]
        stated = {k: words[axis] * per_unit for k, axis in enumerate("XYZ") if axis in words}
        value = self._unit.offsets[number].copy()
        if way == 2:
            for k, mm in stated.items():
                value[k] = mm + self._shift[k]
        elif stated:
            value = self._reading(number, value, stated, length)
        self._unit.offsets[number] = value
        self.store()

    def _reading(self, number: int, value: Array, stated: dict[int, float], length: float) -> Array:
        """The offset that makes the present place read what is ``stated``, along its axes as they are turned; along the
        others it reads what it did."""
        turn = rotation("z", self._unit.turns.get(number, 0.0) if self._dialect.turns else 0.0)
        here = np.array(self._unit.position) - (0.0, 0.0, length)
        reads = turn.T @ (here - value)
        for k, mm in stated.items():
            reads[k] = mm
        zero: Array = here - turn @ reads
        return zero

    def selected(self, word: int, words: dict[str, float]) -> int:
        """The number under which the offset is kept that a word (tenths) selects, alone or with P."""
        counted = word in self._dialect.offsets.with_number
        if counted and "P" not in words:
            raise ExpressionError(f"G{word / 10:g} selects a work offset by its number in P, which is missing")
        number = self._selected.get((word, whole("P", words["P"]) if counted else None))
        if number is None or number not in self._unit.offsets:
            said = self._dialect.offsets.code(word, words.get("P", 0.0))
            raise ExpressionError(f"{said}: this machine has no such work offset")
        return number

    def written(self, parameter: int, value: float) -> bool:
        """In the numbered style a written offset parameter is the offset, and a turn is kept; whether it was one."""
        if self._dialect.o_words:
            return False
        if parameter in self._turned_in:
            self._unit.turns[self._turned_in[parameter]] = value
            return True
        number, k = self._number(parameter)
        if k >= 3:
            return False
        if number not in self._unit.offsets:
            raise ExpressionError(f"#{parameter}: there is no such work offset")
        changed = self._unit.offsets[number].copy()
        changed[k] = value * self._per_unit + self._shift[k]
        self._unit.offsets[number] = changed
        return True

    def _parameter(self, number: int) -> int:
        if number < EXTENDED_FROM:
            return _FIRST + _STEP * (number - 1)
        more = self._unit.machine.extended
        assert more is not None, "only a machine with extended offsets has any"
        return more.first_parameter + _STEP * (number - EXTENDED_FROM - 1)

    def _number(self, parameter: int) -> tuple[int, int]:
        """Offset and axis that a parameter holds; an axis of 3 or more is none."""
        more = self._unit.machine.extended
        if _FIRST <= parameter < _FIRST + _STEP * _STANDARD:
            number, k = divmod(parameter - _FIRST, _STEP)
            return number + 1, k
        if more is not None and 0 <= parameter - more.first_parameter < _STEP * more.count:
            number, k = divmod(parameter - more.first_parameter, _STEP)
            return EXTENDED_FROM + number + 1, k
        return 0, _STEP
