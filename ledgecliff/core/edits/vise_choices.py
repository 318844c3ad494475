"""What can be chosen for a vise: jaws by kind or of the shop's own sets, parallels of its pairs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from ..changing import set_value
from ..model.holding import Hold, Jaws, ParallelsSet, SoftJaws, ViseHold
from ..model.job import Job
from ..model.shop import NamedJaws
from ..quantities import said_bare

JawKind = Literal["plain", "stepped", "soft", "v"]
#: Words and kind of jaws that need no set of the shop.
JAW_KINDS: tuple[tuple[str, JawKind], ...] = (
    ("plain, with parallels", "plain"),
    ("stepped", "stepped"),
    ("soft, cut to shape", "soft"),
    ("with a groove, for round stock upright", "v"),
)
#: A height of a set of parallels.
Pair = tuple[float, ParallelsSet]


def jaws_offered(sets: Sequence[NamedJaws]) -> tuple[tuple[str, JawKind | Jaws], ...]:
    """Each kind, then the shop's own sets by name."""
    return (*JAW_KINDS, *((named.name, named.jaws) for named in sets))


def jaws_now(hold: ViseHold, sets: Sequence[NamedJaws]) -> JawKind | Jaws:
    """The set that is mounted, or the kind of what is mounted where that is none of the shop's."""
    return next((named.jaws for named in sets if named.jaws == hold.jaws), hold.jaws.kind)


def parallels_offered(sets: Sequence[ParallelsSet]) -> tuple[tuple[str, Pair], ...]:
    """Every height of every set, lowest first, in words with the height to be spelled."""
    return tuple(
        (f"{said_bare(height)} · {each.name}", (height, each)) for each in sets for height in sorted(each.heights)
    )


def parallels_now(hold: ViseHold, sets: Sequence[ParallelsSet]) -> Pair | None:
    """The pair of the shop that stands there; None where the sizes are of none."""
    sizes = (hold.parallels_height, hold.parallels_thickness, hold.parallels_length)
    return next(
        (pair for _, pair in parallels_offered(sets) if (pair[0], pair[1].thickness, pair[1].length) == sizes), None
    )


def with_parallels(job: Job, setup: int, pair: Pair) -> Job:
    """A setup whose part stands on a pair of the shop's."""
    height, each = pair
    hold = job.setups[setup].hold
    sizes = {"parallels_height": height, "parallels_thickness": each.thickness, "parallels_length": each.length}
    return set_value(job, ("setups", setup, "hold"), hold.model_copy(update=sizes))


def shape_of(hold: Hold) -> object:
    """What a hold has, whatever its sizes: with another shape it has other fields."""
    if not isinstance(hold, ViseHold):
        return [getattr(hold, name, None) not in (None, False) for name in ("registered", "second", "mark")]
    bored = isinstance(hold.jaws, SoftJaws) and hold.jaws.bore is not None
    return hold.jaws.kind, hold.stop and (hold.stop.side, hold.stop.at_jaw_end), bored
