"""One setup worked out: the stock it gets and leaves, how it sits, its zero, its touches."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np

from .blanks import transformed
from .carried import Carried
from .cutting.cuts import Cut, cut_floor
from .datums import Wcs, place_wcs
from .errors import PlanError
from .frames import AXES, Array
from .holding import Block, Holding, as_it_stands, held_on, hold_part
from .holding.contact import Grip, Seat, ThinPlace, grip_of, seat_of, thinnest_place
from .holding.holding import Height
from .holding.laying import LaidByEye, laid_by_eye
from .holding.loose_pieces import Piece, pieces
from .holding.own_fixtures import OwnNeeds
from .holding.supports import SupportSeat, support_seats
from .holding.taped import taped_area
from .holding.tooling import Removal, Standing, ToolUse, tool_use
from .in_process.states import Cutting
from .locating import Clamping, Located, located
from .model.holding import BoardHold, Fixture, Hold
from .model.job import made_on
from .model.machine import Machine
from .model.orientation import Orientation, exact_direction, opposite
from .model.part import Feature
from .model.parting import PartingPlane
from .model.setup import Setup
from .model.stock import Stock
from .neighbours import LaterNeighbourhood, Neighbourhood
from .once import lazy
from .places import as_it_lies, rotaries_under
from .probing.planning import clearance_plane, near_enough, plan_probing
from .probing.touches import ProbingPlan, Step
from .solids.geometry import NO_FIXTURES, FixtureModels, PartGeometry
from .solids.in_process_stock import InProcessStock
from .turned_zero import turned_off

#: Prepared on both faces, and varying no more than this in thickness, a blank may give a later side its Z (mm), where
#: no tolerance speaks; and no more than this share of the tightest one that hangs on that Z.
_PREPARED_WITHIN, _SHARE_OF_TOLERANCE = 0.05, 0.5
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
    """One setup worked out: the stock it gets and leaves, how it sits, its zero, its touches.

    Its ``setup`` has the orientation in which the part really lies, on a tilted station too.
    """

    index: int
    clamping: Clamping
    cutting: Cutting
    neighbours: Neighbourhood | LaterNeighbourhood
    readings: tuple[FeatureReading, ...]
    features: tuple[Feature, ...]

    geometry: PartGeometry
    machine: Machine
    stock: Stock
    cuts: tuple[Cut, ...]
    parting: PartingPlane | None = None
    #: How far what was cut before may have moved by treatment since the setup before (mm, to either side).
    moved_before: float = 0.0

    @property
    def setup(self) -> Setup:
        return self.clamping.setup

    @property
    def holding(self) -> Holding:
        return self.clamping.holding

    @property
    def wcs(self) -> Wcs:
        return self.clamping.wcs

    @property
    def located(self) -> Located:
        return self.clamping.located

    @property
    def spread(self) -> tuple[float, float, float]:
        """How far blanks vary along part X, Y and Z (plus or minus, mm)."""
        return self.stock.spread()

    @property
    def w_clearance(self) -> float:
        """The height at which the probe travels (mm)."""
        return clearance_plane(self.clamping)

    @lazy
    def probing(self) -> ProbingPlan:
        """The touches; worked out when they are asked for, since most edits are looked at without them."""
        blocks, before = self.neighbours.blocks, self.cutting.before
        return plan_probing(self.clamping, blocks, self.machine, self.stock, self.features, before)

    def near_enough(self, step: Step) -> float | None:
        """How far from its place the probe may stand where a step's cycle begins from where it stands (mm)."""
        blocks, before = self.neighbours.blocks, self.cutting.before
        return near_enough(self.clamping, blocks, self.machine, self.stock, self.features, before, step.cycle)

    @property
    def planned_offset(self) -> Array:
        """The work offset (3,) as the control's table shows it: with lengths from a reference plane, Z from there."""
        shown: Array = self.located.m_offset - np.array([0.0, 0.0, self.machine.length_shift()])
        return shown

    @property
    def near_box(self) -> tuple[Array, Array]:
        """Lowest and highest corner (3,) in ``u`` of the stock and what holds it, without what that stands on."""
        blocks = [block for block in self.holding.blocks if block.kind != "base"]
        corners = [*self.holding.u_stock, *(np.array(end) for block in blocks for end in (block.low, block.high))]
        return np.min(corners, axis=0), np.max(corners, axis=0)

    def u_of(self, other: SetupPlan, u_place: Array) -> Array:
        """Where (3,) a place in ``u`` of another setup lies in ``u`` of this one, on the machine as it stands."""
        return self.located.tf_m_u.inverse()(other.located.tf_m_u(u_place))

    def heights(self) -> tuple[Height, ...]:
        """The ladder of what holds it, with the parting plane where that lies level."""
        rungs = self.holding.heights()
        level = None if self.parting is None else self.parting.height(self.setup.orientation)
        if level is None:
            return rungs
        return tuple(sorted((*rungs, Height("parting", "parting plane", level)), key=lambda rung: -rung.u_z))

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

    @lazy
    def top_is_raw(self) -> bool:
        """Some triangle of the blank's own surface lies at the top of the stock and faces up."""
        up = self.setup.orientation.matrix()[2]
        heights = self.before.mesh.vertices @ up
        at_top = np.abs(heights[self.before.mesh.triangles] - heights.max()).max(axis=1) < _NEAR_TOP
        return bool(np.any(at_top & (self.before.raw > 0)))

    @property
    def grain_words(self) -> str:
        """How fibres or rolling lie on the machine, to lay the blank as planned; empty where there are none."""
        if self.stock.grain is None:
            return ""
        along = exact_direction(self.setup.orientation.matrix()[:, AXES.index(self.stock.grain)])
        if along is None:
            return "grain askew to the machine's axes"
        return {"X": "grain along machine X", "Y": "grain along machine Y", "Z": "grain upright, on end"}[along[1]]

    @property
    def thickness_is_prepared(self) -> bool:
        """Whether the blank came prepared on the face that is up and on the one under it."""
        up = self.setup.orientation.square_up()
        return up is not None and {up, opposite(up)} <= set(self.stock.prepared)

    @property
    def top_varies(self) -> float:
        """How far the size that ends at the stock's top may be off (mm)."""
        return float(self.setup.orientation.sizes(self.spread)[2])

    @property
    def top_gives_zero(self) -> bool:
        """Whether raw as it may be, the stock's top is good enough to give a later side its Z."""
        return not self.top_is_raw or (self.thickness_is_prepared and self.top_varies <= self.prepared_within[0])

    @property
    def tightest_here(self) -> tuple[float, str] | None:
        """The tightest tolerance (mm) of what is made here, or seen from something made here, and whose it is."""
        made = {name for operation in self.setup.operations for name in (*operation.features, *made_on(operation))}
        asked = [
            (value, feature.name)
            for feature in self.features
            if feature.tolerance is not None and made & {feature.name, feature.partner, feature.tolerance.to}
            for value in (feature.tolerance.position, feature.tolerance.even)
            if value is not None
        ]
        return min(asked, default=None)

    @property
    def prepared_within(self) -> tuple[float, str]:
        """How much a prepared blank's thickness may vary to give this side its Z (mm), and whose tolerance says so: the
        tightest of what is made here, or seen from something made here; nobody's where none is stated."""
        if self.tightest_here is None:
            return _PREPARED_WITHIN, ""
        tightest, name = self.tightest_here
        return _SHARE_OF_TOLERANCE * tightest, name

    @lazy
    def grip(self) -> Grip | None:
        return grip_of(self.clamping.level, self.after)

    @lazy
    def laid_by_eye(self) -> LaidByEye | None:
        """How near a hand must lay it, where nothing else gives it its place and nothing is touched."""
        if self.clamping.still:
            return None
        varies = float(self.setup.orientation.sizes(self.spread)[:2].max())
        return laid_by_eye(self.setup, self.holding, self.geometry, varies)

    @lazy
    def seat(self) -> Seat:
        return seat_of(self.clamping.level)

    @lazy
    def supports(self) -> tuple[SupportSeat, ...]:
        """The supports under the stock, and what they carry."""
        return support_seats(self.clamping.level)

    @lazy
    def thinnest(self) -> ThinPlace | None:
        return thinnest_place(self.clamping.level, self.after)

    @lazy
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
            if operation.removes == "pin bores" and operation.blind is None:
                # Pins stand in what lies under the stock.
                blocks = tuple(block for block in blocks if block.kind != "base" or block.name == "border")
            removal = Removal(cutting.removed(k), cutting.after(k), orientation, lowest)
            about = Standing(blocks, self.neighbours.blocks)
            uses.append(tool_use(k, removal, cutter, self.machine.nose_diameter, about))
        return tuple(uses)

    def orient(self, p_solid: manifold3d.Manifold) -> tuple[Array, Array]:
        """Lowest and highest corner (3,) in ``u`` of a solid in P."""
        low, high = np.array(transformed(p_solid, self.setup.orientation.matrix()).bounding_box()).reshape(2, 3)
        return low, high

    def pieces_after(self, operation: int) -> tuple[Piece, ...]:
        """What the stock has fallen into after an operation (from 0), and what holds each piece."""
        return _pieces(self.holding, self.cutting.after(operation), self.geometry.bodies)

    def taped_alone(self, operation: int) -> float | None:
        """The area (mm²) of tape under the part after an operation (from 0); None where something else holds it too:
        screws or clamps, and sideways a jig's pocket or what registers a turn."""
        if not isinstance(self.setup.hold, BoardHold) or self.setup.hold.registered:
            return None
        part = next((each for each in self.pieces_after(operation) if each.is_part), None)
        if part is None or part.held_by != ("tape",):
            return None
        return taped_area(self.holding, self.cutting.after(operation), self.geometry.solid)


_pieces = lru_cache(maxsize=256)(pieces)


@lru_cache(maxsize=256)
def clamped(
    of_job: OfJob,
    setup: Setup,
    before: InProcessStock,
    over: Carried | None = None,
    behind: Block | None = None,
    still: Holding | None = None,
) -> Clamping:
    """How a setup holds the stock it gets, where its zero is, and where all of it stands.

    ``over`` is what it takes over from the setup before, ``behind`` what that one left standing about, and ``still``
    how that one holds it (level) where the part is not taken out in between.  Raises PlanError when nothing is left to
    hold.
    """
    if before.solid.is_empty():
        raise PlanError(f"Nothing of the stock is left for {setup.name} to hold.")
    machine = of_job.machine
    if still is None:
        fixture = machine.fixture_at(setup.station)
        s_shift = over.s_shift if over else None
        level = _seated(setup.hold, setup.orientation, fixture, before, of_job, s_shift, behind)
    else:
        level = _held_on(still, before)
    holding = as_it_stands(level, machine, setup, of_job.geometry)
    wcs = place_wcs(setup.datum, holding, of_job.features, over.s_zeros if over else None)
    place = located(machine, setup, holding, wcs)
    turned = () if over is None or still is None else turned_off(machine, over.before, setup, place.m_offset)
    if over is not None and over.on_axis:
        turned = tuple(each for each in turned if each.rotary is not rotaries_under(machine, setup)[0])
    return Clamping(as_it_lies(machine, setup), level, holding, wcs, place, turned, still is not None)


@lru_cache(maxsize=256)
def _seated(
    hold: Hold,
    orientation: Orientation,
    fixture: Fixture,
    before: InProcessStock,
    of_job: OfJob,
    s_shift: tuple[float, float] | None,
    behind: Block | None,
) -> Holding:
    """One object for setups that differ in their zeros alone, so that all that hangs on how stock is held is kept."""
    needs = OwnNeeds(of_job.fixtures, of_job.features)
    return hold_part(hold, orientation, fixture, before, of_job.geometry, s_shift, behind, needs)


_held_on = lru_cache(maxsize=256)(held_on)


@dataclass(frozen=True, eq=False)
class OfJob:
    """What all setups of a job share that go over one machine."""

    machine: Machine
    stock: Stock
    features: tuple[Feature, ...]
    geometry: PartGeometry
    parting: PartingPlane | None
    fixtures: FixtureModels = NO_FIXTURES


@lru_cache(maxsize=256)
def setup_plan(
    index: int,
    clamping: Clamping,
    neighbours: Neighbourhood | LaterNeighbourhood,
    cuts: tuple[Cut, ...],
    cutting: Cutting,
    of_job: OfJob,
    moved_before: float = 0.0,
) -> SetupPlan:
    """One setup worked out from how it is clamped."""
    readings = tuple(
        FeatureReading(feature.name, *(float(value) for value in clamping.wcs.reads(feature.at.as_tuple())))
        for feature in of_job.features
    )
    return SetupPlan(
        index=index,
        clamping=clamping,
        cutting=cutting,
        neighbours=neighbours,
        readings=readings,
        features=of_job.features,
        geometry=of_job.geometry,
        machine=of_job.machine,
        stock=of_job.stock,
        cuts=cuts,
        parting=of_job.parting,
        moved_before=moved_before,
    )
