"""How what a step found goes into a work offset: found less wanted, along the offset's axes as they are turned.

A place that reads ``w`` lies at ``m = E + T(a) w``, E the offset and T(a) its turn by ``a`` about Z
(docs/methods/frames-and-signs.md).  To make a place found at ``w`` in the setup's own offset read ``r`` in an offset
turned by ``b``, that must be ``E' = E + T(a) w - T(b) r``: a step that finds the skew as well turns what it states with
the skew just found.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ..frames import AXES
from ..model.stations import IndexAngle
from ..probing.touches import AxisSetting, Step
from .actions import Action, Confirm, Let, Note, Word
from .result_variables import PointedPlaces, ResultPlaces
from .targets import Target
from .text import NumberWriter

#: The turn that is written, and how far the offset goes along machine X and Y.
_TURN, _SHIFT = 117, 118
#: How far the other offset lies from the setup's own along the one axis that is set.
_APART = 120


@dataclass(frozen=True)
class Writing:
    """Where the results of a program's steps go, and how they are spelled.

    Readings are in the setup's ``own`` offset, whatever is written ``into``.  ``turns`` says that offsets can be
    turned and are in this program, ``turned`` that the own one may be so already; a change of more than ``jump`` waits
    for the operator; ``results`` are kept in variables.
    """

    own: Target
    into: Target
    numbers: NumberWriter
    turns: bool
    turned: bool
    jump: float | None
    results: ResultPlaces | PointedPlaces
    #: Where the rotary axes stand.
    index: tuple[IndexAngle, ...] = ()
    #: The subprogram that a failed presence check leaves, and the variable that then holds 1; None where it stops.
    leaves: tuple[int, int] | None = None
    #: What labels of all steps are counted on from.
    labels_from: int = 0


def offset_writes(step: Step, found: Mapping[str, str], writing: Writing, label: Callable[[], str]) -> list[Action]:
    """The actions that write an offset from the parameters in which a step keeps what it ``found`` (by key)."""
    return _OffsetWriter(step, found, writing, label).actions()


class _OffsetWriter:
    def __init__(self, step: Step, found: Mapping[str, str], writing: Writing, label: Callable[[], str]) -> None:
        self._step, self._found, self._own, self._into = step, found, writing.own, writing.into
        self._n, self._label, self._turns, self._jump = writing.numbers, label, writing.turns, writing.jump

    def actions(self) -> list[Action]:
        step = self._step
        if not step.sets and not (step.sets_skew and self._turns):
            return []
        lets, flat = self._flat()
        z = next((setting for setting in step.sets if setting.axis == "z"), None)
        shifts = flat | ({2: self._shift(z)} if z else {})
        actions: list[Action] = list(lets)
        if self._jump is not None:
            actions += [self._confirm(k, shift, self._jump) for k, shift in shifts.items()]
        if shifts:
            actions.append(Note(f"found less wanted goes into {self._into.code}"))
        turn = ""
        if self._turns and (step.sets_skew or (flat and self._into != self._own)):
            turn = f"[{self._new_turn()}]"
            actions.append(Note(f"{self._into.code} is turned {'to the edge' if step.sets_skew else 'along with it'}"))
        base = self._into if self._one_of_another() else self._own
        words = tuple(
            Word("XYZ"[k], k, f"[#{(self._own if k == 2 else base).parameter(k)} + {shift}]")
            for k, shift in shifts.items()
        )
        return [*actions, *self._into.written(words, turn)]

    def _shift(self, setting: AxisSetting) -> str:
        """Found less wanted, along the axis as it is turned."""
        return f"{self._found[setting.axis]} - {self._n.in_brackets(setting.should_read)}"

    def _new_turn(self) -> str:
        """The turn of the offset that is written (degrees)."""
        return f"{self._own.turn} + {self._found['skew']}" if self._step.sets_skew else self._own.turn

    def _one_of_another(self) -> bool:
        """Whether one axis of another turned offset is set, so that its other axis must stay where it is."""
        flat = [setting for setting in self._step.sets if setting.axis != "z"]
        return self._turns and len(flat) == 1 and self._into != self._own

    def _flat(self) -> tuple[list[Let], dict[int, str]]:
        """What goes before, and how far the offset goes along machine X and Y."""
        sets = {AXES.index(setting.axis): setting for setting in self._step.sets if setting.axis != "z"}
        if not sets:
            return [], {}
        if self._step.sets_skew:
            return self._turned_with_the_skew(sets[0], sets[1])
        if not self._turns:
            return [], {k: self._shift(setting) for k, setting in sets.items()}
        lets: list[Let] = []
        along = {k: f"[{self._shift(setting)}]" for k, setting in sets.items()}
        if self._one_of_another():
            ((k, shift),) = along.items()
            apart = [f"[#{self._into.parameter(j)} - #{self._own.parameter(j)}]" for j in (0, 1)]
            if k == 0:
                already = f"COS[{self._own.turn}] * {apart[0]} + SIN[{self._own.turn}] * {apart[1]}"
            else:
                already = f"COS[{self._own.turn}] * {apart[1]} - SIN[{self._own.turn}] * {apart[0]}"
            lets.append(Let(_APART, f"[{already}]", f"where {self._into.code} has it so far"))
            along = {k: f"[{shift} - #{_APART}]"}
        x, y = (along.get(k, "0") for k in (0, 1))
        return self._kept(lets, *self._along_machine(self._own.turn, x, y))

    @staticmethod
    def _along_machine(turn: str, x: str, y: str) -> tuple[str, str]:
        """T(turn) (x, y) as two expressions."""
        return f"COS[{turn}] * {x} - SIN[{turn}] * {y}", f"SIN[{turn}] * {x} + COS[{turn}] * {y}"

    @staticmethod
    def _kept(lets: list[Let], x: str, y: str) -> tuple[list[Let], dict[int, str]]:
        kept = [Let(_SHIFT, f"[{x}]", "along machine X"), Let(_SHIFT + 1, f"[{y}]", "along machine Y")]
        return [*lets, *kept], {0: f"#{_SHIFT}", 1: f"#{_SHIFT + 1}"}

    def _turned_with_the_skew(self, x: AxisSetting, y: AxisSetting) -> tuple[list[Let], dict[int, str]]:
        """The found place read along the axes as they were; what it must read along them as they will be."""
        was = (self._found["x"], self._found["y"])
        if self._turns:
            was = self._along_machine(self._own.turn, *was)
        turn = f"[{self._new_turn()}]" if self._turns else self._found["skew"]
        reads = (self._n.in_brackets(x.should_read), self._n.in_brackets(y.should_read))
        will = self._along_machine(f"#{_TURN}", *reads)
        lets = [Let(_TURN, turn, "how the part is turned")]
        return self._kept(lets, *(f"{place} - [{reading}]" for place, reading in zip(was, will, strict=True)))

    def _confirm(self, axis: int, shift: str, jump: float) -> Confirm:
        """A jump of more than the clamping scatter usually is a chip, another part, or the wrong offset."""
        text = (
            f"{'XYZ'[axis]} of {self._into.code} changes by more than {self._n(jump)}: chip, wrong part or offset? "
            "Start accepts, reset refuses"
        )
        return Confirm(f"ABS[{shift}] GT {self._n(jump)}", self._label(), text)
