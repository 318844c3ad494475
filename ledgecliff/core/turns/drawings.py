"""Drawings of a turn's registration as data: paths, circles, dimensions and words on named layers (mm).

A sheet is in the WCS that its words name; lengths in words are to be spelled (``spell``).  Whoever writes it
gives each layer its line; arcs stay arcs.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..frames import Array
from ..holding.jigs import relief_places
from ..holding.screws import screw_hole
from ..layered_drawing import Circle, Entity, Measure, Path, Sheet, Words, edge_extent
from ..model.holding import Jig
from ..model.operations import FrameSlot
from ..plan import Plan
from ..quantities import said_bare
from ..registration.interlock import Frame
from ..registration.outlines import Edge, RoundedOutline
from ..registration.tracing import traced
from ..setup_plan import SetupPlan
from ..solids.shadow import outline_area
from .turn_plan import TurnPlan, turns_of

#: A dimension's line lies this far off what it measures (mm).
_LINE_OFF = 12.0


def turn_sheets(plan: Plan) -> tuple[Sheet, ...]:
    """Every drawing of every turn: outlines before and after, pins, frames and jigs."""
    sheets: list[Sheet] = []
    for turn in turns_of(plan):
        stem = f"turn-{turn.index}"
        sheets.append(_outlines(turn.before, f"{stem}-before"))
        sheets.append(_outlines(turn.after, f"{stem}-after"))
        if turn.way == "dowel pins":
            sheets += [_blank_bores(turn, stem), _board(turn, stem)]
        if turn.way == "interlocking frame" and turn.frame is not None:
            sheets += _frame(turn, stem)
        if turn.way == "two-pocket jig":
            sheets += _jig(turn, stem)
    return tuple(sheets)


def part_outline(setup: SetupPlan, layer: str = "PART OUTLINE") -> list[Entity]:
    """The part's outline seen from above in a setup's WCS, holes through it included."""
    matrix = setup.setup.orientation.matrix()
    solid = setup.geometry.solid.transform(np.column_stack([matrix, np.zeros(3)]))
    shift = setup.wcs.u_origin[:2]
    rings = [np.asarray(ring) - shift for ring in (outline_area(solid).to_polygons() + _through(solid))]
    return [Path(layer, traced(ring)) for ring in rings]


def _through(solid: object) -> list[Array]:
    """Openings right through a solid: the inner rings of its projection."""
    from ..solids.flat_area import signed_area

    return [np.asarray(ring) for ring in solid.project().to_polygons() if signed_area(np.asarray(ring)) < 0.0]  # type: ignore[attr-defined]


def _stock(setup: SetupPlan, layer: str = "BLANK") -> list[Entity]:
    low, high = (corner[:2] - setup.wcs.u_origin[:2] for corner in setup.holding.u_stock)
    return [_rectangle(layer, low, high)]


def _rectangle(layer: str, low: Array, high: Array) -> Path:
    corners = [(low[0], low[1]), (high[0], low[1]), (high[0], high[1]), (low[0], high[1])]
    points = [(float(x), float(y)) for x, y in corners]
    return Path(layer, tuple(Edge(a, b) for a, b in zip(points, points[1:] + points[:1], strict=True)))


def _zero() -> list[Entity]:
    """A diamond, so that nobody takes it for a hole."""
    ends = ((2.0, 0.0), (0.0, 2.0), (-2.0, 0.0), (0.0, -2.0))
    edges = tuple(Edge(a, b) for a, b in zip(ends, ends[1:] + ends[:1], strict=True))
    return [Path("WCS ZERO", edges), Words("WCS ZERO", (3.0, 3.0), "X0 Y0")]


def _titled(setup: SetupPlan, name: str, what: str, entities: Iterable[Entity]) -> Sheet:
    return Sheet(name, f"{what}, in {setup.setup.offset} of {setup.setup.name}", (*entities, *_zero()))


def _outlines(setup: SetupPlan, name: str) -> Sheet:
    low, high = ((corner[:2] - setup.wcs.u_origin[:2]).tolist() for corner in setup.holding.u_stock)
    sizes: list[Entity] = [
        Measure("DIMENSIONS", (low[0], low[1]), (high[0], low[1]), "x", low[1] - _LINE_OFF),
        Measure("DIMENSIONS", (low[0], low[1]), (low[0], high[1]), "y", low[0] - _LINE_OFF),
    ]
    return _titled(setup, name, "Blank and part", (*_stock(setup), *part_outline(setup), *sizes))


def _pins(turn: TurnPlan, bores: bool) -> list[Entity]:
    made = turn.pin_bores
    if made is None:
        return []
    layer = "BORES IN BLANK" if bores else "BORES IN BOARD"
    entities: list[Entity] = []
    for number, pin in enumerate(turn.bored if bores else turn.board_pins, start=1):
        entities.append(Circle(layer, (pin.x, pin.y), pin.diameter + made.clearance if bores else pin.diameter))
        entities.append(Words("PIN NUMBERS", (pin.x + pin.diameter, pin.y), f"{number}: {said_bare(pin.diameter)}"))
        for along, line in (("x", -pin.diameter), ("y", -pin.diameter)):
            k = 0 if along == "x" else 1
            place = (pin.x, pin.y)
            if abs(place[k]) > 1e-9:
                start = (0.0, pin.y) if along == "x" else (pin.x, 0.0)
                entities.append(Measure("DIMENSIONS", start, place, along, place[1 - k] + line))
    return entities


def _blank_bores(turn: TurnPlan, stem: str) -> Sheet:
    entities = (*_stock(turn.before), *part_outline(turn.before), *_pins(turn, bores=True))
    return _titled(turn.before, f"{stem}-blank-bores", "Bores in the blank, before the turn", entities)


def _board(turn: TurnPlan, stem: str) -> Sheet:
    """In the WCS of the setup before: it is bored with that zero."""
    entities = (*_stock(turn.before, "BLANK BEFORE"), *_pins(turn, bores=False))
    return _titled(turn.before, f"{stem}-board-pins", "Bores in the board, where pins stand after the turn", entities)


def _frame(turn: TurnPlan, stem: str) -> list[Sheet]:
    frame, slot = turn.frame, turn.frame_slot
    assert frame is not None and slot is not None, "asked before"
    shift = turn.part_middle - turn.before.wcs.u_origin[:2]
    cutter = turn.before.machine.cutter(slot.tool)
    diameter = min(cutter.diameter if cutter else slot.slot, slot.slot)

    def moved(layer: str, outline: RoundedOutline) -> Path:
        return Path(layer, tuple(_moved(edge, shift) for edge in outline.edges))

    lines = [moved("CUTTER CENTRE LINE", line) for line in frame.cutter_lines(diameter)]
    before = (
        *_stock(turn.before), moved("PIECE", frame.piece), moved("BORDER", frame.hole), *lines,
        *part_outline(turn.before), *_frame_sizes(turn, frame, slot, shift),
    )  # fmt: skip
    after = (*_stock(turn.before), moved("BORDER", frame.hole), moved("PIECE TURNED", frame.turned))
    return [
        _titled(turn.before, f"{stem}-frame-cut", "Frame as it is cut, before the turn", before),
        _titled(turn.before, f"{stem}-frame-turned", "Turned piece in its border", after),
    ]


def _frame_sizes(turn: TurnPlan, frame: Frame, slot: FrameSlot, shift: Array) -> list[Entity]:
    """Piece and border overall, the rectangle to stay out of, where they lie from the zero, and the slot in words."""
    stays = np.array([slot.keep_x, slot.keep_y])
    sizes: list[Entity] = [_rectangle("TO STAY OUT OF", shift - stays, shift + stays)]
    piece = np.array([point for edge in frame.piece.edges for point in edge_extent(edge)])
    hole = np.array([point for edge in frame.hole.edges for point in edge_extent(edge)])
    low, _ = (corner[:2] - turn.before.wcs.u_origin[:2] for corner in turn.before.holding.u_stock)
    for k, corners in enumerate((np.array([-stays, stays]), piece, hole), start=1):
        (x1, y1), (x2, y2) = corners.min(axis=0) + shift, corners.max(axis=0) + shift
        sizes.append(Measure("DIMENSIONS", (x1, y1), (x2, y1), "x", float(low[1]) - k * _LINE_OFF))
        sizes.append(Measure("DIMENSIONS", (x1, y1), (x1, y2), "y", float(low[0]) - k * _LINE_OFF))
    x, y = (float(value) for value in shift)
    if abs(x) > 1e-9:
        sizes.append(Measure("DIMENSIONS", (0.0, 0.0), (x, y), "x", y + _LINE_OFF))
    if abs(y) > 1e-9:
        sizes.append(Measure("DIMENSIONS", (0.0, 0.0), (x, y), "y", x + _LINE_OFF))
    words = f"slot {said_bare(slot.slot)} wide, fit {said_bare(slot.fit)}, T{slot.tool}"
    return [*sizes, Words("FRAME", (x - 30.0, y - 6.0), words)]


def _jig(turn: TurnPlan, stem: str) -> list[Sheet]:
    """The jig about its zero hole: pockets with their reliefs, screws, and where they lie."""
    jig = turn.after.holding.fixture
    if not isinstance(jig, Jig):
        return []
    half = np.array([jig.length, jig.width]) / 2.0
    entities: list[Entity] = [_rectangle("JIG", -half, half), Circle("ZERO HOLE", (0.0, 0.0), jig.zero_diameter)]
    for name, pocket in (("FIRST", jig.first), ("SECOND", jig.second)):
        points = np.array(pocket.outline) + np.array([pocket.x, pocket.y])
        low, high = points.min(axis=0).tolist(), points.max(axis=0).tolist()
        entities.append(Path(f"{name} POCKET", traced(points)))
        reliefs = relief_places(pocket, jig.cutter / 2.0)
        entities += [Circle("CORNER RELIEFS", (x + pocket.x, y + pocket.y), jig.cutter) for x, y in reliefs]
        words = f"{name.lower()} pocket, {said_bare(pocket.depth)} deep"
        entities.append(Words(f"{name} POCKET", (low[0] + 4.0, high[1] - 8.0), words))
        entities += [
            Measure("DIMENSIONS", (0.0, 0.0), (pocket.x, pocket.y), "x", float(half[1]) + _LINE_OFF),
            Measure("DIMENSIONS", (low[0], low[1]), (high[0], low[1]), "x", float(-half[1]) - _LINE_OFF),
            Measure("DIMENSIONS", (low[0], low[1]), (low[0], high[1]), "y", low[0] - _LINE_OFF / 2.0),
        ]
    for screw in jig.screws:
        entities.append(Circle("SCREW HEADS", (screw.x, screw.y), screw.head_diameter))
        if (hole := screw_hole(screw.head_diameter)) is not None:
            name, diameter = hole
            entities.append(Circle("SCREW HOLES", (screw.x, screw.y), diameter))
            words = f"{said_bare(diameter)} through for {name}" + (", sunk" if screw.head_height <= 0.0 else "")
            entities.append(Words("SCREW HOLES", (screw.x - 2.0 * screw.head_diameter, screw.y - 12.0), words, 3.0))
    if jig.screws:
        right = max(jig.screws, key=lambda screw: (screw.x, screw.y))
        place = (right.x, right.y)
        entities += [
            Measure("DIMENSIONS", (0.0, 0.0), place, "x", float(half[1]) + 2.0 * _LINE_OFF),
            Measure("DIMENSIONS", (0.0, 0.0), place, "y", float(half[0]) + _LINE_OFF),
        ]
    entities += [
        Measure("DIMENSIONS", (-half[0], -half[1]), (half[0], -half[1]), "x", float(-half[1]) - 2.0 * _LINE_OFF),
        Measure("DIMENSIONS", (-half[0], -half[1]), (-half[0], half[1]), "y", float(-half[0]) - _LINE_OFF),
    ]
    title = f"{jig.name}, {said_bare(jig.thickness)} thick, zero at the hole and on its top"
    return [Sheet(f"{stem}-jig", title, tuple(entities))]


def _moved(edge: Edge, by: Array) -> Edge:
    x, y = float(by[0]), float(by[1])
    return Edge((edge.start[0] + x, edge.start[1] + y), (edge.end[0] + x, edge.end[1] + y), edge.bulge)
