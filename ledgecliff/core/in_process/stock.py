"""In-process stock: what is left of the blank after every operation, as a real solid.

The solid lives in P.  What an operation removes follows from the part itself, seen in its setup's
orientation (``core.cutting``).  What the operations keep of a block far larger than the blank does not
depend on the blank, so it is worked out once per operation and kept from edit to edit: an edit of one
operation recomputes what comes after it, and another blank costs one intersection.  After every setup the
stock is held against the part and against what was taken (``in_process.checks``).
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeAlias
from weakref import WeakValueDictionary

import manifold3d
import numpy as np

from ..blanks import blank, box, transformed, turned_bounds
from ..cutting.cuts import Cut, is_wide, region, split
from ..model.bench import AnyBenchStep, Fill, Glue, TakeOut
from ..model.job import made_on
from ..model.operations import Operation, goes_to_parting
from ..model.part import Feature
from ..model.parting import PartingPlane
from ..model.setup import Setup
from ..model.stock import Stock
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from ..solids.meshes import Mesh
from .bench import BenchDone, Known, clean, worked
from .checks import check_balance, check_cuts
from .states import Cutting

#: Lowest and highest corner in one row.
Corners: TypeAlias = tuple[float, ...]

#: The block in which cuts are kept stands out over the blank at least so far, in whole steps (mm).
_ROUND_ABOUT, _ENVELOPE_STEP = 20.0, 100.0
#: What a cut keeps is told within a block so much larger than the envelope (mm): less than a cut itself goes beyond.
_BEYOND = 1.0


def cuts_of(
    setups: Iterable[Setup], features: tuple[Feature, ...], parting: PartingPlane | None = None
) -> tuple[tuple[Cut, ...], ...]:
    """The cuts of every setup, in order; those that go to the ``parting`` plane end there."""
    by_name = {feature.name: feature for feature in features}
    return tuple(
        tuple(
            Cut(
                setup.orientation,
                operation,
                tuple(by_name[name] for name in made_on(operation)),
                stop=_stop(operation, setup, parting),
            )
            for operation in setup.operations
        )
        for setup in setups
    )


def _stop(operation: Operation, setup: Setup, parting: PartingPlane | None) -> float:
    """How far down an operation goes at most (``u``): infinitely high where the plane it goes to does not lie level."""
    if not goes_to_parting(operation) or parting is None:
        return -math.inf
    stop = parting.stop(setup.orientation)
    return math.inf if stop is None else stop


@dataclass(frozen=True, eq=False)
class Through:
    """The stock through all of a job: what each setup does to it, and before each of them, and after all, what is done
    beside the machine."""

    cuttings: tuple[Cutting, ...]
    bench: tuple[tuple[BenchDone, ...], ...]


def cut_setups(
    stock: Stock,
    geometry: PartGeometry,
    casting: PartGeometry | None,
    cuts: tuple[tuple[Cut, ...], ...],
    bench: tuple[tuple[AnyBenchStep, ...], ...] = (),
) -> Through:
    """The stock through every setup.  ``cuts`` are those of each setup, in order, ``bench`` the steps before each and
    after all of them.

    Raises InternalError where what is kept of any blank does not contain the part, or volumes do not balance.
    """
    start = blank(stock, geometry, casting)
    glued = [step for steps in bench for step in steps if isinstance(step, Glue)]
    ends = [start.corners, *((np.array(g.low.as_tuple()), np.add(g.low.as_tuple(), g.size.as_tuple())) for g in glued)]
    low, high = np.min([end[0] for end in ends], axis=0), np.max([end[1] for end in ends], axis=0)
    wide_low = np.floor((low - _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    wide_high = np.ceil((high + _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    envelope: Corners = (*wide_low.tolist(), *wide_high.tolist())
    now = _Now(start, _envelope(envelope))
    result: list[Cutting] = []
    beside: list[tuple[BenchDone, ...]] = []
    steps = bench or ((),) * (len(cuts) + 1)
    for index, of_setup in enumerate(cuts):
        now, done_beside = _worked_through(now, steps[index], geometry, envelope)
        beside.append(done_beside)
        done = _setup_cut(now.kept, geometry, of_setup, envelope)
        cutting = Cutting(now.start, done.states, done.taken)
        check_balance(cutting, of_setup)
        result.append(cutting)
        kept = done.states[-1]
        turned = at_the_turn(of_setup)
        for one in turned:
            kept = _setup_cut(kept, geometry, (one,), envelope).states[-1]
        tabbed = tuple(each for each in of_setup if each.operation.removes == "outline" and each.operation.slot)
        now = replace(now, kept=kept, chain=(*now.chain, *of_setup, *turned), tabbed=(*now.tabbed, *tabbed))
    beside.append(_worked_through(now, steps[len(cuts)], geometry, envelope)[1])
    return Through(tuple(result), tuple(beside))


@dataclass(frozen=True)
class _Now:
    """Where the stock has come to: what it began as since it was last sawn or glued, what the cuts since then (in
    order, ``chain``) leave of the envelope, those ``filled`` by the name of their feature, and outlines on tabs."""

    start: InProcessStock
    kept: InProcessStock
    chain: tuple[Cut, ...] = ()
    filled: tuple[tuple[str, tuple[Cut, ...]], ...] = ()
    tabbed: tuple[Cut, ...] = ()

    @property
    def stock(self) -> InProcessStock:
        return Cutting(self.start, (self.kept,), ()).before(0)


def _worked_through(
    now: _Now, steps: Iterable[AnyBenchStep], geometry: PartGeometry, envelope: Corners
) -> tuple[_Now, tuple[BenchDone, ...]]:
    """Steps one after the other."""
    done = []
    for step in steps:
        now, each = _worked(now, step, geometry, envelope)
        done.append(each)
    return now, tuple(done)


@lru_cache(maxsize=64)
def _worked(now: _Now, step: AnyBenchStep, geometry: PartGeometry, envelope: Corners) -> tuple[_Now, BenchDone]:
    """As long as nothing before it has changed, the very same stock.

    What is filled is as if it had not been cut, and cut when the filler is taken out: no walls that lie in each other
    are put together for it.
    """
    nothing, before = manifold3d.Manifold(), now.stock
    match step:
        case Fill():
            mine = tuple(one for one in now.chain if any(each.name == step.feature for each in one.features))
            chain = tuple(one for one in now.chain if one not in mine)
            kept = _envelope(envelope) if mine else now.kept
            if mine and chain:
                kept = _setup_cut(kept, geometry, chain, envelope).states[-1]
            after = replace(now, kept=kept, chain=chain, filled=(*now.filled, (step.feature, mine)))
            added = clean(after.stock.solid - before.solid) if mine else nothing
            return after, BenchDone(step, before, after.stock, added, nothing, Known(added))
        case TakeOut():
            mine = tuple(one for name, each in now.filled if name == step.feature for one in each)
            kept = _setup_cut(now.kept, geometry, mine, envelope).states[-1] if mine else now.kept
            left = tuple(each for each in now.filled if each[0] != step.feature)
            after = replace(now, kept=kept, chain=(*now.chain, *mine), filled=left)
            gone = clean(before.solid - after.stock.solid) if mine else nothing
            return after, BenchDone(step, before, after.stock, nothing, gone, Known(gone))
        case _:
            done = worked(step, before, Known(nothing, now.tabbed), geometry)
            if done.after is before:
                return now, done
            return replace(now, start=done.after, kept=_envelope(envelope), chain=()), done


def at_the_turn(of_setup: Iterable[Cut]) -> tuple[Cut, ...]:
    """What is left behind when the stock goes on to the next setup: the border of an interlocking frame."""
    return tuple(replace(one, piece_only=True) for one in of_setup if one.operation.removes == "frame slot")


@lru_cache(maxsize=16)
def _envelope(corners: Corners) -> InProcessStock:
    return InProcessStock(box(corners[:3], corners[3:]), 0, is_envelope=True)


# --- what is kept of the envelope ---------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class _Kept:
    """What cuts leave of the envelope in P, and what the last of them takes.

    Cuts in places of their own come in a run: each is worked out from the stock before the run and from
    those before it in the run that it meets, so that a hundred holes cost a hundred times what one costs.
    """

    left: InProcessStock
    taken: manifold3d.Manifold
    before_run: InProcessStock
    run: tuple[manifold3d.Manifold, ...] = ()


@dataclass(frozen=True, eq=False)
class _SetupCut:
    states: tuple[InProcessStock, ...]
    taken: tuple[manifold3d.Manifold, ...]


@lru_cache(maxsize=128)
def _setup_cut(before: InProcessStock, geometry: PartGeometry, cuts: tuple[Cut, ...], envelope: Corners) -> _SetupCut:
    """Every state of a setup; the last one is worked out, and held against the part and against what was taken."""
    kept = _Kept(before, manifold3d.Manifold(), before)
    states, taken = [before], []
    for one in cuts:
        kept = _cut_off(kept, geometry, one, envelope)
        states.append(kept.left)
        taken.append(kept.taken)
    if cuts:
        states[-1] = _one_of_a_kind(states[-1])
        check_cuts(cuts, [state.solid for state in states], taken, geometry.solid)
    return _SetupCut(tuple(states), tuple(taken))


@lru_cache(maxsize=512)
def _cut_off(before: _Kept, geometry: PartGeometry, one: Cut, envelope: Corners) -> _Kept:
    """``before`` less what one cut takes; equal stock before is the very same object, by this cache."""
    taking = _region_of(geometry, one, envelope)
    stock = before.left
    if taking is None:
        return _Kept(stock, manifold3d.Manifold(), before.before_run, before.run)
    if is_wide(one.operation) or one.piece_only:
        # Shared with what is kept, walls that were there already come out as the cut has them: equal for equal cuts.
        new = _one_of_a_kind(stock.less(stock.solid ^ _keeping_of(geometry, one, envelope)))
        return _Kept(new, stock.solid ^ taking, new)
    bounds = taking.bounding_box()
    met = [other for other in before.run if _overlap(bounds, other.bounding_box())]
    taken = manifold3d.Manifold.batch_boolean([before.before_run.solid ^ taking, *met], manifold3d.OpType.Subtract)
    run = (*before.run, taking)
    # Not worked out until it is asked for: the last one of a setup alone costs no more than one of them.
    left = manifold3d.Manifold.batch_boolean([before.before_run.solid, *run], manifold3d.OpType.Subtract)
    return _Kept(stock.less(left), taken, before.before_run, run)


@lru_cache(maxsize=512)
def _region_of(geometry: PartGeometry, one: Cut, envelope: Corners) -> manifold3d.Manifold | None:
    """What one cut takes of anything in the envelope, in P."""
    matrix = one.orientation.matrix()
    low, high = turned_bounds(np.array(envelope).reshape(2, 3), matrix)
    taking = region(low, high, geometry.coarse, geometry, one)
    return None if taking is None else transformed(taking, matrix.T)


@lru_cache(maxsize=128)
def _keeping_of(geometry: PartGeometry, one: Cut, envelope: Corners) -> manifold3d.Manifold:
    """What one cut that is made all over leaves of anything in the envelope, in P."""
    corners, taking = np.array(envelope).reshape(2, 3), _region_of(geometry, one, envelope)
    whole = box(corners[0] - _BEYOND, corners[1] + _BEYOND)
    return whole if taking is None else whole - taking


def _overlap(a: Corners, b: Corners) -> bool:
    return all(a[k] < b[k + 3] and b[k] < a[k + 3] for k in range(3))


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


def cut(before: InProcessStock, mesh: Mesh, geometry: PartGeometry, cuts: Iterable[Cut]) -> InProcessStock:
    """``before`` less what ``cuts`` of one setup remove, in their order.

    ``mesh`` is the finished part, coarse or fine.  What cannot be cut from above in that orientation,
    such as a bore whose axis is not upright, is left out (a finding says so).
    """
    solid = before.solid
    for one in cuts:
        matrix = one.orientation.matrix()
        solid = transformed(split(transformed(solid, matrix), mesh, geometry, one)[0], matrix.T)
    return before.less(solid)
