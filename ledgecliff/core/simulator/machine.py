"""The simulated machine: axes, offset and tool tables, spindle, probe, and what stands on it.

Positions are machine readings of the gauge line (mm).  The probe triggers when the ball has been
pushed past first contact by its pretravel, and the reading lags by feed times delay; the
calibrated ``effective_radius`` takes in both at the touch feed (handbook chapter 3).
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from ..frames import AXES, Array
from ..model.machine import Machine
from .contact import Body, Contact, Feeler

#: The lag between trigger and latched position.
DELAY_S = 0.004
#: How fast axes stop (mm/s²); decides how far the ball is pushed on after the trigger.
DECELERATION = 1500.0
#: Shorter probing moves are refused, as RS-274/NGC does (mm).
SHORTEST_PROBING_MOVE = 0.05
RAPID_FEED = 8000.0
#: Looking down from a tool stops here (mm).
FAR_BELOW = 500.0

MotionKind = Literal["rapid", "feed", "search", "protected", "away"]


def reading_lag(feed: float) -> float:
    """How far (mm) the latched reading lies behind the trigger at ``feed`` (mm/min): feed times delay."""
    return feed / 60.0 * DELAY_S


class Alarm(Exception):  # noqa: N818 - it is what the machine shows, not a fault of this program
    """The machine stopped by itself; the text says why."""


@dataclass(frozen=True)
class Motion:
    """One straight move as it really ran, gauge line in machine coordinates (mm)."""

    kind: MotionKind
    start: tuple[float, float, float]
    end: tuple[float, float, float]
    feed: float
    line: int
    contact: tuple[str, str] | None


@dataclass(frozen=True)
class TouchRecord:
    """One trigger: program line, feed, latched reading (gauge line, M) and what was met."""

    line: int
    feed: float
    m_reading: tuple[float, float, float]
    body: str
    slow: bool


@dataclass
class SimulatedMachine:
    """``noise`` gives the next reading error (mm); ``bodies`` stand in machine coordinates."""

    machine: Machine
    bodies: list[Body]
    offsets: dict[int, Array]
    noise: np.random.Generator
    position: Array = field(default_factory=lambda: np.zeros(3))
    tool: int = 0
    touching: bool = False
    spindle_on: bool = False
    motions: list[Motion] = field(default_factory=list)
    touches: list[TouchRecord] = field(default_factory=list)

    def __post_init__(self) -> None:
        top = self.machine.travel_max
        self.position = np.array(
            [(self.machine.travel_min.x + top.x) / 2, (self.machine.travel_min.y + top.y) / 2, top.z]
        )
        self._change_feeler()

    def table_length(self, number: int) -> float:
        """The tool table's length of H ``number`` (mm)."""
        if number == self.machine.probe.tool:
            return self.machine.probe.length
        cutter = self.machine.cutter(number)
        if cutter is None:
            raise Alarm(f"H{number} is not in the tool table")
        return cutter.length

    def change_tool(self, number: int) -> None:
        self.table_length(number)
        self.tool = number
        self._change_feeler()

    def _change_feeler(self) -> None:
        """The feeler's centre hangs ``_hang`` under the gauge line."""
        probe = self.machine.probe
        if self.tool == probe.tool:
            self._feeler: Feeler | None = Feeler.probe(probe)
            # Calibrated length makes a Z reading at the trigger come out on the surface.
            self._hang = probe.length - probe.effective_radius
        elif self.tool:
            cutter = self.machine.cutter(self.tool)
            assert cutter is not None, "change_tool has looked it up"
            self._feeler = Feeler.cutter(cutter.diameter, min(cutter.length, 80.0))
            self._hang = cutter.length
        else:
            self._feeler, self._hang = None, 0.0

    def feeler_centre(self, m_position: Array) -> Array:
        centre: Array = m_position - np.array([0.0, 0.0, self._hang])
        return centre

    def room_below(self) -> float:
        """How far (mm) what is in the spindle could go straight down before it met anything."""
        if self._feeler is None:
            raise Alarm("there is no tool in the spindle")
        start = self.feeler_centre(self.position)
        contact = self._feeler.first_contact(start, start - np.array([0.0, 0.0, FAR_BELOW]), self.bodies)
        return FAR_BELOW if contact is None else contact.travel

    def travel_to(self, m_target: Array, kind: Literal["rapid", "feed"], feed: float, line: int) -> None:
        """An ordinary move; meeting anything is a collision, except leaving a touched surface."""
        self._check_travel(m_target)
        contact = None
        if self.touching:
            self._leave(m_target)
        else:
            contact = self._contact(m_target)
        end = m_target if contact is None else self._along(m_target, contact.travel)
        self._record(kind, end, feed, line, contact)
        if contact is not None:
            raise Alarm(f"collision: the {contact.part} met the {contact.body} in an unprotected move")

    def probe_towards(self, m_target: Array, feed: float, line: int, *, must_touch: bool) -> Array | None:
        """G38.2 and G38.3: the latched reading (3,) or None when nothing was met."""
        self._check_probe(m_target)
        if self.touching:
            raise Alarm("the probe is already deflected before the probing move")
        contact = self._contact(m_target)
        trigger = self._trigger(contact, feed) if contact is not None and contact.part == "ball" else None
        if contact is not None and trigger is None:
            self._record("search", self._along(m_target, contact.travel), feed, line, contact)
            raise Alarm(f"the {contact.part} of the probe, not the ball, met the {contact.body}")
        length = float(np.linalg.norm(m_target - self.position))
        if contact is None or trigger is None or trigger > length:
            self._record("search" if must_touch else "protected", m_target, feed, line, None)
            if must_touch:
                raise Alarm("no contact by the end of the search")
            return None
        reading = self._along(m_target, trigger + float(self.noise.normal(0.0, self.machine.probe.repeatability)))
        stop = trigger + (feed / 60.0) ** 2 / (2.0 * DECELERATION)
        self._record("search" if must_touch else "protected", self._along(m_target, stop), feed, line, contact)
        self.touching = True
        slow = feed <= self.machine.probe.touch_feed * 1.001
        x, y, z = (float(value) for value in reading)
        self.touches.append(TouchRecord(line, feed, (x, y, z), contact.body, slow))
        return reading

    def probe_away(self, m_target: Array, feed: float, line: int) -> Array:
        """G38.4: moves until contact is lost and returns where that was."""
        self._check_probe(m_target)
        if not self.touching:
            raise Alarm("the probe is not deflected before a move away from contact")
        assert self._feeler is not None, "checked above"
        start, end = self.feeler_centre(self.position), self.feeler_centre(m_target)
        travel = self._feeler.last_contact(start, end, self.bodies)
        if travel is None:
            raise Alarm("contact is not lost by the end of the move")
        self._record("away", self._along(m_target, travel), feed, line, None)
        self.touching = False
        return self.position

    def _trigger(self, contact: Contact, feed: float) -> float:
        """Travel at which the reading is latched: contact + pretravel + feed times delay."""
        probe = self.machine.probe
        pretravel = max(probe.ball_radius - probe.effective_radius - reading_lag(probe.touch_feed), 0.0)
        return contact.travel + pretravel + reading_lag(feed)

    def _contact(self, m_target: Array) -> Contact | None:
        if self._feeler is None:
            return None
        return self._feeler.first_contact(self.feeler_centre(self.position), self.feeler_centre(m_target), self.bodies)

    def _leave(self, m_target: Array) -> None:
        assert self._feeler is not None, "only a probe can be touching"
        if (
            self._feeler.last_contact(self.feeler_centre(self.position), self.feeler_centre(m_target), self.bodies)
            is None
        ):
            raise Alarm("collision: moved on with the probe deflected")
        self.touching = False

    def _check_probe(self, m_target: Array) -> None:
        if self.tool != self.machine.probe.tool:
            raise Alarm("a probing move without the probe in the spindle")
        if self.spindle_on:
            raise Alarm("the spindle turns with the probe in it")
        if np.linalg.norm(m_target - self.position) < SHORTEST_PROBING_MOVE:
            raise Alarm("the probing move is too short")
        self._check_travel(m_target)

    def _check_travel(self, m_target: Array) -> None:
        for k, axis in enumerate(AXES):
            low, high = getattr(self.machine.travel_min, axis), getattr(self.machine.travel_max, axis)
            if not low - 1e-6 <= m_target[k] <= high + 1e-6:
                raise Alarm(f"{axis.upper()} {m_target[k]:.3f} is outside the travel {low:g} to {high:g}")

    def _along(self, m_target: Array, travel: float) -> Array:
        length = float(np.linalg.norm(m_target - self.position))
        point: Array = self.position + (m_target - self.position) * (travel / length)
        return point

    def _record(self, kind: MotionKind, end: Array, feed: float, line: int, contact: Contact | None) -> None:
        met = (contact.body, contact.part) if contact else None
        start = self.position
        self.motions.append(Motion(kind, _triple(start), _triple(end), feed, line, met))
        self.position = np.array(end, dtype=float)


def _triple(point: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in point)
    return (x, y, z)
