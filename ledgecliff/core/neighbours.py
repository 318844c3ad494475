"""What stands about on a machine while a setup is run: what its tools, stylus and spindle may meet there.

Every setup of the job that is clamped elsewhere on the same machine is taken to be loaded, as in work that goes on side
by side; of a pattern all stations, skipped ones too.  Two whose fixtures would stand in one another cannot be there at
once; they are told, and do not count.  Bodies of what carries fixtures always stand there, a setup's own carriers too.

All instances of a setup run the same way, so what stands about any of them counts for the setup.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from .blanks import moved, turned_bounds
from .carrier_bodies import StandingBody, standing_bodies, vise_bodies
from .frames import IDENTITY, Array, Placement
from .holding.holding import Block, shaped_block
from .locating import Clamping
from .model.machine import Machine
from .model.setup import Setup
from .model.stations import IndexAngle, Station
from .once import lazy
from .places import carrying_axis, rotaries_under, station_of, tf_m_station

#: Fixtures that share less than this only touch (mm³).
_TOUCH = 1.0
#: And so much more, for what cuts go beyond the stock (mm).
_SPARE = 5.0


@dataclass(frozen=True, eq=False)
class Neighbourhood:
    """``blocks`` are what stands within reach on the stations round about, and of carriers, in ``u`` of the setup;
    ``in_its_place`` names setups whose fixture stands where that of this one does, ``stands_in`` bodies of carriers.
    ``all_about`` is all of both, however far away, where rotary axes turn this setup."""

    blocks: tuple[Block, ...] = ()
    in_its_place: tuple[str, ...] = ()
    stands_in: tuple[str, ...] = ()
    all_about: tuple[Block, ...] = ()

    @property
    def standing(self) -> tuple[Block, ...]:
        """What must stand there on a machine that runs this setup."""
        return self.all_about or self.blocks


#: A station, and where the rotary axes stand for it.
Stands = tuple[Station, tuple[IndexAngle, ...]]
#: Placements that agree to so many places are one: of a grid's stations all that are one pitch apart.
_ALIKE = 6

#: One object, so that what stands too far away changes nothing that is kept.
NOBODY = Neighbourhood()


@dataclass(frozen=True)
class AtStations:
    """A setup as it is clamped, and every station where it is so, each with where its rotary axes stand.

    A plate or board carries all stations of a pattern: ``bases`` are where that itself stands, none where what holds
    the part stands at each station.  Two are equal that stand alike, wherever their zeros are.
    """

    clamping: Clamping = field(compare=False)
    stations: tuple[Stands, ...]
    bases: tuple[Stands, ...] = ()
    _stands_alike: tuple[object, ...] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        setup = self.clamping.setup
        alike = (self.clamping.holding, setup.name, setup.machine, setup.station, _aside(setup))
        object.__setattr__(self, "_stands_alike", alike)


class LaterNeighbourhood:
    """The same, worked out when it is first asked for: of many stations that takes long, and most edits are looked at
    without it."""

    def __init__(self, machine: Machine, mine: AtStations, others: tuple[AtStations, ...]) -> None:
        self._machine, self._mine, self._others = machine, mine, others

    @lazy
    def _found(self) -> Neighbourhood:
        return _neighbourhood(self._machine, self._mine, self._others)

    @property
    def blocks(self) -> tuple[Block, ...]:
        return self._found.blocks

    @property
    def in_its_place(self) -> tuple[str, ...]:
        return self._found.in_its_place

    @property
    def stands_in(self) -> tuple[str, ...]:
        return self._found.stands_in

    @property
    def all_about(self) -> tuple[Block, ...]:
        return self._found.all_about

    @property
    def standing(self) -> tuple[Block, ...]:
        return self._found.standing


@lru_cache(maxsize=256)
def neighbourhood(
    machine: Machine, mine: AtStations, others: tuple[AtStations, ...]
) -> Neighbourhood | LaterNeighbourhood:
    """What the ``others`` have standing about while ``mine`` is run at any of its stations, the rotary axes where those
    have them; of the others too what ``mine`` itself has at its other stations."""
    if any(len(each.stations) > 1 for each in (mine, *others)):
        return LaterNeighbourhood(machine, mine, others)
    return _neighbourhood(machine, mine, others)


def _neighbourhood(machine: Machine, mine: AtStations, others: tuple[AtStations, ...]) -> Neighbourhood:
    blocks: list[Block] = []
    in_its_place: list[str] = []
    all_about: list[Block] = []
    clamping = mine.clamping
    near, turns = _about(mine, _bodies(mine), _reach(machine, clamping)), bool(rotaries_under(machine, clamping.setup))
    own = [*_bodies(mine), _stock_block("stock", clamping, IDENTITY)]
    for other in (mine, *_each_station_once(clamping, others)):
        whose = "next station" if other is mine else other.clamping.setup.name
        for stations, parts in ((other.stations, _bodies(other)), (other.bases, _base(other))):
            if other is mine and stations is mine.bases:
                continue
            for there in _seen_from_each(machine, mine, mine.stations, other, stations):
                if not turns and not _meet_in_plan(near, _bounds(other, parts, there)):
                    continue  # no need to put all of it together
                theirs = _seen_from(machine, other, parts, there, whose)
                if _share(own, theirs):
                    in_its_place.append(other.clamping.setup.name)
                else:
                    all_about += theirs if turns else []
                    blocks += [block for block in theirs if _is_near(block, near)]
        if other is not mine and _stands_in_base(machine, mine, other):
            in_its_place.append(other.clamping.setup.name)
    stands_in: list[str] = []
    for station, index in mine.stations:
        tf_u_m = tf_m_station(machine, station, index).after(clamping.holding.tf_s_u).inverse()
        carriers = _blocks(tf_u_m, standing_bodies(machine, index))
        bodies = tuple(vise_bodies(machine, index))
        vises = _blocks(tf_u_m, bodies)
        all_about += (*carriers, *vises) if turns else ()
        blocks += [block for block in (*carriers, *vises) if _is_near(block, near)]
        below = [b for b, body in zip(vises, bodies, strict=True) if body.owner == clamping.setup.station]
        stands_in += [b.name for b in carriers if _share((*clamping.holding.blocks, *below), (b,))]
    if not blocks and not in_its_place and not all_about:
        return NOBODY
    elsewhere = (name for name in _each_once(in_its_place) if name != clamping.setup.name)
    return Neighbourhood(tuple(blocks), tuple(elsewhere), _each_once(stands_in), tuple(all_about))


def _each_once(names: Iterable[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(names))


def _bodies(of: AtStations) -> list[Block]:
    """What stands at each of its stations."""
    return [block for block in of.clamping.holding.blocks if not (of.bases and block.kind == "base")]


def _base(of: AtStations) -> list[Block]:
    """What carries all of them, where something does."""
    return [block for block in of.clamping.holding.blocks if of.bases and block.kind == "base"]


def _stands_in_base(machine: Machine, mine: AtStations, other: AtStations) -> bool:
    """Whether anything of another setup stands in the plate or board that carries all stations of mine."""
    return any(
        _share(_base(mine), _seen_from(machine, other, parts, there, ""))
        for stations, parts in ((other.stations, _bodies(other)), (other.bases, _base(other)))
        for there in _seen_from_each(machine, mine, mine.bases, other, stations)
    )


def _bounds(other: AtStations, parts: Sequence[Block], there: Placement) -> tuple[Array, Array]:
    low, high = turned_bounds(np.array(_about(other, parts)), there.turn)
    return low + there.shift, high + there.shift


def about(
    machine: Machine, mine: AtStations, first: Stands, idle: Sequence[Stands], others: Sequence[AtStations]
) -> tuple[Block, ...]:
    """What stands on the machine besides the parts of a load of ``mine``, in ``u`` of its ``first`` station: what holds
    parts at stations that stay ``idle``, the ``others`` as they are loaded, and the carriers."""
    found: list[Block] = []
    held = replace(mine, stations=tuple(idle))
    for there in _seen_from_each(machine, mine, (first,), held, held.stations):
        found += [
            shaped_block(f"next station's {block.name}", block.kind, moved(block.solid(), there))
            for block in _bodies(mine)
        ]
    on = carrying_axis(machine, first[0])
    found = [replace(block, on=on) for block in found]
    for other in _each_station_once(mine.clamping, others):
        for stations, parts in ((other.stations, _bodies(other)), (other.bases, _base(other))):
            for there in _seen_from_each(machine, mine, (first,), other, stations):
                found += _seen_from(machine, other, parts, there, other.clamping.setup.name)
    tf_u_m = tf_m_station(machine, *first).after(mine.clamping.holding.tf_s_u).inverse()
    found += _blocks(tf_u_m, standing_bodies(machine, first[1]))
    found += _blocks(tf_u_m, vise_bodies(machine, first[1]))
    return tuple(found)


def to_base(machine: Machine, mine: AtStations, station: Stands) -> Placement | None:
    """What takes a plate or board on the machine from where it would carry a station by itself to where it stands, and
    carries all of them; None where nothing does."""
    base = next((each for each in mine.bases if each[0].on == station[0].on), None)
    if base is None:
        return None
    return tf_m_station(machine, base[0], station[1]).after(tf_m_station(machine, *station).inverse())


@lru_cache(maxsize=256)
def overlapping(machine: Machine, mine: AtStations) -> tuple[tuple[int, int], ...]:
    """Which of a setup's stations (by number, from 0) stand in one another: parts, or what holds them."""
    own = [*_bodies(mine), _stock_block("stock", mine.clamping, IDENTITY)]
    near = _about(mine, _bodies(mine))
    found: set[tuple[int, int]] = set()
    for there, pairs in _ways(machine, mine, mine.stations, mine, mine.stations).values():
        bounds = _bounds(mine, _bodies(mine), there)
        if _meet_in_plan(near, bounds) and _share(own, _seen_from(machine, mine, _bodies(mine), there, "")):
            found |= {(min(pair), max(pair)) for pair in pairs}
    return tuple(sorted(found))


def _seen_from_each(
    machine: Machine, mine: AtStations, my_stations: Sequence[Stands], other: AtStations, stations: Sequence[Stands]
) -> list[Placement]:
    """Every way in which one of the ``stations`` of ``other`` lies from one of ``my_stations``, each once."""
    return [there for there, _ in _ways(machine, mine, my_stations, other, stations).values()]


def _ways(
    machine: Machine, mine: AtStations, my_stations: Sequence[Stands], other: AtStations, stations: Sequence[Stands]
) -> dict[bytes, tuple[Placement, list[tuple[int, int]]]]:
    """From ``u`` at one of the ``stations`` of ``other`` to ``u`` at one of ``my_stations``: each way once, and which
    of my and their stations it is between.  A station does not lie from itself."""
    tf_s_u, tf_s_other = mine.clamping.holding.tf_s_u, other.clamping.holding.tf_s_u
    found: dict[bytes, tuple[Placement, list[tuple[int, int]]]] = {}
    for index in dict.fromkeys(index for _, index in my_stations) if stations else ():
        theirs = [tf_m_station(machine, station, index).after(tf_s_other) for station, _ in stations]
        turns, shifts = np.array([tf.turn for tf in theirs]), np.array([tf.shift for tf in theirs])
        for k, (station, at_index) in enumerate(my_stations):
            if at_index != index:
                continue
            tf_u_m = tf_m_station(machine, station, index).after(tf_s_u).inverse()
            rows = np.concatenate([tf_u_m.turn @ turns, (shifts @ tf_u_m.turn.T + tf_u_m.shift)[:, :, None]], axis=2)
            for j, (row, rounded) in enumerate(zip(rows, np.round(rows, _ALIKE) + 0.0, strict=True)):
                if other is not mine or j != k:
                    way = found.setdefault(rounded.tobytes(), (Placement(row[:, :3], row[:, 3]), []))
                    way[1].append((k, j))
    return found


def _blocks(tf_u_m: Placement, bodies: Iterable[StandingBody]) -> list[Block]:
    """Bodies on the machine as a setup has them about it."""
    return [replace(shaped_block(body.name, "base", moved(body.m_solid, tf_u_m)), on=body.on) for body in bodies]


def _is_near(block: Block, near: tuple[Array, Array]) -> bool:
    return _meet_in_plan(near, (np.array(block.low), np.array(block.high)))


def _aside(setup: Setup) -> float:
    """How far beyond what it touches a setup's probing takes the stylus's ball (mm)."""
    routine = setup.probing
    return routine.stand_off + routine.overtravel + 2.0 * routine.guess


def _reach(machine: Machine, mine: Clamping) -> float:
    """How far beyond stock and holding anything may come in plan (mm): the axis of a tool by its radius, the stylus by
    its stand-off, and round either the spindle or the widest holder."""
    aside = _aside(mine.setup) + machine.probe.ball_diameter
    radius = max((cutter.diameter / 2.0 for cutter in machine.cutters), default=0.0)
    widest = max([machine.nose_diameter, *(cutter.holder_diameter for cutter in machine.cutters)])
    return max(aside, radius) + widest / 2.0 + _SPARE


def _about(of: AtStations, parts: Sequence[Block], reach: float = 0.0) -> tuple[Array, Array]:
    """Lowest and highest corner (3,) of stock and some of the holding in ``u``, and of what is within ``reach`` of them
    in plan."""
    corners = [*of.clamping.holding.u_stock, *(np.array(corner) for own in parts for corner in (own.low, own.high))]
    beyond = np.array([reach, reach, 0.0])
    return np.min(corners, axis=0) - beyond, np.max(corners, axis=0) + beyond


def _meet_in_plan(one: Sequence[Array], other: Sequence[Array]) -> bool:
    (low, high), (their_low, their_high) = one, other
    return bool(np.all(their_high[:2] > low[:2]) and np.all(their_low[:2] < high[:2]))


def _each_station_once(mine: Clamping, others: Sequence[AtStations]) -> list[AtStations]:
    """Of several setups at one station the first."""
    by_station: dict[str, AtStations] = {}
    for other in others:
        if other.clamping.setup.station != mine.setup.station:
            by_station.setdefault(other.clamping.setup.station, other)
    return list(by_station.values())


def _seen_from(
    machine: Machine, other: AtStations, parts: Iterable[Block], there: Placement, whose: str
) -> list[Block]:
    """Parts of another setup's holding where ``there`` takes them, and its stock where they are not its base alone."""
    held = [shaped_block(f"{whose}'s {block.name}", block.kind, moved(block.solid(), there)) for block in parts]
    if not other.bases or any(block.kind != "base" for block in parts):
        held.append(_stock_block(f"{whose}'s stock", other.clamping, there))
    on = carrying_axis(machine, station_of(machine, other.clamping.setup))
    return [replace(block, on=on) for block in held]


def _stock_block(name: str, of: Clamping, there: Placement) -> Block:
    u_stock = of.holding.stock.solid.transform(np.column_stack([of.holding.orientation.matrix(), np.zeros(3)]))
    return shaped_block(name, "clamp", moved(u_stock, there))


def _share(one: Sequence[Block], other: Sequence[Block]) -> bool:
    """Whether any of the one stands in any of the other."""
    return any(_boxes_meet(a, b) and (a.solid() ^ b.solid()).volume() > _TOUCH for a in one for b in other)


def _boxes_meet(a: Block, b: Block) -> bool:
    return all(
        a_low < b_high and b_low < a_high
        for a_low, a_high, b_low, b_high in zip(a.low, a.high, b.low, b.high, strict=True)
    )
