"""Fields of how a setup holds its stock, by fixture and jaws."""

from __future__ import annotations

from collections.abc import Callable

from ledgecliff.core.changing import Path
from ledgecliff.core.edits.lying import lay_by_places
from ledgecliff.core.edits.own_fixtures import own_fixture
from ledgecliff.core.edits.setups import with_assumed_stock, with_mark, with_second
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.model.holding import (
    BoardHold,
    ChuckHold,
    Hold,
    JigHold,
    OwnHold,
    PlainJaws,
    PlateHold,
    SoftJaws,
    StepJaws,
    VBlockHold,
    ViseHold,
    VJaws,
    supports_of,
)
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit

from .field_table import FieldSpec, Section, length
from .own_fixture_fields import own_sections

#: Of the choice how a vise closes, which the shop's library and the hold lens have alike.
CLOSES_HELP = "One jaw stands fast, or both close alike, so that the middle of every part lies at one place."
CLOSES: tuple[tuple[str, bool], ...] = (("on a fixed jaw", False), ("to the middle", True))

#: To which sides a chuck may open.
OPENS: tuple[tuple[str, str], ...] = (("to the right", "right"), ("to the left", "left"), ("up, standing", "up"))

PlanNow = Callable[[], Plan]


def names_section(setup: int) -> Section:
    """What a setup is called."""
    return Section(
        "This setup",
        (
            FieldSpec("Name", ("setups", setup, "name"), "text", "On the route, the sheet and in its programs."),
            FieldSpec("Side", ("setups", setup, "side"), "text", "Which side of the part is up, in your words."),
        ),
    )


def places_section(setup: int, unit_now: Callable[[], Unit]) -> Section:
    """How the part lies, said by three of its places."""
    why = (
        "Three places with semicolons between: a first one, one towards +X from it, one towards +Y. Names of features, "
        "or part coordinates such as 10, 0, 25."
    )
    path = ("setups", setup, "orientation")

    def lay(job: Job, text: object) -> Job:
        return lay_by_places(job, setup, str(text), unit_now()) if str(text).strip() else job

    return Section("Or as three places say", (FieldSpec("Places", path, "text", why, True, lay, lambda _value: ""),))


def hold_sections(job: Job, setup: int, plan_now: PlanNow) -> tuple[Section, ...]:
    """Fields of how a setup holds its stock, and of the fixture that does; ``plan_now`` is the plan of the day."""
    hold = job.setups[setup].hold
    path = ("setups", setup, "hold")
    fixture = fixture_path(job, setup)
    match hold:
        case ViseHold():
            beside = (_second_x(setup),) if isinstance(hold.jaws, PlainJaws | StepJaws) else ()
            second = (Section("Second blank in the same jaws", beside),) if beside else ()
            vise = _vise_hold(hold, path, fixture)
            return (*vise, *_supports(hold, path), *second, *_assumed(setup, plan_now))
        case PlateHold():
            return (
                *_place(hold, path, "plate"),
                *_dowels(hold, path),
                *_clamps(hold, path),
                *_supports(hold, path),
                _second_on_plate(setup, hold),
                *_assumed(setup, plan_now),
            )
        case BoardHold():
            tape = length("Tape, thick", "Blank: no tape under the stock.", *path, "tape", optional=True)
            cut = length("May be cut", "How deep tools may go into the board.", *fixture, "may_cut")
            return (
                *_place(hold, path, "board"),
                Section("Tape and board", (tape, _tape_holds(path), cut)),
                *_screws(hold, path),
                *_fence(hold, path),
                *_supports(hold, path),
                _mark(setup, hold, path),
                *_assumed(setup, plan_now),
            )
        case VBlockHold():
            fields = (
                length("Beside the middle", "Moves the bar along the groove.", *path, "beside"),
                length("Strap, wide", "Blank: nothing holds it down.", *path, "strap", optional=True),
                length("Groove, wide", "Width of the groove at its top.", *fixture, "groove"),
                FieldSpec("Groove angle", (*fixture, "angle_deg"), "angle", "Between both flanks."),
            )
            return (Section("In the V-block", fields), *_supports(hold, path), *_assumed(setup, plan_now))
        case ChuckHold():
            fields = (
                length("Grip", "How deep the stock stands in the jaws.", *path, "grip"),
                length("Chuck, wide", "Diameter of its body, which the probe must clear.", *fixture, "diameter"),
                length("Height", "Over the table: its axis, of one that stands its face.", *fixture, "height"),
                length("Repeats within", "How far stock may lie off the axis.", *fixture, "seat_scatter"),
            )
            return (Section("In the chuck", fields), *_assumed(setup, plan_now))
        case OwnHold():
            own = own_fixture(job, setup)
            sections = own_sections(own, hold, path, fixture, setup)
            return (*sections, *_clamps(hold, path), *_assumed(setup, plan_now))
        case JigHold():
            return (*_jig(hold, path, fixture), *_clamps(hold, path), *_assumed(setup, plan_now))


def _fence(hold: BoardHold, path: Path) -> tuple[Section, ...]:
    if hold.fence is None:
        return ()
    return (
        Section(
            f"Fence at the {hold.fence.side}",
            (
                length("Long", "Along the stock's side, its middle at that one's.", *path, "fence", "length"),
                length("Wide", "Of what is left once its edge is cut.", *path, "fence", "width"),
                length("High", "Over the board; no tool may go lower beside it.", *path, "fence", "height"),
                length("Comes off", "How far its edge stands proud before it is cut.", *path, "fence", "cut"),
            ),
        ),
    )


def _supports(hold: Hold, path: Path) -> tuple[Section, ...]:
    return tuple(
        Section(
            f"Support {number}",
            (
                length("X", "Of its middle, from the stock's left side.", *path, "supports", number - 1, "x"),
                length("Y", "Of its middle, from the stock's front side.", *path, "supports", number - 1, "y"),
                length("Long", "Along machine X.", *path, "supports", number - 1, "length"),
                length("Wide", "Along machine Y; how high it is left, the tape says.",
                       *path, "supports", number - 1, "width"),
                length("Comes off", "How far its top stands proud before it is cut.",
                       *path, "supports", number - 1, "cut"),
            ),
        )
        for number in range(1, len(supports_of(hold)) + 1)
    )  # fmt: skip


def _mark(setup: int, hold: BoardHold, path: Path) -> Section:
    why = "From its middle, which is X0 Y0; cut into the bare board, to find the zero again. Blank: there is none."
    change = lambda job, arm: with_mark(job, setup, arm)  # noqa: E731
    fields = [FieldSpec("Arms, long", (*path, "mark", "arm"), "length", why, True, change)]
    if hold.mark is not None:
        zero = "A work offset whose Z0 is the bare board's top; blank: the setup's own zero."
        fields += [
            length("Deep", "Into the board.", *path, "mark", "depth"),
            FieldSpec("Tool", (*path, "mark", "tool"), "count", "The cutter that cuts it; one with a point is finest."),
            FieldSpec("Feed", (*path, "mark", "feed"), "feed", "Of its program."),
            FieldSpec("Spindle", (*path, "mark", "spindle"), "count", "Revolutions a minute, of its program."),
            FieldSpec("Board's zero", (*path, "mark", "offset"), "text", zero, True),
        ]
    return Section("Zero mark in the board", tuple(fields))


def _second_x(setup: int) -> FieldSpec:
    why = "How far to the right of the first it stands; blank: there is none. One movement clamps both."
    path = ("setups", setup, "hold", "second", "x")
    return FieldSpec("Beside, X", path, "length", why, True, lambda job, x: with_second(job, setup, x))


def _second_on_plate(setup: int, hold: PlateHold) -> Section:
    fields = [_second_x(setup)]
    if hold.second is not None:
        fields.append(length("Behind, Y", "How far behind the first it lies.", "setups", setup, "hold", "second", "y"))
    return Section("Second blank under the same clamps", tuple(fields))


def _tape_holds(path: Path) -> FieldSpec:
    return FieldSpec(
        "Tape holds", (*path, "tape_holds"), "count", "N/cm² in shear, as its maker states; a third counts."
    )


def fixture_path(job: Job, setup: int) -> tuple[str | int, ...]:
    """Where the fixture that holds a setup stands in the job."""
    held = job.setups[setup]
    machine = job.machine_of(held)
    return (*job.machine_path(held), "fixtures", machine.fixtures.index(machine.fixture_at(held.station)))


def _vise_hold(hold: ViseHold, path: Path, fixture: Path) -> tuple[Section, ...]:
    match hold.jaws:
        case StepJaws():
            under = Section(
                "Jaw steps",
                (
                    length("Height", "Of the steps above the vise's bed.", *path, "jaws", "height"),
                    length("Depth", "How far the steps stand out under the stock.", *path, "jaws", "depth"),
                ),
            )
        case SoftJaws(bore=bore):
            fields = [
                length("Cut depth", "Below the jaw tops; its floor is the seat.", *path, "jaws", "depth"),
                length("Clearance", "How far the cut stands off the outline.", *path, "jaws", "clearance"),
            ]
            if bore is not None:
                fields += [
                    length("Bore beside", "Right of the middle of the jaws.", *path, "jaws", "bore", "beside"),
                    length("Bore behind", "Behind the fixed jaw's face.", *path, "jaws", "bore", "behind"),
                    length("Bore diameter", "Of the reference bore.", *path, "jaws", "bore", "diameter"),
                    length("Bore depth", "Of the reference bore.", *path, "jaws", "bore", "depth"),
                ]
            under = Section("Soft jaws", tuple(fields))
        case _:
            height = "Sets how high the part sits in the jaws, and so the grip."
            under = Section(
                "Parallels",
                (
                    length("Height", height, *path, "parallels_height"),
                    length("Thickness", "Two of them must fit between the jaws.", *path, "parallels_thickness"),
                    length("Length", "What stands out beside the part can be probed.", *path, "parallels_length"),
                ),
            )
    vise = Section(
        "Vise",
        (
            length("Jaw height", "Above the bed. Grip = jaw height less parallels.", *fixture, "jaw_height"),
            length("Jaw width", "Along the jaws.", *fixture, "jaw_width"),
            length("Opens to", "Largest distance between the jaws.", *fixture, "opening_max"),
            length("Bed height", "Of the bed over the table; 0 where it is not known.", *fixture, "bed_height"),
            length("Least grip", "Less than this and the part can be pulled out.", *fixture, "grip_min"),
            length("Repeats within", "How unsure the part's place is after clamping.", *fixture, "clamping_scatter"),
            length("Rises when clamped", "How far the moving jaw may raise the part.", *fixture, "lift"),
            length("Beside the middle", "Moves the part along the jaws, machine +X.", *path, "beside"),
        ),
    )
    if isinstance(hold.jaws, VJaws):
        return Section("Groove", groove_fields((*path, "jaws"))), under, vise
    if hold.stop is None:
        return under, vise
    stop = length("Height", "Of the stop above the vise's bed.", *path, "stop", "height")
    return under, vise, Section("Stop", (stop,))


def groove_fields(path: Path) -> tuple[FieldSpec, ...]:
    """Of jaws with a groove for round stock upright."""
    return (
        length("Groove, wide", "At the jaw's face; the stock must lie on both its flanks.", *path, "width"),
        FieldSpec("Groove angle", (*path, "angle_deg"), "angle", "Between both flanks."),
    )


def _jig(hold: JigHold, path: Path, fixture: Path) -> tuple[Section, ...]:
    pocket = (*fixture, hold.pocket)
    return (
        Section(
            f"The {hold.pocket} pocket",
            (
                length("Depth", "Below the jig's top; the part sinks by it.", *pocket, "depth"),
                length("X", "Of its middle, from the jig's zero.", *pocket, "x"),
                length("Y", "Of its middle, from the jig's zero.", *pocket, "y"),
                length("Tape, thick", "Blank: no tape under the stock.", *path, "tape", optional=True),
            ),
        ),
        jig_section(fixture),
    )


def jig_section(fixture: Path) -> Section:
    """What both pockets of a jig share."""
    return Section(
        "The jig",
        (
            length("Length", "Along machine X.", *fixture, "length"),
            length("Width", "Along machine Y.", *fixture, "width"),
            length("Thickness", "Over the table.", *fixture, "thickness"),
            length("Clearance", "How much wider pockets are all round.", *fixture, "clearance"),
            length("Cutter", "Diameter of what cuts the pockets.", *fixture, "cutter"),
            length("Zero hole", "Its diameter.", *fixture, "zero_diameter"),
            length("Least grip", "A shallower pocket holds nothing.", *fixture, "grip_min"),
        ),
    )


def _place(hold: PlateHold | BoardHold, path: Path, on: str) -> tuple[Section, ...]:
    """Where the stock lies; nothing to type where the turn's registration says it."""
    if hold.registered:
        return ()
    return (
        Section(
            f"Place on the {on}",
            (
                length("X", f"Middle of the stock, right of the {on}'s middle.", *path, "x"),
                length("Y", f"Middle of the stock, behind the {on}'s middle.", *path, "y"),
            ),
        ),
    )


def _dowels(hold: PlateHold, path: Path) -> tuple[Section, ...]:
    return tuple(
        Section(
            f"Dowel {number}",
            (
                length("X", "From the stock's left side.", *path, "dowels", number - 1, "x"),
                length("Y", "From the stock's front side.", *path, "dowels", number - 1, "y"),
                length("Diameter", "Of the pin.", *path, "dowels", number - 1, "diameter"),
                length("Height", "Over the plate.", *path, "dowels", number - 1, "height"),
            ),
        )
        for number in range(1, len(hold.dowels) + 1)
    )


def _clamps(hold: PlateHold | JigHold | OwnHold, path: Path) -> tuple[Section, ...]:
    return tuple(
        Section(
            f"Clamp {number}, from the {clamp.side}",
            (
                length("X", "Of its nose, from the stock's left side.", *path, "clamps", number - 1, "x"),
                length("Y", "Of its nose, from the stock's front side.", *path, "clamps", number - 1, "y"),
                length("Reach", "How far its nose lies on the stock.", *path, "clamps", number - 1, "reach"),
                length("Height", "Over where it presses.", *path, "clamps", number - 1, "height"),
            ),
        )
        for number, clamp in enumerate(hold.clamps, start=1)
    )


def _screws(hold: BoardHold, path: Path) -> tuple[Section, ...]:
    return tuple(
        Section(
            f"Screw {number}",
            (
                length("X", "From the stock's left side.", *path, "screws", number - 1, "x"),
                length("Y", "From the stock's front side.", *path, "screws", number - 1, "y"),
                length("Head", "Diameter of its head.", *path, "screws", number - 1, "head_diameter"),
            ),
        )
        for number in range(1, len(hold.screws) + 1)
    )


def _assumed(setup: int, plan_now: PlanNow) -> tuple[Section, ...]:
    why = "Compared with what the setup before leaves. Blank: nothing is compared."
    least = "A wall or floor thinner than this while it is clamped is a finding."

    def change(axis: Axis) -> Callable[[Job, float | None], Job]:
        return lambda job, mm: with_assumed_stock(job, setup, axis, mm, plan_now())

    fields = tuple(
        FieldSpec(
            f"Machine {axis.upper()}", ("setups", setup, "stock_assumed", axis), "length", why, optional=True,
            change=change(axis),
        )
        for axis in AXES
    )  # fmt: skip
    return (
        Section("Stock its programs were made for", fields),
        Section("While it is clamped", (length("Least wall", least, "setups", setup, "least_wall"),)),
    )
