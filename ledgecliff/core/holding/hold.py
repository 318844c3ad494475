"""Seating stock in the fixture that a setup names."""

from __future__ import annotations

import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.holding import BoardHold, Fixture, Plate, PlateHold, Spoilboard, VBlock, VBlockHold, Vise
from ..model.machine import Machine
from ..model.setup import Setup
from ..solids.geometry import PartGeometry
from ..solids.tracked import InProcessStock
from .flat_beds import OnBed, hold_in_v_block, hold_on_board, hold_on_plate
from .held import Holding, Jaws
from .vises import hold_in_vise


def hold_part(machine: Machine, setup: Setup, stock: InProcessStock, geometry: PartGeometry) -> Holding:
    """Seats ``stock`` as the setup says, its widest gripped place against a vise's fixed jaw."""
    fixture, hold, matrix = machine.fixture(setup.hold), setup.hold, setup.orientation.matrix()
    assert fixture is not None, "the job's own validation keeps fixture names true"
    corners = np.array([geometry.low, geometry.high]) @ matrix.T
    u_stock, u_part = stock.u_corners(setup.orientation), (corners.min(axis=0), corners.max(axis=0))
    if isinstance(fixture, Vise):
        assert hold.by == "vise", "fixture and hold are of one kind"
        vise = hold_in_vise(fixture, hold, stock, matrix)
        bed = OnBed(vise.seat, vise.seat_name, vise.seat, vise.bed, "vise bed", vise.blocks, vise.m_shift)
        return _held(fixture, setup, stock, bed, u_stock, u_part, vise.jaws)
    solid = transformed(stock.solid, matrix)
    match hold:
        case PlateHold():
            assert isinstance(fixture, Plate), "fixture and hold are of one kind"
            bed = hold_on_plate(fixture, hold, solid)
        case BoardHold():
            assert isinstance(fixture, Spoilboard), "fixture and hold are of one kind"
            bed = hold_on_board(fixture, hold, solid)
        case _:
            assert isinstance(fixture, VBlock) and isinstance(hold, VBlockHold), "fixture and hold are of one kind"
            bed = hold_in_v_block(fixture, hold, solid)
    return _held(fixture, setup, stock, bed, u_stock, u_part, None)


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
