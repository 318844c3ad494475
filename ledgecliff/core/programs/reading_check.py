"""Reading back: the text that is released, run on the control, must do what the plan says.

The control runs the programs on a machine where everything stands as planned but a known little off,
without noise.  Compared are every touch (which surface, moving which way, where), every result with
``probing.results``, which works it out another way, and the offsets that are written: a sign, a half, a
radius or a unit gone wrong in a profile shows as a difference.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from ..blanks import transformed
from ..datums import Wcs
from ..errors import ProgramError
from ..frames import AXES, Array
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
from .profile import profile_of
from .writer import ProbingText

#: What is printed to four places (five in inches), and added up, may differ by this much (mm or degrees).
SAME = 0.003
#: Round surfaces stand there as facets, which may lie this much (mm) inside the true one.
_FACET = 0.2
#: How far everything stands off (mm): less than any window, and another distance along each axis.
_OFF = np.array([0.031, -0.017, 0.023])


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
) -> ReadBack:
    """``stocks`` are as each of ``texts`` finds them.  Raises ProfileError when the profile cannot be used."""
    own = code_of(machine, setup.offset)
    assert own is not None, "a program could be written, so its offset exists"
    offsets = {code.key: wcs.m_offset.copy() for code in codes_of(machine)}
    axis = holding.rotary_axis()
    shift = holding.m_shift + _OFF
    rotary = None if axis is None else (axis[0] + float(shift[1]), axis[1] + float(shift[2]))
    unit = SimulatedMachine(machine, [], offsets, quiet(), rotary=rotary)
    dialect = DIALECTS[profile_of(machine).control]
    checker = _Checker(machine, wcs, own.key)
    for text, stock in zip(texts, stocks, strict=True):
        unit.put(_bodies(holding, stock))
        try:
            control = Control(unit, dialect)
            before = len(unit.touches)
            outcome = control.run(text.text)
        except ProgramError as error:
            return ReadBack(0, 0, (str(error),))
        per_unit = mm_per(machine.program_units)
        results = {row.parameter: outcome.parameters.get(row.parameter, float("nan")) for row in text.rows}
        if outcome.alarm:
            checker.differences.append(f"line {outcome.alarm_line}: {outcome.alarm}")
            break
        steps = [(number, step) for number, step in enumerate(plan.steps, start=1) if step.cycle.after == text.after]
        checker.check(steps, unit.touches[before:], results, text, per_unit)
    checker.check_offsets(unit)
    return ReadBack(checker.touches, checker.results, tuple(checker.differences))


def _bodies(holding: Holding, stock: InProcessStock) -> list[Body]:
    shift = holding.m_shift + _OFF
    bodies = [Body("part", transformed(stock.solid, holding.orientation.matrix(), shift))]
    return [*bodies, *(Body(block.name, block.solid().translate(tuple(shift))) for block in holding.blocks)]


class _Checker:
    def __init__(self, machine: Machine, wcs: Wcs, own: int) -> None:
        self._machine, self._wcs, self._own_number = machine, wcs, own
        self.touches = self.results = 0
        self.differences: list[str] = []
        #: The work offset as the program has brought it so far.
        self._zero = wcs.m_offset.copy()
        #: What every offset that is written must be in the end.
        self._wanted: dict[int, Array] = {}

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
            own, into = self._own_number, code_of(self._machine, step.into) if step.into else None
            value = self._wanted.setdefault(own if into is None else into.key, self._zero.copy())
            for setting in step.sets:
                k = AXES.index(setting.axis)
                value[k] = self._zero[k] + found[setting.axis] - setting.should_read
            self._zero = self._wanted.get(own, self._zero)
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
        way = np.array(touch.way)
        contact = self._centre(record) + way * self._machine.probe.effective_radius
        off = contact - (self._wcs.m_offset + touch.w_contact + _OFF)
        along = float(off @ way)
        across = float(np.linalg.norm(off - along * way))
        same = SAME if step.w_centre is None else _FACET
        if step.cycle.rough:
            same += reading_lag(record.feed)
        if abs(along) > same or across > float(np.linalg.norm(_OFF)) + self._machine.probe.ball_radius + SAME:
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
            x, y, z = (float(value) for value in reading - self._zero)
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
        if self.differences:
            return
        for number, value in self._wanted.items():
            found = unit.offsets[number]
            for k in np.flatnonzero(np.abs(found - value) > SAME).tolist():
                self.differences.append(
                    f"offset {number}: {'XYZ'[k]} becomes {found[k]:.4f} instead of {value[k]:.4f} (mm)"
                )


def _as_run(step: Step) -> Iterator[Touch]:
    """Touches in the order the program makes them: every pass, in a round feature pair after pair."""
    for _ in range(step.passes):
        for touch in step.touches:
            for _ in range(step.cycle.touches):
                yield touch
