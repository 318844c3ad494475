"""How far a part lies off on the machine, as it is held in a setup."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..carried import in_one_place, takes_over
from ..frames import AXES, Array, Axis
from ..holding import Holding
from ..model.holding import Chuck, Dowel, PlateHold, SoftJaws, ViseHold
from ..model.setup import Setup
from ..model.stations import IndexAngle, Rotary
from ..model.stock import BarStock, Stock, size_scatter
from ..patterns.instances import pattern_of
from ..places import carrying_axis, moved_by_centre, rotaries_under, stands_at, station_of, tf_m_s
from ..scatter import Scatter
from ..setup_plan import SetupPlan
from ..turns.turn_plan import SeatPlay, jig_play, turns_of
from .lying import SKEW, across_first, is_untouched, seat_off, stands_along, stands_off
from .moved import Moved
from .offs import NOTHING, Kind, Off, Source, added
from .seating import End, Seating, seating
from .surfaces import cut_in, face_in, left_by

if TYPE_CHECKING:
    from .chain import Chain

_UNIT = np.eye(3)
_X, _Y, _Z = _UNIT
#: In the plane of the table, and upright.
_PLAN, _UPRIGHT = np.diag([1.0, 1.0, 0.0]), np.diag([0.0, 0.0, 1.0])
#: An axis is turned by this much beyond its word (degrees), to see what that moves.
_BEYOND_DEG = 1e-3
#: An end that takes the part along by more than this is pushed against something, and not put by a middle.
_PUSHED = 0.9


def held(chain: Chain, index: int) -> Moved:
    if _is_as_before(chain, index):
        return _turned_by_axes(chain, index, chain.held(index - 1))
    play = _play(chain, index)
    off = _registered(chain, index, play) if play is not None else _clamped(chain, index)
    return off.plus(chain.matrix(index), _index(chain, index, off.p_middle))


def holder(chain: Chain, index: int) -> Moved:
    """How far what holds the part lies off in a setup: where it stands, and how the axes that carry it have turned."""
    if _is_as_before(chain, index):
        return _turned_by_axes(chain, index, holder(chain, index - 1))
    stood = Moved(stands(chain, index), NOTHING, p_middle(chain.setup(index)))
    return stood.plus(chain.matrix(index), _index(chain, index, stood.p_middle))


def _is_as_before(chain: Chain, index: int) -> bool:
    """Whether nothing but rotary axes has moved the part, and what holds it, since the setup before."""
    return chain.setup(index).clamping.still or is_untouched(chain.plan, index)


def _play(chain: Chain, index: int) -> SeatPlay | None:
    play = jig_play(chain.setup(index))
    return turns_of(chain.plan)[index - 1].play if play is None and index else play


# --- clamped anew ---------------------------------------------------------------------------------


def _clamped(chain: Chain, index: int) -> Moved:
    setup = chain.setup(index)
    own, name, turn = setup.setup.id, setup.setup.name, setup.located.tf_m_u.turn
    spigot = setup.holding.spigot_play
    if spigot:
        disc = Source(f"{own} spigot", "play", f"clearance on the spigot, {name}", setup.holding.clamping_along(0))
        lies = [chain.met(disc, turn @ _X, turn @ _Y)]
    else:
        across, along = across_first(setup.holding)
        lies = [_lies(chain, index, across, "gap"), _lies(chain, index, along, "beside")]
    lies.append(_in_soft_jaws(chain, index))
    shift = added([stands(chain, index), _lift(chain, index), *lies, _seated(chain, index)])
    skew = chain.met(Source(f"{own} skew", "skew", f"clamping, how it lies turned, {name}", SKEW), _Z)
    return Moved(shift, skew + _aligned(chain, index), p_middle(setup))


def _in_soft_jaws(chain: Chain, index: int) -> Off:
    """How far it lies off in jaws that were cut to it: by their clearance, and by where the machine cut them."""
    setup, hold = chain.setup(index), chain.setup(index).setup.hold
    jaws = hold.jaws if isinstance(hold, ViseHold) else None
    if not isinstance(jaws, SoftJaws):
        return NOTHING
    own, name, turn = setup.setup.id, setup.setup.name, setup.located.tf_m_u.turn
    parts: tuple[tuple[str, Kind, str, Scatter], ...] = (
        ("clearance", "play", "clearance in the soft jaws", Scatter("even", jaws.clearance)),
        ("jaws land", "lands", "machine, where the jaws were cut", setup.machine.landing),
    )  # fmt: skip
    return added(
        chain.met(
            Source(f"{own} {key} {axis}", kind, f"{words} in {axis.upper()}, {name}", scatter, rehearsed=False),
            turn[:, k],
        )
        for key, kind, words, scatter in parts
        for k, axis in enumerate(AXES[:2])
    )


def p_middle(setup: SetupPlan) -> Array:
    """The middle of the stock that a setup gets, in P."""
    middle: Array = setup.setup.orientation.matrix().T @ (setup.holding.u_stock[0] + setup.holding.u_stock[1]) / 2.0
    return middle


def standing_since(chain: Chain, index: int) -> int:
    """The setup since which what holds the part has stood where it stands."""
    while index and (takes_over(chain.setup(index).setup) or is_untouched(chain.plan, index)):
        before, here = chain.setup(index - 1), chain.setup(index)
        if _play(chain, index) is None and not in_one_place(before.setup, here.setup):
            break
        index -= 1
    return index


def stands(chain: Chain, index: int) -> Off:
    """How far what holds it stands off where the plan has it."""
    since = chain.setup(standing_since(chain, index))
    own, name = since.setup.id, since.setup.name
    known = chain.finders[since.index] == "nobody"
    scatter = stands_off(since.machine, since.setup, since.holding, is_known=known)
    return added(
        chain.met(
            Source(f"{own} stands {axis}", "stands", f"where what holds it stands in {axis.upper()}, {name}", each), way
        )
        for axis, each, way in zip(AXES, scatter, stands_along(since.machine, since.setup).T, strict=True)
    )


def _lies(chain: Chain, index: int, k: int, what: str) -> Off:
    """How far it lies off along X or Y of ``u`` in what holds it."""
    setup = chain.setup(index)
    pattern = pattern_of(chain.plan.job, index)
    scatter, sign = seat_off(None if pattern is None else pattern.seat_scatter, setup.holding, k)
    words = f"clamping, how it lies in {AXES[k].upper()}, {setup.setup.name}"
    source = Source(f"{setup.setup.id} {what}", "lies", words, scatter, _of_fixture(chain, index))
    return chain.met(source, sign * setup.located.tf_m_u.turn[:, k])


def _lift(chain: Chain, index: int) -> Off:
    setup = chain.setup(index)
    words = f"clamping, how far up it lies, {setup.setup.name}"
    return chain.met(
        Source(f"{setup.setup.id} lift", "lies", words, setup.holding.clamping, _of_fixture(chain, index)),
        setup.located.tf_m_u.turn[:, 2],
    )  # fmt: skip


def _of_fixture(chain: Chain, index: int) -> tuple[str | int, ...]:
    """Where in the job it stands how its fixture repeats."""
    setup = chain.setup(index)
    fixture = setup.machine.fixture_at(setup.setup.station)
    field = next((name for name in ("clamping_scatter", "seat_scatter") if hasattr(fixture, name)), None)
    number = next((k for k, each in enumerate(setup.machine.fixtures) if each.name == fixture.name), None)
    return () if field is None or number is None else chain.machine_path(index, "fixtures", number, field)


# --- on its own ends ------------------------------------------------------------------------------


def _seated(chain: Chain, index: int) -> Off:
    """How far it lies off since the ends it is pushed against, or lies on, are elsewhere than planned."""
    setup = chain.setup(index)
    seats = _seating(chain, index)
    to_machine = setup.located.tf_m_u.turn @ _stood_up(chain, index)
    parts = []
    for end, moves in zip(seats.ends, seats.moved.T, strict=True):
        way, place = _of_end(chain, index, end)
        parts.append(end_off(chain, index, way, place).along(way, to_machine @ moves))
    return added(parts)


def _seating(chain: Chain, index: int) -> Seating:
    setup = chain.setup(index)
    return seating(setup.clamping.level, setup.geometry)


def _stood_up(chain: Chain, index: int) -> Array:
    """From ``u`` of its level holding to ``u`` as its station stands (3, 3)."""
    setup = chain.setup(index)
    turn: Array = setup.setup.orientation.matrix() @ setup.clamping.level.orientation.matrix().T
    return turn


def _of_end(chain: Chain, index: int, end: End) -> tuple[Array, Array]:
    """Which way an end looks in P, and a place in its middle there."""
    setup = chain.setup(index)
    matrix = setup.clamping.level.orientation.matrix()
    low, high = setup.clamping.level.u_stock
    u_place = (low + high) / 2.0
    u_place[end.k] = end.level
    return end.sign * matrix[end.k], matrix.T @ u_place


def end_off(chain: Chain, index: int, way: Array, p_place: Array) -> Off:
    """How far the plane through a place, of what a setup gets, lies off it in P, looking along ``way`` (3,)."""
    cut = cut_in(chain.plan.setups, index, way, float(way @ p_place))
    if cut is not None:
        face = face_in(chain.plan.job.part.features, way, float(way @ p_place))
        if face is not None and chain.made_in.get(face.name) == cut:
            name, words = face.name, face.name
        else:
            side = " ".join(f"{value:.4f}" for value in way)
            name, words = f"side {side} {float(way @ p_place):.4f}", f"the side towards {_towards(way)}"
        left = left_by(chain.setup(cut), way, float(way @ p_place)) if chain.setup(cut).machine.length_scatter else None
        cut_there = chain.cut(cut, p_place) + chain.landing(cut, name, words) + chain.sunk(cut, left, way)
        return cut_there + chain.treated(name, cut, index)
    return added(
        chain.met(
            Source(f"blank {axis}", "blank", f"the blank's size along {axis.upper()}", scatter, ("stock", "varies")),
            # Its own middle stays: one half of what it is larger lies at either end.
            0.5 * float(way[k]) ** 2 * way,
        )
        for k, (axis, scatter) in enumerate(_sizes(chain.plan.job.stock))
    )


def _sizes(stock: Stock) -> list[tuple[Axis, Scatter]]:
    """What each of its sizes along X, Y and Z is a size of, and how that varies: a round is as thick both ways."""
    sizes = list(zip(AXES, size_scatter(stock), strict=True))
    if isinstance(stock, BarStock):
        along = AXES.index(stock.along)
        sizes[(along + 2) % 3] = sizes[(along + 1) % 3]
    return sizes


def _towards(way: Array) -> str:
    k = int(np.argmax(np.abs(way)))
    return f"{'+' if way[k] > 0 else '−'}{'XYZ'[k]}"


def aligned_by(chain: Chain, index: int) -> tuple[int | None, int | None]:
    """Which setups cut what it lies on, and the side that squares it up; None where that is still the blank's own.
    What registers a turn was all cut in the setup before."""
    if getattr(chain.setup(index).setup.hold, "registered", False) and index:
        return index - 1, index - 1
    seat = next((end for end in _seating(chain, index).ends if end.k == 2), None)
    ends = (seat, _side_that_aligns(chain, index))
    lies, squared = (_last_cut(chain, index) if end is None else _cut_at(chain, index, end) for end in ends)
    return lies, squared


def _aligned(chain: Chain, index: int) -> Off:
    """How it lies turned since the side it is pushed against, and the one it lies on, were cut askew."""
    setup, turned = chain.setup(index), NOTHING
    level = setup.clamping.level.orientation.matrix()
    to_machine = setup.located.tf_m_u.turn @ _stood_up(chain, index)
    for by, of in zip(aligned_by(chain, index), (_PLAN, _UPRIGHT), strict=True):
        turned = turned - chain.turned_by(by).turned(to_machine @ of @ level)
    return turned


def _cut_at(chain: Chain, index: int, end: End) -> int | None:
    way, place = _of_end(chain, index, end)
    return cut_in(chain.plan.setups, index, way, float(way @ place))


def _last_cut(chain: Chain, index: int) -> int | None:
    """Where nothing says how it lies, it is laid by what was cut last."""
    return next((k for k in reversed(range(index)) if chain.setup(k).setup.operations), None)


def _side_that_aligns(chain: Chain, index: int) -> End | None:
    """The side whose face squares it up: at the fixed jaw, at a fence or a stop, at the most dowels."""
    setup, seats = chain.setup(index), _seating(chain, index)
    level, hold = setup.clamping.level, setup.setup.hold
    if level.jaws is not None:
        across = [end for end in seats.ends if end.k == level.jaws.axis]
        toward = level.jaws.toward
        return max(across, key=lambda end: end.sign * toward, default=None)
    pushed = [end for end, by in zip(seats.ends, seats.moved.T, strict=True) if end.k < 2 and abs(by[end.k]) > _PUSHED]
    if isinstance(hold, PlateHold):
        return max(pushed, key=lambda end: sum(_stands_at(dowel, end, level) for dowel in hold.dowels), default=None)
    return pushed[0] if pushed else None


def _stands_at(dowel: Dowel, end: End, level: Holding) -> bool:
    size = float(level.u_stock[1][end.k] - level.u_stock[0][end.k])
    place = dowel.x if end.k == 0 else dowel.y
    return place <= 0.0 if end.sign < 0.0 else place >= size


# --- registered after a turn ----------------------------------------------------------------------


def _registered(chain: Chain, index: int, play: SeatPlay) -> Moved:
    """On pins, in a frame or in a jig's pocket: what registers it lies where the zero before had it, or where the
    pocket is; and the part lies in it by what was cut before, with play."""
    setup, own = chain.setup(index), chain.setup(index).setup.id
    name, turn = setup.setup.name, setup.located.tf_m_u.turn
    shift_words = f"play in what registers it, {name}"
    shifted = chain.met(Source(f"{own} play", "play", shift_words, play.shifted), turn @ _X, turn @ _Y)
    turned = chain.met(Source(f"{own} turn", "play", f"play in what registers it, turned, {name}", play.turned), _Z)
    middle = p_middle(setup)
    matrix = chain.matrix(index)
    if play.p_about is not None:
        # It turns about the middle of what holds it, which may lie beside that of the stock.
        shifted = shifted + turned.about(matrix @ (middle - np.array(play.p_about)))
    if not getattr(setup.setup.hold, "registered", False) or not index:
        pushed = added([stands(chain, index), _lift(chain, index), _seated(chain, index), shifted])
        return Moved(pushed, turned + _aligned(chain, index), middle)
    before = index - 1
    at = chain.zero(before).shift.turned(_PLAN)
    cut = chain.cut(before, middle) + chain.landing(before, "what registers it", "what registers it")
    height = added([stands(chain, index), _lift(chain, index), _seated(chain, index)]).turned(_UPRIGHT)
    shift = at - cut.turned(_PLAN @ matrix) + height + shifted
    return Moved(shift, turned - chain.turned_by(before).turned(matrix), middle)


# --- turned by rotary axes ------------------------------------------------------------------------


def _turned_by_axes(chain: Chain, index: int, was: Moved) -> Moved:
    """What lay off so in the setup before."""
    after = chain.setup(index)
    turn = chain.matrix(index) @ chain.matrix(index - 1).T
    was = was.plus(chain.matrix(index - 1), _negative(_index(chain, index - 1, was.p_middle)))
    centres = [_by_centre(chain, index, rotary) for rotary in rotaries_under(after.machine, after.setup)]
    moved = was.taken_along(turn)
    moved = Moved(added([moved.shift, *centres]), moved.turn, moved.p_middle)
    return moved.plus(chain.matrix(index), _index(chain, index, moved.p_middle))


def _negative(moved: Moved) -> Moved:
    return Moved(moved.shift.times(-1.0), moved.turn.times(-1.0), moved.p_middle)


def _by_centre(chain: Chain, index: int, rotary: Rotary) -> Off:
    """What it comes to lie elsewhere since the axis's centre is not where it is entered."""
    before, after = chain.plan.job.setups[index - 1], chain.plan.job.setups[index]
    machine = chain.setup(index).machine
    moved = moved_by_centre(machine, before, after, rotary)
    fixture = machine.fixture_at(after.station)
    on = carrying_axis(machine, station_of(machine, after))
    if isinstance(fixture, Chuck) and not fixture.stands and on == rotary.id:
        # What a chuck turns is turned about the chuck's own axis, wherever that stands.
        return stands(chain, index).turned(moved)
    unsaid = Scatter("even", chain.setup(index).setup.probing.guess, origin="assumed")
    scatter = unsaid if rotary.uncertainty is None else Scatter("even", rotary.uncertainty)
    path = chain.machine_path(index, "carriers", machine.carriers.index(rotary), "uncertainty")
    return added(
        chain.met(
            Source(
                f"{rotary.id} centre {axis}",
                "centre",
                f"where the centre of {rotary.name} is in {axis.upper()}",
                scatter,
                path,
                # Nobody knows where to draw from what nobody has said.
                rehearsed=rotary.uncertainty is not None,
            ),
            moved[:, k],
        )
        for k, axis in enumerate(AXES)
        if axis != rotary.about
    )


def _index(chain: Chain, index: int, middle: Array) -> Moved:
    """How far beyond their words the axes stand that carry a setup."""
    setup = chain.setup(index)
    stated = chain.plan.job.setups[index]
    shift, turn = [], []
    m_middle = setup.located.tf_m_u(setup.setup.orientation.matrix() @ middle)
    for rotary in rotaries_under(setup.machine, stated):
        if not rotary.repeat_deg:
            continue
        beyond = tf_m_s(setup.machine, _beyond(stated, rotary)).after(tf_m_s(setup.machine, stated).inverse())
        way = (beyond.turn - beyond.turn.T) / 2.0
        about = np.array([way[2, 1], way[0, 2], way[1, 0]]) / _BEYOND_DEG
        source = Source(
            f"{setup.setup.id} index {rotary.id}",
            "index",
            f"how {rotary.name} repeats, {setup.setup.name}",
            Scatter("even", rotary.repeat_deg),
            chain.machine_path(index, "carriers", setup.machine.carriers.index(rotary), "repeat_deg"),
        )
        shift.append(chain.met(source, (beyond(m_middle) - m_middle) / _BEYOND_DEG))
        turn.append(chain.met(source, about))
    return Moved(added(shift), added(turn), middle)


def _beyond(setup: Setup, rotary: Rotary) -> Setup:
    stands_now = stands_at(rotary, setup.index) + _BEYOND_DEG
    others = tuple(angle for angle in setup.index if angle.word != rotary.word)
    return setup.model_copy(update={"index": (*others, IndexAngle(word=rotary.word, degrees=stands_now))})
