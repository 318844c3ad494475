"""How deep jaws must hold what is milled beside them."""

from __future__ import annotations

from ..model.holding import Vise

#: A side mill pushes the part over the jaws' edge with a lever as long as the part stands out; jaws hold it with one
#: as long as they grip.  Hard jaws on flat faces hold against ordinary cuts when the grip is at least this share of
#: what stands out: a rule of the trade, to be doubled for heavy cuts and for sawn or cast faces.
GRIP_SHARE = 1.0 / 8.0


def least_grip(vise: Vise, stands_out: float) -> float:
    """The least grip (mm) for stock that stands ``stands_out`` over the jaws: an eighth of that, and never less than
    the vise needs."""
    return max(vise.grip_min, GRIP_SHARE * stands_out)
