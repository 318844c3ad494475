"""Programs for the control: one that loads offsets, and one that stops with a message where the table differs.

Spelled by the machine's own text profile, so that the simulated control runs what is released.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..errors import RegisterError
from ..model.machine import Machine
from ..model.work_offsets import STANDARD, Code, codes_of, turn_variable
from ..programs.actions import Action, Note, StopIf, Word
from ..programs.profile import ProfileWriter, profile_of
from ..programs.rotation import turns_by_itself
from ..programs.targets import target_at
from ..programs.text import NumberWriter, comment
from ..quantities import mm_per
from .entries import Entry, Value

_AXES = "XYZ"


def loading_program(machine: Machine, entries: Iterable[Entry], title: str) -> str:
    """Writes every offset that has a value.  Raises RegisterError when none has."""
    numbers = NumberWriter(machine.program_units)
    actions: list[Action] = []
    for code, entry, value in _with_values(machine, entries):
        turns = _turns(machine, code)
        if value.turn_deg and not turns:
            raise RegisterError(entry.code, "its turn about Z cannot be loaded into a control of this style")
        words = tuple(Word(_AXES[k], k, numbers(mm)) for k, mm in enumerate((value.x, value.y, value.z)))
        turn = f"{value.turn_deg:.4f}" if turns else ""
        actions += [Note(_named(entry)), *target_at(machine, code).written(words, turn)]
    head = "loads work offsets; what stood there before is written over"
    return _program(machine, title, head, actions)


def verify_program(machine: Machine, entries: Iterable[Entry], title: str, tolerance: float) -> str:
    """Stops where a value differs by more than ``tolerance`` (mm).

    Raises RegisterError when none has a value, or one that is kept in no parameter.
    """
    numbers = NumberWriter(machine.program_units)
    actions: list[Action] = []
    label = 0
    for code, entry, value in _with_values(machine, entries):
        if code.parameter is None:
            raise RegisterError(entry.code, "this control keeps it in no parameter that a program could look at")
        actions.append(Note(_named(entry)))
        for k, mm in enumerate((value.x, value.y, value.z)):
            label += 1
            condition = f"ABS[#{code.parameter + k} - {numbers.in_brackets(mm)}] GT {numbers(tolerance)}"
            text = f"{entry.code} {_AXES[k]} is not {numbers(mm)}"
            actions.append(StopIf(condition, str(label), text))
        if _turns(machine, code):
            label += 1
            condition = f"ABS[{target_at(machine, code).turn} - [{value.turn_deg:.4f}]] GT 0.01"
            actions.append(StopIf(condition, str(label), f"{entry.code} is not turned by {value.turn_deg:.4f}"))
    return _program(machine, title, f"stops where a work offset is off by more than {numbers(tolerance)}", actions)


def _turns(machine: Machine, code: Code) -> bool:
    """Whether it is kept anywhere how far an offset is turned."""
    return code.level == STANDARD if turns_by_itself(machine) else turn_variable(machine, code) is not None


def _with_values(machine: Machine, entries: Iterable[Entry]) -> list[tuple[Code, Entry, Value]]:
    codes = {code.code: code for code in codes_of(machine)}
    chosen = [
        (codes[entry.code], entry, entry.value) for entry in entries if entry.value is not None and entry.code in codes
    ]
    if not chosen:
        raise RegisterError(machine.name, "no work offset that was chosen has a value; find one first")
    return chosen


def _named(entry: Entry) -> str:
    who = entry.use.words() if entry.use is not None else entry.resident
    return " ".join(part for part in (entry.code, entry.label, who) if part)


def _program(machine: Machine, title: str, what: str, actions: Sequence[Action]) -> str:
    """Nothing moves: the units are the control's own, since its parameters are kept in them."""
    writer = ProfileWriter(profile_of(machine), {})
    metric = mm_per(machine.program_units) == 1.0
    head = [
        "%",
        f"({comment(title)})",
        f"({comment(machine.name)}: {comment(what)})",
        "(CAUTION: nothing moves here; look at the table before the next program does.)",
        f"{'G21' if metric else 'G20'} G90",
    ]
    return "\n".join([*head, *(writer.action(action) for action in actions), "M2", "%"]) + "\n"
