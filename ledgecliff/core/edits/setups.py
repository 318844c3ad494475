"""Edits of setups: what holds the stock, what is cut, and which setups there are."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, assert_never, get_args

from ..changing import add_item, changed, free_name, move_item, remove_item, set_value
from ..errors import InvalidValueError
from ..frames import AXES, Axis
from ..holding.v_jaws import v_jaws_for
from ..model.holding import (
    BoardHold,
    Chuck,
    ChuckHold,
    Clamp,
    Dowel,
    Fixture,
    Hold,
    Jaws,
    Jig,
    JigHold,
    OwnHold,
    PlainJaws,
    Plate,
    PlateHold,
    ReferenceBore,
    Screw,
    SoftJaws,
    Spoilboard,
    StepJaws,
    Stop,
    VBlock,
    VBlockHold,
    Vise,
    ViseHold,
    VJaws,
)
from ..model.job import Job
from ..model.operations import Bore, EdgeBreak, Face, Hole, Operation, Outline, Pocket, Region, Seen, Slot
from ..model.orientation import PartDirection
from ..model.own_fixture import OwnFixture
from ..model.part import Feature
from ..model.pattern import Pattern
from ..model.setup import Setup
from ..model.stock import BarStock
from ..plan import Plan
from ..programs.targets import code_for_new
from ..sides.left import side_up
from .standing import Standing, with_standing
from .supports import with_support
from .vise_choices import JawKind

#: What holds a part or blank down on a plate or board.
HolderKind = Literal["dowel", "clamp", "screw", "support"]

OperationKind = Literal["face", "outline", "seen", "bore", "hole", "pocket", "slot", "region", "edge break"]
OPERATION_KINDS: tuple[OperationKind, ...] = get_args(OperationKind)
#: What each does.
CUT_WORDS: dict[OperationKind, str] = {
    "face": "face the top",
    "outline": "cut round the outline",
    "seen": "all that is seen from above",
    "bore": "bore right through",
    "hole": "hole to its depth",
    "pocket": "pocket to its floor",
    "slot": "slot to its floor",
    "region": "a rectangle to a depth",
    "edge break": "edge break",
}
#: Those that are made on a feature.
FEATURE_KINDS: tuple[OperationKind, ...] = ("hole", "bore", "pocket", "slot", "edge break")


# --- what holds it ------------------------------------------------------------------------------


def hold_with(job: Job, setup: int, standing: Standing) -> Job:
    """``setup`` held by what stands at a station, which comes to stand on the job's machine if it does not yet."""
    now = job.setups[setup]
    machine = with_standing(job.machine_of(now), standing)
    hold = first_hold(standing.fixture, now.hold)
    return held_at(set_value(job, job.machine_path(now), machine), setup, standing.station.id, hold)


def held_at(job: Job, setup: int, station: str, hold: Hold) -> Job:
    """``setup`` held so at a station of the machine."""
    held = job.setups[setup].model_copy(update={"station": station, "hold": hold})
    return set_value(job, ("setups", setup), held)


def first_hold(fixture: Fixture, now: Hold | None = None) -> Hold:
    """How a fixture holds at first; what the present hold of that kind says is kept."""
    if now is not None and now.by == fixture.kind:
        return now
    match fixture:
        case Vise():
            return ViseHold(
                parallels_height=max(fixture.jaw_height - max(fixture.grip_min, 5.0), 1.0),
                parallels_thickness=10.0,
                parallels_length=fixture.jaw_width,
            )
        case Plate():
            return PlateHold()
        case Spoilboard():
            return BoardHold(tape=0.2)
        case VBlock():
            return VBlockHold()
        case Chuck():
            return ChuckHold()
        case Jig():
            return JigHold(pocket="first")
        case OwnFixture():
            return OwnHold()
        case _:
            assert_never(fixture)


def with_jaws(job: Job, setup: int, wanted: JawKind | Jaws) -> Job:
    """Other jaws in the vise of a setup: given ones, or of a kind and sized to the vise until they are changed."""
    hold = job.setups[setup].hold
    assert isinstance(hold, ViseHold), "jaws belong to a vise"
    vise = job.machine_of(job.setups[setup]).fixture_at(job.setups[setup].station)
    assert isinstance(vise, Vise), "names are checked by the job"
    jaws: Jaws
    match wanted:
        case PlainJaws() | StepJaws() | SoftJaws() | VJaws():
            jaws = wanted
        case "v":
            size = job.stock.diameter.measured if isinstance(job.stock, BarStock) else vise.jaw_width / 3.0
            jaws = v_jaws_for(size)
        case "stepped":
            jaws = StepJaws(height=max(vise.jaw_height - max(vise.grip_min, 4.0), 1.0), depth=3.0)
        case "soft":
            jaws = SoftJaws(depth=min(8.0, vise.jaw_height / 2.0))
        case _:
            jaws = PlainJaws()
    # A groove says itself where the stock lies along the jaws.
    stop = None if isinstance(jaws, VJaws) else hold.stop
    second = hold.second if isinstance(jaws, PlainJaws | StepJaws) else None
    kept = hold.model_copy(update={"jaws": jaws, "stop": stop, "second": second})
    return set_value(job, ("setups", setup, "hold"), kept)


def with_reference_bore(job: Job, setup: int, wanted: bool) -> Job:
    bore = ReferenceBore(beside=30.0, behind=8.0, diameter=10.0, depth=10.0) if wanted else None
    return set_value(job, ("setups", setup, "hold", "jaws", "bore"), bore)


def with_mark(job: Job, setup: int, arm: object) -> Job:
    """A zero mark in the board with arms so long; none where no length is given."""
    hold = job.setups[setup].hold
    assert isinstance(hold, BoardHold), "marks are cut into boards"
    path = ("setups", setup, "hold", "mark")
    if arm is None:
        return set_value(job, path, None)
    if hold.mark is not None:
        return set_value(job, (*path, "arm"), arm)
    cutters = job.machine_of(job.setups[setup]).cutters
    # A cutter with a point makes the finest line, else the thinnest one.
    finest = min(cutters, key=lambda cutter: (cutter.shape != "slanted", cutter.diameter))
    return set_value(job, path, {"tool": finest.tool, "arm": arm})


def with_second(job: Job, setup: int, x: object) -> Job:
    """A second blank so far to the right of the first; none where no place is given."""
    hold = job.setups[setup].hold
    assert isinstance(hold, ViseHold | PlateHold), "a second blank stands in a vise or on a plate"
    path = ("setups", setup, "hold", "second")
    if x is None:
        return set_value(job, path, None)
    behind = 0.0 if hold.second is None else hold.second.y
    return set_value(job, path, {"x": x, "y": behind})


def with_stop(job: Job, setup: int, side: Literal["left", "right"] | None, *, at_jaw_end: bool = False) -> Job:
    """A stop at one side, or a block held across that end of the jaws while clamping; none where no side is named."""
    hold = job.setups[setup].hold
    assert isinstance(hold, ViseHold), "a stop belongs to a vise"
    vise = job.machine_of(job.setups[setup]).fixture_at(job.setups[setup].station)
    assert isinstance(vise, Vise), "names are checked by the job"
    height = hold.stop.height if hold.stop is not None else vise.jaw_height + 5.0
    stop = Stop(side=side, height=height, at_jaw_end=at_jaw_end) if side else None
    return set_value(job, ("setups", setup, "hold", "stop"), stop)


def add_holder(job: Job, setup: int, kind: HolderKind, plan: Plan) -> Job:
    """One more dowel or clamp on the plate, screw into the board, or support, where there is room for it.  Raises
    InvalidValueError where a support has nothing to carry."""
    if kind == "support":
        return with_support(plan, setup)
    low, high = plan.setups[setup].holding.u_stock
    width, depth = (float(value) for value in (high - low)[:2])
    hold = job.setups[setup].hold
    path = ("setups", setup, "hold")
    if isinstance(hold, PlateHold) and kind == "dowel":
        number = len(hold.dowels)
        diameter = 8.0
        places = ((-diameter / 2.0, depth / 2.0), (width / 3.0, -diameter / 2.0), (2.0 * width / 3.0, -diameter / 2.0))
        x, y = places[number % len(places)]
        return add_item(job, (*path, "dowels"), Dowel(x=x, y=y, diameter=diameter, height=8.0))
    if isinstance(hold, (PlateHold, JigHold, OwnHold)) and kind == "clamp":
        side: Literal["left", "right"] = "left" if len(hold.clamps) % 2 == 0 else "right"
        x = 8.0 if side == "left" else width - 8.0
        return add_item(job, (*path, "clamps"), Clamp(x=x, y=depth / 2.0, side=side))
    corners = ((6.0, 6.0), (width - 6.0, depth - 6.0), (6.0, depth - 6.0), (width - 6.0, 6.0))
    x, y = corners[len(getattr(hold, "screws", ())) % len(corners)]
    return add_item(job, (*path, "screws"), Screw(x=x, y=y))


# --- what is cut --------------------------------------------------------------------------------


def add_operation(
    job: Job, setup: int, kind: OperationKind, feature: str | None = None, tool: int | None = None
) -> Job:
    """One more operation at the end of a setup, on ``feature`` where its kind needs one; without a tool with one of the
    machine's first."""
    cutters = job.machine_of(job.setups[setup]).cutters
    tool = tool or (cutters[0].tool if kind == "face" else cutters[min(1, len(cutters) - 1)].tool)
    names = [operation.name for operation in job.setups[setup].operations]
    name = free_name(f"{kind} {feature}" if feature else kind, names)
    on = feature or ""
    made = (feature,) if feature else ()
    operation: Operation
    match kind:
        case "face":
            operation = Face(name=name, tool=tool)
        case "outline":
            operation = Outline(name=name, tool=tool)
        case "seen":
            operation = Seen(name=name, tool=tool)
        case "bore":
            operation = Bore(name=name, tool=tool, on=on, features=made)
        case "hole":
            operation = Hole(name=name, tool=tool, on=on, features=made)
        case "pocket":
            operation = Pocket(name=name, tool=tool, on=on, features=made)
        case "slot":
            operation = Slot(name=name, tool=tool, on=on, features=made)
        case "region":
            operation = Region(name=name, tool=tool, left=0.0, right=10.0, front=0.0, back=10.0, depth=1.0)
        case _:
            operation = EdgeBreak(name=name, tool=tool, on=(on,), features=made)
    return add_item(job, ("setups", setup, "operations"), operation)


def features_for(kind: OperationKind, job: Job) -> tuple[Feature, ...]:
    """Named features that an operation of ``kind`` can be made on; empty for kinds that need none."""
    match kind:
        case "bore" | "hole":
            wanted = [f for f in job.part.features if f.kind in ("hole", "bore", "counterbore") and f.is_round()]
        case "pocket":
            wanted = [f for f in job.part.features if f.kind == "pocket"]
        case "slot":
            wanted = [f for f in job.part.features if f.kind == "slot"]
        case "edge break":
            wanted = [f for f in job.part.features if f.kind in ("edge break", "chamfer", "countersink")]
        case _:
            wanted = []
    return tuple(wanted)


def with_tabs_at(job: Job, setup: int, index: int, text: str | None) -> Job:
    """Tabs of an outline at places typed as percent of the way round, such as ``10 35 60 85``; none for evenly."""
    shares = []
    for word in (text or "").replace(",", " ").replace("%", " ").split():
        try:
            shares.append(float(word) / 100.0)
        except ValueError:
            raise InvalidValueError("tabs at", f"'{word}' is no number; give percent, such as 10 35 60 85") from None
    return set_value(job, ("setups", setup, "operations", index, "tabs_at"), tuple(shares))


def tabs_at_words(shares: Iterable[float]) -> str:
    return " ".join(f"{100.0 * share:g}" for share in shares)


def remove_operation(job: Job, setup: int, index: int) -> Job:
    """Takes an operation out; probing that waits for it is told first."""
    name = job.setups[setup].operations[index].name
    waits = next((cycle.name for cycle in job.setups[setup].probing.cycles or () if cycle.after == name), None)
    if waits is not None:
        raise InvalidValueError("operation", f"the probing step '{waits}' runs after it; let that run at another time")
    job = _not_over_groups(job, setup, name)
    return remove_item(job, ("setups", setup, "operations"), index)


def _not_over_groups(job: Job, setup: int, name: str) -> Job:
    """No operation of that name runs over groups of a pattern."""
    pattern = job.setups[setup].pattern
    if pattern is None or name not in pattern.over_groups:
        return job
    left = tuple(each for each in pattern.over_groups if each != name)
    return set_value(job, ("setups", setup, "pattern", "over_groups"), left)


def _fresh(pattern: Pattern | None) -> Pattern | None:
    """A pattern for another setup: its stations and groups, without what was done there and the offsets it has."""
    if pattern is None:
        return None
    return pattern.model_copy(update={"instances": (), "codes": (), "over_groups": ()})


def rename_operation(job: Job, setup: int, index: int, name: str) -> Job:
    """Another name, and probing that waits for the operation follows."""
    data = job.model_dump()
    here = data["setups"][setup]
    old = here["operations"][index]["name"]
    here["operations"][index]["name"] = name
    for cycle in here["probing"]["cycles"] or ():
        cycle["after"] = name if cycle["after"] == old else cycle["after"]
    if here["pattern"] is not None:
        swept = here["pattern"]["over_groups"]
        here["pattern"]["over_groups"] = [name if each == old else each for each in swept]
    return set_value(job, (), data)


def move_operation(job: Job, setup: int, index: int, by: int) -> Job:
    return move_item(job, ("setups", setup, "operations"), index, by)


def with_assumed_stock(job: Job, setup: int, axis: Axis, mm: float | None, plan: Plan) -> Job:
    """The block a setup's programs were made for with one side changed, or none at all.

    Sides that were not entered yet take the stock as it comes in.
    """
    path = ("setups", setup, "stock_assumed")
    if mm is None:
        return set_value(job, path, None)
    low, high = plan.setups[setup].holding.u_stock
    size = job.setups[setup].stock_assumed
    sides = size.as_tuple() if size else tuple(float(side) for side in high - low)
    return set_value(job, path, dict(zip(AXES, sides, strict=True)) | {axis: mm})


# --- which setups there are ---------------------------------------------------------------------


def next_name(setups: Iterable[Setup]) -> str:
    """Ten more than the highest number among ``setups``, as in *Op 30*."""
    names = [setup.name for setup in setups]
    numbers = [int(words[1]) for name in names if len(words := name.split()) == 2 and words[1].isdigit()]
    return free_name(f"Op {max(numbers, default=0) + 10}", names)


def add_setup(job: Job, up: PartDirection, plan: Plan, new_id: str) -> Job:
    """One more setup of the id ``new_id`` after the last, held like it, with ``up`` up and all that is seen from there
    cut."""
    last = job.setups[-1]
    setup = last.model_copy(
        update={
            "id": new_id,
            "name": next_name(job.setups),
            "side": "",
            "orientation": side_up(up, plan.geometry),
            "offset": code_for_new(job, last),
            "operations": (Seen(name="all seen from here", tool=job.machine_of(last).cutters[0].tool),),
            "stock_assumed": None,
            "pattern": _fresh(last.pattern),
        }
    )
    return add_item(job, ("setups",), setup)


def copy_setup(job: Job, index: int, new_id: str) -> Job:
    """The same setup once more, right after itself: of the id ``new_id``, under the next name."""
    setup = job.setups[index]
    code = code_for_new(job, setup)
    copy = setup.model_copy(update={"id": new_id, "name": next_name(job.setups), "offset": code})
    copy = copy.model_copy(update={"pattern": _fresh(setup.pattern)})
    return add_item(job, ("setups",), copy, index + 1)


def remove_setup(job: Job, index: int) -> Job:
    """What was done beside the machine before it is done before the one that comes after it."""
    gone = job.setups[index].id
    after = job.setups[index + 1].id if index + 1 < len(job.setups) else None
    steps = tuple(
        step.model_copy(update={"before": after}) if step.before == gone else step for step in job.bench
    )  # fmt: skip
    left = tuple(setup for k, setup in enumerate(job.setups) if k != index)
    return changed(job, {"setups": left, "bench": steps})


def move_setup(job: Job, index: int, by: int) -> Job:
    return move_item(job, ("setups",), index, by)
