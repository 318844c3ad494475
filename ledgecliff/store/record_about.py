"""What the record says about a job and what it uses; nothing is begun by looking."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ledgecliff.core.model.job import Job
from ledgecliff.core.record.entries import Kind, RecordEntry, Subject
from ledgecliff.core.record.rules import DRIFTING, subjects_used
from ledgecliff.core.record.subjects import of_job

from .register_place import is_there


def record_about(place: Path | str, subjects: Sequence[Subject]) -> tuple[RecordEntry, ...]:
    """Notes on any of these, the newest numbers of fixtures, and what was measured of the job's parts; nothing is begun
    by looking.  Raises ShopDatabaseError."""
    fixtures = [each for each in subjects if each.kind == "fixture"]
    others = [each for each in subjects if each.kind in ("probe", "batch")]
    jobs = [each for each in subjects if each.kind == "job"]
    return _about(
        place, (subjects, ("note",)), (fixtures, DRIFTING), (others, ("measured", "mark")), (jobs, ("measured",))
    )


def articles_about(place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
    """What was measured and touched of a job's parts.  Raises ShopDatabaseError."""
    return _about(place, ([of_job(job)], ("measured", "touch")))


def figures_about(place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
    """What figures for the budget come from.  Raises ShopDatabaseError."""
    return record_about(place, subjects_used(job))


def history_about(place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
    """Rehearsals, releases and what was ticked off of a job.  Raises ShopDatabaseError."""
    return _about(place, ([of_job(job)], ("rehearsal", "release", "ticked")))


def _about(place: Path | str, *asked: tuple[Sequence[Subject], Sequence[Kind]]) -> tuple[RecordEntry, ...]:
    """Entries of some kinds about any of some things, with their corrections."""
    if not is_there(place):
        return ()
    from .record_db import RecordDb  # slow to import, and not wanted before there is a record

    db = RecordDb(place)
    try:
        found = [each for subjects, kinds in asked for each in db.about(subjects, kinds)]
        more = db.corrections([each.id for each in found])
    finally:
        db.close()
    return tuple({each.id: each for each in (*found, *more)}.values())
