"""Seating stock in the fixture that stands at a setup's station."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import assert_never

import numpy as np

from ..blanks import transformed
from ..frames import Array, Placement
from ..model.holding import (
    BoardHold,
    Chuck,
    ChuckHold,
    Fixture,
    Hold,
    Jig,
    JigHold,
    OwnHold,
    Plate,
    PlateHold,
    Spoilboard,
    VBlock,
    VBlockHold,
    Vise,
    ViseHold,
)
from ..model.machine import Machine
from ..model.orientation import Orientation
from ..model.own_fixture import OwnFixture
from ..model.setup import Setup
from ..places import as_it_lies, turns_of_place
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from .chucks import hold_in_chuck
from .flat_beds import OnBed, hold_in_v_block, hold_on_board, hold_on_plate
from .holding import Block, HeldInOwn, Holding, Jaws, KnownFace, shaped_block
from .jigs import hold_in_jig
from .own_fixtures import NO_NEEDS, Lying, OwnNeeds, hold_in_own
from .second_blank import second_blank
from .supports import support_blocks
from .vises import hold_in_vise

#: A cosine this near to one is of no angle.
_SQUARE = 1e-9


def hold_part(
    hold: Hold,
    orientation: Orientation,
    fixture: Fixture,
    stock: InProcessStock,
    geometry: PartGeometry,
    registered: tuple[float, float] | None = None,
    behind: Block | None = None,
    needs: OwnNeeds = NO_NEEDS,
) -> Holding:
    """Seats ``stock`` in a ``fixture`` as ``hold`` says, its widest gripped place against a vise's fixed jaw.

    ``needs`` is what a fixture of the shop's own takes besides, ``registered`` the shift in plan from ``u`` to the
    fixture's frame where the turn's registration gives it, and ``behind`` what an earlier setup left standing about (in
    ``u``).  This is as it lies there with the station level; ``as_it_stands`` tilts it.
    """
    return _held_in(fixture, hold, _Lying(orientation, stock, geometry), registered, behind, needs)


def held_on(level: Holding, stock: InProcessStock) -> Holding:
    """The same clamping with the stock as it has been cut since: nothing in it has moved, and what holds it is where it
    was."""
    return replace(level, stock=stock, u_stock=stock.u_corners(level.orientation))


def as_it_stands(level: Holding, machine: Machine, setup: Setup, geometry: PartGeometry) -> Holding:
    """A clamping where its station has it: at one that is tilted, as on a rotary axis, all of it is tilted along, so
    that ``u`` stays along the machine's axes."""
    if not turns_of_place(machine, setup):
        return level
    return _tilted(level, as_it_lies(machine, setup).orientation, geometry)


@dataclass(frozen=True, eq=False)
class _Lying:
    """Stock and part as they lie before anything holds them."""

    orientation: Orientation
    stock: InProcessStock
    geometry: PartGeometry

    @property
    def u_stock(self) -> tuple[Array, Array]:
        return self.stock.u_corners(self.orientation)

    @property
    def u_part(self) -> tuple[Array, Array]:
        return self.geometry.u_corners(self.orientation)


def _held_in(
    fixture: Fixture,
    stated: Hold,
    lying: _Lying,
    registered: tuple[float, float] | None,
    behind: Block | None,
    needs: OwnNeeds,
) -> Holding:
    hold, u_stock, orientation = stated, lying.u_stock, lying.orientation
    if isinstance(fixture, Vise):
        assert hold.by == "vise", "fixture and hold are of one kind"
        vise = hold_in_vise(fixture, hold, lying.stock, orientation)
        bed = OnBed(vise.seat, vise.seat_name, vise.seat, vise.bed, "vise bed", vise.blocks, vise.s_shift)
        return _held(fixture, hold, bed, lying, vise.jaws)
    solid = transformed(lying.stock.solid, orientation.matrix())
    if registered is not None and isinstance(hold, (PlateHold, BoardHold)) and hold.registered:
        # So far the stock's middle is from the fixture's.
        x, y = ((u_stock[0] + u_stock[1]) / 2.0)[:2] + registered
        hold = hold.model_copy(update={"x": float(x), "y": float(y)})
    own = None
    match hold:
        case PlateHold():
            assert isinstance(fixture, Plate), "fixture and hold are of one kind"
            bed = hold_on_plate(fixture, hold, solid, u_stock)
        case BoardHold():
            assert isinstance(fixture, Spoilboard), "fixture and hold are of one kind"
            bed = hold_on_board(fixture, hold, solid, u_stock)
        case VBlockHold():
            assert isinstance(fixture, VBlock), "fixture and hold are of one kind"
            bed = hold_in_v_block(fixture, hold, u_stock)
        case ChuckHold():
            assert isinstance(fixture, Chuck), "fixture and hold are of one kind"
            bed = hold_in_chuck(fixture, hold, solid, u_stock)
        case JigHold():
            assert isinstance(fixture, Jig), "fixture and hold are of one kind"
            # The blank fills the first pocket; what the first side's outline left goes into the second.
            low, high = u_stock if hold.pocket == "first" else lying.u_part
            bed = hold_in_jig(fixture, hold, solid, (low + high) / 2.0)
        case OwnHold():
            assert isinstance(fixture, OwnFixture), "fixture and hold are of one kind"
            bed, own = hold_in_own(fixture, hold, Lying(solid, u_stock, orientation), needs)
        case ViseHold():
            raise AssertionError("fixture and hold are of one kind")
        case _:
            assert_never(hold)
    if behind is not None:
        bed = replace(bed, blocks=(*bed.blocks, behind))
    return _held(fixture, stated, bed, lying, None, own)


def _held(
    fixture: Fixture,
    hold: Hold,
    bed: OnBed,
    lying: _Lying,
    jaws: Jaws | None,
    own: HeldInOwn | None = None,
) -> Holding:
    u_solid = transformed(lying.stock.solid, lying.orientation.matrix())
    second = second_blank(fixture, hold, u_solid)
    supports = support_blocks(fixture, hold, u_solid, lying.u_stock[0], (bed.blocks, jaws, bed.foot))
    return Holding(
        fixture=fixture,
        hold=hold,
        orientation=lying.orientation,
        stock=lying.stock,
        u_stock=lying.u_stock,
        u_part=lying.u_part,
        seat=bed.seat,
        seat_name=bed.seat_name,
        reference=bed.reference,
        foot=bed.foot,
        foot_name=bed.foot_name,
        blocks=(*bed.blocks, *supports) if second is None else (*bed.blocks, *supports, second),
        tf_s_u=Placement(np.eye(3), bed.s_shift),
        jaws=jaws,
        own=own,
    )


def _turned_faces(faces: tuple[KnownFace, ...], turn: Array) -> tuple[KnownFace, ...]:
    """Those that look along an axis again once they are turned."""
    found = []
    for face in faces:
        looks = turn @ (face.sign * np.eye(3)[face.axis])
        axis = int(np.argmax(np.abs(looks)))
        region = face.region @ turn.T
        if abs(float(looks[axis])) > 1.0 - _SQUARE:
            sign = 1 if looks[axis] > 0.0 else -1
            # Of a pin, the band's outermost corner; of a flat face all of them are.
            level = sign * float((sign * region[:, :, axis]).max())
            found.append(replace(face, axis=axis, sign=sign, level=level, region=region))
    return tuple(found)


@lru_cache(maxsize=256)
def _tilted(held: Holding, orientation: Orientation, geometry: PartGeometry) -> Holding:
    """The same clamping seen along the machine's axes when it stands tilted: ``u`` is then turned from the fixture's
    frame, and nothing in it is a level seat or an upright jaw any more."""
    turn = orientation.matrix() @ held.orientation.matrix().T
    blocks = tuple(
        shaped_block(block.name, block.kind, transformed(block.solid(), turn), block.may_cut, cuttable=block.cuttable)
        for block in held.blocks
    )
    u_stock = held.stock.u_corners(orientation)
    lowest = float(u_stock[0][2])
    return replace(
        held,
        orientation=orientation,
        u_stock=u_stock,
        u_part=geometry.u_corners(orientation),
        seat=lowest,
        reference=lowest,
        foot=min((block.low[2] for block in blocks), default=lowest),
        blocks=blocks,
        tf_s_u=held.tf_s_u.after(Placement(turn.T, np.zeros(3))),
        jaws=None,
        tilted=True,
        own=None if held.own is None else replace(held.own, faces=_turned_faces(held.own.faces, turn)),
    )
