"""Figures for the error budget from the record's own scatter: how a fixture repeats, how a touch does, how blanks of a
lot differ; each with the number of values it comes from, and taken into a job by one step.

Standard deviations are of the values since the last mark, about their own mean, with one less than their number below
(JCGM 100, 4.2).  A part that is pushed against something lies off it to one side alone: of ``|N(0, s)|`` the standard
deviation is ``s * sqrt(1 - 2 / pi)``, so that ``s`` is that much larger than what is seen.  Sizes spread evenly have
half the width ``sqrt(3)`` times their standard deviation.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..changing import Path, set_value
from ..errors import InvalidValueError
from ..finding import Finding
from ..model.figure import FromRecord
from ..model.holding import Chuck, Fixture, Plate, Vise
from ..model.job import Job
from ..model.machine import Machine
from ..model.own_fixture import OwnFixture
from ..model.stock import BlockStock, ModelStock, Stock
from ..quantities import said
from .drift import drift_of
from .entries import RecordEntry, Subject
from .subjects import about, of_fixture, of_probe

#: Fewer values say too little of how much they scatter.
LEAST = 5
_ONE_SIDED, _EVEN = math.sqrt(1.0 - 2.0 / math.pi), math.sqrt(3.0)
#: What of a touch says how far something lay off where it was expected, and what may be measured by hand.
_PLACES = {axis: (f"{axis} off", axis) for axis in ("x", "y")}


@dataclass(frozen=True)
class Figure:
    """``what`` it is of, where it stands in the job and what it is ``now`` (mm), what it is of the ``values`` values of
    a ``number``, the newest of the day ``newest``; ``figure`` is None while there are too few."""

    what: str
    path: Path
    now: float | tuple[float, ...]
    number: str
    values: int
    newest: str
    figure: float | tuple[float, ...] | None
    stated: FromRecord | None

    @property
    def lacking(self) -> int:
        return max(LEAST - self.values, 0)


def figures_of(job: Job, entries: Sequence[RecordEntry]) -> tuple[Figure, ...]:
    """Of every fixture and probe that the job uses, and of its blanks' lot."""
    found = [each for machine, fixture, path in _fixtures(job) for each in _of_fixture(machine, fixture, path, entries)]
    for number, machine in enumerate(job.machines):
        found += _of_probe(machine, number, entries)
    return (*found, *_of_lot(job.stock, entries))


def lot_of(stock: Stock) -> Subject | None:
    """Whose entries say how its blanks differ."""
    return about("batch", stock.lot, stock.lot) if stock.lot else None


def _fixtures(job: Job) -> Iterator[tuple[Machine, Fixture, Path]]:
    for number, machine in enumerate(job.machines):
        used = {setup.station for setup in job.setups if setup.machine == machine.id}
        names = {station.fixture for station in machine.stations if station.id in used}
        for k, fixture in enumerate(machine.fixtures):
            if fixture.name in names:
                yield machine, fixture, ("machines", number, "fixtures", k)


def _of_fixture(machine: Machine, fixture: Fixture, path: Path, entries: Sequence[RecordEntry]) -> Iterator[Figure]:
    match fixture:
        case Vise():
            axes: tuple[str, ...] = ("y",) if fixture.fixed_jaw in ("back", "front") else ("x",)
            field, now, to_one_side = "clamping_scatter", fixture.clamping_scatter, not fixture.centring
        case Plate() | Chuck() | OwnFixture():
            axes, field, now, to_one_side = ("x", "y"), "seat_scatter", fixture.seat_scatter, True
        case _:
            return
    mine = [each for each in entries if each.is_about("fixture", of_fixture(machine, fixture).id)]
    seen = [_series(mine, number) for axis in axes for number in _PLACES[axis]]
    best = max(seen, key=lambda each: each.count)
    enough = [each for each in seen if each.count >= LEAST]
    # Across several axes whichever scatters most counts.
    best = max(enough, key=lambda each: each.deviation) if enough else best
    figure = best.deviation / (_ONE_SIDED if to_one_side else 1.0) if enough else None
    yield Figure(
        f"{fixture.name}: how it repeats", (*path, field), now, best.number, best.count, best.newest, figure,
        fixture.scatter_from,
    )  # fmt: skip


def _of_probe(machine: Machine, number: int, entries: Sequence[RecordEntry]) -> Iterator[Figure]:
    """Readings of one surface again and again, under whatever names: pooled."""
    probe = machine.probe
    mine = [each for each in entries if each.kind != "touch" and each.is_about("probe", of_probe(machine, probe).id)]
    names = sorted({name for each in mine for name in each.numbers})
    series = [each for each in (_series(mine, name) for name in names) if each.count > 1]
    count, free = sum(each.count for each in series), sum(each.count - 1 for each in series)
    squares = math.fsum((each.count - 1) * each.deviation**2 for each in series)
    yield Figure(
        f"probe T{probe.tool}: how a touch repeats", ("machines", number, "probe", "repeatability"),
        probe.repeatability, ", ".join(each.number for each in series), free + 1 if series else count,
        max((each.newest for each in series), default=""),
        math.sqrt(squares / free) if count >= LEAST and free else None, probe.repeatability_from,
    )  # fmt: skip


def _of_lot(stock: Stock, entries: Sequence[RecordEntry]) -> Iterator[Figure]:
    """Of blanks whose sizes vary along each axis by itself."""
    lot = lot_of(stock)
    if lot is None or not isinstance(stock, BlockStock | ModelStock):
        return
    mine = [each for each in entries if each.is_about("batch", lot.id)]
    series = [_series(mine, axis) for axis in ("x", "y", "z")]
    count = min(each.count for each in series)
    figure = tuple(_EVEN * each.deviation for each in series) if count >= LEAST else None
    newest = min((each.newest for each in series), default="")
    yield Figure(
        f"blanks of {lot.name}: how they vary", ("stock", "varies"), stock.spread(), "x, y, z", count, newest, figure,
        stock.varies_from,
    )  # fmt: skip


@dataclass(frozen=True)
class _Series:
    number: str
    count: int
    deviation: float
    newest: str


def _series(entries: Sequence[RecordEntry], number: str) -> _Series:
    """Values of a number since the last mark."""
    found = drift_of(entries, number)
    mine = found.values[found.since :]
    values = [each.value for each in mine]
    if len(values) < 2:
        return _Series(number, len(values), 0.0, mine[-1].at[:10] if mine else "")
    mean = math.fsum(values) / len(values)
    variance = math.fsum((value - mean) ** 2 for value in values) / (len(values) - 1)
    return _Series(number, len(values), math.sqrt(variance), mine[-1].at[:10])


def with_figure(job: Job, figure: Figure) -> Job:
    """The job with a figure of the record, and where that comes from.  Raises InvalidValueError while there are too few
    values."""
    if figure.figure is None:
        raise InvalidValueError(
            figure.what, f"has {figure.values} values in the record, and {figure.lacking} more are needed; measure on"
        )
    *into, field = figure.path
    if isinstance(figure.figure, tuple):
        said_of, largest = dict(zip("xyz", figure.figure, strict=True)), max(figure.figure)
        job = set_value(job, figure.path, said_of)
    else:
        largest = figure.figure
        job = set_value(job, figure.path, largest)
    comes = FromRecord(number=figure.number[:80], values=figure.values, newest=figure.newest, figure=largest)
    return set_value(job, (*into, _FROM[str(field)]), comes)


_FROM = {"clamping_scatter": "scatter_from", "seat_scatter": "scatter_from", "repeatability": "repeatability_from",
         "varies": "varies_from"}  # fmt: skip


def figure_findings(job: Job, entries: Sequence[RecordEntry]) -> Iterator[Finding]:
    """A figure that says it is of more values, or of newer ones, than the record has since its last mark."""
    for figure in figures_of(job, entries):
        stated = figure.stated
        if stated is None or (stated.values <= figure.values and stated.newest <= figure.newest):
            continue
        has = f"{figure.values} values" + (f", the newest of {figure.newest}" if figure.newest else "")
        now = max(figure.now) if isinstance(figure.now, tuple) else figure.now
        if not stated.is_still(now):
            continue
        yield Finding(
            "FIGURE_OUT_OF_DATE", "warning", "",
            f"{figure.what}: {said(now)} is stated as of {stated.values} values up to {stated.newest}, and the record "
            f"has {has} since its last mark.",
            "Take the record's figure over again once it has enough values, or say what you take it to be.",
            about=figure.what,
        )  # fmt: skip
