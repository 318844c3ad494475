"""One work offset or many, probed or not: what each choice is expected to be off, takes and costs, and which keeps what
is asked.

How far an instance is off is the error budget's word, with that zero: its own, that of the first of the load, or a
known one.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..budget.instances import instance_off, made_here
from ..budget.pair import Pair
from ..model.pattern import Probed, School
from ..plan import Plan
from ..probing.duration import probing_seconds
from ..programs.instance_programs import SEATING
from ..register.entries import Entry
from ..setup_plan import SetupPlan
from .codes import codes_of_setup

#: Side by side with a touch of the master: the probe put in and taken out (s).
_TOOL_CHANGE_S = 12.0


@dataclass(frozen=True, eq=False)
class Choice:
    """A school with what is probed: the worst ``pair`` of what is made at an instance, ``minutes`` of probing a load,
    offsets ``needed``, whether there are ``enough`` of them, and whether it ``keeps`` what is asked (None where nothing
    is)."""

    school: School
    probed: Probed
    pair: Pair
    minutes: float
    needed: int
    enough: bool
    keeps: bool | None

    @property
    def expanded(self) -> float:
        """What 95 % stay within (mm)."""
        return self.pair.expanded


@dataclass(frozen=True)
class Asked:
    """The least that an instance's place may be off (mm): a ``tolerance``, or what is left to ``clean-up``; whose it
    is."""

    limit: float
    what: Literal["tolerance", "clean-up"]
    whose: str


@dataclass(frozen=True, eq=False)
class Compared:
    asked: Asked | None
    choices: tuple[Choice, ...]
    #: The number of the one that keeps what is asked with the fewest minutes and then offsets; None where none does.
    best: int | None


def compared(plan: Plan, setup: SetupPlan, entries: Iterable[Entry] = ()) -> Compared:
    """Every choice for a setup's pattern; a tolerance is kept by the share of it that the job states."""
    entries = tuple(entries)
    parts = sum(each.is_on for each in plan.instances(setup.index))
    finding, seating = _seconds(setup)
    # Presence and seat are looked for at every instance, whoever else is probed.
    looked = seating * parts + _TOOL_CHANGE_S if seating else 0.0
    rows: list[tuple[School, Probed, float]] = [
        ("local shifts", "none", looked),
        ("local shifts", "first of the load", finding + seating * parts + _TOOL_CHANGE_S),
        ("own each", "none", looked),
        ("own each", "every one", (finding + seating) * parts + _TOOL_CHANGE_S),
    ]
    if not any(step.sets or step.sets_skew for step in setup.probing.steps):
        rows = [row for row in rows if row[1] == "none"]
    worst = {probed: _worst(plan, setup, probed) for _, probed, _ in rows}
    asked = _asked(setup, worst[rows[0][1]])
    choices = []
    for school, probed, takes in rows:
        codes = codes_of_setup(plan.job, setup.index, entries, school)
        pair = worst[probed]
        keeps = None
        if asked is not None:
            share = plan.job.tolerance_share if asked.what == "tolerance" else 1.0
            keeps = pair.expanded <= share * asked.limit
        choices.append(Choice(school, probed, pair, takes / 60.0, codes.needed, not codes.short, keeps))
    return Compared(asked, tuple(choices), _best(choices))


def _seconds(setup: SetupPlan) -> tuple[float, float]:
    """How long (s) it takes to find the zero of one instance, and to look whether it is there and seated."""
    steps, probe = setup.probing.steps, setup.machine.probe
    seating = tuple(step for step in steps if step.kind in SEATING)
    others = tuple(step for step in steps if step.kind not in SEATING)
    return tuple(probing_seconds(replace(setup.probing, steps=each), probe) for each in (others, seating))  # type: ignore[return-value]


def _best(choices: Sequence[Choice]) -> int | None:
    good = [k for k, each in enumerate(choices) if each.enough and each.keeps is not False]
    return min(good, key=lambda k: (choices[k].minutes, choices[k].needed), default=None)


def _worst(plan: Plan, setup: SetupPlan, probed: Probed) -> Pair:
    """Of the tolerances that are made here; where there are none, where an instance is cut in its blank."""
    pairs = [pair for pair in made_here(plan, setup.index, probed) if pair.asked.tolerance is not None]
    return max(pairs, key=lambda pair: pair.share or 0.0, default=instance_off(plan, setup.index, probed))


def _asked(setup: SetupPlan, pair: Pair) -> Asked | None:
    """The tolerance that is the hardest to keep, else what raw sides leave to clean up."""
    if pair.asked.tolerance is not None:
        return Asked(pair.asked.tolerance, "tolerance", pair.asked.feature)
    room = clean_up_room(setup)
    return None if room is None else Asked(room, "clean-up", "")


def clean_up_room(setup: SetupPlan) -> float | None:
    """What is left (mm) on the raw side with the least of it, blanks varying as they do; None where no side is raw."""
    low, high = setup.holding.u_stock
    p_low, p_high = setup.geometry.low, setup.geometry.high
    ends = np.array([p_low, p_high]) @ setup.setup.orientation.matrix().T
    left = np.concatenate([ends.min(axis=0)[:2] - low[:2], high[:2] - ends.max(axis=0)[:2]])
    varies = np.tile(setup.setup.orientation.sizes(setup.spread)[:2], 2)
    sides = [float(room - by) for room, by in zip(left, varies, strict=True) if room > 1e-6]
    return min(sides, default=None)
