"""The wrong-seat test: in how many ways a bored blank goes down on a board's pins.

Every rigid placement is found, both faces up, in which each pin enters a bore.  Two pins that lie far apart
fix the blank's place: every pair of bores at their distance is one candidate, which is then fitted to all
pins so that the worst of them is as well off as can be.  Places are complex numbers here, x + i y, so a turn
is a factor and a shift a sum.
"""

from __future__ import annotations

import cmath
import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames import Array, Axis

Complex = NDArray[np.complex128]

#: Placements that miss by up to this much are told as well: wood gives, and thin pins bend (mm).
NEARLY = 0.5
#: Placements nearer than this are the same (mm, and radians).
_SAME_MM, _SAME_RAD = 0.02, 1e-3
#: At most so many rounds of evening out the misses, looked at every so many: what does not seat by then goes on as long
#: as it comes nearer by more than this (mm).
_ROUNDS, _LOOK_EVERY, _NEARER = 2000, 40, 1e-6


@dataclass(frozen=True)
class RoundPlace:
    """A pin or a bore by its place and diameter (mm)."""

    x: float
    y: float
    diameter: float


@dataclass(frozen=True)
class Seat:
    """One way the blank goes, or nearly goes, onto the pins.

    ``turned`` says that it lies with its other face up, as wanted; ``spin_deg`` (−180 to 180] and ``shift``
    (mm, of the middle of its bores) how it lies against the wanted seat, or, not turned, against how it lay
    before.  ``miss`` is how far the worst bore is off its pin beyond their play; nought or less, it seats.
    """

    turned: bool
    spin_deg: float
    shift: tuple[float, float]
    miss: float

    @property
    def seats(self) -> bool:
        return self.miss <= 1e-9

    @property
    def intended(self) -> bool:
        return self.turned and abs(self.spin_deg) < 1.0 and math.hypot(*self.shift) < 0.5

    @property
    def name(self) -> str:
        """What a machinist would call it."""
        if self.intended:
            return "as intended"
        words = [] if self.turned else ["not turned"]
        if abs(abs(self.spin_deg) - 180.0) < 1.0:
            words.append("end for end")
        elif abs(self.spin_deg) >= 1.0:
            words.append(f"spun by {self.spin_deg:.0f}°".replace("-", "−"))
        if math.hypot(*self.shift) >= 0.5:
            words.append("shifted")
        return " and ".join(words)


def seats(bores: Iterable[RoundPlace], pins: Iterable[RoundPlace], turn: Axis) -> tuple[Seat, ...]:
    """Every placement of the blank on the pins that seats or misses by less than ``NEARLY``, the best first.

    ``bores`` are where the blank lay when it was bored; ``pins`` where they stand in the board, at the image
    of the bores after half a turn about the table axis ``turn`` through the zero.  Fewer than two pins hold
    nothing; then every placement seats and none can be listed, so the result is empty.
    """
    bore, pin = tuple(bores), tuple(pins)
    if len(pin) < 2 or len(bore) < len(pin):
        return ()
    q, p = (np.array([complex(each.x, each.y) for each in places]) for places in (bore, pin))
    room = np.array([[(b.diameter - each.diameter) / 2.0 for b in bore] for each in pin])
    turned = np.conj(q) if turn == "x" else -np.conj(q)
    found = [
        Seat(is_turned, *_place(places, factor, shift), float(miss))
        for is_turned, places in ((True, turned), (False, q))
        for factor, shift, miss in _fitted(places, p, room)
    ]
    distinct: list[Seat] = []
    for seat in sorted(found, key=lambda seat: (round(seat.miss, 4), not seat.intended, not seat.turned)):
        if not any(_same(seat, other) for other in distinct):
            distinct.append(seat)
    return tuple(distinct)


def _place(q: Complex, factor: complex, shift: complex) -> tuple[float, tuple[float, float]]:
    middle = complex(q.mean())
    moved = factor * middle + shift - middle
    degrees = math.degrees(cmath.phase(factor))
    # Half a turn may come out on either side of the cut.
    return (180.0 if abs(degrees + 180.0) < 1e-6 else degrees), (moved.real, moved.imag)


def _same(a: Seat, b: Seat) -> bool:
    turn = math.radians((a.spin_deg - b.spin_deg + 180.0) % 360.0 - 180.0)
    apart = math.dist(a.shift, b.shift)
    return a.turned == b.turned and abs(turn) < _SAME_RAD and apart < _SAME_MM


def _fitted(q: Complex, p: Complex, room: Array) -> list[tuple[complex, complex, float]]:
    """Factor, shift and worst miss of every placement of bores ``q`` (N,) on pins ``p`` (M,) worth telling.

    ``room`` (M, N) is what pin and bore have between them; negative where the pin is the thicker.
    """
    i, j = np.unravel_index(int(np.argmax(np.abs(p[:, None] - p[None, :]))), (len(p), len(p)))
    a, b = np.nonzero(~np.eye(len(q), dtype=bool))
    play = np.maximum(room[i, a], 0.0) + np.maximum(room[j, b], 0.0) + 2.0 * NEARLY
    near = np.abs(np.abs(q[b] - q[a]) - abs(p[j] - p[i])) <= play
    a, b = a[near], b[near]
    if len(a) == 0:
        return []
    factor = (p[j] - p[i]) / (q[b] - q[a])
    factor /= np.abs(factor)
    shift = (p[i] + p[j]) / 2.0 - factor * (q[a] + q[b]) / 2.0
    placed = factor[:, None] * q[None, :] + shift[:, None]
    # Each pin's bore is the one it comes nearest to going in; where two pins want one bore, the placement is none.
    chosen = (np.abs(placed[:, None, :] - p[None, :, None]) - room[None, :, :]).argmin(axis=2)
    own = np.array([len(set(row)) == len(row) for row in chosen.tolist()], dtype=bool)
    chosen = chosen[own]
    factor, shift, miss = _evened(q[chosen], p, room[np.arange(len(p))[None, :], chosen])
    good = miss <= NEARLY
    return list(zip(factor[good].tolist(), shift[good].tolist(), miss[good].tolist(), strict=True))


def _evened(q: Complex, p: Complex, slack: Array) -> tuple[Complex, Complex, Array]:
    """Turns and shifts that bring ``q`` (K, M) onto ``p`` (M,) with the least worst miss beyond ``slack``.

    Least squares has a closed form; weights that grow with the misses lead it to the least worst one
    (Lawson's algorithm, 1961).
    """
    weight = np.ones(q.shape)
    best_miss = np.full(len(q), np.inf)
    best_factor, best_shift = np.ones(len(q), dtype=complex), np.zeros(len(q), dtype=complex)
    looked_at = best_miss
    for done in range(_ROUNDS):
        if done and done % _LOOK_EVERY == 0:
            if not ((best_miss > 0.0) & (best_miss < looked_at - _NEARER)).any():
                break
            looked_at = best_miss
        total = weight.sum(axis=1)
        mean_q, mean_p = (weight * q).sum(axis=1) / total, (weight * p).sum(axis=1) / total
        arm = (weight * (p - mean_p[:, None]) * np.conj(q - mean_q[:, None])).sum(axis=1)
        factor = arm / np.maximum(np.abs(arm), 1e-300)
        shift = mean_p - factor * mean_q
        off = np.abs(factor[:, None] * q + shift[:, None] - p)
        miss = (off - slack).max(axis=1)
        better = miss < best_miss
        best_miss = np.where(better, miss, best_miss)
        best_factor, best_shift = np.where(better, factor, best_factor), np.where(better, shift, best_shift)
        weight = weight * np.maximum(off - slack + slack.max(axis=1, keepdims=True), 1e-9)
        weight /= np.maximum(weight.max(axis=1, keepdims=True), 1e-300)
    return best_factor, best_shift, best_miss
