"""Edits of what is done beside the machine."""

from __future__ import annotations

from typing import Any, get_args

from ..changing import free_name, set_value
from ..errors import InvalidValueError
from ..model.base import Point, Size
from ..model.bench import (
    AnyBenchStep,
    BenchKind,
    Cure,
    CutTabs,
    Fill,
    Glue,
    HeatTreat,
    MakeFixture,
    Sand,
    Saw,
    TakeOut,
)
from ..model.job import Job
from ..model.orientation import PartDirection, direction_name
from ..model.setup import Setup
from ..plan import Plan
from ..programs.targets import free_code

BENCH_KINDS: tuple[BenchKind, ...] = get_args(BenchKind)
#: What each is called, and what it does.
BENCH_WORDS: dict[BenchKind, str] = {
    "saw": "saw off",
    "glue": "glue a piece on",
    "cure": "let it cure",
    "fill": "fill what was cut",
    "take out": "take filler out",
    "cut tabs": "cut the tabs",
    "sand": "sand",
    "heat-treat": "heat-treat",
    "make fixture": "make the fixture",
}
#: The usual cautions, said where the step stands.
CAUTIONS: dict[BenchKind, str] = {
    "saw": "Guards on, hands away from the blade, small pieces clamped.",
    "glue": "Gloves and fresh air as the glue's maker asks; clamp until it bears a load.",
    "cure": "Do not load the joint before its maker's time is over.",
    "fill": "Gloves and fresh air as the filler's maker asks; hot filler burns.",
    "take out": "Hot filler and solvents as their maker asks.",
    "cut tabs": "Hold the part, not the border; it comes free with the last tab.",
    "sand": "Dust is breathed in and may burn: mask and extraction.",
    "heat-treat": "Hot parts, quenching and furnaces as their builder and the shop's rules ask; by trained people.",
    "make fixture": "Cut with jaws, jig or strip clamped as they will be; eye protection, first pass above the work.",
}
#: A piece that is glued on is so thick at first (mm), and filler and glue wait so long (minutes).
_THICK, _WAIT = 20.0, 60.0


def add_step(job: Job, kind: BenchKind, setup: int, new_id: str, plan: Plan) -> Job:
    """One more step before a setup, the last of those there; after all setups where ``setup`` is their number.

    Raises InvalidValueError where it needs a feature and the part has none.
    """
    place = job.setups[setup].id if setup < len(job.setups) else None
    same: dict[str, Any] = {
        "id": new_id, "name": free_name(BENCH_WORDS[kind], [step.name for step in job.bench]), "before": place,
    }  # fmt: skip
    step = _new(kind, same, job, setup, plan)
    return set_value(job, ("bench",), (*job.bench, step))


def _new(kind: BenchKind, same: dict[str, Any], job: Job, setup: int, plan: Plan) -> AnyBenchStep:
    done = plan.bench[min(setup, len(plan.setups))]
    stock = done[-1].after if done else plan.setups[setup].before if setup < len(plan.setups) else plan.finished
    low, high = stock.corners
    match kind:
        case "saw":
            up, at = _up(plan, setup)
            return Saw(**same, off=up, at=round(at, 3))
        case "glue":
            size = [round(float(b - a), 3) for a, b in zip(low, high, strict=True)]
            corner = Point(x=round(float(high[0]), 3), y=round(float(low[1]), 3), z=round(float(low[2]), 3))
            return Glue(
                **same, low=corner, size=Size(x=_THICK, y=size[1], z=size[2]), material=job.stock.material, wait=_WAIT
            )
        case "cure":
            return Cure(**same, wait=_WAIT)
        case "fill" | "take out":
            feature = _hollow(job)
            return Fill(**same, feature=feature, wait=_WAIT) if kind == "fill" else TakeOut(**same, feature=feature)
        case "cut tabs":
            return CutTabs(**same)
        case "sand":
            return Sand(**same)
        case "heat-treat":
            return HeatTreat(**same)
        case "make fixture":
            return _making(same, job, setup)


def _making(same: dict[str, Any], job: Job, setup: int) -> MakeFixture:
    if setup >= len(job.setups):
        raise InvalidValueError("step", "a fixture is made before the setup that it holds; choose that one")
    machine = job.machine_of(job.setups[setup])
    mills = [cutter for cutter in machine.cutters if cutter.shape == "flat"] or list(machine.cutters)
    return MakeFixture(
        **same,
        tool=min(mills, key=lambda cutter: cutter.diameter).tool,
        offset=free_code(job, machine) or job.setups[setup].offset,
    )


def _up(plan: Plan, setup: int) -> tuple[PartDirection, float]:
    """The side that is up in the setup after, and where the part ends on it along that part axis."""
    of = plan.setups[min(setup, len(plan.setups) - 1)].setup
    up = direction_name(of.orientation.matrix()[2])
    k = "XYZ".index(up[1])
    return up, float(plan.geometry.high[k] if up[0] == "+" else plan.geometry.low[k])


def _hollow(job: Job) -> str:
    """The first feature that can be filled."""
    found = next((each for each in job.part.features if each.kind in ("pocket", "slot", "bore", "hole")), None)
    if found is None:
        raise InvalidValueError(
            "step", "the part has no pocket, slot, bore or hole that could be filled; name one first"
        )
    return found.name


def remove_step(job: Job, step: str) -> Job:
    """Without the step of that id."""
    return set_value(job, ("bench",), tuple(each for each in job.bench if each.id != step))


def move_step(job: Job, step: str, by: int) -> Job:
    """The step of that id earlier (-1) or later (+1) among those at its place; from there on into the place of the
    setup before or after."""
    number = next(k for k, each in enumerate(job.bench) if each.id == step)
    mine = job.bench[number]
    beside = [k for k, each in enumerate(job.bench) if each.before == mine.before]
    at = beside.index(number) + by
    order = list(job.bench)
    if 0 <= at < len(beside):
        other = beside[at]
        order[number], order[other] = order[other], order[number]
        return set_value(job, ("bench",), tuple(order))
    places = [*(setup.id for setup in job.setups), None]
    place = places.index(mine.before) + by
    if not 0 <= place < len(places):
        raise InvalidValueError(mine.name, "there is nothing before the first step and after the last one")
    moved = mine.model_copy(update={"before": places[place]})
    del order[number]
    # Before what stands there where it comes later, behind it where it comes earlier.
    order.insert(0 if by > 0 else len(order), moved)
    return set_value(job, ("bench",), tuple(order))


def among(bench: tuple[AnyBenchStep, ...], old: tuple[Setup, ...], new: tuple[Setup, ...]) -> tuple[AnyBenchStep, ...]:
    """The steps of a job with ``old`` setups, for one that is planned as far as ``new``.

    Each comes after as many setups as it did; what comes after more than there are yet is not done yet, nor is what
    comes after all of them.
    """
    number = {setup.id: index for index, setup in enumerate(old)}
    places = [*(setup.id for setup in new), None]
    return tuple(
        step.model_copy(update={"before": places[number[step.before]]})
        for step in bench
        if step.before is not None and number[step.before] < len(places)
    )


def among_all(
    bench: tuple[AnyBenchStep, ...], old: tuple[Setup, ...], new: tuple[Setup, ...]
) -> tuple[AnyBenchStep, ...]:
    """The steps of a job with ``old`` setups for one with all of ``new`` instead.

    Each comes after as many setups as it did, and after all where there are no more.
    """
    there = {step.id: step for step in among(bench, old, new)}
    return tuple(there.get(step.id, step.model_copy(update={"before": None})) for step in bench)


def bench_path(job: Job, step: str) -> tuple[str, int]:
    """Where the step of that id stands in the job."""
    return ("bench", next(k for k, each in enumerate(job.bench) if each.id == step))
