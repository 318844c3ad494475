"""Editing a setup's probing cycles: taking over what is proposed, adding what is picked, order, removal."""

from __future__ import annotations

from collections.abc import Iterable
from typing import assert_never

from ..changing import set_value
from ..errors import InvalidValueError
from ..feature_places import gives, stands_upright
from ..frames import AXES
from ..model.cycles import CORNERS, OF_FIXTURE, CycleKind, ProbeCycle, ProbedBody, Side
from ..model.job import Job
from ..model.orientation import Orientation
from ..model.part import Feature
from ..model.setup import Setup
from ..model.stock import stands_round
from ..places import as_it_lies
from ..probing.proposals import CONSISTENCY, SIDE_OF, both_sides, opens_up_when, proposed_cycles, wall_side
from ..setup_plan import SetupPlan

#: Features that are touched from inside or outside across their width.
_WIDE: dict[str, tuple[CycleKind, ...]] = {
    "pocket": ("rectangle", "inside width"),
    "slot": ("inside width",),
    "web": ("outside width",),
}
_ROUND: dict[str, CycleKind] = {
    "bore": "bore", "hole": "bore", "counterbore": "bore", "boss": "boss", "outer round": "boss",
}  # fmt: skip
#: Those with walls to be touched one by one.
_FACED = (*_WIDE, "face")
#: What a cycle touches, as the groups of a list call it; each feature is a group of its own.
_GROUPS: dict[ProbedBody, str] = {
    "stock": "the stock", "part": "the finished part",
    **dict.fromkeys(OF_FIXTURE, "what holds it"),
}  # fmt: skip


def _lying(job: Job, setup: int) -> Setup:
    """A setup with its part as it lies at its station and index."""
    return as_it_lies(job.machine_of(job.setups[setup]), job.setups[setup])


def cycles_of(setup: Setup, features: tuple[Feature, ...]) -> tuple[ProbeCycle, ...]:
    """The setup's own cycles, or those that are proposed for its datum."""
    return proposed_cycles(setup, features) if setup.probing.cycles is None else setup.probing.cycles


def offers(setup: SetupPlan) -> tuple[tuple[str, tuple[ProbeCycle, ...]], ...]:
    """Cycles that can be added, by what they touch: its words and its cycles, first what is not the part's features."""
    found: dict[str, list[ProbeCycle]] = {}
    for cycle in _of_bodies(setup):
        found.setdefault(_GROUPS[cycle.on], []).append(cycle)
    for feature in setup.features:
        found.setdefault(feature.name, []).extend(cycles_at(setup.setup, feature))
    return tuple((words, tuple(cycles)) for words, cycles in found.items() if cycles)


def size_needed(feature: Feature) -> str:
    """What a cycle goes by of a feature of this kind; empty where there is no cycle for it."""
    return "diameter" if feature.kind in _ROUND else "width" if feature.kind in _WIDE else ""


def touchable_when(feature: Feature, orientation: Orientation) -> bool:
    """Whether a feature can be touched from above with the part lying so: a web beside it, a face on it or at it."""
    if feature.kind == "face":
        return any(gives(feature, axis, orientation) for axis in AXES)
    return stands_upright(feature, orientation) if feature.kind == "web" else opens_up_when(feature, orientation)


def cycles_at(setup: Setup, feature: Feature) -> Iterable[ProbeCycle]:
    """What can be touched of a feature as the part lies in this setup."""
    if not touchable_when(feature, setup.orientation):
        return
    yield from _with_width(setup, feature)
    if feature.kind in _FACED and (feature.kind == "face" or feature.width is not None):
        yield from _single(setup, feature)


def _single(setup: Setup, feature: Feature) -> Iterable[ProbeCycle]:
    """One wall, floor or face at a time."""
    for axis in AXES:
        for source in gives(feature, axis, setup.orientation):
            if feature.kind in _WIDE and axis != "z" and source == "feature":
                continue  # its middle: both walls
            side: Side = "top" if axis == "z" else wall_side(axis, source, setup.orientation, feature)
            what = "face" if feature.kind == "face" else "floor" if axis == "z" else f"{side} wall"
            name = f"{what} {feature.name}" if feature.kind == "face" else f"{what} of {feature.name}"
            yield ProbeCycle(name=name, kind="surface", on="feature", feature=feature.name, side=side)


def _with_width(setup: Setup, feature: Feature) -> Iterable[ProbeCycle]:
    name, kind = feature.name, _ROUND.get(feature.kind)
    if kind is not None and feature.is_round():
        yield ProbeCycle(name=f"{kind} {name}", kind=kind, on="feature", feature=name)
        yield ProbeCycle(
            name=f"{kind} {name} at three angles", kind=kind, on="feature", feature=name, angles_deg=(90, 210, 330)
        )
    if feature.width is None:
        return
    across = "x" if abs((setup.orientation.matrix() @ feature.widthwise())[0]) > 0.5 else "y"
    for wide in _WIDE.get(feature.kind, ()):
        if wide == "rectangle":
            yield ProbeCycle(name=f"{name} all round", kind=wide, on="feature", feature=name)
        elif feature.kind == "pocket":
            for axis in ("x", "y"):
                yield ProbeCycle(name=f"{name} along {axis.upper()}", kind=wide, on="feature", feature=name, axis=axis)
        else:
            yield ProbeCycle(name=f"{name} across", kind=wide, on="feature", feature=name, axis=across)
    if feature.kind == "pocket":
        for corner in CORNERS:
            yield ProbeCycle(name=f"{corner} in {name}", kind="corner", on="feature", feature=name, corner=corner)


def _of_bodies(setup: SetupPlan) -> Iterable[ProbeCycle]:
    holding = setup.holding
    for body in ("stock", "part"):
        for axis in AXES[:2]:
            yield ProbeCycle(name=both_sides(body, axis), kind="outside width", on=body, axis=axis)
        yield ProbeCycle(name=f"{body} all round", kind="rectangle", on=body)
        for (_axis, _sign), side in SIDE_OF.items():
            yield ProbeCycle(name=f"{body} {side}", kind="surface", on=body, side=side)
        for corner in CORNERS:
            yield ProbeCycle(name=f"{corner} of {body}", kind="corner", on=body, corner=corner)
            yield ProbeCycle(
                name=f"{corner} of {body}, with skew", kind="corner", on=body, corner=corner, skew=True
            )  # fmt: skip
        for side in ("front", "back", "left", "right"):
            yield ProbeCycle(name=f"skew from {body} {side}", kind="edge angle", on=body, side=side)
    yield ProbeCycle(name="level of the top", kind="plane", on="stock")
    yield ProbeCycle(name="presence and seating", kind="presence", on="stock", action="measure")
    if setup.clamping.still:
        yield CONSISTENCY
    if holding.jaws is not None and not holding.jaws.vise.centring:
        yield ProbeCycle(name="fixed jaw", kind="surface", on="fixed jaw")
    if holding.jaws is not None:
        ends: tuple[Side, Side] = ("front", "back") if holding.jaws.axis == 0 else ("left", "right")
        for side in ends:
            yield ProbeCycle(name=f"{side} end of the jaw", kind="surface", on="jaw end", side=side)
        if holding.block("stop") is not None:
            yield ProbeCycle(name="stop", kind="surface", on="stop")
    for number, _dowel in enumerate(getattr(holding.hold, "dowels", ()), start=1):
        yield ProbeCycle(name=f"dowel {number}", kind="boss", on="dowel", dowel=number)
    yield ProbeCycle(name=f"Z from {holding.seat_name}", kind="surface", on="parallels")
    for face in holding.own.faces if holding.own is not None else ():
        yield ProbeCycle(name=f"fixture face {face.name}", kind="surface", on="fixture face", face=face.name)
    if holding.known_bore() is not None:
        yield ProbeCycle(name="fixture bore", kind="bore", on="fixture bore")
    if stands_round(setup.stock, setup.setup.orientation):
        yield ProbeCycle(name="stock as a boss: its middle", kind="boss", on="stock")
    yield ProbeCycle(name="bar: middle across, then its top", kind="bar", on="stock", axis="y")
    if holding.rotary_axis() is not None:
        yield ProbeCycle(name="rotary axis: a bar touched at 0 and 180°", kind="rotary axis", on="stock")


def values_of(cycle: ProbeCycle) -> tuple[str, ...]:
    """The fields that a cycle of this kind looks at, besides those of every cycle, in the order they are shown."""
    reads = ("reads",) if cycle.action == "set" else ()
    match cycle.kind:
        case "surface" if cycle.side == "top" or cycle.on == "parallels":
            return (*reads, "at_x", "at_y")
        case "surface" if cycle.on in OF_FIXTURE:
            return (*reads, "depth")
        case "surface" | "outside width" | "inside width":
            return (*reads, "moved", "depth")
        case "rectangle":
            return ("moved", "depth")
        case "bar" | "rotary axis":
            return ("depth",)
        case "bore" | "boss":
            return ("angles_deg", "depth")
        case "corner":
            # Two touches of an edge lie so far apart; a single one is moved along it.
            return ("spacing" if cycle.skew else "moved", "depth")
        case "edge angle":
            return ("moved", "spacing", "depth")
        case "plane":
            return (*reads, "tilt")
        case "consistency":
            return ("at_x", "at_y")
        case "presence":
            return ("below", "rise", "above")
        case _:
            assert_never(cycle.kind)


def add_cycle(job: Job, setup: int, cycle: ProbeCycle) -> Job:
    """Adds a cycle at the end; a name that is taken gets a number.  What was proposed becomes the setup's own."""
    cycles = cycles_of(_lying(job, setup), job.part.features)
    taken, name, number = {each.name for each in cycles}, cycle.name, 2
    while name in taken:
        name, number = f"{cycle.name} {number}", number + 1
    return _with(job, setup, (*cycles, cycle.model_copy(update={"name": name})))


def take_over(job: Job, setup: int) -> Job:
    """Makes the proposed cycles the setup's own, so that each can be changed."""
    return _with(job, setup, cycles_of(_lying(job, setup), job.part.features))


def propose_again(job: Job, setup: int) -> Job:
    """Back to what the datum asks for; cycles that only measure, or write another offset, stay."""
    kept = [
        cycle for cycle in job.setups[setup].probing.cycles or () if cycle.action == "measure" or cycle.into is not None
    ]
    names = {cycle.name for cycle in kept}
    proposed = [cycle for cycle in proposed_cycles(_lying(job, setup), job.part.features) if cycle.name not in names]
    return _with(job, setup, (*proposed, *kept) if kept else None)


def move_cycle(job: Job, setup: int, number: int, by: int) -> Job:
    cycles = list(cycles_of(_lying(job, setup), job.part.features))
    to = min(max(number + by, 0), len(cycles) - 1)
    cycles.insert(to, cycles.pop(number))
    return _with(job, setup, tuple(cycles))


def remove_cycle(job: Job, setup: int, number: int) -> Job:
    cycles = cycles_of(_lying(job, setup), job.part.features)
    if not 0 <= number < len(cycles):
        raise InvalidValueError("cycle", f"there is no step {number + 1} to remove")
    return _with(job, setup, cycles[:number] + cycles[number + 1 :])


def set_cycle(job: Job, setup: int, number: int, field: str, value: object) -> Job:
    """One value of a cycle; a proposed list becomes the setup's own with it."""
    if job.setups[setup].probing.cycles is None:
        job = take_over(job, setup)
    return set_value(job, ("setups", setup, "probing", "cycles", number, field), value)


def _with(job: Job, setup: int, cycles: tuple[ProbeCycle, ...] | None) -> Job:
    return set_value(job, ("setups", setup, "probing", "cycles"), cycles)
