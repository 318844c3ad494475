"""What must hold of in-process stock, whatever the part: held against the numbers, not hoped for.

The boolean library answers for some solids with another volume and no error.  So after every setup the stock
must still contain the part, and what it was must be what it is and what was taken.  Stock only ever grows
less within a setup, so what the last state contains every state before it contained.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import TypeAlias

import manifold3d

from ..cutting.cuts import Cut, states_its_shape
from ..errors import InternalError
from .states import Cutting

Solid: TypeAlias = manifold3d.Manifold
#: Volumes of one thing worked out in two ways may differ by this share of the stock: rounding of doubles.
_ROUNDING = 1e-9
#: And by so much (mm³), which is a thousandth of a crumb.
_CRUMB = 1e-3


def check_cuts(cuts: Sequence[Cut], states: Sequence[Solid], taken: Sequence[Solid], part: Solid) -> None:
    """``states`` are the stock before the first cut, after it, and so on; ``taken`` what each cut takes.

    Raises InternalError, which names the operation at fault, where part is lost or the volumes do not balance.
    """
    if not _fault(cuts, states[0], states[-1], taken, part):
        return
    for k, one in enumerate(cuts):
        fault = _fault([one], states[k], states[k + 1], [taken[k]], part)
        if fault:
            raise InternalError(f"operation '{one.operation.name}'", fault)
    fault = _fault(cuts, states[0], states[-1], taken, part)
    raise InternalError(f"operations '{cuts[0].operation.name}' to '{cuts[-1].operation.name}'", fault)


@lru_cache(maxsize=256)
def check_of_blank(cutting: Cutting, cuts: tuple[Cut, ...], part: Solid) -> None:
    """The same for what the cuts of a setup do to the blank itself; what held once is not asked again."""
    if not cuts:
        return
    taken = [cutting.removed(k) for k in range(len(cuts))]
    if not _fault(cuts, cutting.before(0).solid, cutting.after(len(cuts) - 1).solid, taken, part):
        return
    check_cuts(cuts, [cutting.before(k).solid for k in range(len(cuts) + 1)], taken, part)


def _fault(cuts: Sequence[Cut], before: Solid, after: Solid, taken: Sequence[Solid], part: Solid) -> str:
    """What is wrong between two states, in words; empty where nothing is."""
    had = float(before.volume())
    rounding = _ROUNDING * had + _CRUMB
    removed = sum(float(each.volume()) for each in taken)
    off = had - float(after.volume()) - removed
    if abs(off) > rounding:
        return f"{had:.6g} mm³ were there, {removed:.6g} are removed and {float(after.volume()):.6g} are left"
    missing = float((part - after).volume())
    if missing > rounding:
        missing -= float((part - before).volume())
        # What an operation takes by its own numbers may be part: that is the job's doing, and a finding tells it.
        own = zip(cuts, taken, strict=True)
        missing -= sum(float((each ^ part).volume()) for one, each in own if states_its_shape(one.operation))
    if missing > rounding:
        return f"the stock it leaves lacks {missing:.6g} mm³ of the finished part"
    return ""
