"""What enters the error between both sides of a part, by what registers the turn.

Standard uncertainties add by their squares, and twice their root holds 95 % (JCGM 100).
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import assert_never

from ..carried import hangs_on_place, in_one_place
from ..datums import datum_words
from ..frames import AXES, Axis
from ..holding.contact import is_raw_against
from ..holding.giving_place import BESIDE_THE_PART, BY_HAND, gives_place
from ..model.holding import SoftJaws, ViseHold, VJaws
from ..model.orientation import PartDirection, direction_name, exact_direction, shown
from ..model.setup import FROM_BEFORE, DatumSource, Setup
from ..probing.round_steps import FREE_SIDE
from ..probing.spokes import spoke_factors
from ..scatter import Scatter
from ..setup_plan import SetupPlan
from ..turned_zero import TurnedOff, turned_off

#: Sources that are touched at what holds the part, against which the part itself may lie off.
OF_FIXTURE: tuple[DatumSource, ...] = ("fixed jaw", *BESIDE_THE_PART, "parallels", "fixture bore")


@dataclass(frozen=True)
class Contribution:
    """One thing that enters, and how far it may be off (mm)."""

    name: str
    scatter: Scatter

    @property
    def standard(self) -> float:
        return self.scatter.standard


def expected_error(parts: Iterable[Contribution]) -> float:
    """What 95 % stay within (mm): twice the root of the squares' sum."""
    return 2.0 * math.sqrt(sum(part.standard**2 for part in parts))


@dataclass(frozen=True)
class Surface:
    """The physical surfaces that give one axis: part directions of faces, none for what is no face, and words."""

    faces: frozenset[PartDirection]
    words: str
    by_jaw: bool = False

    @property
    def is_centre(self) -> bool:
        return len(self.faces) == 2


def surface_of(plan: SetupPlan, axis: Axis) -> Surface:
    """What gives the zero of an axis, named as it is on the part, so that it can be followed through."""
    datum, k = plan.setup.datum.axis(axis), AXES.index(axis)
    plus = direction_name(plan.setup.orientation.matrix()[k])
    minus = direction_name(-plan.setup.orientation.matrix()[k])
    body = datum.source.split()[0]
    if _has_faces(datum.source) and not _lies_along(plan, axis):
        # Where the part does not lie square, an edge or a round is outermost and no face.
        return Surface(frozenset(), f"{datum.source} along {axis.upper()}")
    match datum.source:
        case "stock minus side" | "part minus side":
            return Surface(frozenset({minus}), f"{body} side {shown(minus)}")
        case "stock plus side" | "part plus side":
            return Surface(frozenset({plus}), f"{body} side {shown(plus)}")
        case "stock centre" | "part centre":
            return Surface(frozenset({minus, plus}), f"{body} centre, part {plus[1]}")
        case "fixed jaw":
            return _at_jaw(plan, plus, minus)
        case "fixture value" if _between_jaws(plan, k):
            return Surface(frozenset({minus, plus}), f"middle between the jaws, part {plus[1]}", by_jaw=True)
        case "feature" | "feature minus side" | "feature plus side":
            return Surface(frozenset(), datum_words(axis, datum))
        case "stock top" | "part top" if _lies_along(plan, axis):
            return Surface(frozenset({plus}), f"{body} top {shown(plus)}")
        case "parallels" | "fixture value" | "carried over" | "rotary index" | "fixture face" if (
            axis == "z" and _lies_along(plan, axis)
        ):
            # Known is what the part lies on, and on that lies its underside.
            return Surface(frozenset({minus}), f"{datum.source}, under part side {shown(minus)}")
        case "jaw minus end" | "jaw plus end" | "stop" | "dowel" | "fixture face":
            return Surface(frozenset(), datum_words(axis, datum))
        case (
            "stock top" | "part top" | "parallels" | "fixture bore" | "fixture value" | "rotary axis" | "carried over"
            | "rotary index"
        ):  # fmt: skip
            return Surface(frozenset(), datum.source)
        case _:
            assert_never(datum.source)


def _between_jaws(plan: SetupPlan, k: int) -> bool:
    """Whether jaws that centre hold the part along X (0) or Y (1): then its own middle is at the fixture's place."""
    jaws = plan.holding.jaws
    return jaws is not None and jaws.vise.centring and jaws.axis == k


def _at_jaw(plan: SetupPlan, plus: PartDirection, minus: PartDirection) -> Surface:
    """The face at the fixed jaw, which stands on the side towards which the part is pushed."""
    jaws = plan.holding.jaws
    face = plus if jaws is not None and jaws.toward > 0 else minus
    return Surface(frozenset({face}), f"fixed jaw, against part side {shown(face)}", by_jaw=True)


def contributions(
    before: SetupPlan | None,
    after: SetupPlan,
    axis: Axis,
    worst_play: float | None = None,
    *,
    taken_out: bool = True,
) -> tuple[Contribution, ...]:
    """Everything between what was cut before and what is cut after, along a machine axis of the setup after; without a
    setup before, between what gives the zero and what is cut.

    ``worst_play`` is what pins, frame or jig leave at the place that is looked at (mm); where the part is not
    ``taken_out`` in between, it is where it was.
    """
    source = after.setup.datum.axis(axis).source
    machine = after.machine
    parts = [Contribution("machine, where a cut lands", machine.landing)]
    if before is not None and after.moved_before > 0.0:
        parts.append(Contribution("what treatment in between has moved", Scatter("even", after.moved_before)))
    if worst_play is not None:
        parts.append(Contribution("play in what registers it", Scatter("even", worst_play)))
        # Bores, slots and pockets are cut by the machine too.
        return (*parts, Contribution("machine, where those were cut", machine.landing))
    if source not in (*FROM_BEFORE, "fixture value"):
        parts.append(_touches(after, axis))
    if source in OF_FIXTURE:
        parts.append(_untouched(after, axis))
    stays = source in FROM_BEFORE and not taken_out
    hangs = before is not None and hangs_on_place(before.setup, after.setup, axis)
    if stays:
        parts += left_by_axes(after.clamping.turned, after.setup, AXES.index(axis))
    elif before is not None and not taken_out and source == "fixture value":
        turned = turned_off(machine, before.setup, after.setup, after.located.m_offset)
        parts += left_by_axes(turned, after.setup, AXES.index(axis))
        # Cut both times from where it was clamped once, however it lies there.
        stays = hangs
    untouched = source in (*FROM_BEFORE, "fixture value") and not stays
    if untouched:
        parts.append(_untouched(after, axis))
        if before is not None and hangs:
            parts.append(_untouched(before, axis, " in the setup before"))
    if source == "carried over" and before is not None and not in_one_place(before.setup, after.setup):
        # Where the other fixture stands is known as well as an offset is put in by eye.
        parts.append(Contribution("where the other fixture stands", Scatter("even", after.setup.probing.guess)))
    jaws = after.setup.hold.jaws if isinstance(after.setup.hold, ViseHold) else None
    if source in ("fixture bore", "fixture value") and isinstance(jaws, SoftJaws) and not stays:
        parts.append(Contribution("clearance in the soft jaws", Scatter("even", jaws.clearance)))
        if source == "fixture value":
            parts.append(Contribution("machine, where the jaws were cut", machine.landing))
    size = 0.0 if before is None or stays else _size_between(before, after, axis)
    if before is not None and (untouched or source in BESIDE_THE_PART) and axis != "z":
        centred = _between_jaws(after, AXES.index(axis))
        size = _size_centred(before, after, axis) if centred else _size_leant_on(after, axis)
    if size > 0.0:
        parts.append(Contribution("the blank's size, since another surface is used", Scatter("even", size)))
    return tuple(part for part in parts if part.standard > 0.0)


def left_by_axes(turned: Iterable[TurnedOff], setup: Setup, k: int) -> list[Contribution]:
    """What the centres of the axes that have turned it since the setup before leave along X (0), Y (1) or Z (2), and
    how those repeat."""
    unsaid = Scatter("even", setup.probing.guess, origin="assumed")
    return [
        Contribution(
            f"where the centre of {each.rotary.name} is" + (", and how it repeats" if each.repeat is not None else ""),
            each.scatter(k) or unsaid,
        )
        for each in turned
    ]


def _touches(plan: SetupPlan, axis: Axis) -> Contribution:
    """What touching what gives an axis its zero may be off."""
    datum, reading = plan.setup.datum.axis(axis), plan.machine.probe.reading
    if datum.source == "dowel":
        # Touched on its free side alone: at worst along the way the stock is.
        factor = max(spoke_factors((-FREE_SIDE, 0.0, FREE_SIDE))[:2])
        return Contribution("three touches of a dowel's free side", replace(reading, size=factor * reading.size))
    feature = next((each for each in plan.features if each.name == datum.feature), None)
    one_wall = feature is not None and (axis == "z" or feature.kind == "face")
    if not one_wall and datum.source in ("feature", "fixture bore", "stock centre", "part centre"):
        return Contribution("two touches, averaged", reading.averaged(2))
    return Contribution("one touch", reading)


def _untouched(plan: SetupPlan, axis: Axis, when: str = "") -> Contribution:
    """How far the part may lie off where it is not touched: as it is clamped, or as a hand has put it."""
    if axis == "z" or gives_place(plan.holding, AXES.index(axis)):
        return Contribution(
            f"clamping, where the part comes to lie{when}", plan.holding.clamping_along(AXES.index(axis))
        )
    return Contribution(f"put there by hand{when}, against nothing", BY_HAND)


def _size_leant_on(after: SetupPlan, axis: Axis) -> float:
    """How much a size that varies enters where the part is not touched but pushed against something (mm)."""
    k, matrix = AXES.index(axis), after.setup.orientation.matrix()
    if not gives_place(after.holding, k):
        return 0.0
    varies = float(after.setup.orientation.sizes(after.spread)[k])
    if after.holding.own is not None:
        # A bore over a spigot was cut; of the rest counts what is really met.
        over = after.holding.spigot_play is not None
        return varies if not over and is_raw_against(after.holding, k) else 0.0
    if after.holding.in_groove:
        return _size_in_groove(after, k, varies)
    if not _lies_along(after, axis):
        return varies
    plus, minus = direction_name(matrix[k]), direction_name(-matrix[k])
    if after.holding.jaws is not None and after.holding.jaws.axis == k:
        return varies if _is_raw(after, _at_jaw(after, plus, minus)) else 0.0
    # A stop or pins stand at either end.
    return varies if _is_raw(after, Surface(frozenset({plus, minus}), "")) else 0.0


def _size_in_groove(after: SetupPlan, k: int, varies: float) -> float:
    """A round that is thicker by so much has its middle further from the groove by half of that over the sine of half
    the groove's angle; along the groove's width, or between two grooves that close alike, it stays in the middle."""
    jaws, hold = after.holding.jaws, after.setup.hold
    assert jaws is not None and isinstance(hold, ViseHold) and isinstance(hold.jaws, VJaws), "a groove is in jaws"
    centred = jaws.vise.centring and hold.jaws.both
    if k != jaws.axis or centred or (after.grip is not None and after.grip.surface == "finished"):
        return 0.0
    return varies / 2.0 / math.sin(math.radians(hold.jaws.angle_deg) / 2.0)


def _size_centred(before: SetupPlan, after: SetupPlan, axis: Axis) -> float:
    """How much a size that varies enters where the part's middle is at the fixture's place, whatever its size (mm):
    nothing where the setup before took its zero from the same middle too.

    Where it took a side, that side is off by half the size.  A zero that is carried over is off with it: by nothing
    where the part lies along that axis as before, by all of it where it has been turned over.
    """
    k, carried = AXES.index(axis), after.setup.datum.axis(axis).source in FROM_BEFORE
    lies, lay = after.setup.orientation.matrix()[k], before.setup.orientation.matrix()[k]
    plus, minus = direction_name(lies), direction_name(-lies)
    varies = float(after.setup.orientation.sizes(after.spread)[k])
    if not _lies_along(after, axis) or (carried and direction_name(lay)[1] != plus[1]):
        return varies
    middle = Surface(frozenset({plus, minus}), "", by_jaw=True)
    then = _surface_across(before, plus[1])
    if then is None or not _is_raw(after, middle) or (then.faces == middle.faces and not _is_half_raw(after, middle)):
        return 0.0
    if carried:
        return 0.0 if direction_name(lay) == plus else varies
    return varies / 2.0


def _size_between(before: SetupPlan, after: SetupPlan, axis: Axis) -> float:
    """How much a size that varies enters, when raw stock gives an axis by another surface than before (mm)."""
    source = after.setup.datum.axis(axis).source
    upright = axis == "z" and source in ("part top", "parallels", "fixture value", "fixture face", *FROM_BEFORE)
    if not (source.startswith("stock") or source == "fixed jaw" or upright):
        return 0.0
    if not _lies_along(after, axis):
        # All of it may enter: which surface gave that before is no one's.
        return float(after.setup.orientation.sizes(after.spread)[AXES.index(axis)])
    now = surface_of(after, axis)
    letter = next(iter(now.faces))[1]
    then = _surface_across(before, letter)
    if then is None or not _is_raw(after, now) or (then.faces == now.faces and not _is_half_raw(after, now)):
        return 0.0
    varies = after.spread["XYZ".index(letter)]
    return varies / 2.0 if now.is_centre or then.is_centre else varies


def _has_faces(source: DatumSource) -> bool:
    return source == "fixed jaw" or (source.split()[-1] in ("side", "centre") and not source.startswith("feature"))


def _lies_along(plan: SetupPlan, axis: Axis) -> bool:
    """Whether a part direction lies along a machine axis."""
    return exact_direction(plan.setup.orientation.matrix()[AXES.index(axis)]) is not None


def _surface_across(plan: SetupPlan, letter: str) -> Surface | None:
    """What gave, in a setup, the axis that lies along a part axis; None where none does."""
    matrix = plan.setup.orientation.matrix()
    for axis in AXES:
        if direction_name(matrix[AXES.index(axis)])[1] == letter:
            return surface_of(plan, axis)
    return None


def _is_raw(plan: SetupPlan, surface: Surface) -> bool:
    """Whether any of the faces is still the blank's own; of the fixed jaw, what it grips."""
    from ..sides.order import is_raw_at

    if surface.by_jaw:
        return plan.grip is None or plan.grip.surface != "finished"

    return any(is_raw_at(plan.before, "XYZ".index(face[1]), high=face[0] == "+") for face in surface.faces)


def _is_half_raw(plan: SetupPlan, surface: Surface) -> bool:
    """Whether some of the faces are finished while others are still raw: then the middle between them is another than
    the blank's own."""
    if surface.by_jaw:
        return plan.grip is not None and plan.grip.surface == "raw and finished"
    raw = [_is_raw(plan, Surface(frozenset({face}), "")) for face in surface.faces]
    return any(raw) and not all(raw)
