"""True stock in its true fixture, as a true world has it.

The plan never sees any of this.  ``tf_m_p`` is the true place of the part (frame P as last cut) on the machine.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..blanks import box, make_blank, moved, off_size
from ..contact.first_contact import Body
from ..frames import Array, Placement, rotation
from ..holding import Block, Holding, hold_part
from ..holding.own_fixtures import NO_NEEDS, OwnNeeds
from ..model.base import Point
from ..model.holding import Chuck
from ..model.job import Job
from ..model.machine import Machine
from ..model.setup import Setup
from ..places import station_of, tf_m_carrier, tf_m_s
from ..simulator.axes import Axes, TrueAxis, axes_at, carrying_axis, planned_axes
from ..solids.geometry import FINE_DEFLECTION, PartGeometry
from ..solids.in_process_stock import InProcessStock
from .pushed_against import pushed_against
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

    @property
    def m_fixed_jaw(self) -> float:
        """Where the fixed jaw's face is along the machine axis across it; not a number without one."""
        jaws = self.holding.jaws
        if jaws is None:
            return math.nan
        place = np.zeros(3)
        place[jaws.axis] = jaws.face
        return float(self.tf_m_held(place)[jaws.axis])

    def axes(self, machine: Machine, setup: Setup, errors: Sequence[AxisError] = ()) -> Axes:
        """The rotary axes as they truly are, at the setup's index; that of a chuck is where the chuck has it.

        Raises InvalidValueError where the errors are of an axis that the machine does not have.
        """
        axes, turned_about = true_axes(machine, errors), self.holding.rotary_axis()
        if turned_about is not None:
            on = carrying_axis(machine, station_of(machine, setup))
            centre = self.tf_m_held(np.array([0.0, *turned_about]))
            axes = tuple(replace(axis, m_centre=centre) if axis.id == on else axis for axis in axes)
        return axes_at(setup, axes)


def true_axes(machine: Machine, errors: Sequence[AxisError]) -> tuple[TrueAxis, ...]:
    """The machine's rotary axes, off as it is stated."""
    axes = {axis.id: axis for axis in planned_axes(machine)}
    for error in errors:
        entered = next((each for each in machine.carriers if each.name == error.axis and each.id in axes), None)
        if entered is None:
            continue
        axis, sense = axes[entered.id], -1.0 if error.sense == "the other way" else 1.0
        axes[entered.id] = replace(
            axis,
            m_centre=axis.m_centre + np.array(error.off.as_tuple()),
            m_along=sense * axis.m_along,
            flat_deg=axis.flat_deg + error.flat_off_deg,
        )
    return tuple(axes.values())


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
    about (``behind``, in ``u``).  Stop and dowels stand where the plan has them, whatever this blank measures."""

    setup: Setup
    stock: InProcessStock
    geometry: PartGeometry
    registered: Registered | None = None
    behind: Block | None = None
    #: How the plan has it held, for where its stop and dowels stand.
    planned: Holding | None = None
    #: Of a fixture of the shop's own, and of the part's features where they were really cut.
    needs: OwnNeeds = NO_NEEDS


def clamp(machine: Machine, laid: Laid, true: TrueClamping) -> TrueSetup:
    """Puts the true stock into the true fixture: seated, with the errors that ``true`` states.

    Raises InvalidValueError where debris is stated to lie where nothing carries it.
    """
    setup, stock, registered = laid.setup, laid.stock, laid.registered
    off = np.array(true.fixture_off.as_tuple())
    if registered is not None and registered.fixture_off is not None:
        off = registered.fixture_off
    as_it_stands = _moved_station(machine, setup.station, off)
    shift = registered.s_shift if registered else None
    holding = hold_part(as_it_stands, setup, stock, laid.geometry, shift, laid.behind, laid.needs)
    if laid.planned is not None and (against := pushed_against(setup.hold, laid.planned, holding)) is not None:
        setup = setup.model_copy(update={"hold": against})
        holding = hold_part(as_it_stands, setup, stock, laid.geometry, shift, laid.behind, laid.needs)
    tf_m_held = tf_m_s(as_it_stands, setup).after(holding.tf_s_u)
    turn = rotation("x", true.tilt_x_deg) @ rotation("y", true.tilt_y_deg) @ rotation("z", true.skew_deg)
    middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    # Turned about the middle of the stock and off by the hand's error, then to where the fixture has it.
    laid_there = Placement(turn, middle - turn @ middle + np.array(true.part_off.as_tuple()))
    if true.debris:
        laid_there = on_debris(setup.name, holding, true.debris).after(laid_there)
    tf_m_u = tf_m_held.after(laid_there)
    tf_m_p = tf_m_u.after(Placement(holding.orientation.matrix(), np.zeros(3)))
    on = carrying_axis(machine, station_of(machine, setup))
    bodies = [stock_body(stock, tf_m_p, on)]
    for block in holding.blocks:
        solid = moved(block.solid(), tf_m_held)
        bodies.append(Body(block.name, solid, carrier=on, cuttable=block.cuttable))
    # A chuck hangs on its axis; what is under it stands still.
    under = None if isinstance(holding.fixture, Chuck) and not holding.fixture.stands else on
    bodies.append(Body(holding.foot_name, moved(_foot(holding), tf_m_held), "table", carrier=under))
    return TrueSetup(holding, tf_m_p, bodies, tf_m_held, off)


def stock_body(stock: InProcessStock, tf_m_p: Placement, carrier: str | None) -> Body:
    return Body("part", moved(stock.solid, tf_m_p), "stock", carrier=carrier, cuttable=True)


def _moved_station(machine: Machine, station: str, off: Array) -> Machine:
    """The machine with a station ``off`` (3,) from where the plan has it, along the machine's axes."""
    place = machine.station(station)
    assert place is not None, "the job's own validation keeps stations true"
    x, y, z = tf_m_carrier(machine, place).turn.T @ off + np.array(place.at.as_tuple())
    moved_there = place.model_copy(update={"at": Point(x=float(x), y=float(y), z=float(z))})
    stations = tuple(moved_there if each is place else each for each in machine.stations)
    return machine.model_copy(update={"stations": stations})


def _foot(holding: Holding) -> manifold3d.Manifold:
    """What the fixture stands on, as far as its blocks reach."""
    low = np.min([block.low for block in holding.blocks], axis=0)
    high = np.max([block.high for block in holding.blocks], axis=0)
    under = holding.foot
    return box((low[0], low[1], under - 20.0), (high[0], high[1], under))
