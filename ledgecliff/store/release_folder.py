"""Whether the folder of a release is still what was released."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import Beside, found_against
from ledgecliff.core.findings.released_rules import Released
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan
from ledgecliff.core.record.entries import RecordEntry, standing
from ledgecliff.core.record.times import moment
from ledgecliff.core.release.release import (
    RELEASE_FILE,
    RELEASE_FORMAT,
    RELEASE_VERSION,
    Release,
    changed_since,
    differences,
    released_of,
    stood,
)
from ledgecliff.core.release.resting import resting_of

from .job_files import job_checksum
from .plain_documents import parse_document, read_plain
from .register_place import is_there, register_place
from .signed import workstation


def findings_of_setups(plan: Plan, beside: Beside, numbers: Sequence[int]) -> list[Finding]:
    """Of the setups that are released, and of the whole job."""
    names = {"", *(plan.job.setups[number].name for number in numbers)}
    return [each for each in found_against(plan, beside) if each.setup in names]


def read_release(folder: Path) -> Release:
    """Raises InvalidValueError where there is none, or it cannot be read."""
    path = folder / RELEASE_FILE
    return parse_document(Release, read_plain(path), path.name, RELEASE_FORMAT, RELEASE_VERSION, "release")


def verify_release(folder: Path, plan: Plan | None = None, place: Path | str | None = None) -> list[str]:
    """How the folder, and the job where it is named, differ from what was released, and whether the record has another
    seal for it; nothing where they do not.  Raises InvalidValueError."""
    release = read_release(folder)
    told = [*_of_the_record(release, place), *differences(release, _there(folder))]
    if plan is not None:
        if plan.job.id != release.job:
            raise InvalidValueError("job", f"is another than was released: that was '{release.title}'; name that one")
        numbers = [k for k, setup in enumerate(plan.job.setups) if setup.name in release.setups]
        told += changed_since(release, job_checksum(plan.job), findings_of_setups(plan, Beside(), numbers))
    return told


def _there(folder: Path) -> dict[str, bytes]:
    """What lies beside the file that says what was released."""
    paths = [path for path in sorted(folder.iterdir()) if path.is_file() and path.name != RELEASE_FILE]
    return {path.name: path.read_bytes() for path in paths}


def standing_releases(job: Job, entries: Sequence[RecordEntry]) -> tuple[Released, ...]:
    """Releases that still rest on the job as it is, each setup's newest; with how their folders differ by now, where
    those are at this workstation."""
    found: dict[str, Released] = {}
    for entry in sorted(standing(entries), key=lambda each: moment(each.at)):
        release = released_of(entry) if entry.kind == "release" else None
        if release is None:
            continue
        whole = [
            setup.name for index, setup in enumerate(job.setups)
            if release.rests_on.get(setup.id) == resting_of(job, index)
        ]  # fmt: skip
        if not whole:
            continue
        folder = str(entry.data.get("folder", "")) if entry.workstation == workstation() else ""
        told = replace(stood(release), setups=tuple(whole), folder=folder, differs=_differs(folder))
        found |= dict.fromkeys(whole, told)
    return tuple(dict.fromkeys(found.values()))


def _differs(folder: str) -> tuple[str, ...]:
    """Nothing where it is not there any more: it went to the machine."""
    place = Path(folder)
    if not folder or not (place / RELEASE_FILE).is_file():
        return ()
    try:
        return tuple(differences(read_release(place), _there(place)))
    except (LedgecliffError, OSError) as error:
        return (str(error),)


def _of_the_record(release: Release, place: Path | str | None) -> list[str]:
    """Whoever writes a release anew can seal it anew, but the record keeps the seal it had."""
    from .record_db import RecordDb, Wanted

    where = register_place() if place is None else place
    if not is_there(where):
        return []
    try:
        db = RecordDb(where)
    except LedgecliffError:
        return []
    try:
        found = db.page(Wanted(kind="release", words=release.id))
    finally:
        db.close()
    seals = {each.data.get("seal") for each in found if each.data.get("release") == release.id}
    return ["the record has another seal for this release"] if seals and release.seal not in seals else []
