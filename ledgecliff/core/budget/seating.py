"""How far a part moves in what holds it for each millimetre that one of its ends lies further out than planned.

It is seated again with that end further out, by the same rules that seat it in the plan: whatever it is pushed against,
lies on, or is put by the middle of.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..holding import Holding, hold_part
from ..holding.pushed_against import pushed_against
from ..model.holding import OwnHold, VBlock, ViseHold, VJaws
from ..model.own_fixture import OwnFixture
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock

#: An end is put out by this much (mm): far above what doubles lose, far below what a hold would notice.
_STEP = 1e-3
#: A corner this near to where the stock ends belongs to that end (mm).
_AT_END = 1e-5
#: Less than this for a millimetre is what doubles lose.
_NO_MOVE = 1e-6


@dataclass(frozen=True)
class End:
    """A plane that a part ends in: along which axis of ``u`` as it is held level, which way it looks, and where."""

    k: int
    sign: float
    level: float


@dataclass(frozen=True, eq=False)
class Seating:
    """``moved`` (3, N) is how far the part moves along ``u`` for each of the N ``ends`` a millimetre further out."""

    ends: tuple[End, ...]
    moved: Array


@lru_cache(maxsize=128)
def seating(level: Holding, geometry: PartGeometry) -> Seating:
    """Of a part that is held ``level``."""
    ends = tuple(_ends(level))
    if isinstance(level.hold, OwnHold):
        moved = _in_own(level, ends)
    else:
        # From the facets alone, so that both ways round ends are told alike.
        still = _shift(level, geometry, _put_out(level, None))
        off = [_shift(level, geometry, _put_out(level, end)) - still for end in ends]
        # What takes u into the fixture moves the part by as much, seen along u.
        moved = level.tf_s_u.turn.T @ np.column_stack(off) / _STEP
    moved = _in_groove(level, ends, moved)
    counts = np.abs(moved).max(axis=0) > _NO_MOVE
    return Seating(tuple(end for end, some in zip(ends, counts, strict=True) if some), moved[:, counts])


def _ends(level: Holding) -> Iterator[End]:
    """Where all of it ends, and where what is between jaws does."""
    u_points = level.stock.mesh.vertices @ level.orientation.matrix().T
    for k in range(3):
        for sign in (-1.0, 1.0):
            found = [_met(level, k, sign, float((sign * u_points[:, k]).max()))]
            if level.jaws is not None and k < 2:
                held = u_points[u_points[:, 2] <= level.jaw_top]
                found += [float((sign * held[:, k]).max())] if len(held) else []
            yield from (End(k, sign, sign * at) for at in dict.fromkeys(found))


def _met(level: Holding, k: int, sign: float, outermost: float) -> float:
    """How far out it ends there; in a fixture of the shop's own where that meets it, which may be under a hat."""
    met = [face for face in (level.own.faces if level.own else ()) if face.axis == k and face.sign == -sign]
    return sign * met[0].level if met else outermost


def _shift(level: Holding, geometry: PartGeometry, stock: InProcessStock) -> Array:
    """What takes ``u`` to the fixture's frame (3,) with another stock, pushed against what stands as planned."""
    held = hold_part(level.hold, level.orientation, level.fixture, stock, geometry)
    against = pushed_against(level.hold, level, held)
    if against is not None:
        held = hold_part(against, level.orientation, level.fixture, stock, geometry)
    return held.tf_s_u.shift


def _put_out(level: Holding, end: End | None) -> InProcessStock:
    """The stock with an end further out by a step; with none, just so."""
    stock = level.stock
    if end is None:
        return InProcessStock(stock.solid, stock.raw_id, ends=(), more_raw=stock.more_raw)
    row = end.sign * level.orientation.matrix()[end.k]

    def out(places: Array) -> Array:
        at_end = (np.abs(places @ row - end.sign * end.level) < _AT_END)[:, None]
        moved: Array = places + np.where(at_end, _STEP * row, 0.0)
        return moved

    return InProcessStock(stock.solid.warp_batch(out), stock.raw_id, ends=(), more_raw=stock.more_raw)


def _in_own(level: Holding, ends: Sequence[End]) -> Array:
    """A fixture of the shop's own: against its faces, on its seats, else by the middle."""
    moved, own = np.zeros((3, len(ends))), level.fixture
    assert isinstance(own, OwnFixture), "the job's own validation keeps holds and fixtures alike"
    for at, end in enumerate(ends):
        if end.k == 2:
            moved[2, at] = 1.0 if end.sign < 0.0 else 0.0
        elif level.spigot_play is None:
            faces = own.against(end.k)
            # The part stands on the side to which the face looks, and meets it with the end that looks at it.
            meets = end.sign == -float(faces[0].sign) if faces else True
            moved[end.k, at] = -end.sign * (1.0 if faces else 0.5) * meets
    return moved


def _in_groove(level: Holding, ends: Sequence[End], moved: Array) -> Array:
    """In a groove a round lies further out by how much its radius is larger over the sine of half the groove's angle,
    its middle in the groove's middle whatever its size."""
    hold, fixture = level.hold, level.fixture
    if isinstance(hold, ViseHold) and isinstance(hold.jaws, VJaws) and level.jaws is not None:
        k, angle = level.jaws.axis, hold.jaws.angle_deg
        away = 0.0 if level.jaws.vise.centring and hold.jaws.both else -float(level.jaws.toward)
    elif isinstance(fixture, VBlock):
        k, angle, away = 2, fixture.angle_deg, 1.0
    else:
        return moved
    moved = moved.copy()
    for at, end in enumerate(ends):
        if end.k == k:
            # Its radius is larger by half of what both ends together are further out.
            moved[:, at] = 0.0
            moved[k, at] = 0.5 * away / math.sin(math.radians(angle) / 2.0)
    return moved
