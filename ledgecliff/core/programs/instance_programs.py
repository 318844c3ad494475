"""Probing programs over all instances of a setup's pattern: the touches once, as a subprogram, and a call for each.

Before each call its offset is selected, or the one that it shares shifted, and variables are told where what is found
goes.  A profile that has no subprograms gets a program for each instance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..errors import PlanError
from ..frames import AXES
from ..model.pattern import Pattern
from ..model.setup import Setup
from ..patterns.instances import Instance, code_key
from ..plan import Plan
from ..setup_plan import SetupPlan
from .actions import Action, Call, Indirect, Let, Note, ResultRow, Said, Select, Shift, StopIf, Word
from .cycle_actions import result_rows
from .index_moves import index_moves
from .offset_writes import Writing
from .profile import ProfileWriter, profile_of
from .result_variables import PointedPlaces, ResultPlaces, check_room, result_places
from .rotation import keeps_turns
from .targets import Target, target_of
from .text import NumberWriter
from .writer import ProbingText, around, at_start, failing, probing_words, stage_actions, tidy, zero_lines

#: What a subprogram is told of the instance in hand: X of its offset, that offset's number and L, where its results,
#: what is expected and how far that is off go, and the variable that holds how far it is turned.
_OFFSET, _NUMBER, _LEVEL, _RESULTS, _EXPECTED, _OFF, _TURN = 189, 190, 191, 192, 193, 194, 195
#: What it tells: nought where the part is there and seated.
OUTCOME = 196
#: Its number: with all steps, and with those alone that look whether the part is there.
_ALL, _SEATING = 900, 901
#: Labels of the second begin so much higher.
_APART = 500_000
#: Labels of what is done after each call.
_LABELS = 800_000
#: Steps that look whether a part is there and seated.
SEATING = ("presence",)


@dataclass(frozen=True, eq=False)
class Turn:
    """An instance whose turn it is: with all steps or only those for presence and seat, and where its results go."""

    each: Instance
    planned: SetupPlan
    own: Target
    probed: bool
    #: The first of those that share an offset.
    first: bool
    places: ResultPlaces


def instance_texts(
    plan: Plan, index: int, pattern: Pattern, only: Sequence[str] | None = None
) -> tuple[ProbingText, ...]:
    """The probing programs of a setup over the instances that are on, or over those ``only`` that are named by their
    keys.

    Raises PlanError where an instance has no offset, or a style cannot do what it needs; ProfileError where the
    machine's profile cannot be used.
    """
    setup = plan.setups[index]
    running = _running(plan, index, only)
    missing = next((each for each in running if each.offset is None), None)
    if missing is not None:
        raise PlanError(
            f"Setup '{setup.setup.name}': no work offset is kept for instance {missing.name}. Let the offsets be given "
            "out on the Table."
        )
    if any(step.into for step in setup.probing.steps):
        raise PlanError(
            f"Setup '{setup.setup.name}': a step writes another offset, which all instances would write. Let each "
            "step write the setup's own."
        )
    write = _Writer(plan, index, pattern, running)
    return tuple(text for after in setup.probing.stages() for text in write.texts(after))


def _running(plan: Plan, index: int, only: Sequence[str] | None = None) -> list[Instance]:
    return [each for each in plan.instances(index) if each.is_on and (only is None or each.key in only)]


def turns_of(plan: Plan, index: int, pattern: Pattern) -> tuple[Turn, ...]:
    """Which instances the programs over all of a setup's pattern go to, in their order, and where results go.  Raises
    PlanError where there is no room for them."""
    return tuple(_Writer(plan, index, pattern, _running(plan, index)).turns)


class _Writer:
    def __init__(self, plan: Plan, index: int, pattern: Pattern, running: Sequence[Instance]) -> None:
        self._plan, self._pattern = plan, pattern
        self._setup = plan.setups[index]
        self._machine, self._numbers = self._setup.machine, NumberWriter(self._setup.machine.program_units)
        self._shares = pattern.school != "own each"
        self._turns_kept = keeps_turns(self._machine)
        self.turns = self._take_turns(running)
        self._before = self._setup_before(index)

    # --- who is probed ------------------------------------------------------------------------

    def _take_turns(self, running: Sequence[Instance]) -> list[Turn]:
        """Each instance that is touched at all, the first of those that share an offset with all steps."""
        first: set[str] = set()
        turns: list[Turn] = []
        layout = self._layout()
        room = layout.room
        for each in running:
            key = code_key(self._pattern, each.place) if self._shares else "all"
            is_first = key not in first
            probed = self._pattern.probed == "every one" and not self._shares
            probed = probed or (self._pattern.probed != "none" and is_first)
            first.add(key)
            planned = self._planned(each)
            own = target_of(planned.machine, planned.setup, planned.setup.offset)
            turns.append(Turn(each, planned, own, probed, is_first, layout.at(len(turns) * room)))
        check_room(layout.places, self._machine, self._setup.setup, room * len(turns))
        return turns

    def _planned(self, each: Instance) -> SetupPlan:
        return self._plan.placed(self._setup.index, each)

    def _layout(self) -> _Layout:
        """What is kept of each instance: how it went, then the results of all steps without room between them."""
        starts, total = [], 1
        for step in self._setup.probing.steps:
            starts.append(total)
            total += len(step.finds)
        return _Layout(result_places(self._machine, self._setup.setup), tuple(starts), total)

    def _setup_before(self, index: int) -> Setup | None:
        """The setup that zeros are carried over from."""
        before = self._plan.before(index)
        probing = self._setup.probing
        if before is None or not (probing.carried or probing.indexed):
            return None
        if not self._plan.stays_clamped(index):
            raise PlanError(
                f"Setup '{self._setup.setup.name}': its zero is carried over from '{before.name}', where other "
                "instances stand. Find it here."
            )
        return before

    # --- texts --------------------------------------------------------------------------------

    def texts(self, after: str | None) -> list[ProbingText]:
        """One program with a call for each instance; one for each where the profile has no subprograms."""
        write = ProfileWriter(profile_of(self._machine), self._words(self.turns, after))
        if write.has("sub") and write.has("call"):
            return [self._text(self.turns, after)]
        return [replace(self._text([turn], after, called=False), instance=turn.each.name) for turn in self.turns]

    def _words(self, turns: Sequence[Turn], after: str | None) -> dict[str, object]:
        names = ", ".join(turn.each.name for turn in turns)
        lines = [f"Instances {names}; {self._skipped()}"] if len(turns) > 1 else [f"Instance {names}"]
        lines.append(
            "One that is missing or does not seat stops the program."
            if self._pattern.missing == "stop"
            else "One that is missing or does not seat is left out, and the program goes on with the next."
        )
        if after is None:
            lines += zero_lines(self._setup.setup, self._setup.features, self._numbers)
            guess = self._numbers(self._setup.setup.probing.guess)
            lines.append(f"Before start: their offsets set by eye or loaded, to within {guess}.")
        else:
            lines.append(f"Runs after {after}.")
        setup = self._setup.setup
        own = turns[0].own if turns else target_of(self._machine, setup, setup.offset)
        return probing_words(self._machine, self._plan.job.title, setup, own, lines)

    def _skipped(self) -> str:
        left = [each.name for each in self._plan.instances(self._setup.index) if not each.is_on]
        return f"left out: {', '.join(left)}" if left else "none is left out"

    def _text(self, turns: Sequence[Turn], after: str | None, *, called: bool = True) -> ProbingText:
        write = ProfileWriter(profile_of(self._machine), self._words(turns, after))
        bodies = self._bodies(turns, after, write) if called else {}
        actions: list[Action] = []
        rows: list[ResultRow] = []
        for number, turn in enumerate(turns):
            actions += self._at_instance(number, turn, after, bodies, write)
            rows += self._rows(turn, after)
        if self._shares:
            actions.append(Shift(self._shift_words(np.zeros(3))))
        if after is None:
            actions += self._followers(turns)
        actions = around(self._machine, self._setup.setup, actions)
        cleared = write.action(Shift(self._shift_words(np.zeros(3)))).strip() if self._shares else ""
        failed = failing(
            self._machine, self._setup.setup, *((Said(cleared, "the local shift cleared"),) if cleared else ())
        )
        actions = [failed(action) for action in actions]
        parts = [write.part("header")]
        subs = [
            write.part("sub", number, "\n".join(write.action(failed(action)) for action in body))
            for number, body in bodies.items()
        ]
        parts += [] if write.subs_at_end else subs
        parts += [*(write.action(action) for action in actions), write.part("footer", rows)]
        text = tidy("\n".join(parts))
        if write.subs_at_end and subs:
            head, _, end = text.rpartition("%\n")
            text = tidy("\n".join([head, *subs, f"%\n{end}"]))
        return ProbingText(after, text, tuple(rows))

    def _bodies(self, turns: Sequence[Turn], after: str | None, write: ProfileWriter) -> dict[int, list[Action]]:
        """The subprograms that are called: with all steps, and for presence alone."""
        bodies: dict[int, list[Action]] = {}
        for number, kinds in ((_ALL, None), (_SEATING, SEATING)):
            if any(turn.probed == (kinds is None) for turn in turns):
                own = Target(
                    "its offset", f"#{_NUMBER}", f"#{_LEVEL}", Indirect(_OFFSET),
                    Indirect(_TURN) if turns[0].own.turned_in is not None else None,
                )  # fmt: skip
                places = PointedPlaces(
                    Indirect(_RESULTS), (Indirect(_EXPECTED), Indirect(_OFF)), self._layout().at(0)
                )  # fmt: skip
                writing = replace(
                    self._writing(own, turns[0]), results=places, leaves=(number, OUTCOME),
                    labels_from=_APART if kinds else 0,
                )  # fmt: skip
                body, _ = stage_actions(turns[0].planned.machine, turns[0].planned, after, writing, write, kinds)
                if body:
                    bodies[number] = body
        return bodies

    def _writing(self, own: Target, turn: Turn) -> Writing:
        setup, plan = self._setup.setup, self._setup.probing
        turn_deg = turn.planned.located.turn_deg
        straight = plan.sets(setup.offset)
        any_turned = any(each.planned.located.turn_deg for each in self.turns)
        turned = self._turns_kept and (not straight or bool(any_turned) or any(step.sets_skew for step in plan.steps))
        if turn_deg and not self._turns_kept:
            raise PlanError(
                f"Setup '{setup.name}': instance {turn.each.name} is turned {turn_deg:g}° about Z, and controls of "
                "this style cannot turn a work offset along. Let the ring's stations stay parallel, or choose another "
                "profile."
            )
        stands_turned = turned and (bool(any_turned) or not straight)
        return Writing(own, own, self._numbers, turned, stands_turned, setup.probing.jump, turn.places)

    # --- one instance -------------------------------------------------------------------------

    def _at_instance(
        self, number: int, turn: Turn, after: str | None, bodies: dict[int, list[Action]], write: ProfileWriter
    ) -> list[Action]:
        each, setup = turn.each, turn.planned.setup
        group = "" if each.place.group == "all" else f", {each.group_name}"
        actions: list[Action] = [Note(f"=== instance {each.name}{group} ===")]
        actions += index_moves(turn.planned.machine, setup)
        actions.append(Select(turn.own.code))
        if self._shares:
            actions.append(Shift(self._shift_words(each.located.local_shift)))
        if after is None and (turn.first or not self._shares):
            plan = self._setup.probing
            written = bool(plan.stays) or (turn.probed and plan.sets(self._setup.setup.offset))
            straighten = self._turns_kept and written
            actions += at_start(turn.planned.machine, turn.planned, self._before, turn.own, straighten)
        if not bodies:
            kinds = None if turn.probed else SEATING
            of_steps, _ = stage_actions(
                turn.planned.machine, turn.planned, after, self._writing(turn.own, turn), write, kinds
            )
            return [*actions, *of_steps]
        called = _ALL if turn.probed else _SEATING
        if called not in bodies:
            return actions
        actions += [*self._told(turn), Call(called)]
        return [*actions, *self._outcome(number, turn)]

    def _told(self, turn: Turn) -> list[Action]:
        """The variables that the subprogram reads."""
        own, places = turn.own, turn.places
        told = [
            (_OFFSET, own.parameter(0), f"X of {own.code}"),
            (_NUMBER, own.number, "its number"),
            (_LEVEL, own.level, "and the L that writes it"),
            (_RESULTS, places.first, "where its results go"),
            (_EXPECTED, places.expected, "what is expected"),
            (_OFF, places.deviation, "how far that is off"),
            (_TURN, own.turned_in, "how it is turned"),
        ]
        lets: list[Action] = [Let(pointer, f"{value}", words) for pointer, value, words in told if value is not None]
        return [*lets, Let(OUTCOME, "0", "nought where it is seated")]

    def _outcome(self, number: int, turn: Turn) -> list[Action]:
        """What comes of a part that is not there or does not seat."""
        kept = Let(turn.places.first, f"#{OUTCOME}", f"instance {turn.each.name}: 1 where it is missing or not seated")
        if not any(step.kind in SEATING for step in self._setup.probing.steps):
            return []
        if self._pattern.missing == "skip it":
            return [kept]
        text = f"instance {turn.each.name}: no part there, or it does not seat"
        return [kept, StopIf(f"#{OUTCOME} GT 0", str(_LABELS + number), text)]

    def _shift_words(self, shift: np.ndarray) -> tuple[Word, ...]:
        return tuple(Word("XYZ"[k], k, self._numbers(float(shift[k]))) for k in range(3))

    def _rows(self, turn: Turn, after: str | None) -> list[ResultRow]:
        rows: list[ResultRow] = []
        if any(step.kind in SEATING and step.cycle.after == after for step in self._setup.probing.steps):
            rows.append(ResultRow(turn.places.first, "1 where it is missing or not seated", "0.0", "seated", 0))
        for number, step in enumerate(self._setup.probing.steps, start=1):
            if step.cycle.after == after and (turn.probed or step.kind in SEATING):
                rows += result_rows(step, number, turn.places, self._numbers)
        return [replace(row, text=f"instance {turn.each.name}, {row.text}", instance=turn.each.key) for row in rows]

    # --- those that follow the first ------------------------------------------------------------

    def _followers(self, turns: Sequence[Turn]) -> list[Action]:
        """Offsets of their own that follow from the first one's: as far from it as they are planned, turned along."""
        if self._shares or self._pattern.probed != "first of the load" or not turns:
            return []
        first, *others = turns
        sets = [
            axis for axis in AXES
            if any(each.axis == axis for step in self._setup.probing.steps for each in step.sets)
        ]  # fmt: skip
        actions: list[Action] = []
        for turn in others:
            apart = turn.planned.located.m_offset - first.planned.located.m_offset
            words = tuple(
                Word(
                    axis.upper(), k,
                    f"[#{first.own.parameter(k)} + {self._numbers.in_brackets(float(apart[k]))}]",
                )
                for k, axis in enumerate(AXES)
                if axis in sets
            )  # fmt: skip
            turn_deg = turn.planned.located.turn_deg - first.planned.located.turn_deg
            turned = f"[{first.own.turn} + [{turn_deg:.6f}]]" if self._turns_kept else ""
            actions.append(Note(f"{turn.own.code} of instance {turn.each.name} follows from {first.own.code}"))
            actions += turn.own.written(words, turned)
        return actions


@dataclass(frozen=True)
class _Layout:
    places: ResultPlaces
    starts: tuple[int, ...]
    room: int

    def at(self, plus: int) -> ResultPlaces:
        """The places of an instance whose own begin so far on."""
        chosen = self.places
        return ResultPlaces(
            chosen.first + plus,
            None if chosen.expected is None else chosen.expected + plus,
            None if chosen.deviation is None else chosen.deviation + plus,
            self.starts,
        )
