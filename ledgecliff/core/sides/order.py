"""In which order to cut the sides: arguments for and against each order, weighed and said in words.

What each order leaves at every step is worked out as a solid (``sides.left``): after any set of sides the same
stock is left in whatever order they were cut, so an argument about one step is worked out once for all orders
that come to it.  The arguments are those of docs/methods/order-of-sides.md; an order weighs as much as its setups do on
average, so that more setups never weigh more by being more.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from itertools import permutations

import manifold3d
import numpy as np

from ..cutting.views import view_of
from ..model.orientation import DIRECTIONS, PartDirection, axis_of, opposite, shown
from ..model.part import Feature
from ..quantities import said, said_area, said_bare
from ..solids.flat_area import IN_PLANE, extreme_area, filled
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from ..solids.thickness import thicknesses
from .left import LeftBySides, left_by_sides, side_up
from .reach import Coverage, coverage, enough_sides

#: Of so many sides or more only the first sides that begin best are gone through, and so many of them.
_MANY_SIDES, _MOST_FIRST = 5, 3
#: What one setup more than the fewest weighs against an order that needs it.
_ONE_MORE = 1.0
#: A step that takes less than this takes nothing (mm³).
_NOTHING = 0.02
#: A part of whose outline this share is hollow from one side is a shell; less than the second is nothing.
_SHELL_SHARE, _LEAST_HOLLOW = 0.3, 0.05
#: Thinner than this while it still has to be held, a part gives way in the jaws (mm).
THIN = 3.0
#: A gripping band lower than this is no grip (mm), and a hat lower than that none to hold by.
_LEAST_BAND, _LEAST_HAT = 3.0, 3.0
#: What carries the stock must spread over this share of its outline.
_LEAST_SPREAD = 0.4
#: What it weighs that raw faces came prepared, where they are gripped and where they are lain on: nearly finished ones.
_PREPARED_GRIP, _PREPARED_SEAT = 0.25, 0.75
#: Heights at which a part is looked at for how hollow it is.
_LEVELS = 24


@dataclass(frozen=True)
class Argument:
    """One reason for (weight above nought) or against an order, about the setup with ``side`` up.

    ``words`` may hold lengths to be spelled (``core.quantities.spell``).
    """

    side: PartDirection
    weight: float
    words: str


@dataclass(frozen=True)
class Order:
    """Sides in the order in which they are cut.

    ``score`` is what its arguments weigh for each setup, less ``_ONE_MORE`` for each setup beyond the fewest.
    """

    sides: tuple[PartDirection, ...]
    arguments: tuple[Argument, ...]
    extra: int = 0

    @property
    def score(self) -> float:
        return sum(argument.weight for argument in self.arguments) / len(self.sides) - _ONE_MORE * self.extra

    @property
    def worst(self) -> Argument | None:
        """What speaks most against it; None where nothing does."""
        against = [argument for argument in self.arguments if argument.weight < 0.0]
        return min(against, key=lambda argument: argument.weight, default=None)

    def in_words(self) -> str:
        return ", then ".join(f"{shown(side)} up" for side in self.sides)


@dataclass(frozen=True)
class Proposal:
    """``orders`` from the best to the worst; empty where nothing is to be cut from a square side.

    ``tried`` of ``of`` orders are among them so far; ``left_out`` says in words which were not gone through.
    """

    coverage: Coverage
    orders: tuple[Order, ...]
    tried: int = 0
    of: int = 0
    left_out: str = ""


def propose(
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    blank: InProcessStock,
    movable: bool = True,
    prepared: tuple[PartDirection, ...] = (),
) -> Proposal:
    """Every order of the fewest sides, the best first; equal scores stay in a fixed order.

    Where the reasons against the best of those outweigh the ones for it (nothing to grip, say), orders of
    one side more stand beside them.

    ``movable`` stock is put round the part as suits the first side (see ``placed_for``); its ``prepared`` faces are
    gripped and lain on before those that are merely raw.
    """
    *_, last = proposing(features, geometry, blank, movable, prepared)
    return last


def proposing(
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    blank: InProcessStock,
    movable: bool = True,
    prepared: tuple[PartDirection, ...] = (),
) -> Iterator[Proposal]:
    """Better and better proposals, the last one whole; the caller may stop at any of them and take it."""
    covered = coverage(features, geometry, blank)
    search = _Search(geometry, blank, movable, prepared)
    nothing = best = Proposal(covered, ())
    yield nothing
    for best in search.through(covered, covered.fewest, 0, nothing):
        yield best
    if best.orders and best.orders[0].score < 0.0:
        more = enough_sides(geometry, blank, covered.features, len(covered.fewest[0]) + 1)
        yield from search.through(covered, more, 1, best)


class _Search:
    """Orders of sides, gone through with what they have in common worked out once."""

    def __init__(
        self, geometry: PartGeometry, blank: InProcessStock, movable: bool, prepared: tuple[PartDirection, ...]
    ) -> None:
        self._geometry, self._blank, self._movable, self._prepared = geometry, blank, movable, prepared
        self._states: dict[PartDirection, SideStates] = {}
        self._steps: dict[tuple[PartDirection, frozenset[PartDirection], PartDirection], _Step] = {}

    def through(
        self, covered: Coverage, sets: tuple[tuple[PartDirection, ...], ...], extra: int, so_far: Proposal
    ) -> Iterator[Proposal]:
        """``so_far`` with the orders of some sets added, one after the other; the best that begin best come first."""
        left_out = list(filter(None, [so_far.left_out]))
        chosen: list[tuple[PartDirection, ...]] = []
        for sides in sets:
            firsts = sorted(sides, key=lambda side: (-self._step(side, frozenset(), side).weight(len(sides)), side))
            if len(sides) >= _MANY_SIDES and len(firsts) > _MOST_FIRST:
                words = ", ".join(shown(side) for side in firsts[_MOST_FIRST:])
                left_out.append(f"orders of {len(sides)} sides that begin with {words} were not gone through")
                firsts = firsts[:_MOST_FIRST]
            chosen += [(first, *rest) for first in firsts for rest in permutations([s for s in sides if s != first])]
        orders, of = list(so_far.orders), so_far.of + len(chosen)
        said = "; ".join(dict.fromkeys(left_out))
        for k, sides in enumerate(chosen, start=1):
            order = self._order(sides, extra)
            if order is not None:
                orders.append(order)
            best = tuple(sorted(orders, key=lambda order: (-round(order.score, 6), order.sides)))
            yield Proposal(covered, best, so_far.tried + k, of, said)

    def _order(self, sides: tuple[PartDirection, ...], extra: int) -> Order | None:
        """None where one of its setups would take nothing."""
        steps = [self._step(sides[0], frozenset(sides[:k]), side) for k, side in enumerate(sides)]
        if not all(step.takes for step in steps):
            return None
        arguments: list[Argument] = []
        for k, step in enumerate(steps):
            left = len(sides) - 1 - k
            arguments += step.arguments
            if k == 0 and left:
                arguments += step.hat
            if step.is_thin and left and not (k and steps[k - 1].is_thin_before_shell):
                words = f"already {said(step.thinnest)} thin with {left} more to hold: thin sections belong last"
                arguments.append(Argument(step.side, -1.5 * left, words))
        if extra:
            arguments.append(Argument(sides[-1], 0.0, "one setup more than the fewest that reach everything"))
        return Order(sides, tuple(arguments), extra)

    def _step(self, first: PartDirection, before: frozenset[PartDirection], side: PartDirection) -> _Step:
        # Where the hat lies follows from the first side; stock that stays put is the same for all.
        key = (first if self._movable else "+X", before, side)
        if key not in self._steps:
            self._steps[key] = _step(self._states_for(first), before, side, self._geometry, self._prepared)
        return self._steps[key]

    def _states_for(self, first: PartDirection) -> SideStates:
        if first not in self._states:
            placed = placed_for(first, self._geometry, self._blank) if self._movable else self._blank
            self._states[first] = SideStates(left_by_sides(self._geometry, self._blank), placed)
        return self._states[first]


def facing_and_hat(side: PartDirection, geometry: PartGeometry, blank: InProcessStock) -> tuple[float, float]:
    """How the stock over the part along an axis is best shared when ``side`` is cut first: to face off the
    top, the lesser of what stands over now on either end, and the rest below as a hat (mm)."""
    axis = axis_of(side)
    low = float(geometry.low[axis] - blank.corners[0][axis])
    high = float(blank.corners[1][axis] - geometry.high[axis])
    return min(low, high), max(low, high)


def placed_for(side: PartDirection, geometry: PartGeometry, blank: InProcessStock) -> InProcessStock:
    """``blank`` moved along the axis of the side that is cut first, so that its hat comes to lie below."""
    axis, sign = axis_of(side), 1.0 if side[0] == "+" else -1.0
    facing, _ = facing_and_hat(side, geometry, blank)
    part_top = float(geometry.high[axis] if sign > 0 else geometry.low[axis])
    top = float(blank.corners[1][axis] if sign > 0 else blank.corners[0][axis])
    shift = part_top + sign * facing - top
    if abs(shift) < 1e-9:
        return blank
    return blank.less(blank.solid.translate(tuple(shift * np.eye(3)[axis])))


@dataclass(frozen=True, eq=False)
class SideCut:
    """One side cut: the stock that is left, and what was taken, in P."""

    left: InProcessStock
    taken: manifold3d.Manifold


class SideStates:
    """One blank after any set of sides, and what one more takes, each worked out once."""

    def __init__(self, left: LeftBySides, blank: InProcessStock) -> None:
        self._left, self._blank = left, blank
        self._known: dict[frozenset[PartDirection], InProcessStock] = {}

    def after(self, sides: frozenset[PartDirection]) -> InProcessStock:
        if sides not in self._known:
            self._known[sides] = self._left.left(self._blank, sides)
        return self._known[sides]

    def cut(self, sides: frozenset[PartDirection], last: PartDirection) -> SideCut:
        """``last`` cut after ``sides``."""
        return SideCut(self.after(sides | {last}), self.after(sides).solid ^ self._left.region(last))


@dataclass(frozen=True)
class _Step:
    """One side cut after some others: its arguments, those about the hat if it is the first, and how thin it leaves
    the part.  ``is_thin_before_shell`` says whether what it leaves is thin whatever the reason."""

    side: PartDirection
    takes: bool
    arguments: tuple[Argument, ...]
    hat: tuple[Argument, ...]
    thinnest: float
    is_thin: bool
    is_thin_before_shell: bool

    def weight(self, sides: int) -> float:
        return sum(argument.weight for argument in (*self.arguments, *(self.hat if sides > 1 else ())))


def _step(
    states: SideStates,
    before: frozenset[PartDirection],
    side: PartDirection,
    geometry: PartGeometry,
    prepared: tuple[PartDirection, ...],
) -> _Step:
    stock, done = states.after(before), states.cut(before, side)
    arguments = _grip(side, stock, done, prepared)
    if before:
        arguments += _seat(side, stock, prepared)
    arguments += _shell(side, len(before), geometry)
    thin = thinnest_of(done.left, geometry)
    # A shell's own walls are thin whatever is done; that its inside goes first is said already.
    is_shell = hollow_share(side, geometry) >= _SHELL_SHARE
    return _Step(
        side,
        float(done.taken.volume()) > _NOTHING,
        tuple(arguments),
        () if before else tuple(_hat(side, done.left, geometry)),
        thin,
        thin < THIN and not is_shell,
        thin < THIN,
    )


def thinnest_of(stock: InProcessStock, geometry: PartGeometry) -> float:
    """The thinnest wall or floor within the finished part's own box (mm): a thin hat is no thin part."""
    found = thicknesses(stock.solid, stock.mesh)
    inside = ((found.at > geometry.low - IN_PLANE) & (found.at < geometry.high + IN_PLANE)).all(axis=1)
    return float(np.min(found.mm[inside], initial=np.inf))


@dataclass(frozen=True)
class Grip:
    """Flat faces that jaws can hold while a side is cut: the part axis across them (0 to 2), the area of
    each (mm²), and whether they are still the blank's own; ``across`` is None where there are none."""

    across: int | None
    area: float
    raw: bool


def grip_for(side: PartDirection, before: InProcessStock, done: SideCut) -> Grip:
    """Opposite flat faces below all that is cut beside them: what jaws can hold from start to end."""
    up, after = axis_of(side), done.left
    best, across = 0.0, 0
    for axis in (k for k in range(3) if k != up):
        shared = extreme_area(after.mesh, axis, high=True) ^ extreme_area(after.mesh, axis, high=False)
        shared = shared ^ _below_the_cut(side, axis, done.taken, after)
        if shared.area() > best:
            best, across = float(shared.area()), axis
    length = float(np.max(before.corners[1] - before.corners[0]))
    if best < _LEAST_BAND * length / 2.0:
        return Grip(None, best, raw=False)
    return Grip(across, best, is_raw_at(after, across, high=True))


def _grip(
    side: PartDirection, before: InProcessStock, done: SideCut, prepared: tuple[PartDirection, ...]
) -> list[Argument]:
    grip = grip_for(side, before, done)
    if grip.across is None:
        return [Argument(side, -3.0, "no flat, parallel faces are left to grip while it is cut")]
    letter = "XYZ"[grip.across]
    both = {direction for direction in DIRECTIONS if direction[1] == letter}
    kind = "finished" if not grip.raw else "prepared" if both <= set(prepared) else "raw"
    words = f"gripped on flat, parallel {kind} faces across part {letter}, {said_area(grip.area)} each"
    more = _PREPARED_GRIP if kind == "prepared" else 0.0
    return [Argument(side, 1.0 + more + 0.2 * min(grip.area / 5000.0, 1.0), words)]


def _below_the_cut(
    side: PartDirection, axis: int, removed: manifold3d.Manifold, after: InProcessStock
) -> manifold3d.CrossSection:
    """Where, in the plane across ``axis``, nothing is cut outside of the faces that are left there."""
    up, sign = axis_of(side), 1.0 if side[0] == "+" else -1.0
    low, high = after.corners
    unit = np.eye(3)[axis]
    lowest = np.inf
    for way, end in ((unit, high[axis]), (-unit, -low[axis])):
        outside = removed.trim_by_plane(tuple(way), float(end) + 0.01)
        if not outside.is_empty():
            bounds = np.array(outside.bounding_box()).reshape(2, 3)
            lowest = min(lowest, float((sign * bounds[:, up]).min()))
    far = 2.0 * float(np.max(np.abs(after.corners))) + 100.0
    free_low, free_high = np.full(3, -far), np.full(3, far)
    if sign > 0:
        free_high[up] = min(far, lowest)
    else:
        free_low[up] = max(-far, -lowest)
    k = [(axis + 1) % 3, (axis + 2) % 3]
    size = np.maximum(free_high[k] - free_low[k], 0.0)
    return manifold3d.CrossSection.square(tuple(size)).translate(tuple(free_low[k]))


def is_raw_at(stock: InProcessStock, axis: int, high: bool) -> bool:
    """Whether some of the blank's own surface is left at an end along a part axis."""
    heights = stock.mesh.vertices[:, axis]
    ends = np.abs(heights - (heights.max() if high else heights.min())) < IN_PLANE
    return bool(np.any(ends[stock.mesh.triangles].all(axis=1) & (stock.raw > 0)))


def _seat(side: PartDirection, before: InProcessStock, prepared: tuple[PartDirection, ...]) -> list[Argument]:
    """What the stock lies on when ``side`` is up: how much flat face, and how far spread."""
    axis, high = axis_of(side), side[0] == "-"
    flat = extreme_area(before.mesh, axis, high)
    outline = max(float(np.prod(np.delete(before.corners[1] - before.corners[0], axis))), 1e-9)
    spread, share = (float(area) / outline for area in (flat.hull().area(), flat.area()))
    if spread < _LEAST_SPREAD:
        return [Argument(side, -2.0, f"lies on only {said_area(float(flat.area()))} of flat face, all to one side")]
    raw = is_raw_at(before, axis, high)
    kind = "finished" if not raw else "prepared" if opposite(side) in prepared else "raw"
    weight = (spread + share) / 2.0 + {"finished": 1.0, "prepared": _PREPARED_SEAT, "raw": 0.0}[kind]
    return [Argument(side, weight, f"lies flat on {said_area(float(flat.area()))} of {kind} face")]


def _shell(side: PartDirection, k: int, geometry: PartGeometry) -> list[Argument]:
    """A shell is hollowed while its outside is still a block; and of any part the fuller inside goes first."""
    share = hollow_share(side, geometry)
    if share < _LEAST_HOLLOW:
        return []
    words = f"{share:.0%} of the outline is hollow from here: the inside is cut "
    if share < _SHELL_SHARE:
        return [Argument(side, 2.0 * share, words + "first")] if k == 0 else []
    if k == 0:
        return [Argument(side, 2.0, words + "first, while the outside is still a solid block")]
    return [Argument(side, -2.0, words + "after the outside, when jaws can squeeze the shell")]


@lru_cache(maxsize=64)
def hollow_share(side: PartDirection, geometry: PartGeometry) -> float:
    """Share of the part's outline prism that a cutter from ``side`` takes out inside of it."""
    view = view_of(geometry.coarse, geometry, side_up(side, geometry))
    shadow = view.shadow().trim_by_plane((0.0, 0.0, 1.0), view.bottom)
    prism = float(filled(shadow.project()).area()) * (view.top - view.bottom)
    # Outer steps and rounds are no hollow: of every level only what is walled in counts.
    heights = np.linspace(view.bottom, view.top, _LEVELS + 1)
    levels = (heights[1:] + heights[:-1]) / 2.0
    inside = [float(filled(section).area() - section.area()) for section in (shadow.slice(z) for z in levels)]
    return float(np.mean(inside)) * (view.top - view.bottom) / max(prism, 1e-9)


def _hat(side: PartDirection, after: InProcessStock, geometry: PartGeometry) -> list[Argument]:
    """Stock under the first side that the jaws can hold without meeting the cut."""
    axis, sign = axis_of(side), 1.0 if side[0] == "+" else -1.0
    part = float(geometry.low[axis] if sign > 0 else geometry.high[axis])
    stock = float(after.corners[0][axis] if sign > 0 else after.corners[1][axis])
    hat = sign * (part - stock)
    if hat >= _LEAST_HAT:
        return [Argument(side, 1.0, f"a hat of {said(hat)} stays under it to be held by")]
    if hat > 0.0:
        return [Argument(side, -0.5, f"only {said_bare(hat)} of hat stays under it to be held by")]
    return []
