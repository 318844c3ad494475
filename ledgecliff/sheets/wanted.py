"""What is wanted on a sheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from ledgecliff.core.first_article.measured import FIRST, Judged
from ledgecliff.core.plan import Plan
from ledgecliff.core.setup_plan import SetupPlan

Paper = Literal["A4", "letter"]
PAPERS: tuple[Paper, ...] = ("A4", "letter")
#: Every kind of sheet of a job, and what each is called.
KIND_WORDS = {
    "setup": "Setup sheet", "turn": "Turn sheet", "table": "Table sheet", "tools": "Tool list",
    "first-article": "First article", "labels": "Offset labels",
}  # fmt: skip
SHEET_KINDS = tuple(KIND_WORDS)


@dataclass(frozen=True)
class Wanted:
    """What of a job is wanted: some ``setups`` (from 0) or all; of the first article what was measured of which
    ``part``, and which later ``parts`` have a column to be filled in."""

    setups: Sequence[int] = ()
    measured: Sequence[Judged] = ()
    part: str = FIRST
    parts: int = 1
    every: int = 1

    def of(self, plan: Plan) -> list[SetupPlan]:
        return [plan.setups[k] for k in self.setups] if self.setups else list(plan.setups)


ALL = Wanted()
