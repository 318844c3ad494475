"""What stands about on a machine while a setup is run: what its tools, stylus and spindle may meet there.

Every setup of the job that is clamped elsewhere on the same machine is taken to be loaded, as in work that goes on side
by side.  Two whose fixtures would stand in one another cannot be there at once; they are told, and do not count.
Bodies of what carries fixtures always stand there, a setup's own carriers too.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from .blanks import moved, turned_bounds
from .carrier_bodies import StandingBody, standing_bodies, vise_bodies
from .frames import Array, Placement
from .holding.holding import Block, shaped_block
from .locating import Clamping
from .model.machine import Machine
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


#: One object, so that what stands too far away changes nothing that is kept.
NOBODY = Neighbourhood()


@lru_cache(maxsize=256)
def neighbourhood(machine: Machine, mine: Clamping, others: tuple[Clamping, ...]) -> Neighbourhood:
    """What the ``others`` have standing about while ``mine`` is run, the rotary axes where that has them."""
    blocks: list[Block] = []
    in_its_place: list[str] = []
    all_about: list[Block] = []
    near, turns = _about(mine, _reach(machine, mine)), bool(rotaries_under(machine, mine.setup))
    for other in _each_station_once(mine, others):
        there = _to_mine(machine, mine, other)
        low, high = turned_bounds(np.array(_about(other)), there.turn)
        is_near = _meet_in_plan(near, (low + there.shift, high + there.shift))
        if not is_near and not turns:
            continue  # no need to put all of it together
        theirs = _seen_from(machine, other, there)
        if _share(mine.holding.blocks, theirs):
            in_its_place.append(other.setup.name)
        else:
            all_about += theirs if turns else []
            blocks += [block for block in theirs if _is_near(block, near)]
    carriers = _blocks(mine, standing_bodies(machine, mine.setup.index))
    bodies = tuple(vise_bodies(machine, mine.setup.index))
    vises = _blocks(mine, bodies)
    all_about += (*carriers, *vises) if turns else ()
    blocks += [block for block in (*carriers, *vises) if _is_near(block, near)]
    if not blocks and not in_its_place and not all_about:
        return NOBODY
    own = (
        *mine.holding.blocks,
        *(b for b, body in zip(vises, bodies, strict=True) if body.owner == mine.setup.station),
    )
    stands_in = tuple(block.name for block in carriers if _share(own, (block,)))
    return Neighbourhood(tuple(blocks), tuple(in_its_place), stands_in, tuple(all_about))


def _blocks(mine: Clamping, bodies: Iterable[StandingBody]) -> list[Block]:
    """Bodies on the machine as this setup has them about it."""
    tf_u_m = mine.located.tf_m_u.inverse()
    return [replace(shaped_block(body.name, "base", moved(body.m_solid, tf_u_m)), on=body.on) for body in bodies]


def _is_near(block: Block, near: tuple[Array, Array]) -> bool:
    return _meet_in_plan(near, (np.array(block.low), np.array(block.high)))


def _reach(machine: Machine, mine: Clamping) -> float:
    """How far beyond stock and holding anything may come in plan (mm): the axis of a tool by its radius, the stylus by
    its stand-off, and round either the spindle or the widest holder."""
    routine = mine.setup.probing
    aside = routine.stand_off + routine.overtravel + 2.0 * routine.guess + machine.probe.ball_diameter
    radius = max((cutter.diameter / 2.0 for cutter in machine.cutters), default=0.0)
    widest = max([machine.nose_diameter, *(cutter.holder_diameter for cutter in machine.cutters)])
    return max(aside, radius) + widest / 2.0 + _SPARE


def _about(mine: Clamping, reach: float = 0.0) -> tuple[Array, Array]:
    """Lowest and highest corner (3,) of stock and holding in ``u``, and of what is within ``reach`` of them in plan."""
    corners = [mine.holding.u_stock[0], mine.holding.u_stock[1]]
    corners += [np.array(corner) for own in mine.holding.blocks for corner in (own.low, own.high)]
    beyond = np.array([reach, reach, 0.0])
    return np.min(corners, axis=0) - beyond, np.max(corners, axis=0) + beyond


def _meet_in_plan(one: Sequence[Array], other: Sequence[Array]) -> bool:
    (low, high), (their_low, their_high) = one, other
    return bool(np.all(their_high[:2] > low[:2]) and np.all(their_low[:2] < high[:2]))


def _each_station_once(mine: Clamping, others: Sequence[Clamping]) -> list[Clamping]:
    """Of several setups at one station the first."""
    by_station: dict[str, Clamping] = {}
    for other in others:
        if other.setup.station != mine.setup.station:
            by_station.setdefault(other.setup.station, other)
    return list(by_station.values())


def _to_mine(machine: Machine, mine: Clamping, other: Clamping) -> Placement:
    """From ``u`` of another setup to that of mine, as both stand on the machine."""
    tf_m_other = tf_m_station(machine, station_of(machine, other.setup), mine.setup.index).after(other.holding.tf_s_u)
    return mine.located.tf_m_u.inverse().after(tf_m_other)


def _seen_from(machine: Machine, other: Clamping, there: Placement) -> list[Block]:
    """Holding and stock of another setup where ``there`` takes them."""
    whose = other.setup.name
    held = [
        shaped_block(f"{whose}'s {block.name}", block.kind, moved(block.solid(), there))
        for block in other.holding.blocks
    ]
    matrix = other.holding.orientation.matrix()
    u_stock = other.holding.stock.solid.transform(np.column_stack([matrix, np.zeros(3)]))
    stock = shaped_block(f"{whose}'s stock", "clamp", moved(u_stock, there))
    on = carrying_axis(machine, station_of(machine, other.setup))
    return [replace(block, on=on) for block in (*held, stock)]


def _share(one: Sequence[Block], other: Sequence[Block]) -> bool:
    """Whether any of the one stands in any of the other."""
    return any(_boxes_meet(a, b) and (a.solid() ^ b.solid()).volume() > _TOUCH for a in one for b in other)


def _boxes_meet(a: Block, b: Block) -> bool:
    return all(
        a_low < b_high and b_low < a_high
        for a_low, a_high, b_low, b_high in zip(a.low, a.high, b.low, b.high, strict=True)
    )
