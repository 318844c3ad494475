"""The true world behind a rehearsal: where things really are, drawn from a seed.

The plan never sees any of this.  ``tf_m_p`` is the true place of the part (frame P as last cut) on the machine.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import box, make_blank, moved, off_size
from ..contact.first_contact import Body
from ..datums import source_height
from ..frames import AXES, IDENTITY, Array, Axis, Placement, rotation
from ..holding import Block, Holding, hold_part
from ..model.base import Point
from ..model.holding import Hold
from ..model.job import Job
from ..model.machine import Machine
from ..model.part import Feature
from ..model.setup import Setup
from ..solids.geometry import FINE_DEFLECTION, PartGeometry
from ..solids.tracked import InProcessStock
from .stated import StatedSetup, StatedWorld

#: The true vise lies within this share of the routine's guess of where the plan has it.
_GUESS_SHARE = 0.6
#: By-eye placing along the jaws (mm) and the turn left in the vise (standard deviation, degrees).
_BESIDE_MM, _SKEW_DEG = 0.6, 0.015


@dataclass(frozen=True, eq=False)
class TrueSetup:
    """One clamping as it really is."""

    holding: Holding
    tf_m_p: Placement
    bodies: list[Body]
    m_fixed_jaw: float
    m_parallels: float
    fixture_off: Array
    #: Where in Y and Z the rotary axis truly is.
    m_rotary: tuple[float, float] | None


def true_blank(
    job: Job,
    geometry: PartGeometry,
    casting: PartGeometry | None,
    rng: np.random.Generator,
    stated: StatedWorld | None = None,
) -> InProcessStock:
    """One blank of the batch: the measured size off by up to what it varies, uniformly, or as it is stated."""
    off = rng.uniform(-1.0, 1.0, 3) * np.array(job.stock.spread())
    if stated is not None:
        off = np.array(stated.stock_off.as_tuple())
    return make_blank(off_size(job.stock, off), geometry, casting, FINE_DEFLECTION)


@dataclass(frozen=True)
class Registered:
    """What holds the stock to its place after a turn, and how much of it is left to chance.

    ``m_shift`` is what takes ``u`` to the machine in plan (2,), None where the fixture itself says; ``play`` is how
    far the stock may lie off (mm) and ``turn_rad`` how far it may be turned.  ``fixture_off`` (3,) is where the
    fixture really stands where that is known from the setup before.
    """

    m_shift: tuple[float, float] | None
    play: float
    turn_rad: float
    fixture_off: Array | None = None


def clamp(
    job: Job,
    setup: Setup,
    stock: InProcessStock,
    geometry: PartGeometry,
    rng: np.random.Generator,
    registered: Registered | None = None,
    behind: Block | None = None,
    stated: StatedSetup | None = None,
) -> TrueSetup:
    """Puts the true stock into the true fixture: seated, with the errors that a hand leaves, or as it is stated.

    ``behind`` is what an earlier setup left standing about (in ``u``).
    """
    off = rng.uniform(-1.0, 1.0, 3) * _GUESS_SHARE * setup.probing.guess
    for k, axis in enumerate(AXES):
        if setup.datum.axis(axis).source == "fixture value":
            off[k] = 0.0  # it stays where it was found, which is what makes its place known
    if stated is not None:
        off = np.array(stated.fixture_off.as_tuple())
    if registered is not None and registered.fixture_off is not None:
        off = registered.fixture_off
    machine = _moved_fixture(job.machine, setup.hold, off)
    holding = hold_part(machine, setup, stock, geometry, registered.m_shift if registered else None, behind)
    beside = rng.uniform(-_BESIDE_MM, _BESIDE_MM)
    gap, lift = (abs(rng.normal(0.0, holding.scatter)) for _ in range(2))
    # Away from the fixed jaw, whichever way that stands; without one, towards the operator.
    across, toward = (holding.jaws.axis, holding.jaws.toward) if holding.jaws else (1, 1)
    error = np.zeros(3)
    error[1 - across], error[across], error[2] = beside, -toward * gap, lift
    turn = rotation("z", float(rng.normal(0.0, _SKEW_DEG)))
    if registered is not None:
        way = rng.uniform(0.0, 2.0 * math.pi)
        reach = registered.play * math.sqrt(rng.uniform())
        error[:2] = reach * math.cos(way), reach * math.sin(way)
        turn = rotation("z", math.degrees(registered.turn_rad * rng.uniform(-1.0, 1.0)))
    if stated is not None:
        error = np.array(stated.part_off.as_tuple())
        turn = rotation("z", stated.skew_deg)
    middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    # Turned about the middle of the stock, then shifted from u to M and off by the hand's error.
    tf_m_u = Placement(turn, middle - turn @ middle + holding.m_shift + error)
    tf_m_p = tf_m_u.after(Placement(setup.orientation.matrix(), np.zeros(3)))
    bodies = [Body("part", moved(stock.solid, tf_m_p), cuttable=True)]
    for block in holding.blocks:
        # A board or a plate under the stock is drilled and cut into; jaws, clamps and pins are not.
        cuttable = block.name in ("spoilboard", "border")
        bodies.append(Body(block.name, block.solid().translate(tuple(holding.m_shift)), cuttable=cuttable))
    bodies.append(Body(holding.foot_name, _foot(holding)))
    return TrueSetup(
        holding,
        tf_m_p,
        bodies,
        m_fixed_jaw=_m_fixed_jaw(holding),
        m_parallels=holding.reference + float(holding.m_shift[2]),
        fixture_off=off,
        m_rotary=_m_rotary(holding),
    )


def _moved_fixture(machine: Machine, hold: Hold, off: Array) -> Machine:
    """The machine with the fixture that ``hold`` names standing ``off`` (3,) from where the plan has it."""
    fixture = machine.fixture(hold)
    assert fixture is not None, "the job's own validation keeps fixture names true"
    x, y, z = (float(value) for value in np.array(fixture.at.as_tuple()) + off)
    moved = fixture.model_copy(update={"at": Point(x=x, y=y, z=z)})
    update = {
        kind: tuple(moved if each is fixture else each for each in getattr(machine, kind))
        for kind in ("vises", "plates", "boards", "v_blocks", "chucks", "jigs")
    }
    return machine.model_copy(update=update)


def _m_fixed_jaw(holding: Holding) -> float:
    if holding.jaws is None:
        return math.nan
    return holding.jaws.face + float(holding.m_shift[holding.jaws.axis])


def _m_rotary(holding: Holding) -> tuple[float, float] | None:
    axis = holding.rotary_axis()
    if axis is None:
        return None
    return (axis[0] + float(holding.m_shift[1]), axis[1] + float(holding.m_shift[2]))


def _foot(holding: Holding) -> manifold3d.Manifold:
    """What the fixture stands on, as far as its blocks reach."""
    low = np.min([block.low for block in holding.blocks], axis=0)
    high = np.max([block.high for block in holding.blocks], axis=0)
    under = holding.foot
    return box((low[0], low[1], under - 20.0), (high[0], high[1], under)).translate(tuple(holding.m_shift))


def true_offset(
    setup: Setup,
    planned: Holding,
    true: TrueSetup,
    features: tuple[Feature, ...],
    tf_p_cut: dict[str, Placement],
    p_zero: Array,
    turned: bool = False,
) -> Array:
    """The work offset (3,) that would be right: the datum's true surfaces, read in M.

    ``tf_p_cut`` places each feature, in P, where its own setup really cut it; ``p_zero`` (3,) is the planned zero
    in P, where a zero that is carried over belongs.  ``turned`` axes meet where the true surfaces do, not each at
    the middle of the stock.
    """
    if turned and all(setup.datum.axis(axis).source.startswith(("stock", "part")) for axis in AXES[:2]):
        u_zero = np.array(
            [source_height(axis, setup.datum.axis(axis), true.holding, features) + setup.datum.axis(axis).shift
             for axis in AXES]
        )  # fmt: skip
        x, y, _ = true.tf_m_p(true.holding.orientation.matrix().T @ u_zero)
        z = _true_source("z", setup, planned, true, features, tf_p_cut, p_zero)
        return np.array([x, y, z])
    return np.array([_true_source(axis, setup, planned, true, features, tf_p_cut, p_zero) for axis in AXES])


def _true_source(
    axis: Axis,
    setup: Setup,
    planned: Holding,
    true: TrueSetup,
    features: tuple[Feature, ...],
    tf_p_cut: dict[str, Placement],
    p_zero: Array,
) -> float:
    datum, k = setup.datum.axis(axis), AXES.index(axis)
    if datum.source == "parallels":
        return true.m_parallels + datum.shift
    if datum.source == "fixture value":
        return float(true.holding.fixture.at.as_tuple()[k]) + datum.shift
    if datum.source == "fixed jaw":
        return true.m_fixed_jaw + datum.shift
    if datum.source == "rotary axis":
        return math.nan if true.m_rotary is None else true.m_rotary[k - 1] + datum.shift
    if datum.source == "fixture bore":
        bore = true.holding.known_bore()
        return math.nan if bore is None else float(bore.u_centre[k] + true.holding.m_shift[k]) + datum.shift
    if datum.source == "carried over":
        return float(true.tf_m_p(p_zero)[k])
    if datum.source == "feature":
        feature = next(feature for feature in features if feature.name == datum.feature)
        at = tf_p_cut.get(feature.name, IDENTITY)(np.array(feature.at.as_tuple()))
        return float(true.tf_m_p(at)[k]) + datum.shift
    # A stock or part plane, taken at the middle of the stock across that axis.
    middle = (true.holding.u_stock[0] + true.holding.u_stock[1]) / 2.0
    if axis == "z":
        planned_below_top = float(planned.u_stock[1][2]) - source_height(axis, datum, planned, features)
        middle[2] = float(true.holding.u_stock[1][2]) - planned_below_top
    else:
        middle[k] = source_height(axis, datum, true.holding, features)
    m_middle = true.tf_m_p(true.holding.orientation.matrix().T @ middle)
    if datum.source in ("stock minus side", "stock plus side") and axis != "z":
        low, high = _m_ends(true, k, float(m_middle[1 - k]))
        return (low if datum.source == "stock minus side" else high) + datum.shift
    return float(m_middle[k]) + datum.shift


def _m_ends(true: TrueSetup, k: int, across: float) -> tuple[float, float]:
    """From where to where the true stock reaches along X (0) or Y (1) at a place on the other axis (M, mm).

    Once it has been turned over a little askew, its farthest corners lie beyond its sides' middles.
    """
    solid = moved(true.holding.stock.solid, true.tf_m_p)
    # The other axis is turned up: (x, y, z) to (y, z, x) for Y, to (z, x, y) for X.
    if k == 1:
        left, _, right, _ = solid.transform(((0, 1, 0, 0), (0, 0, 1, 0), (1, 0, 0, 0))).slice(across).bounds()
        return left, right
    _, low, _, high = solid.transform(((0, 0, 1, 0), (1, 0, 0, 0), (0, 1, 0, 0))).slice(across).bounds()
    return low, high


def true_turn_deg(setup: Setup, true: TrueSetup) -> float:
    """How far the part is really turned about Z from where the plan has it (degrees)."""
    turn = true.tf_m_p.turn @ setup.orientation.matrix().T
    return math.degrees(math.atan2(float(turn[1, 0]), float(turn[0, 0])))
