"""The instances of a pattern on the table: parts and what holds them, numbers and states, zeros, and what tools sweep.

What one of them looks like is worked out once; others that stand turned as it does are the same, moved along.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..edits.placing import Draggable
from ..frames import Array, Placement
from ..holding import Block
from ..in_process.states import Cutting
from ..locating import Clamping
from ..on_table import OnTable, placed
from ..patterns.instances import Instance
from ..setup_plan import SetupPlan
from .bodies import KINDS, block_solid, stock_solid
from .items import Item, Label, Point2, Spot, Stroke, Surface, Zero
from .seen_areas import Rings, View, covered, edged, rings_of

#: Placements whose turns agree to so many places look alike.
_ALIKE = 9
#: From above, or along a horizontal spindle: there parts are numbered.
_PLAN: View = (0, 1)
#: One that looks further aside is seen from beside or behind, and is not numbered there (cosine).
_FACING = 0.5
#: How finely rounds are followed where a tool goes (segments a turn).
_SEGMENTS = 24


@dataclass(frozen=True)
class _Look:
    """One instance as it is seen with its ``u`` at the machine's zero: what holds it, its stock, what tools sweep."""

    held: tuple[tuple[Rings, Surface], ...]
    stock: Rings
    swept: Rings
    #: What carries all of them, where it stands for this one.
    base: tuple[tuple[Rings, Surface], ...]


def source_of(setup: SetupPlan, each: Instance) -> str:
    return f"instance-{setup.setup.id}-{each.key}"


def instance_items(on: OnTable, view: View, picked: frozenset[str] = frozenset()) -> list[Item]:
    """Every instance of the pattern at a station, those that are ``picked`` (by their keys) with a frame."""
    setup = on.patterned
    assert setup is not None, "asked of a station with a pattern"
    diameters = {cutter.tool: cutter.diameter for cutter in setup.machine.cutters}
    cutters = tuple(diameters.get(operation.tool, 0.0) for operation in setup.setup.operations)
    shared = setup.machine.fixture_at(setup.setup.station).kind in ("plate", "board")
    items: list[Item] = []
    above: list[Item] = []
    labels: list[Item] = []
    carried: set[str | None] = set()
    for each, tf in on.instances:
        by = tf.shift[list(view)]
        turn = tuple((np.round(tf.turn, _ALIKE) + 0.0).ravel().tolist())
        look = _look(setup.clamping, setup.cutting, cutters, shared, turn, view)
        if each.station.on not in carried:
            carried.add(each.station.on)
            base_by = (tf.shift - _from_master(on, each))[list(view)]
            for rings, surface in look.base:
                items += edged(_moved(rings, base_by), surface, on.source)
        source = source_of(setup, each)
        for rings, surface in look.held:
            items += edged(_moved(rings, by), surface, source)
        above += _part(each, look, by, source)
        if each.key in picked:
            above += [Stroke((*ring, ring[0]), "zero", source) for ring in _moved(look.stock, by)]
        if view == _PLAN and tf.turn[2, 2] > _FACING:
            labels.append(Label(_middle(look.stock, by), _words(each), "centre", source))
        above += _zero(setup, each, tf, view)
    return [*items, *above, *labels]


def instance_boxes(on: OnTable) -> tuple[Draggable, ...]:
    """The room that each instance takes in plan, by its source; later ones lie on top."""
    if on.patterned is None:
        return ()
    setup, (low, high) = on.patterned, on.patterned.near_box
    ends = low + np.array(list(np.ndindex(2, 2, 2))) * (high - low)
    boxes = []
    for each, tf in on.instances:
        there = placed(tf, ends)[:, :2]
        (a, b), (c, d) = there.min(axis=0).tolist(), there.max(axis=0).tolist()
        boxes.append(Draggable(source_of(setup, each), (a, b), (c, d)))
    return tuple(boxes)


def _from_master(on: OnTable, each: Instance) -> Array:
    """How far (3,) an instance is shown from where it would be were it the master's, on the same face."""
    same = [(other, tf) for other, tf in on.instances if other.station.on == each.station.on]
    first = next(((other, tf) for other, tf in same if (other.place.column, other.place.row) == (1, 1)), same[0])
    mine = next(tf for other, tf in same if other is each)
    apart: Array = mine.shift - first[1].shift
    return apart


def _part(each: Instance, look: _Look, by: Array, source: str) -> list[Item]:
    """The part as its state has it: raw while it is on, finished where it is done, an outline where it is skipped."""
    rings = _moved(look.stock, by)
    if each.state == "skipped":
        return [Stroke((*ring, ring[0]), "hidden", source) for ring in rings]
    swept = [Stroke((*ring, ring[0]), "thin", source) for ring in _moved(look.swept, by)] if each.is_on else []
    return [*edged(rings, "finished" if each.state == "finished" else "raw", source), *swept]


def _words(each: Instance) -> str:
    return each.name + {"on": "", "skipped": " skipped", "finished": " done"}[each.state]


def _zero(setup: SetupPlan, each: Instance, tf: Placement, view: View) -> list[Item]:
    """The zero of the setup's own offset with its axes, and of each that has another one a mark."""
    x, y = tf(setup.wcs.u_origin)[list(view)].tolist()
    if each.offset == setup.setup.offset and not np.any(each.located.local_shift):
        return [Zero((x, y), ("XYZ"[view[0]], "XYZ"[view[1]]))]
    return [] if each.shares else [Spot((x, y), source_of(setup, each))]


@lru_cache(maxsize=64)
def _look(
    clamping: Clamping,
    cutting: Cutting,
    diameters: tuple[float, ...],
    shared: bool,
    turn: tuple[float, ...],
    view: View,
) -> _Look:
    """``diameters`` are those of the operations' tools; ``shared`` says that one base carries all of them."""
    tf = Placement(np.array(turn).reshape(3, 3), np.zeros(3))
    holding, orientation = clamping.holding, clamping.setup.orientation
    near = [block for block in holding.blocks if block.kind != "base"]
    bases = [block for block in holding.blocks if block.kind == "base"]
    stock = stock_solid(cutting.before(0), orientation)

    def area(vertices: Array, triangles: NDArray[np.int64]) -> manifold3d.CrossSection:
        return covered(placed(tf, vertices)[triangles], view)

    def of(blocks: list[Block]) -> tuple[tuple[Rings, Surface], ...]:
        solids = [block_solid(block) for block in reversed(blocks)]
        return tuple((rings_of(area(s.mesh.vertices, s.mesh.triangles)), KINDS[int(s.kinds[0])]) for s in solids)

    # What the tools cover: what they cut, and a tool's width round it where no wall keeps them in.
    swept = manifold3d.CrossSection()
    for k, operation in enumerate(clamping.setup.operations):
        removed = cutting.removed(k)
        if removed.is_empty():
            continue
        mesh = removed.to_mesh64()
        vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3] @ orientation.matrix().T
        cut = area(vertices, np.asarray(mesh.tri_verts, dtype=np.int64))
        if operation.removes not in ("bore", "hole", "pocket", "slot"):
            cut = cut.offset(diameters[k], manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
        swept = swept + cut
    held = near if shared else [*near, *bases]
    seen_stock = rings_of(area(stock.mesh.vertices, stock.mesh.triangles))
    return _Look(of(held), seen_stock, rings_of(swept), of(bases) if shared else ())


def _moved(rings: Rings, by: Array) -> Rings:
    x, y = float(by[0]), float(by[1])
    return tuple(tuple((a + x, b + y) for a, b in ring) for ring in rings)


def _middle(rings: Rings, by: Array) -> Point2:
    places = np.array([place for ring in rings for place in ring])
    low, high = places.min(axis=0), places.max(axis=0)
    x, y = ((low + high) / 2.0 + by).tolist()
    return (x, y)
