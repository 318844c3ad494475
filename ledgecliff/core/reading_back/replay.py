"""A machine that does again what another one did, but for one thing that goes otherwise.

To see whether a program's stops stop it, each must be driven once: a contact on a way that should be free, a search
that meets nothing, a reading that makes a size wrong, another tool in the spindle.  Everything up to there is as it was
recorded, so that no contact has to be looked for again.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from ..contact.first_contact import Triple
from ..simulator.machine import Alarm, SimulatedMachine

What = Literal["travel", "towards", "away", "turn", "tool", "by hand"]


class Event(NamedTuple):
    """One thing the machine did: the reading it gave, where it stood after it, and whether the ball touched then."""

    what: What
    reading: Triple | None
    position: Triple
    touching: bool
    line: int


@dataclass
class RecordingMachine(SimulatedMachine):
    """A simulated machine that keeps what it did."""

    events: list[Event] = field(default_factory=list)

    def _keep(self, what: What, reading: Triple | None, line: int) -> None:
        self.events.append(Event(what, reading, self.position, self.touching, line))

    def travel_to(self, m_target: Triple, kind: Literal["rapid", "feed"], feed: float, line: int) -> None:
        super().travel_to(m_target, kind, feed, line)
        self._keep("travel", None, line)

    def probe_towards(self, m_target: Triple, feed: float, line: int, *, must_touch: bool) -> Triple | None:
        by_hand = self.asked
        reading = super().probe_towards(m_target, feed, line, must_touch=must_touch)
        self._keep("by hand" if by_hand else "towards", reading, line)
        return reading

    def probe_away(self, m_target: Triple, feed: float, line: int, *, must_lose: bool = True) -> Triple | None:
        reading = super().probe_away(m_target, feed, line, must_lose=must_lose)
        self._keep("away", reading, line)
        return reading

    def turn_to(self, word: str, degrees: float) -> None:
        super().turn_to(word, degrees)
        self._keep("turn", None, 0)


@dataclass(frozen=True)
class Fault:
    """What goes otherwise: at the ``at``-th event, or from the start.

    ``met``: something is met half-way along a way that was free; ``missed``: nothing is met by a search; ``read``: the
    readings of the events in ``shifts`` are off by so much (mm, machine axes); ``tool``: another tool is put in;
    ``no hand``: nobody touches the ball when that is asked for.
    """

    kind: Literal["met", "missed", "read", "tool", "no hand"]
    at: int = -1
    shifts: tuple[tuple[int, Triple], ...] = ()


@dataclass
class ReplayingMachine(SimulatedMachine):
    """``past`` is what another machine did; ``after`` counts the moves that follow a fault.

    What it is asked for does not matter: it does again what was done.
    """

    past: Sequence[Event] = ()
    fault: Fault = Fault("read")
    after: int = 0
    _next: int = 0
    _faulty: bool = False

    def change_tool(self, number: int) -> None:
        if self.fault.kind == "tool":
            self.tool, self._faulty = number + 1, True
            return
        self.tool, self.spindle_on = number, False

    def travel_to(self, m_target: Triple, kind: Literal["rapid", "feed"], feed: float, line: int) -> None:  # noqa: ARG002
        self._again("travel", m_target)

    def probe_towards(self, m_target: Triple, feed: float, line: int, *, must_touch: bool) -> Triple | None:  # noqa: ARG002
        at, start = self._next, self.position
        if at < len(self.past) and self.past[at].what == "by hand":
            event = self._again("by hand", m_target)
            if self.fault.kind == "no hand":
                self._faulty, self.position = True, m_target
                return None
            return event.reading
        event = self._again("towards", m_target)
        if at != self.fault.at:
            return self._read(at, event)
        self._faulty = True
        if self.fault.kind == "met":
            x, y, z = ((a + b) / 2.0 for a, b in zip(start, m_target, strict=True))
            self.position, self.touching = (x, y, z), True
            return self.position
        self.position, self.touching = m_target, False
        if must_touch:
            raise Alarm("no contact by the end of the search")
        return None

    def probe_away(self, m_target: Triple, feed: float, line: int, *, must_lose: bool = True) -> Triple | None:  # noqa: ARG002
        return self._again("away", m_target).reading

    def turn_to(self, word: str, degrees: float) -> None:  # noqa: ARG002
        self._again("turn", self.position)

    def room_below(self) -> float:
        return math.inf

    def _read(self, at: int, event: Event) -> Triple | None:
        shift = dict(self.fault.shifts).get(at)
        if shift is None or event.reading is None:
            return event.reading
        self._faulty = True
        x, y, z = (a + b for a, b in zip(event.reading, shift, strict=True))
        return x, y, z

    def _again(self, what: What, m_target: Triple) -> Event:
        self.after += self._faulty
        if self._next >= len(self.past) or self.past[self._next].what != what:
            if not self._faulty:
                raise Alarm("the program does not do again what it did")
            self.position, self.touching = m_target, False
            return Event(what, None, m_target, False, 0)
        event = self.past[self._next]
        self._next += 1
        # After a fault it goes where the program sends it, which may be elsewhere.
        away = self._faulty and what == "travel"
        self.position, self.touching = m_target if away else event.position, event.touching
        return event
