"""One turn worked out: what registers it, in how many ways the part goes down, and how far off it may lie."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, assert_never, get_args

import numpy as np

from ..carried import frame_slot, pin_bores, pivot
from ..frames import Array, Axis, Turn
from ..model.holding import Jig, JigHold
from ..model.operations import FrameSlot, PinBores
from ..model.setup import FROM_BEFORE, DatumSource
from ..once import lazy, once_each
from ..plan import Plan
from ..registration.interlock import Frame
from ..registration.pins import Held, holds_the_turn, image, one_program, play_at, worst_at
from ..registration.removed import frame_of, part_middle
from ..registration.seats import RoundPlace, Seat, seats
from ..scatter import Scatter
from ..setup_plan import FeatureReading, SetupPlan

if TYPE_CHECKING:
    from ..registration.interlock_check import FrameCheck
    from .frame_stock import FrameStock

Way = Literal[
    "jaw and stop", "probed feature", "soft-jaw bore", "dowel pins", "interlocking frame", "two-pocket jig",
    "rotary index",
]  # fmt: skip
WAYS: tuple[Way, ...] = get_args(Way)


@dataclass(frozen=True)
class SeatPlay:
    """How far the registered part may lie off: any way by ``shift`` (mm), and turned by ``turn_rad`` about the
    middle of what holds it, ``p_about`` in P; by pins, the places that ``held`` it."""

    shift: float
    turn_rad: float
    held: tuple[Held, ...] = ()
    p_about: tuple[float, float, float] | None = None

    @property
    def shifted(self) -> Scatter:
        return Scatter("disc", self.shift)

    @property
    def turned(self) -> Scatter:
        """In radians."""
        return Scatter("even", self.turn_rad)

    def at(self, arm: float) -> float:
        """A bound on what a place ``arm`` from that middle is off: as if shift and turn were full at once (mm)."""
        return self.shift + self.turn_rad * arm

    def worst_at(self, place: tuple[float, float]) -> float:
        """The worst at a place from that middle (mm)."""
        return worst_at(self.held, *place) if self.held else self.at(math.hypot(*place))


@dataclass(frozen=True)
class Farthest:
    """The feature farthest from what registers the part, and how far (mm)."""

    name: str
    arm: float
    #: Where it is from that middle.
    place: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True, eq=False)
class TurnPlan:
    """The turn between two setups; the part ``stays`` clamped where nothing but rotary axes turns it."""

    before: SetupPlan
    after: SetupPlan
    stays: bool = False

    @property
    def index(self) -> int:
        """Of the setup that the turn leads to."""
        return self.after.index

    @lazy
    def turn(self) -> Turn:
        return Turn(self.before.setup.orientation, self.after.setup.orientation)

    @property
    def axis(self) -> Axis | None:
        """The table axis of half a turn that brings the other face up; None for any other turn."""
        way = self.turn.axis()
        if round(self.turn.angle_deg()) != 180 or abs(way[2]) > 1e-6:
            return None
        return "x" if abs(way[0]) > 1.0 - 1e-6 else "y" if abs(way[1]) > 1.0 - 1e-6 else None

    @lazy
    def way(self) -> Way:
        """What registers it, read off the holds, the operations and the datum."""
        hold, datum = self.after.setup.hold, self.after.setup.datum
        sources = {datum.x.source, datum.y.source}
        if isinstance(hold, JigHold) and isinstance(self.before.setup.hold, JigHold):
            return "two-pocket jig"
        if getattr(hold, "registered", False):
            return "interlocking frame" if self.frame_slot is not None else "dowel pins"
        if self.stays and sources <= set(FROM_BEFORE):
            return "rotary index"
        if any(source.startswith(("feature", "part")) for source in sources):
            return "probed feature"
        return "soft-jaw bore" if "fixture bore" in sources else "jaw and stop"

    @property
    def frame_slot(self) -> FrameSlot | None:
        return frame_slot(self.before.setup)

    @property
    def pin_bores(self) -> PinBores | None:
        return pin_bores(self.before.setup)

    # --- pins ---------------------------------------------------------------------------------

    @lazy
    def bored(self) -> tuple[RoundPlace, ...]:
        """The bores as the setup before makes them, in its WCS; their diameters are the pins'."""
        made = self.pin_bores
        if made is None:
            return ()
        place = self.part_middle - self.before.wcs.u_origin[:2]
        return tuple(RoundPlace(float(place[0]) + p.x, float(place[1]) + p.y, p.diameter) for p in made.pins)

    @lazy
    def board_pins(self) -> tuple[RoundPlace, ...]:
        """Where pins stand in the board, in the WCS of the setup before: at the turned image of the bores."""
        return tuple(image(pin, self.axis) for pin in self.bored) if self.axis else ()

    @property
    def one_program(self) -> bool:
        """Whether board and blank are bored by the same program."""
        made = self.pin_bores
        if self.axis is None or made is None or made.blind is not None or made.board_offset is not None:
            return False
        return one_program(self.bored, self.axis)

    @property
    def board_first(self) -> bool:
        """Whether the bare board can be bored before the blank lies on it: X and Y of its zero are not the blank's."""
        datum = self.before.setup.datum
        return all(datum.axis(axis).source in _OF_BOARD for axis in ("x", "y"))

    @lazy
    def seats(self) -> tuple[Seat, ...]:
        """Every way the blank goes, or nearly goes, on the pins."""
        made = self.pin_bores
        if made is None or self.axis is None or self.way != "dowel pins":
            return ()
        bores = [RoundPlace(pin.x, pin.y, pin.diameter + made.clearance) for pin in self.bored]
        return seats(bores, self.board_pins, self.axis)

    # --- frame --------------------------------------------------------------------------------

    @lazy
    def frame(self) -> Frame | None:
        return None if self.frame_slot is None else frame_of(self.frame_slot)

    @lazy
    def frame_check(self) -> FrameCheck | None:
        slot = self.frame_slot
        if slot is None or self.frame is None:
            return None
        from ..registration.interlock_check import check_frame  # shapely is not needed before a frame is

        cutter = self.before.machine.cutter(slot.tool)
        assert cutter is not None, "the job's own validation keeps tools true"
        return check_frame(self.frame, min(cutter.diameter, slot.slot))

    @lazy
    def frame_stock(self) -> FrameStock | None:
        """The frame on the stock as it really is; None without one, or where the part is not turned over."""
        from .frame_stock import frame_stock  # what the rules ask for, and few else

        slot = self.frame_slot
        return None if slot is None or self.axis is None else frame_stock(self.before, self.after, slot)

    @property
    def frame_border(self) -> float:
        """The least of the blank that is left outside of the frame's slot (mm); nought or less where it runs out."""
        if self.frame is None:
            return math.inf
        low, high = self.before.before.u_corners(self.before.setup.orientation)
        half = np.array(self.frame.half_size)
        beside = (self.part_middle - half - low[:2], high[:2] - self.part_middle - half)
        return float(min(side.min() for side in beside))

    # --- how far off it may lie ---------------------------------------------------------------

    @property
    def part_middle(self) -> Array:
        """The middle of the part's box (2,) in ``u`` of the setup before."""
        return part_middle(self.before.geometry, self.before.setup.orientation)

    @lazy
    def middle(self) -> Array:
        """The middle (2,) of what registers the part, in ``u`` of the setup before."""
        if self.way != "dowel pins":
            return self.part_middle
        middle = pivot(self.before.setup, self.before.wcs, self.before.geometry)
        if self.bored:
            middle += np.mean([(pin.x, pin.y) for pin in self.bored], axis=0)
        return middle

    @property
    def _p_middle(self) -> tuple[float, float, float]:
        x, y, z = (float(value) for value in self.before.setup.orientation.matrix().T @ [*self.middle, 0.0])
        return x, y, z

    def place_of(self, feature: str) -> tuple[float, float]:
        """Where a named feature is from the middle of what registers the part (mm, in plan)."""
        reading = next(reading for reading in self.before.readings if reading.name == feature)
        return self._from(reading, self.middle)

    def _from(self, reading: FeatureReading, middle: Array) -> tuple[float, float]:
        x, y = np.array([reading.x, reading.y]) + self.before.wcs.u_origin[:2] - middle
        return float(x), float(y)

    def farthest_from(self, middle: Array) -> Farthest:
        """The named feature farthest from a place (2,) in ``u`` of the setup before; where none has a name, the
        corner of the part's box."""
        places = [(self._from(reading, middle), reading.name) for reading in self.before.readings]
        if not places:
            geometry = self.before.geometry
            corners = np.array(geometry.u_corners(self.before.setup.orientation))
            x, y = (float(value) for value in np.abs(corners[:, :2] - middle).max(axis=0))
            places = [((x, y), "the part's corner")]
        arm, name, place = max((math.hypot(*place), name, place) for place, name in places)
        return Farthest(name, arm, place)

    @lazy
    def farthest(self) -> Farthest:
        return self.farthest_from(self.middle)

    @lazy
    def play(self) -> SeatPlay | None:
        """What pins, frame or jig leave; None where the part is probed after the turn, and without a fit."""
        match self.way:
            case "dowel pins":
                made = self.pin_bores
                if made is None or not holds_the_turn(self.bored):
                    return None
                x, y = (float(v) for v in self.middle - self.before.wcs.u_origin[:2])
                play = play_at(self.bored, [made.clearance] * len(self.bored), x, y)
                held = tuple(Held(pin.x - x, pin.y - y, made.clearance / 2.0) for pin in self.bored)
                return SeatPlay(play.shift, play.turn_rad, held, self._p_middle)
            case "interlocking frame":
                checked = self.frame_check
                if checked is None or not checked.locks:
                    return None
                shift = math.hypot(max(checked.play[:2]), max(checked.play[2:]))
                return SeatPlay(shift, math.radians(max(checked.turn_deg)), p_about=self._p_middle)
            case "two-pocket jig":
                first, second = (jig_play(plan) for plan in (self.before, self.after))
                if first is None or second is None:
                    return None
                return SeatPlay(first.shift + second.shift, first.turn_rad + second.turn_rad)
            case "jaw and stop" | "probed feature" | "soft-jaw bore" | "rotary index":
                return None
            case _:
                assert_never(self.way)

    @property
    def play_at_farthest(self) -> float | None:
        return None if self.play is None else self.play.worst_at(self.farthest.place)


#: Sources of a zero that stand on the table without the blank.
_OF_BOARD: tuple[DatumSource, ...] = ("fixture value", "fixture bore", "fixture face", *FROM_BEFORE)


@once_each
def turns_of(plan: Plan) -> tuple[TurnPlan, ...]:
    """The turns between setups, in order: the first leads to the second setup."""
    pairs = itertools.pairwise(plan.setups)
    return tuple(TurnPlan(before, after, plan.is_indexed(after.index)) for before, after in pairs)


def order_of_boring(turn: TurnPlan) -> str:
    """When the board is bored that is bored by itself."""
    if turn.board_first:
        return "the board first, before the blank lies on it"
    return "the blank first, for X and Y come from it; the board once it is off"


def jig_play(plan: SetupPlan) -> SeatPlay | None:
    """What a pocket leaves that is ``clearance`` wider all round: so much each way, both ways at once at worst, and
    a turn of twice that over its longer side."""
    hold = plan.setup.hold
    jig = plan.holding.fixture
    if not isinstance(jig, Jig) or not isinstance(hold, JigHold):
        return None
    outline = np.array(jig.pocket(hold.pocket).outline)
    longest = float((outline.max(axis=0) - outline.min(axis=0)).max())
    clearance = jig.clearance
    return SeatPlay(math.sqrt(2.0) * clearance, 2.0 * clearance / longest)
