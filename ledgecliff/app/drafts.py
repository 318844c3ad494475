"""Touch-offs that are being typed, by job and setup, until they are kept in the register."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ledgecliff.core.touchoff.draft import HandDraft

#: Ids of a job and of a setup of it.
_Whose = tuple[str, str]


class Drafts:
    """What was typed outlives the job's being closed, not the program's (see ``store.recovery``); with each goes the
    page that was left."""

    def __init__(self) -> None:
        self._typed: dict[_Whose, HandDraft] = {}
        self._pages: dict[_Whose, str] = {}

    def typed(self, job: str, setup: str) -> HandDraft | None:
        return self._typed.get((job, setup))

    def put(self, job: str, setup: str, draft: HandDraft | None) -> None:
        if draft is None:
            self._typed.pop((job, setup), None)
        else:
            self._typed[job, setup] = draft

    def page(self, job: str, setup: str) -> str | None:
        return self._pages.get((job, setup))

    def turn_to(self, job: str, setup: str, page: str) -> None:
        self._pages[job, setup] = page

    def setups(self, job: str) -> set[str]:
        """Those of a job for which something is typed and not kept."""
        return {setup for of, setup in self._typed if of == job}

    def __bool__(self) -> bool:
        return bool(self._typed)

    def move(self, job: str, to: str) -> None:
        """A job has another id, by being saved elsewhere: what is typed goes along."""
        self._typed = {(to if of == job else of, setup): each for (of, setup), each in self._typed.items()}
        self._pages = {(to if of == job else of, setup): each for (of, setup), each in self._pages.items()}

    def record(self, job: str) -> dict[str, Any]:
        """What is typed for a job, as JSON values."""
        return {
            setup: {"draft": self._typed[job, setup].model_dump(mode="json"), "page": self._pages.get((job, setup))}
            for setup in self.setups(job)
        }

    def take(self, job: str, record: Mapping[str, Any]) -> None:
        """What ``record`` made; what another version wrote and this one cannot read is left out."""
        for setup, each in record.items():
            try:
                self.put(job, setup, HandDraft.model_validate(each["draft"]))
            except (ValidationError, KeyError, TypeError):
                continue
            if isinstance(each.get("page"), str):
                self.turn_to(job, setup, each["page"])
