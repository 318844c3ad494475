"""The turn check: one or two touches from above that tell a right turn from every wrong one, and a chip under the part.

The stock is laid in as it should be, and in every wrong way that the seat allows; a place where its top is flat in
the right way, and at another height in the wrong ones, tells them apart.  Where no place does, it says so.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..blanks import transformed
from ..frames import Array, rotation

if TYPE_CHECKING:
    from .turning import TurnPlan

#: Places are looked at on a grid of so many a side.
_GRID = 15
#: A difference in height counts from here on (mm): chips, lift and a rough guess must not look like it.
_TELLS = 1.0
#: A chip of this thickness under one end should be noticed (mm).
_CHIP = 0.1
_FAR = 10_000.0


@dataclass(frozen=True)
class CheckTouch:
    """A touch from above at ``x``, ``y`` of the WCS after the turn; right, the top is met at ``z``.

    ``tells`` are the wrong ways it notices, each with the height that is met there, None where nothing is.  The
    turn is wrong when the reading is off by more than ``threshold`` (mm).
    """

    x: float
    y: float
    z: float
    tells: tuple[tuple[str, float | None], ...]
    threshold: float


@dataclass(frozen=True)
class TurnCheck:
    """The proposed touches, wrong ways that no touch from above can tell, and how a chip would show.

    ``chip_touches`` are two places on one level, ``chip_shows`` how much they differ with a chip of ``chip`` under
    one end of the seat (mm); none where the top is not flat enough or still raw.
    """

    touches: tuple[CheckTouch, ...]
    cannot_tell: tuple[str, ...]
    chip_touches: tuple[tuple[float, float, float], ...]
    chip_shows: float
    chip: float = _CHIP


def turn_check(turn: TurnPlan) -> TurnCheck:
    """The touches proposed for a turn; ``TurnPlan.check`` keeps them."""
    setup = turn.after
    right = transformed(setup.before.solid, setup.setup.orientation.matrix())
    low, high = setup.holding.u_stock
    radius = setup.machine.probe.ball_radius
    places = np.concatenate([_grid(low, high, radius), _where_holes_would_be(turn, low, high, radius)])
    heights = _tops(right, places)
    flat = _flat(right, places, heights, radius)
    wrong = {name: _tops(pose, places) for name, pose in _wrong_ways(turn, right)}
    origin = setup.wcs.u_origin
    told: set[str] = set()
    touches: list[CheckTouch] = []
    for _ in range(2):
        chosen = _best(heights, flat, {name: tops for name, tops in wrong.items() if name not in told})
        if chosen is None:
            break
        k, names = chosen
        seen = [(name, wrong[name][k]) for name in names]
        least = min(abs(heights[k] - (top if math.isfinite(top) else low[2])) for _, top in seen)
        x, y = places[k] - origin[:2]
        z = heights[k] - float(origin[2])
        tells = tuple((name, float(top - origin[2]) if math.isfinite(top) else None) for name, top in seen)
        touches.append(CheckTouch(float(x), float(y), float(z), tells, float(least) / 2.0))
        told |= set(names)
    chips, shows = _chip(turn, places, heights, flat)
    return TurnCheck(tuple(touches), tuple(name for name in wrong if name not in told), chips, shows)


def _wrong_ways(turn: TurnPlan, right: manifold3d.Manifold) -> list[tuple[str, manifold3d.Manifold]]:
    """The stock laid in wrongly, on the same seat and about the same middle."""
    solid, after = turn.after.before.solid, turn.after.setup.orientation.matrix()
    spin, before = rotation("z", 180.0), turn.before.setup.orientation.matrix()
    ways = [("turned end for end", spin @ after)]
    if turn.axis is not None:
        ways += [("not turned", before), ("not turned and end for end", spin @ before)]
    target = np.array(right.bounding_box()).reshape(2, 3)
    laid = []
    for name, matrix in ways:
        pose = transformed(solid, matrix)
        box = np.array(pose.bounding_box()).reshape(2, 3)
        shift = (target.sum(axis=0) - box.sum(axis=0)) / 2.0
        shift[2] = target[0][2] - box[0][2]
        laid.append((name, pose.translate(tuple(shift))))
    return laid


def _grid(low: Array, high: Array, radius: float) -> Array:
    inset = radius + 1.0
    xs = np.linspace(low[0] + inset, high[0] - inset, _GRID)
    ys = np.linspace(low[1] + inset, high[1] - inset, _GRID)
    return np.array(list(itertools.product(xs, ys)))


def _where_holes_would_be(turn: TurnPlan, low: Array, high: Array, radius: float) -> Array:
    """Places (N, 2) that round features and pins' bores come to only when the stock is laid in wrongly."""
    setup, matrix = turn.after, turn.after.setup.orientation.matrix()
    holes = [np.array([r.x, r.y]) + setup.wcs.u_origin[:2] for r in setup.readings]
    if turn.pin_bores is not None:
        back = matrix @ turn.before.setup.orientation.matrix().T
        for pin in turn.pin_bores.pins:
            place = np.array([*(turn.part_middle + np.array([pin.x, pin.y])), 0.0])
            holes.append((back @ place)[:2])
    middle = ((low + high) / 2.0)[:2]
    found = [middle + (hole - middle) * way for hole in holes for way in ((-1, -1), (1, -1), (-1, 1))]
    inside = [p for p in found if np.all(p > low[:2] + radius) and np.all(p < high[:2] - radius)]
    return np.array(inside).reshape(-1, 2)


def _tops(solid: manifold3d.Manifold, places: Array) -> Array:
    """Height (N,) of the first material met from above; minus infinity where there is none."""
    return np.array([_top(solid, x, y) for x, y in places])


def _top(solid: manifold3d.Manifold, x: float, y: float) -> float:
    hits = solid.ray_cast((float(x), float(y), _FAR), (float(x), float(y), -_FAR))
    return float(hits[0].position[2]) if hits else -math.inf


def _flat(solid: manifold3d.Manifold, places: Array, heights: Array, radius: float) -> NDArray[np.bool_]:
    """Whether (N,) the top is level within a ball and a half's radius round each place."""
    reach = 1.5 * radius
    level = np.isfinite(heights)
    for dx, dy in ((reach, 0.0), (-reach, 0.0), (0.0, reach), (0.0, -reach)):
        beside = _tops(solid, places + np.array([dx, dy]))
        level &= np.abs(np.where(np.isfinite(beside), beside, 1e9) - heights) < 1e-3
    return level


def _best(heights: Array, flat: NDArray[np.bool_], wrong: dict[str, Array]) -> tuple[int, list[str]] | None:
    """The place that tells most of the wrong ways, by the largest least difference; None where none tells any."""
    if not wrong or not flat.any():
        return None
    finite = np.where(np.isfinite(heights), heights, 0.0)
    apart = {
        name: np.where(np.isfinite(tops), np.abs(finite - np.where(np.isfinite(tops), tops, 0.0)), _FAR)
        for name, tops in wrong.items()
    }
    tells = {name: flat & (difference >= _TELLS) for name, difference in apart.items()}
    count = np.sum(list(tells.values()), axis=0)
    if count.max() == 0:
        return None
    least = np.min([np.where(tells[name], apart[name], np.inf) for name in wrong], axis=0)
    k = int(np.lexsort((-np.where(np.isfinite(least), least, 0.0), -count))[0])
    return k, [name for name in wrong if tells[name][k]]


def _chip(
    turn: TurnPlan, places: Array, heights: Array, flat: NDArray[np.bool_]
) -> tuple[tuple[tuple[float, float, float], ...], float]:
    """Two places far apart on the highest level, and by how much a chip under one end of the seat sets them apart."""
    from ..findings.datum_rules import top_is_raw

    top = float(np.max(heights[flat], initial=-math.inf))
    on_top = np.flatnonzero(flat & (np.abs(heights - top) < 1e-3))
    if len(on_top) < 2 or top_is_raw(turn.after):
        return (), 0.0
    spread = places[on_top]
    apart = np.linalg.norm(spread[:, None] - spread[None, :], axis=2)
    i, j = np.unravel_index(int(np.argmax(apart)), apart.shape)
    low, high = turn.after.holding.u_stock
    length = float(np.linalg.norm((high - low)[:2]))
    origin = turn.after.wcs.u_origin
    chosen = []
    for k in (on_top[i], on_top[j]):
        x, y = places[k] - origin[:2]
        chosen.append((float(x), float(y), float(heights[k] - origin[2])))
    return tuple(chosen), _CHIP * float(apart[i, j]) / length
