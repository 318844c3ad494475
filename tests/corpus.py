"""Parts of many shapes, made by script: what a shop is given in a year, for tests and figures over any real part.

Each is a function without arguments that gives a kernel shape; ``CORPUS`` lists them by name.  Sizes are in mm
and were chosen before anything was planned from them.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cache
from typing import Any

from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from ledgecliff.core.solids.geometry import PartGeometry

from .models import box, cone, cylinder, filleted, geometry_from, less, moved, plus, prism, turned, upright

X, Y = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0)


def _drilled(shape: Any, places: Any, diameter: float, low: float, high: float) -> Any:
    return less(shape, *(cylinder((x, y, low - 1), diameter, high - low + 2) for x, y in places))


def _ring_of(count: int, radius: float, at: tuple[float, float] = (0, 0)) -> list[tuple[float, float]]:
    turns = (2.0 * math.pi * (k + 0.25) / count for k in range(count))
    return [(at[0] + radius * math.cos(a), at[1] + radius * math.sin(a)) for a in turns]


def _obround(length: float, width: float, height: float) -> Any:
    """A plate with round ends, its middle at the origin."""
    half = (length - width) / 2.0
    bar = box((-half, -width / 2, 0), (half, width / 2, height))
    return plus(bar, cylinder((-half, 0, 0), width, height), cylinder((half, 0, 0), width, height))


# --- plates -----------------------------------------------------------------------------------


def plain_plate() -> Any:
    return box((0, 0, 0), (60, 40, 12))


def two_hole_plate() -> Any:
    return _drilled(box((0, 0, 0), (40, 30, 20)), ((10, 15), (30, 15)), 6, 0, 20)


def six_hole_plate() -> Any:
    plate = box((0, 0, 0), (120, 80, 16))
    return _drilled(plate, [(x, y) for x in (15, 60, 105) for y in (15, 65)], 9, 0, 16)


def counterbored_plate() -> Any:
    plate = _drilled(box((0, 0, 0), (90, 60, 18)), ((15, 15), (75, 15), (15, 45), (75, 45)), 6.6, 0, 18)
    plate = less(plate, *(cylinder((x, y, 11), 11, 10) for x in (15, 75) for y in (15, 45)))
    return less(plate, cylinder((45, 30, -1), 26, 30))


def slotted_plate() -> Any:
    slot = moved(_obround(50, 10, 30), (50, 30, -5))
    return less(box((0, 0, 0), (100, 60, 14)), slot)


def chamfered_plate() -> Any:
    return _drilled(filleted(box((0, 0, 0), (80, 50, 15)), 2.0, chamfer=True), ((40, 25),), 16, 0, 15)


def round_ended_plate() -> Any:
    return _drilled(_obround(90, 40, 14), ((-25, 0), (25, 0)), 12, 0, 14)


def triangular_plate() -> Any:
    return _drilled(prism([(0, 0, 0), (90, 0, 0), (45, 70, 0)], (0, 0, 12)), ((45, 25),), 14, 0, 12)


def l_plate() -> Any:
    plate = prism([(0, 0, 0), (80, 0, 0), (80, 30, 0), (30, 30, 0), (30, 70, 0), (0, 70, 0)], (0, 0, 15))
    return _drilled(plate, ((15, 15), (65, 15), (15, 55)), 8, 0, 15)


def rounded_plate() -> Any:
    plate = filleted(box((0, 0, 0), (110, 70, 20)), 12.0, upright)
    return _drilled(less(plate, cylinder((55, 35, 8), 40, 20)), ((15, 15), (95, 55)), 7, 0, 20)


def cover_plate() -> Any:
    plate = _drilled(box((0, 0, 0), (140, 90, 10)), [(x, y) for x in (8, 70, 132) for y in (8, 82)], 5.5, 0, 10)
    return less(plate, box((20, 20, 6), (120, 70, 20)))


# --- blocks with pockets on one to six sides ----------------------------------------------------


def _pocketed(sides: int) -> Any:
    block = box((0, 0, 0), (80, 60, 50))
    pockets = (
        box((25, 20, 38), (55, 40, 60)),
        box((28, 22, -10), (52, 38, 10)),
        box((66, 20, 16), (90, 40, 34)),
        box((-10, 22, 18), (12, 38, 32)),
        box((28, -10, 18), (52, 9, 32)),
        box((30, 51, 19), (50, 70, 31)),
    )
    return less(block, *pockets[:sides])


def fluted_block() -> Any:
    block = box((0, 0, 0), (100, 50, 30))
    return less(block, *(box((10 + 14 * k, 8, 18), (18 + 14 * k, 42, 40)) for k in range(6)))


def step_block() -> Any:
    return less(box((0, 0, 0), (70, 40, 40)), box((40, -1, 15), (71, 41, 41)), box((20, -1, 28), (71, 41, 41)))


def wedge_block() -> Any:
    return _drilled(prism([(0, 0, 0), (80, 0, 0), (80, 0, 30), (0, 0, 14)], (0, 45, 0)), ((20, 22), (60, 22)), 8, 0, 30)


def vee_block() -> Any:
    return less(box((0, 0, 0), (70, 50, 40)), prism([(-1, 10, 41), (-1, 40, 41), (-1, 25, 22)], (80, 0, 0)))


def filleted_block() -> Any:
    return less(filleted(box((0, 0, 0), (60, 50, 35)), 6.0, upright), cylinder((30, 25, 12), 24, 40))


# --- round parts ------------------------------------------------------------------------------


def disc() -> Any:
    return _drilled(cylinder((0, 0, 0), 80, 20), ((0, 0),), 20, 0, 20)


def flange() -> Any:
    body = plus(cylinder((0, 0, 0), 100, 14), cylinder((0, 0, 13), 50, 23))
    return _drilled(_drilled(body, ((0, 0),), 25, 0, 40), _ring_of(6, 38), 9, 0, 14)


def ring() -> Any:
    return _drilled(cylinder((0, 0, 0), 90, 15), ((0, 0),), 60, 0, 15)


def bolt_ring() -> Any:
    return _drilled(_drilled(cylinder((0, 0, 0), 120, 12), ((0, 0),), 80, 0, 12), _ring_of(8, 50), 8, 0, 12)


def stepped_disc() -> Any:
    body = plus(cylinder((0, 0, 0), 70, 12), cylinder((0, 0, 11), 40, 15))
    return _drilled(body, ((0, 0),), 16, 0, 26)


def small_disc() -> Any:
    return _drilled(cylinder((0, 0, 0), 30, 12), ((0, 0),), 12, 0, 12)


def hex_nut() -> Any:
    corners = [(22 * math.cos(math.pi * k / 3), 22 * math.sin(math.pi * k / 3), 0) for k in range(6)]
    return _drilled(prism(corners, (0, 0, 16)), ((0, 0),), 20, 0, 16)


# --- brackets -----------------------------------------------------------------------------------


def angle_bracket() -> Any:
    bracket = plus(box((0, 0, 0), (60, 50, 10)), box((0, 0, 0), (10, 50, 45)))
    bracket = _drilled(bracket, ((35, 15), (35, 35)), 7, 0, 10)
    return less(bracket, cylinder((-1, 15, 30), 7, 12, X), cylinder((-1, 35, 30), 7, 12, X))


def u_bracket() -> Any:
    bracket = less(box((0, 0, 0), (70, 40, 45)), box((12, -1, 12), (58, 41, 50)))
    return less(bracket, cylinder((-1, 20, 30), 12, 80, X))


def t_bracket() -> Any:
    bracket = plus(box((0, 0, 0), (80, 40, 12)), box((34, 0, 0), (46, 40, 50)))
    return _drilled(bracket, ((15, 20), (65, 20)), 9, 0, 12)


def gusset_bracket() -> Any:
    bracket = plus(box((0, 0, 0), (70, 50, 10)), box((0, 0, 0), (10, 50, 50)))
    bracket = plus(bracket, prism([(9, 20, 9), (45, 20, 9), (9, 20, 45)], (0, 10, 0)))
    return _drilled(bracket, ((55, 12), (55, 38)), 8, 0, 10)


def ear_bracket() -> Any:
    bracket = plus(box((0, 0, 0), (60, 40, 20)), box((20, 0, 0), (40, 40, 40)), cylinder((30, 0, 40), 20, 40, Y))
    return less(bracket, cylinder((30, -1, 40), 10, 50, Y))


# --- shells -------------------------------------------------------------------------------------


def box_shell() -> Any:
    return less(box((0, 0, 0), (90, 60, 30)), box((4, 4, 4), (86, 56, 40)))


def rounded_shell() -> Any:
    outside = filleted(box((0, 0, 0), (100, 70, 25)), 10.0, upright)
    inside = filleted(box((4, 4, 4), (96, 66, 40)), 6.0, upright)
    return less(outside, inside)


def round_shell() -> Any:
    return less(cylinder((0, 0, 0), 70, 30), cylinder((0, 0, 5), 60, 30))


def both_sided_shell() -> Any:
    return less(box((0, 0, 0), (90, 60, 40)), box((6, 6, 23), (84, 54, 50)), box((6, 6, -5), (84, 54, 17)))


def bossed_shell() -> Any:
    shell = less(box((0, 0, 0), (100, 80, 28)), box((5, 5, 5), (95, 75, 40)))
    bosses = [(15, 15), (85, 15), (15, 65), (85, 65)]
    shell = plus(shell, *(cylinder((x, y, 4), 14, 20) for x, y in bosses))
    return less(shell, *(cylinder((x, y, 10), 5, 30) for x, y in bosses))


# --- levers, housings ---------------------------------------------------------------------------


def lever() -> Any:
    arm = box((0, -8, 0), (80, 8, 10))
    arm = plus(arm, cylinder((0, 0, 0), 36, 18), cylinder((80, 0, 0), 26, 18))
    return less(arm, cylinder((0, 0, -1), 18, 30), cylinder((80, 0, -1), 10, 30))


def flat_lever() -> Any:
    arm = plus(box((0, -10, 0), (90, 10, 12)), cylinder((0, 0, 0), 40, 12), cylinder((90, 0, 0), 20, 12))
    return less(arm, cylinder((0, 0, -1), 20, 30), cylinder((90, 0, -1), 8, 30))


def bent_lever() -> Any:
    arm = plus(box((0, -9, 0), (60, 9, 14)), turned(box((0, -9, 0), (60, 9, 14)), (0, 0, 1), 2.1))
    arm = plus(arm, cylinder((0, 0, 0), 36, 14))
    ends = [(52, 0), (52 * math.cos(2.1), 52 * math.sin(2.1)), (0, 0)]
    return less(arm, *(cylinder((x, y, -1), d, 20) for (x, y), d in zip(ends, (8, 8, 16), strict=True)))


def bearing_housing() -> Any:
    house = plus(box((0, 0, 0), (100, 40, 15)), box((20, 0, 0), (80, 40, 40)), cylinder((50, 0, 40), 60, 40, Y))
    house = less(house, cylinder((50, -1, 40), 35, 50, Y))
    return _drilled(house, ((10, 20), (90, 20)), 9, 0, 15)


def ported_housing() -> Any:
    house = less(box((0, 0, 0), (90, 70, 45)), cylinder((45, 35, 10), 40, 50), cylinder((45, 35, 35), 50, 20))
    house = less(house, cylinder((60, 35, 22), 12, 40, X), cylinder((45, -1, 22), 10, 30, Y))
    return _drilled(house, ((8, 8), (82, 8), (8, 62), (82, 62)), 6, 0, 45)


def gear_housing() -> Any:
    house = less(box((0, 0, 0), (130, 80, 40)), cylinder((45, 40, 12), 56, 40), cylinder((90, 40, 12), 40, 40))
    return less(house, cylinder((45, 40, -1), 20, 30), cylinder((90, 40, -1), 14, 30))


# --- long bars, thin sheets, large and tiny ones --------------------------------------------------


def long_bar() -> Any:
    return _drilled(box((0, 0, 0), (260, 30, 25)), [(20 + 44 * k, 15) for k in range(6)], 10, 0, 25)


def square_bar() -> Any:
    return less(box((0, 0, 0), (140, 25, 25)), box((30, -1, 15), (60, 26, 26)), cylinder((100, -1, 12), 8, 40, Y))


def flat_on_bar() -> Any:
    return less(cylinder((0, 0, 0), 30, 120, X), box((20, -20, 9), (90, 20, 20)))


def cross_drilled_bar() -> Any:
    return less(cylinder((0, 0, 0), 40, 90, X), cylinder((45, 0, -30), 12, 60))


def thin_sheet() -> Any:
    return _drilled(box((0, 0, 0), (120, 80, 3)), [(x, y) for x in (15, 105) for y in (15, 65)], 6, 0, 3)


def thin_cover() -> Any:
    sheet = moved(_obround(110, 60, 4), (0, 0, 0))
    return _drilled(sheet, ((-30, 0), (30, 0), (0, 0)), 8, 0, 4)


def large_plate() -> Any:
    return _drilled(box((0, 0, 0), (300, 200, 20)), [(x, y) for x in (30, 150, 270) for y in (30, 170)], 12, 0, 20)


def large_ring() -> Any:
    return _drilled(_drilled(cylinder((0, 0, 0), 240, 18), ((0, 0),), 180, 0, 18), _ring_of(6, 105), 10, 0, 18)


def tiny_block() -> Any:
    return less(box((0, 0, 0), (16, 12, 10)), box((4, -1, 6), (12, 13, 20)))


def domed_block() -> Any:
    dome = BRepPrimAPI_MakeSphere(gp_Ax2(gp_Pnt(30, 25, 5), gp_Dir(0, 0, 1)), 20.0).Shape()
    return plus(box((0, 0, 0), (60, 50, 12)), less(dome, box((-50, -50, -50), (100, 100, 6))))


def grooved_block() -> Any:
    groove = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(40, 40, 30), gp_Dir(0, 0, 1)), 24.0, 4.0).Shape()
    return less(box((0, 0, 0), (80, 80, 30)), groove, cylinder((40, 40, -1), 18, 50))


def countersunk_strip() -> Any:
    strip = box((0, 0, 0), (100, 24, 10))
    for x in (12, 50, 88):
        strip = less(strip, cylinder((x, 12, -1), 6, 20), cone((x, 12, 7), 6, 12, 3))
    return strip


#: The same six sides, one more pocketed each time, by the number of pockets.
_POCKETED: dict[str, Callable[[], Any]] = {
    f"block pocketed on {n}": (lambda n=n: _pocketed(n))
    for n in range(1, 7)  # type: ignore[misc]
}
CORPUS: dict[str, Callable[[], Any]] = {
    made.__name__.replace("_", " "): made
    for made in (
        plain_plate, two_hole_plate, six_hole_plate, counterbored_plate, slotted_plate, chamfered_plate,
        round_ended_plate, triangular_plate, l_plate, rounded_plate, cover_plate, fluted_block, step_block, wedge_block,
        vee_block, filleted_block, disc, flange, ring, bolt_ring, stepped_disc, small_disc, hex_nut, angle_bracket,
        u_bracket, t_bracket, gusset_bracket, ear_bracket, box_shell, rounded_shell, round_shell, both_sided_shell,
        bossed_shell, lever, flat_lever, bent_lever, bearing_housing, ported_housing, gear_housing, long_bar,
        square_bar, flat_on_bar, cross_drilled_bar, thin_sheet, thin_cover, large_plate, large_ring, tiny_block,
        domed_block, grooved_block, countersunk_strip,
    )
} | _POCKETED  # fmt: skip


@cache
def corpus_part(name: str) -> PartGeometry:
    return geometry_from(CORPUS[name](), f"corpus {name}")
