"""The circle through the ends of spokes, worked out by the control's own arithmetic.

About their mean the ends are at ``(u, v)``.  The circle of least algebraic error has its centre where
``Suu a + Suv b = Suw / 2`` and ``Suv a + Svv b = Svw / 2`` with ``w = u² + v²`` and S the sums over all ends, and the
radius ``sqrt(a² + b² + (Suu + Svv) / N)`` (I. Kåsa, "A circle fitting procedure and its error analysis", IEEE Trans.
Instrum. Meas. 25, 1976).  Through three ends that is their circle exactly.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..probing.spokes import spokes
from .actions import Action, Let
from .text import share

#: Where the ends are kept (24 of each at most), their means, the five sums, what both equations are divided by, and
#: what is found: the centre from where the spokes begin, and the radius of the ball's centres.
_X, _Y, _MEAN, _SUMS, _DIVISOR, FOUND = 130, 154, 178, 180, 185, 186
#: With more than three ends: steps towards the least squared distances.
_STEPS = 2
#: So many terms stand in one line.
_TERMS = 4


def circle_lets(angles_deg: tuple[float, ...], first: int, what: str) -> list[Action]:
    """Works out ``FOUND`` from the spokes' lengths in the parameters from ``first`` on; ``what`` names the feature."""
    count = len(angles_deg)
    ends = range(count)
    lets: list[Action] = []
    for k, (c, s, _) in enumerate(spokes(angles_deg)):
        lets.append(Let(_X + k, f"[#{first + k} * [{share(float(c))}]]", f"{what}: end at {angles_deg[k]:g} deg"))
        lets.append(Let(_Y + k, f"[#{first + k} * [{share(float(s))}]]"))
    for axis, end in enumerate((_X, _Y)):
        lets += _sum(_MEAN + axis, [f"#{end + k}" for k in ends])
        lets.append(Let(_MEAN + axis, f"[#{_MEAN + axis} / {count}]"))
        lets += [Let(end + k, f"[#{end + k} - #{_MEAN + axis}]") for k in ends]
    u, v = ([f"#{end + k}" for k in ends] for end in (_X, _Y))
    squares = [f"[{a} * {a} + {b} * {b}]" for a, b in zip(u, v, strict=True)]
    products = ((u, u), (u, v), (v, v), (u, squares), (v, squares))
    for k, (one, other) in enumerate(products):
        lets += _sum(_SUMS + k, [f"{a} * {b}" for a, b in zip(one, other, strict=True)])
    uu, uv, vv, uw, vw = (f"#{_SUMS + k}" for k in range(5))
    a, b, radius = FOUND, FOUND + 1, FOUND + 2
    lets += [
        Let(_DIVISOR, f"[2 * [{uu} * {vv} - {uv} * {uv}]]"),
        Let(a, f"[[{uw} * {vv} - {vw} * {uv}] / #{_DIVISOR}]", "centre from the mean"),
        Let(b, f"[[{vw} * {uu} - {uw} * {uv}] / #{_DIVISOR}]"),
        Let(radius, f"SQRT[#{a} * #{a} + #{b} * #{b} + [{uu} + {vv}] / {count}]"),
    ]
    if count > 3:
        for _ in range(_STEPS):
            lets += _nearer(angles_deg, u, v)
    return [*lets, *(Let(FOUND + k, f"[#{FOUND + k} + #{_MEAN + k}]") for k in (0, 1))]


def _nearer(angles_deg: tuple[float, ...], u: Sequence[str], v: Sequence[str]) -> list[Action]:
    """One step: the ends' distances from the centre so far, weighted by the pseudo-inverse of the spokes' matrix."""
    a, b = f"#{FOUND}", f"#{FOUND + 1}"
    distances = [
        f"SQRT[[{x} - {a}] * [{x} - {a}] + [{y} - {b}] * [{y} - {b}]]" for x, y in zip(u, v, strict=True)
    ]  # fmt: skip
    lets: list[Action] = []
    for k, weights in enumerate(np.linalg.pinv(spokes(angles_deg))):
        # The sums take the places that the moments have left.
        terms = [f"[{share(float(weight))}] * {away}" for weight, away in zip(weights, distances, strict=True)]
        lets += _sum(_SUMS + k, terms, at_once=1)
    move = [Let(FOUND + k, f"[#{FOUND + k} + #{_SUMS + k}]") for k in (0, 1)]
    return [*lets, *move, Let(FOUND + 2, f"#{_SUMS + 2}")]


def _sum(into: int, terms: Sequence[str], at_once: int = _TERMS) -> list[Action]:
    lets: list[Action] = []
    for k in range(0, len(terms), at_once):
        part = " + ".join(terms[k : k + at_once])
        lets.append(Let(into, f"[#{into} + {part}]" if k else f"[{part}]"))
    return lets
