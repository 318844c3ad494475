"""In-process stock: what is left of the blank after every operation, as a real solid.

The solid lives in P.  What an operation removes follows from the part itself, seen in its setup's
orientation (``core.cuts``).  What the operations keep of a block far larger than the blank does not
depend on the blank, so it is worked out once per operation and kept from edit to edit: an edit of one
operation recomputes what comes after it, and another blank costs one intersection.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache
from weakref import WeakValueDictionary

import manifold3d
import numpy as np

from .blanks import blank, box, transformed
from .cuts import Cut, split
from .model.job import made_on
from .model.part import Feature
from .model.setup import Setup
from .model.stock import Stock
from .solids.geometry import Mesh, PartGeometry
from .solids.tracked import InProcessStock

#: The block in which cuts are kept stands out over the blank at least so far, in whole steps (mm).
_ROUND_ABOUT, _ENVELOPE_STEP = 20.0, 100.0


def cuts_of(setups: Iterable[Setup], features: tuple[Feature, ...]) -> tuple[tuple[Cut, ...], ...]:
    """The cuts of every setup, in order."""
    by_name = {feature.name: feature for feature in features}
    return tuple(
        tuple(
            Cut(setup.orientation, operation, tuple(by_name[name] for name in made_on(operation)))
            for operation in setup.operations
        )
        for setup in setups
    )


@dataclass(frozen=True)
class _Kept:
    """What one more cut leaves of the envelope, and what it takes from it, in P."""

    left: InProcessStock
    taken: manifold3d.Manifold


@dataclass(frozen=True)
class Cutting:
    """What a setup's operations do to the stock: equal for equal cuts of equal stock.

    ``kept`` is what all cuts so far leave of the envelope: before the first operation, after it, and so
    on; ``taken`` is what each operation takes from it.
    """

    start: InProcessStock
    kept: tuple[InProcessStock, ...]
    taken: tuple[manifold3d.Manifold, ...]

    def before(self, operation: int) -> InProcessStock:
        """The stock as operation number ``operation`` (from 0) finds it, or the last one leaves it."""
        return _within(self.start, self.kept[operation])

    def after(self, operation: int) -> InProcessStock:
        return self.before(operation + 1)

    def removed(self, operation: int) -> manifold3d.Manifold:
        """What an operation takes away, in P."""
        return _shared(self.start, self.taken[operation])


def cut_setups(
    stock: Stock, geometry: PartGeometry, casting: PartGeometry | None, cuts: tuple[tuple[Cut, ...], ...]
) -> tuple[Cutting, ...]:
    """The stock through every setup.  ``cuts`` are those of each setup, in order."""
    start = blank(stock, geometry, casting)
    low, high = start.corners
    wide_low = np.floor((low - _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    wide_high = np.ceil((high + _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    kept = _envelope((*wide_low.tolist(), *wide_high.tolist()))
    result = []
    for of_setup in cuts:
        states, taken = [kept], []
        for one in of_setup:
            after = _kept_after(states[-1], geometry, one)
            states.append(after.left)
            taken.append(after.taken)
        kept = states[-1]
        for one in at_the_turn(of_setup):
            kept = _kept_after(kept, geometry, one).left
        result.append(Cutting(start, tuple(states), tuple(taken)))
    return tuple(result)


def at_the_turn(of_setup: Iterable[Cut]) -> tuple[Cut, ...]:
    """What is left behind when the stock goes on to the next setup: the border of an interlocking frame."""
    return tuple(replace(one, piece_only=True) for one in of_setup if one.operation.removes == "frame slot")


@lru_cache(maxsize=16)
def _envelope(corners: tuple[float, ...]) -> InProcessStock:
    return InProcessStock(box(corners[:3], corners[3:]), 0, is_envelope=True)


@lru_cache(maxsize=512)
def _kept_after(before: InProcessStock, geometry: PartGeometry, one: Cut) -> _Kept:
    """``before`` less what one cut removes; equal stock before is the very same object, by this cache."""
    matrix = one.orientation.matrix()
    parts = split(transformed(before.solid, matrix), geometry.coarse, geometry, one)
    left, taken = (transformed(part, matrix.T) for part in parts)
    return _Kept(_one_of_a_kind(InProcessStock(left, before.raw_id)), taken)


#: States by their content, as long as anything else holds them.
_known: WeakValueDictionary[bytes, InProcessStock] = WeakValueDictionary()


def _one_of_a_kind(stock: InProcessStock) -> InProcessStock:
    """Equal stock is one object, so that an edit whose trace is cut away again costs nothing after that.

    The same cuts of slightly different stock give the same corners and triangles to the last bit, once
    what differed is gone.
    """
    mesh = stock.mesh
    digest = hashlib.blake2b(digest_size=24)
    for part in (mesh.vertices, mesh.triangles, stock.raw):
        digest.update(np.ascontiguousarray(part).tobytes())
    return _known.setdefault(digest.digest(), stock)


@lru_cache(maxsize=512)
def _within(start: InProcessStock, kept: InProcessStock) -> InProcessStock:
    if kept.is_envelope:
        return start
    return InProcessStock(start.solid ^ kept.solid, start.raw_id)


@lru_cache(maxsize=512)
def _shared(start: InProcessStock, taken: manifold3d.Manifold) -> manifold3d.Manifold:
    return start.solid ^ taken


def cut(before: InProcessStock, mesh: Mesh, geometry: PartGeometry, cuts: Iterable[Cut]) -> InProcessStock:
    """``before`` less what ``cuts`` of one setup remove, in their order.

    ``mesh`` is the finished part, coarse or fine.  What cannot be cut from above in that orientation,
    such as a bore whose axis is not upright, is left out (a finding says so).
    """
    solid = before.solid
    for one in cuts:
        matrix = one.orientation.matrix()
        solid = transformed(split(transformed(solid, matrix), mesh, geometry, one)[0], matrix.T)
    return InProcessStock(solid, before.raw_id)
