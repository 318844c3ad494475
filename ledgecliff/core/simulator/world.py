"""The true world behind a rehearsal: where things really are, drawn from a seed.

The plan never sees any of this.  A rigid ``Placement`` takes points of a frame to another one;
``tf_m_p`` is the true place of the part (frame P as last cut) on the machine.
"""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np

from ..datums import source_height
from ..frames import AXES, Array, Axis, rotation
from ..holding import Holding, hold_part
from ..model.base import Point
from ..model.job import Job
from ..model.part import Feature
from ..model.setup import Setup
from ..solids.geometry import PartGeometry
from ..stock import InProcessStock, blank_corners, box, transformed
from .contact import Body

#: The true vise lies within this share of the routine's guess of where the plan has it.
_GUESS_SHARE = 0.6
#: By-eye placing along the jaws (mm) and the turn left in the vise (standard deviation, degrees).
_BESIDE_MM, _SKEW_DEG = 0.6, 0.015


@dataclass(frozen=True, eq=False)
class Placement:
    """``x -> turn x + shift``: turn (3, 3), shift (3,) in mm."""

    turn: Array
    shift: Array

    def __call__(self, point: Array) -> Array:
        moved: Array = self.turn @ point + self.shift
        return moved

    def after(self, first: Placement) -> Placement:
        """This placement applied to what ``first`` gives."""
        return Placement(self.turn @ first.turn, self(first.shift))

    def inverse(self) -> Placement:
        return Placement(self.turn.T, -self.turn.T @ self.shift)

    def moves(self, solid: manifold3d.Manifold) -> manifold3d.Manifold:
        return transformed(solid, self.turn, self.shift)


IDENTITY = Placement(np.eye(3), np.zeros(3))


@dataclass(frozen=True, eq=False)
class TrueSetup:
    """One clamping as it really is."""

    holding: Holding
    tf_m_p: Placement
    bodies: list[Body]
    m_fixed_jaw: float
    m_parallels: float


def true_blank(job: Job, geometry: PartGeometry, rng: np.random.Generator) -> InProcessStock:
    """One blank of the batch: the measured size off by up to what it varies, uniformly."""
    spread = np.array(job.stock.varies.as_tuple())
    size = np.array(job.stock.measured.as_tuple()) + rng.uniform(-1.0, 1.0, 3) * spread
    x, y, z = (float(value) for value in size)
    stock = job.stock.model_copy(update={"measured": job.stock.measured.model_copy(update={"x": x, "y": y, "z": z})})
    solid = box(*blank_corners(stock, geometry, job.setups[0].orientation)).as_original()
    return InProcessStock(solid, solid.original_id())


def clamp(job: Job, setup: Setup, stock: InProcessStock, geometry: PartGeometry, rng: np.random.Generator) -> TrueSetup:
    """Puts the true stock into the true vise: seated, with the errors that a hand leaves."""
    vise = job.machine.vise(setup.hold.vise)
    assert vise is not None, "the job's own validation keeps vise names true"
    off = rng.uniform(-1.0, 1.0, 3) * _GUESS_SHARE * setup.probing.guess
    there = Point(x=vise.at.x + off[0], y=vise.at.y + off[1], z=vise.at.z + off[2])
    vises = tuple(v.model_copy(update={"at": there}) if v.name == vise.name else v for v in job.machine.vises)
    holding = hold_part(job.machine.model_copy(update={"vises": vises}), setup, stock, geometry)
    error = np.array(
        [
            rng.uniform(-_BESIDE_MM, _BESIDE_MM),
            -abs(rng.normal(0.0, vise.clamping_scatter)),
            abs(rng.normal(0.0, vise.clamping_scatter)),
        ]
    )
    turn = rotation("z", float(rng.normal(0.0, _SKEW_DEG)))
    middle = (holding.u_stock[0] + holding.u_stock[1]) / 2.0
    # Turned about the middle of the stock, then shifted from u to M and off by the hand's error.
    tf_m_u = Placement(turn, middle - turn @ middle + holding.m_shift + error)
    tf_m_p = tf_m_u.after(Placement(setup.orientation.matrix(), np.zeros(3)))
    bodies = [Body("part", tf_m_p.moves(stock.solid))]
    for block in holding.blocks:
        bodies.append(Body(block.name, box(block.low, block.high).translate(tuple(holding.m_shift))))
    bodies.append(Body("vise bed", _bed(holding)))
    return TrueSetup(
        holding,
        tf_m_p,
        bodies,
        m_fixed_jaw=holding.jaw_face + float(holding.m_shift[1]),
        m_parallels=holding.seat + float(holding.m_shift[2]),
    )


def _bed(holding: Holding) -> manifold3d.Manifold:
    jaw, front = holding.blocks[0], holding.blocks[1]
    top = jaw.low[2]
    return box((jaw.low[0], front.low[1], top - 20.0), (jaw.high[0], jaw.high[1], top)).translate(
        tuple(holding.m_shift)
    )


def true_offset(
    setup: Setup, planned: Holding, true: TrueSetup, features: tuple[Feature, ...], tf_p_cut: dict[str, Placement]
) -> Array:
    """The work offset (3,) that would be right: the datum's true surfaces, read in M.

    ``tf_p_cut`` places each feature, in P, where its own setup really cut it.
    """
    return np.array([_true_source(axis, setup, planned, true, features, tf_p_cut) for axis in AXES])


def _true_source(
    axis: Axis,
    setup: Setup,
    planned: Holding,
    true: TrueSetup,
    features: tuple[Feature, ...],
    tf_p_cut: dict[str, Placement],
) -> float:
    datum, k = setup.datum.axis(axis), AXES.index(axis)
    if datum.source == "parallels":
        return true.m_parallels + datum.shift
    if datum.source == "fixed jaw":
        return true.m_fixed_jaw + datum.shift
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
    p_middle = true.holding.orientation.matrix().T @ middle
    return float(true.tf_m_p(p_middle)[k]) + datum.shift
