"""A release as a folder: programs, sheet, and what says all of it; and whether the folder is still that."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from pydantic import JsonValue

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import Beside, found_against
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.released import files_of_setup
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.record.made import Draft
from ledgecliff.core.record.subjects import of_job, of_setup
from ledgecliff.core.release.release import (
    RELEASE_FILE,
    RELEASE_FORMAT,
    RELEASE_VERSION,
    Override,
    Release,
    ReleasedFile,
    changed_since,
    checksum,
    differences,
    overridden,
    program_file,
    sealed,
    then,
)
from ledgecliff.sheets.about import About

from .atomic import make_folder, write_atomic
from .outputs import write_sheet
from .plain_documents import document_text, parse_document, read_plain
from .recording import dated, record
from .register_place import is_there, register_place
from .run_files import checksum_of

_SHEET = "setup-sheet.pdf"


def write_release(
    plan: Plan,
    job_file: Path,
    folder: Path,
    by: str,
    *,
    setups: Sequence[int] = (),
    reasons: Mapping[str, str] | None = None,
    beside: Beside | None = None,
    place: Path | str | None = None,
) -> tuple[Release, str]:
    """The release that lies in ``folder`` now, and what its entries in the record wait for; of some ``setups`` (from 0)
    or of all.

    Raises InvalidValueError where a hazard has no reason, the folder has something else in it, or reading back differs
    from the plan; WriteError.
    """
    plan.check_part_is_left()
    numbers = list(setups) or list(range(len(plan.setups)))
    findings = _findings_of(plan, beside, numbers)
    overrides = overridden(findings, reasons or {}, by)
    files, proof = list[ReleasedFile](), list[str]()
    for number in numbers:
        name = plan.job.setups[number].name
        back = read_back(plan, number)
        if back.differences:
            raise InvalidValueError("release", f"{name}: its program differs from the plan: {back.differences[0]}")
        proof.append(f"{name}: read back, {back.touches} touches and {back.results} results as planned, {back.stops} "
                     "stops driven and held")  # fmt: skip
        files += [program_file(called, text) for called, text in files_of_setup(plan, number).values()]
    _refuse_another(folder)
    make_folder(folder)
    signed = dated()
    about = About(signed["at"][:16].replace("T", " "), by, _state(signed["id"], overrides))
    for each in files:
        write_atomic(folder / each.name, each.text or "")
    write_sheet(plan, folder / _SHEET, beside or Beside(), about)
    sheet = ReleasedFile(name=_SHEET, kind="sheet", sha256=checksum((folder / _SHEET).read_bytes()))
    release = sealed(
        Release(
            id=signed["id"], at=signed["at"], by=by, workstation=signed["workstation"], job=plan.job.id,
            title=plan.job.title, job_checksum=checksum_of(job_file),
            setups=tuple(plan.job.setups[number].name for number in numbers), files=(*files, sheet),
            findings=tuple(map(then, findings)), overrides=overrides, proof=tuple(proof),
        )
    )  # fmt: skip
    # What says that all of it is there is written last.
    write_atomic(folder / RELEASE_FILE, document_text(release))
    return release, record(_drafts(plan, numbers, release), place, release.job_checksum).words


def _findings_of(plan: Plan, beside: Beside | None, numbers: Sequence[int]) -> list[Finding]:
    """Of the setups that are released, and of the whole job."""
    names = {"", *(plan.job.setups[number].name for number in numbers)}
    return [each for each in found_against(plan, beside or Beside()) if each.setup in names]


def _state(release: str, overrides: Sequence[Override]) -> str:
    said = "; ".join(f"{each.finding.code} overridden by {each.by}: {each.reason}" for each in overrides)
    return f"release {release}" + (f" · {said}" if said else "")


def _refuse_another(folder: Path) -> None:
    """A release is not written over anything but a release."""
    if folder.is_dir() and any(folder.iterdir()) and not (folder / RELEASE_FILE).is_file():
        raise InvalidValueError(str(folder), "has something in it that was not released; name an empty folder")
    if (folder / RELEASE_FILE).is_file():
        raise InvalidValueError(str(folder), "has a release in it, which stays as it is; name an empty folder")


def _drafts(plan: Plan, numbers: Sequence[int], release: Release) -> list[Draft]:
    on = (of_job(plan.job), *(of_setup(plan.job, plan.job.setups[number]) for number in numbers))
    said = f"released by {release.by}: {', '.join(release.setups)}"
    files: list[JsonValue] = [{"name": each.name, "sha256": each.sha256} for each in release.files]
    made = [Draft("release", said, on, {}, {"release": release.id, "seal": release.seal, "files": files})]
    made += [
        Draft("override", f"{each.finding.code} overridden by {each.by}: {each.reason}", on, {},
              {"release": release.id, "finding": each.finding.message})
        for each in release.overrides
    ]  # fmt: skip
    return made


def read_release(folder: Path) -> Release:
    """Raises InvalidValueError where there is none, or it cannot be read."""
    path = folder / RELEASE_FILE
    return parse_document(Release, read_plain(path), path.name, RELEASE_FORMAT, RELEASE_VERSION, "release")


def verify_release(
    folder: Path, plan: Plan | None = None, job_file: Path | None = None, place: Path | str | None = None
) -> list[str]:
    """How the folder, and the job where it is named, differ from what was released, and whether the record has another
    seal for it; nothing where they do not.  Raises InvalidValueError."""
    release = read_release(folder)
    there = {path.name: path.read_bytes() for path in sorted(folder.iterdir()) if path.is_file()}
    del there[RELEASE_FILE]
    told = [*_of_the_record(release, place), *differences(release, there)]
    if plan is not None and job_file is not None:
        if plan.job.id != release.job:
            raise InvalidValueError("job", f"is another than was released: that was '{release.title}'; name that one")
        numbers = [k for k, setup in enumerate(plan.job.setups) if setup.name in release.setups]
        told += changed_since(release, checksum_of(job_file), _findings_of(plan, None, numbers))
    return told


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
