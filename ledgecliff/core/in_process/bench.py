"""What steps beside the machine do to the stock: sawn off, glued on, filled, taken out, freed of its tabs.

All in P.  A saw leaves a raw face, and a piece that is glued on is raw all over, as the blank was; walls that filler
hides are cut walls again once it is out.
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import box
from ..cutting.cuts import Cut
from ..cutting.outlines import inside_outline
from ..errors import InternalError
from ..model.bench import AnyBenchStep, Cure, CutTabs, Fill, Glue, HeatTreat, MakeFixture, Sand, Saw, TakeOut
from ..model.orientation import axis_of, direction_vector
from ..solids.flat_area import flat_area
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from ..solids.meshes import mesh_of

#: Volumes worked out in two ways may differ by this share of the whole, and by so much (mm³).
_ROUNDING, _CRUMB = 1e-9, 1e-3
#: A piece of less than this is a skin of no thickness (mm³).
_SKIN = 1e-4


@dataclass(frozen=True, eq=False)
class Known:
    """What steps must be told of what was cut before: the ``filler`` that comes or goes, and the cuts whose outline was
    left on tabs."""

    filler: manifold3d.Manifold
    tabbed: tuple[Cut, ...] = ()


@dataclass(frozen=True, eq=False)
class BenchDone:
    """What a step has done: the stock ``before`` and ``after`` it, what came on and what went (solids, empty where
    nothing did), what was ``known`` of what was cut before, and the area of the ``joint`` of what is glued (mm²)."""

    step: AnyBenchStep
    before: InProcessStock
    after: InProcessStock
    added: manifold3d.Manifold
    gone: manifold3d.Manifold
    known: Known
    joint: float = 0.0


def worked(step: AnyBenchStep, before: InProcessStock, known: Known, geometry: PartGeometry) -> BenchDone:
    """Raises InternalError where the volumes do not balance."""
    nothing = manifold3d.Manifold()
    match step:
        case Saw():
            way = direction_vector(step.off)
            beyond, short = before.solid.split_by_plane(tuple(way), step.at * float(way[axis_of(step.off)]))
            gone, left = clean(beyond), clean(short)
            done = BenchDone(
                step, before, before.with_raw(left, _originals(left) - _originals(before.solid)), nothing, gone, known
            )
        case Glue():
            piece = glued_block(step)
            added = clean(piece - before.solid)
            done = BenchDone(step, before, _with(before, added), added, nothing, known, _joint(before, piece))
        case Fill():
            added = clean(known.filler - before.solid)
            done = BenchDone(step, before, _with(before, added), added, nothing, known)
        case TakeOut():
            gone = clean(known.filler ^ before.solid)
            after = before if gone.is_empty() else before.less(clean(before.solid - gone))
            done = BenchDone(step, before, after, nothing, gone, known)
        case CutTabs():
            left = before.solid
            for one in known.tabbed:
                left = inside_outline(geometry, one.orientation, left)
            done = BenchDone(step, before, before.less(left), nothing, clean(before.solid - left), known)
        case Cure() | Sand() | HeatTreat() | MakeFixture():
            return BenchDone(step, before, before, nothing, nothing, known)
    _check(done)
    return done


def clean(solid: manifold3d.Manifold) -> manifold3d.Manifold:
    """Without the skins of no thickness that are left where walls of both lie in each other."""
    pieces = solid.decompose()
    real = [piece for piece in pieces if abs(piece.volume()) > _SKIN]
    if len(real) == len(pieces):
        return solid
    return manifold3d.Manifold.compose(real) if real else manifold3d.Manifold()


def glued_block(step: Glue) -> manifold3d.Manifold:
    low = np.array(step.low.as_tuple())
    return box(low, low + np.array(step.size.as_tuple()))


def _with(before: InProcessStock, added: manifold3d.Manifold) -> InProcessStock:
    """The stock and what came on to it, whose own surface is raw."""
    if added.is_empty():
        return before
    piece = added.as_original()
    return before.with_raw(clean(before.solid + piece), [piece.original_id()])


def _originals(solid: manifold3d.Manifold) -> set[int]:
    """The numbers of what its triangles come from."""
    return {int(number) for number in solid.to_mesh64().run_original_id}


def _joint(before: InProcessStock, piece: manifold3d.Manifold) -> float:
    """The area over which a block lies flat against the stock (mm²), on all of its sides together."""
    mesh, of_stock = mesh_of(piece), before.mesh
    low, high = np.array(piece.bounding_box()).reshape(2, 3)
    unit, area = np.eye(3), 0.0
    for k in range(3):
        across, along = unit[(k + 1) % 3], unit[(k + 2) % 3]
        for level in (float(low[k]), float(high[k])):
            met = flat_area(of_stock, unit[k], level, across, along) ^ flat_area(mesh, unit[k], level, across, along)
            area += float(met.area())
    return area


def _check(done: BenchDone) -> None:
    had, has = float(done.before.solid.volume()), float(done.after.solid.volume())
    off = had + float(done.added.volume()) - float(done.gone.volume()) - has
    if abs(off) > _ROUNDING * max(had, has) + _CRUMB:
        raise InternalError(done.step.name, f"{had:.6g} mm³ were there, and {has:.6g} are left: {off:.6g} too few")
