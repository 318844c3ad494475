"""What is released: files with checksums, findings as they stood, what was overridden and by whom; under one seal."""

from __future__ import annotations

import difflib
import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, ValidationError

from ..errors import InvalidValueError
from ..finding import Finding
from ..findings.released_rules import Released, StoodThen
from ..model.base import Model, Name
from ..model.identity import Id
from ..record.entries import RecordEntry, Time

RELEASE_FORMAT: Literal["ledgecliff-release"] = "ledgecliff-release"
RELEASE_VERSION: Literal[1] = 1
#: Under which the record keeps what was released.
RELEASE_DATA = "document"
#: The file that says what was released.
RELEASE_FILE = "release.json"
#: So many lines of a file that was changed are told, and so much of each (characters).
_LINES, _LONGEST = 12, 120
#: No reason is shorter (characters).
_LEAST_REASON = 3
_SHA = r"^[0-9a-f]{64}$"


def _plain_name(name: str) -> str:
    if "/" in name or "\\" in name or name in ("", ".", ".."):
        raise ValueError(f"'{name}' is no name of a file in the release's own folder")
    return name


class ReleasedFile(Model):
    """A program with its text, so that what was changed in it can be told; a sheet by its checksum alone."""

    name: Annotated[str, Field(max_length=255), AfterValidator(_plain_name)]
    kind: Literal["program", "toolpath", "sheet"]
    sha256: Annotated[str, Field(pattern=_SHA)]
    text: Annotated[str, Field(max_length=50_000_000)] | None = None


class FindingThen(Model):
    """A finding as it stood, lengths in mm."""

    code: Name
    severity: Literal["hazard", "error", "warning", "note"]
    setup: Annotated[str, Field(max_length=200)] = ""
    about: Annotated[str, Field(max_length=1000)] = ""
    message: Annotated[str, Field(max_length=20_000)]

    def is_of(self, finding: Finding) -> bool:
        return (self.code, self.setup, self.about) == finding.key


class Override(Model):
    """Why a hazard was released all the same, and who says so."""

    finding: FindingThen
    reason: Annotated[str, Field(min_length=_LEAST_REASON, max_length=2000)]
    by: Name


class Release(Model):
    """``rests_on`` is what each setup's part of it rests on (``resting``), ``seal`` a checksum of all the rest."""

    format: Literal["ledgecliff-release"] = RELEASE_FORMAT
    version: Literal[1] = RELEASE_VERSION
    id: Id
    at: Time
    by: Name
    workstation: Annotated[str, Field(max_length=200)] = ""
    job: Id
    title: Name
    job_checksum: Annotated[str, Field(pattern=_SHA)]
    setups: Annotated[tuple[Name, ...], Field(min_length=1, max_length=200)]
    files: Annotated[tuple[ReleasedFile, ...], Field(max_length=2000)]
    findings: Annotated[tuple[FindingThen, ...], Field(max_length=5000)] = ()
    overrides: Annotated[tuple[Override, ...], Field(max_length=200)] = ()
    proof: Annotated[tuple[str, ...], Field(max_length=200)] = ()
    rests_on: Annotated[dict[Id, dict[str, Annotated[str, Field(max_length=64)]]], Field(max_length=200)] = Field(
        default_factory=dict
    )
    seal: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")] = ""


def checksum(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def program_file(name: str, text: str) -> ReleasedFile:
    return ReleasedFile(name=name, kind="program", sha256=checksum(text.encode()), text=text)


def toolpath_file(name: str, content: bytes) -> ReleasedFile:
    """A program of a toolpath system, as it was then."""
    return ReleasedFile(
        name=name, kind="toolpath", sha256=checksum(content), text=content.decode("utf-8", "replace")
    )  # fmt: skip


def without_texts(release: Release) -> Release:
    """As the record keeps it."""
    files = tuple(each.model_copy(update={"text": None}) for each in release.files)
    return release.model_copy(update={"files": files})


def then(finding: Finding) -> FindingThen:
    return FindingThen(
        code=finding.code, severity=finding.severity, setup=finding.setup, about=finding.about,
        message=finding.message(),
    )  # fmt: skip


def seal_of(release: Release) -> str:
    """Over all of it but the seal itself."""
    plain = release.model_dump(mode="json", exclude={"seal"})
    return checksum(json.dumps(plain, sort_keys=True, ensure_ascii=True).encode())


def sealed(release: Release) -> Release:
    return release.model_copy(update={"seal": seal_of(release)})


def overridden(
    findings: Iterable[Finding], reasons: Mapping[str, str], by: str, stand: Sequence[Override] = ()
) -> tuple[Override, ...]:
    """Every hazard with the reason that a named person gives for its code, or gave before: what is in ``stand`` counts
    until its finding changes.

    Raises InvalidValueError where a hazard has none, a reason says nothing, or is of what is no hazard now.
    """
    hazards = [finding for finding in findings if finding.severity == "hazard"]
    before = {id(finding): _standing(finding, stand) for finding in hazards}
    left = [finding for finding in hazards if finding.code not in reasons and before[id(finding)] is None]
    if left:
        named = "; ".join(f"{finding.code}: {finding.message()}" for finding in left)
        raise InvalidValueError(
            "release",
            f"a hazard stands, and nothing is released with it: {named} Mend it, or give a named person's reason "
            "(--override CODE=REASON)",
        )
    idle = set(reasons) - {finding.code for finding in hazards}
    if idle:
        raise InvalidValueError("override", f"there is no hazard {min(idle)} to be overridden; take that out")
    for code, reason in reasons.items():
        if len(reason.strip()) < _LEAST_REASON:
            raise InvalidValueError("override", f"{code} has no reason; write why it may be released")
    made = []
    for each in hazards:
        old = before[id(each)]
        if each.code in reasons or old is None:
            made.append(Override(finding=then(each), reason=reasons[each.code].strip(), by=by))
        else:
            made.append(old)
    return tuple(made)


def _standing(finding: Finding, stand: Sequence[Override]) -> Override | None:
    """The last one that was given for this very finding."""
    mine = [each for each in stand if each.finding.is_of(finding) and each.finding.message == finding.message()]
    return mine[-1] if mine else None


def differences(release: Release, there: Mapping[str, bytes]) -> list[str]:
    """How what lies in the folder now (by names) differs from what was released, in words."""
    told = [] if seal_of(release) == release.seal else ["the release itself was changed after it was sealed"]
    for each in release.files:
        content = there.get(each.name)
        if content is None:
            told.append(f"{each.name} is missing")
        elif checksum(content) != each.sha256:
            told += [f"{each.name} was changed after it was released", *_lines(each, content)]
    known = {each.name for each in release.files}
    endings = {_ending(each.name) for each in release.files if each.kind != "sheet"}
    extra = sorted(name for name in there if name not in known and _ending(name) in endings)
    return told + [f"{name} was not released" for name in extra]


def _ending(name: str) -> str:
    return name[name.rfind(".") :] if "." in name else ""


def _lines(file: ReleasedFile, content: bytes) -> list[str]:
    """Which lines of a program are others now, as they are and as they were."""
    if file.text is None:
        return []
    was, now = file.text.splitlines(), content.decode("utf-8", "replace").splitlines()
    told: list[str] = []
    for tag, a, b, c, d in difflib.SequenceMatcher(None, was, now, autojunk=False).get_opcodes():
        if tag != "equal":
            told += [f"  line {k + 1} was: {_shown(was[k])}" for k in range(a, b)]
            told += [f"  line {k + 1} is:  {_shown(now[k])}" for k in range(c, d)]
    if not told:
        return ["  only line ends differ"]
    return told if len(told) <= _LINES else [*told[:_LINES], f"  … and {len(told) - _LINES} lines more"]


def _shown(line: str) -> str:
    plain = "".join(sign if sign.isprintable() else "�" for sign in line)
    return plain if len(plain) <= _LONGEST else f"{plain[:_LONGEST]}…"


def stood(release: Release) -> Released:
    """As findings are held against it."""
    return Released(
        release.setups, release.by, release.at,
        tuple(StoodThen((each.code, each.setup, each.about), each.message) for each in release.findings),
        tuple(
            StoodThen((o.finding.code, o.finding.setup, o.finding.about), o.finding.message, o.reason, o.by)
            for o in release.overrides
        ),
    )  # fmt: skip


def released_of(entry: RecordEntry) -> Release | None:
    """What an entry of the record keeps of a release; None where it keeps none that can be read."""
    kept = entry.data.get(RELEASE_DATA)
    try:
        return None if not isinstance(kept, dict) else Release.model_validate(kept)
    except ValidationError:
        return None


def changed_since(release: Release, job_checksum: str, findings: Sequence[Finding]) -> list[str]:
    """What is another by now of the job that was released: its file, and what stands against it."""
    told = [] if job_checksum == release.job_checksum else ["the job has been changed since it was released"]
    for finding in findings:
        before = next((each for each in release.findings if each.is_of(finding)), None)
        if finding.severity in ("hazard", "error") and (before is None or before.message != finding.message()):
            told.append(f"released without knowing: {finding.severity} {finding.code}: {finding.message()}")
    for override in release.overrides:
        now = next((each for each in findings if override.finding.is_of(each)), None)
        if now is None or now.message() != override.finding.message:
            told.append(f"the override of {override.finding.code} by {override.by} does not stand any more: it was of "
                        "a finding that has changed")  # fmt: skip
    return told
