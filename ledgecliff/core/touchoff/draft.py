"""A touch-off while it is being typed: for each axis a method, what was touched, and the readings so far.

What a method asks for follows from the plan where it can: what the surface must read, half of which size, which width
is expected.  Only readings and what was used to take them are typed.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal, assert_never

from pydantic import Field, ValidationError

from ..changing import problem_words
from ..datums import datum_words
from ..errors import InvalidValueError
from ..feature_places import HOLLOW, size_along, zero_place
from ..frames import AXES, Axis
from ..model.base import Length, Model, Name, NonNegativeLength, PositiveLength
from ..model.machine import LengthsFrom, Machine
from ..model.stock import ModelStock, Stock
from ..quantities import said
from ..setup_plan import SetupPlan
from .expected import Expected, ToolSize
from .readings import Before, HandReadings, LevelSide
from .surfaces import Round, Surface, rounds_of, surfaces_of

Method = Literal[
    "edge",
    "wall to wall",
    "half a measured size",
    "spigot",
    "indicator swept",
    "tool on top",
    "indicator against reference",
    "known value",
    "over it, by eye",
    "above it, by eye",
    "test cut",
]
#: Methods of X and Y, in the order they are offered.
LEVEL: tuple[Method, ...] = (
    "edge", "wall to wall", "half a measured size", "spigot", "indicator swept", "known value", "over it, by eye",
    "test cut",
)  # fmt: skip
_BY_LENGTHS: dict[LengthsFrom, Method] = {
    "gauge line": "tool on top",
    "reference plane": "indicator against reference",
}
#: What is typed in each method, in order.
ASKED: dict[Method, tuple[str, ...]] = {
    "edge": ("reading", "diameter", "gauge"),
    "wall to wall": ("reading", "second", "diameter", "gauge"),
    "half a measured size": ("reading", "diameter", "gauge", "size"),
    "spigot": ("reading", "diameter", "gauge", "size"),
    "indicator swept": ("reading",),
    "tool on top": ("reading", "tool_length", "gauge"),
    "indicator against reference": ("reading", "second"),
    "known value": ("reading",),
    "over it, by eye": ("reading",),
    "above it, by eye": ("reading", "tool_length", "gauge"),
    "test cut": ("reading", "size"),
}
#: How a round is found, hollow or full, the usual way first.
_ROUND_WAYS: dict[bool, tuple[Method, ...]] = {
    True: ("indicator swept", "wall to wall"),
    False: ("spigot", "wall to wall"),
}
#: Methods that go on by half of the part's own size, which lies behind its own sides only.
HALF_ON: tuple[Method, ...] = ("half a measured size", "spigot")
#: About so far above a surface a tip is held to see that it is clear (mm).
_ABOVE = 10.0
#: Sizes this near to one another are the same (mm).
_SAME_SIZE = 0.005
#: Blank is no answer to these; the rest have something to begin with.
_NEEDED = ("reading", "second", "size", "tool_length")


class AxisDraft(Model):
    """``second`` is the other wall's reading, or the one on the tools' reference; ``size`` the measured size, the
    spigot's diameter or the step of a test cut.  ``surface`` names what is touched, ``plane`` is where the control's
    lengths count from (machine Z), 0 for the gauge line."""

    method: Method
    surface: Annotated[str, Field(max_length=200)] = ""
    side: LevelSide | None = None
    inside: bool = False
    reading: Length | None = None
    second: Length | None = None
    diameter: NonNegativeLength = 10.0
    gauge: NonNegativeLength = 0.0
    size: NonNegativeLength | None = None
    tool_length: PositiveLength | None = None
    deeper: Literal["minus", "plus"] = "plus"
    should_read: Length = 0.0
    plane: Length = 0.0
    expected_width: PositiveLength | None = None

    def missing(self) -> tuple[str, ...]:
        """What is still to be typed."""
        return tuple(name for name in ASKED[self.method] if name in _NEEDED and getattr(self, name) is None)


class HandDraft(Model):
    """Of one setup, lengths in mm; ``before`` is what the offset held, ``correct`` by how much it is to be corrected,
    and ``hover_room`` what the hover check has left between block and tip."""

    setup: Name
    offset: Name
    lengths_from: LengthsFrom = "gauge line"
    before: Before = Before()
    correct: Before = Before()
    hover_room: Length | None = None
    x: AxisDraft
    y: AxisDraft
    z: AxisDraft

    def axis(self, axis: Axis) -> AxisDraft:
        return {"x": self.x, "y": self.y, "z": self.z}[axis]


def draft_for(setup: SetupPlan, before: Before | None = None) -> HandDraft:
    """Each axis by the method that its datum asks for.

    Raises InvalidValueError where the setup's station is turned: readings by hand count along the machine's axes.
    """
    _standing_square(setup)
    return HandDraft(
        setup=setup.setup.name,
        offset=setup.setup.offset,
        lengths_from=setup.machine.lengths_from,
        before=before or Before(),
        **{axis: _for_datum(setup, axis) for axis in AXES},
    )


def why_not_by_hand(setup: SetupPlan) -> str:
    """Why a setup cannot be touched off by hand here; empty where it can."""
    if not setup.located.turn_deg:
        return ""
    return (
        f"its station is turned {setup.located.turn_deg:g}° about Z, and readings by hand count along the "
        "machine's axes; probe it"
    )


def _standing_square(setup: SetupPlan) -> None:
    if why_not := why_not_by_hand(setup):
        raise InvalidValueError(setup.setup.name, why_not)


def methods_of(setup: SetupPlan, axis: Axis) -> tuple[Method, ...]:
    """Where lengths count from decides how a height is found; the two are not mixed."""
    if axis == "z":
        return (_BY_LENGTHS[setup.machine.lengths_from], "known value", "above it, by eye", "test cut")
    return LEVEL


def with_method(setup: SetupPlan, draft: HandDraft, axis: Axis, method: Method) -> HandDraft:
    """Another method for an axis; readings of the same kind stay typed."""
    now = draft.axis(axis)
    begun = _begun(setup, axis, method)
    kept = {name: getattr(now, name) for name in ("reading", "second", "diameter", "gauge", "tool_length")}
    if "above it, by eye" in (now.method, method):
        del kept["gauge"]  # no paper or block is as thick as what the eye leaves
    begun = begun.model_copy(update=kept)
    thing = next((each for each in rounds_of(setup) if each.name == now.surface), None)
    if thing is not None and axis != "z" and method in _ROUND_WAYS[thing.hollow]:
        begun = _about(begun, thing, AXES.index(axis))
    return draft.model_copy(update={axis: begun})


def with_tool(draft: HandDraft, axis: Axis, tool: ToolSize) -> HandDraft:
    """Touched with a tool of the table: its diameter, and its length for a height."""
    changed = {"diameter": tool.diameter, "tool_length": tool.length}
    return draft.model_copy(update={axis: draft.axis(axis).model_copy(update=changed)})


def without_surface(setup: SetupPlan, draft: HandDraft, axis: Axis) -> HandDraft:
    """Between the stock's own walls again, instead of in or about a round."""
    bare = draft.axis(axis).model_copy(update={"surface": ""})
    return with_method(setup, draft.model_copy(update={axis: bare}), axis, bare.method)


def with_picked(setup: SetupPlan, draft: HandDraft, source: str) -> HandDraft:
    """What is picked on the drawing becomes what is touched: with it its side, and what it must read."""
    surface = next((each for each in surfaces_of(setup) if each.source == source), None)
    if surface is not None:
        return _touching(setup, draft, surface)
    thing = next((each for each in rounds_of(setup) if each.source == source), None)
    if thing is None:
        return draft
    for k, axis in enumerate(AXES[:2]):
        each = draft.axis(axis)
        if each.method == "over it, by eye":
            pass  # it stands over a round as over anything else
        elif each.surface != thing.name or each.method not in _ROUND_WAYS[thing.hollow]:
            draft = with_method(setup, draft, axis, _ROUND_WAYS[thing.hollow][0])
        draft = draft.model_copy(update={axis: _about(draft.axis(axis), thing, k)})
    return draft


def brought_up_to_date(setup: SetupPlan, draft: HandDraft) -> HandDraft:
    """The draft for a plan that has changed since: what is typed stays, what follows from the plan follows again."""
    fresh = draft.model_copy(
        update={
            "setup": setup.setup.name, "offset": setup.setup.offset, "lengths_from": setup.machine.lengths_from,
        }
    )  # fmt: skip
    for axis in AXES:
        now, methods = draft.axis(axis), methods_of(setup, axis)
        fresh = with_method(setup, fresh, axis, now.method if now.method in methods else methods[0])
        surface = next((each for each in surfaces_of(setup) if each.name == now.surface), None)
        if surface is not None:
            fresh = _touching(setup, fresh, surface)
        typed = {"size": now.size, "deeper": now.deeper} if now.method == fresh.axis(axis).method else {}
        fresh = fresh.model_copy(update={axis: fresh.axis(axis).model_copy(update=typed)})
    return fresh


def readings_of(draft: HandDraft) -> HandReadings | None:
    """The axes of which everything is typed; None while there is none.  Raises InvalidValueError."""
    done: dict[str, Any] = {}
    for axis in AXES:
        each = draft.axis(axis)
        if not each.missing():
            done[axis] = _reading(each)
    if not done:
        return None
    try:
        return HandReadings.model_validate(
            {"offset": draft.offset, "setup": draft.setup, "lengths_from": draft.lengths_from, "before": draft.before}
            | done
        )
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidValueError(draft.offset, problem_words(first["msg"])) from error


def expected_of(setup: SetupPlan) -> Expected:
    """Where the plan has the offset, and how far it may lie off: as well as the setup is put up by eye.

    Of a height that counts from a reference plane nothing is expected before it is said where that stands.  Raises
    InvalidValueError where the setup's station is turned.
    """
    _standing_square(setup)
    machine = setup.machine
    offsets = {axis: float(value) for axis, value in zip(AXES, setup.located.m_offset, strict=True)}
    offsets["z"] -= machine.length_shift()
    if machine.lengths_from == "reference plane" and machine.reference_z == 0.0:
        del offsets["z"]
    spread = setup.setup.orientation.sizes(setup.spread)
    varies = {axis: float(value) for axis, value in zip(AXES, spread, strict=True)}
    return Expected(offsets, setup.setup.probing.guess, surfaces_of(setup), rounds_of(setup), tools_of(machine), varies)


def tools_of(machine: Machine) -> tuple[ToolSize, ...]:
    """Whatever may be in the spindle: cutters, and probes."""
    cutters = (ToolSize(cutter.tool, cutter.diameter, cutter.tip_length) for cutter in machine.cutters)
    probes = (ToolSize(probe.tool, 2.0 * probe.effective_radius, probe.length) for probe in machine.probes)
    return (*cutters, *probes)


def size_doubt(setup: SetupPlan, stock: Stock, draft: HandDraft, axis: Axis) -> str:
    """Words when the label's size was typed where the stock measures another; lengths in them are to be spelled."""
    each = draft.axis(axis)
    if each.method != "half a measured size" or each.size is None or isinstance(stock, ModelStock):
        return ""
    orientation, k = setup.setup.orientation, AXES.index(axis)
    nominal, measured = (float(orientation.sizes(size)[k]) for size in (stock.nominal_size(), stock.size()))
    if abs(each.size - nominal) > _SAME_SIZE or abs(each.size - measured) <= _SAME_SIZE:
        return ""
    return (
        f"{said(each.size)} is what the label says; this stock measures {said(measured)}. Half of the difference, "
        f"{said(abs(nominal - measured) / 2.0)}, goes into {axis.upper()}."
    )


# --- what follows from the plan -------------------------------------------------------------------


def _for_datum(setup: SetupPlan, axis: Axis) -> AxisDraft:
    datum = setup.setup.datum.axis(axis)
    match datum.source:
        case "fixture value":
            known = float(setup.located.m_offset[AXES.index(axis)])
            return _begun(setup, axis, "known value").model_copy(update={"reading": round(known, 4)})
        case "carried over" | "rotary index":
            return _begun(setup, axis, "known value")
        case _ if axis == "z":
            others = datum_words(axis, datum) if datum.face is not None else datum.feature or "stock top"
            name = setup.holding.seat_name if datum.source == "parallels" else others
            return _at(setup, axis, methods_of(setup, axis)[0], name)
        case "feature" if width_of(setup, axis) is not None:
            return _begun(setup, axis, "wall to wall")
        case "feature" if _is_face(setup, axis):
            return _at(setup, axis, "edge", datum_words(axis, datum))
        case "feature minus side" | "feature plus side" | "jaw minus end" | "jaw plus end" | "stop" | "fixture face":
            return _at(setup, axis, "edge", datum_words(axis, datum))
        case "dowel":
            dowel = next(each for each in rounds_of(setup) if each.name == datum_words(axis, datum))
            return _about(_begun(setup, axis, "spigot"), dowel, AXES.index(axis))
        case "feature" | "fixture bore":
            thing = next((each for each in rounds_of(setup) if each.name == datum.feature), None)
            begun = _begun(setup, axis, "indicator swept")
            if thing is None and datum.source == "fixture bore":
                thing = next(iter(rounds_of(setup)[-1:]), None)
            return begun if thing is None else _about(begun, thing, AXES.index(axis))
        case "fixed jaw":
            return _at(setup, axis, "edge", "fixed jaw")
        case "rotary axis":
            return _begun(setup, axis, "spigot")
        case source if source.endswith("centre"):
            return _begun(setup, axis, "wall to wall")
        case source:
            sides = {"x": ("left side", "right side"), "y": ("front side", "back side")}[axis]
            return _at(setup, axis, "edge", sides["plus" in source])


def width_of(setup: SetupPlan, axis: Axis) -> dict[str, Any] | None:
    """Of a feature with walls to either side that gives the zero: where its middle must read, how wide it is, and
    whether the walls face one another."""
    datum, k = setup.setup.datum.axis(axis), AXES.index(axis)
    row = setup.setup.orientation.matrix()[k]
    feature = next((each for each in setup.features if each.name == datum.feature), None)
    width = None if feature is None else size_along(feature, row)
    if feature is None or width is None:
        return None
    middle = float(row @ zero_place(feature, datum.source, axis, row) - setup.wcs.u_origin[k])
    return {"should_read": round(middle, 6) + 0.0, "inside": feature.kind in HOLLOW, "expected_width": round(width, 4)}


def _is_face(setup: SetupPlan, axis: Axis) -> bool:
    name = setup.setup.datum.axis(axis).feature
    return any(each.name == name and each.kind == "face" for each in setup.features)


def _at(setup: SetupPlan, axis: Axis, method: Method, name: str) -> AxisDraft:
    surface = next((each for each in surfaces_of(setup) if each.name == name and each.axis == axis), None)
    begun = _begun(setup, axis, method)
    return begun if surface is None else _upon(setup, begun, surface)


def _begun(setup: SetupPlan, axis: Axis, method: Method) -> AxisDraft:
    """A method with what the plan says for it, on the side that is nearest to the zero's own."""
    low, high = _extent(setup, axis)
    middle, size = (low + high) / 2.0, high - low
    first = next((each for each in surfaces_of(setup) if each.axis == axis), None)
    match method:
        case "edge" if first is not None:
            return _upon(setup, AxisDraft(method=method), first)
        case "half a measured size" | "spigot" if first is not None:
            draft = AxisDraft(method=method, size=round(size, 4) if method == "spigot" else None)
            return _upon(setup, draft, first)
        case "wall to wall" if (width := width_of(setup, axis)) is not None:
            return AxisDraft(method=method, **width)
        case "wall to wall":
            return AxisDraft(method=method, should_read=round(middle, 6), expected_width=round(size, 4))
        case "tool on top" | "indicator against reference":
            return _at_top(setup, method)
        case "known value":
            return AxisDraft(method=method, surface=setup.holding.fixture.name)
        case "above it, by eye":
            above = AxisDraft(method=method, gauge=_ABOVE, plane=setup.machine.length_shift())
            return _upon(setup, above, next(each for each in surfaces_of(setup) if each.axis == "z"))
        case "edge" | "half a measured size" | "spigot" | "indicator swept" | "over it, by eye" | "test cut":
            return AxisDraft(method=method, should_read=0.0)
        case _:
            assert_never(method)


def _at_top(setup: SetupPlan, method: Method) -> AxisDraft:
    surface = next(each for each in surfaces_of(setup) if each.axis == "z")
    return _upon(setup, AxisDraft(method=method), surface)


def _extent(setup: SetupPlan, axis: Axis) -> tuple[float, float]:
    k = AXES.index(axis)
    low, high = setup.holding.u_stock
    zero = float(setup.wcs.u_origin[k])
    return float(low[k]) - zero, float(high[k]) - zero


def _touching(setup: SetupPlan, draft: HandDraft, surface: Surface) -> HandDraft:
    """An axis found otherwise than by touching a surface takes to it; from a jaw or a stop half the part's size leads
    away from the part, so there what the face itself reads counts."""
    now, axis = draft.axis(surface.axis), surface.axis
    touches = (
        "edge", "half a measured size", "spigot", "tool on top", "indicator against reference", "over it, by eye",
        "above it, by eye",
    )  # fmt: skip
    if now.method not in touches or (not surface.of_stock and now.method in HALF_ON):
        draft = with_method(setup, draft, axis, methods_of(setup, axis)[0])
    return draft.model_copy(update={axis: _upon(setup, draft.axis(axis), surface)})


def _upon(setup: SetupPlan, draft: AxisDraft, surface: Surface) -> AxisDraft:
    reads = surface.reads
    if draft.method in HALF_ON:
        low, high = _extent(setup, surface.axis)
        reads = (low + high) / 2.0  # the middle is what is found
    return draft.model_copy(
        update={"surface": surface.name, "side": surface.side, "should_read": round(reads, 6) + 0.0}
    )


def _about(draft: AxisDraft, thing: Round, k: int) -> AxisDraft:
    """What a round says for the method in hand: its centre, and its diameter where that is gone half of."""
    changed: dict[str, Any] = {"surface": thing.name, "should_read": round(thing.centre[k], 6) + 0.0}
    if draft.method == "wall to wall":
        changed |= {"inside": thing.hollow, "expected_width": thing.diameter}
    elif draft.method == "spigot":
        changed |= {"size": thing.diameter, "side": draft.side or ("left", "front")[k]}
    return draft.model_copy(update=changed)


def _reading(draft: AxisDraft) -> dict[str, Any]:
    """The draft as the reading of its method."""
    touched = {"side": draft.side, "surface": draft.surface, "diameter": draft.diameter, "gauge": draft.gauge}
    should = {"should_read": draft.should_read}
    values: dict[str, Any]
    match draft.method:
        case "edge":
            values = touched | should | {"reading": draft.reading}
        case "wall to wall":
            values = should | {
                "minus_reading": draft.reading, "plus_reading": draft.second, "diameter": draft.diameter,
                "gauge": draft.gauge, "inside": draft.inside, "expected_width": draft.expected_width,
            }  # fmt: skip
        case "half a measured size":
            values = touched | should | {"reading": draft.reading, "measured_size": draft.size}
        case "spigot":
            values = touched | should | {"reading": draft.reading, "spigot_diameter": draft.size}
        case "indicator swept":
            values = should | {"reading": draft.reading}
        case "tool on top":
            values = should | {
                "reading": draft.reading, "tool_length": draft.tool_length, "gauge": draft.gauge,
                "surface": draft.surface,
            }  # fmt: skip
        case "indicator against reference":
            values = should | {"reading": draft.reading, "reference_reading": draft.second, "surface": draft.surface}
        case "over it, by eye":
            values = should | {"reading": draft.reading, "surface": draft.surface}
        case "above it, by eye":
            values = should | {
                "reading": draft.reading, "tool_length": draft.tool_length, "above": draft.gauge, "plane": draft.plane,
                "surface": draft.surface,
            }  # fmt: skip
        case "known value":
            values = {"value": draft.reading, "origin": draft.surface or "fixture"}
        case "test cut":
            values = {"before": draft.reading, "step": draft.size, "deeper": draft.deeper}
    return values | {"method": draft.method}
