"""The ways to register a turn, side by side: what each asks for, and how far off it may leave the far side."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import assert_never

import numpy as np

from ..errors import RegistrationError
from ..model.holding import Plate, Spoilboard, Vise
from ..model.machine import Machine
from ..model.part import Feature
from ..model.setup import AxisDatum, DatumSource
from ..model.stations import Station
from ..plan import Plan
from ..quantities import said
from ..registration.pins import play_at
from ..registration.removed import frame_of
from ..registration.seats import RoundPlace
from .by_axes import ByAxes, by_axes, left_by_turning
from .contributions import Contribution, contributions, expected_error
from .layouts import default_frame, default_pins, frame_lacking, pins_lacking
from .turn_plan import WAYS, TurnPlan, Way
from .wrong_turns import wrong_turn_words

#: A bore that is probed has room for the ball and this much more (mm).
_BORE_ROOM = 2.5
#: What gives X and Y in the ways that probe after the turn.  Any touch on both sides of a thing errs alike.
_PROBED: dict[Way, tuple[DatumSource, DatumSource]] = {
    "jaw and stop": ("stock minus side", "fixed jaw"),
    "probed feature": ("part centre", "part centre"),
    "soft-jaw bore": ("fixture bore", "fixture bore"),
}
#: Clearance of a jig's pockets, all round (mm), until another is entered.
JIG_CLEARANCE = 0.05


@dataclass(frozen=True)
class WayOffer:
    """One way: whether it fits and, if not, ``why_not``; what it asks for; the error that 95 % stay within at the
    farthest feature (mm), None where it does not fit; and whether a wrong turn is noticed, empty where it does not fit.
    Words may hold lengths to be spelled."""

    way: Way
    current: bool
    why_not: str
    expected: float | None
    stock: str
    work: str
    wrong_turn: str

    @property
    def fits(self) -> bool:
        return not self.why_not


def way_offers(plan: Plan, turn: TurnPlan) -> tuple[WayOffer, ...]:
    """All ways for a turn, in the order of ``WAYS``."""
    return tuple(_offer(plan, turn, way) for way in WAYS)


def _offer(plan: Plan, turn: TurnPlan, way: Way) -> WayOffer:
    current = way == turn.way
    why_not = "" if current else _why_not(plan, turn, way)
    expected = None
    if not why_not:
        try:
            expected = turn.expected if current else _expected(plan, turn, way)
        except RegistrationError as error:
            # A frame about a small part may have no room for its own roundings.
            why_not = str(error)
    stock = "" if why_not or current else _extra_stock(turn, way)
    wrong = "" if why_not else wrong_turn_words(turn, way, _probed(plan, turn))
    return WayOffer(way, current, why_not, expected, stock, _WORK[way], wrong)


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


def _expected(plan: Plan, turn: TurnPlan, way: Way) -> float:
    """By the same law as for the way that is chosen, with the zeros and sizes that a choice would begin with."""
    if way == "rotary index":
        after = turned_by_axes(plan, turn).setup
        assert after is not None, "the offer says so otherwise"
        lands = Contribution("machine, where a cut lands", turn.before.machine.landing)
        return max(expected_error([lands, *left_by_turning(turn.before, after, k)]) for k in (0, 1))
    if way in _PROBED:
        x, y = _PROBED[way]
        datum = turn.after.setup.datum.model_copy(update={"x": AxisDatum(source=x), "y": AxisDatum(source=y)})
        setup = turn.after.setup.model_copy(update={"datum": datum})
        after_probed = replace(turn.after, clamping=replace(turn.after.clamping, setup=setup))
        return max(expected_error(contributions(turn.before, after_probed, axis)) for axis in ("x", "y"))
    play = _play(turn, way)
    return max(expected_error(contributions(turn.before, turn.after, axis, play)) for axis in ("x", "y"))


def _play(turn: TurnPlan, way: Way) -> float:
    """At the feature farthest from what would register it (mm)."""
    about_part = turn.farthest_from(turn.part_middle).arm
    match way:
        case "dowel pins":
            made = default_pins(turn)
            places = [RoundPlace(pin.x, pin.y, pin.diameter) for pin in made.pins]
            middle = np.mean([(place.x, place.y) for place in places], axis=0)
            away = turn.farthest_from(turn.part_middle + middle).place
            x, y = float(middle[0]) + away[0], float(middle[1]) + away[1]
            return play_at(places, [made.clearance] * len(places), x, y).worst
        case "interlocking frame":
            from ..registration.interlock_check import check_frame  # shapely takes its time to import

            slot = default_frame(turn)
            return check_frame(frame_of(slot), slot.slot).worst_at(about_part, 0.0)
        case "two-pocket jig":
            low, high = turn.before.holding.u_part
            longest = float((high - low)[:2].max())
            return 2.0 * JIG_CLEARANCE * (math.sqrt(2.0) + 2.0 * about_part / longest)
        case "jaw and stop" | "probed feature" | "soft-jaw bore" | "rotary index":
            raise ValueError(f"{way} leaves no play")
        case _:
            assert_never(way)


def _extra_stock(turn: TurnPlan, way: Way) -> str:
    if way in ("dowel pins", "interlocking frame"):
        x, y = pins_lacking(turn) if way == "dowel pins" else frame_lacking(turn)
        words = [f"{said(2.0 * more)} more along {axis}" for axis, more in (("X", x), ("Y", y)) if more > 1e-6]
        return ", ".join(words)
    return ""
