"""Playing a rehearsal: where the ball is at a moment, in the setup's true WCS.

Motions are machine readings of the gauge line; the drawing is in the WCS.  What is taken off is
the *true* offset with its true turn, so the ball is drawn against the surfaces where they really are.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass

import numpy as np

from ..frames import Array, rotation
from ..model.machine import Probe
from .results import RehearsedSetup

Point = tuple[float, float, float]
#: Rapid moves are shown no faster than this (mm/min), or the eye loses the ball.
_FASTEST = 2500.0


@dataclass(frozen=True)
class Moment:
    """The ball's centre in the WCS, and what the machine is doing there."""

    w_ball: Point
    words: str


class Playback:
    """Time line of one setup's probing program."""

    def __init__(self, result: RehearsedSetup, probe: Probe) -> None:
        self._shift = np.append(result.true[:2], result.true[2] + probe.length - probe.effective_radius)
        self._back = rotation("z", -result.true_turn_deg)
        self._motions = result.motions
        seconds = [
            float(np.linalg.norm(np.subtract(motion.end, motion.start))) / min(motion.feed, _FASTEST) * 60.0
            for motion in result.motions
        ]
        self._ends = np.cumsum(seconds).tolist()

    @property
    def duration_s(self) -> float:
        return float(self._ends[-1]) if self._ends else 0.0

    def next_move(self, seconds: float) -> float:
        """When the move that runs at ``seconds`` is over; from its very end, the one after it."""
        return next((end for end in self._ends if end > seconds + 1e-9), self.duration_s)

    def touch_between(self, seconds: float, until: float) -> float | None:
        """When the first trigger after ``seconds`` comes, if it comes by ``until``."""
        for motion, end in zip(self._motions, self._ends, strict=True):
            if end > until + 1e-9:
                return None
            if end > seconds + 1e-9 and motion.contact is not None:
                return float(end)
        return None

    def advanced(self, seconds: float, by: float, *, hold_at_touches: bool) -> tuple[float, bool]:
        """The moment ``by`` seconds after another, or at a touch before it, and whether playing holds there."""
        until = min(seconds + by, self.duration_s)
        touch = self.touch_between(seconds, until) if hold_at_touches else None
        return (until, until >= self.duration_s) if touch is None else (touch, True)

    def moves(self) -> tuple[tuple[Point, Point, bool], ...]:
        """Every move of the ball's centre in the WCS but the rapid ones, and whether it searched."""
        return tuple(
            (self._placed(motion.start), self._placed(motion.end), motion.kind == "search")
            for motion in self._motions
            if motion.kind != "rapid"
        )

    def _placed(self, place: Point | Array) -> Point:
        x, y, z = (float(value) for value in self._back @ (np.array(place) - self._shift))
        return (x, y, z)

    def at(self, seconds: float) -> Moment | None:
        """Where the ball is ``seconds`` after the start, at the very end of a move still on it; the last place after
        the end."""
        if not self._motions:
            return None
        k = min(bisect_left(self._ends, seconds), len(self._motions) - 1)
        motion = self._motions[k]
        begin = self._ends[k - 1] if k else 0.0
        share = min((seconds - begin) / max(self._ends[k] - begin, 1e-9), 1.0)
        start, end = np.array(motion.start), np.array(motion.end)
        x, y, z = self._placed(start + share * (end - start))
        words = {
            "rapid": "rapid", "feed": "feed move", "search": "searching", "guarded": "guarded move",
            "away": "leaving the surface",
        }[motion.kind]  # fmt: skip
        met = f", met the {motion.contact[0]}" if motion.contact and share >= 1.0 else ""
        return Moment((x, y, z), f"line {motion.line}: {words} F{motion.feed:.0f}{met}")
