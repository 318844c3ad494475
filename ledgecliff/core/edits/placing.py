"""Placing stock, pins, clamps, screws and supports by hand: from a way dragged on the plan to values of the job.

Places snap: to the middle of the jaws or the plate, flush with an end of the jaws, else to a grid.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..changing import Path
from ..errors import RegistrationError
from ..frames import Array, rotation
from ..holding.holding import JAW_TURN_DEG
from ..model.holding import BoardHold, ChuckHold, JigHold, OwnHold, PlateHold, VBlock, VBlockHold, Vise, ViseHold
from ..model.own_fixture import OwnFixture
from ..quantities import said
from ..registration.interlock import make_frame
from ..setup_plan import SetupPlan
from ..turns.turn_plan import TurnPlan

#: A place this near to one with a name snaps to it (mm).
_SNAP = 2.0
#: What is dragged by itself, by the first word of its name, and where it stands in the hold.
_HOLDERS = {"dowel": "dowels", "clamp": "clamps", "screw": "screws", "support": "supports"}


@dataclass(frozen=True)
class Draggable:
    """Something on the plan that can be dragged: its name and corners (2,) in the WCS of the setup (mm)."""

    name: str
    low: tuple[float, float]
    high: tuple[float, float]


@dataclass(frozen=True)
class Placed:
    """Where a drag leads: how far the thing really moves (2,) in plan, the values to set, and words for it.

    ``outlines`` are drawn meanwhile in its stead, in the plan's own coordinates, where its box says too little.
    """

    moved: tuple[float, float]
    values: tuple[tuple[Path, float], ...]
    words: str
    outlines: tuple[tuple[tuple[float, float], ...], ...] = ()


def draggables(setup: SetupPlan) -> tuple[Draggable, ...]:
    """Pins, clamps, screws and supports first, since they stand on, beside or under the stock; then the stock."""
    origin = setup.wcs.u_origin[:2]
    found = [
        Draggable(block.name, _two(np.array(block.low[:2]) - origin), _two(np.array(block.high[:2]) - origin))
        for block in setup.holding.blocks
        if block.name.split()[0] in _HOLDERS
    ]
    low, high = (corner[:2] - origin for corner in setup.holding.u_stock)
    return (*found, Draggable("stock", _two(low), _two(high)))


def place(setup: SetupPlan, name: str, way: tuple[float, float], grid: float) -> Placed:
    """Where dragging ``name`` by ``way`` (mm in plan) puts it, on a ``grid`` (mm)."""
    if name != "stock":
        return _place_holder(setup, name, way, grid)
    hold, path = setup.setup.hold, ("setups", setup.index, "hold")
    match hold:
        case ViseHold() | VBlockHold():
            along = _along(setup)
            wanted = hold.beside + float(along @ np.array(way))
            beside, words = _snapped(wanted, _places_along(setup), grid)
            moved = along * (beside - hold.beside)
            return Placed(_two(moved), (((*path, "beside"), beside),), words)
        case ChuckHold():
            return Placed((0.0, 0.0), (), "the chuck holds it")
        case JigHold():
            return Placed((0.0, 0.0), (), "its pocket holds it")
        case PlateHold() | BoardHold() if hold.registered:
            return Placed((0.0, 0.0), (), "the turn's registration holds it")
        case OwnHold() if hold.over is not None:
            return Placed((0.0, 0.0), (), "the spigot holds it")
        case PlateHold() | BoardHold() | OwnHold():
            fast, middle = _fast_along(setup), {"in the middle": 0.0}
            x, words_x = (hold.x, "") if fast[0] else _snapped(hold.x + way[0], middle, grid)
            y, words_y = (hold.y, "") if fast[1] else _snapped(hold.y + way[1], middle, grid)
            values = tuple(((*path, axis), value) for axis, value, k in (("x", x, 0), ("y", y, 1)) if not fast[k])
            words = ", ".join(f"{axis} {said}" for axis, said in (("X", words_x), ("Y", words_y)) if said)
            return Placed((x - hold.x, y - hold.y), values, words)


def _fast_along(setup: SetupPlan) -> tuple[bool, bool]:
    """Along X and Y, whether stock lies against faces of the fixture, so that it cannot be dragged."""
    fixture = setup.holding.fixture
    if not isinstance(fixture, OwnFixture):
        return False, False
    return bool(fixture.against(0)), bool(fixture.against(1))


def draggables_of_turn(turn: TurnPlan) -> tuple[Draggable, ...]:
    """Pins where their bores are made, and edges of a frame, in ``u`` of the setup before."""
    made = turn.pin_bores
    if made is None:
        return _frame_edges(turn)
    found = []
    for number, pin in enumerate(made.pins, start=1):
        at = turn.part_middle + np.array([pin.x, pin.y])
        found.append(Draggable(f"pin {number}", _two(at - pin.diameter / 2.0), _two(at + pin.diameter / 2.0)))
    return tuple(found)


def _frame_edges(turn: TurnPlan) -> tuple[Draggable, ...]:
    """The right and the back edge of a frame's slot: dragging one moves its opposite as well."""
    if turn.frame is None:
        return ()
    x, y = turn.part_middle
    half_x, half_y = turn.frame.half_size
    slot = turn.frame.sizes.slot
    return (
        Draggable("frame X", (x + half_x - 2.0 * slot, y - half_y / 2.0), (x + half_x, y + half_y / 2.0)),
        Draggable("frame Y", (x - half_x / 2.0, y + half_y - 2.0 * slot), (x + half_x / 2.0, y + half_y)),
    )


def place_on_turn(turn: TurnPlan, name: str, way: tuple[float, float], grid: float) -> Placed | None:
    """Where dragging a pin leads: on the grid, and onto the turn axis where that is near.  An edge of a frame takes
    the whole frame along, checked anew."""
    if name.startswith("frame"):
        return _place_edge(turn, name, way, grid)
    made = turn.pin_bores
    if made is None:
        return None
    number = int(name.split()[1]) - 1
    pin, k = made.pins[number], turn.before.setup.operations.index(made)
    path = ("setups", turn.before.index, "operations", k, "pins", number)
    x, words_x = _snapped(pin.x + way[0], {"in the middle": 0.0}, grid)
    y, words_y = _snapped(pin.y + way[1], {"in the middle": 0.0}, grid)
    values = (((*path, "x"), x), ((*path, "y"), y))
    words = ", ".join(f"{axis} {said}" for axis, said in (("X", words_x), ("Y", words_y)) if said)
    return Placed((x - pin.x, y - pin.y), values, words)


def _place_edge(turn: TurnPlan, name: str, way: tuple[float, float], grid: float) -> Placed | None:
    from ..registration.interlock_check import check_frame  # shapely is not needed before a frame is

    slot, frame = turn.frame_slot, turn.frame
    if slot is None or frame is None:
        return None
    k, field = (0, "keep_x") if name == "frame X" else (1, "keep_y")
    keep = max(round(round((getattr(slot, field) + way[k]) / grid) * grid, 6), grid)
    path = ("setups", turn.before.index, "operations", turn.before.setup.operations.index(slot), field)
    moved = (keep - getattr(slot, field), 0.0) if k == 0 else (0.0, keep - getattr(slot, field))
    try:
        made = make_frame(replace(frame.sizes, **{field: keep}))
    except RegistrationError as error:
        return Placed(moved, ((path, keep),), error.words)
    checked = check_frame(made, slot.slot)
    words = "locks" if checked.locks and not checked.wrong_ways else "does not lock"
    outlines = tuple(
        tuple(_two(point) for point in [*points, points[0]])
        for points in (outline.points(0.1) + turn.part_middle for outline in (made.piece, made.hole))
    )
    return Placed(moved, ((path, keep),), f"{words}, play {said(max(checked.play))}", outlines)


def _place_holder(setup: SetupPlan, name: str, way: tuple[float, float], grid: float) -> Placed:
    kind, number = name.split()
    path = ("setups", setup.index, "hold", _HOLDERS[kind], int(number) - 1)
    holder = getattr(setup.setup.hold, _HOLDERS[kind])[int(number) - 1]
    x, _ = _snapped(holder.x + way[0], {}, grid)
    y, _ = _snapped(holder.y + way[1], {}, grid)
    return Placed((x - holder.x, y - holder.y), (((*path, "x"), x), ((*path, "y"), y)), "")


def _along(setup: SetupPlan) -> Array:
    """The unit direction (2,) in plan in which ``beside`` grows."""
    fixture = setup.holding.fixture
    degrees = 0.0
    if isinstance(fixture, Vise):
        degrees = JAW_TURN_DEG[fixture.fixed_jaw]
    elif isinstance(fixture, VBlock) and fixture.along == "y":
        degrees = -90.0
    along: Array = rotation("z", degrees).T[:2, 0]
    return along


def _places_along(setup: SetupPlan) -> dict[str, float]:
    """Places with a name along jaws or groove, as values of ``beside``."""
    fixture = setup.holding.fixture
    width = fixture.jaw_width if isinstance(fixture, Vise) else getattr(fixture, "length", 0.0)
    k = int(np.argmax(np.abs(_along(setup))))
    room = (width - float((setup.holding.u_stock[1] - setup.holding.u_stock[0])[k])) / 2.0
    what = "jaws" if isinstance(fixture, Vise) else "block"
    places = {f"in the middle of the {what}": 0.0}
    if abs(room) > 1e-6:
        places |= {f"flush with the left end of the {what}": -room, f"flush with the right end of the {what}": room}
    return places


def _snapped(wanted: float, places: dict[str, float], grid: float) -> tuple[float, str]:
    near = min(places.items(), key=lambda place: abs(place[1] - wanted), default=None)
    if near is not None and abs(near[1] - wanted) <= _SNAP:
        return round(near[1], 6) + 0.0, near[0]
    return round(round(wanted / grid) * grid, 6) + 0.0, ""


def _two(place: Array) -> tuple[float, float]:
    return (float(place[0]), float(place[1]))
