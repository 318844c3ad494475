"""What is released: files with checksums, findings as they stood, what was overridden and by whom; under one seal."""

from __future__ import annotations

import difflib
import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from ..errors import InvalidValueError
from ..finding import Finding
from ..model.base import Model, Name
from ..model.identity import Id
from ..record.entries import Time

RELEASE_FORMAT: Literal["ledgecliff-release"] = "ledgecliff-release"
RELEASE_VERSION: Literal[1] = 1
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
    kind: Literal["program", "sheet"]
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
    """``seal`` is a checksum of all the rest."""

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
    seal: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$")] = ""


def checksum(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def program_file(name: str, text: str) -> ReleasedFile:
    return ReleasedFile(name=name, kind="program", sha256=checksum(text.encode()), text=text)


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


def overridden(findings: Iterable[Finding], reasons: Mapping[str, str], by: str) -> tuple[Override, ...]:
    """Every hazard with the reason that a named person gives for its code.

    Raises InvalidValueError where a hazard has none, a reason says nothing, or is of what is no hazard now.
    """
    hazards = [finding for finding in findings if finding.severity == "hazard"]
    left = [finding for finding in hazards if finding.code not in reasons]
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
    return tuple(Override(finding=then(each), reason=reasons[each.code].strip(), by=by) for each in hazards)


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
    endings = {_ending(each.name) for each in release.files if each.kind == "program"}
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
