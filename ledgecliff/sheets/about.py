"""What a sheet says of itself."""

from __future__ import annotations

from dataclasses import dataclass

from ledgecliff.core.rehearsal.results import Rehearsal
from ledgecliff.core.rehearsal.worlds import Worlds

from .marked import PageMark
from .wanted import Paper


@dataclass(frozen=True)
class About:
    """When a sheet was written and by whom, from what state of the job, and what a rehearsal of it came to; the job's
    checksum, where it is known, and the paper it is for."""

    when: str = ""
    who: str = ""
    state: str = ""
    rehearsal: Rehearsal | None = None
    worlds: Worlds | None = None
    checksum: str = ""
    paper: Paper = "A4"

    def mark(self, job: str) -> PageMark | None:
        return PageMark(job, self.checksum) if self.checksum else None

    def words(self) -> str:
        by = f"by {self.who}" if self.who else ""
        return " · ".join(part for part in (f"{self.when} {by}".strip(), self.state) if part)


NOT_SAID = About()
