"""Choosing how a turn is registered: each way changes holds, operations and zeros of the setups on both sides."""

from __future__ import annotations

from collections.abc import Iterable
from typing import assert_never

import numpy as np

from ..changing import add_item, free_name, set_value
from ..errors import InvalidValueError
from ..frames import AXES
from ..model.base import Size
from ..model.holding import BoardHold, Jig, JigHold, PlateHold, Vise
from ..model.job import Job
from ..model.operations import FrameSlot, Operation, Pin, PinBores
from ..model.setup import AxisDatum, Datum, DatumSource, Setup
from ..plan import Plan, make_plan
from ..programs.targets import free_code
from ..registration.outlines import Edge, polyline
from ..registration.pins import PinLayout
from ..solids.flat_area import signed_area
from ..turns.jig_making import jig_for
from ..turns.layouts import default_frame, default_pins, frame_lacking, pins_lacking
from ..turns.offers import JIG_CLEARANCE, board_of, bore_to_probe, turned_by_axes, way_offer
from ..turns.turn_plan import TurnPlan, Way, turns_of
from .setups import held_at, hold_with, with_jaws, with_reference_bore, with_stop
from .standing import Standing, new_station, standing_on, with_standing

#: A pocket from a drawing keeps to its arcs within this (mm).
_POCKET_ARC = 0.02
#: What holds a part down in a jig until something else is entered: tape of this thickness (mm).
_TAPE = 0.2


def with_way(job: Job, index: int, way: Way, plan: Plan) -> Job:
    """``job`` with the turn to setup ``index`` registered another way.  Raises InvalidValueError where it does not
    fit, with the reason."""
    turn = turns_of(plan)[index - 1]
    offer = way_offer(plan, turn, way)
    if not offer.fits:
        raise InvalidValueError("registered by", f"{way} does not fit this turn: {offer.why_not}")
    match way:
        case "dowel pins" | "interlocking frame":
            return _on_board(job, turn, way)
        case "jaw and stop":
            return _by_jaw(_unregistered(job, turn), turn)
        case "probed feature":
            return _by_feature(_unregistered(job, turn), plan, turn)
        case "soft-jaw bore":
            return _by_soft_jaw(_unregistered(job, turn), plan, turn)
        case "two-pocket jig":
            return _in_jig(_unregistered(job, turn), turn)
        case "rotary index":
            return _by_index(_unregistered(job, turn), plan, turn)
        case _:
            assert_never(way)


# --- pins and frames ------------------------------------------------------------------------------


def _on_board(job: Job, turn: TurnPlan, way: Way) -> Job:
    machine = turn.before.machine
    station = board_of(machine, turn)
    assert station is not None, "the offer says so otherwise"
    board = Standing(machine.fixture_at(station.id), station)
    before, after = job.setups[turn.index - 1], job.setups[turn.index]
    if before.hold.by not in ("board", "plate"):
        job = hold_with(job, turn.index - 1, board)
    made: Operation = default_pins(turn) if way == "dowel pins" else default_frame(turn)
    job = _with_registering(job, turn, made)
    lacking = pins_lacking(turn) if way == "dowel pins" else frame_lacking(turn)
    job = _with_larger_blank(job, turn, np.array(lacking))
    hold = job.setups[turn.index - 1].hold
    kept, there = after.hold if after.hold.by == hold.by else None, job.setups[turn.index - 1].station
    if isinstance(hold, BoardHold):
        registered = (kept or BoardHold(tape=hold.tape)).model_copy(update={"registered": True})
    else:
        assert isinstance(hold, PlateHold), "held on a board or a plate"
        registered = (kept or PlateHold()).model_copy(update={"registered": True})
    job = held_at(job, turn.index, there, registered)
    return _with_zero(job, turn.index, "carried over", "carried over", before.offset)


def _with_registering(job: Job, turn: TurnPlan, made: Operation) -> Job:
    path = ("setups", turn.index - 1, "operations")
    job = set_value(job, path, _without_registering(job.setups[turn.index - 1]))
    return add_item(job, path, made, 0)


def _without_registering(setup: Setup) -> tuple[Operation, ...]:
    return tuple(one for one in setup.operations if not isinstance(one, (PinBores, FrameSlot)))


def _with_larger_blank(job: Job, turn: TurnPlan, lacking: np.ndarray) -> Job:
    """A block blank as much longer on both sides as is lacking (2,) along machine X and Y of the setup before."""
    stock = job.stock
    if not lacking.any() or stock.form != "block":
        return job
    matrix = turn.before.setup.orientation.matrix()
    more = np.abs(matrix.T) @ np.array([*(2.0 * lacking), 0.0])
    for name in ("nominal", "measured"):
        now = getattr(stock, name).as_tuple()
        x, y, z = (round(float(size + extra), 3) for size, extra in zip(now, more, strict=True))
        job = set_value(job, ("stock", name), Size(x=x, y=y, z=z))
    return job


def with_layout(job: Job, index: int, layout: PinLayout, plan: Plan) -> Job:
    """The pins of the turn to setup ``index`` laid out anew, as thick as now."""
    turn = turns_of(plan)[index - 1]
    now = turn.pin_bores
    diameter = max((pin.diameter for pin in now.pins), default=8.0) if now is not None else 8.0
    made = default_pins(turn, layout, diameter)
    job = _with_larger_blank(with_pins(job, index, made.pins), turn, np.array(pins_lacking(turn, diameter)))
    cutter = turn.before.machine.cutter(now.tool) if now is not None else None
    if now is not None and cutter is not None and cutter.diameter > min(pin.diameter for pin in made.pins):
        # A thinner pin asks for a thinner tool.
        place = job.setups[index - 1].operations.index(now.model_copy(update={"pins": made.pins}))
        job = set_value(job, ("setups", index - 1, "operations", place, "tool"), made.tool)
    return job


def with_pins(job: Job, index: int, pins: Iterable[Pin]) -> Job:
    """Other pins for the turn to setup ``index``, whose setup before bores for pins already."""
    place = next((k for k, one in enumerate(job.setups[index - 1].operations) if isinstance(one, PinBores)), None)
    if place is None:
        raise InvalidValueError("pins", f"{job.setups[index - 1].name} bores for no pins; choose dowel pins first")
    return set_value(job, ("setups", index - 1, "operations", place, "pins"), tuple(pins))


def with_pattern(job: Job, index: int, circles: Iterable[tuple[float, float, float]]) -> Job:
    """Pins at circles (x, y, diameter) counted from the part's middle, such as those of a drawing."""
    pins = tuple(Pin(x=round(x, 4), y=round(y, 4), diameter=round(d, 4)) for x, y, d in circles)
    if not pins:
        raise InvalidValueError("pins", "the drawing shows no circles; draw each pin as one")
    return with_pins(job, index, pins)


def with_jig_anew(job: Job, index: int, plan: Plan) -> Job:
    """The jig of a turn made again for blank and part as they are, with its clearance, cutter and place kept."""
    turn = turns_of(plan)[index - 1]
    now = turn.after.holding.fixture
    if not isinstance(now, Jig):
        raise InvalidValueError("jig", f"{turn.after.setup.name} is held in no jig; choose the two-pocket jig first")
    made = jig_for(turn, now.name, now.clearance, now.cutter).model_copy(
        update={"grip_min": now.grip_min, "zero_diameter": now.zero_diameter}
    )
    place = turn.after.machine.fixtures.index(now)
    return set_value(job, (*job.machine_path(job.setups[index]), "fixtures", place), made)


def with_pocket_outline(job: Job, index: int, outlines: Iterable[tuple[Edge, ...]]) -> Job:
    """The second pocket of the jig that holds setup ``index`` with the largest of the outlines, about its own
    middle."""
    hold = job.setups[index].hold
    if not isinstance(hold, JigHold):
        raise InvalidValueError(
            "pocket", f"{job.setups[index].name} is held in no jig; choose the two-pocket jig first"
        )
    rings = [np.array(polyline(edges, _POCKET_ARC)) for edges in outlines]
    if not rings:
        raise InvalidValueError("pocket", "the drawing shows no closed outline; close it and write it again")
    ring = max(rings, key=lambda each: float(np.prod(np.ptp(each, axis=0))))
    ring = ring - (ring.max(axis=0) + ring.min(axis=0)) / 2.0
    if signed_area(ring) < 0.0:
        ring = ring[::-1]
    outline = tuple((round(float(x), 4), round(float(y), 4)) for x, y in ring)
    setup = job.setups[index]
    machine = job.machine_of(setup)
    place = machine.fixtures.index(machine.fixture_at(setup.station))
    return set_value(job, (*job.machine_path(setup), "fixtures", place, "second", "outline"), outline)


def add_pin(job: Job, index: int, plan: Plan) -> Job:
    """One more pin, at the turned image of the last one or, where one is there, a little beside it."""
    made = turns_of(plan)[index - 1].pin_bores
    if made is None:
        raise InvalidValueError("pins", f"{job.setups[index - 1].name} bores for no pins; choose dowel pins first")
    last = made.pins[-1]
    taken = {(round(pin.x, 3), round(pin.y, 3)) for pin in made.pins}
    x, y = last.x, -last.y
    while (round(x, 3), round(y, 3)) in taken:
        y += 3.0 * last.diameter
    return with_pins(job, index, (*made.pins, Pin(x=x, y=y, diameter=last.diameter)))


def remove_pin(job: Job, index: int, plan: Plan) -> Job:
    made = turns_of(plan)[index - 1].pin_bores
    if made is None or len(made.pins) < 2:
        raise InvalidValueError("pins", "one pin must stay; choose another way to register the turn instead")
    return with_pins(job, index, made.pins[:-1])


# --- probing and jaws -----------------------------------------------------------------------------


def _unregistered(job: Job, turn: TurnPlan) -> Job:
    """Without pins, frame, or what hung on them."""
    job = set_value(job, ("setups", turn.index - 1, "operations"), _without_registering(job.setups[turn.index - 1]))
    if getattr(job.setups[turn.index].hold, "registered", False):
        job = set_value(job, ("setups", turn.index, "hold", "registered"), False)
    return job


def _with_zero(job: Job, index: int, x: DatumSource, y: DatumSource, offset: str, z: DatumSource = "parallels") -> Job:
    datum = Datum(x=AxisDatum(source=x), y=AxisDatum(source=y), z=AxisDatum(source=z))
    return set_value(set_value(job, ("setups", index, "datum"), datum), ("setups", index, "offset"), offset)


def _own_offset(job: Job, index: int) -> str:
    """The setup's code, or a free one where others use it too and the job does not keep one for all."""
    own = job.setups[index]
    if job.codes == "one for all":
        return own.offset
    others = {each.offset for each in job.setups if each is not own and each.machine == own.machine}
    return own.offset if own.offset not in others else free_code(job, job.machine_of(own), own) or own.offset


def _in_vise(job: Job, index: int) -> Job:
    if job.setups[index].hold.by == "vise":
        return job
    stands = standing_on(job.machine_of(job.setups[index]))
    return hold_with(job, index, next(each for each in stands if isinstance(each.fixture, Vise)))


def _by_jaw(job: Job, turn: TurnPlan) -> Job:
    job = with_stop(_in_vise(job, turn.index), turn.index, "left")
    return _with_zero(job, turn.index, "stock minus side", "fixed jaw", _own_offset(job, turn.index))


def _by_feature(job: Job, plan: Plan, turn: TurnPlan) -> Job:
    bore = bore_to_probe(plan, turn)
    job = _with_zero(job, turn.index, "part centre", "part centre", _own_offset(job, turn.index))
    if job.setups[turn.index].hold.by == "jig":
        job = _in_vise(job, turn.index)
    if bore is None:
        return job
    named = AxisDatum(source="feature", feature=bore.name)
    for axis in AXES[:2]:
        job = set_value(job, ("setups", turn.index, "datum", axis), named)
    return job


def _by_soft_jaw(job: Job, plan: Plan, turn: TurnPlan) -> Job:
    """The zero in the middle of the part, as far from the jaws' bore as the jaws are cut."""
    index = turn.index
    job = with_reference_bore(with_jaws(_in_vise(job, index), index, "soft"), index, wanted=True)
    job = _with_zero(job, index, "fixture bore", "fixture bore", _own_offset(job, index))
    holding = make_plan(job, plan.models).setups[index].holding
    bore = holding.known_bore()
    assert bore is not None, "soft jaws were bored just now"
    shift = (holding.u_part[0] + holding.u_part[1])[:2] / 2.0 - bore.u_centre
    for axis, mm in zip(AXES[:2], shift, strict=True):
        job = set_value(job, ("setups", index, "datum", axis, "shift"), round(float(mm), 4))
    return job


def _by_index(job: Job, plan: Plan, turn: TurnPlan) -> Job:
    """Held on as before, turned by the axes alone, its zero worked out from the one before in an offset of its own."""
    made = turned_by_axes(plan, turn).setup
    assert made is not None, "the offer says so otherwise"
    before, path = job.setups[turn.index - 1], ("setups", turn.index)
    along = AxisDatum(source="rotary index")
    update = {
        "hold": before.hold, "orientation": before.orientation, "machine": before.machine, "station": before.station,
        "index": made.index,
        "datum": Datum(x=along, y=along, z=along),
    }  # fmt: skip
    job = set_value(job, path, job.setups[turn.index].model_copy(update=update))
    return set_value(job, (*path, "offset"), _own_offset(job, turn.index))


# --- jig ------------------------------------------------------------------------------------------


def _in_jig(job: Job, turn: TurnPlan) -> Job:
    """A jig made for the part, its zero on the hole between both pockets and on its top."""
    index = turn.index
    machine = turn.before.machine
    names = [fixture.name for fixture in machine.fixtures]
    cutter = min((c.diameter for c in machine.cutters if c.shape == "flat"), default=6.0)
    jig = jig_for(turn, free_name(f"jig for {job.part.name}"[:70], names), JIG_CLEARANCE, cutter)
    # It is screwed down where the setup before was held.
    under = machine.station(job.setups[index - 1].station)
    assert under is not None, "the job's own validation keeps stations true"
    station = new_station(machine, jig).model_copy(update={"at": under.at, "turn_deg": under.turn_deg, "on": under.on})
    path = job.machine_path(job.setups[index - 1])
    job = set_value(job, path, with_standing(machine, Standing(jig, station)))
    job = held_at(job, index - 1, station.id, JigHold(pocket="first", tape=_TAPE))
    job = held_at(job, index, station.id, JigHold(pocket="second", tape=_TAPE))
    first = Datum(
        x=AxisDatum(source="fixture bore"),
        y=AxisDatum(source="fixture bore"),
        z=AxisDatum(source="parallels", shift=round(jig.first.depth - _TAPE, 4)),
    )
    job = set_value(job, ("setups", index - 1, "datum"), first)
    return _with_zero(job, index, "carried over", "carried over", job.setups[index - 1].offset, "carried over")
