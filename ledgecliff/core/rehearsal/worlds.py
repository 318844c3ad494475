"""A plan rehearsed in many true worlds, and the worst that was met in them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from ..errors import CancelledError
from ..frames import AXES, Array
from ..quantities import said
from .drawn_world import drawn_world
from .rehearse import rehearse
from .results import Rehearsal, WrittenPlan


@dataclass(frozen=True)
class WorstFound:
    """The axis of all that came nearest to its limit, or went furthest beyond it (mm)."""

    off: float
    limit: float
    axis: str
    offset: str
    setup: str
    seed: int

    @property
    def share(self) -> float:
        return self.off / self.limit


@dataclass(frozen=True)
class Worlds:
    """``alarms`` and ``amiss`` name seed, setup and words of each thing that went wrong.

    ``not_set`` are setups in which some axis is set by no program, so that it was held against nothing.
    """

    seeds: tuple[int, ...]
    worst: WorstFound | None
    alarms: tuple[tuple[int, str, str], ...]
    amiss: tuple[tuple[int, str, str], ...]
    not_set: tuple[str, ...]
    by_cards: bool = False
    #: Of one part of each: how far every pair that is asked for is off (3,), in P.
    seen: tuple[dict[tuple[str, str], Array], ...] = field(default=(), compare=False)

    @property
    def first_wrong(self) -> int | None:
        """The first seed in which anything went wrong."""
        wrong = [seed for seed, _, _ in (*self.alarms, *self.amiss)]
        return min(wrong, key=self.seeds.index) if wrong else None

    def words(self) -> str:
        """In a sentence, with lengths to be spelled."""
        parts = [f"{len(self.seeds)} trials{' by cards' if self.by_cards else ''}"]
        if self.worst is not None:
            worst = self.worst
            parts.append(
                f"worst {said(worst.off)} of {said(worst.limit)} ({worst.axis} of {worst.offset}, trial {worst.seed})"
            )
        stopped = len({seed for seed, _, _ in self.alarms})
        parts.append(f"alarms in {stopped} of them" if stopped else "no alarm")
        off = len({seed for seed, _, _ in self.amiss})
        if off:
            parts.append(f"a zero found wrong in {off}")
        if self.not_set:
            parts.append(f"not every axis is set in {', '.join(self.not_set)}")
        return ", ".join(parts) + "."


def rehearse_in_worlds(
    plan: WrittenPlan,
    seeds: Sequence[int],
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
    limit: float | None = None,
) -> Worlds:
    """One rehearsal for each seed; ``limit`` as in ``rehearse``.  Raises CancelledError once ``should_stop``."""
    done: list[Rehearsal] = []
    for count, seed in enumerate(seeds):
        progress(count, len(seeds))
        if should_stop():
            raise CancelledError
        done.append(rehearse(plan, drawn_world(plan, seed), should_stop=should_stop, limit=limit))
    progress(len(seeds), len(seeds))
    return worlds_of(done)


def worlds_of(rehearsals: Sequence[Rehearsal]) -> Worlds:
    """The same of rehearsals that were made already."""
    worst: WorstFound | None = None
    for each in rehearsals:
        for setup in each.every:
            for k, limit in enumerate(setup.limits):
                if limit is None:
                    continue
                off = abs(float(setup.difference[k]))
                found = WorstFound(off, limit, AXES[k].upper(), setup.offset, setup.full_name, each.seed)
                if worst is None or found.share > worst.share:
                    worst = found
    ran = [(each.seed, setup) for each in rehearsals for setup in each.every if setup.ran]
    return Worlds(
        seeds=tuple(each.seed for each in rehearsals),
        worst=worst,
        alarms=tuple((seed, setup.name, words) for seed, setup in ran for words in setup.alarms),
        amiss=tuple((seed, setup.name, words) for seed, setup in ran for words in setup.amiss),
        not_set=tuple(dict.fromkeys(s.name for _, s in ran if not s.stopped and None in s.limits)),
        by_cards=any(each.by_cards for each in rehearsals),
        seen=tuple(seen for each in rehearsals for seen in each.seen),
    )
