"""How programs turn the rotary axes to a setup's index, and work out its zero from the one that was found before.

A zero that is taken along goes by ``E' = R E + t`` with ``R``, ``t`` what the axes do to a place between both indexes:
numbers of the plan, while ``E`` is read from the offset of the setup before when the program runs.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np

from ..errors import PlanError
from ..frames import AXES, Axis
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.stations import Rotary
from ..places import rotaries_under, stands_at, tf_m_s
from .actions import Action, Note, Parameter, Turn, Word, Write
from .targets import Target
from .text import NumberWriter

#: A share of a coordinate that is less than this is none; others are spelled to so many places.
_NO_SHARE, _PLACES = 1e-12, 9


def _share(share: float, parameter: Parameter) -> str:
    if abs(abs(share) - 1.0) < _NO_SHARE:
        return f"#{parameter}" if share > 0.0 else f"[0 - #{parameter}]"
    return f"[{share:.{_PLACES}f} * #{parameter}]"


def index_moves(machine: Machine, setup: Setup) -> tuple[Turn, ...]:
    """The moves of the axes that carry a setup to its index, the lowest first; none where nothing carries it."""
    return tuple(turned_to(each, stands_at(each, setup.index)) for each in reversed(rotaries_under(machine, setup)))


def turned_to(rotary: Rotary, degrees: float) -> Turn:
    return Turn(rotary.word, word_of(rotary, degrees), rotary.free_word, rotary.clamp_word)


def word_of(rotary: Rotary, degrees: float) -> str:
    """The value of an axis's word that takes it there, however its control takes that."""
    if rotary.way_round != "counts turns":
        # Where a sign is the way round, a minus would lead elsewhere.
        degrees = math.fmod(math.fmod(degrees, 360.0) + 360.0, 360.0)
    text = f"{degrees:.4f}".rstrip("0")
    return {"-0.": "0.0"}.get(text, text + "0" if text.endswith(".") else text)


def indexed_zero(
    machine: Machine, before: Setup, after: Setup, axes: Iterable[Axis], targets: tuple[Target, Target]
) -> list[Action]:
    """Writes ``axes`` of the second target, worked out from all three of the first.  Raises PlanError where both are
    one offset: run again, the program would take along what it has written itself."""
    source, own = targets
    if source.code == own.code:
        raise PlanError(
            f"Setup '{after.name}': its zero is worked out from that of '{before.name}', and both are kept in "
            f"{own.code}. Choose an offset of its own for each index."
        )
    moved, numbers = (
        tf_m_s(machine, after).after(tf_m_s(machine, before).inverse()),
        NumberWriter(machine.program_units),
    )
    # Z of an offset counts from the reference plane, where the machine has one.
    plane = np.array([0.0, 0.0, machine.length_shift()])
    rest = moved(plane) - plane
    words = []
    for axis in axes:
        k = AXES.index(axis)
        shares = [
            _share(float(share), source.parameter(j)) for j, share in enumerate(moved.turn[k]) if abs(share) > _NO_SHARE
        ]
        shift = float(rest[k]) + after.datum.axis(axis).shift
        words.append(Word(axis.upper(), k, f"[{' + '.join([*shares, numbers.in_brackets(shift)])}]"))
    return [
        Note(f"{own.code} is where the rotary axes have taken the zero of {source.code}"),
        Write(own.code, own.number, tuple(words), level=own.level),
    ]
