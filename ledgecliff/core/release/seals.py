"""How far each setup has come: planned, checked, rehearsed, released, run.

Any edit that matters takes a setup back to planned, and it is said what was changed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import JsonValue

from ..finding import Finding
from ..model.job import Job
from ..record.entries import RecordEntry, standing
from ..record.subjects import of_setup
from ..record.times import moment
from .resting import changed_parts, resting_of

Stage = Literal["planned", "checked", "rehearsed", "released", "run"]
#: Under which an entry keeps what it rests on, by the setup's id, who released it, and what was amiss then.
RESTS_ON = "rests on"
RELEASED_BY = "released by"
_AMISS, _STATE, _DONE = "amiss", "state", "done"
_WORDS: Mapping[str, str] = {"rehearsal": "rehearsed", "release": "released"}


@dataclass(frozen=True)
class Seal:
    """Of a setup (its ``id`` and ``name``): its ``stage``, since when and by whom where the record says so, and what
    was ``changed`` since it was last rehearsed or released, where it was."""

    id: str
    name: str
    stage: Stage
    at: str = ""
    by: str = ""
    changed: tuple[str, ...] = ()

    def words(self) -> str:
        since = f", {self.by}, {self.at[:16].replace('T', ' ')}" if self.at else ""
        return f"{self.stage}{since}"

    def changed_words(self) -> str:
        """Empty where nothing was."""
        return f"changed since it was {self.changed[0]}: {', '.join(self.changed[1:])}" if self.changed else ""


def seals_of(
    job: Job, findings: Sequence[Finding] | None, entries: Sequence[RecordEntry], rehearsed: Sequence[str] = ()
) -> tuple[Seal, ...]:
    """Of each setup.  ``findings`` are None while they are not known; ``entries`` are of the record, about this job;
    ``rehearsed`` are the ids of setups that were just rehearsed with nothing amiss."""
    stand = sorted(standing(entries), key=lambda each: moment(each.at))
    return tuple(_seal(job, index, findings, stand, rehearsed) for index in range(len(job.setups)))


def rests_on(job: Job) -> dict[str, JsonValue]:
    """What an entry keeps of it: of every setup, by its id."""
    return {setup.id: dict(resting_of(job, index)) for index, setup in enumerate(job.setups)}


def _seal(
    job: Job, index: int, findings: Sequence[Finding] | None, entries: Sequence[RecordEntry], rehearsed: Sequence[str]
) -> Seal:
    setup, now = job.setups[index], resting_of(job, index)
    mine = of_setup(job, setup)
    about = [each for each in entries if each.is_about("setup", mine.id)]
    resting = [each for each in about if each.kind in _WORDS and _rests(each, setup.id) is not None]
    whole = [each for each in resting if _rests(each, setup.id) == now]
    released = next((each for each in reversed(whole) if each.kind == "release"), None)
    if released is not None:
        ran = _ran(about, released)
        if ran is not None:
            return Seal(setup.id, setup.name, "run", ran.at, ran.by)
        return Seal(setup.id, setup.name, "released", released.at, str(released.data.get(RELEASED_BY) or released.by))
    changed: tuple[str, ...] = ()
    if resting and resting[-1] not in whole:
        before = _rests(resting[-1], setup.id)
        changed = (_WORDS[resting[-1].kind], *changed_parts(before or {}, now))
    proven = next((each for each in reversed(whole) if not each.data.get(_AMISS)), None)
    if setup.id in rehearsed:
        return Seal(setup.id, setup.name, "rehearsed", changed=changed)
    if proven is not None:
        return Seal(setup.id, setup.name, "rehearsed", proven.at, proven.by, changed)
    bad = findings is None or any(_stops(each, setup.name) for each in findings)
    return Seal(setup.id, setup.name, "planned" if bad else "checked", changed=changed)


def _stops(finding: Finding, setup: str) -> bool:
    return finding.severity in ("hazard", "error") and finding.setup in ("", setup)


def _rests(entry: RecordEntry, setup: str) -> dict[str, str] | None:
    rests = entry.data.get(RESTS_ON)
    mine = rests.get(setup) if isinstance(rests, dict) else None
    return {name: str(value) for name, value in mine.items()} if isinstance(mine, dict) else None


def _ran(about: Sequence[RecordEntry], released: RecordEntry) -> RecordEntry | None:
    """The last of its tasks that was ticked off since it was released, in a run or on its checklist, unless some was
    taken back since."""
    cut = [each for each in about if each.kind == "ticked" and ("task" in each.data or each.data.get("part") == "cut")]
    since = [each for each in cut if moment(each.at) >= moment(released.at)]
    if not since:
        return None
    last_of = {
        (each.what.rpartition(":")[0], str(each.data.get("task", each.data.get("check")))): each for each in since
    }
    if any(each.data.get(_STATE) != _DONE for each in last_of.values()):
        return None
    return since[-1]
