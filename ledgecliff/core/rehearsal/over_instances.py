"""A rehearsal of many parts at once: every load stands on one simulated machine, and the programs go over all of it.

Each part is carried from setup to setup by itself, with its own blank, seats and cuts; what it is clamped at, and who
else stands about it, changes from load to load.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from ..contact.first_contact import Body
from ..frames import Array
from ..model.base import Point
from ..places import station_of
from ..programs.dialect import dialect_of
from ..programs.writer import ProbingText
from ..simulator.axes import Axes
from ..simulator.interpreter import Control, Outcome
from ..simulator.machine import SimulatedMachine
from .drawn_world import drawn_clamping, drawn_part, drawn_world, stream
from .judged import judged
from .rehearsing import Clamped, Rehearsing, standing_about
from .results import OverInstances, PairResult, PlannedSetup, Rehearsal, RehearsedSetup, WrittenPlan
from .true_world import TrueWorld


class _Part:
    """One part on its way."""

    def __init__(
        self, number: int, plan: WrittenPlan, world: TrueWorld, should_stop: Callable[[], bool], beside: _Part | None
    ) -> None:
        self.number = number
        self.steps: Rehearsing = Rehearsing(plan, world, should_stop, beside.steps if beside is not None else None)
        self.left_out = False
        #: Others of its load have taken their zero from it.
        self.lends_zero = False

    def take(self, index: int, planned: PlannedSetup, *, is_drawn: bool) -> None:
        """Clamps it at an instance of a setup: as it is drawn for this part there, or as the world states it."""
        steps = self.steps
        setups = tuple(planned if k == index else each for k, each in enumerate(steps.plan.setups))
        steps.plan = replace(steps.plan, setups=setups)
        if is_drawn:
            standing = self.now.first.fixture_off if planned.still and steps.now is not None else None
            clamping = drawn_clamping(planned, steps.world.seed, None if standing is None else _point(standing))
            steps.world = steps.world.model_copy(update={"setups": (clamping,)})
        steps.clamp(index)

    @property
    def now(self) -> Clamped:
        assert self.steps.now is not None, "it has been clamped"
        return self.steps.now


def rehearse_over_instances(
    plan: WrittenPlan,
    world: TrueWorld,
    progress: Callable[[int, int], None],
    should_stop: Callable[[], bool],
    limit: float | None,
) -> Rehearsal:
    """As ``rehearse``, of a plan in which setups have patterns: as many parts as the largest has instances."""
    count = max(len(over.planned) for over in plan.over)
    is_drawn = world == drawn_world(plan, world.seed)
    parts: list[_Part] = []
    for number in range(count):
        own = drawn_part(plan, world, number) if is_drawn and number else world
        parts.append(_Part(number, plan, own, should_stop, parts[0] if parts else None))
    loads = [_loads(over, count) for over in plan.over]
    rows: list[RehearsedSetup] = []
    done, of = 0, sum(loads)
    for index, over in enumerate(plan.over):
        running = [part for part in parts if not part.left_out]
        for number in range(loads[index]):
            progress(done, of)
            done += 1
            here = running[number * len(over.planned) : (number + 1) * len(over.planned)]
            stopped = next((row for row in rows if row.stopped and not row.left_out), None)
            if stopped is not None or not over.planned:
                rows += _not_run(plan.setups[index], number + 1, stopped.name if stopped is not None else "")
                break
            if here:
                load = _Load(plan, index, number + 1, here, is_drawn=is_drawn, should_stop=should_stop)
                rows += [judged(each, row, limit) for each, row in load.run(last=index == len(plan.over) - 1)]
    progress(of, of)
    firsts = tuple(next(row for row in rows if row.name == each.setup.name) for each in plan.setups)
    pairs: list[PairResult] = []
    done_parts = [part for part in parts if not part.left_out]
    if any(row.stopped and not row.left_out for row in rows):
        done_parts = []
    for part in done_parts:
        pairs += [replace(each, part=part.number + 1) for each in part.steps.measure()]
    others = [part for part in done_parts if not part.lends_zero]
    seen = (others[world.seed % len(others)].steps.measure_asked(),) if others else ()
    return Rehearsal(world, firsts, tuple(pairs), plan.by_cards, tuple(rows), seen)


def _loads(over: OverInstances, count: int) -> int:
    return math.ceil(count / max(len(over.planned), 1))


def _not_run(planned: PlannedSetup, load: int, stopped: str) -> list[RehearsedSetup]:
    nowhere = np.full(3, np.nan)
    reason = f"not run, because {stopped} stopped" if stopped else "not run, because no instance is on"
    row = RehearsedSetup(
        name=planned.setup.name, offset=planned.setup.offset, assumed=planned.located.m_offset, true=nowhere,
        found=nowhere, alarms=(reason,), stopped=True, touches=(), motions=(), messages=(), hover_gap=None,
        clamped=None, load=load,
    )  # fmt: skip
    return [row]


class _Load:
    """One load of a setup: the parts that stand there, each at its instance."""

    def __init__(
        self, plan: WrittenPlan, index: int, number: int, parts: Sequence[_Part], *, is_drawn: bool,
        should_stop: Callable[[], bool],
    ) -> None:  # fmt: skip
        self._plan, self._over, self._number = plan, plan.over[index], number
        self._parts = parts
        self._planned = self._over.planned[: len(parts)]
        self._should_stop = should_stop
        for part, planned in zip(parts, self._planned, strict=True):
            part.take(index, planned, is_drawn=is_drawn)
            part.lends_zero |= part is parts[0] and planned.finder == "the first"
        self._unit = self._machine()
        self._out: set[int] = set()
        self._results: dict[int, float] = {}
        self._messages: tuple[str, ...] = ()
        self._pauses = 0

    # --- the machine --------------------------------------------------------------------------

    def _machine(self) -> SimulatedMachine:
        """All of the load on one machine, as its axes stand for the first."""
        first = self._parts[0].now
        world, alone = self._parts[0].steps.world, first.machine
        unit = SimulatedMachine(
            alone.machine,
            self._bodies(first.true.axes),
            alone.offsets,
            stream(world.seed, first.planned.stated.id, "readings", f"load {self._number}"),
            world.true_probe(alone.machine.name, alone.machine.probe.tool),
            first.true.axes.copied(),
            alone.turns,
            longer=world.longer(alone.machine.name),
        )
        if first.planned.still:
            unit.left_at(alone.axes.angles)
        return unit

    def _bodies(self, axes: Axes) -> list[Body]:
        """What stands there, each instance's by its name, where the axes now have it."""
        found: list[Body] = []
        carried: set[str | None] = set()
        for k, (part, planned) in enumerate(zip(self._parts, self._planned, strict=True)):
            true, to_base = part.now.true, self._over.to_base[k]
            common = {block.name for block in planned.holding.blocks if to_base is not None and block.kind == "base"}
            # What carries all of a face stands there once.
            on = station_of(planned.machine, planned.setup).on
            for body in true.bodies:
                if body.name in common:
                    if on not in carried and to_base is not None:
                        found.append(self._there(body.placed(to_base), body.name, true.axes, axes))
                elif to_base is None or body.role != "table":
                    found.append(self._there(body, f"{body.name} of {planned.instance}", true.axes, axes))
            carried.add(on)
        first = replace(self._planned[0], neighbours=self._over.standing)
        found += standing_about(self._planned[0].machine, first, axes)
        return found

    @staticmethod
    def _there(body: Body, name: str, was: Axes, now: Axes) -> Body:
        """A body under a name of its own, taken along by the axes from where they were for it."""
        there = now.tf_now_nought(body.carrier).after(was.tf_now_nought(body.carrier).inverse())
        return body.named(name).placed(there)

    # --- its programs -------------------------------------------------------------------------

    def run(self, *, last: bool) -> Iterator[tuple[PlannedSetup, RehearsedSetup]]:
        """Every instance with what came of it."""
        setup = self._planned[0].setup
        outcome: Outcome | None = None
        for text in self._over.texts([planned.key for planned in self._planned]):
            self._cut_before(text, [operation.name for operation in setup.operations])
            outcome = Control(self._unit, dialect_of(self._unit.machine)).run(text.text, self._should_stop)
            self._take_in(text, outcome)
            if outcome.alarm:
                break
        stopped = bool(outcome is not None and outcome.alarm)
        hover = None if stopped else self._hover()
        whose = self._nearest() if stopped else -1
        alarm = () if outcome is None or not stopped else (f"line {outcome.alarm_line}: {outcome.alarm}",)
        for k, (part, planned) in enumerate(zip(self._parts, self._planned, strict=True)):
            part.now.machine = self._unit
            out = k in self._out
            row = self._row(part, planned, k, stopped=stopped or out)
            if k == whose:
                row = replace(row, alarms=alarm)
            if k == 0 and hover is not None:
                row = _with_hover(row, hover, planned)
            part.left_out = out
            if not stopped and not out:
                part.steps.cut_to(len(setup.operations))
                gone = "" if last else part.steps.spoilt("its operations")
                if gone:
                    row = replace(row, stopped=True, alarms=(gone,))
            yield planned, row
        # What the table holds later is of other loads.
        self._unit.offsets = {key: value.copy() for key, value in self._unit.offsets.items()}
        self._unit.turns = dict(self._unit.turns)

    def _cut_before(self, text: ProbingText, operations: list[str]) -> None:
        """What a stage waits for is cut with each offset as it was found so far."""
        upto = 0 if text.after is None else operations.index(text.after) + 1
        if upto <= self._parts[0].now.done:
            return
        for k, part in enumerate(self._parts):
            if k not in self._out:
                part.now.machine = self._unit
                part.steps.cut_to(upto)
                part.steps.as_cut()
        self._unit.put(self._bodies(self._unit.axes))

    def _take_in(self, text: ProbingText, outcome: Outcome) -> None:
        self._messages = (*self._messages, *outcome.messages)
        self._pauses += len(outcome.room_at_pauses)
        keys = [planned.key for planned in self._planned]
        for row in text.rows:
            if row.parameter in outcome.parameters:
                value = outcome.parameters[row.parameter]
                self._results[row.parameter] = value
                if row.key == "seated" and value and self._over.skips:
                    self._out.add(keys.index(row.instance))

    def _hover(self) -> Outcome:
        return Control(self._unit, dialect_of(self._unit.machine)).run(
            self._planned[0].hover_text, self._should_stop
        )  # fmt: skip

    def _nearest(self) -> int:
        """Over which instance the spindle stands."""
        at = np.array(self._unit.position[:2])
        middles = [_middle(part.now)[:2] for part in self._parts]
        return int(np.argmin([float(np.hypot(*(middle - at))) for middle in middles]))

    def _row(self, part: _Part, planned: PlannedSetup, k: int, *, stopped: bool) -> RehearsedSetup:
        now, name = part.now, planned.instance
        touches = tuple(each for each in self._unit.touches if each.body.endswith(f" of {name}"))
        return RehearsedSetup(
            name=planned.setup.name,
            offset=planned.setup.offset,
            assumed=planned.located.m_of(np.zeros(3)),
            true=now.m_right,
            found=now.found,
            alarms=(),
            stopped=stopped,
            touches=touches if name else tuple(self._unit.touches),
            motions=tuple(self._unit.motions) if not k else (),
            messages=self._messages if not k else (),
            hover_gap=None,
            clamped=now.first,
            turn_deg=now.turn_deg,
            true_turn_deg=now.true_turn_deg,
            results=dict(self._results) if not k else {},
            pauses=self._pauses if not k else 0,
            instance=name,
            load=self._number,
            left_out=k in self._out,
        )


def _middle(now: Clamped) -> Array:
    low, high = now.planned.holding.u_stock
    return now.first.tf_m_held((low + high) / 2.0)


def _with_hover(row: RehearsedSetup, hover: Outcome, planned: PlannedSetup) -> RehearsedSetup:
    if hover.alarm:
        return replace(row, alarms=(*row.alarms, f"hover check, line {hover.alarm_line}: {hover.alarm}"))
    gap = hover.room_at_pauses[-1] - planned.setup.hover.block if hover.room_at_pauses else None
    return replace(row, hover_gap=gap)


def _point(place: Array) -> Point:
    x, y, z = (float(value) for value in place)
    return Point(x=x, y=y, z=z)
