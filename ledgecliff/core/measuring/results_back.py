"""Results that come back from the machine: typed from its screen, pasted, or read from a report.

They stand where the program's own results stand: places in the WCS as it was before each step, sizes, angles.  What
each step writes follows from them as in the program, so that the offset is known without touches.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..errors import InvalidValueError
from ..frames import AXES
from ..model.base import Model, Name
from ..model.work_offsets import code_of
from ..probing.followed_offsets import FollowedOffsets, Frame
from ..probing.results import Results
from ..probing.touches import Place, Step
from ..programs.result_variables import ResultPlaces, result_places
from ..programs.rotation import keeps_turns
from ..quantities import Unit, mm_per, said, said_signed
from ..setup_plan import SetupPlan
from .measured import Change, RecordedWcs, change_limit

_LINE = re.compile(r"#?\s*(\d+)\s*[=:,;\s]\s*([+\-−]?\d*[.,]?\d+)")
#: A place further off than this from where the plan has it is no result of that step (mm).
_FAR = 1000.0


class ReturnedResult(Model):
    """One result of a step (numbered from 1) by its key, in the file's unit, or degrees."""

    step: Annotated[int, Field(ge=1, le=200)]
    key: Name
    value: Annotated[float, Field(ge=-1e5, le=1e5)]


class ReturnedResults(Model):
    """``before`` is what the setup's offset held when the program began; the planned one where it is left out."""

    format: Literal["ledgecliff-results"] = "ledgecliff-results"
    version: Literal[1] = 1
    setup: Name
    unit: Literal["mm", "in"] = "mm"
    before: RecordedWcs | None = None
    results: Annotated[tuple[ReturnedResult, ...], Field(min_length=1, max_length=2000)]


@dataclass(frozen=True)
class ReturnedStep:
    """``found`` by key (mm, degrees), and how far each is ``off`` from what is expected; ``beyond`` are the keys of
    sizes that are off by more than the program lets pass."""

    number: int
    step: Step
    found: Results
    off: Results
    beyond: tuple[str, ...]


@dataclass(frozen=True)
class Returned:
    """``m_zero`` (3,) and ``skew_deg`` are what the offset of code ``offset`` holds afterwards (mm, degrees), as it was
    before where nothing came back that sets it; ``before_known`` says that what it held before was stated."""

    setup: SetupPlan
    steps: tuple[ReturnedStep, ...]
    offset: str
    m_zero: Place
    skew_deg: float
    changes: tuple[Change, ...]
    before_known: bool


@dataclass(frozen=True)
class ResultRow:
    """A result that a setup's programs keep: in which parameter, and what is expected (mm, degrees)."""

    step: int
    title: str
    key: str
    words: str
    expected: float
    is_angle: bool
    parameter: int


def result_rows(setup: SetupPlan, places: ResultPlaces | None = None) -> tuple[ResultRow, ...]:
    """Every result of a setup's steps, in order; kept at other ``places`` for an instance of many."""
    places = places or result_places(setup.machine, setup.setup)
    return tuple(
        ResultRow(number, step.title, q.key, q.words, q.expected, q.is_angle, places.of_step(number) + k)
        for number, step in enumerate(setup.probing.steps, start=1)
        for k, q in enumerate(step.finds)
    )


def parsed_results(setup: SetupPlan, text: str, unit: Unit) -> tuple[ReturnedResult, ...]:
    """Pasted lines such as ``#500 = 1.44``, ``500, 1.44`` or ``500 1.44``, in the control's unit, as results in mm and
    degrees.  Raises InvalidValueError, naming the line."""
    rows = {row.parameter: row for row in result_rows(setup)}
    found = []
    for parameter, value in numbered_values(text, rows, setup.setup.name).items():
        row = rows[parameter]
        scale = 1.0 if row.is_angle else mm_per(unit)
        found.append(ReturnedResult(step=row.step, key=row.key, value=value * scale))
    return tuple(found)


def numbered_values(text: str, known: Iterable[int], whose: str) -> dict[int, float]:
    """Pasted lines as what each variable holds.  Raises InvalidValueError, naming the line, for what is none, for a
    variable that is not ``known`` as a result of ``whose``, or stands there twice; and where there is nothing."""
    found: dict[int, float] = {}
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip():
            continue
        match = _LINE.fullmatch(line.strip())
        if match is None:
            raise InvalidValueError(
                f"results, line {number}", f"'{line.strip()[:60]}' is no result; write it as #500 = 1.234"
            )
        parameter = int(match[1])
        if parameter not in known:
            raise InvalidValueError(
                f"results, line {number}", f"#{parameter} is no result of {whose}; it keeps {_ranges(sorted(known))}"
            )
        if parameter in found:
            raise InvalidValueError(f"results, line {number}", f"#{parameter} stands there twice; leave one out")
        found[parameter] = float(match[2].replace(",", ".").replace("−", "-"))
    if not found:
        raise InvalidValueError("results", "there are none; write a line for each, as #500 = 1.234")
    return found


def _ranges(numbers: Sequence[int]) -> str:
    return f"#{numbers[0]} to #{numbers[-1]}" if numbers else "none"


def in_millimetres(setup: SetupPlan, given: ReturnedResults) -> ReturnedResults:
    """The same with lengths in mm."""
    per_unit = mm_per(given.unit)
    angles = {(row.step, row.key) for row in result_rows(setup) if row.is_angle}
    results = tuple(
        each.model_copy(update={"value": each.value * (1.0 if (each.step, each.key) in angles else per_unit)})
        for each in given.results
    )
    before = given.before
    if before is not None:
        scaled = {"x": before.x * per_unit, "y": before.y * per_unit, "z": before.z * per_unit}
        before = before.model_copy(update=scaled)
    return given.model_copy(update={"unit": "mm", "results": results, "before": before})


def returned(setup: SetupPlan, given: ReturnedResults) -> Returned:
    """What came back, held against the plan, and what the offset holds now.

    Raises InvalidValueError where a result is of no step, stands there twice, lacks others of its step, or is so far
    off that it belongs to another.
    """
    per_unit = mm_per(given.unit)
    steps = tuple(
        _step(number, step, _of(given.results, number, step, per_unit))
        for number, step in enumerate(setup.probing.steps, start=1)
        if any(result.step == number for result in given.results)
    )
    count = len(setup.probing.steps)
    strange = next((result.step for result in given.results if result.step > count), None)
    if strange is not None:
        raise InvalidValueError("results", f"{setup.setup.name} has no step {strange}; it has {count}")
    before = _before(setup, given, per_unit)
    frame = _followed(setup, steps, before)
    x, y, z = (float(value) for value in frame.m_zero)
    limit = change_limit(setup)
    changes = tuple(Change(axis, float(frame.m_zero[k] - before.m_zero[k]), limit) for k, axis in enumerate(AXES))
    return Returned(
        setup=setup,
        steps=steps,
        offset=setup.setup.offset,
        m_zero=(x, y, z),
        skew_deg=frame.turn_deg,
        changes=changes if given.before is not None else (),
        before_known=given.before is not None,
    )


def said_of_returned(found: Returned) -> str:
    """What came back, in lines with lengths to be spelled."""
    lines = [f"⚠ step {each.number}, {each.step.title}: {_beyond(each)}" for each in found.steps if each.beyond]
    x, y, z = found.m_zero
    z -= found.setup.machine.length_shift()
    holds = f"X {said_signed(x)}  Y {said_signed(y)}  Z {said_signed(z)}"
    turned = f"  turned {found.skew_deg:+.4f}°" if found.skew_deg else ""
    left = len(found.setup.probing.steps) - len(found.steps)
    if left:
        lines.append(f"{left} more step{'s' if left > 1 else ''} without results.")
    if not found.before_known:
        lines.append("What it held before is not in the register: counted from the plan. Write it there to keep this.")
    lines.append(f"{found.offset} then holds {holds}{turned}")
    for change in found.changes:
        words = f"{change.axis.upper()} changed by {said_signed(change.by)}"
        lines.append(words + (f", confirm: more than {said(change.limit)}" if change.confirm else ""))
    return "\n".join(lines)


def _beyond(each: ReturnedStep) -> str:
    words = {quantity.key: quantity.words for quantity in each.step.finds}
    return ", ".join(f"{words[key]} is off by {said_signed(each.off[key])}" for key in each.beyond)


def _of(results: Iterable[ReturnedResult], number: int, step: Step, per_unit: float) -> Results:
    """The results of one step (mm, degrees), all that it finds."""
    found: Results = {}
    known = {quantity.key: quantity for quantity in step.finds}
    for result in results:
        if result.step != number:
            continue
        if result.key not in known:
            raise InvalidValueError(
                "results", f"step {number}, {step.title}, finds no '{result.key}'; it finds {', '.join(known)}"
            )
        if result.key in found:
            raise InvalidValueError("results", f"step {number}: '{result.key}' stands there twice; leave one out")
        found[result.key] = result.value * (1.0 if known[result.key].is_angle else per_unit)
    missing = [known[key].words for key in known if key not in found]
    if missing:
        raise InvalidValueError(
            "results", f"step {number}, {step.title}: {', '.join(missing)} is missing; give all of a step's results"
        )
    return found


def _step(number: int, step: Step, found: Results) -> ReturnedStep:
    off = {quantity.key: found[quantity.key] - quantity.expected for quantity in step.finds}
    far = next((q for q in step.finds if not q.is_angle and abs(off[q.key]) > _FAR), None)
    if far is not None:
        raise InvalidValueError(
            "results",
            f"step {number}, {far.words}: {found[far.key]:.3f} mm is nowhere near {far.expected:.3f}; look at the "
            "step, the unit and the sign",
        )
    beyond = tuple(key for key, mm in off.items() if key.startswith("size") and 0.0 < step.size_tolerance < abs(mm))
    return ReturnedStep(number, step, found, off, beyond)


def _before(setup: SetupPlan, given: ReturnedResults, per_unit: float) -> Frame:
    if given.before is None:
        return Frame(setup.located.m_offset.copy(), setup.located.turn_deg)
    held = given.before
    shift = setup.machine.length_shift()
    return Frame(np.array([held.x, held.y, held.z]) * per_unit + (0.0, 0.0, shift), held.skew_deg)


def _followed(setup: SetupPlan, steps: Sequence[ReturnedStep], before: Frame) -> Frame:
    """What the setup's own offset holds after the steps, other offsets followed along."""
    machine, plan = setup.machine, setup.probing
    own = code_of(machine, setup.setup.offset)
    if own is None:
        raise InvalidValueError("offset", f"{machine.name} has no work offset {setup.setup.offset}; choose another")
    turns = keeps_turns(machine)
    finds_skew = any(step.sets_skew for step in plan.steps)
    turned = turns and (not plan.sets(setup.setup.offset) or bool(setup.located.turn_deg) or finds_skew)
    if turns and plan.sets(setup.setup.offset):
        # The program takes an old turn out before it looks for anything.
        before = Frame(before.m_zero, setup.located.turn_deg)
    others = {step.step.into for step in steps if step.step.into}
    codes = [code for words in others if (code := code_of(machine, words)) is not None]
    nowhere = {code.key: Frame(np.full(3, math.nan)) for code in codes}
    followed = FollowedOffsets(machine, own.key, nowhere | {own.key: before}, turns=turned)
    for each in steps:
        followed.step(each.step, each.found)
    return followed.own
