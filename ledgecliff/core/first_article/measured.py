"""What was measured of a part, as the record has it, and whether that passes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..finding import Finding
from ..model.job import Job
from ..quantities import said
from ..record.entries import RecordEntry, standing
from ..record.made import Draft
from ..record.subjects import about, of_job
from ..record.times import moment
from .lines import Line, lines_of

#: Under which an entry says of which part it is, with what and by whom it was measured.
_PART, _WITH, _BY, _WHAT, _FEATURE = "article", "with", "measured by", "what", "feature"
FIRST = "1"


@dataclass(frozen=True)
class Judged:
    """A line with its newest ``value`` (mm), ``by`` whom, ``with_what`` and when; None where there is none yet."""

    line: Line
    value: float | None = None
    by: str = ""
    with_what: str = ""
    at: str = ""

    @property
    def verdict(self) -> str:
        if self.value is None or not self.line.is_judged:
            return ""
        return "pass" if self.line.passes(self.value) else "FAIL"


def article(job: Job, entries: Iterable[RecordEntry], part: str = FIRST) -> tuple[Judged, ...]:
    """Every line with what was measured last of that part; ``entries`` of the record are about the job."""
    newest: dict[tuple[str, str], RecordEntry] = {}
    for entry in _of_part(job, entries, part):
        newest[str(entry.data.get(_FEATURE)), str(entry.data.get(_WHAT))] = entry
    return tuple(_judged(line, newest.get(line.key)) for line in lines_of(job))


def _judged(line: Line, entry: RecordEntry | None) -> Judged:
    if entry is None or line.what not in entry.numbers:
        return Judged(line)
    by = str(entry.data.get(_BY) or entry.by)
    return Judged(line, entry.numbers[line.what], by, str(entry.data.get(_WITH, "")), entry.at)


def _of_part(job: Job, entries: Iterable[RecordEntry], part: str) -> Iterator[RecordEntry]:
    for entry in _articles(job, entries):
        if entry.data.get(_PART) == part:
            yield entry


def _articles(job: Job, entries: Iterable[RecordEntry]) -> list[RecordEntry]:
    """What stands, oldest first."""
    mine = [each for each in entries if each.kind == "measured" and _PART in each.data and each.is_about("job", job.id)]
    return sorted(standing(mine), key=lambda each: moment(each.at))


def parts_measured(job: Job, entries: Iterable[RecordEntry]) -> tuple[str, ...]:
    """The parts of which something was measured, the one that was measured last at the end."""
    names = [str(each.data[_PART]) for each in _articles(job, entries)]
    return tuple(reversed(dict.fromkeys(reversed(names))))


def of_values(job: Job, part: str, values: Sequence[tuple[Line, float]], by: str, with_what: str) -> list[Draft]:
    """An entry for each value.  Raises InvalidValueError for a part without a name."""
    if not part.strip():
        raise InvalidValueError("part", "has no name; write its number or what is marked on it")
    return [
        Draft(
            "measured",
            f"part {part.strip()}: {line.feature} {line.what}",
            (of_job(job), about("feature", f"{job.id}/{line.feature}", line.feature)),
            {line.what: value},
            {_PART: part.strip(), _FEATURE: line.feature, _WHAT: line.what, _WITH: with_what, _BY: by},
        )
        for line, value in values
    ]  # fmt: skip


def from_touches(job: Job, entries: Iterable[RecordEntry]) -> list[tuple[Line, float, RecordEntry]]:
    """Sizes that a probe has touched last of features of this job, with the entry each comes from."""
    found: dict[tuple[str, str], tuple[Line, float, RecordEntry]] = {}
    touched = [each for each in standing(entries) if each.kind == "touch" and each.is_about("job", job.id)]
    for entry in sorted(touched, key=lambda each: moment(each.at)):
        size = entry.numbers.get("size")
        for line in lines_of(job) if size is not None else ():
            if line.what in ("diameter", "width") and entry.is_about("feature", f"{job.id}/{line.feature}"):
                found[line.key] = (line, entry.numbers["size"], entry)
    return list(found.values())


def article_findings(job: Job, entries: Sequence[RecordEntry]) -> Iterator[Finding]:
    """What fails of the part that was measured last."""
    parts = parts_measured(job, entries)
    if not parts:
        return
    for each in article(job, entries, parts[-1]):
        line, value = each.line, each.value
        if each.verdict != "FAIL" or value is None or line.low is None or line.high is None:
            continue
        yield Finding(
            "FIRST_ARTICLE_OUT", "error", "",
            f"Part {parts[-1]}: {line.feature}, {line.what} measured {said(value)} ({each.by}, {each.at[:10]}), asked "
            f"for are {said(line.low)} to {said(line.high)}.",
            "Find out why before another part is cut; correct the value in the record if it was misread, or measure "
            "the part that was mended.",
            about=f"{line.feature} {line.what}",
        )  # fmt: skip
