"""Reading back: the text that is released, run on the control, must do what the plan says.

The control runs the programs on a machine where everything stands as planned but a known little off, and turned
where they look for a skew, without noise.  Compared are every touch (which surface, moving which way, where), every
result with ``probing.results``, which works it out another way, and every offset, the ones written and the ones
that must stay as they were: a sign, a half, a radius, a unit or an offset gone wrong in a profile shows.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..blanks import transformed
from ..datums import Wcs
from ..errors import ProgramError
from ..frames import AXES, Array, rotation
from ..holding import Holding
from ..model.machine import Machine
from ..model.setup import Setup
from ..probing.records import ball_centre
from ..probing.results import Results, step_results
from ..probing.touches import Place, ProbingPlan, Step, Touch
from ..quantities import mm_per
from ..simulator.contact import Body
from ..simulator.interpreter import Control
from ..simulator.machine import SimulatedMachine, TouchRecord, quiet, reading_lag
from ..simulator.modal import DIALECTS
from ..solids.tracked import InProcessStock
from ..work_offsets import code_of, codes_of
from .followed import FollowedOffsets, Frame
from .profile import profile_of
from .writer import ProbingText

#: What is printed to four places (five in inches), and added up, may differ by this much (mm or degrees).
SAME = 0.003
#: Round surfaces stand there as facets, which may lie this much (mm) inside the true one.
_FACET = 0.2
#: How far everything stands off (mm): less than any window, and another distance along each axis.
_OFF = np.array([0.031, -0.017, 0.023])
#: How far everything is turned where a skew is looked for (degrees), and how far (mm) that may take any touch away.
_TURN_DEG, _TURNED_MM = 0.08, 0.25
#: What the offset holds before, where the program must write it: a place nobody would take for right (mm, degrees).
_BEFORE, _OLD_TURN_DEG = 41.0, 0.6


@dataclass(frozen=True)
class ReadBack:
    """``touches`` and ``results`` that were found as planned; ``differences`` is empty when text and plan agree."""

    touches: int
    results: int
    differences: tuple[str, ...]


def read_back(
    machine: Machine,
    setup: Setup,
    holding: Holding,
    wcs: Wcs,
    plan: ProbingPlan,
    texts: Sequence[ProbingText],
    stocks: Sequence[InProcessStock],
    before: Setup | None = None,
) -> ReadBack:
    """``stocks`` are as each of ``texts`` finds them, ``before`` is the setup that zeros are carried over from.

    Raises ProfileError when the profile cannot be used.
    """
    own = code_of(machine, setup.offset)
    assert own is not None, "a program could be written, so its offset exists"
    world = _World(holding, plan, wcs)
    dialect = DIALECTS[profile_of(machine).control]
    unit = SimulatedMachine(machine, [], {}, quiet(), rotary=world.rotary())
    unit.offsets = _offsets_before(machine, own.key, setup, wcs, plan, before)
    if dialect.turns and plan.sets(setup.offset):
        unit.turns[own.key] = _OLD_TURN_DEG
    turned = dialect.turns and (not plan.sets(setup.offset) or any(step.sets_skew for step in plan.steps))
    must = {key: Frame(zero.copy()) for key, zero in unit.offsets.items()} | {own.key: Frame(wcs.m_offset.copy())}
    checker = _Checker(machine, world, FollowedOffsets(machine, own.key, must, turns=turned))
    for text, stock in zip(texts, stocks, strict=True):
        unit.put(world.bodies(stock))
        try:
            control = Control(unit, dialect)
            before_it = len(unit.touches)
            outcome = control.run(text.text)
        except ProgramError as error:
            return ReadBack(0, 0, (str(error),))
        per_unit = mm_per(machine.program_units)
        results = {row.parameter: outcome.parameters.get(row.parameter, float("nan")) for row in text.rows}
        if outcome.alarm:
            checker.differences.append(f"line {outcome.alarm_line}: {outcome.alarm}")
            break
        steps = [(number, step) for number, step in enumerate(plan.steps, start=1) if step.cycle.after == text.after]
        checker.check(steps, unit.touches[before_it:], results, text, per_unit)
    checker.check_offsets(unit)
    return ReadBack(checker.touches, checker.results, tuple(checker.differences))


def _offsets_before(
    machine: Machine, own: int, setup: Setup, wcs: Wcs, plan: ProbingPlan, before: Setup | None
) -> dict[int, Array]:
    """Each offset another value; the setup's own as by eye, but nothing like it where the program itself writes it."""
    offsets = {
        code.key: wcs.m_offset + _BEFORE + k * np.array([1.0, 2.0, 3.0]) for k, code in enumerate(codes_of(machine))
    }
    value = wcs.m_offset.copy()
    for axis, _ in plan.stays:
        value[AXES.index(axis)] += _BEFORE
    source = code_of(machine, before.offset) if before is not None else None
    for axis in plan.carried:
        assert source is not None, "only from a setup before is anything carried over"
        k, shift = AXES.index(axis), setup.datum.axis(axis).shift
        if source.key != own or abs(shift) >= 1e-9:
            value[k] += _BEFORE
            (value if source.key == own else offsets[source.key])[k] = wcs.m_offset[k] - shift
    return offsets | {own: value}


class _World:
    """Stock and holding as they stand on the machine for this: a little off, and turned about the stock's middle
    where a skew is looked for."""

    def __init__(self, holding: Holding, plan: ProbingPlan, wcs: Wcs) -> None:
        self._holding, self._wcs = holding, wcs
        m_middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0 + holding.m_shift
        finds = any(quantity.is_angle for step in plan.steps for quantity in step.finds)
        places = [wcs.m_offset + touch.w_contact - m_middle for touch in plan.touches]
        farthest = max((float(np.hypot(*place[:2])) for place in places), default=0.0)
        turn = min(_TURN_DEG, math.degrees(_TURNED_MM / max(farthest, 1.0))) if finds else 0.0
        #: How far anything that is touched may stand aside for the turn (mm).
        self.aside = math.radians(turn) * farthest
        self._turn = rotation("z", turn)
        self._m_middle = m_middle

    def _moved(self, m_point: Array) -> Array:
        moved: Array = self._turn @ (m_point - self._m_middle) + self._m_middle + _OFF
        return moved

    def contact(self, touch: Touch) -> Array:
        """Where (3,) in M the place of a planned touch really lies."""
        return self._moved(self._wcs.m_offset + np.array(touch.w_contact))

    def normal(self, touch: Touch) -> Array:
        """Straight into the touched surface (3,)."""
        into: Array = self._turn @ np.array(touch.way)
        return into

    def rotary(self) -> tuple[float, float] | None:
        axis = self._holding.rotary_axis()
        if axis is None:
            return None
        shift = self._holding.m_shift + _OFF
        return axis[0] + float(shift[1]), axis[1] + float(shift[2])

    def bodies(self, stock: InProcessStock) -> list[Body]:
        turn, shift = self._turn, self._moved(self._holding.m_shift)
        part = transformed(stock.solid, turn @ self._holding.orientation.matrix(), shift)
        blocks = [Body(block.name, transformed(block.solid(), turn, shift)) for block in self._holding.blocks]
        return [Body("part", part), *blocks]


class _Checker:
    def __init__(self, machine: Machine, world: _World, followed: FollowedOffsets) -> None:
        self._machine, self._world, self._followed = machine, world, followed
        self.touches = self.results = 0
        self.differences: list[str] = []

    def check(
        self,
        steps: list[tuple[int, Step]],
        records: list[TouchRecord],
        results: dict[int, float],
        text: ProbingText,
        per_unit: float,
    ) -> None:
        for number, step in steps:
            wanted = list(_as_run(step))
            # Of two-stage touches the slow ones count; a rough cycle has only fast ones.
            stages = 1 if step.cycle.rough else 2
            mine, records = records[stages - 1 : stages * len(wanted) : stages], records[stages * len(wanted) :]
            if len(mine) < len(wanted):
                self.differences.append(f"step {number} ({step.title}): {len(mine)} touches instead of {len(wanted)}")
                return
            for touch, record in zip(wanted, mine, strict=True):
                self._touch(step, touch, record)
            found = self._results(number, step, self._averaged(step, mine), results, text, per_unit)
            self._followed.step(step, found)
        if records:
            self.differences.append(f"line {records[0].line}: a touch that is not in the plan")

    def _centre(self, record: TouchRecord) -> Array:
        """Ball centre (3,) in M."""
        return np.array(ball_centre(record.m_reading, self._machine.probe))

    def _averaged(self, step: Step, records: list[TouchRecord]) -> list[Array]:
        """Ball centres (3,) in M of the last pass, repeated touches averaged."""
        count = step.cycle.touches
        last = records[-len(step.touches) * count :]
        return [
            np.mean([self._centre(record) for record in last[k : k + count]], axis=0)
            for k in range(0, len(last), count)
        ]

    def _touch(self, step: Step, touch: Touch, record: TouchRecord) -> None:
        into = self._world.normal(touch)
        contact = self._centre(record) + into * self._machine.probe.effective_radius
        off = contact - self._world.contact(touch)
        along = float(off @ into)
        across = float(np.linalg.norm(off - along * into))
        same = SAME if step.w_centre is None else _FACET
        most = float(np.linalg.norm(_OFF)) + self._world.aside + self._machine.probe.ball_radius + SAME
        if step.cycle.rough:
            same += reading_lag(record.feed)
        if abs(along) > same or across > most:
            self.differences.append(
                f"line {record.line}: touch {touch.number} ({touch.surface}) lands {np.linalg.norm(off):.3f} mm from "
                "where the plan has it"
            )
        else:
            self.touches += 1

    def _results(
        self,
        number: int,
        step: Step,
        records: list[Array],
        results: dict[int, float],
        text: ProbingText,
        per_unit: float,
    ) -> Results:
        """Compares the results of a step with what its readings give, which is returned."""
        centres: list[Place] = []
        for reading in records:
            x, y, z = (float(value) for value in self._followed.own.reads(reading))
            centres.append((x, y, z))
        expected = step_results(step, centres, self._machine.probe.effective_radius)
        for row in text.rows:
            if row.step != number:
                continue
            angle = row.key == "skew"
            found = results[row.parameter] * (1.0 if angle else per_unit)
            if abs(found - expected[row.key]) > SAME:
                self.differences.append(
                    f"{row.text}: the program works out {found:.4f}, its readings give {expected[row.key]:.4f}"
                )
            else:
                self.results += 1
        return expected

    def check_offsets(self, unit: SimulatedMachine) -> None:
        """Every offset holds what it must: those that are written and all others."""
        if self.differences:
            return
        for key, frame in self._followed.frames.items():
            found, turn = unit.offsets[key], unit.turns.get(key, 0.0)
            for k in np.flatnonzero(np.abs(found - frame.m_zero) > SAME).tolist():
                self.differences.append(
                    f"offset {key}: {'XYZ'[k]} becomes {found[k]:.4f} instead of {frame.m_zero[k]:.4f} (mm)"
                )
            if abs(turn - frame.turn_deg) > SAME:
                self.differences.append(
                    f"offset {key}: its turn becomes {turn:.4f} instead of {frame.turn_deg:.4f} degrees"
                )


def _as_run(step: Step) -> Iterator[Touch]:
    """Touches in the order the program makes them: every pass, in a round feature pair after pair."""
    for _ in range(step.passes):
        for touch in step.touches:
            for _ in range(step.cycle.touches):
                yield touch
