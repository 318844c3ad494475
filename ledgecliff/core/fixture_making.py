"""What is cut into a fixture in place before it holds the part: soft jaws, the pockets and zero hole of a jig, bores
for the dowels of a plate, the edge of a fence on a board, and the level tops of supports.

Everything about the zero that it is cut from: of soft jaws the middle of their width, the fixed one's face as they are
clamped on a spacer, and their tops; of a jig its zero hole and its top; of a plate the middle of its top; of a fence
the middle of its board and the strip's top.  Where a block for a support stands higher before it is cut, Z0 is its top.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from .blanks import transformed
from .frames import AXES, Array, Axis
from .holding.flat_beds import FENCE
from .holding.holding import Jaws, origin_words
from .holding.jigs import relief_places
from .holding.supports import SupportSeat
from .holding.vises import JAW_GAP, soft_outline
from .model.bench import MakeFixture
from .model.holding import BoardHold, Fence, Jig, JigHold, JigPocket, PlateHold, SoftJaws, ViseHold
from .plan import Plan
from .quantities import said
from .setup_plan import SetupPlan

#: How far a cutter goes off the ends of a fence, and how wide what it clears beside the edge, of its radius.
_OFF_END, _BESIDE_EDGE = 4.0, 2.2
#: How far a cutter's middle stays inside of the sides of a support at most, of its radius (corners are reached from
#: there), and of the narrower side.
_INSIDE_SUPPORT, _OF_ITS_SIDE = 0.5, 0.45
#: A zero hole is bored this far below the jig (mm).
_THROUGH = 0.5


@dataclass(frozen=True, eq=False)
class Sunk:
    """A pocket: its ``area`` from above, its depth, and where the cutter goes into corners that it does not reach, so
    that what stands in it finds room (mm)."""

    name: str
    area: manifold3d.CrossSection
    depth: float
    reliefs: tuple[tuple[float, float], ...]
    #: Whether its size from above counts, or only where its floor or one of its edges comes out.
    sized: bool = True

    @property
    def size(self) -> tuple[float, float]:
        low_x, low_y, high_x, high_y = self.area.bounds()
        return float(high_x - low_x), float(high_y - low_y)

    @property
    def middle(self) -> tuple[float, float]:
        low_x, low_y, high_x, high_y = self.area.bounds()
        return float(low_x + high_x) / 2.0, float(low_y + high_y) / 2.0


@dataclass(frozen=True)
class Bored:
    """A bore of the fixture: place and diameter, and how deep (mm)."""

    name: str
    x: float
    y: float
    diameter: float
    depth: float


@dataclass(frozen=True)
class Edge:
    """A straight edge or level face that is cut: its place along an axis (mm)."""

    name: str
    axis: Axis
    at: float


@dataclass(frozen=True, eq=False)
class FixtureCut:
    """What a step cuts, in the fixture of ``setup``; ``u_zero`` (3,) is its zero there, and ``zero`` says where that
    is, with lengths to be spelled."""

    step: MakeFixture
    setup: SetupPlan
    what: str
    u_zero: Array
    zero: tuple[str, str, str]
    sunk: tuple[Sunk, ...]
    bored: tuple[Bored, ...]
    #: Where these come out is what counts, and not how wide what is cleared beside them is.
    edges: tuple[Edge, ...] = ()


def fixture_cut(plan: Plan, step: MakeFixture) -> FixtureCut | None:
    """None where what holds the setup after has nothing that is cut for it, or stands askew."""
    setup = next((each for each in plan.setups if each.setup.id == step.before), None)
    if setup is None or setup.located.turn_deg or not setup.setup.orientation.is_square:
        return None
    cut = _cut_of_hold(step, setup)
    supports = cut_in_levels(setup)
    return _with_supports(cut, step, setup, supports) if supports else cut


def inside_support(each: SupportSeat, radius: float) -> float:
    """How far inside of a support's sides the middle of a cutter of that radius goes round its top (mm)."""
    return min(_INSIDE_SUPPORT * radius, _OF_ITS_SIDE * min(each.support.length, each.support.width))


def cut_in_levels(setup: SetupPlan) -> list[SupportSeat]:
    """The supports of a setup whose tops a step makes: level ones, on a station that stands level."""
    if setup.holding.tilted:
        return []
    return [each for each in setup.supports if each.block is not None and each.is_level]


def _cut_of_hold(step: MakeFixture, setup: SetupPlan) -> FixtureCut | None:
    hold, holding = setup.setup.hold, setup.holding
    if isinstance(hold, ViseHold) and isinstance(hold.jaws, SoftJaws) and holding.jaws is not None:
        return _soft_jaws(step, setup, hold.jaws, holding.jaws)
    if isinstance(hold, JigHold) and isinstance(holding.fixture, Jig):
        return _jig(step, setup, holding.fixture)
    if isinstance(hold, PlateHold) and hold.dowels:
        return _plate(step, setup, hold)
    if isinstance(hold, BoardHold) and hold.fence is not None:
        return _fence(step, setup, hold.fence)
    return None


def _soft_jaws(step: MakeFixture, setup: SetupPlan, soft: SoftJaws, jaws: Jaws) -> FixtureCut:
    zero = setup.holding.u_zero.copy()
    middle = (jaws.face + jaws.moving_face) / 2.0
    zero[jaws.axis], zero[2] = middle + jaws.toward * JAW_GAP / 2.0, jaws.top
    stock = transformed(setup.before.solid, setup.setup.orientation.matrix())
    area = soft_outline(soft, stock, jaws.top).translate((-float(zero[0]), -float(zero[1])))
    first = jaws.names[0]
    across, along = ("Y", "X") if jaws.axis == 1 else ("X", "Y")
    places = {
        along: f"{along}0 is the middle of the jaws' width",
        across: f"{across}0 is the {first}'s face, with the jaws clamped on a spacer of {said(JAW_GAP)} below the cut",
        "Z": "Z0 is the tops of the jaws",
    }
    radius = _radius(setup, step)
    pocket = Sunk("jaws", area, soft.depth, _reliefs(area, radius))
    known = setup.holding.known_bore()
    bored: tuple[Bored, ...] = ()
    if known is not None and soft.bore is not None:
        x, y = (known.u_centre - zero[:2]).tolist()
        bored = (Bored(known.name, x, y, known.diameter, soft.bore.depth),)
    zero_words = (places["X"], places["Y"], places["Z"])
    return FixtureCut(step, setup, f"soft jaws of {setup.holding.fixture.name}", zero, zero_words, (pocket,), bored)


def _jig(step: MakeFixture, setup: SetupPlan, jig: Jig) -> FixtureCut:
    radius = _radius(setup, step)
    pockets = []
    for name, pocket in (("first pocket", jig.first), ("second pocket", jig.second)):
        area = manifold3d.CrossSection([np.array(pocket.outline)], manifold3d.FillRule.NonZero)
        area = area.translate((pocket.x, pocket.y))
        pockets.append(Sunk(name, area, pocket.depth, _reliefs(area, radius)))
    hole = Bored("zero hole", 0.0, 0.0, jig.zero_diameter, jig.thickness + _THROUGH)
    words = ("X0 is the middle of the jig's length", "Y0 is the middle of the jig's width", "Z0 is the jig's top")
    return FixtureCut(step, setup, f"jig {jig.name}", setup.holding.u_zero, words, tuple(pockets), (hole,))


def _plate(step: MakeFixture, setup: SetupPlan, hold: PlateHold) -> FixtureCut:
    zero, bored = setup.holding.u_zero, []
    for number, dowel in enumerate(hold.dowels, start=1):
        block = setup.holding.block(f"dowel {number}")
        assert block is not None, "each dowel of a hold is a block"
        x, y = ((np.array(block.low) + block.high)[:2] / 2.0 - zero[:2]).tolist()
        bored.append(Bored(f"dowel {number}", x, y, dowel.diameter, step.bore_depth))
    words = ("X0 is the middle of the plate", "Y0 is the middle of the plate", "Z0 is the plate's top")
    return FixtureCut(step, setup, f"plate {setup.holding.fixture.name}", zero, words, (), tuple(bored))


def _fence(step: MakeFixture, setup: SetupPlan, fence: Fence) -> FixtureCut:
    """The strip's edge: the cutter goes along it and off both ends, on the side where the stock will lie."""
    block, radius = setup.holding.block(FENCE), _radius(setup, step)
    assert block is not None, "a hold with a fence has its block"
    low, high = np.array(block.low), np.array(block.high)
    zero, k, along = setup.holding.u_zero.copy(), fence.axis, 1 - fence.axis
    zero[2] = high[2]
    edge = float(high[k] if fence.sign < 0 else low[k])
    ends = np.empty((2, 2))
    ends[:, k] = sorted((edge, edge - fence.sign * (fence.cut + _BESIDE_EDGE * radius)))
    ends[:, along] = low[along] - _OFF_END * radius, high[along] + _OFF_END * radius
    (x0, y0), (x1, y1) = ends - zero[:2]
    area = manifold3d.CrossSection([np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)])], manifold3d.FillRule.NonZero)
    words = (
        "X0 is the middle of the board", "Y0 is the middle of the board",
        f"Z0 is the strip's top, {said(fence.height)} over the board",
    )  # fmt: skip
    name = f"{fence.side} fence's edge"
    pocket = Sunk(name, area, fence.height, (), sized=False)
    edges = (Edge(name, AXES[k], edge - float(zero[k])),)
    return FixtureCut(step, setup, f"fence on {setup.holding.fixture.name}", zero, words, (pocket,), (), edges)


def _with_supports(
    cut: FixtureCut | None, step: MakeFixture, setup: SetupPlan, supports: list[SupportSeat]
) -> FixtureCut:
    """And the tops of supports, each as a block over all of it and off its sides; from the highest place of all that is
    cut, so that no pass is deeper than it is to be."""
    holding, radius = setup.holding, _radius(setup, step)
    if cut is None:
        x, y, _ = origin_words(holding.fixture)
        words = (f"X0 is the {x}", f"Y0 is the {y}", "")
        zero = holding.u_zero.copy()
        zero[2] = -np.inf
        cut = FixtureCut(step, setup, "supports", zero, words, (), ())
    highest = max(supports, key=lambda each: each.high + each.support.cut)
    z, lift = highest.high + highest.support.cut, 0.0
    if z > cut.u_zero[2]:
        lift = z - float(cut.u_zero[2])
        raw = said(highest.height + highest.support.cut)
        z_words = f"Z0 is the top of the block for {highest.name}, {raw} over the {highest.floor.name} before it is cut"
        cut = replace(cut, u_zero=np.array([*cut.u_zero[:2], z]), zero=(*cut.zero[:2], z_words))
    sunk, tops = [replace(each, depth=each.depth + lift) for each in cut.sunk], list(cut.edges)
    for each in supports:
        assert each.block is not None, "only those that stand are cut"
        low, high = (np.array(end[:2]) - cut.u_zero[:2] for end in (each.block.low, each.block.high))
        beside = radius - inside_support(each, radius)
        over = manifold3d.CrossSection.square(tuple(high - low + 2.0 * beside)).translate(tuple(low - beside))
        deep = float(cut.u_zero[2]) - each.high
        sunk.append(Sunk(f"{each.name}'s top", over, deep, (), sized=False))
        tops.append(Edge(f"{each.name}'s top", "z", -deep))
    bored = tuple(replace(each, depth=each.depth + lift) for each in cut.bored)
    return replace(cut, what=_both_words(cut.what), sunk=tuple(sunk), bored=bored, edges=tuple(tops))


def _both_words(what: str) -> str:
    return what if what == "supports" else f"{what}, and supports"


def _radius(setup: SetupPlan, step: MakeFixture) -> float:
    cutter = setup.machine.cutter(step.tool)
    assert cutter is not None, "the job's own validation keeps tools true"
    return cutter.diameter / 2.0


def _reliefs(area: manifold3d.CrossSection, radius: float) -> tuple[tuple[float, float], ...]:
    found: list[tuple[float, float]] = []
    for ring in area.to_polygons():
        outline = tuple((float(x), float(y)) for x, y in ring)
        found += relief_places(JigPocket(x=0.0, y=0.0, outline=outline, depth=1.0), radius)
    return tuple(found)
