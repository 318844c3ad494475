"""From the steps of a probing plan to the actions of its program.

The arithmetic here is the control's: expressions over the readings of the touches.  It is checked
against ``probing.results``, which works the same results out another way (``reading_back.check``).
"""

from __future__ import annotations

from typing import assert_never

import numpy as np

from ..frames import AXES
from ..model.stations import Rotary
from ..places import stands_at
from ..probing.one_call import OneCall, one_call
from ..probing.touches import Place, Step, Touch
from .actions import (
    Action,
    CallSpan,
    CycleCall,
    Free,
    Guarded,
    LeaveIf,
    Let,
    Note,
    Parameter,
    ResultRow,
    Search,
    StopIf,
    Turn,
    Word,
)
from .circle_lets import FOUND, circle_lets
from .index_moves import turned_to
from .offset_writes import Writing, offset_writes
from .result_variables import PointedPlaces, ResultPlaces
from .rotation import Rotation
from .text import NumberWriter, share

#: The effective ball radius, the place of the fast contact, the centre a round step starts from, single readings.
RADIUS, FAST, CENTRE, READINGS = 100, 107, 101, 110
SKIP = 5061
#: Middle of a bar in Y and Z before the rotary axis has turned it, and after.
_AT_FIRST = 121
#: Steps that touch a round bar from both sides, and then its top at the middle that was found.
_BARS = ("bar", "rotary axis")
#: Where the control's offset cannot be turned, a part that is turned by more than this stops the program (degrees).
SKEW_LIMIT_DEG = 0.1
#: Controls with moves towards contact refuse shorter ones (mm).
LEAST_MOVE = 0.26


def result_rows(
    step: Step, number: int, places: ResultPlaces | PointedPlaces, numbers: NumberWriter
) -> list[ResultRow]:
    """The closing table's lines of a step, numbered from 1; none where a subprogram keeps its results now here, now
    there."""
    rows: list[ResultRow] = []
    for k, quantity in enumerate(step.finds if isinstance(places, ResultPlaces) else ()):
        assert isinstance(places, ResultPlaces), "looked at above"
        kept, (expected_in, deviation_in) = places.of_step(number) + k, places.beside(number, k)
        expected = f"{quantity.expected:.4f}" if quantity.is_angle else numbers(quantity.expected)
        text = f"{step.title}: {quantity.words}"
        rows.append(ResultRow(kept, text, expected, quantity.key, number, expected_in, deviation_in))
    return rows


class StepActions:
    """Actions of one step; ``number`` counts from 1 and makes labels and parameters its own.

    ``before`` is the height in the WCS at which the step before has left the probe (mm), ``turning`` the rotary axis
    that what is held hangs on, where the setup has it."""

    def __init__(
        self, step: Step, number: int, writing: Writing, before: float | None = None, turning: Rotary | None = None
    ) -> None:
        self._step, self._number, self._writing, self._before = step, number, writing, before
        self._turning = turning
        self._n, self._b = writing.numbers, writing.numbers.in_brackets
        self._base = writing.results.of_step(number)
        # What is probed before the skew is found stands square.
        self._rotation = Rotation(writing.own.turn if writing.turned and writing.own.turned_in is not None else "")
        self._label = writing.labels_from + number * 1000
        self.rows: list[ResultRow] = []

    def actions(self, *, first: bool) -> list[Action]:
        """``first`` says that the program comes from the top of the travel."""
        step = self._step
        actions: list[Action] = [Note(f"--- step {self._number}: {step.title} ---"), *self._rotation.begins()]
        if step.w_centre is not None and (step.inside and step.crossing == "straight"):
            actions += self._within(first)
        else:
            actions += self._from_above(first)
        return actions

    def called(self, *, first: bool, sets: bool) -> list[Action] | None:
        """The same with one call of the machine's own cycle, None where none makes this step; ``sets`` says that such
        cycles check sizes and write offsets themselves."""
        step, writing = self._step, self._writing
        call = one_call(step)
        if call is None or self._rotation.turn or (sets and step.sets and (writing.turns or writing.jump is not None)):
            return None
        x, y, z = call.w_stand
        what = f"step {self._number}"
        actions: list[Action] = [Note(f"--- step {self._number}: {step.title} ---")]
        actions += self._arrive(first, self._words((x, y)), what)
        if not first:
            # The step before may have ended at another height, and the cycle counts from where the probe stands.
            plane = self._words((None, None, step.w_clearance))
            actions.append(Guarded(plane, self._next(), f"{what}: contact on the way down", may_be_short=True))
        if call.straight:
            actions.append(self._guarded(f"{what}: contact on the way in", None, None, z))
        actions.append(self.call(call))
        checks = self._beside() if sets else self._size_stops()
        if call.straight:
            checks.append(self._guarded(f"{what}: contact on the way out", None, None, step.w_clearance))
        if sets:
            self._table()
            return [*actions, *checks]
        return [*actions, *checks, *self._writes()]

    def _kept(self) -> dict[str, Parameter]:
        """The parameter of each result, by its key."""
        return {quantity.key: self._base + k for k, quantity in enumerate(self._step.finds)}

    def call(self, call: OneCall) -> CycleCall:
        """The step as one call of a cycle."""
        step, writing, touch = self._step, self._writing, self._step.touches[0]
        sets = {setting.axis: setting for setting in step.sets}
        kept = self._kept()
        spans = tuple(
            CallSpan(
                letter=span.axis.upper(),
                axis=AXES.index(span.axis),
                begin=self._n(span.begin),
                far=self._n(span.far),
                size=self._n(span.size) if span.size else "",
                sign=span.sign,
                along=self._n(span.along),
                result=kept[span.axis],
                size_result=kept.get(f"size {span.axis}", 0),
                sets=span.axis in sets,
                should_read=self._n(sets[span.axis].should_read) if span.axis in sets else "0.0",
            )
            for span in call.spans
        )
        return CycleCall(
            shape=call.shape,
            title=step.title,
            label=self._next(),
            spans=spans,
            down=self._n(call.down),
            approach=self._n(touch.stand_off),
            overtravel=self._n(touch.overtravel),
            inside=call.inside,
            straight=call.straight,
            passes=call.passes,
            tolerance=self._n(step.size_tolerance),
            search_feed=self._n(touch.feeds.search),
            touch_feed=self._n(touch.feeds.touch),
            back_off=self._n(touch.feeds.back_off),
            fast=step.cycle.rough,
            measures=not step.sets,
            offset=writing.into.code,
            number=writing.into.number,
            level=writing.into.level,
            own=writing.own.parameter(0),
        )

    def _next(self) -> str:
        self._label += 1
        return str(self._label)

    # --- ways -----------------------------------------------------------------------------

    def _words(self, place: tuple[float | None, ...]) -> tuple[Word, ...]:
        words = tuple(Word("XYZ"[k], k, self._n(value)) for k, value in enumerate(place) if value is not None)
        flat = [word.value for word in words if word.axis < 2]
        if not self._rotation.turn or not flat:
            return words
        x, y = flat
        return (*self._rotation.words(x, y), *(word for word in words if word.axis == 2))

    def _guarded(self, what: str, *place: float | None) -> Guarded:
        return Guarded(self._words(place), self._next(), what)

    def _arrive(self, first: bool, words: tuple[Word, ...], what: str) -> list[Action]:
        """Over a place at the clearance plane."""
        if first:
            over = f"{what}: contact above the clearance plane"
            return [Free(words), self._guarded(over, None, None, self._step.w_clearance)]
        before, self._before = self._before, None
        if before is not None and before < self._step.w_clearance:
            # What this step asks to be clear of may stand on the way to it.
            up = self._guarded(f"{what}: contact on the way up", None, None, self._step.w_clearance)
            return [up, Guarded(words, self._next(), f"{what}: contact on the way over", may_be_short=True)]
        return [Guarded(words, self._next(), f"{what}: contact on the way over", may_be_short=True)]

    def _from_above(self, first: bool) -> list[Action]:
        """Each touch from the clearance plane, or straight across where the step says so."""
        step = self._step
        actions: list[Action] = []
        straight = step.crossing == "straight"
        turns = bool(step.touches[-1].turned_deg)
        if step.w_centre is not None:
            actions += [Let(CENTRE + k, self._n(step.w_centre[k])) for k in (0, 1)]
        for k in range(step.passes):
            if step.passes > 1:
                actions.append(Note(f"pass {k + 1}" + (": again from the centre that was found" if k else "")))
            for i, touch in enumerate(step.touches):
                turned = i > 0 and touch.turned_deg != step.touches[i - 1].turned_deg
                if turned:
                    actions += self._turn(touch.turned_deg)
                if step.kind in _BARS and touch.axis == "z":
                    # The top of a round is only where its middle is: that is worked out before it is touched.
                    actions += self._opposite(AXES.index(step.touches[0].axis), READINGS - 1 + i)
                from_top = (first and not i and not k) or turned or (turns and not i)
                actions += self._one(touch, i, from_top, straight and i > 0)
            actions += self._evaluate(last=k == step.passes - 1)
        if straight:
            actions.append(self._up(step.touches[-1]))
        if turns:
            actions.append(self._turned(0.0))
        return [*actions, *self._writes()]

    def _turn(self, degrees: float) -> list[Action]:
        """The bar's middle as it stands is kept before the axis takes it round."""
        found = [*self._bar(READINGS + 1, self._step.touches[0]), *self._keep_middle(_AT_FIRST)]
        return [*found, self._turned(degrees)]

    def _turned(self, degrees: float) -> Turn:
        """So far from where the setup has the axis."""
        assert self._turning is not None, "a step turns what is held in a chuck on an axis"
        return turned_to(self._turning, stands_at(self._turning, self._writing.index) + degrees)

    def _bar(self, r: int, side: Touch) -> list[Action]:
        """The circle through three ball centres: both sides' at the height they were touched at, and the top's.

        With half of what lies between the sides ``w`` and the top's centre ``h`` over theirs, the axis is
        ``(h² - w²) / 2h`` over them, so that a height only guessed for the sides does no harm.
        """
        across, over, up = 117, 118, 119
        height = side.start[2] - side.ball_radius
        return [
            Let(across, f"[ABS[#{r + 1} - #{r}] / 2]", "half of what lies between the ball's centres"),
            Let(over, f"[#{r + 2} - {self._b(height)}]", "how far over them the top's lies"),
            Let(up, f"[[#{over} * #{over} - #{across} * #{across}] / [2 * #{over}]]", "how far up the axis lies"),
            self._keep(f"size {side.axis}", f"[2 * [#{over} - #{up} - #{RADIUS}]]"),
            self._keep("z", f"[{self._b(height)} + #{RADIUS} + #{up}]"),
        ]

    def _keep_middle(self, kept: int) -> list[Action]:
        return [Let(kept, f"#{self._parameter('y')}"), Let(kept + 1, f"#{self._parameter('z')}")]

    def _one(self, touch: Touch, place: int, first: bool, straight: bool) -> list[Action]:
        what = f"touch {touch.number}"
        x, y, z = touch.start
        tip = z - touch.ball_radius
        over = self._words((x, y)) if self._step.w_centre is None else self._about(touch.start)
        if self._step.kind in _BARS and touch.axis == "z":
            found = self._step.touches[0].axis
            middle = f"#{self._parameter(found)}"
            over = self._rotation.words(
                *(middle if axis == found else self._n(at) for axis, at in (("x", x), ("y", y)))
            )
        actions: list[Action] = []
        if not straight:
            actions += self._arrive(first, over, what)
            actions.append(self._guarded(f"{what}: contact on the way down", None, None, tip))
        elif touch.axis != "z":
            actions.append(Guarded(over, self._next(), f"{what}: contact on the way across"))
        actions += self._searches(touch, READINGS + 1 + place)
        if self._step.crossing != "straight":
            actions.append(self._up(touch))
        return actions

    def _up(self, touch: Touch) -> Guarded:
        return self._guarded(f"touch {touch.number}: contact on the way up", None, None, self._step.w_clearance)

    def _within(self, first: bool) -> list[Action]:
        """Down into a round feature at its centre, and every touch from there."""
        step = self._step
        assert step.w_centre is not None, "the caller has looked"
        x, y = step.w_centre
        what = f"step {self._number}"
        tip = step.touches[0].w_contact[2] - step.touches[0].ball_radius
        actions = self._arrive(first, self._words((x, y)), what)
        actions.append(self._guarded(f"{what}: contact on the way into the bore", None, None, tip))
        actions += [Let(CENTRE, self._n(x)), Let(CENTRE + 1, self._n(y))]
        for k in range(step.passes):
            actions.append(Note(f"pass {k + 1}" + (": again from the centre that was found" if k else "")))
            pairs = [step.touches[:2], step.touches[2:]] if not step.cycle.angles_deg else [step.touches]
            for axis, touches in enumerate(pairs):
                for i, touch in enumerate(touches):
                    actions += self._from_centre(touch, READINGS + 1 + 2 * axis + i)
                if not step.cycle.angles_deg:
                    actions += self._opposite(axis, READINGS + 1 + 2 * axis, keep=True)
            if step.cycle.angles_deg:
                actions += self._circle()
        actions += self._size_stops()
        actions.append(self._guarded(f"{what}: contact on the way out", None, None, step.w_clearance))
        return [*actions, *self._writes()]

    def _about(self, place: Place) -> tuple[Word, Word]:
        """X and Y of a place relative to the centre found so far."""
        assert self._step.w_centre is not None, "only round steps have a centre"
        return self._rotation.words(
            f"[#{CENTRE} + {self._b(place[0] - self._step.w_centre[0])}]",
            f"[#{CENTRE + 1} + {self._b(place[1] - self._step.w_centre[1])}]",
        )

    def _from_centre(self, touch: Touch, result: int) -> list[Action]:
        move = Guarded(self._about(touch.start), self._next(), f"touch {touch.number}: contact before the stand-off")
        return [move, *self._searches(touch, result)]

    # --- touches --------------------------------------------------------------------------

    def _searches(self, touch: Touch, result: int) -> list[Action]:
        """One touch, or several averaged."""
        count = self._step.cycle.touches
        if count == 1:
            return [self._search(touch, result)]
        actions: list[Action] = [Let(result, "0.0")]
        for _ in range(count):
            actions.append(self._search(touch, READINGS))
            actions.append(Let(result, f"[#{result} + #{READINGS}]"))
        return [*actions, Let(result, f"[#{result} / {count}]")]

    def _soft(self) -> LeaveIf | None:
        """Of a presence check that goes on with the next instance: how it is left where nothing is there at all."""
        if self._writing.leaves is None or self._step.kind != "presence":
            return None
        return LeaveIf("", self._next(), *self._writing.leaves)

    def _search(self, touch: Touch, result: int) -> Search:
        k = AXES.index(touch.axis)
        off = touch.ball_radius if touch.axis == "z" else 0.0
        turned = bool(self._rotation.turn) and k < 2
        moves = [k] if touch.angle_deg is None and not turned else [0, 1]
        backs = [self._n(each * touch.feeds.back_off) for each in touch.way]
        if turned:
            backs[:2] = self._rotation.along(*backs[:2])

        def words(place: Place) -> tuple[Word, ...]:
            if self._step.w_centre is not None:
                about = self._about(place)
                return tuple(about[axis] for axis in moves)
            chosen = (place[axis] - (off if axis == 2 else 0.0) if axis in moves else None for axis in range(3))
            return self._words(tuple(chosen))

        def beside(sign: int) -> tuple[Word, ...]:
            return tuple(Word("XYZ"[axis], axis, f"[#{FAST + axis} {self._plus(sign, backs[axis])}]") for axis in moves)

        return Search(
            number=touch.number,
            label=self._next(),
            surface=touch.surface,
            moving=touch.moving(),
            expected=words(touch.at_contact),
            end=words(touch.end),
            start=words(touch.start),
            behind=words(touch.behind),
            kept=tuple((FAST + axis, SKIP + axis) for axis in moves),
            near=beside(-1),
            far=beside(1),
            back_off=(backs[0], backs[1], backs[2]),
            reading=self._rotation.reading(k) if touch.angle_deg is None else self._radial(touch),
            result=result,
            search_feed=self._n(touch.feeds.search),
            touch_feed=self._n(touch.feeds.touch),
            fast=self._step.cycle.rough,
            soft=self._soft(),
        )

    @staticmethod
    def _plus(sign: int, value: str) -> str:
        """A value to add or take off, without two signs in a row."""
        if value.startswith("-"):
            sign, value = -sign, value[1:]
        return f"{'+' if sign > 0 or value == '0.0' else '-'} {value}"

    def _radial(self, touch: Touch) -> str:
        """Of a touch at an angle: how far the ball's centre is along its spoke from where the step starts."""
        x, y, _ = touch.way if self._step.inside else tuple(-value for value in touch.way)
        at_x, at_y = self._rotation.reading(0), self._rotation.reading(1)
        return f"[[{at_x} - #{CENTRE}] * [{share(x)}] + [{at_y} - #{CENTRE + 1}] * [{share(y)}]]"

    # --- results --------------------------------------------------------------------------

    def _keep(self, key: str, value: str) -> Let:
        """Keeps a result of this step under its key."""
        place = next(k for k, quantity in enumerate(self._step.finds) if quantity.key == key)
        return Let(self._base + place, value, self._step.finds[place].words)

    def _parameter(self, key: str) -> Parameter:
        return self._base + next(k for k, quantity in enumerate(self._step.finds) if quantity.key == key)

    def _opposite(self, axis: int, readings: int, *, keep: bool = False) -> list[Action]:
        """Middle and width of two opposite touches: the radius cancels in the middle and doubles in the width."""
        sign = "+" if self._step.inside else "-"
        letter = "xyz"[axis]
        actions: list[Action] = [
            self._keep(letter, f"[[#{readings} + #{readings + 1}] / 2]"),
            self._keep(f"size {letter}", f"[ABS[#{readings + 1} - #{readings}] {sign} 2 * #{RADIUS}]"),
        ]
        if keep:
            actions.append(Let(CENTRE + axis, f"#{self._parameter(letter)}"))
        return actions

    def _circle(self) -> list[Action]:
        """Centre and diameter from spokes at chosen angles.

        The spokes' ends are known points.  The circle of least algebraic error through them is a solution in closed
        form, which is the circle itself through three points; with more the squared distances are made least from
        there, in steps whose weights follow from the angles alone.
        """
        step = self._step
        angles = step.cycle.angles_deg
        actions = circle_lets(angles, READINGS + 1, self._step.title)
        sign = "+" if step.inside else "-"
        return [
            *actions,
            *(Let(CENTRE + k, f"[#{CENTRE + k} + #{FOUND + k}]") for k in (0, 1)),
            self._keep("x", f"#{CENTRE}"),
            self._keep("y", f"#{CENTRE + 1}"),
            self._keep("size", f"[2 * [#{FOUND + 2} {sign} #{RADIUS}]]"),
        ]

    def _evaluate(self, *, last: bool) -> list[Action]:
        """What the readings in hand give; ``last`` is when nothing is touched after it."""
        step, r = self._step, READINGS + 1
        actions: list[Action] = []
        match step.kind:
            case "bore" | "boss" if step.cycle.angles_deg:
                actions = self._circle()
            case "outside width" | "inside width":
                actions = self._opposite(AXES.index(step.touches[0].axis), r)
            case "rectangle" | "bore" | "boss":
                keep = step.w_centre is not None
                actions = [*self._opposite(0, r, keep=keep), *self._opposite(1, r + 2, keep=keep)]
            case "surface" | "presence" | "consistency":
                actions = [self._keep(step.touches[0].axis, self._surface(step.touches[0], r))]
            case "corner":
                actions = self._corner(r)
            case "edge angle":
                actions = [self._keep("skew", self._angle(r, step.touches[:2]))]
            case "plane":
                actions = self._plane(r)
            case "bar":
                actions = self._bar(r, step.touches[0])
            case "rotary axis":
                actions = [*self._bar(r + 3, step.touches[3]), *self._rotary_axis()]
            case _:
                assert_never(step.kind)
        return [*actions, *(self._size_stops() if last else [])]

    def _rotary_axis(self) -> list[Action]:
        """Half-way between the bar's middles at both places lies the axis, half their distance is what it is off."""
        y, z, y_over, z_over = range(_AT_FIRST, _AT_FIRST + 4)
        along = [f"[#{a} - #{b}]" for a, b in ((y, y_over), (z, z_over))]
        return [
            *self._keep_middle(y_over),
            self._keep("y", f"[[#{y} + #{y_over}] / 2]"),
            self._keep("z", f"[[#{z} + #{z_over}] / 2]"),
            self._keep("off", f"[SQRT[{along[0]} * {along[0]} + {along[1]} * {along[1]}] / 2]"),
        ]

    def _surface(self, touch: Touch, reading: int) -> str:
        if touch.axis == "z":
            return f"#{reading}"  # the calibrated length makes the tip the surface
        return f"[#{reading} {'+' if touch.direction > 0 else '-'} #{RADIUS}]"

    def _slope(self, reading: int, touches: tuple[Touch, ...]) -> str:
        """Rise of an edge over its run, from two readings and the run that was driven."""
        run_axis = 1 - AXES.index(touches[0].axis)
        run = touches[1].w_contact[run_axis] - touches[0].w_contact[run_axis]
        return f"[[#{reading + 1} - #{reading}] / {self._b(run)}]"

    def _angle(self, reading: int, touches: tuple[Touch, ...]) -> str:
        """``atan(rise / run)``; an edge along Y leans the other way round."""
        slope = self._slope(reading, touches)
        angle = f"ATAN[{slope}]/[1]"
        return angle if touches[0].axis == "y" else f"[0 - {angle}]"

    def _corner(self, r: int) -> list[Action]:
        """With two touches each axis by itself; with four the meeting of two lines.

        The ball's centres lie on lines ``y = y1 + a (x - x1)`` and ``x = x1 + b (y - y1)``; each edge lies a radius
        further on, square to it: ``r sqrt(1 + slope²)`` along the axis.
        """
        step = self._step
        if not step.sets_skew and len(step.touches) == 2:
            return [
                self._keep("y", self._surface(step.touches[0], r)),
                self._keep("x", self._surface(step.touches[1], r + 1)),
            ]
        y_edge, x_edge = step.touches[:2], step.touches[2:]
        a, b, c, d = 117, 118, 119, 120
        y_sign = "+" if y_edge[0].direction > 0 else "-"
        x_sign = "+" if x_edge[0].direction > 0 else "-"
        at_x, at_y = self._b(y_edge[0].w_contact[0]), self._b(x_edge[0].w_contact[1])
        return [
            Let(a, self._slope(r, y_edge), "slope of the edge along X"),
            Let(b, self._slope(r + 2, x_edge), "slope of the edge along Y"),
            Let(c, f"[#{r} - #{a} * {at_x} {y_sign} #{RADIUS} * SQRT[1 + #{a} * #{a}]]"),
            Let(d, f"[#{r + 2} - #{b} * {at_y} {x_sign} #{RADIUS} * SQRT[1 + #{b} * #{b}]]"),
            self._keep("y", f"[[#{c} + #{a} * #{d}] / [1 - #{a} * #{b}]]"),
            self._keep("x", f"[#{d} + #{b} * #{self._parameter('y')}]"),
            self._keep("skew", self._angle(r, y_edge)),
        ]

    def _plane(self, r: int) -> list[Action]:
        """Height in the middle of the touches, and how much the plane through them rises over 100 mm."""
        touches = self._step.touches
        count = len(touches)
        at = np.array([touch.w_contact[:2] for touch in touches])
        rows = np.linalg.pinv(np.column_stack([at - at.mean(axis=0), np.ones(count)]))
        sums = [" + ".join(f"[{share(100.0 * weight)}] * #{r + k}" for k, weight in enumerate(row)) for row in rows[:2]]
        mean = " + ".join(f"#{r + k}" for k in range(count))
        a, b = 117, 118
        return [
            self._keep("z", f"[[{mean}] / {count}]"),
            Let(a, f"[{sums[0]}]", "rise over 100 mm along X"),
            Let(b, f"[{sums[1]}]", "rise over 100 mm along Y"),
            self._keep("tilt", f"SQRT[#{a} * #{a} + #{b} * #{b}]"),
        ]

    # --- stops and offsets ----------------------------------------------------------------

    def _size_stops(self) -> list[Action]:
        step = self._step
        stops = self._beside()
        for k, quantity in enumerate(step.finds):
            parameter = self._base + k
            if quantity.key.startswith("size") and step.size_tolerance > 0.0:
                condition = f"ABS[#{parameter} - {self._b(quantity.expected)}] GT {self._n(step.size_tolerance)}"
                text = f"step {self._number}: {quantity.words} is not {self._n(quantity.expected)}"
                stops.append(StopIf(condition, self._next(), text))
            elif quantity.key == "tilt":
                text = f"step {self._number}: the top is not level"
                stops.append(StopIf(f"#{parameter} GT {self._n(step.size_tolerance)}", self._next(), text))
            elif quantity.key == "skew" and not self._writing.turns and step.cycle.action == "set":
                text = f"step {self._number}: the part is turned, straighten it"
                stops.append(StopIf(f"ABS[#{parameter}] GT {SKEW_LIMIT_DEG}", self._next(), text))
            elif step.window is not None:
                stops += self._window(parameter, quantity.expected, *step.window)
        return stops

    def _beside(self) -> list[Action]:
        """What is expected of each result, and how far it is off, for whoever looks at the control's variables."""
        lets: list[Action] = []
        for k, quantity in enumerate(self._step.finds):
            expected, deviation = self._writing.results.beside(self._number, k)
            value = f"{quantity.expected:.4f}" if quantity.is_angle else self._n(quantity.expected)
            if expected is not None:
                lets.append(Let(expected, value, f"{quantity.words}, expected"))
            if deviation is not None:
                bracketed = f"[{value}]" if value.startswith("-") else value
                lets.append(Let(deviation, f"[#{self._base + k} - {bracketed}]", f"{quantity.words}, off"))
        return lets

    def _window(self, parameter: Parameter, expected: float, below: float, above: float) -> list[Action]:
        low, high = self._n(expected - below), self._n(expected + above)
        too_low, too_high = "no part there, or it lies too low", "the part rides up, look for a chip under it"
        if self._step.kind == "consistency":
            too_low = too_high = "the axes have not taken it where the plan has it: sense, centre, angle or clamping"
        if self._writing.leaves is not None and self._step.kind == "presence":
            number, outcome = self._writing.leaves
            return [
                LeaveIf(f"#{parameter} {sign} {limit}", self._next(), number, outcome)
                for sign, limit in (("LT", low), ("GT", high))
            ]
        return [
            StopIf(f"#{parameter} LT {low}", self._next(), f"step {self._number}: {too_low}"),
            StopIf(f"#{parameter} GT {high}", self._next(), f"step {self._number}: {too_high}"),
        ]

    def _writes(self) -> list[Action]:
        self._table()
        keys = {quantity.key: f"#{self._base + k}" for k, quantity in enumerate(self._step.finds)}
        return offset_writes(self._step, keys, self._writing, self._next)

    def _table(self) -> None:
        self.rows += result_rows(self._step, self._number, self._writing.results, self._n)
