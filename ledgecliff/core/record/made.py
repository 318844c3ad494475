"""Entries of what happens here, before they are dated and signed: touches, rehearsals, tasks that are ticked off."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from pydantic import JsonValue

from ..measuring.measured import MeasuredStep, Measurement
from ..model.job import Job
from ..model.run import Run, TaskRef
from ..rehearsal.results import Rehearsal, RehearsedSetup
from ..runs.tasks import ref_words
from .entries import Kind, Subject
from .subjects import about, of_job, of_run, of_setup, subjects_of_setup

_AXES = ("x", "y", "z")


@dataclass(frozen=True)
class Draft:
    """An entry without its id, time and name."""

    kind: Kind
    what: str
    on: tuple[Subject, ...]
    numbers: Mapping[str, float] = field(default_factory=dict)
    data: Mapping[str, JsonValue] = field(default_factory=dict)


def of_measurement(job: Job, measured: Measurement) -> Iterator[Draft]:
    """One for each step that was made: what it found, how far that is from what was expected, and each contact."""
    setup = job.setups[measured.setup.index]
    on = subjects_of_setup(job, setup)
    for number, step in enumerate(measured.steps, start=1):
        yield _of_step(job, on, measured, number, step)


def _of_step(job: Job, on: tuple[Subject, ...], measured: Measurement, number: int, step: MeasuredStep) -> Draft:
    numbers: dict[str, float] = {}
    for quantity in step.step.finds:
        found = float(step.found[quantity.key])
        numbers[quantity.key] = found
        numbers[f"{quantity.key} off"] = found - quantity.expected
    feature = step.step.cycle.feature
    of = () if feature is None else (about("feature", f"{job.id}/{feature}", feature),)
    contacts: list[JsonValue] = [
        {
            "contact": [float(x) for x in contact],
            "deviation": float(deviation),
            "at_s": None if at is None else float(at),
        }
        for contact, deviation, at in zip(step.contacts, step.deviations, step.at_s, strict=True)
    ]
    return Draft(
        "touch", f"{measured.setup.setup.name}, step {number}: {step.step.title}", (*on, *of), numbers,
        {"step": number, "contacts": contacts, "uncertainty": {k: float(u) for k, u in step.uncertainty.items()},
         "offset": measured.offset},
    )  # fmt: skip


def of_rehearsal(job: Job, rehearsal: Rehearsal, rests_on: Mapping[str, JsonValue] | None = None) -> Draft:
    """One of all setups: which true world, what stopped, and how far each offset was found off the truth; what it
    ``rests_on``, where that is known."""
    numbers = {
        f"{setup.full_name} {axis} off": float(setup.difference[k])
        for setup in rehearsal.setups
        if setup.ran and not setup.stopped
        for k, axis in enumerate(_AXES)
    }
    amiss = [*rehearsal.alarms, *rehearsal.amiss]
    how = "by the control's own cycles" if rehearsal.by_cards else "by its programs"
    return Draft(
        "rehearsal",
        f"rehearsed {how}, trial {rehearsal.seed}: {'; '.join(amiss) if amiss else 'nothing amiss'}",
        (of_job(job), *(of_setup(job, setup) for setup in job.setups)),
        numbers,
        {
            "seed": rehearsal.seed,
            "amiss": list(amiss),
            "setups": [_ran(each) for each in rehearsal.setups],
            "rests on": dict(rests_on or {}),
        },
    )


def _ran(setup: RehearsedSetup) -> JsonValue:
    return {"setup": setup.full_name, "ran": setup.ran and not setup.stopped, "touches": setup.counted}


def of_ticks(before: Run, after: Run) -> Iterator[Draft]:
    """What was ticked off from one run to the other, and what was taken back."""
    old, new = set(before.done), set(after.done)
    for ref in after.done:
        if ref not in old:
            yield _of_tick(after, ref, "done")
    for ref in before.done:
        if ref not in new and after.has(ref):
            yield _of_tick(after, ref, "to be done again")


def _of_tick(run: Run, ref: TaskRef, state: str) -> Draft:
    station = run.station(ref.of)
    on = [of_run(run)]
    if station is not None:
        title = next((each.title for each in run.jobs if each.job == station.job), "")
        on.append(about("job", station.job, title))
        on.append(about("setup", f"{station.job}/{station.setup}", f"{title} {station.setup_name}"))
    return Draft("ticked", f"{ref_words(run, ref)}: {state}", tuple(on), {}, {"task": ref.task, "state": state})
