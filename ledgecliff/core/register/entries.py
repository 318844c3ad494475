"""One line of the register, and what may be done with it.

Every change makes a new entry with the next revision; the ones before it are the code's history.
Lengths in mm, times as text in ISO 8601, given by whoever asks.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields, replace
from typing import Literal

from ..errors import RegisterError

#: Where the numbers of an offset came from.
Origin = Literal["touches", "tape", "carried over", "computed", "typed", "imported"]
#: Values this near to one another are the same (mm, degrees): less than a control shows.
SAME = 0.0005
#: A register keeps no longer label, name or word about a change (characters).
LONGEST_TEXT = 200


@dataclass(frozen=True)
class Value:
    """What the control holds: machine readings (mm), and the turn about Z (degrees)."""

    x: float
    y: float
    z: float
    turn_deg: float = 0.0

    def same_as(self, other: Value) -> bool:
        return all(abs(getattr(self, f.name) - getattr(other, f.name)) <= SAME for f in fields(self))

    def moved_from(self, before: Value) -> tuple[float, float, float]:
        return (self.x - before.x, self.y - before.y, self.z - before.z)


@dataclass(frozen=True)
class Use:
    """For whom an offset is kept: a setup of a job, one repeated position of it, and what holds the part there.

    ``job``, ``setup`` and ``instance`` are what people call them; ``job_id``, ``setup_id`` and ``place`` say which they
    are, empty in registers that were begun before there were ids; of the master of a pattern ``place`` is empty.
    ``meaning`` is a digest of what the number means (``meaning``), empty where nobody kept it; ``of_fixture`` says that
    the zero follows from the fixture alone, and ``one_for_all`` that the job keeps one code through all its setups.
    """

    job: str
    setup: str
    instance: str = ""
    fixture: str = ""
    meaning: str = ""
    of_fixture: bool = False
    job_id: str = ""
    setup_id: str = ""
    one_for_all: bool = False
    place: str = ""

    def takes_turns_with(self, other: Use) -> bool:
        """Whether both are setups of one job that keeps one code through all of them."""
        return self.one_for_all and bool(self.job_id) and self.job_id == other.job_id

    def is_for(self, other: Use) -> bool:
        """Whether both are the same place of the same job, whatever holds it and whatever it is called by now."""
        if self.job_id and other.job_id:
            mine = (self.job_id, self.setup_id, self.place or self.instance)
            return mine == (other.job_id, other.setup_id, other.place or other.instance)
        here, there = (each.place or each.instance for each in (self, other))
        return (self.job, self.setup, here) == (other.job, other.setup, there)

    def means_the_same(self, other: Use) -> bool:
        """Whether a number that was found for the one is good for the other."""
        return self.is_for(other) and self.meaning == other.meaning

    def words(self) -> str:
        return " · ".join(part for part in (self.job, self.setup, self.instance) if part)


@dataclass(frozen=True)
class Entry:
    """``revision`` is nought for a code that was never written.  ``use`` is who has it now, ``found_for`` for whom its
    value was found, ``resident`` the fixture that stays where this offset is.  ``lines`` say how the numbers came
    about, ``readings`` (JSON) from what, so that one of them can still be corrected.
    """

    code: str
    revision: int = 0
    label: str = ""
    value: Value | None = None
    origin: Origin | None = None
    lines: tuple[str, ...] = ()
    readings: str = ""
    use: Use | None = None
    found_for: Use | None = None
    resident: str = ""
    at: str = ""
    by: str = ""
    what: str = ""

    @property
    def is_free(self) -> bool:
        return self.use is None and not self.resident

    @property
    def is_stale(self) -> bool:
        """Whether the value was found for another job or setup than the one that has the code now."""
        return self.value is not None and self.use is not None and not self.was_found_for(self.use)

    def was_found_for(self, use: Use) -> bool:
        """Whether the value is good for ``use``: found for it as it is now, or that of the fixture that stays and that
        alone says where the zero is."""
        if self.found_for is not None and self.found_for.means_the_same(use):
            return True
        return bool(self.resident) and use.fixture == self.resident and use.of_fixture

    def state(self) -> str:
        """In a word, for a list."""
        if self.is_stale:
            return "stale"
        if self.use is not None:
            return "in use" if self.value is not None else "to be found"
        if self.resident:
            return "resident"
        return "free" if self.value is None else "free, old value"


# --- changes --------------------------------------------------------------------------------------


def claimed(entry: Entry, use: Use, others: Iterable[Entry] = ()) -> Entry:
    """The code kept for ``use``.

    Of a job that keeps one code through all its setups, the one that has it now gives it to the next.  Raises
    RegisterError when another setup has it, when a fixture that stays is not the one that holds this setup, or
    when ``use`` has another code among ``others``.
    """
    if entry.use is not None and not entry.use.is_for(use) and not use.takes_turns_with(entry.use):
        raise RegisterError(
            entry.code, f"{entry.use.words()} has it; release it there, or take another code for {use.words()}"
        )
    if entry.resident and use.fixture != entry.resident:
        raise RegisterError(
            entry.code,
            f"it stays with the {entry.resident}, which does not hold {use.words()}; take another code",
        )
    twice = next((each for each in others if each.code != entry.code and each.use and each.use.is_for(use)), None)
    if twice is not None:
        raise RegisterError(entry.code, f"{use.words()} has {twice.code} already; release that first")
    return _next(entry, "claimed", use=use)


def released(entry: Entry) -> Entry:
    """The code given back; its value stays until it is written over."""
    if entry.use is None:
        raise RegisterError(entry.code, "nobody has it; there is nothing to release")
    return _next(entry, f"released by {entry.use.words()}", use=None)


def with_value(
    entry: Entry,
    value: Value,
    origin: Origin,
    lines: tuple[str, ...] = (),
    found_for: Use | None = None,
    readings: str = "",
) -> Entry:
    """Another value: found for whoever has the code, unless ``found_for`` says otherwise."""
    use = found_for or entry.use
    return _next(entry, f"value ({origin})", value=value, origin=origin, lines=lines, found_for=use, readings=readings)


def labelled(entry: Entry, label: str) -> Entry:
    """Raises RegisterError for a label that is too long for the register."""
    return _next(entry, "label", label=_short_enough(entry, "label", label))


def made_resident(entry: Entry, fixture: str) -> Entry:
    """The code kept for a fixture that stays; an empty name lets it go.

    Raises RegisterError while a setup held by something else has it, and for a name that is too long.
    """
    if fixture and entry.use is not None and entry.use.fixture != fixture:
        raise RegisterError(
            entry.code, f"{entry.use.words()} has it, which the {fixture} does not hold; release it first"
        )
    return _next(entry, "resident" if fixture else "resident no more", resident=_short_enough(entry, "name", fixture))


def cleared(entry: Entry) -> Entry:
    """Without a value, as after a crash of the table or a fixture taken down."""
    return _next(entry, "cleared", value=None, origin=None, lines=(), found_for=None, readings="")


def _short_enough(entry: Entry, what: str, text: str) -> str:
    text = text.strip()
    if not text.isascii() and text.encode("utf-8", "replace").decode() != text:
        raise RegisterError(entry.code, f"the {what} holds characters that are no text (not UTF-8); type it anew")
    if len(text) > LONGEST_TEXT:
        raise RegisterError(
            entry.code, f"a {what} of {len(text)} characters is too long for the register; {LONGEST_TEXT} find room"
        )
    return text


def _next(entry: Entry, what: str, **changes: object) -> Entry:
    """Of several changes that are written together, all are told."""
    pending = f"{entry.what}, " if entry.what and not entry.at else ""
    told = pending + what
    if len(told) > LONGEST_TEXT:
        told = told[: LONGEST_TEXT - 1] + "…"
    return replace(entry, what=told, at="", by="", **changes)  # type: ignore[arg-type]


# --- looking --------------------------------------------------------------------------------------


def found(entries: Iterable[Entry], text: str) -> tuple[Entry, ...]:
    """Entries in which every word of ``text`` occurs: in code, label, user, fixture, state, origin or by whom."""
    words = text.lower().split()
    return tuple(entry for entry in entries if all(word in _searched(entry) for word in words))


def _searched(entry: Entry) -> str:
    use = entry.use
    parts = [entry.code, entry.label, entry.state(), entry.resident, entry.origin or "", entry.by, entry.at]
    parts += [use.words(), use.fixture] if use is not None else []
    return " ".join(parts).lower()
