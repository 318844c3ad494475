"""Several parts from one blank: which of them hang together, and where they are cut apart."""

from __future__ import annotations

import numpy as np

from .plan import Plan
from .solids.in_process_stock import InProcessStock

#: A gap is looked for no further than this (mm).
_FAR = 1000.0


def names_of(plan: Plan) -> tuple[str, ...]:
    """What the parts of the blank are called, the first one first."""
    return ("1", *(copy.name for copy in plan.job.part.copies))


def parts_in(plan: Plan, stock: InProcessStock) -> tuple[tuple[str, ...], ...]:
    """The parts, by name, that are together in one piece of the stock, for each piece with any."""
    names, held = names_of(plan), pieces_with(plan, stock)
    return tuple(tuple(name for name, k in zip(names, held, strict=True) if k == piece) for piece in sorted(set(held)))


def pieces_with(plan: Plan, stock: InProcessStock) -> list[int]:
    """Of each part the number of the piece of stock that has most of it."""
    pieces, bodies = stock.pieces, plan.geometry.bodies
    if len(pieces) == 1:
        return [0] * len(bodies)
    return [int(np.argmax([float((piece ^ body).volume()) for piece in pieces])) for body in bodies]


def apart_before(plan: Plan, setup: int) -> bool:
    """Whether parts come into a setup in more than one piece."""
    return bool(plan.job.part.copies) and len(parts_in(plan, plan.setups[setup].before)) > 1


def joined_at_the_end(plan: Plan) -> tuple[str, ...]:
    """The parts that still hang together when all is done: of the first piece that has more than one of them."""
    if not plan.job.part.copies:
        return ()
    # A border that they hang in by tabs joins them too.
    return next((names for names in parts_in(plan, plan.finished) if len(names) > 1), ())


def cut_apart_in(plan: Plan) -> str:
    """What is called what cuts the parts apart: a setup, or a step at the bench; empty where nothing does."""
    if not plan.job.part.copies:
        return ""
    for setup in plan.setups:
        for done in plan.bench[setup.index]:
            if len(parts_in(plan, done.after)) > 1:
                return done.step.name
        if len(parts_in(plan, setup.after)) > 1:
            return setup.setup.name
    return next((done.step.name for done in plan.bench[-1] if len(parts_in(plan, done.after)) > 1), "")


def gap_between(plan: Plan) -> float | None:
    """What lies between the two parts that are nearest to each other (mm); None for one part."""
    bodies = plan.geometry.bodies
    gaps = [float(a.min_gap(b, _FAR)) for k, a in enumerate(bodies) for b in bodies[:k]]
    return min(gaps, default=None)
