"""What must hold of in-process stock, whatever the part: held against the numbers, not hoped for.

The boolean library answers for some solids with another volume and no error.  So after every setup the stock
must still contain the part, and what it was must be what it is and what was taken.  Stock only ever grows
less within a setup, so what the last state contains every state before it contained.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from typing import TypeAlias

import manifold3d

from ..cutting.cuts import Cut, states_its_shape
from ..errors import InternalError
from ..solids.geometry import PartGeometry
from ..solids.over_part import over_part
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
    _name_fault(cuts, states, taken, lambda run, before, after, gone: _fault(run, before, after, gone, part))


@lru_cache(maxsize=256)
def check_balance(cutting: Cutting, cuts: tuple[Cut, ...]) -> None:
    """That what the cuts of a setup take of the blank itself, and what they leave, is what was there.

    ``check_cuts`` holds what is kept of any blank against the part, and the blank's stock is what that and the blank
    have in common: such a share that balances and yet lacks some of the part would be wrong in two booleans alike.
    """
    if cuts:
        states, taken = _states(cutting, len(cuts))
        _name_fault(cuts, states, taken, lambda _run, before, after, gone: _unbalanced(before, after, gone))


@lru_cache(maxsize=256)
def check_part_is_left(cutting: Cutting, cuts: tuple[Cut, ...], geometry: PartGeometry) -> None:
    """The same of the part itself, boolean by boolean: it takes longer than all else that another blank changes, so a
    plan is shown before, and nothing of it is handed over."""
    if not cuts:
        return
    # What stands over the part is asked for by others too, and tells it where all of the part is there.
    after, part = cutting.after(len(cuts) - 1).solid, geometry.solid
    shared = float(after.volume()) - float(over_part(after, geometry).solid.volume())
    if float(part.volume()) - shared > _rounding(float(cutting.before(0).solid.volume())):
        states, taken = _states(cutting, len(cuts))
        _name_fault(cuts, states, taken, lambda run, before, after, gone: _fault(run, before, after, gone, part))


def _states(cutting: Cutting, count: int) -> tuple[list[Solid], list[Solid]]:
    return [cutting.before(k).solid for k in range(count + 1)], [cutting.removed(k) for k in range(count)]


def _name_fault(
    cuts: Sequence[Cut],
    states: Sequence[Solid],
    taken: Sequence[Solid],
    fault_of: Callable[[Sequence[Cut], Solid, Solid, Sequence[Solid]], str],
) -> None:
    """Asks of all cuts at once; only where that finds fault, of one after the other."""
    fault = fault_of(cuts, states[0], states[-1], taken)
    if not fault:
        return
    for k, one in enumerate(cuts):
        its_own = fault_of([one], states[k], states[k + 1], [taken[k]])
        if its_own:
            raise InternalError(f"operation '{one.operation.name}'", its_own)
    raise InternalError(f"operations '{cuts[0].operation.name}' to '{cuts[-1].operation.name}'", fault)


def _fault(cuts: Sequence[Cut], before: Solid, after: Solid, taken: Sequence[Solid], part: Solid) -> str:
    """What is wrong between two states, in words; empty where nothing is."""
    return _unbalanced(before, after, taken) or _lacking(cuts, before, after, taken, part)


def _unbalanced(before: Solid, after: Solid, taken: Sequence[Solid]) -> str:
    had = float(before.volume())
    removed = sum(float(each.volume()) for each in taken)
    if abs(had - float(after.volume()) - removed) <= _rounding(had):
        return ""
    return f"{had:.6g} mm³ were there, {removed:.6g} are removed and {float(after.volume()):.6g} are left"


def _lacking(cuts: Sequence[Cut], before: Solid, after: Solid, taken: Sequence[Solid], part: Solid) -> str:
    rounding = _rounding(float(before.volume()))
    missing = float((part - after).volume())
    if missing > rounding:
        missing -= float((part - before).volume())
        # What an operation takes by its own numbers may be part: that is the job's doing, and a finding tells it.
        own = zip(cuts, taken, strict=True)
        missing -= sum(float((each ^ part).volume()) for one, each in own if states_its_shape(one.operation))
    return f"the stock it leaves lacks {missing:.6g} mm³ of the finished part" if missing > rounding else ""


def _rounding(volume: float) -> float:
    return _ROUNDING * volume + _CRUMB
