"""Reading back: the text that is released, run on the control, must do what the plan says.

The control runs the programs on a machine where everything stands as planned but a known little off, and turned
where they look for a skew, without noise.  Compared are every touch (which surface, moving which way, where), every
result with ``probing.results``, which works it out another way, and every offset, the ones written and the ones
that must stay as they were: a sign, a half, a radius, a unit or an offset gone wrong in a profile shows.  So does a
move that nothing protects, a feed, an end that is missing, what an earlier program left in force (inches, incremental
moves, another plane and offset, a shift, compensation, the probe low), and each stop is driven once (``guards``).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..blanks import moved
from ..contact.first_contact import Body
from ..errors import ProgramError
from ..frames import AXES, Array, Placement, rotation
from ..measuring.records import ball_centre
from ..model.machine import Machine
from ..model.work_offsets import STANDARD, code_of, codes_of, turn_variables
from ..patterns.instances import pattern_of
from ..places import carrying_axis, rotaries_under, stands_at, station_of
from ..plan import Plan
from ..probing.followed_offsets import FollowedOffsets, Frame
from ..probing.one_call import one_call
from ..probing.results import Results, step_results
from ..probing.touches import Place, Step, Touch
from ..programs.dialect import dialect_of
from ..programs.instance_programs import SEATING, instance_texts
from ..programs.released import probing_texts
from ..programs.rotation import keeps_turns
from ..programs.writer import ProbingText
from ..quantities import mm_per
from ..setup_plan import SetupPlan
from ..simulator.axes import Axes, axes_at, planned_axes
from ..simulator.interpreter import Control, Outcome
from ..simulator.machine import Motion, SimulatedMachine, TouchRecord, quiet, reading_lag
from ..solids.in_process_stock import InProcessStock
from .guards import BARS, Found, Misses, Ran, undriven
from .motion_audit import feeds_amiss, moves_amiss, places_amiss, starts_amiss
from .replay import RecordingMachine

#: Parameters that a program may use as it likes, and from where on they are the control's.
_OWN_BELOW, _CONTROLS_FROM = 200, 5000
#: How far under the top of the travel another program may have left the probe (mm).
_LOW = 80.0
#: What is printed to four places (five in inches), and added up, may differ by this much (mm or degrees).
SAME = 0.003
#: Round surfaces stand there as facets, which may lie this much (mm) inside the true one.
_FACET = 0.2
#: How far everything stands off (mm), another distance along each axis: this share of what the plan lets it, at most so
#: far, and hardly at all along an axis that is known.
_OFF_SHARE, _OFF_MOST, _OFF_KNOWN = np.array([0.4, -0.3, 0.35]), 1.0, np.array([0.0031, -0.0017, 0.0023])
#: Which part of a change that waits for the operator, or of a presence window, it may be at most.
_OF_JUMP = 0.5
#: How far single readings are off (mm), of two touches of one edge so little a mm of their distance; and a centre that
#: was found may lie this far from the planned one beyond what all stands off (mm).
_SCATTER, _SCATTER_TURN, _CENTRED = 0.006, 1e-4, 0.1
_GOLDEN = (math.sqrt(5.0) - 1.0) / 2.0
#: How far everything is turned where a skew is looked for (degrees), and how far (mm) that may take any touch away.
_TURN_DEG, _TURNED_MM = 0.08, 0.25
#: What the offset holds before, where the program must write it: a place nobody would take for right (mm, degrees).
_BEFORE, _OLD_TURN_DEG = 41.0, 0.6
#: How far from a setup's index another program may have left the rotary axes (degrees).
_LEFT_DEG = 7.0


@dataclass(frozen=True)
class ReadBack:
    """``touches`` and ``results`` that were found as planned, and ``stops`` that were driven and held; ``differences``
    is empty when text and plan agree."""

    touches: int
    results: int
    differences: tuple[str, ...]
    stops: int = 0


def read_back(
    plan: Plan,
    index: int,
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
    texts: Sequence[ProbingText] | None = None,
) -> ReadBack:
    """A setup's probing programs read back against its plan, or ``texts`` in their stead; a long one takes seconds.

    Of a pattern the texts are read back as they are for its first instance and for its last.  Where it ``should_stop``,
    what was found by then is returned.  Raises PlanError or ProfileError when the programs cannot be written.
    """
    pattern = pattern_of(plan.job, index)
    if pattern is None or texts is not None:
        texts = probing_texts(plan, index) if texts is None else texts
        return _read_back(plan, index, plan.setups[index], texts, progress, should_stop)
    # Where a part that is missing is left out, the same check stops here, so that it is seen to be made.
    pattern = pattern.model_copy(update={"missing": "stop"})
    running = [each for each in plan.instances(index) if each.is_on]
    backs = [
        _read_back(
            plan, index, plan.placed(index, each), instance_texts(plan, index, pattern, (each.key,)), progress,
            should_stop, leaves=True,
        )
        for each in dict.fromkeys((*running[:1], *running[-1:]))
    ]  # fmt: skip
    return ReadBack(
        sum(back.touches for back in backs),
        sum(back.results for back in backs),
        tuple(difference for back in backs for difference in back.differences),
        sum(back.stops for back in backs),
    )


def _read_back(
    plan: Plan,
    index: int,
    probed: SetupPlan,
    texts: Sequence[ProbingText],
    progress: Callable[[int, int], None],
    should_stop: Callable[[], bool],
    *,
    leaves: bool = False,
) -> ReadBack:
    """The texts of a setup, or of one instance of it, which a check for presence ``leaves`` where that fails, as they
    run where that stands."""
    machine = probed.machine
    setup, probing = probed.setup, probed.probing
    own = code_of(machine, setup.offset)
    assert own is not None, "a program could be written, so its offset exists"
    world = _World(probed)
    dialect = dialect_of(machine)
    unit = RecordingMachine(machine, [], {}, _Scatter(world.scatter), axes=world.axes())
    unit.offsets = _offsets_before(machine, own.key, probed, plan.setups[index - 1] if index else None)
    stops = 0
    if keeps_turns(machine) and probing.sets(setup.offset):
        unit.turns[own.key] = _OLD_TURN_DEG
    place = probed.located
    looked_for = any(step.sets_skew for step in probing.steps)
    turned = keeps_turns(machine) and (not probing.sets(setup.offset) or bool(place.turn_deg) or looked_for)
    must = {key: Frame(zero.copy()) for key, zero in unit.offsets.items()} | {
        own.key: Frame(place.m_offset.copy(), place.turn_deg)
    }
    checker = _Checker(machine, world, FollowedOffsets(machine, own.key, must, turns=turned))
    for text in texts:
        unit.axes = world.axes()
        unit.put(world.bodies(probed.stock_after(text.after)))
        unit.left_at(world.left_by_another())
        steps = [(number, step) for number, step in enumerate(probing.steps, start=1) if step.cycle.after == text.after]
        control = Control(unit, dialect)
        left_by_another(control, machine)
        as_found = _copied(unit)
        unit.events.clear()
        touched, moved = len(unit.touches), len(unit.motions)
        known = dict(control.parameters)
        try:
            outcome = control.run(text.text, should_stop)
        except ProgramError as error:
            return ReadBack(0, 0, (str(error),))
        per_unit = mm_per(machine.program_units)
        results = {row.parameter: outcome.parameters.get(row.parameter, float("nan")) for row in text.rows}
        if outcome.alarm:
            checker.differences.append(f"line {outcome.alarm_line}: {outcome.alarm}")
            break
        found = checker.check(steps, unit.touches[touched:], results, text, per_unit)
        checker.check_running(steps, unit, unit.motions[moved:], unit.touches[touched:], outcome)
        checker.check_parameters(known, outcome.parameters, text)
        if not checker.differences:
            searched = [touch for _, step in steps for touch in _as_run(step)]
            ends = world.tips([touch.end for touch in searched], machine.probe.ball_radius)
            each = [step for _, step in steps for _ in _as_run(step)]
            stages = [1 if step.cycle.rough else 2 for step in each]
            misses = Misses(ends, stages, world.away, [leaves and step.kind in SEATING for step in each])
            ran = Ran(text.text, as_found, unit, found, misses)
            held, missing = undriven(probed, ran, progress, should_stop)
            stops += held
            checker.differences += missing
    checker.check_offsets(unit)
    return ReadBack(checker.touches, checker.results, tuple(checker.differences), stops)


def left_by_another(control: Control, machine: Machine) -> None:
    """What another program may have left in force, and the probe low."""
    units = "G20" if machine.program_units == "mm" else "G21"
    shift = "G92 X1.7 Y-2.3 Z0.9" + ("" if control.dialect.o_words else "\nG52 X0.4 Y0.6 Z-0.8")
    kept = "\n".join(f"#{number} = {0.37 * number:.2f}" for number in (*range(1, 34), *range(95, _OWN_BELOW)))
    others = [code.code for code in codes_of(machine) if code.level == STANDARD]
    turned = "\nG17 G90 G68 X1.1 Y-0.7 R3.3\nG18 G91" if 680 not in control.dialect.unknown else ""
    control.run(f"{units} G91 G18 G93 G99 {others[-1]} F0.7\n{shift}\n{kept}\nG41 D1{turned}\nG1")
    low, high = machine.travel_min, machine.travel_max
    control.machine.position = ((low.x + high.x) / 2.0, high.y, high.z - min(_LOW, (high.z - low.z) / 4.0))
    control.machine.probe_on = not machine.probe.on_word
    control.machine.tool, control.machine.spindle_on = 0, True


def _copied(unit: RecordingMachine) -> RecordingMachine:
    """The machine as it stands, to begin again from."""
    offsets = {key: value.copy() for key, value in unit.offsets.items()}
    copied = RecordingMachine(unit.machine, [], offsets, quiet(), axes=unit.axes.copied(), turns=dict(unit.turns))
    copied.position = unit.position
    return copied


def _offsets_before(machine: Machine, own: int, probed: SetupPlan, before: SetupPlan | None) -> dict[int, Array]:
    """Each offset another value; the setup's own as by eye, but nothing like it where the program itself writes it."""
    plan, m_offset = probed.probing, probed.located.m_offset
    offsets = {code.key: m_offset + _BEFORE + k * np.array([1.0, 2.0, 3.0]) for k, code in enumerate(codes_of(machine))}
    value = m_offset.copy()
    for axis, _ in plan.stays:
        value[AXES.index(axis)] += _BEFORE
    source = code_of(machine, before.setup.offset) if before is not None else None
    if plan.indexed:
        assert source is not None and before is not None, "only from a setup before is anything worked out"
        offsets[source.key] = before.located.m_offset.copy()
        value[[AXES.index(axis) for axis in plan.indexed]] += _BEFORE
    for axis in plan.carried:
        assert source is not None, "only from a setup before is anything carried over"
        k, shift = AXES.index(axis), probed.setup.datum.axis(axis).shift
        if source.key != own or abs(shift) >= 1e-9:
            value[k] += _BEFORE
            (value if source.key == own else offsets[source.key])[k] = m_offset[k] - shift
    return offsets | {own: value}


class _World:
    """Stock and holding as they stand on the machine for this: a little off, and turned about the stock's middle
    where a skew is looked for."""

    def __init__(self, probed: SetupPlan) -> None:
        holding, plan = probed.holding, probed.probing
        self._probed, self._machine = probed, probed.machine
        self._carrier = carrying_axis(probed.machine, station_of(probed.machine, probed.setup))
        self._holding, self._located, self._neighbours = holding, probed.located, probed.neighbours.blocks
        routine = probed.setup.probing
        most = min(routine.guess, _OFF_MOST, *(() if routine.jump is None else (_OF_JUMP * routine.jump / 0.4,)))
        known = np.array([axis in (*plan.carried, *plan.indexed, *dict(plan.stays)) for axis in AXES])
        self._off: Array = np.where(known, _OFF_KNOWN, _OFF_SHARE * most)
        windows = [min(step.window) for step in plan.steps if step.window is not None]
        self._off[2] = min(self._off[2], _OF_JUMP * min(windows, default=math.inf))
        m_middle = probed.located.tf_m_u((holding.u_stock[0] + holding.u_stock[1]) / 2.0)
        finds = any(quantity.is_angle for step in plan.steps for quantity in step.finds)
        places = [probed.located.m_of(touch.w_contact) - m_middle for touch in plan.touches]
        farthest = max((float(np.hypot(*place[:2])) for place in places), default=0.0)
        turn = min(_TURN_DEG, math.degrees(_TURNED_MM / max(farthest, 1.0))) if finds else 0.0
        #: How far anything that is touched may stand aside for the turn (mm).
        self.aside = math.radians(turn) * farthest
        self._turn = rotation("z", turn)
        self._m_middle = m_middle
        edges = [step.touches[:2] for step in plan.steps if any(quantity.is_angle for quantity in step.finds)]
        spacing = min((math.dist(a.w_contact, b.w_contact) for a, b in edges), default=math.inf)
        #: How far readings are off, by turns more and less: little enough that no edge turns by much.
        self.scatter = min(_SCATTER, spacing * _SCATTER_TURN)

    def _moved(self, m_point: Array) -> Array:
        moved: Array = self._turn @ (m_point - self._m_middle) + self._m_middle + self._off
        return moved

    def contact(self, touch: Touch) -> Array:
        """Where (3,) in M the place of a planned touch really lies."""
        return self._moved(self._located.m_of(touch.w_contact))

    def normal(self, touch: Touch) -> Array:
        """Straight into the touched surface (3,)."""
        into: Array = self._turn @ self._located.tf_m_u.turn @ np.array(touch.way)
        return into

    @property
    def local_shift(self) -> Array:
        """What a program shifts its offset by (3,), along the axes as they are turned."""
        return self._located.local_shift

    @property
    def away(self) -> float:
        """How far a planned place may lie from where the program goes for it: as far as all stands off (mm)."""
        return float(np.linalg.norm(self._off)) + self.aside + _CENTRED

    def clearance(self, steps: Sequence[Step]) -> float:
        """The lowest height in M that the ball's lowest point may go up from in a fast move."""
        lowest = min((step.w_clearance for step in steps), default=math.inf)
        return float(self._located.m_offset[2]) + lowest - self.away

    def tips(self, w_centres: Sequence[Place], radius: float) -> Array:
        """Where (N, 3) in M the ball's lowest point is with its centre at planned places."""
        planned: Array = self._located.m_of(np.array(w_centres).reshape(-1, 3)) - (0.0, 0.0, radius)
        return planned

    def ways(self, steps: Sequence[Step], m_top: float) -> Array:
        """Every place (N, 3) in M that the ball's lowest point goes to between searches; a step may begin at ``m_top``,
        the top of its travel."""
        w_top = m_top - float(self._located.m_offset[2])
        # A step may be gone to, or left, at the height of the one beside it.
        planes = {step.w_clearance for step in steps} | {w_top}
        places = []
        for step in steps:
            if (call := one_call(step)) is not None:
                # A cycle of the machine's own begins where the probe stands, and may go back there.
                x, y, low = call.w_stand
                places += [(x, y, height) for height in (low, *planes)]
            for touch in step.touches:
                x, y, z = touch.start
                low = z - touch.ball_radius
                about = [(x, y)] if step.w_centre is None else [(x, y), step.w_centre]
                places += [(a, b, height) for a, b in about for height in (low, *planes)]
        planned: Array = self._located.m_of(np.array(places).reshape(-1, 3))
        return planned

    def axes(self) -> Axes:
        """The rotary axes where they are here; that of a chuck is where the chuck has it."""
        axes = [
            replace(axis, m_centre=self._moved(axis.m_centre), m_along=self._turn @ axis.m_along)
            for axis in planned_axes(self._machine)
        ]
        now, turned_about = axes_at(self._probed.setup, axes), self._holding.rotary_axis()
        if turned_about is None or self._carrier is None:
            return now
        centre = self._moved(self._located.tf_m_u(np.array([0.0, *turned_about])))
        chuck = next(axis for axis in axes if axis.id == self._carrier)
        at_nought = replace(chuck, m_centre=now.tf_now_nought(chuck.on).inverse()(centre))
        return axes_at(self._probed.setup, [at_nought if axis is chuck else axis for axis in axes])

    def left_by_another(self) -> dict[str, float]:
        """Where another setup may have left the axes that carry this one: short of its index."""
        return {
            each.word: next((angle for angle in (stand - _LEFT_DEG, stand + _LEFT_DEG) if each.reaches(angle)), stand)
            for each in rotaries_under(self._machine, self._probed.setup)
            for stand in [stands_at(each, self._probed.setup.index)]
        }

    def bodies(self, stock: InProcessStock) -> list[Body]:
        """Part and holding where they stand here."""
        there = Placement(self._turn, self._moved(np.zeros(3))).after(self._located.tf_m_u)
        part = moved(stock.solid, there.after(Placement(self._holding.orientation.matrix(), np.zeros(3))))
        held = [Body("part", part, "stock", carrier=self._carrier)]
        for each in self._holding.blocks:
            held.append(Body(each.name, moved(each.solid(), there), carrier=self._carrier))
        for each in self._neighbours:
            held.append(Body(each.name, moved(each.solid(), there), "neighbour", carrier=each.on))
        return held


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
    ) -> list[Found]:
        """What each step's readings give, and how far its offset goes."""
        all_found: list[Found] = []
        for number, step in steps:
            wanted = list(_as_run(step))
            # Of two-stage touches the slow ones count; a rough cycle has only fast ones.
            stages = 1 if step.cycle.rough else 2
            mine, records = records[stages - 1 : stages * len(wanted) : stages], records[stages * len(wanted) :]
            if len(mine) < len(wanted):
                self.differences.append(f"step {number} ({step.title}): {len(mine)} touches instead of {len(wanted)}")
                return all_found
            for touch, record in zip(wanted, mine, strict=True):
                self._touch(step, touch, record)
            found = self._results(number, step, self._averaged(step, mine), results, text, per_unit)
            moved = self._followed.step(step, found)
            all_found.append(Found(step, found, moved))
        if records:
            self.differences.append(f"line {records[0].line}: a touch that is not in the plan")
        return all_found

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
        same = SAME if step.w_centre is None and step.kind not in BARS else _FACET
        most = self._world.away + self._machine.probe.ball_radius + SAME
        same += self._world.scatter
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
            x, y, z = (float(value) for value in self._followed.own.reads(reading) - self._world.local_shift)
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

    def check_running(
        self, steps: list[tuple[int, Step]], unit: SimulatedMachine, motions: Sequence[Motion],
        records: Sequence[TouchRecord], outcome: Outcome,
    ) -> None:  # fmt: skip
        """How it moves and how it ends."""
        if not outcome.ended:
            self.differences.append("the program has no end: the control runs off its last line")
        if outcome.room_at_pauses:
            self.differences.append("the program waits for the operator where nothing is amiss")
        planned = [step for _, step in steps]
        away_words = dialect_of(self._machine).o_words
        m_clear = self._world.clearance(planned) + self._machine.probe.length
        self.differences += moves_amiss(self._machine, unit, motions, m_clear, away_words=away_words)
        wanted = [(touch, 1 if step.cycle.rough else 2) for step in planned for touch in _as_run(step)]
        starts = self._world.tips([touch.start for touch, _ in wanted], self._machine.probe.ball_radius)
        self.differences += starts_amiss(self._machine, motions, starts, wanted, self._world.away)
        ways = self._world.ways(planned, self._machine.travel_max.z - self._machine.probe.length)
        self.differences += places_amiss(self._machine, motions, ways, self._world.away)
        self.differences += feeds_amiss(wanted, records)

    def check_parameters(self, before: dict[int, float], after: dict[int, float], text: ProbingText) -> None:
        """Nothing is kept but what is found, what stands beside it, and what the program works with."""
        kept = {(row.parameter, row.expected_in, row.deviation_in) for row in text.rows}
        results = {number for each in kept for number in each if number is not None}
        for row in text.rows:
            wanted = after.get(row.parameter, math.nan) - float(row.expected)
            for number, value in ((row.expected_in, float(row.expected)), (row.deviation_in, wanted)):
                if number is not None and not abs(after.get(number, math.nan) - value) <= SAME:
                    self.differences.append(f"#{number} beside {row.text} is {after.get(number)}, not {value:.4f}")
        turns = turn_variables(self._machine)
        for number, value in after.items():
            own = number < _OWN_BELOW or number in results or number > _CONTROLS_FROM or number in turns
            if not own and value != before.get(number, 0.0):
                self.differences.append(f"#{number} is set, which is neither a result nor the program's own")

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


class _Scatter:
    """Readings that are never the same twice, so that an old one in place of a new one shows."""

    def __init__(self, most: float) -> None:
        self._most, self._count = most, 0

    def normal(self, mean: float, _sigma: float) -> float:
        self._count += 1
        return mean + self._most * (2.0 * math.modf(self._count * _GOLDEN)[0] - 1.0)


def _as_run(step: Step) -> Iterator[Touch]:
    """Touches in the order the program makes them: every pass, in a round feature pair after pair."""
    for _ in range(step.passes):
        for touch in step.touches:
            for _ in range(step.cycle.touches):
                yield touch
