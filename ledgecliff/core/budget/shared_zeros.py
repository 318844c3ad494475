"""A zero that an instance of a pattern has not found by itself: it was found at the first of the load, or is known.

The first part of a load is a part of its own: how it lay, how its blank was, and where it was cut is another deviation
than that of the part that is looked at, though it is spread alike.  What fixtures, axes and touches have left is the
same for both.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from ..frames import AXES
from ..model.pattern import Pattern, Probed
from ..patterns.instances import pattern_of
from ..plan import Plan
from .held import stands
from .lying import pattern_off
from .moved import Moved
from .offs import NOTHING, Kind, Off, Source, added
from .zeros import zero

if TYPE_CHECKING:
    from .chain import Chain

#: Who finds the zero that a part is cut from: itself, the first of the load, or nobody since its place is known.
Finder = Literal["itself", "the first", "nobody"]
_FINDER: Mapping[Probed, Finder] = {"every one": "itself", "first of the load": "the first", "none": "nobody"}
#: What is of one part, and of no other.
_OF_A_PART: tuple[Kind, ...] = ("lies", "skew", "play", "blank", "lands", "treatment")
_FIRST = "first "
_UNIT = np.eye(3)


def finder_of(pattern: Pattern | None, probed: Probed | None = None) -> Finder:
    """``probed`` instead of how the pattern has it; all that share one offset cannot each find their own."""
    if pattern is None:
        return "itself"
    finder = _FINDER[probed or pattern.probed]
    return "the first" if finder == "itself" and probed is None and pattern.school != "own each" else finder


def finders(plan: Plan, probed: Mapping[int, Probed]) -> dict[int, Finder]:
    """Of every setup, some of them probed otherwise than the job has it."""
    return {
        index: finder_of(pattern_of(plan.job, index), probed.get(index)) for index in range(len(plan.setups))
    }  # fmt: skip


def shared_zero(chain: Chain, index: int) -> Moved:
    """How far off a setup's zero is for a part that stands at a station which did not find it."""
    found = zero(chain, index)
    if chain.finders[index] == "itself":
        return found
    if chain.finders[index] == "nobody":
        found = Moved(_known(chain, index, found.shift), NOTHING, found.p_middle)
    shift, turn = (_of_the_first(chain, index, off) for off in (found.shift, found.turn))
    return Moved(shift + _apart(chain, index), turn, found.p_middle)


def _known(chain: Chain, index: int, found: Off) -> Off:
    """Known is where what holds it stands; what is taken over stays as it was."""
    setup = chain.setup(index)
    taken = np.array([axis in setup.probing.carried or axis in setup.probing.indexed for axis in AXES], dtype=float)
    of_machine = setup.located.tf_m_u.turn
    over = of_machine @ np.diag(taken) @ of_machine.T
    return found.turned(over) + stands(chain, index).turned(_UNIT - over)


def _apart(chain: Chain, index: int) -> Off:
    """How far its station is off where the pattern has it, against the one that was found."""
    setup, pattern = chain.setup(index), pattern_of(chain.plan.job, index)
    assert pattern is not None, "a zero is shared in a pattern"
    path = ("setups", index, "pattern", "pattern_error")
    return added(
        chain.met(
            Source(
                f"{setup.setup.id} station {axis}",
                "station",
                f"where a station is in the pattern in {axis.upper()}, {setup.setup.name}",
                pattern_off(pattern),
                path,
            ),
            # What stands further out is cut as if it did not.
            -_UNIT[k],
        )
        for k, axis in enumerate(AXES[:2])
    )


def _of_the_first(chain: Chain, index: int, off: Off) -> Off:
    """The same of another part than the one that is looked at, the first of the load."""
    of = {name: each for each in chain.sources.values() for name in each.coordinates}
    terms = {}
    for name, by in off.terms.items():
        source = of[name]
        if source.kind == "station":
            continue  # the first is where stations are counted from
        if _is_of_a_part(chain, index, source) and not source.key.startswith(_FIRST):
            twin = replace(source, key=f"{_FIRST}{source.key}", name=f"{source.name}, of the first part")
            chain.meet(twin)
            name = twin.coordinates[source.coordinates.index(name)]
        terms[name] = by
    return Off(terms)


def _is_of_a_part(chain: Chain, index: int, source: Source) -> bool:
    if source.kind != "reading":
        return source.kind in _OF_A_PART
    # What was found for every part by itself before was read for every part by itself.
    own = next((k for k, each in enumerate(chain.plan.setups) if source.key.startswith(each.setup.id)), index)
    return own != index and chain.finders[own] == "itself"
