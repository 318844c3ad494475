"""The blank the part is cut from."""

from __future__ import annotations

from .base import Model, Name, NonNegativeLength, Size, Spread


class Stock(Model):
    """A rectangular block, its sizes along the part's own X, Y and Z (mm).

    ``nominal`` is what the label says, ``measured`` what the caliper says; the plan uses the
    measured one.  ``varies`` is how far other blanks of the batch may differ from it (plus or
    minus).  The part lies centred in the block; along the first setup's vertical,
    ``facing`` is what stands above the finished top.
    """

    material: Name
    nominal: Size
    measured: Size
    varies: Spread = Spread()
    facing: NonNegativeLength
