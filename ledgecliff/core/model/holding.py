"""What holds the stock: the shop's vises, plates, boards and V-blocks, and how the stock lies in one.

A fixture is what it is, in a frame of its own whose zero its docstring names; where it stands a ``Station`` says.
A setup names its station, and its ``hold`` says how the stock lies in what stands there.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Feed, Length, Model, Name, NonNegativeLength, PositiveLength, Spindle
from .figure import FromRecord
from .own_fixture import OverSpigot, OwnFixture

#: Where the fixed jaw of a vise stands, seen by the operator.
JawSide = Literal["back", "front", "left", "right"]


class Vise(Model):
    """A vise.  Heights are above its bed, in mm.

    Its zero is at the middle of the jaws' width, the face of the fixed jaw, and the bed.  Clamping pushes the part
    against the fixed jaw; ``clamping_scatter`` is how unsure its place along that direction is, and ``lift`` how far
    the moving jaw may raise it off its seat.  ``bed_height`` is the bed's height over the table, nought where it is
    not known.

    Where it is ``centring``, both jaws close alike: its zero is at the middle between them, whatever the part's size,
    and ``clamping_scatter`` how well that middle repeats, to either side.  ``fixed_jaw`` then says where the jaw stands
    that counts as the first.
    """

    kind: Literal["vise"] = "vise"
    name: Name
    jaw_width: PositiveLength
    jaw_height: PositiveLength
    jaw_thickness: PositiveLength
    opening_min: NonNegativeLength
    opening_max: PositiveLength
    grip_min: NonNegativeLength
    clamping_scatter: NonNegativeLength
    fixed_jaw: JawSide = "back"
    lift: NonNegativeLength = 0.0
    bed_height: NonNegativeLength = 0.0
    centring: bool = False
    scatter_from: FromRecord | None = None

    @model_validator(mode="after")
    def _opening_in_order(self) -> Vise:
        if self.opening_min >= self.opening_max:
            raise ValueError(
                f"smallest opening {self.opening_min} is not below the largest {self.opening_max}; swap or correct them"
            )
        return self


class ParallelsSet(Model):
    """A boxed set of parallels: pairs of one thickness and length, in several heights (mm)."""

    name: Name
    heights: Annotated[tuple[PositiveLength, ...], Field(min_length=1, max_length=60)]
    thickness: PositiveLength
    length: PositiveLength


class Plate(Model):
    """A fixture plate; its zero is the middle of its top."""

    kind: Literal["plate"] = "plate"
    name: Name
    length: PositiveLength
    width: PositiveLength
    thickness: PositiveLength
    seat_scatter: NonNegativeLength = 0.01
    scatter_from: FromRecord | None = None


class Spoilboard(Model):
    """A board that may be cut into as far as ``may_cut``; its zero is the middle of its top."""

    kind: Literal["board"] = "board"
    name: Name
    length: PositiveLength
    width: PositiveLength
    thickness: PositiveLength
    may_cut: NonNegativeLength = 1.0


class VBlock(Model):
    """A V-block for round stock; its zero is the middle of its top, ``angle_deg`` is between its flanks."""

    kind: Literal["v-block"] = "v-block"
    name: Name
    length: PositiveLength
    width: PositiveLength
    height: PositiveLength
    groove: PositiveLength
    angle_deg: Annotated[float, Field(ge=60, le=120)] = 90.0
    along: Literal["x", "y"] = "x"

    @model_validator(mode="after")
    def _groove_fits(self) -> VBlock:
        if self.groove >= self.width:
            raise ValueError(f"the groove {self.groove} is as wide as the block {self.width}; make it narrower")
        return self


class Chuck(Model):
    """A chuck or a collet, on a rotary axis that turns about X; or where it ``opens`` up, standing on the table.

    Its zero is where its face meets its own axis; stock stands out of it to the side it
    ``opens`` to.  Its body of ``diameter`` by ``length`` lies behind the face; the axis is ``height`` over the table,
    of one that stands the face.  ``seat_scatter`` is how far stock may lie off the axis (mm).
    """

    kind: Literal["chuck"] = "chuck"
    name: Name
    diameter: PositiveLength
    length: PositiveLength
    height: PositiveLength
    opens: Literal["right", "left", "up"] = "right"
    seat_scatter: NonNegativeLength = 0.05
    scatter_from: FromRecord | None = None

    @property
    def stands(self) -> bool:
        return self.opens == "up"

    @model_validator(mode="after")
    def _clears_the_table(self) -> Chuck:
        if self.stands and self.height < self.length:
            raise ValueError(
                f"its face is {self.height} over the table, lower than its body is long ({self.length}); correct one"
            )
        if not self.stands and self.height <= self.diameter / 2.0:
            raise ValueError(
                f"the axis is {self.height} over the table, too low for a chuck of {self.diameter}; correct one of them"
            )
        return self


class JigPocket(Model):
    """A pocket in a jig: ``outline`` against the clock from its own middle, which lies at ``x``, ``y`` from the
    jig's zero hole; ``depth`` below the jig's top (mm)."""

    x: Length
    y: Length
    outline: Annotated[tuple[tuple[Length, Length], ...], Field(min_length=3, max_length=2000)]
    depth: PositiveLength


class JigScrew(Model):
    """A screw that holds the jig down; place from the jig's zero hole, its head ``head_height`` over the jig's top
    (mm), nought where it is sunk."""

    x: Length
    y: Length
    head_diameter: PositiveLength = 10.0
    head_height: NonNegativeLength = 4.0


class Jig(Model):
    """A jig with a pocket for each of two sides and one zero between them, screwed down once.

    Its zero is the zero hole at the jig's top.  ``clearance`` is how much wider the pockets are all round than what
    goes in; ``cutter`` the diameter of what cut them, whose reliefs their inner corners have.  Less than
    ``grip_min`` of depth holds nothing.
    """

    kind: Literal["jig"] = "jig"
    name: Name
    length: PositiveLength
    width: PositiveLength
    thickness: PositiveLength
    first: JigPocket
    second: JigPocket
    clearance: NonNegativeLength = 0.1
    cutter: PositiveLength = 6.0
    zero_diameter: PositiveLength = 8.0
    grip_min: NonNegativeLength = 3.0
    screws: Annotated[tuple[JigScrew, ...], Field(max_length=40)] = ()

    @model_validator(mode="after")
    def _has_a_floor(self) -> Jig:
        deepest = max(self.first.depth, self.second.depth)
        if deepest >= self.thickness:
            raise ValueError(f"a pocket {deepest} deep goes through the jig of {self.thickness}; make the jig thicker")
        return self

    @model_validator(mode="after")
    def _is_wider_than_its_zero_hole(self) -> Jig:
        narrow = min(self.length, self.width)
        if self.zero_diameter >= narrow:
            raise ValueError(
                f"a zero hole {self.zero_diameter} wide leaves nothing of a jig {narrow} wide; make it smaller"
            )
        return self

    def pocket(self, which: Literal["first", "second"]) -> JigPocket:
        return self.first if which == "first" else self.second


Fixture = Vise | Plate | Spoilboard | VBlock | Chuck | Jig | OwnFixture
#: The same, as a file tells them apart.
AnyFixture = Annotated[Fixture, Field(discriminator="kind")]


# --- how a setup uses a fixture ------------------------------------------------------------------


class PlainJaws(Model):
    """The vise's own hard jaws; the stock stands on parallels."""

    kind: Literal["plain"] = "plain"


class StepJaws(Model):
    """Jaws with a step the stock stands on: ``height`` above the bed, ``depth`` from the jaw's face."""

    kind: Literal["stepped"] = "stepped"
    height: PositiveLength
    depth: PositiveLength


class ReferenceBore(Model):
    """A bore in a soft jaw at a known place: probed in the part's stead.

    ``beside`` counts from the middle of the jaws' width to the right, ``behind`` from the fixed jaw's
    face into that jaw.
    """

    beside: Length
    behind: PositiveLength
    diameter: PositiveLength
    depth: PositiveLength


class SoftJaws(Model):
    """Jaws cut to the part's own outline on the side it stands on.

    ``depth`` is how deep the cut goes below the jaw tops: its floor is the seat.  ``clearance`` is how
    far the cut stands off the outline all round when it is made.
    """

    kind: Literal["soft"] = "soft"
    depth: PositiveLength
    clearance: NonNegativeLength = 0.0
    bore: ReferenceBore | None = None


class VJaws(Model):
    """Jaws with an upright groove in which round stock stands on parallels: ``width`` wide at the jaw's face, with
    ``angle_deg`` between its flanks, in the fixed jaw or in ``both``."""

    kind: Literal["v"] = "v"
    width: PositiveLength
    angle_deg: Annotated[float, Field(ge=60, le=150)] = 90.0
    both: bool = False


Jaws = Annotated[PlainJaws | StepJaws | SoftJaws | VJaws, Field(discriminator="kind")]


class Stop(Model):
    """A work stop that the stock is pushed against, at ``height`` above the vise's bed.

    ``at_jaw_end`` it is a block held across that end of the jaws while the stock is clamped, and taken away after: the
    stock then ends where they do.
    """

    side: Literal["left", "right"]
    height: PositiveLength
    at_jaw_end: bool = False


class SecondBlank(Model):
    """Another blank of the same kind, held by the same jaws or clamps: so far its place is from the first one's, in the
    fixture's own directions; in a vise ``x`` is to the right along the jaws (mm)."""

    x: Length
    y: Length = 0.0


class Support(Model):
    """A block under the stock, cut in place to its underside, which carries it where it overhangs or lies at an angle.

    ``x``, ``y``: its middle from the stock's left front corner; ``length`` along X, ``width`` along Y; ``cut`` is how
    far its top stands proud before it is cut (mm).  How high it is left follows from the underside.
    """

    x: Length
    y: Length
    length: PositiveLength = 30.0
    width: PositiveLength = 30.0
    cut: PositiveLength = 1.0


#: No hold has more supports.
MOST_SUPPORTS = 20
Supports = Annotated[tuple[Support, ...], Field(max_length=MOST_SUPPORTS)]


class ViseHold(Model):
    """The stock in a vise, on a pair of parallels that lie against the jaws, on steps or in soft jaws.

    ``beside`` moves the stock's middle from the middle of the jaws, to the right along them as seen
    from the moving jaw, where no block across their end says where it lies; in jaws with a groove that is the groove's
    place.
    """

    by: Literal["vise"] = "vise"
    parallels_height: PositiveLength
    parallels_thickness: PositiveLength
    parallels_length: PositiveLength
    beside: Length = 0.0
    jaws: Jaws = PlainJaws()
    stop: Stop | None = None
    second: SecondBlank | None = None
    supports: Supports = ()

    @property
    def on_parallels(self) -> bool:
        return isinstance(self.jaws, PlainJaws | VJaws)

    @model_validator(mode="after")
    def _one_thing_gives_the_place(self) -> ViseHold:
        if self.stop is not None and isinstance(self.jaws, VJaws):
            raise ValueError("the groove in the jaws says where the stock lies along them; take the stop away")
        if self.second is not None and (isinstance(self.jaws, SoftJaws | VJaws) or self.second.y != 0.0):
            raise ValueError("a second blank stands beside the first, between jaws that are plain or stepped")
        return self


def block_away(hold: Hold) -> str:
    """At which end of the jaws a block is held until the stock is clamped; empty where none is."""
    stop = hold.stop if isinstance(hold, ViseHold) else None
    return stop.side if stop is not None and stop.at_jaw_end else ""


class Dowel(Model):
    """A pin in the plate that the stock rests against; place from the stock's left front corner (mm)."""

    x: Length
    y: Length
    diameter: PositiveLength
    height: PositiveLength


class Clamp(Model):
    """A clamp whose nose presses on the stock at ``x``, ``y`` from the stock's left front corner.

    It comes in from ``side``; ``reach`` is how far its nose lies on the stock, ``height`` how high it
    stands above where it presses.
    """

    x: Length
    y: Length
    side: Literal["left", "right", "front", "back"]
    width: PositiveLength = 20.0
    reach: PositiveLength = 10.0
    height: PositiveLength = 15.0


class PlateHold(Model):
    """The stock on a plate, against dowels, under clamps; ``x``, ``y``: its middle from the plate's middle.

    Where it is ``registered`` its place follows from the turn's pins or frame instead.
    """

    by: Literal["plate"] = "plate"
    x: Length = 0.0
    y: Length = 0.0
    registered: bool = False
    dowels: tuple[Dowel, ...] = ()
    clamps: tuple[Clamp, ...] = ()
    second: SecondBlank | None = None
    supports: Supports = ()


#: What double-sided tape bears in shear, as its maker states (N/cm²).
TapeShear = Annotated[int, Field(ge=1, le=1000)]


class Screw(Model):
    """A screw through the stock into the board; place from the stock's left front corner (mm)."""

    x: Length
    y: Length
    head_diameter: PositiveLength = 8.0
    head_height: NonNegativeLength = 4.0


class ZeroMark(Model):
    """A cross cut into the bare board where X0 and Y0 are: each arm ``arm`` long from the middle, ``depth`` deep (mm).

    ``offset`` is a work offset whose Z0 is the board's top; without one it is cut with the setup's own zero.
    """

    tool: Annotated[int, Field(ge=1, le=9999)]
    arm: PositiveLength = 15.0
    depth: PositiveLength = 0.3
    feed: Feed = 300.0
    spindle: Spindle = 10000
    offset: Name | None = None


class Fence(Model):
    """A strip screwed to the board at one ``side`` of the stock, its edge cut true in place along the machine's axis,
    so that stock pushed against it lies straight and where it was cut.

    ``length`` along that side, ``width`` of what is left of it, ``height`` over the board; ``cut`` is how far its edge
    stands proud before it is cut (mm).
    """

    side: Literal["left", "right", "front", "back"]
    length: PositiveLength = 120.0
    width: PositiveLength = 25.0
    height: PositiveLength = 12.0
    cut: PositiveLength = 1.0

    @property
    def axis(self) -> int:
        """X (0) or Y (1): the one whose place it gives."""
        return 0 if self.side in ("left", "right") else 1

    @property
    def sign(self) -> int:
        """To which side along that axis it stands."""
        return -1 if self.side in ("left", "front") else 1


class BoardHold(Model):
    """The stock on a spoilboard, held by screws, by tape of some thickness, or both; else as ``PlateHold``.

    ``mark`` is cut into the board before the stock lies on it; against a ``fence`` it is pushed.
    """

    by: Literal["board"] = "board"
    x: Length = 0.0
    y: Length = 0.0
    registered: bool = False
    screws: tuple[Screw, ...] = ()
    tape: PositiveLength | None = None
    tape_holds: TapeShear = 10
    mark: ZeroMark | None = None
    fence: Fence | None = None
    supports: Supports = ()

    @model_validator(mode="after")
    def _one_thing_gives_the_place(self) -> BoardHold:
        if self.registered and self.fence is not None:
            raise ValueError("what registers the turn says where the stock lies on the board; take the fence away")
        return self


class VBlockHold(Model):
    """Round stock in a V-block, ``beside`` from its middle along the groove, under straps."""

    by: Literal["v-block"] = "v-block"
    beside: Length = 0.0
    strap: PositiveLength | None = 20.0
    supports: Supports = ()


class ChuckHold(Model):
    """Stock in a chuck, ``grip`` deep in its jaws."""

    by: Literal["chuck"] = "chuck"
    grip: PositiveLength = 20.0


class JigHold(Model):
    """The stock in one of a jig's pockets, under clamps or on tape of some thickness."""

    by: Literal["jig"] = "jig"
    pocket: Literal["first", "second"]
    clamps: tuple[Clamp, ...] = ()
    tape: PositiveLength | None = None


class OwnHold(Model):
    """The stock in a fixture of the shop's own: on its seat, against its faces, a bore of the part ``over`` a spigot.

    Along an axis where neither says its place, the stock's middle lies at ``x`` or ``y`` from the fixture's zero.
    ``bore`` names the one that a zero is found in, the first where none is named.
    """

    by: Literal["own"] = "own"
    x: Length = 0.0
    y: Length = 0.0
    over: OverSpigot | None = None
    bore: Name | None = None
    clamps: tuple[Clamp, ...] = ()


Hold = Annotated[
    ViseHold | PlateHold | BoardHold | VBlockHold | ChuckHold | JigHold | OwnHold, Field(discriminator="by")
]


def supports_of(hold: Hold) -> tuple[Support, ...]:
    """Those that stand under its stock: none where it lies in a chuck, a jig or a fixture of the shop's own."""
    return () if isinstance(hold, ChuckHold | JigHold | OwnHold) else hold.supports
