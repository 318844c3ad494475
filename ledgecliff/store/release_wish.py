"""What is to be released."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ledgecliff.core.findings.everything import NOTHING_BESIDE, Beside
from ledgecliff.core.quantities import Unit
from ledgecliff.core.rehearsal.results import Rehearsal
from ledgecliff.core.rehearsal.worlds import Worlds
from ledgecliff.sheets.wanted import Paper


@dataclass(frozen=True)
class Wish:
    """What is to be released: of some ``setups`` (from 0) or all, by whom, with which reasons for hazards (by code),
    on what is known ``beside`` the job, what a rehearsal came to, and for which paper."""

    by: str
    setups: Sequence[int] = ()
    reasons: Mapping[str, str] = field(default_factory=dict)
    beside: Beside = NOTHING_BESIDE
    rehearsal: Rehearsal | None = None
    worlds: Worlds | None = None
    paper: Paper = "A4"
    unit: Unit = "mm"
