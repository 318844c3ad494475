"""Work offsets as programs write them, and which of a machine's offsets they can write."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from ..changing import changed
from ..errors import InvalidValueError, PlanError, ProfileError
from ..model.bench import MakeFixture
from ..model.holding import BoardHold
from ..model.job import Codes, Job
from ..model.machine import ControlStyle, Machine
from ..model.operations import PinBores
from ..model.setup import Setup
from ..model.work_offsets import STANDARD, Code, code_of, codes_of, turn_variable
from .actions import Action, Let, Parameter, Word, Write
from .profile import profile_of
from .rotation import turns_by_itself

#: These styles keep the offsets' values in #5221 + 20 (P - 1); they have nine of them.
_OFFSETS_IN_STYLE = 9
#: So many codes are named where one is missing.
_NAMED = 12


@dataclass(frozen=True)
class Target:
    """An offset that steps may write: its code, the L and P of G10, and the parameter that holds its X.

    ``turned_in`` is the variable that holds how far it is turned, where the control does not hold that itself.  Of
    several that one subprogram writes in turn, variables hold all of these.
    """

    code: str
    number: int | str
    level: int | str = 2
    first: Parameter | None = 5221
    turned_in: Parameter | None = None

    def parameter(self, axis: int) -> Parameter:
        assert self.first is not None, "an offset that is kept in no parameter is only written"
        return self.first + axis

    @property
    def turn(self) -> str:
        """The parameter that holds how far it is turned about Z (degrees)."""
        return f"#{self.parameter(9) if self.turned_in is None else self.turned_in}"

    def written(self, words: tuple[Word, ...], turn: str = "") -> list[Action]:
        """The actions that write it: axis words, and how far it is turned where that is set."""
        if self.turned_in is None:
            return [Write(self.code, self.number, words, turn, self.level)]
        written: list[Action] = [Write(self.code, self.number, words, level=self.level)] if words else []
        return [*written, Let(self.turned_in, turn, f"how {self.code} is turned")] if turn else written


def target_of(machine: Machine, setup: Setup, words: str) -> Target:
    """The offset that ``words`` select.  Raises PlanError where there is none, or programs cannot write it."""
    code = code_of(machine, words)
    if code is None:
        raise PlanError(f"Setup '{setup.name}': the machine has no work offset {words}; it has {codes_said(machine)}.")
    why = not_written(code, profile_of(machine).control)
    if why or code.parameter is None:
        raise PlanError(f"Setup '{setup.name}': {why}")
    return target_at(machine, code)


def target_at(machine: Machine, code: Code) -> Target:
    turned_in = None if turns_by_itself(machine) else turn_variable(machine, code)
    return Target(code.code, code.number, code.level, code.parameter, turned_in)


def not_written(code: Code, control: ControlStyle) -> str:
    """Why programs for a style of control cannot write an offset, and what to do; empty where they can."""
    if code.parameter is None:
        return (
            f"{code.code} is offset {code.number}; programs in this style can write 1 to {_OFFSETS_IN_STYLE}. "
            "Choose another offset."
        )
    if code.level != STANDARD and control == "parameter style":
        return (
            f"{code.code} is an extended offset, which controls of the parameter style do not have. "
            "Choose another offset or another profile."
        )
    return ""


def writable_codes(machine: Machine) -> tuple[Code, ...]:
    """Every offset that the machine's programs can write; all of them where its profile is not known."""
    try:
        control = profile_of(machine).control
    except ProfileError:
        return codes_of(machine)
    return tuple(code for code in codes_of(machine) if not not_written(code, control))


def free_code(job: Job, machine: Machine, without: Setup | None = None) -> str | None:
    """The first offset that no setup of the job, ``without`` one of them, keeps its zero in, no cycle writes and
    nothing is made in."""
    made_in = {step.offset for step in job.bench if isinstance(step, MakeFixture)}
    others = (setup for setup in job.setups if without is None or setup.id != without.id)
    return free_beside(machine, others, made_in)


def code_for_new(job: Job, setup: Setup) -> str:
    """The offset of one more setup on the machine of another: the one that the job keeps through all of them, or a free
    one; that of the other where none is free."""
    if job.codes == "one for all":
        return next(each.offset for each in job.setups if each.machine == setup.machine)
    return free_code(job, job.machine_of(setup)) or setup.offset


def with_codes(job: Job, codes: Codes) -> Job:
    """One offset for all setups on a machine, that of the first of them; or one for each, as far as there are any.

    Raises InvalidValueError where the machine has too few.
    """
    setups: list[Setup] = []
    for setup in job.setups:
        before = [each for each in setups if each.machine == setup.machine]
        code = setup.offset
        if before and codes == "one for all":
            code = before[0].offset
        elif any(each.offset == code for each in before):
            machine = job.machine_of(setup)
            found = free_beside(machine, (*setups, *job.setups[len(setups) + 1 :]))
            if found is None:
                raise InvalidValueError(
                    "codes", f"{machine.name} has too few work offsets for one a setup; state more of them on Release"
                )
            code = found
        setups.append(setup if code == setup.offset else setup.model_copy(update={"offset": code}))
    return changed(job, {"codes": codes, "setups": tuple(setups)})


def free_beside(machine: Machine, setups: Iterable[Setup], taken: Iterable[str] = ()) -> str | None:
    """The first offset of ``machine`` that none of ``setups`` uses, and that is not ``taken`` otherwise."""
    used = {*taken, *(code for setup in setups if setup.machine == machine.id for code in used_by(setup))}
    return next((code.code for code in writable_codes(machine) if code.code not in used), None)


def used_by(setup: Setup) -> set[str]:
    """Every offset that a setup uses: its own, those of its pattern, what its cycles write, and what its board has."""
    into = (cycle.into for cycle in setup.probing.cycles or () if cycle.into)
    of_pattern = (kept.offset for kept in setup.pattern.codes) if setup.pattern is not None else ()
    return {setup.offset, *of_pattern, *into, *offsets_for_board(setup)}


def offsets_for_board(setup: Setup) -> tuple[str, ...]:
    """In which offsets of their own a setup bores or marks its bare board."""
    hold = setup.hold
    bored = [made.board_offset for made in setup.operations if isinstance(made, PinBores)]
    mark = hold.mark.offset if isinstance(hold, BoardHold) and hold.mark is not None else None
    return tuple(each for each in (*bored, mark) if each is not None)


def codes_said(machine: Machine) -> str:
    """The codes of a machine in words: the first of them, where there are many."""
    codes = [code.code for code in codes_of(machine)]
    if len(codes) <= _NAMED:
        return ", ".join(codes)
    return f"{', '.join(codes[: _NAMED - 1])} and so on to {codes[-1]}"
