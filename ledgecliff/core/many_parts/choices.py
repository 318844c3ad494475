"""One work offset or many, probed or not: what each choice is expected to be off, takes and costs, and which keeps what
is asked.

Independent deviations add as squares (JCGM 100, 5.1.2); twice the standard deviation covers 95 % of what is normally
spread.  An instance under one offset is off by its seat, by the pattern and by the machine; probed by itself, by the
touches and the machine alone.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..model.pattern import Pattern, Probed, School
from ..patterns.instances import pattern_of
from ..plan import Plan
from ..probing.duration import probing_seconds
from ..programs.instance_programs import SEATING
from ..register.entries import Entry
from ..rehearsal.written_over import ASSUMED_PATTERN
from ..setup_plan import SetupPlan
from .codes import codes_of_setup

#: What covers 95 % of what is normally spread.
_COVERS = 2.0
#: Side by side with a touch of the master: the probe put in and taken out (s).
_TOOL_CHANGE_S = 12.0


@dataclass(frozen=True)
class Sources:
    """Standard deviations (mm) of one instance's place, along the worst axis, and whether each was stated."""

    seat: float
    pattern: float
    touch: float
    machine: float
    seat_stated: bool = False
    pattern_stated: bool = False


@dataclass(frozen=True)
class Choice:
    """A school with what is probed: ``standard`` deviation (mm) of an instance's place, ``minutes`` of probing a load,
    offsets ``needed``, whether there are ``enough`` of them, and whether it ``keeps`` what is asked (None where nothing
    is)."""

    school: School
    probed: Probed
    standard: float
    minutes: float
    needed: int
    enough: bool
    keeps: bool | None

    @property
    def expanded(self) -> float:
        """Plus or minus, at 95 % (mm)."""
        return _COVERS * self.standard


@dataclass(frozen=True)
class Asked:
    """The least that an instance's place may be off (mm): a ``tolerance``, or what is left to ``clean-up``; whose it
    is."""

    limit: float
    what: Literal["tolerance", "clean-up"]
    whose: str


@dataclass(frozen=True)
class Compared:
    sources: Sources
    asked: Asked | None
    choices: tuple[Choice, ...]
    #: The number of the one that keeps what is asked with the fewest minutes and then offsets; None where none does.
    best: int | None


def one_offset(sources: Sources) -> float:
    """Standard deviation (mm) of an instance under one offset whose place is known."""
    return math.hypot(sources.seat, sources.pattern, sources.machine)


def first_probed(sources: Sources) -> float:
    """The same where the offset is found on the first of the load, whose own seat then counts for all."""
    return math.hypot(sources.seat, sources.seat, sources.pattern, sources.touch, sources.machine)


def own_probed(sources: Sources) -> float:
    """Of an instance that is probed in an offset of its own: neither seat nor pattern counts."""
    return math.hypot(sources.touch, sources.machine)


def compared(plan: Plan, setup: SetupPlan, entries: Iterable[Entry] = ()) -> Compared:
    """Every choice for a setup's pattern, the plan's own figures for what nobody has stated."""
    pattern, entries = pattern_of(plan.job, setup.index) or Pattern(), tuple(entries)
    sources, asked = sources_of(setup, pattern), asked_of(setup)
    parts = sum(each.is_on for each in plan.instances(setup.index))
    finding, seating = _seconds(setup)
    # Presence and seat are looked for at every instance, whoever else is probed.
    looked = seating * parts + _TOOL_CHANGE_S if seating else 0.0
    rows: list[tuple[School, Probed, float, float]] = [
        ("local shifts", "none", one_offset(sources), looked),
        ("local shifts", "first of the load", first_probed(sources), finding + seating * parts + _TOOL_CHANGE_S),
        ("own each", "none", one_offset(sources), looked),
        ("own each", "every one", own_probed(sources), (finding + seating) * parts + _TOOL_CHANGE_S),
    ]
    if not any(step.sets or step.sets_skew for step in setup.probing.steps):
        rows = [row for row in rows if row[1] == "none"]
    choices = []
    for school, probed, standard, takes in rows:
        codes = codes_of_setup(plan.job, setup.index, entries, school)
        keeps = None if asked is None else _COVERS * standard <= asked.limit
        choices.append(Choice(school, probed, standard, takes / 60.0, codes.needed, not codes.short, keeps))
    return Compared(sources, asked, tuple(choices), _best(choices))


def _seconds(setup: SetupPlan) -> tuple[float, float]:
    """How long (s) it takes to find the zero of one instance, and to look whether it is there and seated."""
    steps, probe = setup.probing.steps, setup.machine.probe
    seating = tuple(step for step in steps if step.kind in SEATING)
    others = tuple(step for step in steps if step.kind not in SEATING)
    return tuple(probing_seconds(replace(setup.probing, steps=each), probe) for each in (others, seating))  # type: ignore[return-value]


def _best(choices: Sequence[Choice]) -> int | None:
    good = [k for k, each in enumerate(choices) if each.enough and each.keeps is not False]
    return min(good, key=lambda k: (choices[k].minutes, choices[k].needed), default=None)


def sources_of(setup: SetupPlan, pattern: Pattern) -> Sources:
    """What was stated of seats and pattern, else what clamping scatters; touches as they are planned."""
    worst = max(setup.holding.clamping_along(k).standard for k in (0, 1))
    known = setup.probing.steps[-1].knowledge_after[:2] if setup.probing.steps else ()
    found = [each.uncertainty / _COVERS for each in known if each.state == "set"]
    return Sources(
        seat=worst if pattern.seat_scatter is None else pattern.seat_scatter,
        pattern=ASSUMED_PATTERN if pattern.pattern_error is None else pattern.pattern_error,
        touch=max(found, default=setup.machine.probe.repeatability),
        machine=setup.machine.accuracy,
        seat_stated=pattern.seat_scatter is not None,
        pattern_stated=pattern.pattern_error is not None,
    )


def asked_of(setup: SetupPlan) -> Asked | None:
    """The tightest tolerance of what is made or seen here, else what raw sides leave to clean up."""
    if setup.tightest_here is not None:
        return Asked(setup.tightest_here[0], "tolerance", setup.tightest_here[1])
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
