"""Indexed work: the rotary axes of a job, and what each school of work offsets has at every index.

One clamping has one or more indexes, setups between which only rotary axes turn.  The schools:

- *centre*: one offset at the centre of rotation for all indexes.  Going down a chain of axes each gives the two
  coordinates across it, so that the lower one has the say; along an only axis the first index's zero gives the third.
- *computed*: the zero of the clamping's first index, turned about the centres to where it is at this one,
  ``E(i) = T(i) T(1)^-1 E(1)`` with ``T`` what takes the fixture's frame to the machine.
- *probed*: this index's own zero, where the plan expects it to be found.
"""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import manifold3d
import numpy as np

from .errors import InternalError
from .frames import AXES, Array, Axis, Placement
from .model.machine import Machine
from .model.orientation import PartDirection, exact_direction
from .model.stations import Rotary
from .places import rotaries_under, stands_at, station_of, tf_m_s, tf_m_station
from .plan import Plan
from .setup_plan import SetupPlan
from .simulator.axes import TrueAxis, planned_axes

School = Literal["centre", "computed", "probed"]
#: A unit vector's share across a machine axis along which it counts as lying, and how far places may disagree (mm).
_SQUARE, _AGREES = 1e-9, 1e-6


@dataclass(frozen=True)
class AxisLine:
    """A rotary axis of a machine: ``centre`` has the coordinates (mm, as the gauge line would read) across the machine
    axis that it turns ``about``, all axes at nought; where it lies along none, ``about`` is None and ``centre`` has all
    three of a place on it.  ``on`` is the name of what carries it, None on the table."""

    machine: str
    rotary: Rotary
    on: str | None
    about: Axis | None
    centre: tuple[tuple[Axis, float], ...]


@dataclass(frozen=True)
class Indexed:
    """A setup on rotary axes: where they stand, by word (degrees), which part directions are up and to the right (None
    where none is), and the work offset of each school as the control's table shows it (mm)."""

    setup: SetupPlan
    first: SetupPlan
    index: tuple[tuple[str, float], ...]
    part_up: PartDirection | None
    part_right: PartDirection | None
    offsets: tuple[tuple[School, tuple[float, float, float] | None], ...]


@dataclass(frozen=True)
class ModelPlacement:
    """Where the model stands from the centre of rotation, all axes at nought: its zero (mm) and three turns (degrees),
    about machine X first, then Y, then Z."""

    zero: tuple[float, float, float]
    turns: tuple[float, float, float]


def axis_lines(machine: Machine) -> tuple[AxisLine, ...]:
    """The rotary axes of a machine as they are entered."""
    names = {carrier.id: carrier.name for carrier in machine.carriers}
    rotaries = {each.id: each for each in machine.carriers if isinstance(each, Rotary)}
    lines = []
    for axis in planned_axes(machine):
        rotary = rotaries[axis.id]
        along = [k for k in range(3) if abs(abs(float(axis.m_along[k])) - 1.0) < _SQUARE]
        about = AXES[along[0]] if along else None
        centre = tuple((each, float(axis.m_centre[k])) for k, each in enumerate(AXES) if each != about)
        on = None if rotary.on is None else names[rotary.on]
        lines.append(AxisLine(machine.name, rotary, on, about, centre))
    return tuple(lines)


def clampings(plan: Plan) -> tuple[tuple[SetupPlan, ...], ...]:
    """The setups by clamping: those of one follow each other, and only rotary axes turn between them."""
    groups: list[list[SetupPlan]] = []
    for setup in plan.setups:
        if plan.stays_clamped(setup.index):
            groups[-1].append(setup)
        else:
            groups.append([setup])
    return tuple(tuple(group) for group in groups)


def axes_stand(setup: SetupPlan) -> tuple[tuple[str, float], ...]:
    """Where the rotary axes stand that carry a setup, by word (degrees), the lowest first."""
    under = rotaries_under(setup.machine, setup.setup)
    return tuple((each.word, stands_at(each, setup.setup.index)) for each in reversed(under))


def indexed(plan: Plan) -> tuple[Indexed, ...]:
    """Every setup that stands on a rotary axis.  Raises InternalError where two indexes of one clamping disagree about
    where the part is in its fixture."""
    return tuple(
        _indexed(setup, group[0])
        for group in clampings(plan)
        for setup in group
        if rotaries_under(setup.machine, setup.setup)
    )


def _indexed(setup: SetupPlan, first: SetupPlan) -> Indexed:
    tf_s_p, tf_first = _tf_s_p(setup), _tf_s_p(first)
    if not np.allclose(tf_s_p.shift, tf_first.shift, atol=_AGREES) or not np.allclose(tf_s_p.turn, tf_first.turn):
        raise InternalError(setup.setup.name, f"the part lies otherwise in its fixture than in {first.setup.name}")
    rows = setup.setup.orientation.matrix()
    from_first = tf_m_s(setup.machine, setup.setup).after(tf_m_s(first.machine, first.setup).inverse())
    length_shift = np.array([0.0, 0.0, setup.machine.length_shift()])
    centre = _centre(first)
    offsets: tuple[tuple[School, Array | None], ...] = (
        ("centre", None if centre is None else centre - length_shift),
        ("computed", from_first(first.located.m_offset) - length_shift),
        ("probed", setup.planned_offset),
    )
    return Indexed(
        setup,
        first,
        axes_stand(setup),
        exact_direction(rows[2]),
        exact_direction(rows[0]),
        tuple((school, None if value is None else _triple(value)) for school, value in offsets),
    )


def _centre(first: SetupPlan) -> Array | None:
    """The centre of rotation (3,) of a clamping on the machine; None where an axis lies along no machine axis."""
    lines = {line.rotary.id: line for line in axis_lines(first.machine)}
    centre: Array = _to_nought(first)(first.located.m_offset)
    for rotary in rotaries_under(first.machine, first.setup):
        line = lines[rotary.id]
        if line.about is None:
            return None
        for axis, value in line.centre:
            centre[AXES.index(axis)] = value
    return centre


def axes_miss(setup: SetupPlan) -> float | None:
    """How far two axes under a setup pass each other (mm), all at nought; None where it has not two, or where they are
    parallel."""
    ids = [rotary.id for rotary in rotaries_under(setup.machine, setup.setup)]
    lines = [axis for axis in planned_axes(setup.machine) if axis.id in ids]
    if len(lines) != 2:
        return None
    across = np.cross(lines[0].m_along, lines[1].m_along)
    size = float(np.linalg.norm(across))
    if size < _SQUARE:
        return None
    return abs(float((lines[1].m_centre - lines[0].m_centre) @ across)) / size


def model_placement(first: SetupPlan) -> ModelPlacement | None:
    """How a clamping's model stands from the centre of rotation, what a toolpath system must be told in that school;
    None where there is no such centre."""
    # Only here: SciPy is slow to load, and few jobs turn.
    from scipy.spatial.transform import Rotation

    station = station_of(first.machine, first.setup)
    centre = _centre(first)
    if centre is None or not rotaries_under(first.machine, first.setup):
        return None
    tf_m_p = tf_m_station(first.machine, station).after(_tf_s_p(first))
    with warnings.catch_warnings():
        # A quarter turn about Y leaves one of the others open, which is then nought: the turn is the same.
        warnings.simplefilter("ignore", UserWarning)
        third, second, once = Rotation.from_matrix(tf_m_p.turn).as_euler("ZYX", degrees=True)
    return ModelPlacement(_triple(tf_m_p.shift - centre), _triple(np.array([once, second, third])))


def sweep_radius(plan: Plan, first: SetupPlan) -> float | None:
    """How far (mm) from the lowest axis under a setup anything of stock and holding comes that the job has on that
    axis, however the axes stand; None where nothing turns it.  Of flat-faced bodies a corner comes farthest; round ones
    count by their facets, which may stand off the true surface by ``COARSE_DEFLECTION``."""
    lowest = _lowest(first)
    if lowest is None:
        return None
    lines = {axis.id: axis for axis in planned_axes(first.machine)}
    radii = []
    for setup in plan.setups:
        if setup.setup.machine != first.setup.machine or _lowest(setup) != lowest:
            continue
        tf_nought_u = _to_nought(setup).after(setup.located.tf_m_u)
        *above, under = (lines[rotary.id] for rotary in rotaries_under(setup.machine, setup.setup))
        bodies = [setup.holding.stock.mesh.vertices @ setup.setup.orientation.matrix().T]
        bodies += [_corners(block.solid()) for block in setup.holding.blocks]
        for u_corners in bodies:
            radii.append(_farthest(u_corners @ tf_nought_u.turn.T + tf_nought_u.shift, under, above))
    return max(radii)


def _corners(solid: manifold3d.Manifold) -> Array:
    corners: Array = np.asarray(solid.to_mesh().vert_properties, dtype=float)[:, :3]
    return corners


def _farthest(corners: Array, under: TrueAxis, above: Sequence[TrueAxis]) -> float:
    """How far ``corners`` (N, 3) come from an axis as those ``above`` it turn them, all at nought now.

    Square to it, an axis above takes a corner round a circle of radius r, seen edge on: at ``b`` sideways of the lower
    axis and ``h`` along its own, the farthest place is ``hypot(|b| + r, h)`` away.  Else no corner of a chain leaves
    the spheres about a place on each axis, which bound it.
    """
    if not above:
        return float(np.max(np.linalg.norm(np.cross(corners - under.m_centre, under.m_along), axis=1)))
    if len(above) == 1 and abs(float(above[0].m_along @ under.m_along)) < _SQUARE:
        (over,) = above
        r = np.linalg.norm(np.cross(corners - over.m_centre, over.m_along), axis=1)
        aside = abs(float((over.m_centre - under.m_centre) @ np.cross(under.m_along, over.m_along)))
        return float(np.max(np.hypot(aside + r, (corners - under.m_centre) @ over.m_along)))
    middle = corners.mean(axis=0)
    centres = [axis.m_centre + ((middle - axis.m_centre) @ axis.m_along) * axis.m_along for axis in above]
    between = sum(float(np.linalg.norm(one - other)) for one, other in pairwise(centres))
    down = float(np.linalg.norm(np.cross(centres[-1] - under.m_centre, under.m_along)))
    return down + between + float(np.max(np.linalg.norm(corners - centres[0], axis=1)))


def _lowest(setup: SetupPlan) -> str | None:
    under = rotaries_under(setup.machine, setup.setup)
    return under[-1].id if under else None


def _to_nought(setup: SetupPlan) -> Placement:
    """What takes places on the machine from where they are at a setup's index to where they are with all axes level."""
    level = tf_m_station(setup.machine, station_of(setup.machine, setup.setup))
    return level.after(tf_m_s(setup.machine, setup.setup).inverse())


def _tf_s_p(setup: SetupPlan) -> Placement:
    """What takes the part to the frame of what holds it."""
    tf_m_p = setup.located.tf_m_u.after(Placement(setup.setup.orientation.matrix(), np.zeros(3)))
    return tf_m_s(setup.machine, setup.setup).inverse().after(tf_m_p)


def _triple(values: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) + 0.0 for value in values)
    return x, y, z
