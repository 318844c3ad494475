"""How long the wrong-seat test and the interlocking frame take, beside plain ways to do the same."""

from __future__ import annotations

import itertools
import math
import random

import numpy as np
from shapely import Polygon
from shapely.affinity import scale, translate

from bench.planning import Row, median
from ledgecliff.core.edits.placing import place_on_turn
from ledgecliff.core.plan import make_plan
from ledgecliff.core.registration.interlock import FrameSizes, make_frame
from ledgecliff.core.registration.interlock_check import check_frame
from ledgecliff.core.registration.pins import image
from ledgecliff.core.registration.seats import RoundPlace, seats
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job


def registration() -> list[Row]:
    return [*_seats(), *_frames()]


def _seats() -> list[Row]:
    """Twelve pins evenly round a circle, which seat in 24 ways, and twelve anywhere, which seat in one."""
    chance = random.Random(4)
    even = [(100.0 * math.cos(k * math.pi / 6), 100.0 * math.sin(k * math.pi / 6)) for k in range(12)]
    anywhere = [(chance.uniform(-100, 100), chance.uniform(-100, 100)) for _ in range(12)]
    rows: list[Row] = []
    for name, places in (("evenly round", even), ("anywhere", anywhere)):
        pins = [RoundPlace(x, y, 6.0) for x, y in places]
        bores = [RoundPlace(x, y, 6.04) for x, y in places]
        board = [image(pin, "x") for pin in pins]
        took = median(lambda bores=bores, board=board: seats(bores, board, "x"))
        other = median(lambda pins=places: _by_trying_angles(pins), 1)
        rows.append((f"wrong-seat test, 12 pins {name} (s)", took, "0.05", "turning by 0.01 degrees", other))
    return rows


def _by_trying_angles(places: list[tuple[float, float]]) -> int:
    """How many angles, a hundredth of a degree apart, bring every bore near a pin: no shift, no other diameters."""
    q = np.array([complex(*place) for place in places])
    p = np.conj(q)
    found = 0
    for start in (p, q):
        about, middle = start - start.mean(), p.mean()
        for angle in np.arange(0.0, 360.0, 0.01):
            turned = about * np.exp(1j * math.radians(float(angle))) + middle
            found += bool(np.abs(turned[:, None] - p[None, :]).min(axis=1).max() < 0.05)
    return found


def _frames() -> list[Row]:
    sizes = iter(range(10_000))

    def made() -> None:
        frame = make_frame(FrameSizes(132.0 + 0.01 * next(sizes), 120.0, 8.0, 0.1))
        check_frame(frame, 8.0)

    def by_steps() -> None:
        """Play along X and Y alone, in hundredths of a millimetre, with shapely's own moving."""
        frame = make_frame(FrameSizes(132.0, 120.0, 8.0, 0.1))
        hole = frame.hole.polygon.buffer(1e-3)
        piece: Polygon = scale(frame.piece.polygon, 1.0, -1.0, origin=(0.0, 0.0))
        for x, y in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            for k in itertools.count():
                if not hole.contains(translate(piece, 0.001 * k * x, 0.001 * k * y)):
                    break

    turn = turns_of(make_plan(read_job(demo_job("dial-ring-in-a-frame")), Models()))[0]
    steps = itertools.cycle([0.5 * k for k in range(1, 400)])
    dragged = median(lambda: place_on_turn(turn, "frame X", (-next(steps), 0.0), 0.01), 21)
    return [
        ("frame made and verified (s)", median(made, 21), "1", "play alone, in steps of 0.001", median(by_steps, 3)),
        ("pictures a second while an edge is dragged", 1.0 / dragged, "20", "", None),
    ]
