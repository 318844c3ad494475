"""What holding the stock yields.

Everything is in table-aligned part coordinates ``u`` of the setup (mm, Z up); ``tf_s_u`` takes them to the frame of
the fixture, which a station puts somewhere (``locating``).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal, assert_never

import manifold3d
import numpy as np

from ..blanks import box
from ..errors import InternalError
from ..frames import Array, Placement, rotation
from ..model.figure import own_scatter
from ..model.holding import (
    BoardHold,
    Chuck,
    Fixture,
    Hold,
    JawSide,
    Jig,
    JigHold,
    OwnHold,
    Plate,
    SoftJaws,
    Spoilboard,
    VBlock,
    Vise,
    ViseHold,
    VJaws,
)
from ..model.orientation import Orientation, opposite, shown
from ..model.own_fixture import FaceUse, OwnFixture
from ..scatter import Scatter
from ..solids.in_process_stock import InProcessStock

#: How far stock may lie off where it is laid, where the fixture does not say (mm).
_LAID_MM = 0.02
#: How far an edge that was cut in place may lie from where its cutter was told to: its true radius, and how it runs.
_CUT_IN_PLACE_MM = 0.01
#: Quarter turns about Z that bring the fixed jaw to the back (degrees).
JAW_TURN_DEG: dict[JawSide, float] = {"back": 0.0, "front": 180.0, "right": 90.0, "left": -90.0}

#: The jaws of a self-centring vise, of which none is fixed: the first one by where it stands, and the other.
_JAWS_BY_SIDE: dict[JawSide, tuple[str, str]] = {
    "back": ("back jaw", "front jaw"),
    "front": ("front jaw", "back jaw"),
    "left": ("left jaw", "right jaw"),
    "right": ("right jaw", "left jaw"),
}

BlockKind = Literal["jaw", "parallel", "base", "clamp"]


@dataclass(frozen=True, eq=False)
class Block:
    """A piece of the holding: its name and corners (3,) in ``u``, and its shape where it is no plain block.

    ``base`` is what lies under the stock; ``may_cut`` says how deep it may be cut (mm), ``cuttable`` whether a cutter
    that goes into it does no harm to itself.  ``on`` is the id of the rotary axis that takes along what is not part of
    this holding, if any does.
    """

    name: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]
    kind: BlockKind = "jaw"
    shape: manifold3d.Manifold | None = None
    may_cut: float = 0.0
    cuttable: bool = False
    on: str | None = None

    def solid(self) -> manifold3d.Manifold:
        return box(self.low, self.high) if self.shape is None else self.shape


def shaped_block(
    name: str, kind: BlockKind, shape: manifold3d.Manifold, may_cut: float = 0.0, *, cuttable: bool = False
) -> Block:
    """Raises InternalError where the shape has no body."""
    if shape.is_empty():
        raise InternalError(name, "nothing is left of its body")
    low, high = np.array(shape.bounding_box()).reshape(2, 3)
    x, y, z = low.tolist()
    a, b, c = high.tolist()
    return Block(name, (x, y, z), (a, b, c), kind, shape, may_cut, cuttable)


@dataclass(frozen=True)
class Height:
    """One rung of the height ladder; ``key`` is what the drawing and the tape link by."""

    key: str
    name: str
    u_z: float


@dataclass(frozen=True, eq=False)
class KnownBore:
    """A bore of a fixture at a known place: ``u_centre`` (2,), and its diameter (mm)."""

    name: str
    u_centre: Array
    diameter: float


@dataclass(frozen=True, eq=False)
class KnownFace:
    """A flat face of a fixture of the shop's own: it looks along ``axis`` (0, 1, 2) with ``sign``, at ``level`` in
    ``u``; ``region`` are its triangles (N, 3, 3) in ``u``."""

    name: str
    use: FaceUse
    axis: int
    sign: int
    level: float
    region: Array


@dataclass(frozen=True, eq=False)
class HeldInOwn:
    """What comes of holding stock in a fixture of the shop's own: its ``faces``, as long as it stands square; over a
    spigot the ``play`` to any side (mm), else None; and by the name of each part that moves the ``ways`` to the stock
    (mm), None where it never meets that.

    ``missed`` are faces that the stock is pushed against and does not meet, ``lost`` those that the model does not
    have; ``at_rest`` is untrue where pushing it against one takes it off another without end.
    """

    faces: tuple[KnownFace, ...] = ()
    play: float | None = None
    ways: tuple[tuple[str, float | None], ...] = ()
    missed: tuple[str, ...] = ()
    lost: tuple[str, ...] = ()
    at_rest: bool = True


def has_bore(hold: Hold, fixture: Fixture) -> bool:
    """Whether what holds the stock has a bore of its own to probe."""
    if isinstance(fixture, OwnFixture):
        return bool(fixture.bores)
    return hold.by == "jig" or (isinstance(hold, ViseHold) and hold.jaws.kind == "soft" and hold.jaws.bore is not None)


def along_the_jaws(vise: Vise) -> Array:
    """The direction (3,) in ``u`` that is to the right along a vise's jaws, as seen from the moving one."""
    right: Array = rotation("z", JAW_TURN_DEG[vise.fixed_jaw]).T @ np.array([1.0, 0.0, 0.0])
    return right


def jaw_names(vise: Vise) -> tuple[str, str]:
    """What the jaw at the side of ``fixed_jaw`` is called, and the other."""
    return _JAWS_BY_SIDE[vise.fixed_jaw] if vise.centring else ("fixed jaw", "moving jaw")


@dataclass(frozen=True)
class Jaws:
    """The jaws of a vise: ``axis`` (0 or 1) across them, ``toward`` (+1 or -1) the fixed one along it.

    ``face`` is where the stock meets the fixed jaw, ``opening`` how far the other one is from it,
    ``top`` the height of both, and ``bed`` that of the vise's bed.  Of a self-centring vise the first jaw stands for
    the fixed one.  ``fits`` is untrue where the stock does not lie on both flanks of a groove in the jaws.
    """

    vise: Vise
    axis: int
    toward: int
    face: float
    opening: float
    top: float
    bed: float
    fits: bool = True

    @property
    def names(self) -> tuple[str, str]:
        return jaw_names(self.vise)

    @property
    def moving_face(self) -> float:
        return self.face - self.toward * self.opening


@dataclass(frozen=True, eq=False)
class Holding:
    """What follows from putting ``stock`` into a fixture in this orientation.

    ``seat`` is the height of the stock's lowest point, ``seat_name`` what it lies on, and
    ``reference`` the height that touching what it lies on gives (the same but in a V-block).  ``own`` is
    what comes of a fixture of the shop's own.
    """

    fixture: Fixture
    hold: Hold
    orientation: Orientation
    stock: InProcessStock
    u_stock: tuple[Array, Array]
    u_part: tuple[Array, Array]
    seat: float
    seat_name: str
    reference: float
    foot: float
    foot_name: str
    blocks: tuple[Block, ...]
    tf_s_u: Placement
    jaws: Jaws | None = None
    own: HeldInOwn | None = None
    #: Stood up on its side by what carries it: nothing in it is a level seat any more.
    tilted: bool = False

    @property
    def clamping(self) -> Scatter:
        """How unsure the stock's place against its fixture is (mm): never nearer than what it is pushed against."""
        match self.fixture:
            case Vise():
                return own_scatter("one-sided", self.fixture.clamping_scatter, self.fixture.scatter_from)
            case Plate() | Chuck() | OwnFixture():
                return own_scatter("one-sided", self.fixture.seat_scatter, self.fixture.scatter_from)
            case Spoilboard() if isinstance(self.hold, BoardHold) and self.hold.fence is not None:
                return Scatter("one-sided", math.hypot(_LAID_MM, _CUT_IN_PLACE_MM), origin="assumed")
            case VBlock() | Spoilboard() | Jig():
                return Scatter("one-sided", _LAID_MM, origin="assumed")
            case _:
                assert_never(self.fixture)

    def clamping_along(self, k: int) -> Scatter:
        """The same along X (0), Y (1) or Z (2) of ``u``: between jaws that centre, along a groove's own
        width and over a spigot, to either side."""
        if self.spigot_play is not None and k != 2:
            if self.spigot_play > 0.0:
                return Scatter("disc", self.spigot_play)
            return Scatter("normal", self.clamping.size)
        if self.jaws is not None and k != 2:
            to_either_side = self.jaws.vise.centring if self.jaws.axis == k else self.in_groove
            if to_either_side:
                return own_scatter("normal", self.jaws.vise.clamping_scatter, self.jaws.vise.scatter_from)
        return self.clamping

    @property
    def in_groove(self) -> bool:
        """Whether jaws with a groove hold it."""
        return isinstance(self.hold, ViseHold) and isinstance(self.hold.jaws, VJaws)

    @property
    def lift(self) -> float:
        """How far clamping may raise the stock off its seat (mm)."""
        return self.fixture.lift if isinstance(self.fixture, Vise) else 0.0

    @property
    def jaw_top(self) -> float:
        """Height of the jaws; of the seat where there are none."""
        return self.jaws.top if self.jaws else self.seat

    @property
    def grip(self) -> float:
        """Depth of stock between the jaws, from the seat up; negative when the jaws end below it."""
        return min(self.jaw_top, float(self.u_stock[1][2])) - self.seat

    @property
    def opening(self) -> float:
        return self.jaws.opening if self.jaws else 0.0

    def pocket_grip(self) -> float:
        """How deep the stock stands in a jig's pocket (mm); nought where no jig holds it."""
        if not isinstance(self.fixture, Jig) or not isinstance(self.hold, JigHold):
            return 0.0
        return self.fixture.pocket(self.hold.pocket).depth - (self.hold.tape or 0.0)

    def known_bore(self) -> KnownBore | None:
        """The bore of what holds the stock that can be probed in its stead."""
        if isinstance(self.fixture, Jig):
            offset, diameter = np.zeros(3), self.fixture.zero_diameter
        elif isinstance(self.fixture, OwnFixture) and isinstance(self.hold, OwnHold):
            own = self.fixture.bore(self.hold.bore)
            if own is None:
                return None
            centre = self.tf_s_u.inverse()(np.array([own.x, own.y, own.top]))
            return KnownBore(own.name, centre[:2], own.diameter)
        elif isinstance(self.fixture, Vise) and has_bore(self.hold, self.fixture):
            assert isinstance(self.hold, ViseHold) and isinstance(self.hold.jaws, SoftJaws) and self.hold.jaws.bore
            bore, turn = self.hold.jaws.bore, rotation("z", JAW_TURN_DEG[self.fixture.fixed_jaw])
            # Its zero is at the jaw's face, or half the opening before it where both jaws close alike.
            face = self.opening / 2.0 if self.fixture.centring else 0.0
            offset, diameter = turn.T @ np.array([bore.beside, face + bore.behind, 0.0]), bore.diameter
        else:
            return None
        centre = self.tf_s_u.inverse()(offset)
        return KnownBore("jig zero" if isinstance(self.fixture, Jig) else "jaw bore", centre[:2], diameter)

    def _bearing(self) -> Height:
        """The rung of what carries the stock: its seat, or in a chuck the axis it is turned about."""
        axis = self.rotary_axis()
        stands = isinstance(self.fixture, Chuck) and self.fixture.stands
        level = self.reference if stands else self.seat
        return Height("parallels", self.seat_name, level if axis is None else axis[1])

    def rotary_axis(self) -> tuple[float, float] | None:
        """Where in Y and Z (``u``) the stock is turned about; None where nothing turns it."""
        if not isinstance(self.fixture, Chuck) or self.fixture.stands:
            return None
        _, y, z = self.u_zero
        return (float(y), float(z))

    @property
    def u_zero(self) -> Array:
        """Where (3,) the fixture has the zero of its own frame."""
        return self.tf_s_u.inverse().shift

    def wall_floor(self, axis: int) -> float:
        """From which height on a side of the stock that faces along ``axis`` (0 or 1) is free of the holding."""
        if isinstance(self.fixture, Chuck) and self.fixture.stands:
            return self.reference
        return self.jaws.top if self.jaws and self.jaws.axis == axis else self.seat

    def top(self) -> float:
        """The highest point of what stands about the stock."""
        return max((block.high[2] for block in self.blocks), default=self.seat)

    def first_jaw(self) -> Block | None:
        """The fixed jaw, or of those that centre the first; None outside of a vise."""
        return self.block(jaw_names(self.fixture)[0]) if isinstance(self.fixture, Vise) else None

    @property
    def spigot_play(self) -> float | None:
        """How far stock may lie off the spigot that it is over (mm); None where it is over none."""
        return None if self.own is None else self.own.play

    def face(self, name: str | None) -> KnownFace | None:
        """A face of a fixture of the shop's own."""
        faces = () if self.own is None else self.own.faces
        return next((face for face in faces if face.name == name), None)

    def block(self, name: str) -> Block | None:
        return next((block for block in self.blocks if block.name == name), None)

    def heights(self) -> tuple[Height, ...]:
        """The ladder, highest first: stock, part, jaws, seat, bed."""
        up = self.orientation.square_up()
        above, below = ("", "") if up is None else (f" ({shown(up)})", f" ({shown(opposite(up))})")
        rungs = [
            Height("stock-top", "stock top", float(self.u_stock[1][2])),
            Height("part-top", f"part top{above}", float(self.u_part[1][2])),
            Height("part-underside", f"part bottom{below}", float(self.u_part[0][2])),
        ]
        if self.tilted:
            rungs.append(Height("lowest", "holding bottom", self.foot))
        else:
            rungs += [self._bearing(), Height("bed", self.foot_name, self.foot)]
        if isinstance(self.fixture, Vise) and not self.tilted and self.fixture.bed_height:
            rungs.append(Height("table", "table", self.foot - self.fixture.bed_height))
        if self.jaws is not None:
            rungs.append(Height("jaw-top", "jaw top", self.jaws.top))
        highest = self.top()
        if highest > max(rung.u_z for rung in rungs) + 1e-9:
            rungs.append(Height("clamp-top", "holding top" if self.tilted else "clamp top", highest))
        return tuple(sorted(rungs, key=lambda rung: -rung.u_z))


def origin_words(fixture: Fixture) -> tuple[str, str, str]:
    """What lies at a fixture's place on the machine, along X, Y and Z."""
    match fixture:
        case Vise(centring=True, fixed_jaw="left" | "right"):
            return "middle between the jaws", "middle of the jaws", "vise bed"
        case Vise(centring=True):
            return "middle of the jaws", "middle between the jaws", "vise bed"
        case Vise(fixed_jaw="left" | "right"):
            return "fixed jaw", "middle of the jaws", "vise bed"
        case Vise():
            return "middle of the jaws", "fixed jaw", "vise bed"
        case Plate():
            return "plate middle", "plate middle", "plate top"
        case Spoilboard():
            return "board middle", "board middle", "board top"
        case VBlock():
            return "V-block middle", "V-block middle", "V-block top"
        case Chuck(opens="up"):
            return "chuck axis", "chuck axis", "chuck face"
        case Chuck():
            return "chuck face", "rotary axis", "rotary axis"
        case Jig():
            return "jig zero", "jig zero", "jig top"
        case OwnFixture():
            return "fixture zero", "fixture zero", "fixture zero"
