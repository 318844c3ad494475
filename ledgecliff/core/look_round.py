"""A look round on the demo: five things to do, each known to be done by what has come of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from .finding import Finding
from .lenses import LensKey
from .model.holding import ViseHold
from .model.job import Job
from .rehearsal.results import Rehearsal


@dataclass(frozen=True)
class Seen:
    """What there is to be seen: the job, what was found (None while it is not known), what was rehearsed, the lens."""

    job: Job
    findings: tuple[Finding, ...] | None
    rehearsal: Rehearsal | None
    lens: LensKey


@dataclass(frozen=True)
class Station:
    """``words`` say what to do; scene and lens are where, for whoever asks to be shown."""

    words: str
    scene: int
    lens: LensKey
    is_done: Callable[[Seen], bool]


def _height(seen: Seen) -> float:
    hold = seen.job.setups[0].hold
    return hold.parallels_height if isinstance(hold, ViseHold) else 0.0


def _hazards(seen: Seen) -> bool:
    return seen.findings is None or any(finding.severity == "hazard" for finding in seen.findings)


STATIONS: tuple[Station, ...] = (
    Station(
        "Change a size. Pick Op 10 on the route; through the lens Hold type 36 as the height of its parallels.",
        1,
        "hold",
        lambda seen: abs(_height(seen) - 36.0) < 1e-6,
    ),
    Station(
        "Below is what that does: a hazard, what it would cost, and a button that was tried and cures. Press it.",
        1,
        "hold",
        lambda seen: not _hazards(seen) and abs(_height(seen) - 36.0) > 1e-6,
    ),
    Station(
        "Rehearse (Ctrl+R): the simulated machine runs the probing programs with errors that they do not know of.",
        1,
        "rehearse",
        lambda seen: seen.rehearsal is not None,
    ),
    Station(
        "Each axis is held against where it really is, with what it may be off. Now look at Release.",
        1,
        "release",
        lambda seen: seen.lens == "release" and seen.rehearsal is not None,
    ),
    Station(
        "Here stands what would be written, and whether it was rehearsed. That was the round: undo takes all of it "
        "back, and Help → Look round begins it anew.",
        1,
        "release",
        lambda _seen: False,
    ),
)


def station_after(now: int, seen: Seen) -> int:
    """The station that is to be done next: as many further as are done already."""
    while now < len(STATIONS) - 1 and STATIONS[now].is_done(seen):
        now += 1
    return now
