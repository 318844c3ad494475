"""What was released and stands: whether on what is found now, and whether its files are still the same."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..finding import Finding

#: So many differences are told.
_TOLD = 4


@dataclass(frozen=True)
class StoodThen:
    """A finding as it stood when something was released, lengths in mm; overridden with a ``reason`` by somebody."""

    key: tuple[str, str, str]
    message: str
    reason: str = ""
    by: str = ""


@dataclass(frozen=True)
class Released:
    """A release that still rests on the job as it is: of which setups, by whom and when, what stood then, and in words
    how the files in its folder differ by now, where that is here."""

    setups: tuple[str, ...]
    by: str
    at: str
    found: tuple[StoodThen, ...]
    overridden: tuple[StoodThen, ...]
    differs: tuple[str, ...] = ()
    folder: str = ""

    def words(self) -> str:
        return f"{', '.join(self.setups)} (released by {self.by}, {self.at[:16].replace('T', ' ')})"


def released_findings(found: Sequence[Finding], released: Sequence[Released]) -> Iterator[Finding]:
    """``found`` are all other findings as they stand now."""
    for each in released:
        told = _since(found, each)
        if told:
            yield Finding(
                "RELEASED_ON_OTHER_FINDINGS", "warning", "",
                f"{each.words()} was released on other findings than stand now: {_few(told)}.",
                "Look at them, and release it anew.", about=each.at,
            )  # fmt: skip
        if each.differs:
            yield Finding(
                "RELEASED_FILES_DIFFER", "error", "",
                f"In {each.folder} lies something else than was released of {each.words()}: {_few(each.differs)}.",
                "Find out who changed it and why; put back what was released, or release it anew.", about=each.at,
            )  # fmt: skip


def _since(found: Sequence[Finding], released: Released) -> list[str]:
    """What stops a plan and was not known then, and overrides whose finding is another by now or gone."""
    of = {"", *released.setups}
    known = {each.key: each.message for each in released.found}
    told = [
        f"{each.severity} {each.code} {'is another' if each.key in known else 'was not known'}"
        for each in found
        if each.severity in ("hazard", "error") and each.setup in of and known.get(each.key) != each.message()
    ]
    now = {each.key: each.message() for each in found}
    return told + [
        f"the override of {each.key[0]} by {each.by} was of what is not found so any more"
        for each in released.overridden
        if now.get(each.key) != each.message
    ]


def _few(told: Sequence[str]) -> str:
    shown = "; ".join(each.strip() for each in told[:_TOLD])
    return shown if len(told) <= _TOLD else f"{shown}; and {len(told) - _TOLD} more"
