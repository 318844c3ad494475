"""The program that finds the centre of a rotary axis by probe, and what it keeps where.

Its work offset is first put on the centre as it is believed, so that all its places count from there.  Results are
machine coordinates, as the gauge line would read; the centre that comes of them goes into the offset, and not without a
word where it is further off than was said.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ..errors import InvalidValueError
from ..frames import AXES, Axis
from ..measuring.results_back import numbered_values
from ..model.machine import Machine
from ..model.stations import Rotary
from ..model.work_offsets import code_of
from ..probing.touches import Touch
from ..programs.actions import Action, Free, Guarded, Let, Note, ResultRow, Search, StopIf, Word
from ..programs.cycle_actions import FAST, RADIUS, SKIP
from ..programs.index_moves import turned_to
from ..programs.profile import ProfileWriter, profile_of
from ..programs.rotation import keeps_turns
from ..programs.targets import Target, not_written, target_at
from ..programs.text import NumberWriter, share
from ..programs.writer import header_words, tidy
from ..quantities import mm_per
from .centre_probing import CentreGroup, CentreProbing, CentreTouch, CentreTouches, Kept, centre_touches
from .centre_readings import CentreReading

#: The first parameter of single readings, the middle of two, and the first of the centre's coordinates.
_READINGS, _MIDDLE, _CENTRE = 140, 121, 131


@dataclass(frozen=True)
class CentreProgram:
    """``rows`` are the variables that hold the results, in the program's unit."""

    text: str
    rows: tuple[ResultRow, ...]
    touches: CentreTouches
    machine: Machine

    def reading_of(self, text: str) -> CentreReading:
        """The reading from pasted lines such as ``#500 = 1.44``.  Raises InvalidValueError, naming the line."""
        known = [row.parameter for row in self.rows]
        return self.reading(numbered_values(text, known, "this program"))

    def reading(self, values: Mapping[int, float]) -> CentreReading:
        """The reading from what the variables hold, in the program's unit.  Raises InvalidValueError."""
        scale = mm_per(self.machine.program_units)
        return self.touches.reading(
            {row.key: values[row.parameter] * scale for row in self.rows if row.parameter in values}
        )


def centre_program(machine: Machine, rotary: Rotary, asked: CentreProbing) -> CentreProgram:
    """Raises InvalidValueError where something is not stated, does not fit the axis or is out of reach, ProfileError
    where the machine's profile cannot be used."""
    code = code_of(machine, asked.offset)
    if code is None:
        raise InvalidValueError("offset", f"the machine has no work offset {asked.offset}")
    if why := not_written(code, profile_of(machine).control):
        raise InvalidValueError("offset", why)
    making = _Making(machine, asked, centre_touches(machine, rotary, asked), target_at(machine, code))
    return making.program()


class _Making:
    def __init__(self, machine: Machine, asked: CentreProbing, touches: CentreTouches, target: Target) -> None:
        self._machine, self._asked, self._touches, self._target = machine, asked, touches, target
        self._n, self._first = NumberWriter(machine.program_units), machine.results.first
        self._b = self._n.in_brackets
        self._label = 1000
        self._done = 0

    def program(self) -> CentreProgram:
        rotary, machine = self._touches.rotary, self._machine
        rows = tuple(
            ResultRow(self._first + k, each.words, "read", each.key, 1) for k, each in enumerate(self._touches.kept)
        )
        actions: list[Action] = [
            Note(f"{self._target.code} is put where the centre of {rotary.word} is believed to be")
        ]
        actions += self._target.written(self._believed(), "0.0" if keeps_turns(machine) else "")
        actions += [turned_to(under, under.flat_deg) for under in reversed(self._touches.beneath)]
        for group in self._touches.groups:
            actions += self._group(group)
        actions += self._results()
        if rotary.about != "z" or self._asked.way != "flat sweep":
            actions += self._found()
        words = self._words()
        write = ProfileWriter(profile_of(machine), words)
        parts = [write.part("header"), *(write.action(action) for action in actions), write.part("footer", rows)]
        return CentreProgram(tidy("\n".join(parts)), rows, self._touches, machine)

    def _words(self) -> dict[str, Any]:
        rotary = self._touches.rotary
        before = [
            f"centre of {rotary.word}, {rotary.name}, believed to within {self._n(self._asked.guess)}",
            "Nothing but what is touched on the axis; everything that turns is clear.",
        ]
        return header_words(
            self._machine, "centre of a rotary axis", rotary.name, f"by {self._asked.way}", self._target, before
        )

    def _believed(self) -> tuple[Word, ...]:
        shift = (0.0, 0.0, self._machine.length_shift())
        return tuple(
            Word(axis.upper(), k, self._n(float(self._touches.m_zero[k]) - shift[k])) for k, axis in enumerate(AXES)
        )

    # --- moves --------------------------------------------------------------------------------

    def _group(self, group: CentreGroup) -> list[Action]:
        rotary = self._touches.rotary
        actions: list[Action] = [turned_to(rotary, rotary.flat_deg + group.degrees)]
        for k, each in enumerate(group.touches):
            if group.inside:
                actions += self._within(each, first=k == 0, group=group)
            else:
                actions += self._from_above(each, first=k == 0, group=group)
            actions.append(self._search(each.touch, _READINGS + self._done))
            self._done += 1
            pair = k % 2 == 1
            if pair and each.touch.axis != "z":
                readings = _READINGS + self._done
                actions.append(Let(_MIDDLE, f"[[#{readings - 2} + #{readings - 1}] / 2]", "middle between both"))
            if not group.inside:
                actions.append(self._guarded(each.touch, "contact on the way up", z=group.w_clearance))
        if group.inside:
            actions.append(self._guarded(group.touches[-1].touch, "contact on the way out", z=group.w_clearance))
        return actions

    def _from_above(self, each: CentreTouch, *, first: bool, group: CentreGroup) -> list[Action]:
        touch = each.touch
        x, y, z = touch.start
        over = [Word("X", 0, self._n(x)), Word("Y", 1, self._n(y))]
        if each.over_middle:
            k = next(k for k, axis in enumerate(AXES) if axis != self._touches.rotary.about)
            over[k] = Word("XY"[k], k, f"#{_MIDDLE}")
        what = f"touch {touch.number}"
        actions: list[Action] = []
        if first:
            actions.append(Free(tuple(over)))
            actions.append(self._guarded(touch, "contact above the clearance plane", z=group.w_clearance))
        else:
            actions.append(Guarded(tuple(over), self._next(), f"{what}: contact on the way over", may_be_short=True))
        return [*actions, self._guarded(touch, "contact on the way down", z=z - touch.ball_radius)]

    def _within(self, each: CentreTouch, *, first: bool, group: CentreGroup) -> list[Action]:
        """From the bore's middle, as it is believed first, then as it was found along X."""
        touch, actions = each.touch, list[Action]()
        if first:
            actions += [
                Free((Word("X", 0, "0.0"), Word("Y", 1, "0.0"))),
                self._guarded(touch, "contact above the clearance plane", z=group.w_clearance),
                self._guarded(touch, "contact on the way into the bore", z=touch.start[2] - touch.ball_radius),
            ]
        x, y, _ = touch.start
        words = (Word("X", 0, f"#{_MIDDLE}" if each.over_middle else self._n(x)), Word("Y", 1, self._n(y)))
        return [*actions, Guarded(words, self._next(), f"touch {touch.number}: contact before the stand-off")]

    def _guarded(self, touch: Touch, what: str, *, z: float) -> Guarded:
        return Guarded((Word("Z", 2, self._n(z)),), self._next(), f"touch {touch.number}: {what}", may_be_short=True)

    def _next(self) -> str:
        self._label += 1
        return str(self._label)

    def _search(self, touch: Touch, result: int) -> Search:
        k = AXES.index(touch.axis)
        down = touch.ball_radius if k == 2 else 0.0
        back = touch.feeds.back_off * touch.direction

        def word(place: tuple[float, float, float]) -> tuple[Word, ...]:
            return (Word("XYZ"[k], k, self._n(place[k] - down)),)

        def beside(sign: float) -> tuple[Word, ...]:
            return (Word("XYZ"[k], k, f"[#{FAST + k} + {self._b(sign * back)}]"),)

        backs = [self._n(back) if axis == k else "0.0" for axis in range(3)]
        return Search(
            number=touch.number,
            label=self._next(),
            surface=touch.surface,
            moving=touch.moving(),
            expected=word(touch.at_contact),
            end=word(touch.end),
            start=word(touch.start),
            behind=word(touch.behind),
            kept=((FAST + k, SKIP + k),),
            near=beside(-1.0),
            far=beside(1.0),
            back_off=(backs[0], backs[1], backs[2]),
            reading=f"#{SKIP + k}",
            result=result,
            search_feed=self._n(touch.feeds.search),
            touch_feed=self._n(touch.feeds.touch),
            fast=False,
        )

    # --- results ------------------------------------------------------------------------------

    def _results(self) -> list[Action]:
        """Machine coordinates, as the gauge line reads: readings count from the offset, whose Z may count from the
        plane of the tool lengths."""
        touches = [each.touch for group in self._touches.groups for each in group.touches]
        actions: list[Action] = []
        for k, each in enumerate(self._touches.kept):
            axis = AXES.index(each.axis)
            actions.append(Let(self._first + k, self._machine_place(each, axis, touches), each.words))
        return actions

    def _machine_place(self, each: Kept, axis: int, touches: list[Touch]) -> str:
        offset = f"#{self._target.parameter(axis)}"
        if each.what == "middle":
            low, high = (_READINGS + number for number in each.touches)
            return f"[[#{low} + #{high}] / 2 + {offset}]"
        (number,) = each.touches
        terms = [f"#{_READINGS + number}", offset]
        if axis == 2:
            terms.append(self._b(self._machine.length_shift()))
        elif each.what == "surface":
            return f"[{' + '.join(terms)} {'+' if touches[number].direction > 0 else '-'} #{RADIUS}]"
        return f"[{' + '.join(terms)}]"

    def _found(self) -> list[Action]:
        """The centre's coordinates from the results, held against what is believed, and written."""
        actions: list[Action] = []
        words: list[Word] = []
        shift = (0.0, 0.0, self._machine.length_shift())
        for count, (axis, value) in enumerate(self._centre()):
            k = AXES.index(axis)
            place = _CENTRE + count
            actions.append(Let(place, value, f"centre {axis.upper()} on the machine"))
            believed = self._b(float(self._touches.m_zero[k]))
            actions.append(
                StopIf(
                    f"ABS[#{place} - {believed}] GT {self._n(self._asked.guess)}",
                    self._next(),
                    f"the centre is further from where it is believed than {self._n(self._asked.guess)}",
                )
            )
            words.append(Word(axis.upper(), k, f"[#{place} - {self._b(shift[k])}]"))
        if words:
            actions.append(Note(f"the centre goes into {self._target.code}"))
            actions += self._target.written(tuple(words), "")
        return actions

    def _centre(self) -> list[tuple[Axis, str]]:
        """The formulas of ``touchoff.centres``, over the results."""
        at = {each.key: f"#{self._first + k}" for k, each in enumerate(self._touches.kept)}
        rotary, asked = self._touches.rotary, self._asked
        a, b = (axis for axis in AXES if axis != rotary.about)
        match asked.way:
            case "table bore":
                return [(axis, f"[[{at[f'at_0.{k}']} + {at[f'at_180.{k}']}] / 2]") for k, axis in enumerate((a, b))]
            case "bar" | "bar at rest":
                names = ("at_first", "turned_over") if asked.way == "bar" else ("at_first",)
                first = [at[f"{name}.sides.{side}"] for name in names for side in "01"]
                if rotary.about == "z":
                    second = [at[f"{name}.second_sides.{side}"] for name in names for side in "01"]
                    return [(a, _mean(first)), (b, _mean(second))]
                tops = _mean([at[f"{name}.top"] for name in names])
                return [(a, _mean(first)), (b, f"[{tops} - {self._n(asked.needed('diameter') / 2.0)}]")]
            case "trunnion faces":
                return self._of_faces(at, a)
            case "flat sweep":
                return []

    def _of_faces(self, at: Mapping[str, str], across: Axis) -> list[tuple[Axis, str]]:
        """Three equations for the centre and the height of the face: the inverse of their numbers is the plan's."""
        stated = dict(self._touches.stated)
        hand = 1.0 if (stated["sense"] == "right-handed") == (self._touches.rotary.about == "x") else -1.0
        rows, values = [[0.0, 1.0, 1.0]], [at["z_table"]]
        for name in ("first", "second"):
            leans = hand * np.radians(float(str(stated[f"{name}.degrees"])))
            s, c, z = float(np.sin(leans)), float(np.cos(leans)), float(str(stated[f"{name}.z"]))
            rows.append([s, -c, -1.0])
            rest = self._b(self._machine.probe.effective_radius - c * z)
            values.append(f"[[{share(s)}] * {at[f'{name}.{across}']} + {rest}]")
        inverse = np.linalg.inv(np.array(rows))
        return [
            (
                axis,
                f"[{' + '.join(f'[{share(float(part))}] * {value}' for part, value in zip(row, values, strict=True))}]",
            )
            for axis, row in zip((across, "z"), inverse[:2], strict=True)
        ]


def _mean(values: list[str]) -> str:
    return f"[[{' + '.join(values)}] / {len(values)}]"
