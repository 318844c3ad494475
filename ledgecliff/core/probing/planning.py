"""From a setup's datum or its own cycles to the steps of its probing, in an order that can work.

A setup that lists no cycles gets those that earn its datum; then the order is the planner's: again
and again the first cycle whose needs are met by what is known by then, so that for example a strip
barely wider than the ball is touched only after the axis across it.  Before the first touch every
axis is guessed to within the routine's ``guess``; after its step an axis is set to within twice the
probe's repeatability (95 % of one touch).  A setup's own cycles run in the order they are listed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import lru_cache

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..contact.first_contact import Body
from ..frames import AXES, Axis, about_x
from ..holding import Block
from ..locating import Clamping
from ..model.cycles import OF_FIXTURE, ProbeCycle
from ..model.machine import Machine
from ..model.orientation import Orientation
from ..model.part import Feature
from ..model.setup import Setup
from ..model.stock import Stock
from ..solids.in_process_stock import InProcessStock
from .move_clearance import way_problems
from .proposals import SHALLOW_DEPTHS, proposed_cycles
from .skew_order import AS_CLAMPED_DEG, GUESSED_DEG, moved_by_skew, skew_found_last
from .spokes import spoke_factors
from .step_context import Known, StepContext
from .steps import build_step
from .surface_steps import top_place
from .touches import Knowledge, Landing, ProbingPlan, Problem, Step, Touch

#: A single fast touch is trusted to this (mm): trigger delay and overshoot of a search.
_FAST = 0.1
#: How near the probe must stand by eye is told in such steps, and nobody stands further off than that (mm).
_NEAR_STEP, _FARTHEST_BY_EYE = 0.1, 10.0
#: Operations that go round the whole part as it is seen from above.
_ROUND_THE_PART = ("seen", "outline")
#: A surface of which one of these is said is not clear to be touched there.
_COVERED = {"TOUCH_BURIED", "TOUCH_NO_WALL", "TOUCH_TOO_DEEP", "TOUCH_STEM_FOULS"}

StockAfter = Callable[[int], InProcessStock]


def plan_probing(
    clamping: Clamping,
    neighbours: tuple[Block, ...],
    machine: Machine,
    stock: Stock,
    features: tuple[Feature, ...],
    stock_before: StockAfter,
) -> ProbingPlan:
    """``neighbours`` stand on other stations (in ``u``); ``stock_before(k)`` is the stock before operation ``k`` of the
    setup (from 0), or after the last one."""
    return _Planner(clamping, neighbours, machine, stock, features, stock_before).plan()


def near_enough(
    clamping: Clamping,
    neighbours: tuple[Block, ...],
    machine: Machine,
    stock: Stock,
    features: tuple[Feature, ...],
    stock_before: StockAfter,
    cycle: ProbeCycle,
) -> float | None:
    """How far (mm) from its place, along any axis, the probe may stand when a cycle begins from where it stands; None
    where the cycle cannot work however near that is.  The rest as for ``plan_probing``."""
    return _Planner(clamping, neighbours, machine, stock, features, stock_before).near(cycle)


def top_of_all(clamping: Clamping) -> float:
    """The height in the WCS of whatever stands highest of holding and stock (mm)."""
    holding = clamping.holding
    return max(holding.top(), float(holding.u_stock[1][2])) - float(clamping.wcs.u_origin[2])


def clearance_plane(clamping: Clamping) -> float:
    """The height in the WCS (mm) at which the probe travels, where a cycle has none of its own."""
    return top_of_all(clamping) + clamping.setup.probing.clearance


#: How far a part may lie off where what holds it has it, in standard deviations: one in some thousands lies farther.
_HELD_TIMES = 3.5


class _Planner:
    def __init__(
        self,
        clamping: Clamping,
        neighbours: tuple[Block, ...],
        machine: Machine,
        stock: Stock,
        features: tuple[Feature, ...],
        stock_before: StockAfter,
    ) -> None:
        setup, holding = clamping.setup, clamping.holding
        self._setup, self._holding, self._wcs, self._machine = setup, holding, clamping.wcs, machine
        self._m_offset, self._neighbours, self._turned = clamping.located.m_offset, neighbours, clamping.turned
        probe = self._probe = machine.probe
        self._stock_before = stock_before
        self._operations = [operation.name for operation in setup.operations]
        self._solids: dict[str | None, manifold3d.Manifold] = {}
        solid = self._solid(None)
        self._context = StepContext(
            setup=setup,
            holding=holding,
            wcs=clamping.wcs,
            probe=probe,
            stock=stock,
            features=features,
            u_solid=solid,
            routine=setup.probing,
        )
        self._top, self._clearance = top_of_all(clamping), clearance_plane(clamping)
        self._skew = Knowledge("guessed", GUESSED_DEG if _looks_for_skew(setup) else AS_CLAMPED_DEG)

    def _solid(self, after: str | None) -> manifold3d.Manifold:
        """The stock in ``u`` once an operation is cut, or before the first."""
        if after not in self._solids:
            stock = self._stock_before(0 if after is None else self._operations.index(after) + 1)
            solid = self._holding.stock.solid if after is None else stock.solid
            self._solids[after] = transformed(solid, self._setup.orientation.matrix())
        return self._solids[after]

    def plan(self) -> ProbingPlan:
        setup = self._setup
        sources = {axis: setup.datum.axis(axis).source for axis in AXES}
        over = tuple(axis for axis in AXES if sources[axis] == "carried over")
        indexed = tuple(axis for axis in AXES if sources[axis] == "rotary index")
        guess = Knowledge("guessed", setup.probing.guess)
        stays = {
            axis: float(self._m_offset[k])
            for k, axis in enumerate(AXES)
            if setup.datum.axis(axis).source == "fixture value"
        }
        found = 2.0 * self._probe.repeatability
        kept = Knowledge("fixture value", max(self._holding.clamping.standard, found), "fixture")
        known: Known = {axis: kept if axis in stays else guess for axis in AXES}
        for axis in (*over, *indexed):
            off = sum(each.most(AXES.index(axis), setup.probing.guess) for each in self._turned)
            known[axis] = Knowledge("carried over" if axis in over else "rotary index", found + off)
        before = (*known.values(), self._skew)
        steps = self._listed(known) if setup.probing.cycles is not None else self._ordered(known)
        return ProbingPlan(
            tuple(steps), self._clearance, before, self._landing(steps), over, tuple(stays.items()), self._places(),
            indexed,
        )  # fmt: skip

    def near(self, cycle: ProbeCycle) -> float | None:
        """The most, in tenths, at which the needs of the touches are still met."""
        within, beyond = 0, round(_FARTHEST_BY_EYE / _NEAR_STEP) + 1
        while beyond - within > 1:
            tried = (within + beyond) // 2
            eye = Knowledge("guessed", tried * _NEAR_STEP)
            if self._build(cycle, dict.fromkeys(AXES, eye), []).problems:
                beyond = tried
            else:
                within = tried
        return round(within * _NEAR_STEP, 1) if within else None

    def _listed(self, known: Known) -> list[Step]:
        """Planned in the order they run, which is stage after stage; listed as the setup lists them."""
        cycles = self._setup.probing.cycles or ()
        run = sorted(range(len(cycles)), key=lambda k: self._stage(cycles[k]))
        steps: list[Step] = []
        for k in run:
            self._take(steps, known, self._build(cycles[k], known, steps))
        steps = skew_found_last(steps, self._setup.offset)
        return [step for _, step in sorted(zip(run, steps, strict=True), key=lambda pair: pair[0])]

    def _stage(self, cycle: ProbeCycle) -> int:
        return -1 if cycle.after is None else self._operations.index(cycle.after)

    def _ordered(self, known: Known) -> list[Step]:
        left = list(proposed_cycles(self._setup, self._context.features))
        later: list[ProbeCycle] = []
        #: What was set before the skew, because the skew needs it, and is set again along the turned axes.
        early: list[ProbeCycle] = []
        steps: list[Step] = []
        while left:
            k, step = self._next(left, known, steps)
            if again := self._when_clear(step, known, steps):
                # The stock is probed first, and the finished surface once it is cut clear.
                later.append(again)
                left[k : k + 1] = self._on_stock_first(step, known, steps)
                continue
            left.pop(k)
            self._take(steps, known, step)
            if step.sets_skew:
                left, early = [*early, *left], []
            elif _sets_plan_axis(step) and _finds_skew(left):
                early.append(step.cycle.model_copy(update={"name": f"{step.cycle.name}, again"}))
        for cycle in sorted(later, key=self._stage):
            self._take(steps, known, self._build(cycle, known, steps))
        return steps

    def _next(self, left: list[ProbeCycle], known: Known, steps: list[Step]) -> tuple[int, Step]:
        """The first cycle whose needs are met now; the first of all where there is none.

        X and Y wait for a skew that is still to be found, unless that needs them.
        """
        first: Step | None = None
        early: tuple[int, Step] | None = None
        for k, cycle in enumerate(left):
            step = self._build(cycle, known, steps)
            if not step.problems and _sets_plan_axis(step) and _finds_skew(left):
                early = early or (k, step)
            elif not step.problems:
                return k, step
            first = first or step
        assert first is not None, "there is a cycle left"
        return early or (0, first)

    def _when_clear(self, step: Step, known: Known, steps: list[Step]) -> ProbeCycle | None:
        """For a surface that lies in stock or under a hat: its cycle after the first operation that cuts it clear, if
        any does, and as deep as the wall allows.

        Sides that were finished before and lie under a hat are no longer what they were once an operation has gone
        round them again: after such a one they are not found.
        """
        codes = {problem.code for problem in step.problems}
        if step.cycle.on != "part" or not codes & {"TOUCH_BURIED", "TOUCH_STEM_FOULS"}:
            return None
        for operation in self._setup.operations:
            if "TOUCH_BURIED" not in codes and operation.removes in _ROUND_THE_PART:
                return None
            cycle = step.cycle.model_copy(update={"after": operation.name})
            for tried in self._shallower(cycle):
                codes = {problem.code for problem in self._build(tried, known, steps).problems}
                if not codes & _COVERED:
                    return tried
        return None

    def _on_stock_first(self, step: Step, known: Known, steps: list[Step]) -> tuple[ProbeCycle, ...]:
        """The same on the stock as it lies there: on a hat's rim only as deep as that is high, and not at all where
        that is too low for the ball, since what cuts the hat away needs no more than the eye gives."""
        cycle = step.cycle
        first = cycle.model_copy(update={"name": f"{cycle.name}, stock first", "on": "stock"})
        for tried in self._shallower(first):
            if not {problem.code for problem in self._build(tried, known, steps).problems} & _COVERED:
                return (tried,)
        under_a_hat = any(problem.code == "TOUCH_STEM_FOULS" for problem in step.problems)
        return () if under_a_hat else (first,)

    def _shallower(self, cycle: ProbeCycle) -> Iterator[ProbeCycle]:
        yield cycle
        deep = self._setup.probing.depth if cycle.depth is None else cycle.depth
        for depth in SHALLOW_DEPTHS if cycle.depth is None else ():
            if depth < deep:
                yield cycle.model_copy(update={"depth": depth})

    def _build(self, cycle: ProbeCycle, known: Known, steps: list[Step]) -> Step:
        number = sum(len(step.touches) for step in steps) + 1
        found = self._skew.state == "set"
        context = replace(
            self._context.for_cycle(cycle, self._solid(cycle.after)),
            stock_skew_deg=self._skew.uncertainty,
            # Once the axes are turned to the stock, it is the fixture that stands askew in them.
            fixture_skew_deg=GUESSED_DEG if found else 0.0,
        )
        step = build_step(context, cycle, known, number)
        clearance = self._top + (cycle.clearance or self._setup.probing.clearance)
        step = replace(step, w_clearance=clearance, window=step.window or self._consistent(step, known))
        if step.problems:
            return step
        blocked = tuple(self._ways(step, context, known))
        if not any(problem.code == "TOUCH_WAY_BLOCKED" for problem in blocked) or step.crossing != "straight":
            return replace(step, problems=blocked)
        # Something stands between the walls: an island, or a boss in a bore.
        over = replace(step, crossing="over")
        if self._ways(over, context, known):
            return replace(step, problems=blocked)
        if cycle.crossing is None:
            return over
        return replace(step, problems=tuple(replace(each, field="crossing", better="over") for each in blocked))

    def _consistent(self, step: Step, known: Known) -> tuple[float, float] | None:
        """How far the top may lie from where the axes should have taken it: what the axes may leave, twice what a touch
        reads by chance, how blanks vary, how far and how askew a part lies in what holds it."""
        if step.kind != "consistency":
            return None
        low, high = self._holding.u_stock
        askew = math.radians(AS_CLAMPED_DEG) * float(np.linalg.norm(high - low)) / 2.0
        varies = float(self._setup.orientation.sizes(self._context.stock.spread())[2])
        held = _HELD_TIMES * self._holding.clamping.standard
        limit = known["z"].uncertainty + 2.0 * self._probe.repeatability + varies + askew + held
        # On a flat that leans, what lies aside rises as much as that does.
        slope_x, slope_y = step.slope
        limit += slope_x * (known["x"].uncertainty + held + askew) + slope_y * (known["y"].uncertainty + held + askew)
        return limit, limit

    def _ways(self, step: Step, context: StepContext, known: Known) -> list[Problem]:
        u, v, w = (float(value) for value in self._wcs.u_origin)

        def unsure(touch: Touch, body: str) -> tuple[float, float, float]:
            x, y, _ = touch.w_contact
            return (*context.aside(known, body, (x + u, y + v)), context.unsure(known, "z", body))

        found: list[Problem] = []
        for turned in dict.fromkeys(touch.turned_deg for touch in step.touches):
            part = replace(step, touches=tuple(touch for touch in step.touches if touch.turned_deg == turned))
            bodies, nose = self._bodies(step.cycle.after, turned), self._machine.nose_diameter
            found += way_problems(part, bodies, self._probe, nose, unsure, (u, v, w))
        return found

    def _bodies(self, after: str | None, turned_deg: float) -> list[Body]:
        """Stock and holding in ``u``, for the simulated ball; the stock as the rotary axis has turned it."""
        stock = self._holding.stock if after is None else self._stock_before(self._operations.index(after) + 1)
        part = _part_body(stock, self._setup.orientation)
        if turned_deg and (axis := self._holding.rotary_axis()) is not None:
            part = part.placed(about_x(*axis, turned_deg))
        blocks = (*self._holding.blocks, *self._neighbours)
        return [part, *(_block_body(b.name, b.low, b.high, b.shape) for b in blocks)]

    def _take(self, steps: list[Step], known: Known, step: Step) -> None:
        """Adds a step, and what is known after it of the setup's own offset."""
        if not step.into or step.into == self._setup.offset:
            body = "fixture" if step.cycle.on in OF_FIXTURE else "stock"
            for setting in step.sets:
                known[setting.axis] = self._known(step, body, setting.axis)
            if step.sets_skew:
                for axis, off in moved_by_skew(steps, self._setup.offset, self._skew.uncertainty).items():
                    known[axis] = replace(known[axis], state="rough", uncertainty=known[axis].uncertainty + off)
                spacing = math.dist(step.touches[-1].w_contact, step.touches[-2].w_contact)
                turn = math.degrees(math.sqrt(2.0) * 2.0 * self._probe.repeatability / max(spacing, 1e-6))
                self._skew = Knowledge("set", turn)
        steps.append(replace(step, knowledge_after=(*known.values(), self._skew)))

    def _known(self, step: Step, body: str, axis: Axis) -> Knowledge:
        across = None
        if axis != "z":
            other = 1 - AXES.index(axis)
            places = [touch.w_contact[other] for touch in step.touches if touch.axis == axis]
            across = sum(places) / len(places) if places else None
        if step.cycle.rough:
            return Knowledge("rough", _FAST, body, across)
        worse = 1.0
        if step.cycle.angles_deg and axis != "z":
            # Over a short arc the centre is known less well than one touch.
            worse = max(spoke_factors(step.cycle.angles_deg)[AXES.index(axis)], 1.0)
        uncertainty = 2.0 * self._probe.repeatability * worse / math.sqrt(step.cycle.touches)
        if not math.isfinite(worse):
            return Knowledge("guessed", self._setup.probing.guess, body)
        return Knowledge("set", uncertainty, body, across)

    def _landing(self, steps: list[Step]) -> Landing:
        """What gave Z, so that the hover check stands a block on it."""
        mine = (step for step in reversed(steps) if not step.into or step.into == self._setup.offset)
        for step in mine:
            if any(setting.axis == "z" for setting in step.sets) and step.kind not in ("bar", "rotary axis"):
                touch = step.touches[-1]
                return Landing(touch.surface, touch.w_contact)
        return self._stock_top()

    def _stock_top(self) -> Landing:
        height = float(self._holding.u_stock[1][2])
        return self._level("stock top", (*top_place(self._context, height), height))

    def _places(self) -> tuple[Landing, ...]:
        """The stock's top, and the middle of the first jaw's."""
        jaw = self._holding.first_jaw()
        if jaw is None:
            return (self._stock_top(),)
        middle = ((jaw.low[0] + jaw.high[0]) / 2.0, (jaw.low[1] + jaw.high[1]) / 2.0, jaw.high[2])
        return (self._stock_top(), self._level("jaw top", middle))

    def _level(self, surface: str, u_place: tuple[float, float, float]) -> Landing:
        x, y, z = (float(value) for value in np.array(u_place) - self._wcs.u_origin)
        return Landing(surface, (x, y, z))


def _looks_for_skew(setup: Setup) -> bool:
    cycles = setup.probing.cycles
    if cycles is None:
        return setup.datum.skew is not None
    return any((cycle.kind == "edge angle" or cycle.skew) and cycle.action == "set" for cycle in cycles)


def _finds_skew(cycles: list[ProbeCycle]) -> bool:
    return any(cycle.kind == "edge angle" for cycle in cycles)


def _sets_plan_axis(step: Step) -> bool:
    return not step.sets_skew and any(setting.axis != "z" for setting in step.sets)


# Bodies are kept from edit to edit: most edits change none.
@lru_cache(maxsize=64)
def _part_body(stock: InProcessStock, orientation: Orientation) -> Body:
    return Body("part", transformed(stock.solid, orientation.matrix()), "stock")


@lru_cache(maxsize=256)
def _block_body(
    name: str, low: tuple[float, float, float], high: tuple[float, float, float], shape: manifold3d.Manifold | None
) -> Body:
    return Body(name, box(low, high) if shape is None else shape)
