"""What a setup's operations do to the stock, state after state."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d

from ..solids.in_process_stock import InProcessStock

#: A piece of less than this is a skin of no thickness (mm³).
_SKIN = 1e-6


@dataclass(frozen=True)
class Cutting:
    """What a setup's operations do to the stock: equal for equal cuts of equal stock.

    ``kept`` is what all cuts so far leave of the envelope: before the first operation, after it, and so
    on; ``taken`` is what each operation takes from it.
    """

    start: InProcessStock
    kept: tuple[InProcessStock, ...]
    taken: tuple[manifold3d.Manifold, ...]

    def before(self, operation: int) -> InProcessStock:
        """The stock as operation number ``operation`` (from 0) finds it, or the last one leaves it."""
        return _within(self.start, self.kept[operation])

    def after(self, operation: int) -> InProcessStock:
        return self.before(operation + 1)

    def removed(self, operation: int) -> manifold3d.Manifold:
        """What an operation takes away, in P."""
        return _shared(self.start, self.taken[operation])


@lru_cache(maxsize=512)
def _within(start: InProcessStock, kept: InProcessStock) -> InProcessStock:
    if kept.is_envelope:
        return start
    return start.less(start.solid ^ kept.solid)


@lru_cache(maxsize=512)
def _shared(start: InProcessStock, taken: manifold3d.Manifold) -> manifold3d.Manifold:
    """What a cut takes of the blank, without the skins of no thickness that are left where walls only meet."""
    shared = start.solid ^ taken
    pieces = shared.decompose()
    real = [piece for piece in pieces if piece.volume() > _SKIN]
    if len(real) == len(pieces):
        return shared
    return manifold3d.Manifold.compose(real) if real else manifold3d.Manifold()
