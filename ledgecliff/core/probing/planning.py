"""From a setup's datum to the touches that find it, with each touch's needs checked.

Order: X, then Y, then Z, a bore that gives both X and Y as one step.  Before the first touch every
axis is guessed to within the routine's ``guess``; after its step an axis is set to within twice the
probe's repeatability (95 % of one touch).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..blanks import transformed
from ..datums import Wcs
from ..frames import AXES, Array, Axis
from ..holding import Holding
from ..model.machine import Probe
from ..model.part import Feature
from ..model.setup import AxisDatum, Setup
from ..model.stock import Stock
from .beside import is_soft, landing_block, landing_place, landing_problems
from .needs import no_landing, wall_problems, window_problems
from .situation import Situation
from .touches import AxisSetting, Knowledge, Landing, ProbingPlan, Problem, Step, StepKind, Touch, Wall
from .walls import FreeWall, flat_top, free_wall

#: In a bore the ball keeps at least this far from the centre, so that no move is too short for the control (mm).
LEAST_MOVE = 0.5
_SIDE_NAMES = {("x", -1): "left side", ("x", 1): "right side", ("y", -1): "front side", ("y", 1): "back side"}


def plan_probing(
    setup: Setup, holding: Holding, wcs: Wcs, probe: Probe, stock: Stock, features: tuple[Feature, ...]
) -> ProbingPlan:
    u_solid = transformed(holding.stock.solid, setup.orientation.matrix())
    situation = Situation(setup, holding, wcs, probe, stock, features, u_solid)
    over = tuple(axis for axis in AXES if setup.datum.axis(axis).source == "carried over")
    found = Knowledge("carried over", 2.0 * probe.repeatability)
    guess = Knowledge("guessed", setup.probing.guess)
    known: dict[Axis, Knowledge] = {axis: found if axis in over else guess for axis in AXES}
    before = (known["x"], known["y"], known["z"])
    steps: list[Step] = []
    for axes in _axes_by_step(setup, over):
        count = sum(len(step.touches) for step in steps)
        step = _plan_step(situation, axes, known, count + 1)
        known |= {setting.axis: Knowledge("set", 2.0 * probe.repeatability) for setting in step.sets}
        steps.append(_with_knowledge(step, known))
    top = max(holding.top(), float(holding.u_stock[1][2])) - float(wcs.u_origin[2])
    landing = _landed(steps[-1]) if "z" not in over else _on_top(situation)
    return ProbingPlan(tuple(steps), top + setup.probing.clearance, before, landing, over)


def _axes_by_step(setup: Setup, over: tuple[Axis, ...]) -> list[tuple[Axis, ...]]:
    """Axes that one step sets, in order; none for those that are carried over."""
    x, y = setup.datum.x, setup.datum.y
    together = x.source == y.source and x.source in ("feature", "fixture bore") and x.feature == y.feature
    steps: list[tuple[Axis, ...]] = [("x", "y"), ("z",)] if together else [("x",), ("y",), ("z",)]
    return [axes for axes in steps if axes[0] not in over]


def _landed(step: Step) -> Landing:
    touch = step.touches[-1]
    return Landing(touch.surface, touch.w_contact)


def _on_top(situation: Situation) -> Landing:
    height = float(situation.holding.u_stock[1][2])
    x, y, z = np.array([*_top_place(situation, height), height]) - situation.wcs.u_origin
    return Landing("stock top", (float(x), float(y), float(z)))


def _with_knowledge(step: Step, known: dict[Axis, Knowledge]) -> Step:
    after = (known["x"], known["y"], known["z"])
    return Step(**{**vars(step), "knowledge_after": after})


def _plan_step(situation: Situation, axes: tuple[Axis, ...], known: dict[Axis, Knowledge], number: int) -> Step:
    axis = axes[0]
    datum = situation.setup.datum.axis(axis)
    if axis == "z":
        return _top_step(situation, datum, known, number)
    if datum.source == "feature":
        return _bore_step(situation, axes, _hole_of_part(situation, datum), known, number)
    if datum.source == "fixture bore":
        return _bore_step(situation, axes, _hole_of_fixture(situation), known, number)
    if datum.source == "fixed jaw":
        return _jaw_step(situation, axis, known, number)
    if datum.source.endswith("centre"):
        return _web_step(situation, axis, datum, known, number)
    return _side_step(situation, axis, datum, known, number)


def _body_limits(situation: Situation, axis: Axis, datum: AxisDatum) -> tuple[float, float]:
    low, high = situation.holding.u_part if datum.source.startswith("part") else situation.holding.u_stock
    k = AXES.index(axis)
    return float(low[k]), float(high[k])


def _web_step(situation: Situation, axis: Axis, datum: AxisDatum, known: dict[Axis, Knowledge], number: int) -> Step:
    low, high = _body_limits(situation, axis, datum)
    body = datum.source.split()[0]
    touches, problems = [], []
    for k, (place, direction) in enumerate(((low, 1), (high, -1))):
        touch, found = _side_touch(situation, axis, direction, place, body, known, number + k)
        touches.append(touch)
        problems += found
    centre = (low + high) / 2.0 - float(situation.wcs.u_origin[AXES.index(axis)])
    varies = situation.varies(axis) if body == "stock" else 0.0
    return _step(
        "web", f"{axis.upper()} web, {body}", touches, [AxisSetting(axis, centre)], problems, high - low, varies + 0.5
    )


def _side_step(situation: Situation, axis: Axis, datum: AxisDatum, known: dict[Axis, Knowledge], number: int) -> Step:
    low, high = _body_limits(situation, axis, datum)
    direction, place = (1, low) if "minus" in datum.source else (-1, high)
    touch, problems = _side_touch(situation, axis, direction, place, datum.source.split()[0], known, number)
    reads = place - float(situation.wcs.u_origin[AXES.index(axis)])
    return _step("surface", f"{axis.upper()} from {touch.surface}", [touch], [AxisSetting(axis, reads)], problems)


def _side_touch(
    situation: Situation, axis: Axis, direction: int, place: float, body: str, known: dict[Axis, Knowledge], number: int
) -> tuple[Touch, list[Problem]]:
    """A touch against an upright side, at the middle of the stock across the move."""
    k = AXES.index(axis)
    middle = (situation.holding.u_stock[0] + situation.holding.u_stock[1]) / 2.0
    at = [float(middle[0]), float(middle[1])]
    at[k] = place
    surface = f"{body} {_SIDE_NAMES[axis, -direction]}"
    varies = situation.varies(axis) / 2.0 if body == "stock" else 0.0
    floor = situation.holding.wall_floor(k)
    return _wall_touch(situation, axis, direction, (at[0], at[1]), surface, known, number, varies, floor)


def _wall_touch(
    situation: Situation,
    axis: Axis,
    direction: int,
    at: tuple[float, float],
    surface: str,
    known: dict[Axis, Knowledge],
    number: int,
    varies: float,
    floor: float,
    room: float | None = None,
) -> tuple[Touch, list[Problem]]:
    """``room`` is how far back the ball can stand inside a hole; unlimited when None."""
    routine, probe = situation.setup.probing, situation.probe
    k = AXES.index(axis)
    wall = free_wall(situation.u_solid, at, k, direction, least=probe.ball_diameter)
    u_high = wall.high if wall else float(situation.holding.u_stock[1][2])
    contact = np.array([at[0], at[1], u_high - routine.depth]) - situation.wcs.u_origin
    stand_off = routine.stand_off if room is None else max(min(routine.stand_off, room), 0.0)
    origin_z = float(situation.wcs.u_origin[2])
    overhang = _overhang(situation, axis, direction, at[k]) if wall and wall.overhung and room is None else 0.0
    touch = Touch(
        number,
        surface,
        axis,
        direction,
        (float(contact[0]), float(contact[1]), float(contact[2])),
        stand_off,
        routine.overtravel,
        probe.ball_radius,
        Wall(max(wall.low, floor) - origin_z, wall.high - origin_z, overhang) if wall else None,
        routine.depth,
    )
    u_contact = u_high - routine.depth
    u_top = float(situation.holding.u_stock[1][2]) if situation.u_top is None else situation.u_top
    problems = window_problems(touch, known[axis].uncertainty + varies)
    problems += wall_problems(touch, wall, floor, u_contact, u_top, probe, known["z"].uncertainty, overhang)
    return touch, problems


def _overhang(situation: Situation, axis: Axis, direction: int, place: float) -> float:
    """How far the stock stands out over a wall on the side the ball comes from."""
    k = AXES.index(axis)
    low, high = situation.holding.u_stock
    return float(place - low[k] if direction > 0 else high[k] - place)


@dataclass(frozen=True, eq=False)
class _Hole:
    """A round hole to probe: its centre (2,) in ``u``, the height under which nothing is touched, what it is in,
    and what the probe's body must clear there, where that is not the stock."""

    name: str
    u_centre: Array
    diameter: float
    floor: float
    solid: manifold3d.Manifold
    top: float | None = None


def _hole_of_part(situation: Situation, datum: AxisDatum) -> _Hole:
    feature = next(feature for feature in situation.features if feature.name == datum.feature)
    centre = situation.setup.orientation.matrix() @ np.array(feature.at.as_tuple())
    return _Hole(feature.name, centre[:2], feature.diameter or 0.0, situation.holding.seat, situation.u_solid)


def _hole_of_fixture(situation: Situation) -> _Hole:
    """The fixture's own bore; where it has none, one that no wall is found of."""
    holding, bore = situation.holding, situation.holding.known_bore()
    if bore is None:
        middle = (holding.u_stock[0] + holding.u_stock[1])[:2] / 2.0
        return _Hole("fixture bore", middle, 3.0 * situation.probe.ball_diameter, holding.foot, manifold3d.Manifold())
    block = holding.block("jig") or holding.block("fixed jaw")
    assert block is not None, "jigs and vises have these blocks"
    low, high = (corner[:2] for corner in holding.u_stock)
    beside = float(np.max(np.maximum(low - bore.u_centre, bore.u_centre - high)))
    clear = beside > situation.probe.body_diameter / 2.0 + bore.diameter / 2.0
    top = float(block.high[2]) if clear else None
    return _Hole(bore.name, bore.u_centre, bore.diameter, holding.foot, block.solid(), top)


def _bore_step(
    situation: Situation, axes: tuple[Axis, ...], hole: _Hole, known: dict[Axis, Knowledge], number: int
) -> Step:
    situation = replace(situation, u_solid=hole.solid, u_top=hole.top)
    diameter, centre = hole.diameter, hole.u_centre
    room = diameter / 2.0 - situation.probe.ball_radius - LEAST_MOVE
    touches, problems = [], []
    order: tuple[tuple[Axis, int], ...] = (("x", -1), ("x", 1), ("y", -1), ("y", 1))
    for k, (axis, direction) in enumerate(order):
        at = [float(centre[0]), float(centre[1])]
        at[AXES.index(axis)] += direction * diameter / 2.0
        touch, found = _wall_touch(
            situation, axis, direction, (at[0], at[1]), f"{hole.name}, {_SIDE_NAMES[axis, direction]}",
            known, number + k, 0.0, hole.floor, room,
        )  # fmt: skip
        touches.append(touch)
        problems += found
    origin = situation.wcs.u_origin
    sets = [AxisSetting(axis, float(centre[AXES.index(axis)] - origin[AXES.index(axis)])) for axis in axes]
    which = " and ".join(axis.upper() for axis in axes)
    return _step("bore", f"{which} from {hole.name}", touches, sets, problems, diameter, 0.3, inside=True)


def _jaw_step(situation: Situation, axis: Axis, known: dict[Axis, Knowledge], number: int) -> Step:
    """The fixed jaw's face, touched beside the part on the side where the jaw stands out further."""
    holding, probe, routine = situation.holding, situation.probe, situation.setup.probing
    k = AXES.index(axis)
    other: Axis = "x" if axis == "y" else "y"
    jaw, jaws = holding.block("fixed jaw"), holding.jaws
    # Without such a jaw the touch is planned all the same, at the stock's side, and said to have no landing.
    face, direction = float(holding.u_stock[1][k]), 1
    low, high = holding.u_stock[0][1 - k], holding.u_stock[1][1 - k]
    before = after = 0.0
    beside = float(high)
    if jaw is not None and jaws is not None and jaws.axis == k:
        face, direction = jaws.face, jaws.toward
        before, after = float(low) - jaw.low[1 - k], jaw.high[1 - k] - float(high)
        beside = jaw.high[1 - k] - after / 2.0 if after >= before else jaw.low[1 - k] + before / 2.0
    u_contact = holding.jaw_top - routine.depth
    place = [beside, face, u_contact] if k == 1 else [face, beside, u_contact]
    contact = np.array(place) - situation.wcs.u_origin
    origin_z = float(situation.wcs.u_origin[2])
    touch = Touch(
        number, "fixed jaw", axis, direction, (float(contact[0]), float(contact[1]), float(contact[2])),
        routine.stand_off, routine.overtravel, probe.ball_radius,
        Wall(holding.seat - origin_z, holding.jaw_top - origin_z, 0.0), routine.depth,
    )  # fmt: skip
    # A parallel may stick out there, so the wall counts from its top.
    wall = FreeWall(holding.seat, holding.jaw_top, overhung=False)
    problems = window_problems(touch, known[axis].uncertainty)
    problems += wall_problems(
        touch, wall, holding.seat, u_contact, float(holding.u_stock[1][2]), probe, known["z"].uncertainty, 0.0
    )
    strip = max(before, after) / 2.0
    if strip < probe.ball_radius + known[other].uncertainty:
        problems.append(no_landing(touch, "the jaw's face beside the part", strip, known[other].uncertainty))
    reads = face - float(situation.wcs.u_origin[k])
    return _step("surface", f"{axis.upper()} from fixed jaw", [touch], [AxisSetting(axis, reads)], problems)


def _top_step(situation: Situation, datum: AxisDatum, known: dict[Axis, Knowledge], number: int) -> Step:
    """Z: one touch downward, on a parallel beside the part or on the top of the stock."""
    holding, origin = situation.holding, situation.wcs.u_origin
    if datum.source == "parallels":
        at, varies = landing_place(situation), 0.0
        surface, height = holding.seat_name, holding.reference
        block = landing_block(situation)
        if block is not None and abs(block.high[2] - height) > 1e-9:
            # What carries the stock is covered by it: the floor of soft jaws, or tape.  What can be touched
            # beside the stock lies a known height above or below that.
            surface, height = "soft-jaw top" if is_soft(holding) else block.name, block.high[2]
    else:
        surface, height = "stock top", float(holding.u_stock[1][2])
        at, varies = _top_place(situation, height), situation.varies("z")
    contact = np.array([at[0], at[1], height]) - origin
    routine, radius = situation.setup.probing, situation.probe.ball_radius
    touch = Touch(
        number, surface, "z", -1, (float(contact[0]), float(contact[1]), float(contact[2])),
        routine.stand_off, routine.overtravel, radius, None, 0.0,
    )  # fmt: skip
    problems = window_problems(touch, known["z"].uncertainty + varies)
    if datum.source == "parallels":
        problems += landing_problems(situation, touch, at, known)
    title = f"Z from {surface}"
    return _step("surface", title, [touch], [AxisSetting("z", height - float(origin[2]))], problems)


def _top_place(situation: Situation, height: float) -> tuple[float, float]:
    """The middle of the stock's top, or a place nearby that is not over a hole."""
    low, high = situation.holding.u_stock
    places = [
        (float(low[0] + fx * (high[0] - low[0])), float(low[1] + fy * (high[1] - low[1])))
        for fx, fy in sorted(
            ((i / 12, j / 12) for i in range(1, 12) for j in range(1, 12)),
            key=lambda place: (place[0] - 0.5) ** 2 + (place[1] - 0.5) ** 2,
        )
    ]
    room = situation.setup.probing.guess + situation.probe.ball_radius
    return (
        flat_top(situation.u_solid, height, places, room)
        or flat_top(situation.u_solid, height, places, situation.probe.ball_radius)
        or places[0]
    )


def _step(
    kind: StepKind,
    title: str,
    touches: list[Touch],
    sets: list[AxisSetting],
    problems: list[Problem],
    size: float = 0.0,
    size_tolerance: float = 0.0,
    inside: bool = False,
) -> Step:
    unknown = Knowledge("guessed", 0.0)
    return Step(
        kind,
        title,
        tuple(touches),
        tuple(sets),
        size,
        size_tolerance,
        inside,
        (unknown, unknown, unknown),
        tuple(problems),
    )
