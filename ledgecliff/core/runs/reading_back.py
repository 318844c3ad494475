"""Reading back: a run's programs, run on the simulated control, must do at every station what its toolpath does there.

Each toolpath program is run by itself, at its station's own zero as the plan has it on the machine, and once more
inside of the program that is to be written; both must move alike, with the tool of the task, the axes at the station's
index, and in the planned order, whatever an earlier program has left in force.  It stops where a hand comes near with
the spindle stopped and the tool away.  What is not attached, or cannot be simulated, is stood in for by a short program
that goes to a place of its own.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import numpy as np

from ..contact.first_contact import Triple
from ..errors import InvalidValueError, ProgramError
from ..frames import Array
from ..model.run import Run, RunStation, RunTask
from ..model.work_offsets import code_of, codes_of, turn_variable
from ..patterns.instances import Instance
from ..places import rotaries_under, stands_at
from ..plan import Plan
from ..programs.dialect import dialect_of
from ..programs.rotation import turns_by_itself
from ..programs.text import comment
from ..reading_back.check import left_by_another
from ..simulator.axes import axes_at, planned_axes
from ..simulator.interpreter import Control
from ..simulator.machine import Alarm, SimulatedMachine, quiet
from .posting import Posted, machine_of_run
from .rules import Planned
from .tasks import ref_words, task_of, waits_of

#: What is printed to four places (five in inches), and added up, may differ by this much (mm, degrees).
_SAME = 0.002
#: A WCS that is turned by less cuts as one that is not (degrees).
_SQUARE_DEG = 0.01
#: Where no station has its zero (mm), so that a wrong offset shows.
_ELSEWHERE = 31.0
#: So far from the first index another program has left the rotary axes (degrees).
_LEFT_DEG = 7.0
#: So far one offset is found off the plan, and the next one as much further (mm).
_APART = np.array([0.011, -0.013, 0.017])
#: As far as this from the zero a stand-in goes, in the unit of the programs, and how far it keeps from the travel (mm).
_STAND_IN, _INSIDE = (0.1, 0.2, 0.3), 0.5

Programs = Mapping[tuple[str, str], str]
#: Writes the programs of a run with these toolpath programs.
Writes = Callable[[Run, Programs], Sequence[Posted]]


@dataclass(frozen=True)
class RunReadBack:
    """``tasks`` that were cut with their own toolpath programs, in ``moves``, and ``stood_in`` for; ``not_run`` says
    which programs cannot be simulated.  ``differences`` is empty when programs and plan agree."""

    tasks: int
    moves: int
    stood_in: int
    not_run: tuple[str, ...]
    differences: tuple[str, ...]

    @property
    def words(self) -> str:
        said = (
            f"Read back and run on the simulated machine: {self.tasks} tasks with their toolpaths, {self.moves} moves"
        )
        said += f"; {self.stood_in} with a stand-in, for their zeros and their order."
        return said + "".join(f" Not run: {each}." for each in self.not_run)


class _Move(NamedTuple):
    kind: Literal["rapid", "feed"]
    start: Triple
    end: Triple
    feed: float
    tool: int
    spindle_on: bool
    angles: dict[str, float]


class _Different(Exception):  # noqa: N818 - what was looked for, no fault of this program
    pass


@dataclass
class _Watched(SimulatedMachine):
    """Tells every move that leads somewhere, but for those fast and straight up to the top of the travel."""

    told: Callable[[_Move], None] = lambda _move: None

    def travel_to(self, m_target: Triple, kind: Literal["rapid", "feed"], feed: float, line: int) -> None:
        start = self.position
        super().travel_to(m_target, kind, feed, line)
        self.motions.clear()  # a toolpath has many, and nobody asks for them
        up = kind == "rapid" and math.dist(start[:2], self.position[:2]) < _SAME and self.at_top
        if math.dist(start, self.position) > 0.0 and not up:
            angles = dict(self.axes.angles)
            self.told(_Move(kind, start, self.position, feed, self.tool, self.spindle_on, angles))

    @property
    def at_top(self) -> bool:
        return self.position[2] >= self.travel_high[2] - _SAME


@dataclass(frozen=True)
class _Place:
    """A station as its job's plan has it: where its zero truly lies on the machine, and what its offset holds."""

    station: RunStation
    plan: Plan
    number: int
    each: Instance


@dataclass(frozen=True)
class _Cut:
    """A task with a toolpath program."""

    words: str
    place: _Place
    task: RunTask
    text: str


@dataclass(frozen=True)
class _Stop:
    words: str


def read_back(
    run: Run,
    planned: Planned,
    plans: Mapping[str, Plan],
    programs: Programs,
    writes: Writes,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> RunReadBack:
    """What ``writes`` makes of the run, with the toolpath ``programs`` and once more with nothing but stand-ins.
    Raises what that raises."""
    back = _Back(run, planned, plans, should_stop)
    known, not_run = dict(programs), list[str]()
    cuts = [each for each in back.items(programs) if isinstance(each, _Cut)]
    for number, cut in enumerate({(each.place.station.job, each.task.program): each for each in cuts}.values()):
        progress(number, len(cuts) + 2)
        if why := back.not_simulated(cut):
            known[cut.place.station.job, cut.task.program] = back.stand_in(cut.place, cut.task)
            not_run.append(f"{cut.task.program}, {why}")
    differences, moves = back.compared(run, known, writes)
    progress(len(cuts) + 1, len(cuts) + 2)
    named, stand_ins = back.with_stand_ins()
    if not differences:
        differences, _ = back.compared(named, stand_ins, writes)
    own = sum(known[each.place.station.job, each.task.program] == each.text for each in cuts)
    return RunReadBack(own, moves, len(stand_ins) - own, tuple(not_run), tuple(differences))


class _Back:
    def __init__(self, run: Run, planned: Planned, plans: Mapping[str, Plan], should_stop: Callable[[], bool]) -> None:
        self._run, self._planned, self._should_stop = run, planned, should_stop
        self._machine = machine_of_run(run, plans)
        self._dialect = dialect_of(self._machine)
        self._places = {each.id: _place(each, plans) for each in run.stations if each.job in plans}
        self._table = self._offsets()

    def _offsets(self) -> dict[int, Array]:
        """Each as the first station has it that is cut in it, others that share it lie off it as they truly do; and a
        little off the plan, each by another way, for two that were the same could be taken for each other."""
        top = np.array(self._machine.travel_max.as_tuple())
        held = {code.key: top - _ELSEWHERE - k for k, code in enumerate(codes_of(self._machine), start=1)}
        for place in reversed(self._places.values()):
            held[self._key(place.station.offset)] = place.each.located.m_offset.copy()
        used = dict.fromkeys(self._key(place.station.offset) for place in self._places.values())
        return held | {key: held[key] + k * _APART for k, key in enumerate(used, start=1)}

    def _key(self, offset: str) -> int:
        code = code_of(self._machine, offset)
        assert code is not None, "jobs have only offsets of their machine"
        return code.key

    def items(self, programs: Programs) -> list[_Cut | _Stop]:
        """What is to be done, in its order; what is not attached is a stop."""
        found: list[_Cut | _Stop] = []
        for k in self._planned.order.tasks:
            ref = self._planned.tasks.refs[k]
            station, task = self._run.station(ref.of), task_of(self._run, ref)
            words = ref_words(self._run, ref)
            found += [_Stop(f"wait until {comment(each)} have gone by") for each in waits_of(self._run, ref)]
            if station is None or task is None:
                found.append(_Stop(comment(words)))
            elif (text := programs.get((station.job, task.program)) if task.program else None) is not None:
                found.append(_Cut(words, self._places[station.id], task, text))
            else:
                found.append(_Stop(f"no toolpath program for {comment(station.name)}: {comment(task.name)}"))
        return found

    # --- a toolpath by itself -------------------------------------------------------------------

    def alone(self, cut: _Cut, start: Triple) -> Iterator[_Move]:
        """What a toolpath program does by itself at its place, from ``start`` on.  Raises ProgramError, Alarm."""
        place, moves = cut.place, list[_Move]()
        base = self._table[self._key(place.station.offset)]
        zero = base + (place.each.m_zero - place.each.located.m_offset)
        unit = self._unit(place, dict.fromkeys(self._table, zero), moves.append)
        control = Control(unit, self._dialect)
        self._turned(unit, control, place, unit.offsets)
        control.run(f"{'G21' if self._machine.program_units == 'mm' else 'G20'} G17 G90 G94")
        unit.position = start
        for _ in control.steps(cut.text, self._should_stop):
            yield from moves
            moves.clear()
        yield from moves
        if control.outcome.alarm:
            raise Alarm(f"line {control.outcome.alarm_line}: {control.outcome.alarm}")

    def _unit(self, place: _Place, offsets: dict[int, Array], told: Callable[[_Move], None]) -> _Watched:
        setup = place.plan.job.setups[place.number].model_copy(update={"index": place.each.index})
        axes = axes_at(setup, planned_axes(self._machine))
        return _Watched(self._machine, [], {key: each.copy() for key, each in offsets.items()}, quiet(), axes=axes,
                        told=told)  # fmt: skip

    def _turned(self, unit: SimulatedMachine, control: Control, place: _Place, keys: Mapping[int, Array]) -> None:
        """Offsets are turned as that of a place is, by the control or in the variable that programs read."""
        for code in codes_of(self._machine):
            if code.key in keys:
                variable = turn_variable(self._machine, code)
                if turns_by_itself(self._machine):
                    unit.turns[code.key] = place.each.located.turn_deg
                elif variable is not None:
                    control.parameters[variable] = place.each.located.turn_deg

    def not_simulated(self, cut: _Cut) -> str:
        """Why the simulated control does not understand a program; nothing where it does."""
        try:
            for _ in self.alone(cut, self._top()):
                pass
        except ProgramError as error:
            return str(error)
        except Alarm:
            pass  # that is said of each station where it happens
        return ""

    def _top(self) -> Triple:
        low, high = self._machine.travel_min, self._machine.travel_max
        return ((low.x + high.x) / 2.0, (low.y + high.y) / 2.0, high.z)

    # --- what stands in ---------------------------------------------------------------------------

    def stand_in(self, place: _Place, task: RunTask) -> str:
        """To a place that is another along each axis, as low as the tool comes within the travel."""
        unit = 1.0 if self._machine.program_units == "mm" else 25.4
        x, y, z = (each / unit for each in _STAND_IN)
        cutter, h_word = self._machine.cutter(task.tool), ""
        if cutter is not None:
            low, high = self._machine.travel_min.z + _INSIDE, self._machine.travel_max.z - _INSIDE
            m_tip = float(place.each.m_zero[2]) + cutter.tip_length
            z = (min(max(m_tip + _STAND_IN[2], low), high) - m_tip) / unit
            h_word = f"G43 H{task.tool}\n"
        feed = 100.0 / unit
        return (
            f"T{task.tool} M6\n{h_word}S1000 M3\nG0 X{x:.4f} Y{y:.4f}\nG1 Z{z:.4f} F{feed:.2f}\nG91 G1 X{x:.4f}\nM30\n"
        )

    def with_stand_ins(self) -> tuple[Run, dict[tuple[str, str], str]]:
        """The run with another program for each of its tasks, of tools that the machine has."""
        stations, programs = list[RunStation](), dict[tuple[str, str], str]()
        left = {self._planned.tasks.refs[k] for k in self._planned.order.tasks}
        to_cut = {(ref.of, ref.task) for ref in left if ref.task is not None}
        for station in self._run.stations:
            tasks = list[RunTask]()
            for number, task in enumerate(station.tasks):
                name = f"{station.id}-{number}"
                there = (station.id, task.name) in to_cut and self._machine.cutter(task.tool) is not None
                if there:
                    programs[station.job, name] = self.stand_in(self._places[station.id], task)
                tasks.append(task.model_copy(update={"program": name if there else ""}))
            stations.append(station.model_copy(update={"tasks": tuple(tasks)}))
        return self._run.model_copy(update={"stations": tuple(stations)}), programs

    # --- the programs -----------------------------------------------------------------------------

    def compared(self, run: Run, programs: Programs, writes: Writes) -> tuple[list[str], int]:
        """Differences in words, and how many moves agreed."""
        back = _Back(run, self._planned, {each.station.job: each.plan for each in self._places.values()},
                     self._should_stop)  # fmt: skip
        follower = _Follower(back, back.items(programs))
        amiss = [
            f"{cut.words} stands turned by {cut.place.each.located.turn_deg:.2f}°, and neither its offset nor "
            f"'{cut.task.program}' turns with it"
            for cut in follower.items
            if isinstance(cut, _Cut) and run is self._run and self._cuts_unturned(cut)
        ]
        for posted in writes(run, programs):
            try:
                follower.follow(posted)
            except (_Different, ProgramError) as error:
                return [*amiss, f"{posted.name}: {error}"], follower.moves
        return [*amiss, *follower.left()], follower.moves

    def _cuts_unturned(self, cut: _Cut) -> bool:
        turned = abs(cut.place.each.located.turn_deg) > _SQUARE_DEG
        return turned and not turns_by_itself(self._machine) and re.search(r"\bG68\b", cut.text.upper()) is None

    def machine_with_all(self, told: Callable[[_Move], None]) -> tuple[_Watched, Control]:
        """As it stands before a program begins: everything found, and what another program left in force."""
        unit = self._unit(next(iter(self._places.values())), self._table, told)
        control = Control(unit, self._dialect)
        for place in reversed(self._places.values()):
            self._turned(unit, control, place, {self._key(place.station.offset): place.each.m_zero})
        unit.left_at({word: angle - _LEFT_DEG for word, angle in unit.axes.angles.items()})
        kept = dict(control.parameters)
        left_by_another(control, self._machine)
        control.parameters.update({key: value for key, value in kept.items() if value})
        return unit, control

    def stands_right(self, cut: _Cut, angles: Mapping[str, float]) -> bool:
        setup = cut.place.plan.job.setups[cut.place.number]
        return all(
            abs(angles[each.word] - stands_at(each, cut.place.each.index)) < _SAME
            for each in rotaries_under(self._machine, setup)
        )


@dataclass
class _Follower:
    """Goes along with what is to be done while the programs run."""

    back: _Back
    items: Sequence[_Cut | _Stop]
    moves: int = 0
    _at: int = -1
    _ways: Iterator[_Move] = field(default_factory=lambda: iter(()))

    def follow(self, posted: Posted) -> None:
        """Raises _Different and ProgramError."""
        unit, control = self.back.machine_with_all(self._move)
        self._unit, lines = unit, posted.text.splitlines()
        stops = 0
        try:
            for line in control.steps(posted.text, self.back._should_stop):
                if len(control.rooms) > stops:
                    stops = len(control.rooms)
                    self._stop(lines[line - 1])
        except Alarm as alarm:
            raise _Different(f"{self._words()}: {alarm}") from alarm
        if control.outcome.alarm:
            raise _Different(f"line {control.outcome.alarm_line}: {control.outcome.alarm}")
        if not control.outcome.ended or unit.spindle_on or not unit.at_top:
            raise _Different("does not end with the spindle stopped and the tool at the top of the travel")
        self._left_as_found(unit, control)

    def left(self) -> list[str]:
        """What was not done at all."""
        over = self._over()
        after = [each.words for each in self.items[self._at + 1 :]]
        return [] if over and not after else [f"{', '.join(after) or self._words()}: is not done to its end"]

    def _left_as_found(self, unit: _Watched, control: Control) -> None:
        """No shift is left: a move to nought leads to the zero of the first offset."""
        unit.told = lambda _move: None
        control.run(f"G90 {codes_of(unit.machine)[0].code} G0 X0.0 Y0.0")
        zero = unit.offsets[codes_of(unit.machine)[0].key]
        if not control.outcome.alarm and math.dist(unit.position[:2], zero[:2]) > _SAME:
            raise _Different("leaves a shift in force")

    def _words(self) -> str:
        return self.items[self._at].words if 0 <= self._at < len(self.items) else "before the first task"

    def _over(self) -> bool:
        try:
            return next(self._ways, None) is None
        except Alarm as alarm:
            raise _Different(f"{self._words()}: {alarm}") from alarm

    def _stop(self, line: str) -> None:
        """At a stop of the program's own, or of a toolpath's."""
        after = self.items[self._at + 1] if self._at + 1 < len(self.items) else None
        if not isinstance(after, _Stop) or f"M0 ({after.words})" not in line:
            return
        if self._unit.spindle_on or not self._unit.at_top:
            raise _Different(f"{after.words}: the spindle turns, or the tool is not away")
        if not self._over():
            raise _Different(f"{self._words()}: is not done to its end before '{after.words}'")
        self._at, self._ways = self._at + 1, iter(())

    def _move(self, move: _Move) -> None:
        wanted = self._next(move)
        cut = self.items[self._at]
        assert isinstance(cut, _Cut), "what moves is cut"
        off = math.dist(wanted.end, move.end)
        feeds = math.isclose(wanted.feed, move.feed, rel_tol=1e-6) and wanted.spindle_on == move.spindle_on
        if off > _SAME or wanted.kind != move.kind or not feeds:
            raise _Different(f"{cut.words}: goes {_said(move)}, and its toolpath by itself {_said(wanted)}")
        if move.kind == "feed" and move.tool != cut.task.tool:
            raise _Different(f"{cut.words}: is cut with T{move.tool}, and T{cut.task.tool} is planned")
        if not self.back.stands_right(cut, move.angles):
            raise _Different(f"{cut.words}: is cut with an axis not at its index")
        self.moves += 1

    def _next(self, move: _Move) -> _Move:
        while True:
            try:
                wanted = next(self._ways, None)
            except Alarm as alarm:
                raise _Different(f"{self._words()}: {alarm}") from alarm
            if wanted is not None:
                return wanted
            self._at += 1
            if self._at >= len(self.items):
                raise _Different("goes on after all is done")
            cut = self.items[self._at]
            if isinstance(cut, _Stop):
                raise _Different(f"goes on before '{cut.words}' is done")
            if move.start[2] < self._unit.travel_high[2] - _SAME:
                raise _Different(f"{cut.words}: begins with the tool below the top of the travel")
            self._ways = self.back.alone(cut, move.start)


def _said(move: _Move) -> str:
    x, y, z = move.end
    turns = "turning" if move.spindle_on else "with the spindle stopped"
    return f"to X{x:.3f} Y{y:.3f} Z{z:.3f} of the machine ({move.kind}, {move.feed:g} mm/min, {turns})"


def _place(station: RunStation, plans: Mapping[str, Plan]) -> _Place:
    plan = plans[station.job]
    for number, setup in enumerate(plan.job.setups):
        if setup.id == station.setup:
            for each in plan.instances(number):
                if station.place is None or each.key == station.place:
                    return _Place(station, plan, number, each)
    raise InvalidValueError(station.name, "is not in its job any more; take the job over")
