"""One entry of the record, what it is about, and what stands after corrections.

Numbers are mm and degrees, times text in ISO 8601 with its zone, given by whoever asks.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, JsonValue, ValidationError, model_validator

from ..errors import InvalidValueError
from ..model.base import Model
from ..model.identity import Id
from .times import moment

#: What an entry is: an offset that was written; a touch, a value that was measured or read off by hand; a rehearsal; a
#: task that was ticked off or taken back; a release; an override of a finding; a note; and a mark in time, from which
#: on values are not to be compared with those before (a fixture changed or cut anew, a probe calibrated).
Kind = Literal["offset", "touch", "measured", "tape", "rehearsal", "ticked", "release", "override", "note", "mark"]
KINDS: tuple[Kind, ...] = Kind.__args__  # type: ignore[attr-defined]
SubjectKind = Literal[
    "machine", "offset", "fixture", "station", "tool", "probe", "job", "setup", "instance", "feature", "run", "batch",
    "thing",
]  # fmt: skip
SUBJECT_KINDS: tuple[SubjectKind, ...] = SubjectKind.__args__  # type: ignore[attr-defined]

LONGEST_NAME, LONGEST_TEXT = 200, 20_000
#: Largest number that is kept (mm, degrees, minutes).
_LARGEST = 1e9
_NOT_STORED = "\x00"


def _storable(text: str) -> str:
    """With a mark for what no database keeps: a name must not keep an entry from being written."""
    return text.replace(_NOT_STORED, "\ufffd")


def _storable_data(data: dict[str, JsonValue]) -> dict[str, JsonValue]:
    return {_storable(name): _storable_value(value) for name, value in data.items()}


def _storable_value(value: JsonValue) -> JsonValue:
    if isinstance(value, str):
        return _storable(value)
    if isinstance(value, list):
        return [_storable_value(each) for each in value]
    if isinstance(value, dict):
        return _storable_data(value)
    if isinstance(value, float) and not math.isfinite(value):
        raise ValueError("holds what is no number; leave it out")
    return value


#: What an identity is made of, whatever it is of: ids of the model, and words of what has none.
SubjectId = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME), AfterValidator(_storable)]
NameThen = Annotated[str, Field(max_length=LONGEST_NAME), AfterValidator(_storable)]
Number = Annotated[float, Field(ge=-_LARGEST, le=_LARGEST, allow_inf_nan=False)]


def _time(text: str) -> str:
    try:
        moment(text)
    except ValueError as error:
        raise ValueError(f"{error}; write one such as 2026-03-09T07:30:00+01:00") from error
    return text


Time = Annotated[str, Field(max_length=40), AfterValidator(_time)]


class Subject(Model):
    """What an entry is about: ``id`` says which it is, ``name`` what it was called then."""

    kind: SubjectKind
    id: SubjectId
    name: NameThen = ""


class RecordEntry(Model):
    """``what`` says it in words, ``numbers`` by what each is called, ``data`` is all else that its kind has.

    ``job_checksum`` is that of the job's file when it was written.  ``corrects`` is the id of another entry, in whose
    place this one stands; with ``withdrawn`` nothing stands there any more.
    """

    id: Id
    kind: Kind
    at: Time
    by: NameThen
    workstation: NameThen = ""
    job_checksum: Annotated[str, Field(max_length=64)] = ""
    on: Annotated[tuple[Subject, ...], Field(max_length=50)] = ()
    what: Annotated[str, Field(max_length=LONGEST_TEXT), AfterValidator(_storable)] = ""
    numbers: Annotated[dict[NameThen, Number], Field(max_length=200)] = Field(default_factory=dict)
    data: Annotated[dict[str, JsonValue], AfterValidator(_storable_data)] = Field(default_factory=dict)
    corrects: Id | None = None
    withdrawn: bool = False

    @model_validator(mode="after")
    def _corrects_another(self) -> RecordEntry:
        if self.corrects == self.id:
            raise ValueError("an entry cannot correct itself; name the one that is wrong")
        if self.withdrawn and self.corrects is None:
            raise ValueError("an entry that withdraws must name which; say what it corrects")
        return self

    def is_about(self, kind: str, subject: str) -> bool:
        return any(each.kind == kind and each.id == subject for each in self.on)


def made_entry(**fields: object) -> RecordEntry:
    """Of fields as they were typed.  Raises InvalidValueError that names the one that is wrong."""
    try:
        return RecordEntry.model_validate(fields)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        field = ".".join(map(str, first["loc"])) or "entry"
        raise InvalidValueError(field, f"{first['msg'].lower()}; correct it") from None


def correction(wrong: RecordEntry, **fields: object) -> RecordEntry:
    """In the place of another entry, about the same, with ``fields`` said anew (its id, time and name among them).
    Raises InvalidValueError."""
    kept = {"kind": wrong.kind, "job_checksum": wrong.job_checksum, "on": wrong.on, "what": wrong.what}
    return made_entry(**(kept | {"numbers": wrong.numbers, "data": wrong.data, "corrects": wrong.id} | fields))


def standing(entries: Iterable[RecordEntry]) -> list[RecordEntry]:
    """Those that stand, by time: of each that was corrected the last correction, in its place in time; of one that was
    withdrawn nothing.  What is corrected and not among them stands as it is told."""
    known = list(entries)
    by_id = {each.id: each for each in known}
    replaced: dict[str, RecordEntry] = {}
    for each in sorted(known, key=lambda entry: (moment(entry.at), entry.id)):
        if each.corrects is not None:
            replaced[each.corrects] = each
    first = [each for each in known if each.corrects is None or each.corrects not in by_id]
    found = []
    for each in first:
        last = _last(each, replaced)
        if not last.withdrawn:
            found.append(last.model_copy(update={"at": each.at}))
    return sorted(found, key=lambda entry: (moment(entry.at), entry.id))


def _last(entry: RecordEntry, replaced: Mapping[str, RecordEntry]) -> RecordEntry:
    """The end of its corrections; one that leads back to an earlier one of them ends there."""
    seen = {entry.id}
    while (after := replaced.get(entry.id)) is not None and after.id not in seen:
        entry = after
        seen.add(entry.id)
    return entry
