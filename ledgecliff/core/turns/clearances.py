"""Where pins are in the way: of what is cut, of what holds the stock, of the blank's edge, of each other.

Before the turn there are bores, after it pins stand in them as high as their length makes them.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.operations import Pin, PinBores
from ..setup_plan import SetupPlan
from .turn_plan import TurnPlan

#: Circles of this many corners stand for bores.
_FACETS = 64
#: Shared areas smaller than this are rounding (mm²).
_CRUMB = 1e-3
#: A cut so near to a bore is taken to go through the pin in it (mm): the bore itself is no stock that is cut.
_GRAZE = 0.5
#: Lengths that pins are made in (mm), and how far below whatever is cut or touched above it a pin is to end.
PIN_LENGTHS = (8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30, 32, 35, 40, 45, 50, 55, 60, 70, 80, 90, 100, 120)
_BELOW_CUTS = 0.5
#: A pin holds the blank over at least this share of its diameter.
LEAST_HELD = 0.5


@dataclass(frozen=True)
class InTheWay:
    """A pin, by its number from 1, and what it is in the way of."""

    number: int
    pin: Pin
    what: str


def protrusion(made: PinBores) -> float | None:
    """How far pins stand out of the board (mm); None where their length is not stated."""
    return None if made.pin_length is None else made.pin_length - made.into_board


def bores_deep(turn: TurnPlan) -> float | None:
    """How deep blind bores are below the face that comes to lie on the board (mm), whatever was cut off it after; None
    where they go through."""
    made, before = turn.pin_bores, turn.before
    if made is None or made.blind is None:
        return None
    floor = float(before.holding.u_part[1][2]) - made.blind
    return float(turn.after.before.u_corners(before.setup.orientation)[1][2]) - floor


def bored_deep(turn: TurnPlan) -> float | None:
    """How deep they are as they are bored, below the face as it is by then (mm); None where they go through."""
    made, before = turn.pin_bores, turn.before
    if made is None or made.blind is None:
        return None
    face = before.cutting.before(before.setup.operations.index(made)).u_corners(before.setup.orientation)[1]
    return float(face[2] - before.holding.u_part[1][2]) + made.blind


def _floor_of_bores(turn: TurnPlan, made: PinBores) -> float | None:
    """The height in ``u`` before the turn that blind bores, and the point of a drill below them, end at."""
    deep, cutter = bores_deep(turn), turn.before.machine.cutter(made.tool)
    if deep is None:
        return None
    point = cutter.point_height() if cutter is not None and cutter.shape == "drill" else 0.0
    return float(turn.after.before.u_corners(turn.before.setup.orientation)[1][2]) - deep - point


def _above(p_solid: manifold3d.Manifold, turn: TurnPlan, floor: float | None) -> manifold3d.CrossSection:
    """What of a solid in P lies over a height, as it is seen from above in the setup before; all of it without one."""
    solid = transformed(p_solid, turn.before.setup.orientation.matrix())
    return (solid if floor is None else solid.trim_by_plane((0.0, 0.0, 1.0), floor)).project()


def board_top(turn: TurnPlan) -> float:
    """The top of what pins stand in, in ``u`` after the turn."""
    blocks = turn.after.holding.blocks
    board = next((block for block in blocks if block.kind == "base" and block.shape is None), None)
    return float(board.high[2]) if board is not None else turn.after.holding.seat


def pin_top(turn: TurnPlan) -> float | None:
    """How high pins stand, in ``u`` after the turn; None where their length is not stated."""
    out = protrusion(turn.pin_bores) if turn.pin_bores is not None else None
    return None if out is None else board_top(turn) + out


def fitting_length(made: PinBores, room: float) -> float | None:
    """The longest pin that ends below ``room`` (mm, above the board) and still holds the blank; None without one."""
    least = made.into_board + LEAST_HELD * max(pin.diameter for pin in made.pins)
    fitting = [length for length in PIN_LENGTHS if least <= length <= made.into_board + room - _BELOW_CUTS]
    return float(max(fitting)) if fitting else None


def lowest_cut_at_pins(turn: TurnPlan) -> float:
    """How far above the board pins may reach (mm): to the lowest cut after the turn at any of them, else the stock's
    top; no further than blind bores are deep."""
    made = turn.pin_bores
    top = lowest = float(turn.after.holding.u_stock[1][2])
    deep = bores_deep(turn)
    if deep is not None:
        # The face lies on whatever lies on the board.
        lowest = min(top, float(turn.after.holding.u_stock[0][2]) + deep)
    if made is None:
        return top - board_top(turn)
    height = top + 1.0
    for k, _ in _cuts(turn.after):
        solid = _as_after(turn, k)
        for _, _, disc in _discs(turn, made, _GRAZE):
            column = _turned_over(disc, turn).extrude(2.0 * height + 1e4).translate((0.0, 0.0, -height - 5e3))
            met = solid ^ column
            if met.volume() > _CRUMB:
                lowest = min(lowest, met.bounding_box()[2])
    return lowest - board_top(turn)


def cut_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins that a cut after the turn goes through, no higher than they stand."""
    return _cut_after(turn, _GRAZE)


def walls_cut(turn: TurnPlan) -> list[InTheWay]:
    """Bores whose wall is cut into: before the turn at any height, after it beside a pin but not through it."""
    made = turn.pin_bores
    if made is None:
        return []
    found = []
    floor, face = _floor_of_bores(turn, made), float(turn.after.before.u_corners(turn.before.setup.orientation)[1][2])
    for k, words in _cuts(turn.before):
        taken = turn.before.cutting.removed(k)
        if floor is not None:
            # What is taken off the whole face leaves the bores shallower, which is counted by itself.
            up = turn.before.setup.orientation.matrix()[2]
            taken = taken.trim_by_plane(tuple(-up), -face)
        area = _above(taken, turn, floor)
        found += [InTheWay(n, pin, words) for n, pin, disc in _discs(turn, made, made.wall) if _meet(area, disc)]
    through = {(hit.number, hit.what) for hit in cut_at_pins(turn)}
    return found + [hit for hit in _cut_after(turn, made.wall) if (hit.number, hit.what) not in through]


def _cut_after(turn: TurnPlan, wall: float) -> list[InTheWay]:
    made, top = turn.pin_bores, pin_top(turn)
    if made is None:
        return []
    found = []
    for k, words in _cuts(turn.after):
        solid = _as_after(turn, k)
        if top is not None:
            solid = solid.trim_by_plane((0.0, 0.0, -1.0), -top)
        area = _turned_back(solid.project(), turn)
        found += [InTheWay(n, pin, words) for n, pin, disc in _discs(turn, made, wall) if _meet(area, disc)]
    return found


def _cuts(setup: SetupPlan) -> list[tuple[int, str]]:
    """Every operation that is not the pins' own, and how it is called."""
    return [
        (k, f"'{operation.name}' in {setup.setup.name}")
        for k, operation in enumerate(setup.setup.operations)
        if operation.removes != "pin bores"
    ]


def _as_after(turn: TurnPlan, operation: int) -> manifold3d.Manifold:
    """What an operation after the turn takes, in ``u`` of the setup after."""
    return transformed(turn.after.cutting.removed(operation), turn.after.setup.orientation.matrix())


def bores_that_meet(turn: TurnPlan) -> list[tuple[int, int, float]]:
    """Pairs of bores with less than half their wall between them: numbers from 1, and what is between (mm)."""
    made = turn.pin_bores
    if made is None:
        return []
    found = []
    for (n, a), (m, b) in itertools.combinations(enumerate(made.pins, start=1), 2):
        between = math.dist((a.x, a.y), (b.x, b.y)) - (a.diameter + b.diameter) / 2.0 - made.clearance
        if between < made.wall / 2.0 - 1e-9:
            found.append((n, m, between))
    return found


def part_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins whose bores would go into the finished part."""
    made = turn.pin_bores
    if made is None:
        return []
    area = _above(turn.before.geometry.solid, turn, _floor_of_bores(turn, made))
    return [InTheWay(n, pin, "the part") for n, pin, disc in _discs(turn, made, 0.0) if _meet(area, disc)]


def held_at_pins(turn: TurnPlan) -> list[InTheWay]:
    """Pins that stand in a clamp, a screw or a dowel, or before the turn their bores."""
    made, top = turn.pin_bores, pin_top(turn)
    if made is None:
        return []
    found = []
    for setup, back in ((turn.before, np.zeros(2)), (turn.after, None)):
        for block in setup.holding.blocks:
            if block.kind != "clamp" or (back is None and top is not None and block.low[2] > top):
                continue
            area = block.solid().project()
            if back is None:
                area = _turned_back(area, turn)
            words = f"{block.name} in {setup.setup.name}"
            found += [InTheWay(n, pin, words) for n, pin, disc in _discs(turn, made, 0.0) if _meet(area, disc)]
    return found


def pins_near_edge(turn: TurnPlan) -> list[tuple[int, Pin, float]]:
    """Pins with less than their wall to the blank's edge: number from 1, pin, and how much is lacking (mm)."""
    made = turn.pin_bores
    if made is None:
        return []
    blank = _from_above(turn.before.before.solid, turn)
    found = []
    for number, pin, _ in _discs(turn, made, 0.0):
        lacking = _lacking(blank, turn, pin, made)
        if lacking > 1e-6:
            found.append((number, pin, lacking))
    return found


def _lacking(blank: manifold3d.CrossSection, turn: TurnPlan, pin: Pin, made: PinBores) -> float:
    """How much of the wall round a bore lies outside of the blank (mm), by halving."""

    def fits(wall: float) -> bool:
        return bool((_disc(turn, pin, made, wall) - blank).area() < _CRUMB)

    if fits(made.wall):
        return 0.0
    low, high = -(pin.diameter + made.clearance) / 2.0, made.wall
    if not fits(low + 1e-3):
        return made.wall - low
    for _ in range(20):
        middle = (low + high) / 2.0
        low, high = (middle, high) if fits(middle) else (low, middle)
    return made.wall - low


def _discs(turn: TurnPlan, made: PinBores, wall: float) -> list[tuple[int, Pin, manifold3d.CrossSection]]:
    return [(n, pin, _disc(turn, pin, made, wall)) for n, pin in enumerate(made.pins, start=1)]


def _disc(turn: TurnPlan, pin: Pin, made: PinBores, wall: float) -> manifold3d.CrossSection:
    radius = (pin.diameter + made.clearance) / 2.0 + wall
    x, y = (float(value) for value in turn.part_middle)
    return manifold3d.CrossSection.circle(max(radius, 1e-3), _FACETS).translate((x + pin.x, y + pin.y))


def _from_above(p_solid: manifold3d.Manifold, turn: TurnPlan) -> manifold3d.CrossSection:
    """A solid in P as it is seen from above in the setup before: a turn over shows it mirrored, which is the same
    from below."""
    return transformed(p_solid, turn.before.setup.orientation.matrix()).project()


def _turned_over(area: manifold3d.CrossSection, turn: TurnPlan) -> manifold3d.CrossSection:
    """An area in ``u`` before the turn as it lies after it."""
    return area.transform(np.column_stack([turn.turn.matrix[:2, :2], np.zeros(2)]))


def _turned_back(area: manifold3d.CrossSection, turn: TurnPlan) -> manifold3d.CrossSection:
    """An area in ``u`` after the turn as it lay before."""
    back: Array = turn.turn.matrix.T[:2, :2]
    return area.transform(np.column_stack([back, np.zeros(2)]))


def _meet(a: manifold3d.CrossSection, b: manifold3d.CrossSection) -> bool:
    return bool((a ^ b).area() > _CRUMB)
