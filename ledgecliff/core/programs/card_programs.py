"""The control's own cycle as the simulated control runs it for a card: only the call, from where the probe stands.

The cycles are the stand-ins of the shipped *cycle call style*, whatever profile the machine's programs are written in;
they only measure here, and the offset is set from what they found, as the form at a control does.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..probing.one_call import one_call
from ..probing.touches import Place, Step
from ..setup_plan import SetupPlan
from .actions import CycleCall
from .cards import why_no_card
from .cycle_actions import LEAST_MOVE, StepActions
from .offset_writes import Writing
from .profile import ProfileWriter, shipped_profile
from .result_variables import result_places
from .targets import Target
from .text import NumberWriter

_STYLE = "cycle call style"


@dataclass(frozen=True)
class CardCall:
    """A step as its card works it through: ``w_stand`` is where the ball's lowest point should stand (mm, WCS), and
    ``near`` how far from there it may; ``results`` are the parameters of what is found, by key, in the program's unit.
    """

    step: Step
    w_stand: Place
    near: float
    text: str
    results: dict[str, int]


def card_calls(setup: SetupPlan) -> tuple[CardCall, ...] | str:
    """The calls of all cards of a setup, or why one of its steps has none."""
    calls = []
    for number, step in enumerate(setup.probing.steps, start=1):
        call, near = one_call(step), None
        why = why_no_card(setup, step)
        if not why and (near := setup.near_enough(step)) is None:
            why = "However near the probe stands, this step cannot be made."
        if why or call is None or near is None:
            return f"step {number} of {setup.setup.name}, {step.title}: {why}"
        writer = StepActions(replace(step, sets=()), number, _writing(setup))
        action = writer.call(call)
        places = result_places(setup.machine, setup.setup)
        kept = {quantity.key: places.of_step(number) + k for k, quantity in enumerate(step.finds)}
        calls.append(CardCall(step, call.w_stand, near, _text(setup, action), kept))
    return tuple(calls)


def _writing(setup: SetupPlan) -> Writing:
    # Nothing is written by these cycles: which offset stands here is of no account.
    nowhere = Target(setup.setup.offset, 1)
    numbers = NumberWriter(setup.machine.program_units)
    return Writing(nowhere, nowhere, numbers, False, False, None, result_places(setup.machine, setup.setup))


def _text(setup: SetupPlan, action: CycleCall) -> str:
    machine = setup.machine
    numbers = NumberWriter(machine.program_units)
    words = {"travel": numbers(machine.probe.travel_feed), "least_move": numbers(LEAST_MOVE)}
    write = ProfileWriter(shipped_profile(_STYLE), words)
    lines = [
        f"{'G21' if machine.program_units == 'mm' else 'G20'} G17 G40 G49 G80 G90 G94",
        "G92.1",
        f"G43 H{machine.probe.tool}",
        f"#100 = {numbers(machine.probe.effective_radius)}",
        write.part("subprograms"),
        write.action(action),
        "M2",
    ]
    return "\n".join(lines) + "\n"
