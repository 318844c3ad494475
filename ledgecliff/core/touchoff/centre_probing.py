"""Finding the centre of a rotary axis by probe: what is touched, where, and what each touch reads.

Everything is told in a frame of its own, ``w``: its zero lies on the axis as it is believed, all axes level, and the
machine's own along it; Z is that of the ball's middle (mm).  With ``t`` across the axis and ``h`` out of the table, a
place on what is turned by ``a`` comes to ``t cos a - s h sin a`` across and ``s t sin a + h cos a`` up, with ``s`` +1
for a right-handed axis about X and a left-handed one about Y.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

import numpy as np
from pydantic import Field, TypeAdapter, ValidationError

from ..changing import problem_words
from ..errors import InvalidValueError
from ..frames import AXES, Array, Axis
from ..model.base import Length, Model, Name, PositiveLength
from ..model.machine import Machine
from ..model.stations import Rotary
from ..places import tf_m_carrier
from ..probing.touches import Feeds, Touch
from .centre_readings import CentreReading, put_at

ProbedWay = Literal["bar", "bar at rest", "trunnion faces", "table bore", "flat sweep"]
PROBED_WAYS: tuple[ProbedWay, ...] = get_args(ProbedWay)
#: The probe travels so far over what is touched (mm).
_CLEAR = 15.0
#: Beyond what the guess allows for, a touch begins and ends by so much (mm).
_SPARE = 2.0
#: In a bore each touch begins at least so far from its middle (mm).
_OFF_MIDDLE = 1.0
#: An axis whose direction is off a machine axis by less lies along it.
_SQUARE = 1e-9
#: A reading comes within so many of its standard deviations, plus or minus.
_COVERS = 2.0


class CentreProbing(Model):
    """What a program that finds a centre is told.  Lengths in mm, as the machine reads them.

    ``along`` is where along a lying axis it touches; ``level`` Z of the table's face, or of an upright bar's top, with
    all axes level; ``diameter`` that of the bar or the bore; ``edge`` how far the table goes across the axis, at its
    least; ``depth`` how far below edge or top it touches; ``apart`` the length between the touches of a flat sweep;
    ``first_deg`` and ``second_deg`` (from level) where a trunnion's face is touched.  ``guess`` is how far the believed
    centre may be off.  The found centre goes into ``offset``.
    """

    way: ProbedWay
    offset: Name
    along: Length | None = None
    level: Length | None = None
    diameter: PositiveLength | None = None
    edge: PositiveLength | None = None
    depth: PositiveLength = 8.0
    apart: PositiveLength | None = None
    first_deg: Annotated[float, Field(ge=-180, le=180)] = 90.0
    second_deg: Annotated[float, Field(ge=-180, le=180)] = -90.0
    guess: Annotated[float, Field(gt=0, le=10)] = 2.0

    def needed(self, name: str) -> float:
        """A value that this way needs.  Raises InvalidValueError where it is not stated."""
        value: float | None = getattr(self, name)
        if value is None:
            raise InvalidValueError(name, f"'{self.way}' needs it; state it in mm as the machine reads it")
        return value


@dataclass(frozen=True)
class CentreTouch:
    """``over_middle`` is of a touch that is made over the middle of the two before it, along the axis that they moved
    on."""

    touch: Touch
    over_middle: bool = False


@dataclass(frozen=True)
class CentreGroup:
    """Touches with the axis at ``degrees`` from level, the probe travelling at ``w_clearance``."""

    degrees: float
    w_clearance: float
    touches: tuple[CentreTouch, ...]
    inside: bool = False


@dataclass(frozen=True)
class Kept:
    """One result: where it goes in the reading (a dotted path), its words, and what it is of the touches (numbered
    from 0): a machine coordinate of a surface, of the ball's middle, or the middle between two."""

    key: str
    words: str
    axis: Axis
    touches: tuple[int, ...]
    what: Literal["surface", "ball", "middle"]


@dataclass(frozen=True)
class CentreTouches:
    """``m_zero`` (3,) is where the frame's zero is on the machine, as the gauge line reads; ``beneath`` are the axes
    that carry this one and stand level meanwhile."""

    rotary: Rotary
    beneath: tuple[Rotary, ...]
    m_zero: Array
    groups: tuple[CentreGroup, ...]
    kept: tuple[Kept, ...]
    stated: tuple[tuple[str, object], ...]

    def reading(self, values: Mapping[str, float]) -> CentreReading:
        """The reading from the results (mm) by their keys.  Raises InvalidValueError where one is missing or none that
        fits."""
        data: dict[str, Any] = {}
        for key, value in (*self.stated, *((each.key, values.get(each.key)) for each in self.kept)):
            if value is None:
                words = next(each.words for each in self.kept if each.key == key)
                raise InvalidValueError("results", f"'{words}' is missing; every result of the program is needed")
            put_at(data, key, value)
        try:
            read: CentreReading = _READINGS.validate_python(data)
        except ValidationError as error:
            raise InvalidValueError("results", problem_words(error.errors(include_url=False)[0]["msg"])) from error
        return read


_READINGS: TypeAdapter[Any] = TypeAdapter(CentreReading)


def ways_for(rotary: Rotary) -> tuple[ProbedWay, ...]:
    """The ways by probe that fit an axis."""
    if rotary.about == "z":
        return ("bar", "bar at rest", "table bore")
    return ("bar", "bar at rest", "trunnion faces", "flat sweep")


def centre_touches(machine: Machine, rotary: Rotary, asked: CentreProbing) -> CentreTouches:
    """What the program touches.

    Raises InvalidValueError where the way does not fit the axis, something is not stated, the axis does not go where it
    must, its sense is not known where that matters, or the probe does not get there.
    """
    if asked.way not in ways_for(rotary):
        raise InvalidValueError("way", f"'{asked.way}' does not fit an axis about {rotary.about.upper()}")
    beneath = tuple(each for each in machine.carried_by(rotary) if isinstance(each, Rotary))
    tf_under = tf_m_carrier(machine, rotary)
    along = AXES.index(rotary.about)
    if abs(abs(float(tf_under.turn[along, along])) - 1.0) > _SQUARE:
        raise InvalidValueError("axis", f"'{rotary.name}' lies along no machine axis; find its centre by hand")
    m_zero = tf_under(np.array(rotary.centre.as_tuple()))
    m_zero[along] = 0.0
    making = _Making(machine, rotary, asked, m_zero)
    groups = tuple(making.groups())
    for group in groups:
        if group.degrees and not rotary.reaches(rotary.flat_deg + group.degrees):
            raise InvalidValueError(
                "angle", f"'{rotary.name}' does not go to {group.degrees:+g}° from level; choose another angle or way"
            )
        making.check_travel(group)
    return CentreTouches(rotary, beneath, m_zero, groups, tuple(making.kept), tuple(making.stated()))


class _Making:
    def __init__(self, machine: Machine, rotary: Rotary, asked: CentreProbing, m_zero: Array) -> None:
        self._machine, self._rotary, self._asked, self._m_zero = machine, rotary, asked, m_zero
        self._probe = machine.probe
        self._feeds = Feeds(self._probe.search_feed, self._probe.touch_feed, self._probe.back_off)
        self.kept: list[Kept] = []
        self._count = 0
        self._a, self._b = (axis for axis in AXES if axis != rotary.about)

    def groups(self) -> Iterator[CentreGroup]:
        match self._asked.way:
            case "bar":
                yield self._bar("at_first", 0.0)
                yield self._bar("turned_over", 180.0)
            case "bar at rest":
                yield self._bar("at_first", 0.0)
            case "trunnion faces":
                yield self._level_face()
                for name, degrees in (("first", self._asked.first_deg), ("second", self._asked.second_deg)):
                    yield self._tilted_face(name, degrees)
            case "table bore":
                yield self._bore("at_0", 0.0)
                yield self._bore("at_180", 180.0)
            case "flat sweep":
                yield self._flat()

    def stated(self) -> Iterator[tuple[str, object]]:
        """What of the reading the program does not find."""
        asked = self._asked
        yield "kind", {"bar at rest": "bar"}.get(asked.way, asked.way)
        yield "about", self._rotary.about
        yield "reads_within", _COVERS * self._probe.repeatability + self._aslant()
        if asked.way in ("bar", "bar at rest"):
            yield "bar_diameter", asked.needed("diameter")
        if asked.way in ("trunnion faces", "flat sweep"):
            yield "sense", self._sense()
        if asked.way == "trunnion faces":
            yield "radius", self._probe.effective_radius
            for name, degrees in (("first", asked.first_deg), ("second", asked.second_deg)):
                _, up = self._face_place(degrees)
                yield f"{name}.degrees", degrees
                # A calibrated length is short by what the ball is pushed on before it triggers.
                pushed = self._probe.ball_radius - self._probe.effective_radius
                yield f"{name}.z", float(self._m_zero[2]) + up - pushed
        if asked.way == "flat sweep":
            yield "word_deg", self._rotary.flat_deg
            yield "apart", asked.needed("apart")

    def _aslant(self) -> float:
        """How far the ball may be pushed on otherwise where a face meets it aslant: it is calibrated square to them."""
        if self._asked.way != "trunnion faces":
            return 0.0
        pushed = self._probe.ball_radius - self._probe.effective_radius
        leans = (self._asked.first_deg, self._asked.second_deg)
        return pushed * (1.0 - min(abs(math.sin(math.radians(degrees))) for degrees in leans))

    def _sense(self) -> str:
        if self._rotary.sense is None:
            raise InvalidValueError(
                "sense", f"which way {self._rotary.word} turns is not known; run the sense test first"
            )
        return self._rotary.sense

    # --- ways ---------------------------------------------------------------------------------

    def _bar(self, name: str, degrees: float) -> CentreGroup:
        """Both sides, and the top over the middle between them; an upright bar on all four."""
        half, upright = self._asked.needed("diameter") / 2.0, self._rotary.about == "z"
        when = f" at {degrees:g}" if self._asked.way == "bar" else ""
        height = self._asked.needed("level") - self._asked.depth if upright else 0.0
        if upright:
            self._check_reach(self._asked.depth + self._probe.ball_radius)
        else:
            self._check_bar(half)
        sides = self._sides(self._a, half, height, f"bar{when}")
        self._keep(f"{name}.sides.0", f"bar{when}, lower {self._a.upper()}", self._a, (-2,), "surface")
        self._keep(f"{name}.sides.1", f"bar{when}, upper {self._a.upper()}", self._a, (-1,), "surface")
        if upright:
            across = self._sides(self._b, half, height, f"bar{when}", over_middle=True)
            self._keep(f"{name}.second_sides.0", f"bar{when}, lower {self._b.upper()}", self._b, (-2,), "surface")
            self._keep(f"{name}.second_sides.1", f"bar{when}, upper {self._b.upper()}", self._b, (-1,), "surface")
            return CentreGroup(degrees, self._asked.needed("level") + _CLEAR, (*sides, *across))
        top = CentreTouch(self._touch("z", -1, self._place(0.0, half), f"bar{when}, top"), over_middle=True)
        self._keep(f"{name}.top", f"bar{when}, top", "z", (-1,), "surface")
        return CentreGroup(degrees, half + _CLEAR, (*sides, top))

    def _level_face(self) -> CentreGroup:
        up = self._face_level()
        touch = self._touch("z", -1, self._place(self._asked.needed("edge") / 2.0, up), "table, level")
        self._keep("z_table", "table's face, level", "z", (-1,), "surface")
        return CentreGroup(0.0, up + _CLEAR, (CentreTouch(touch),))

    def _tilted_face(self, name: str, degrees: float) -> CentreGroup:
        """From the open side, level along the axis across."""
        across, up = self._face_place(degrees)
        self._check_reach(self._asked.depth + self._probe.ball_radius)
        out = -self._hand() * math.sin(math.radians(degrees))
        way = -1 if out > 0.0 else 1
        radius = self._probe.ball_radius
        # The ball meets a leaning face beside its own middle: that is where it stands then, a radius behind its skin.
        contact = self._place(across + way * radius, up)
        touch = self._touch(self._a, way, contact, f"face at {degrees:+g}")
        self._keep(f"{name}.{self._a}", f"face at {degrees:+g}, ball's middle", self._a, (-1,), "ball")
        edge = self._asked.needed("edge")
        leans = math.radians(degrees)
        highest = edge * abs(math.sin(leans)) + abs(self._face_level() * math.cos(leans))
        return CentreGroup(degrees, max(highest, up) + _CLEAR, (CentreTouch(touch),))

    def _face_place(self, degrees: float) -> tuple[float, float]:
        """Across and up, where the ball's middle is as it touches the half of the table that is up at an angle."""
        edge, leans = self._asked.needed("edge"), self._hand() * math.radians(degrees)
        hangs_over = self._asked.depth * -math.cos(leans)
        if hangs_over > (self._probe.ball_diameter - self._probe.stem_diameter) / 2.0:
            raise InvalidValueError("angle", f"at {degrees:g}° the face hangs over the ball and meets its stem first")
        if abs(math.sin(leans)) < 0.3:
            raise InvalidValueError("angle", f"at {degrees:g}° the face lies too level to be touched along its side")
        # Depth is told down the face from its edge.
        t = math.copysign(edge - self._asked.depth, math.sin(leans))
        h = self._face_level() + self._probe.effective_radius
        return t * math.cos(leans) - h * math.sin(leans), t * math.sin(leans) + h * math.cos(leans)

    def _bore(self, name: str, degrees: float) -> CentreGroup:
        """From its middle to both sides along X, then along Y from the middle found."""
        half, level = self._asked.needed("diameter") / 2.0, self._asked.needed("level")
        # The ball begins a little off the middle, so that no control takes a move there as too short.
        stand_off = min(self._asked.guess + _SPARE, half - self._probe.ball_radius - _OFF_MIDDLE)
        if stand_off <= self._asked.guess:
            raise InvalidValueError("diameter", "the ball does not go into that bore, as far as its place is known")
        self._check_reach(self._asked.depth + self._probe.ball_radius)
        height = level - self._asked.depth
        touches: list[CentreTouch] = []
        for axis in (self._a, self._b):
            for way in (-1, 1):
                place = self._place(way * half if axis == self._a else 0.0, height, axis, way * half)
                touch = self._touch(axis, way, place, f"bore at {degrees:g}", stand_off)
                touches.append(CentreTouch(touch, over_middle=axis == self._b))
            key = f"{name}.{'01'[axis == self._b]}"
            self._keep(key, f"bore at {degrees:g}, middle {axis.upper()}", axis, (-2, -1), "middle")
        return CentreGroup(degrees, level + _CLEAR, tuple(touches), inside=True)

    def _flat(self) -> CentreGroup:
        half, up = self._asked.needed("apart") / 2.0, self._face_level()
        touches = []
        for key, across, words in (("z_low", -half, "lower"), ("z_high", half, "higher")):
            touches.append(CentreTouch(self._touch("z", -1, self._place(across, up), f"table, {words} side")))
            self._keep(key, f"table at the {words} {self._a.upper()}", "z", (-1,), "surface")
        return CentreGroup(0.0, up + _CLEAR, tuple(touches))

    # --- places and touches -------------------------------------------------------------------

    def _hand(self) -> float:
        right = 1.0 if self._sense() == "right-handed" else -1.0
        return right if self._rotary.about == "x" else -right

    def _face_level(self) -> float:
        """How far the table's face lies over the axis."""
        return self._asked.needed("level") - float(self._m_zero[2])

    def _place(self, across: float, up: float, axis: Axis | None = None, value: float = 0.0) -> Array:
        """A place across the axis and up; about Z those are along the first and the second coordinate across."""
        place = np.zeros(3)
        if self._rotary.about == "z":
            place[AXES.index(self._a)] = across
            if axis is not None:
                place[:2] = 0.0
                place[AXES.index(axis)] = value
        else:
            place[AXES.index(self._rotary.about)] = self._asked.needed("along")
            place[AXES.index(self._a)] = across
        place[2] = up
        return place

    def _sides(
        self, axis: Axis, half: float, height: float, what: str, *, over_middle: bool = False
    ) -> tuple[CentreTouch, ...]:
        found = []
        for way in (1, -1):
            place = self._place(-way * half, height, axis, -way * half)
            touch = self._touch(axis, way, place, f"{what}, {'lower' if way > 0 else 'upper'} {axis.upper()}")
            found.append(CentreTouch(touch, over_middle=over_middle))
        return tuple(found)

    def _touch(self, axis: Axis, way: int, contact: Array, words: str, stand_off: float | None = None) -> Touch:
        self._count += 1
        x, y, z = (float(value) for value in contact)
        return Touch(
            number=self._count,
            surface=words,
            axis=axis,
            direction=way,
            w_contact=(x, y, z),
            stand_off=self._asked.guess + _SPARE if stand_off is None else stand_off,
            overtravel=self._asked.guess + _SPARE,
            ball_radius=self._probe.ball_radius,
            wall=None,
            depth=self._asked.depth,
            feeds=self._feeds,
        )

    def _keep(
        self, key: str, words: str, axis: Axis, touches: tuple[int, ...], what: Literal["surface", "ball", "middle"]
    ) -> None:
        """A result of touches, counted from the last one made."""
        self.kept.append(Kept(key, words, axis, tuple(self._count + each for each in touches), what))

    # --- whether the probe gets there ---------------------------------------------------------

    def _check_reach(self, depth: float) -> None:
        if depth > self._probe.reach:
            raise InvalidValueError(
                "depth", f"the stylus is {self._probe.reach:g} mm long, and its tip would be {depth:g} down"
            )

    def _check_bar(self, half: float) -> None:
        """Beside a lying bar the body of the probe must clear what is as wide above the ball."""
        above = self._probe.reach - self._probe.ball_radius
        wide = math.sqrt(half * half - above * above) if above < half else 0.0
        if half + self._probe.ball_radius - self._probe.body_diameter / 2.0 < wide:
            raise InvalidValueError(
                "diameter", "the probe's body would meet the bar before the ball; take a thinner one"
            )

    def check_travel(self, group: CentreGroup) -> None:
        """Raises InvalidValueError where the gauge line would have to go beyond the travel."""
        length = self._probe.length
        low, high = (np.array(each.as_tuple()) for each in (self._machine.travel_min, self._machine.travel_max))
        for each in group.touches:
            for place in (each.touch.behind, each.touch.end, (*each.touch.start[:2], group.w_clearance)):
                gauge = self._m_zero + np.array(place) + (0.0, 0.0, length - self._probe.ball_radius)
                beyond = next((axis for k, axis in enumerate(AXES) if not low[k] <= gauge[k] <= high[k]), None)
                if beyond is not None:
                    raise InvalidValueError(
                        "travel", f"{each.touch.surface}: the machine does not get there along {beyond.upper()}"
                    )
