"""One setup worked out: the stock it gets and leaves, how it sits, its zero, its touches."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import manifold3d
import numpy as np

from .carried import Carried
from .cutting.cuts import Cut, cut_floor
from .datums import Wcs, place_wcs
from .errors import PlanError
from .frames import Array
from .holding import Block, Holding, hold_part
from .holding.contact import Grip, Seat, ThinPlace, grip_of, seat_of, thinnest_place
from .holding.freed import Piece, pieces
from .holding.tooling import ToolUse, tool_use
from .in_process.states import Cutting
from .model.machine import Machine
from .model.part import Feature
from .model.setup import Setup
from .model.stock import Stock
from .probing.planning import plan_probing
from .probing.touches import ProbingPlan
from .solids.geometry import PartGeometry
from .solids.tracked import InProcessStock

#: A triangle this near to the stock's highest point lies at its top (mm).
_NEAR_TOP = 1e-6


@dataclass(frozen=True)
class FeatureReading:
    """One row of the table of feature coordinates, in the WCS of its setup (mm)."""

    name: str
    x: float
    y: float
    z: float


@dataclass(frozen=True, eq=False)
class SetupPlan:
    """One setup worked out: the stock it gets and leaves, how it sits, its zero, its touches."""

    index: int
    setup: Setup
    cutting: Cutting
    holding: Holding
    wcs: Wcs
    probing: ProbingPlan
    readings: tuple[FeatureReading, ...]
    features: tuple[Feature, ...]

    geometry: PartGeometry
    machine: Machine
    cuts: tuple[Cut, ...]
    #: How far blanks vary along part X, Y and Z (plus or minus, mm).
    spread: tuple[float, float, float]

    @property
    def planned_offset(self) -> Array:
        """The work offset (3,) as the control's table shows it: with lengths from a reference plane, Z from there."""
        shown: Array = self.wcs.m_offset - np.array([0.0, 0.0, self.machine.length_shift()])
        return shown

    @property
    def before(self) -> InProcessStock:
        return self.cutting.before(0)

    @property
    def after(self) -> InProcessStock:
        return self.cutting.before(len(self.setup.operations))

    def stock_after(self, operation: str | None) -> InProcessStock:
        """The stock once an operation of this setup is cut, or as the setup gets it."""
        names = [each.name for each in self.setup.operations]
        return self.before if operation is None else self.cutting.before(names.index(operation) + 1)

    @cached_property
    def top_is_raw(self) -> bool:
        """Some triangle of the blank's own surface lies at the top of the stock and faces up."""
        up = self.setup.orientation.matrix()[2]
        heights = self.before.mesh.vertices @ up
        at_top = np.abs(heights[self.before.mesh.triangles] - heights.max()).max(axis=1) < _NEAR_TOP
        return bool(np.any(at_top & (self.before.raw > 0)))

    @cached_property
    def grip(self) -> Grip | None:
        return grip_of(self.holding, self.after)

    @cached_property
    def seat(self) -> Seat:
        return seat_of(self.holding)

    @cached_property
    def thinnest(self) -> ThinPlace | None:
        return thinnest_place(self.holding, self.after)

    @cached_property
    def tool_uses(self) -> tuple[ToolUse, ...]:
        """What every operation asks of its tool, in their order."""
        orientation, cutting = self.setup.orientation, self.cutting
        uses = []
        for k, operation in enumerate(self.setup.operations):
            cutter = self.machine.cutter(operation.tool)
            assert cutter is not None, "the job's own validation keeps tools true"
            bottom = float(cutting.before(k).u_corners(orientation)[0][2])
            lowest = cut_floor(self.geometry, self.cuts[k], bottom)
            blocks = self.holding.blocks
            if operation.removes == "pin bores":
                # Pins stand in what lies under the stock.
                blocks = tuple(block for block in blocks if block.kind != "base" or block.name == "border")
            uses.append(tool_use(k, cutting.removed(k), cutting.after(k), orientation, cutter, blocks, lowest))
        return tuple(uses)

    def orient(self, p_solid: manifold3d.Manifold) -> tuple[Array, Array]:
        """Lowest and highest corner (3,) in ``u`` of a solid in P."""
        bounds = np.array(p_solid.bounding_box()).reshape(2, 3) @ self.setup.orientation.matrix().T
        return bounds.min(axis=0), bounds.max(axis=0)

    def pieces_after(self, operation: int) -> tuple[Piece, ...]:
        """What the stock has fallen into after an operation (from 0), and what holds each piece."""
        return _pieces(self.holding, self.cutting.after(operation), self.geometry.solid)


_pieces = lru_cache(maxsize=256)(pieces)


@lru_cache(maxsize=256)
def setup_plan(
    index: int,
    machine: Machine,
    setup: Setup,
    cuts: tuple[Cut, ...],
    cutting: Cutting,
    stock: Stock,
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    over: Carried | None,
    behind: Block | None,
) -> SetupPlan:
    """One setup worked out from the stock it gets.

    ``spread`` is read off ``stock``; ``over`` is what it takes over from the setup before, ``behind`` what that one
    left standing about.  Raises PlanError when nothing is left to hold.
    """
    before = cutting.before(0)
    if before.solid.is_empty():
        raise PlanError(f"Nothing of the stock is left for {setup.name} to hold.")
    holding = hold_part(machine, setup, before, geometry, over.m_shift if over else None, behind)
    wcs = place_wcs(setup.datum, holding, features, over.m_zero if over else None)
    probing = plan_probing(setup, holding, wcs, machine, stock, features, cutting.before)
    readings = tuple(
        FeatureReading(feature.name, *(float(value) for value in wcs.reads(feature.at.as_tuple())))
        for feature in features
    )
    spread = stock.spread()
    return SetupPlan(index, setup, cutting, holding, wcs, probing, readings, features, geometry, machine, cuts, spread)
