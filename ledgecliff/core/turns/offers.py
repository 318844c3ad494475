"""The ways to register a turn, side by side: what each asks for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import assert_never

from ..errors import RegistrationError
from ..model.holding import Plate, Spoilboard, Vise
from ..model.machine import Machine
from ..model.part import Feature
from ..model.stations import Station
from ..plan import Plan
from ..quantities import said
from .by_axes import ByAxes, by_axes
from .layouts import frame_lacking, pins_lacking
from .turn_plan import WAYS, TurnPlan, Way
from .wrong_turns import wrong_turn_words

#: A bore that is probed has room for the ball and this much more (mm).
_BORE_ROOM = 2.5
#: Clearance of a jig's pockets, all round (mm), until another is entered.
JIG_CLEARANCE = 0.05


@dataclass(frozen=True)
class WayOffer:
    """One way: whether it fits and, if not, ``why_not``; what it asks for; and whether a wrong turn is noticed, empty
    where it does not fit.  Words may hold lengths to be spelled."""

    way: Way
    current: bool
    why_not: str
    stock: str
    work: str
    wrong_turn: str

    @property
    def fits(self) -> bool:
        return not self.why_not


def way_offers(plan: Plan, turn: TurnPlan) -> tuple[WayOffer, ...]:
    """All ways for a turn, in the order of ``WAYS``."""
    return tuple(way_offer(plan, turn, way) for way in WAYS)


def way_offer(plan: Plan, turn: TurnPlan, way: Way) -> WayOffer:
    """One of them."""
    current = way == turn.way
    why_not = "" if current else _why_not(plan, turn, way)
    stock, wrong = "", ""
    if not why_not:
        try:
            stock = "" if current else _extra_stock(turn, way)
            wrong = wrong_turn_words(turn, way, _probed(plan, turn))
        except RegistrationError as error:
            # A frame about a small part may have no room for its own roundings.
            why_not = str(error)
    return WayOffer(way, current, why_not, stock, _WORK[way], wrong)


def _probed(plan: Plan, turn: TurnPlan) -> Feature | None:
    """The feature that is probed after the turn, or would be."""
    datum = turn.after.setup.datum
    if turn.way == "probed feature":
        return plan.job.part.feature(datum.x.feature or datum.y.feature or "")
    return bore_to_probe(plan, turn)


_WORK: dict[Way, str] = {
    "jaw and stop": "none; the stop must stay where it is",
    "probed feature": "one probing step a part",
    "soft-jaw bore": "soft jaws cut and bored once; one probing step",
    "dowel pins": "bores in blank and board",
    "interlocking frame": "a slot all round, cut through",
    "two-pocket jig": "a jig made once; its zero found once",
    "rotary index": "none; the axes' centres found once",
}


def board_of(machine: Machine, turn: TurnPlan) -> Station | None:
    """The station of the board or plate for pins and frames: where the setup before is, else the machine's first."""
    if isinstance(turn.before.holding.fixture, (Spoilboard, Plate)):
        return machine.station(turn.before.setup.station)
    flat = (*machine.standing(Spoilboard), *machine.standing(Plate))
    return flat[0][0] if flat else None


def bore_to_probe(plan: Plan, turn: TurnPlan) -> Feature | None:
    """The widest upright hole that was cut before and takes the probe's ball."""
    made = {name for setup in plan.job.setups[: turn.index] for each in setup.operations for name in each.features}
    up = turn.after.setup.orientation.matrix()[2]
    fitting = [
        feature
        for feature in plan.job.part.features
        if feature.name in made
        and feature.kind in ("hole", "bore", "counterbore")
        and (feature.diameter or 0.0) > turn.after.machine.probe.ball_diameter + _BORE_ROOM
        and abs(float(up @ feature.direction())) > 1.0 - 1e-6
        and (feature.through or float(up @ feature.direction()) > 0.0 or feature.depth is None)
    ]
    return max(fitting, key=lambda feature: (feature.diameter or 0.0, feature.name), default=None)


def outline_before(turn: TurnPlan) -> bool:
    """Whether the setup before cuts the part's outline, so that its sides can be probed."""
    return any(operation.removes in ("outline", "seen") for operation in turn.before.setup.operations)


def _why_not(plan: Plan, turn: TurnPlan, way: Way) -> str:
    machine = turn.after.machine
    over = way in ("dowel pins", "interlocking frame", "two-pocket jig")
    if over and turn.before.machine.id != machine.id:
        return "the part goes to another machine"
    if over and turn.axis is None:
        return "only half a turn about X or Y"
    match way:
        case "jaw and stop" | "soft-jaw bore":
            own = turn.after.holding.fixture
            vises = (own,) if isinstance(own, Vise) else tuple(vise for _, vise in machine.standing(Vise))
            if not vises:
                return "there is no vise on the machine"
            if way == "jaw and stop" and vises[0].centring:
                return "the vise closes to the middle and has no fixed jaw"
            return ""
        case "probed feature":
            if bore_to_probe(plan, turn) is None and not outline_before(turn):
                return "nothing that was cut before can be probed"
            return ""
        case "dowel pins" | "interlocking frame":
            if board_of(machine, turn) is None:
                return "there is no board or plate on the machine"
            return ""
        case "two-pocket jig":
            return ""
        case "rotary index":
            return turned_by_axes(plan, turn).why_not
        case _:
            assert_never(way)


def turned_by_axes(plan: Plan, turn: TurnPlan) -> ByAxes:
    """The setup after a turn as rotary axes would make it."""
    before, after = plan.job.setups[turn.index - 1 : turn.index + 1]
    return by_axes(turn.before.machine, before, after, plan.job.bench_before(turn.index))


def _extra_stock(turn: TurnPlan, way: Way) -> str:
    if way in ("dowel pins", "interlocking frame"):
        x, y = pins_lacking(turn) if way == "dowel pins" else frame_lacking(turn)
        words = [f"{said(2.0 * more)} more along {axis}" for axis, more in (("X", x), ("Y", y)) if more > 1e-6]
        return ", ".join(words)
    return ""
