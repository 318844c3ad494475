"""The simulated machine: axes, offset and tool tables, spindle, probe, and what stands on it.

Positions are machine readings of the gauge line (mm).  The probe triggers when the ball has been
pushed past first contact by its pretravel, and the reading lags by feed times delay; the
calibrated ``effective_radius`` takes in both at the touch feed (docs/methods/one-touch.md).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import compress, product
from typing import Literal, NamedTuple, Protocol

from ..contact.first_contact import TOUCHING, Body, Contact, ContactStopped, Feeler, Triple
from ..contact.turning import meets_turning
from ..frames import AXES, Array, Placement
from ..model.machine import Machine
from ..model.stations import Rotary, WayRound
from .axes import Axes, swept_height
from .true_probe import DELAY_S, TrueProbe

#: How fast axes stop (mm/s²); decides how far the ball is pushed on after the trigger.
DECELERATION = 1500.0
#: Shorter probing moves are refused, as RS-274/NGC does (mm).
SHORTEST_PROBING_MOVE = 0.05
RAPID_FEED = 8000.0
#: How fast the rotary axis turns (degrees a minute).
ROTARY_SPEED = 3600.0
#: Looking down from a tool stops here (mm).
FAR_BELOW = 500.0
#: A move back along the search to within this of its line leaves the surface where the search met it (mm).
_ON_LINE = 1e-6
#: An axis is upright whose direction along Z is more than this.
_UPRIGHT = 1.0 - 1e-9

#: What the operator's stop is told as.
STOPPED = "stopped by the operator"

#: How a message begins that asks the operator to touch the ball by hand.
BY_HAND = "TOUCH THE BALL"

MotionKind = Literal["rapid", "feed", "search", "guarded", "away", "by hand"]


def reading_lag(feed: float, delay_s: float = DELAY_S) -> float:
    """How far (mm) the latched reading lies behind the trigger at ``feed`` (mm/min): feed times delay."""
    return feed / 60.0 * delay_s


class Noise(Protocol):
    """Where reading errors are drawn from, such as numpy's Generator."""

    def normal(self, mean: float, sigma: float) -> float: ...


class Alarm(Exception):  # noqa: N818 - it is what the machine shows, not a fault of this program
    """The machine stopped by itself; the text says why."""


class Motion(NamedTuple):
    """One straight move as it really ran, gauge line in machine coordinates (mm)."""

    kind: MotionKind
    start: Triple
    end: Triple
    feed: float
    line: int
    contact: tuple[str, str] | None


def _way(now: float, to: float, asked: float, way_round: WayRound) -> float:
    """How far an axis turns (degrees, plus the way its word counts) from where it is, as its control takes a word."""
    if way_round == "counts turns":
        return to - now
    ahead = (to - now) % 360.0
    if way_round == "sign is the way":
        return ahead - 360.0 if math.copysign(1.0, asked) < 0.0 and ahead else ahead
    return ahead - 360.0 if ahead > 180.0 else ahead


class TouchRecord(NamedTuple):
    """One trigger: program line, feed, latched reading (gauge line, M), what was met, and when (s from the first
    move on)."""

    line: int
    feed: float
    m_reading: Triple
    body: str
    slow: bool
    at_s: float = 0.0


@dataclass
class SimulatedMachine:
    """``noise`` gives the next reading error (mm); ``bodies`` stand in machine coordinates.

    ``turns`` are the offsets' rotations about Z in degrees, ``axes`` the rotary axes as they truly are and stand,
    ``longer`` how much longer tools really are than the tool table has them (mm).
    """

    machine: Machine
    bodies: list[Body]
    offsets: dict[int, Array]
    noise: Noise
    truth: TrueProbe = field(default_factory=TrueProbe)
    axes: Axes = field(default_factory=Axes)
    turns: dict[int, float] = field(default_factory=dict)
    longer: Mapping[int, float] = field(default_factory=dict)
    position: Triple = (0.0, 0.0, 0.0)
    tool: int = 0
    touching: bool = False
    spindle_on: bool = False
    probe_on: bool = False
    #: Asked within a move as well, which may take its time.
    should_stop: Callable[[], bool] = lambda: False
    #: Words of rotary axes that are free to turn, of those that are clamped otherwise.
    free: set[str] = field(default_factory=set)
    #: Words of the builder's that it was told.
    said: list[str] = field(default_factory=list)
    #: The operator is asked to touch the ball while the next probing move runs; whether there is one who does.
    asked: bool = False
    has_operator: bool = True
    motions: list[Motion] = field(default_factory=list)
    touches: list[TouchRecord] = field(default_factory=list)
    _low: Triple = (0.0, 0.0, 0.0)
    _high: Triple = (0.0, 0.0, 0.0)
    #: The last search: where the ball's centre touched, the unit direction, and what it met how far on.
    _met: tuple[Triple, Triple, Contact] | None = None
    _triggers: int = 0
    #: How long the first ``_clocked`` motions have taken, and what was turned between them (s).
    _clock: float = 0.0
    _clocked: int = 0
    #: How low a cutter has fed, by its place in X and Y.
    _bored: dict[tuple[float, float], float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        low, high = self.machine.travel_min, self.machine.travel_max
        self.travel_low, self.travel_high = low.as_tuple(), high.as_tuple()
        self.position = ((low.x + high.x) / 2, (low.y + high.y) / 2, high.z)
        self.probe_on = not self.machine.probe.on_word
        self.put(self.bodies)
        self._change_feeler()

    @property
    def seconds(self) -> float:
        """How long all moves so far have taken (s): added up when asked, since most programs never do."""
        for motion in self.motions[self._clocked :]:
            self._clock += math.dist(motion.start, motion.end) / motion.feed * 60.0
        self._clocked = len(self.motions)
        return self._clock

    def put(self, bodies: Sequence[Body]) -> None:
        """What stands on the machine from now on, the rotary axes as they stand now."""
        self._as_put = [(body, self.axes.tf_now_nought(body.carrier).inverse()) for body in bodies]
        self._stand(bodies)

    def left_at(self, angles: Mapping[str, float]) -> None:
        """The rotary axes as somebody else has left them, and what stands on them with them."""
        self.axes.angles |= angles
        self._stand([self._where_now(body, tf_nought_put) for body, tf_nought_put in self._as_put])

    def _stand(self, bodies: Sequence[Body]) -> None:
        self.bodies, self._met = list(bodies), None
        if bodies:
            lows, highs = zip(*((body.low, body.high) for body in bodies), strict=True)
            self._low = tuple(min(values) for values in zip(*lows, strict=True))
            self._high = tuple(max(values) for values in zip(*highs, strict=True))

    def table_length(self, number: int) -> float:
        """The tool table's length of H ``number`` (mm)."""
        if number == self.machine.probe.tool:
            return self.machine.probe.length
        cutter = self.machine.cutter(number)
        if cutter is None:
            raise Alarm(f"H{number} is not in the tool table")
        return cutter.tip_length

    def change_tool(self, number: int) -> None:
        self.table_length(number)
        if self.touching:
            raise Alarm("tool change with the probe deflected")
        self.tool, self.spindle_on = number, False
        self._change_feeler()

    def _change_feeler(self) -> None:
        """The feeler's centre hangs ``_hang`` under the gauge line."""
        probe = self.machine.probe
        self._met = None
        if self.tool == probe.tool:
            self._feeler: Feeler | None = Feeler.probe(probe, self.machine.nose_diameter)
            # Calibrated length makes a Z reading at the trigger come out on the surface.
            self._hang = probe.length - probe.effective_radius + self.longer.get(self.tool, 0.0)
        elif self.tool:
            cutter = self.machine.cutter(self.tool)
            assert cutter is not None, "change_tool has looked it up"
            self._hang = cutter.tip_length + self.longer.get(self.tool, 0.0)
            self._feeler = Feeler.cutter(cutter.diameter, min(self._hang, 80.0))
        else:
            self._feeler, self._hang = None, 0.0

    def _centre(self, m_position: Triple) -> Triple:
        return (m_position[0], m_position[1], m_position[2] - self._hang)

    def room_below(self) -> float:
        """How far (mm) what is in the spindle could go straight down before it met anything."""
        if self._feeler is None:
            raise Alarm("there is no tool in the spindle")
        x, y, z = self._centre(self.position)
        contact = self._feeler.first_contact((x, y, z), (x, y, z - FAR_BELOW), self.bodies)
        return FAR_BELOW if contact is None else contact.travel

    # --- moves ----------------------------------------------------------------------------

    def travel_to(self, m_target: Triple, kind: Literal["rapid", "feed"], feed: float, line: int) -> None:
        """An ordinary move; meeting anything is a collision, except leaving a touched surface.

        A turning cutter may feed into what is there to be cut, and come out again.
        """
        self._check_travel(m_target)
        contact = None
        if self.touching:
            self._leave(m_target)
        else:
            bodies: Sequence[Body] = self.bodies
            if self.spindle_on and self._cuts(m_target, kind):
                bodies = [body for body in bodies if not body.cuttable]
            contact = self._contact(m_target, bodies)
        end = m_target if contact is None else self._along(m_target, contact.travel)
        self._record(kind, end, feed, line, contact)
        if contact is not None:
            raise Alarm(f"collision: the {contact.part} met the {contact.body} in an unguarded move")

    def _cuts(self, m_target: Triple, kind: str) -> bool:
        """Whether a turning cutter may go there through what can be cut: at feed, or fast straight up and down where
        it has fed down already."""
        (x, y, z), (at_x, at_y, at_z) = m_target, self.position
        column = (round(x, 3), round(y, 3))
        upright = abs(x - at_x) < 1e-6 and abs(y - at_y) < 1e-6
        if kind == "feed":
            self._bored[column] = min(self._bored.get(column, math.inf), z)
            return True
        return upright and (z >= at_z or z >= self._bored.get(column, math.inf) - 1e-6)

    def free_axis(self, word: str, *, free: bool) -> None:
        """Frees a rotary axis, or clamps it."""
        if free:
            self.free.add(word)
        else:
            self.free.discard(word)

    def turn_to(self, word: str, degrees: float) -> None:
        """Turns a rotary axis and what is on it; what is in the spindle must stand clear of its sweep."""
        axis = self.axes.of_word(word)
        rotary = next((each for each in self.machine.carriers if isinstance(each, Rotary) and each.word == word), None)
        if axis is None:
            raise Alarm(f"there is no rotary axis {word}")
        asked = degrees
        if rotary is not None and rotary.way_round != "counts turns":
            # A sign is the way round, not the place; and of turns none is counted.
            degrees = math.fmod(abs(degrees) if rotary.way_round == "sign is the way" else degrees, 360.0) % 360.0
        if rotary is not None and rotary.free_word and word not in self.free:
            raise Alarm(f"{word} is moved while it is clamped; {rotary.free_word} frees it")
        if rotary is not None and not rotary.reaches(degrees):
            raise Alarm(f"{word} {degrees:g} is outside the travel of {rotary.name}")
        centre, along = self.axes.line(axis)
        carried = [axis in self.axes.carry(body.carrier) for body in self.bodies]
        turning = list(compress(self.bodies, carried))
        way = _way(self.axes.angles[word], degrees, asked, "counts turns" if rotary is None else rotary.way_round)
        between = (min(way, 0.0), max(way, 0.0))
        # With nothing on it the middle of the axis counts; of an upright one no height is its middle.
        empty = -math.inf if abs(along[2]) > _UPRIGHT else float(centre[2])
        top = max((swept_height(body.vertices, centre, along, between) for body in turning), default=empty)
        lowest = self.position[2] - self._hang + (self._feeler.low[2] if self._feeler else 0.0)
        if lowest <= top:
            raise Alarm(f"the rotary axis turns the part while the tool is down at {lowest:.3f}, within its sweep")
        standing = [body for body, is_carried in zip(self.bodies, carried, strict=True) if not is_carried]
        for body, other in product(turning, standing):
            try:
                after = meets_turning(body, other, (centre, along), way, self.should_stop)
            except ContactStopped:
                raise Alarm(STOPPED) from None
            if after is not None:
                raise Alarm(f"collision: {body.name} met {other.name} after {word} had turned {after:.1f}°")
        self._clock += abs(way) / ROTARY_SPEED * 60.0
        self.axes.angles[word] = degrees
        self._stand([self._where_now(body, tf_nought_put) for body, tf_nought_put in self._as_put])

    def _where_now(self, body: Body, tf_nought_put: Placement) -> Body:
        if not self.axes.carry(body.carrier):
            return body
        return body.placed(self.axes.tf_now_nought(body.carrier).after(tf_nought_put))

    def probe_towards(self, m_target: Triple, feed: float, line: int, *, must_touch: bool) -> Triple | None:
        """Moves until contact: the latched reading, or None when nothing was met and nothing must be."""
        self._check_probe(m_target)
        if self.free:
            raise Alarm(f"a probing move while {' and '.join(sorted(self.free))} is not clamped")
        if self.touching:
            raise Alarm("the probe is already deflected before the probing move")
        if self.asked and self.has_operator and self.probe_on:
            return self._touched_by_hand(m_target, feed, line)
        kind: MotionKind = "search" if must_touch else "guarded"
        length = math.dist(self.position, m_target)
        along: Triple = (
            (m_target[0] - self.position[0]) / length,
            (m_target[1] - self.position[1]) / length,
            (m_target[2] - self.position[2]) / length,
        )
        contact = self._searched(m_target, along, length)
        if contact is not None and contact.part != "ball":
            self._record("search", self._along(m_target, contact.travel), feed, line, contact)
            whose = "spindle" if contact.part == "nose" else "probe"
            raise Alarm(f"the {contact.part} of the {whose}, not the ball, met the {contact.body}")
        trigger = math.inf if contact is None else self._trigger(contact, along, feed)
        if contact is None or trigger > length:
            self._record(kind, m_target, feed, line, None)
            if must_touch:
                raise Alarm("no contact by the end of the search")
            return None
        self._triggers += 1
        if self._triggers in self.truth.missed or not self.probe_on:
            self._record(kind, m_target, feed, line, contact)
            why = "a trigger was missed" if self.probe_on else "the probe is not switched on"
            raise Alarm(f"{why}: the ball was pushed {length - contact.travel:.3f} into the {contact.body}")
        sigma = self.truth.repeatability
        sigma = self.machine.probe.repeatability if sigma is None else sigma
        reading = self._along(m_target, trigger + float(self.noise.normal(0.0, sigma)))
        stop = trigger + (feed / 60.0) ** 2 / (2.0 * DECELERATION)
        self._keep_search((self._centre(self._along(m_target, contact.travel)), along, contact))
        self._record(kind, self._along(m_target, stop), feed, line, contact)
        self.touching = True
        slow = feed <= self.machine.probe.touch_feed * 1.001
        self.touches.append(TouchRecord(line, feed, reading, contact.body, slow, self.seconds))
        return reading

    def _touched_by_hand(self, m_target: Triple, feed: float, line: int) -> Triple:
        """A trigger half-way, by the operator's finger; nothing that stands there is measured by it."""
        self.asked = False
        half = self._along(m_target, math.dist(self.position, m_target) / 2.0)
        self._record("by hand", half, feed, line, None)
        return half

    def probe_away(self, m_target: Triple, feed: float, line: int, *, must_lose: bool = True) -> Triple | None:
        """Moves until contact is lost and returns where that was; None where it need not be and was not."""
        self._check_probe(m_target)
        if not self.touching:
            raise Alarm("the probe is not deflected before a move away from contact")
        travel = self._left(m_target)
        if travel is None:
            if must_lose:
                raise Alarm("contact is not lost by the end of the move")
            self._record("away", m_target, feed, line, None)
            return None
        self._record("away", self._along(m_target, travel), feed, line, None)
        self.touching = False
        return self.position

    # --- contact --------------------------------------------------------------------------

    def _trigger(self, contact: Contact, along: Triple, feed: float) -> float:
        """Travel at which the reading is latched: contact + pretravel + feed times delay."""
        probe, truth = self.machine.probe, self.truth
        pretravel = max(probe.ball_radius - probe.effective_radius - reading_lag(probe.touch_feed), 0.0)
        pretravel -= truth.radius_off
        if truth.lobing and (along[0] or along[1]):
            pretravel += truth.lobing * math.cos(3.0 * math.atan2(along[1], along[0]))
        return contact.travel + pretravel + reading_lag(feed, truth.delay_s)

    def _searched(self, m_target: Triple, along: Triple, length: float) -> Contact | None:
        """First contact of a search; a second one along the same line meets what the first one met."""
        if self._met is not None:
            met, direction, contact = self._met
            if math.dist(direction, along) < 1e-9:
                centre = self._centre(self.position)
                travel = math.dist(centre, met)
                x, y, z = (centre[k] + along[k] * travel for k in range(3))
                # Only from between where that search began and the surface it met.
                if math.dist((x, y, z), met) < _ON_LINE and travel <= contact.travel:
                    return Contact(travel, contact.body, contact.part) if travel <= length else None
        return self._contact(m_target, self.bodies)

    def _keep_search(self, met: tuple[Triple, Triple, Contact]) -> None:
        """A second touch of the same place began nearer and says nothing new."""
        if self._met is not None:
            place, along, contact = self._met
            same = math.dist(place, met[0]) < _ON_LINE and math.dist(along, met[1]) < 1e-9
            if same and met[2].travel <= contact.travel:
                return
        self._met = met

    def _contact(self, m_target: Triple, bodies: Sequence[Body]) -> Contact | None:
        if self._feeler is None or not bodies:
            return None
        z, z_to = self.position[2], m_target[2]
        if (z if z < z_to else z_to) - self._hang + self._feeler.low[2] > self._high[2] + TOUCHING:
            return None  # above everything, as most moves of a program are
        start, end = self._centre(self.position), self._centre(m_target)
        if self._met is not None and bodies is self.bodies and self._swept(start) and self._swept(end):
            return None
        if self._feeler.clear_of(start, end, self._low, self._high):
            return None
        try:
            return self._feeler.first_contact(start, end, bodies, self.should_stop)
        except ContactStopped:
            raise Alarm(STOPPED) from None

    def _swept(self, centre: Triple) -> bool:
        """Whether the last search passed here freely, so that going back and forth there meets nothing."""
        assert self._met is not None, "the caller has looked"
        met, direction, contact = self._met
        x, y, z = met[0] - centre[0], met[1] - centre[1], met[2] - centre[2]
        before = x * direction[0] + y * direction[1] + z * direction[2]
        if not TOUCHING < before <= contact.travel + _ON_LINE:
            return False
        square = x * x + y * y + z * z - before * before
        return square < _ON_LINE * _ON_LINE

    def _left(self, m_target: Triple) -> float | None:
        """Travel (mm) after which contact is lost, None where it is not."""
        assert self._feeler is not None, "only a probe can be touching"
        start, end = self._centre(self.position), self._centre(m_target)
        if self._met is not None:
            met, direction, _ = self._met
            if sum((end[k] - start[k]) * direction[k] for k in range(3)) > _ON_LINE:
                return None  # further in: from within a body its surface would seem far away
            # Straight back along the search, contact is lost where it was made.
            back, length = math.dist(start, met) + 2.0 * TOUCHING, math.dist(start, end)
            if back <= length and all(
                abs(end[k] - start[k] + direction[k] * length) < _ON_LINE
                and abs(start[k] - direction[k] * back - met[k]) < 3.0 * TOUCHING
                for k in range(3)
            ):
                return back
        return self._feeler.last_contact(start, end, self.bodies)

    def _leave(self, m_target: Triple) -> None:
        if self._left(m_target) is None:
            raise Alarm("collision: moved on with the probe deflected")
        self.touching = False

    def _check_probe(self, m_target: Triple) -> None:
        if self.tool != self.machine.probe.tool:
            raise Alarm("a probing move without the probe in the spindle")
        if self.spindle_on:
            raise Alarm("the spindle turns with the probe in it")
        if math.dist(m_target, self.position) < SHORTEST_PROBING_MOVE:
            raise Alarm("the probing move is too short")
        self._check_travel(m_target)

    def _check_travel(self, m_target: Triple) -> None:
        (x, y, z), low, high = m_target, self.travel_low, self.travel_high
        if low[0] <= x <= high[0] and low[1] <= y <= high[1] and low[2] <= z <= high[2]:
            return
        for value, low_k, high_k, axis in zip(m_target, low, high, AXES, strict=True):
            if not low_k - 1e-6 <= value <= high_k + 1e-6:
                raise Alarm(f"{axis.upper()} {value:.3f} is outside the travel {low_k:g} to {high_k:g}")

    def _along(self, m_target: Triple, travel: float) -> Triple:
        x, y, z = self.position
        share = travel / math.dist(self.position, m_target)
        return (x + (m_target[0] - x) * share, y + (m_target[1] - y) * share, z + (m_target[2] - z) * share)

    def _record(self, kind: MotionKind, end: Triple, feed: float, line: int, contact: Contact | None) -> None:
        met = (contact.body, contact.part) if contact else None
        self.motions.append(Motion(kind, self.position, end, feed, line, met))
        self.position = end


def quiet() -> Noise:
    """A noise source without noise."""
    return _Quiet()


class _Quiet:
    def normal(self, mean: float, _sigma: float) -> float:
        return mean
