"""A release as a folder: programs, sheets, and what says all of it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pydantic import JsonValue

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.released import files_of_setup
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.record.made import Draft
from ledgecliff.core.record.subjects import of_job, of_setup
from ledgecliff.core.rehearsal.told import said_of_proof
from ledgecliff.core.release.release import (
    RELEASE_DATA,
    RELEASE_FILE,
    Override,
    Release,
    ReleasedFile,
    checksum,
    overridden,
    program_file,
    released_of,
    sealed,
    then,
    toolpath_file,
    without_texts,
)
from ledgecliff.core.release.resting import resting_of
from ledgecliff.core.release.seals import RELEASED_BY, RESTS_ON
from ledgecliff.sheets.about import About
from ledgecliff.sheets.wanted import KIND_WORDS, Wanted

from .atomic import make_folder, write_atomic
from .job_files import job_checksum
from .outputs import write_sheet
from .plain_documents import document_text
from .record_about import history_about
from .recording import dated, record
from .register_place import register_place
from .release_folder import findings_of_setups
from .release_wish import Wish

#: What goes on paper with a release; what is released says nothing of findings about releases.
_SHEETS = ("setup", "turn", "table", "tools", "labels")
_OF_RELEASES = ("RELEASED_ON_OTHER_FINDINGS", "RELEASED_FILES_DIFFER")


def write_release(
    plan: Plan, job_folder: Path | None, folder: Path, wish: Wish, place: Path | str | None = None
) -> tuple[Release, str]:
    """The release that lies in ``folder`` now, and what its entries in the record wait for; toolpath programs are those
    beside the job, in ``job_folder``.

    Raises InvalidValueError where a hazard has no reason, the folder has something else in it, two files would have one
    name, or reading back differs from the plan; WriteError.
    """
    plan.check_part_is_left()
    where = register_place() if place is None else place
    numbers = list(wish.setups) or list(range(len(plan.setups)))
    findings = findings_of_setups(plan, wish.beside, numbers)
    findings = [each for each in findings if each.code not in _OF_RELEASES]
    overrides = overridden(findings, wish.reasons, wish.by, _standing_overrides(where, plan))
    files, proof = _programs(plan, numbers)
    toolpaths, lacking = _toolpaths(plan, numbers, job_folder)
    _refuse_two_of_a_name([*files, *(each for each, _ in toolpaths)])
    proof += [said_of_proof(wish.rehearsal, wish.worlds)]
    proof += [f"toolpath program not at hand, so not released: {name}" for name in lacking]
    _refuse_another(folder)
    make_folder(folder)
    signed = dated()
    about = About(
        signed["at"][:16].replace("T", " "), wish.by, _state(signed["id"], overrides), wish.rehearsal, wish.worlds,
        paper=wish.paper,
    )  # fmt: skip
    for each in files:
        write_atomic(folder / each.name, each.text or "")
    for each, content in toolpaths:
        write_atomic(folder / each.name, content)
    sheets = _sheets(plan, numbers, folder, wish, about)
    release = sealed(
        Release(
            id=signed["id"], at=signed["at"], by=wish.by, workstation=signed["workstation"], job=plan.job.id,
            title=plan.job.title, job_checksum=job_checksum(plan.job),
            setups=tuple(plan.job.setups[number].name for number in numbers),
            files=(*files, *(each for each, _ in toolpaths), *sheets), findings=tuple(map(then, findings)),
            overrides=overrides, proof=tuple(proof),
            rests_on={plan.job.setups[number].id: resting_of(plan.job, number) for number in numbers},
        )
    )  # fmt: skip
    # What says that all of it is there is written last.
    write_atomic(folder / RELEASE_FILE, document_text(release))
    return release, record(_drafts(plan, numbers, release, folder), where, release.job_checksum).words


def _programs(plan: Plan, numbers: Sequence[int]) -> tuple[list[ReleasedFile], list[str]]:
    """With what reading each back came to."""
    files, proof = list[ReleasedFile](), list[str]()
    for number in numbers:
        name = plan.job.setups[number].name
        back = read_back(plan, number)
        if back.differences:
            raise InvalidValueError("release", f"{name}: its program differs from the plan: {back.differences[0]}")
        proof.append(f"{name}: read back, {back.touches} touches and {back.results} results as planned, {back.stops} "
                     "stops driven and held")  # fmt: skip
        files += [program_file(called, text) for called, text in files_of_setup(plan, number).values()]
    return files, proof


def _toolpaths(
    plan: Plan, numbers: Sequence[int], folder: Path | None
) -> tuple[list[tuple[ReleasedFile, bytes]], list[str]]:
    """Each program that operations name once, with what is in it, and the names of those that are not at hand."""
    named = dict.fromkeys(
        each.program for number in numbers for each in plan.job.setups[number].operations if each.program
    )
    found, lacking = list[tuple[ReleasedFile, bytes]](), list[str]()
    for name in named:
        path = Path(name) if folder is None else folder / name
        try:
            content = path.read_bytes()
        except OSError:
            lacking.append(name)
        else:
            found.append((toolpath_file(path.name, content), content))
    return found, lacking


def _refuse_two_of_a_name(files: Sequence[ReleasedFile]) -> None:
    names = [each.name for each in files]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise InvalidValueError(
            "release", f"two files would be called '{twice}'; rename one, or change the profile's names"
        )


def _sheets(plan: Plan, numbers: Sequence[int], folder: Path, wish: Wish, about: About) -> list[ReleasedFile]:
    """Every kind that says something of these setups."""
    made = []
    for kind in _SHEETS:
        if kind == "turn" and not any(numbers):
            continue
        path = folder / f"{KIND_WORDS[kind].lower().replace(' ', '-')}.pdf"
        write_sheet(plan, path, wish.beside, about, kind, wish.unit, Wanted(numbers))
        made.append(ReleasedFile(name=path.name, kind="sheet", sha256=checksum(path.read_bytes())))
    return made


def _standing_overrides(place: Path | str, plan: Plan) -> list[Override]:
    """Those of earlier releases of this job; none where the record is away."""
    return [override for each in _known_releases(place, plan.job) for override in each.overrides]


def _known_releases(place: Path | str, job: Job) -> list[Release]:
    try:
        entries = history_about(place, job)
    except LedgecliffError:
        return []
    return [release for each in entries if (release := released_of(each)) is not None]


def _state(release: str, overrides: Sequence[Override]) -> str:
    said = "; ".join(f"{each.finding.code} overridden by {each.by}: {each.reason}" for each in overrides)
    return f"release {release}" + (f" · {said}" if said else "")


def _refuse_another(folder: Path) -> None:
    """A release is not written over anything but a release."""
    if folder.is_dir() and any(folder.iterdir()) and not (folder / RELEASE_FILE).is_file():
        raise InvalidValueError(str(folder), "has something in it that was not released; name an empty folder")
    if (folder / RELEASE_FILE).is_file():
        raise InvalidValueError(str(folder), "has a release in it, which stays as it is; name an empty folder")


def _drafts(plan: Plan, numbers: Sequence[int], release: Release, folder: Path) -> list[Draft]:
    on = (of_job(plan.job), *(of_setup(plan.job, plan.job.setups[number]) for number in numbers))
    said = f"released by {release.by}: {', '.join(release.setups)}"
    rests: dict[str, JsonValue] = {setup: dict(parts) for setup, parts in release.rests_on.items()}
    data: dict[str, JsonValue] = {
        "release": release.id, "seal": release.seal, "folder": str(folder.resolve()), RESTS_ON: rests,
        RELEASED_BY: release.by,
        RELEASE_DATA: without_texts(release).model_dump(mode="json"),
    }  # fmt: skip
    made = [Draft("release", said, on, {}, data)]
    made += [
        Draft("override", f"{each.finding.code} overridden by {each.by}: {each.reason}", on, {},
              {"release": release.id, "finding": each.finding.message})
        for each in release.overrides
    ]  # fmt: skip
    return made
