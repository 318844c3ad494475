"""Seating stock in the fixture that a setup names."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.holding import (
    BoardHold,
    Chuck,
    ChuckHold,
    Fixture,
    Jig,
    JigHold,
    Plate,
    PlateHold,
    Spoilboard,
    VBlock,
    VBlockHold,
    Vise,
)
from ..model.machine import Machine
from ..model.setup import Setup
from ..solids.geometry import PartGeometry
from ..solids.tracked import InProcessStock
from .chucks import hold_in_chuck
from .flat_beds import OnBed, hold_in_v_block, hold_on_board, hold_on_plate
from .held import Block, Holding, Jaws
from .jigs import hold_in_jig
from .vises import hold_in_vise


def hold_part(
    machine: Machine,
    setup: Setup,
    stock: InProcessStock,
    geometry: PartGeometry,
    registered: tuple[float, float] | None = None,
    behind: Block | None = None,
) -> Holding:
    """Seats ``stock`` as the setup says, its widest gripped place against a vise's fixed jaw.

    ``registered`` is the shift in plan from ``u`` to the machine where the turn's registration gives it, and
    ``behind`` what an earlier setup left standing about (in ``u``).
    """
    fixture, hold, matrix = machine.fixture(setup.hold), setup.hold, setup.orientation.matrix()
    assert fixture is not None, "the job's own validation keeps fixture names true"
    corners = np.array([geometry.low, geometry.high]) @ matrix.T
    u_stock, u_part = stock.u_corners(setup.orientation), (corners.min(axis=0), corners.max(axis=0))
    if isinstance(fixture, Vise):
        assert hold.by == "vise", "fixture and hold are of one kind"
        vise = hold_in_vise(fixture, hold, stock, setup.orientation)
        bed = OnBed(vise.seat, vise.seat_name, vise.seat, vise.bed, "vise bed", vise.blocks, vise.m_shift)
        return _held(fixture, setup, stock, bed, u_stock, u_part, vise.jaws)
    solid = transformed(stock.solid, matrix)
    if registered is not None and isinstance(hold, (PlateHold, BoardHold)) and hold.registered:
        hold = _placed(hold, fixture, (u_stock[0] + u_stock[1]) / 2.0, registered)
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
        case _:
            assert isinstance(fixture, Jig) and isinstance(hold, JigHold), "fixture and hold are of one kind"
            # The blank fills the first pocket; what the first side's outline left goes into the second.
            box_of = u_stock if hold.pocket == "first" else u_part
            bed = hold_in_jig(fixture, hold, solid, (box_of[0] + box_of[1]) / 2.0)
    if behind is not None:
        bed = replace(bed, blocks=(*bed.blocks, behind))
    return _held(fixture, setup, stock, bed, u_stock, u_part, None)


def _placed(
    hold: PlateHold | BoardHold, fixture: Fixture, middle: Array, m_shift: tuple[float, float]
) -> PlateHold | BoardHold:
    """The hold with the place that its registration gives: so far the stock's middle is from the fixture's."""
    at = fixture.at.as_tuple()
    x, y = (float(middle[k]) + m_shift[k] - at[k] for k in (0, 1))
    return hold.model_copy(update={"x": x, "y": y})


def _held(
    fixture: Fixture,
    setup: Setup,
    stock: InProcessStock,
    bed: OnBed,
    u_stock: tuple[Array, Array],
    u_part: tuple[Array, Array],
    jaws: Jaws | None,
) -> Holding:
    return Holding(
        fixture=fixture,
        hold=setup.hold,
        orientation=setup.orientation,
        stock=stock,
        u_stock=u_stock,
        u_part=u_part,
        jaws=jaws,
        **vars(bed),
    )
