"""True stock in its true fixture, as a true world has it.

The plan never sees any of this.  ``tf_m_p`` is the true place of the part (frame P as last cut) on the machine.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..blanks import make_blank, moved, off_size
from ..carrier_bodies import assumed_foot, takes_foot_along
from ..contact.first_contact import Body
from ..frames import IDENTITY, Array, Placement, rotation, rotation_about, turn_vector
from ..holding import Block, Holding, as_it_stands, held_on, hold_part
from ..holding.own_fixtures import NO_NEEDS, OwnNeeds
from ..holding.pushed_against import pushed_against
from ..model.base import Point
from ..model.holding import Hold
from ..model.job import Job
from ..model.machine import Machine
from ..model.setup import Setup
from ..simulator.axes import Axes
from ..solids.geometry import FINE_DEFLECTION, PartGeometry
from ..solids.in_process_stock import InProcessStock
from .standing import TrueStanding, true_standing
from .tipping import on_debris
from .true_world import AxisError, TrueClamping


@dataclass(frozen=True, eq=False)
class TrueSetup:
    """One clamping as it really is."""

    holding: Holding
    tf_m_p: Placement
    bodies: list[Body]
    #: Where what holds it takes ``u`` of the clamping, but for what the hand leaves.
    tf_m_held: Placement
    fixture_off: Array
    #: How it is held with its station level, and where that stands.
    level: Holding
    standing: TrueStanding
    #: The rotary axes at the setup's index.
    axes: Axes

    @property
    def m_fixed_jaw(self) -> float:
        """Where the fixed jaw's face is along the machine axis across it; not a number without one."""
        jaws = self.holding.jaws
        if jaws is None:
            return math.nan
        place = np.zeros(3)
        place[jaws.axis] = jaws.face
        return float(self.tf_m_held(place)[jaws.axis])


def true_blank(job: Job, geometry: PartGeometry, casting: PartGeometry | None, off: Point) -> InProcessStock:
    """One blank of the batch, ``off`` larger than measured along part X, Y and Z (mm)."""
    return make_blank(off_size(job.stock, np.array(off.as_tuple())), geometry, casting, FINE_DEFLECTION)


@dataclass(frozen=True)
class Registered:
    """What holds the stock to its place after a turn.

    ``s_shift`` is what takes ``u`` to the fixture's frame in plan (2,), None where the fixture itself says;
    ``fixture_off`` (3,) is where the fixture really stands where that is known from the setup before.
    """

    s_shift: tuple[float, float] | None
    fixture_off: Array | None = None


@dataclass(frozen=True, eq=False)
class Laid:
    """What is clamped: the setup, its stock as it really is, what registers it, and what an earlier setup left standing
    about (``behind``, in ``u``).  Stop and dowels stand where the plan has them, whatever this blank measures.
    ``still`` is the clamping as the setup before left it, where the part is not taken out: only rotary axes turn it."""

    setup: Setup
    stock: InProcessStock
    geometry: PartGeometry
    registered: Registered | None = None
    behind: Block | None = None
    #: How the plan has it held, for where its stop and dowels stand.
    planned: Holding | None = None
    #: Of a fixture of the shop's own, and of the part's features where they were really cut.
    needs: OwnNeeds = NO_NEEDS
    still: TrueSetup | None = None
    #: How what it lies on, and the side that squares it up, lie turned in the stock (3, 3 each, in P).
    turned: tuple[Array, Array] = (IDENTITY.turn, IDENTITY.turn)


def clamp(machine: Machine, laid: Laid, true: TrueClamping, errors: Sequence[AxisError] = ()) -> TrueSetup:
    """Puts the true stock into the true fixture: seated, with the errors that ``true`` states, and those of the
    machine's axes.

    Raises InvalidValueError where debris is stated to lie where nothing carries it.
    """
    setup, stock, still = laid.setup, laid.stock, laid.still
    squared = _squared_up(laid)
    if still is None and squared is not IDENTITY:
        aligned = InProcessStock(moved(stock.solid, squared), stock.raw_id, ends=(), more_raw=stock.more_raw)
        laid = replace(laid, stock=aligned)
    if still is not None:
        off, level, standing = still.fixture_off, held_on(still.level, stock), still.standing
    else:
        off, level = np.array(true.fixture_off.as_tuple()), _seated(machine, laid)
        if laid.registered is not None and laid.registered.fixture_off is not None:
            off = laid.registered.fixture_off
        standing = true_standing(machine, setup, off, errors, true.index_off)
    holding, axes = as_it_stands(level, machine, setup, laid.geometry), standing.axes_at(setup, true.index_off)
    tf_m_held, on = standing.tf_m_s(axes).after(holding.tf_s_u), standing.on
    if still is not None:
        tf_m_p = axes.tf_now_nought(on).after(still.axes.tf_now_nought(on).inverse()).after(still.tf_m_p)
    else:
        tf_m_p = tf_m_held.after(_laid_there(holding, true)).after(Placement(holding.orientation.matrix(), np.zeros(3)))
        tf_m_p = tf_m_p.after(squared)
    bodies = [stock_body(stock, tf_m_p, on)]
    for block in holding.blocks:
        solid = moved(block.solid(), tf_m_held)
        bodies.append(Body(block.name, solid, carrier=on, cuttable=block.cuttable))
    foot = assumed_foot(machine, setup, level)
    if foot is not None:
        there = standing.tf_m_s(axes)
        bodies.append(Body(holding.foot_name, moved(foot, there), "table", carrier=takes_foot_along(machine, setup)))
    return TrueSetup(holding, tf_m_p, bodies, tf_m_held, off, level, standing, axes)


def _squared_up(laid: Laid) -> Placement:
    """Flat on what it lies on and flat against the side that it is pushed with, though those were cut askew to what was
    cut last: what that takes about the middle of the stock, in P."""
    matrix = laid.setup.orientation.matrix()
    lies, side = (matrix @ turn_vector(turn) for turn in laid.turned)
    askew = np.array([lies[0], lies[1], side[2]])
    angle = float(np.linalg.norm(askew))
    if angle == 0.0:
        return IDENTITY
    back = matrix.T @ rotation_about(askew / angle, -angle) @ matrix
    middle = np.mean(laid.stock.corners, axis=0)
    return Placement(back, middle - back @ middle)


def _seated(machine: Machine, laid: Laid) -> Holding:
    """The true stock in its fixture with the station level, against what stands beside it."""
    setup, fixture = laid.setup, machine.fixture_at(laid.setup.station)
    shift = laid.registered.s_shift if laid.registered else None

    def held_by(hold: Hold) -> Holding:
        lying = (setup.orientation, fixture, laid.stock, laid.geometry)
        return hold_part(hold, *lying, shift, laid.behind, laid.needs)

    level = held_by(setup.hold)
    if laid.planned is None or (against := pushed_against(setup.hold, laid.planned, level)) is None:
        return level
    return held_by(against)


def _laid_there(holding: Holding, true: TrueClamping) -> Placement:
    """Turned about the middle of the stock and off by the hand's error, then to where debris puts it, in ``u``."""
    turn = rotation("x", true.tilt_x_deg) @ rotation("y", true.tilt_y_deg) @ rotation("z", true.skew_deg)
    middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    there = Placement(turn, middle - turn @ middle + np.array(true.part_off.as_tuple()))
    return on_debris(true.name, holding, true.debris).after(there) if true.debris else there


def stock_body(stock: InProcessStock, tf_m_p: Placement, carrier: str | None) -> Body:
    return Body("part", moved(stock.solid, tf_m_p), "stock", carrier=carrier, cuttable=True)
