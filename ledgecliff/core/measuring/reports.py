"""Results read from a control's printed or logged report, by a pattern that the user has shown once on an example.

Shown means: the results of one run are typed, and looked for in that run's report.  Where each was found, the words of
its line say where it stands in any other report: numbers change, words do not.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..model.reports import ReportPattern, ReportSlot
from ..probing.touches import Step
from ..quantities import Unit, mm_per
from .results_back import ReturnedResult

#: A result has a point or comma for decimals; whole numbers are counters, dates and names.
_VALUE = re.compile(r"[+\-−]?\d*[.,]\d+(?![\d.,:/])")
_DIGITS = re.compile(r"\d+")
#: A report may print fewer places than were typed (mm, degrees).
_AS_TYPED = 0.02


@dataclass(frozen=True)
class _Number:
    """A number of a report: its line and place there (from 0), its value, and to how many decimals it is printed."""

    line: int
    place: int
    value: float
    decimals: int


def learned(
    name: str, text: str, steps: Sequence[Step], results: Sequence[ReturnedResult], unit: Unit
) -> ReportPattern:  # fmt: skip
    """The pattern of a report of a run whose ``results`` (mm, degrees) are known.

    Raises InvalidValueError for a result that does not stand in it, in the order of the steps.
    """
    lines = text.splitlines()
    numbers = [number for k, line in enumerate(lines) for number in _numbers(k, line)]
    slots: list[ReportSlot] = []
    begin = 0
    for k, step in enumerate(steps, start=1):
        mine = [result for result in results if result.step == k]
        last = begin
        for result in mine:
            angle = next((each.is_angle for each in step.finds if each.key == result.key), False)
            wanted = result.value / (1.0 if angle else mm_per(unit))
            alike = [each for each in numbers if each.line >= begin and _same(each, wanted)]
            # A limit printed to one place may be the same, rounded: what is printed most exactly counts.
            found = min(alike, key=lambda each: (-each.decimals, each.line, each.place), default=None)
            if found is None:
                raise InvalidValueError(
                    "report",
                    f"step {k}, {_words(step, result.key)}: {wanted:.4f} does not stand in it after the step before; "
                    "type the results of this very run, as it prints them",
                )
            beside = (each for each in alike if each.line == found.line and each.decimals == found.decimals)
            if any(each.place != found.place for each in beside):
                raise InvalidValueError(
                    f"report, line {found.line + 1}",
                    f"{wanted:.4f} stands there twice, so that it is not known which is step {k}, "
                    f"{_words(step, result.key)}; show the report of another run",
                )
            slot = ReportSlot(line=_skeleton(lines[found.line]), place=found.place, key=result.key)
            if slot not in slots:
                slots.append(slot)
            last = max(last, found.line + 1)
        begin = last
    if not slots:
        raise InvalidValueError("report", "type the results of its run first, so that they can be looked for in it")
    pattern = ReportPattern(name=name, unit=unit, slots=tuple(slots))
    _check_on_example(pattern, text, steps, results)
    return pattern


def _check_on_example(
    pattern: ReportPattern, text: str, steps: Sequence[Step], results: Sequence[ReturnedResult]
) -> None:  # fmt: skip
    """What was learned must read the example as it was typed."""
    shown = [step for k, step in enumerate(steps, start=1) if any(result.step == k for result in results)]
    read = {(each.step, each.key): each.value for each in read_report(pattern, text, shown)}
    order = {k: n for n, k in enumerate(sorted({result.step for result in results}), start=1)}
    for result in results:
        value = read.get((order[result.step], result.key))
        if value is None or abs(value - result.value) > _AS_TYPED:
            raise InvalidValueError(
                "report",
                f"it is not clear where step {result.step}, {_words(steps[result.step - 1], result.key)} stands; show "
                "the report of another run",
            )


def read_report(pattern: ReportPattern, text: str, steps: Sequence[Step]) -> tuple[ReturnedResult, ...]:
    """The results (mm, degrees) of every step, in order.

    Raises InvalidValueError where a step's results do not stand there before those of the next.
    """
    lines = text.splitlines()
    found: list[ReturnedResult] = []
    at = 0
    for k, step in enumerate(steps, start=1):
        wanted = {quantity.key: quantity for quantity in step.finds if _has(pattern, quantity.key)}
        if not wanted:
            continue
        mine: dict[str, float] = {}
        begun = at
        while at < len(lines) and len(mine) < len(wanted):
            here = {key: value for key, value in _read(pattern, at, lines[at]) if key in wanted}
            if here.keys() & mine.keys():
                break  # what comes again is the next step's
            mine |= here
            at += 1
        missing = [key for key in wanted if key not in mine]
        if missing:
            words = ", ".join(_words(step, key) for key in missing)
            raise InvalidValueError(
                f"report, from line {begun + 1}",
                f"step {k}, {step.title}: {words} is not there before the next step's results; show this kind of "
                "report again, or leave out no step",
            )
        for key, value in mine.items():
            scale = 1.0 if wanted[key].is_angle else mm_per(pattern.unit)
            found.append(ReturnedResult(step=k, key=key, value=value * scale))
    return tuple(found)


def _has(pattern: ReportPattern, key: str) -> bool:
    return any(slot.key == key for slot in pattern.slots)


def _read(pattern: ReportPattern, number: int, line: str) -> Iterator[tuple[str, float]]:
    words = _skeleton(line)
    values = [each.value for each in _numbers(number, line)]
    for slot in pattern.slots:
        if slot.line == words and slot.place < len(values):
            yield slot.key, values[slot.place]


def _numbers(number: int, line: str) -> Iterator[_Number]:
    for place, match in enumerate(_VALUE.finditer(line)):
        text = match[0].replace(",", ".").replace("−", "-")
        yield _Number(number, place, float(text), len(text.split(".")[1]))


def _same(number: _Number, wanted: float) -> bool:
    """As it is printed: rounded to its decimals."""
    return abs(number.value - wanted) <= 0.5 * 10.0**-number.decimals + 1e-9


def _skeleton(line: str) -> str:
    """The words of a line, whatever its numbers and blanks."""
    return " ".join(_DIGITS.sub("#", _VALUE.sub("=", line)).upper().split())[:400]


def _words(step: Step, key: str) -> str:
    return next((quantity.words for quantity in step.finds if quantity.key == key), key)
