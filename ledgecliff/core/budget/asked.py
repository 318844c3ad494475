"""Which pairs of features are looked at: those that the drawing has a tolerance for, and what was cut from one side
against what was cut from another."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal, cast

import numpy as np

from ..feature_places import are_in_one_place, way_between, ways_across
from ..frames import Array
from ..model.orientation import exact_direction
from ..model.part import Feature, Tolerance
from .chain import Chain
from .offs import NOTHING, Off, added

What = Literal["position", "distance", "size", "edge break", "wall", "other side"]


@dataclass(frozen=True, eq=False)
class Asked:
    """A feature seen from another (``to``; empty for P zero, and for its own size).

    It may be off along ``ways`` (1 or 2, 3) in P, by two of them any way in their plane; what counts is ``factor``
    times that, and ``tolerance`` (mm, to either side, or a radius) where one is stated.
    """

    feature: str
    to: str
    what: What
    ways: Array
    tolerance: float | None = None
    factor: float = 1.0

    @property
    def key(self) -> tuple[str, str, str]:
        return self.feature, self.to, self.what

    @property
    def is_circle(self) -> bool:
        return len(self.ways) == 2

    @property
    def direction(self) -> str:
        way = np.cross(*self.ways) if self.is_circle else self.ways[0]
        exact = exact_direction(way) or exact_direction(-way)
        named = exact[1] if exact is not None else "(" + " ".join(f"{value:.3f}" for value in way) + ")"
        return f"across {named}" if self.is_circle else f"along {named}"


def asked_of(chain: Chain) -> Iterator[Asked]:
    """Of everything that any setup makes, in the order of the part's features."""
    part = chain.plan.job.part
    features = [each for each in part.features if each.name in chain.made_in and each.on_copy is None]
    told: set[int] = set()
    for feature in features:
        pairs = list(_of(chain, feature))
        told |= {chain.made_in[feature.name]} if any(pair.what != "size" for pair in pairs) else set()
        yield from pairs
    first = min(chain.made_in.values(), default=0)
    for feature in features:
        index = chain.made_in[feature.name]
        if index != first and index not in told:
            near = _nearest_before(chain, feature, features)
            if near is not None:
                yield Asked(feature.name, near.name, "other side", _ways(feature))


def asked_in(chain: Chain, index: int) -> Iterator[Asked]:
    """Of which a setup makes the later feature, but for sizes."""
    for asked in asked_of(chain):
        last = max(chain.made_in.get(name, -1) for name in (asked.feature, asked.to))
        if last == index and asked.what != "size":
            yield asked


def _of(chain: Chain, feature: Feature) -> Iterator[Asked]:
    tolerance = feature.tolerance or Tolerance()
    partner = feature.partner if feature.partner in chain.made_in else None
    if tolerance.position is not None:
        yield Asked(feature.name, tolerance.to or "", "position", _ways(feature), tolerance.position)
    other = None if tolerance.to is None else chain.plan.job.part.feature(tolerance.to)
    if other is not None:
        for what, value in (("distance", tolerance.distance), ("wall", tolerance.wall)):
            if value is not None:
                around = what == "wall" and are_in_one_place(feature, other)
                ways = ways_across(feature) if around else way_between(feature, other)[None, :]
                yield Asked(feature.name, other.name, cast(What, what), ways, value)
    if tolerance.size is not None:
        yield Asked(feature.name, "", "size", _width(feature)[None, :], tolerance.size)
    if tolerance.even is not None and partner is not None:
        # As far as it lies off to one side, so much wider it is there, and so much narrower opposite.
        yield Asked(feature.name, partner, "edge break", ways_across(feature), tolerance.even, 2.0)
    seen = {partner} & {tolerance.to}
    if partner is not None and not seen and tolerance.even is None:
        yield Asked(feature.name, partner, "other side", _ways(feature))


def _ways(feature: Feature) -> Array:
    """Which ways it may be off that count: of a face out of it, of all else across."""
    return feature.direction()[None, :] if feature.kind == "face" else ways_across(feature)


def _width(feature: Feature) -> Array:
    return feature.widthwise() if feature.width is not None else ways_across(feature)[0]


def _nearest_before(chain: Chain, feature: Feature, features: list[Feature]) -> Feature | None:
    at, index = np.array(feature.at.as_tuple()), chain.made_in[feature.name]
    before = [each for each in features if chain.made_in[each.name] < index]
    return min(before, key=lambda each: float(np.linalg.norm(np.array(each.at.as_tuple()) - at)), default=None)


def off_of(chain: Chain, asked: Asked) -> Off:
    """How far a feature lies off where what it is seen from would have it, in P.

    What it is seen from counts with how it lies turned: the place is that in P as the other's setup cut it.
    """
    if asked.what == "size":
        return _wider(chain, asked.feature)
    feature = chain.plan.job.part.feature(asked.feature)
    assert feature is not None, "pairs are of the part's features"
    at = np.array(feature.at.as_tuple())
    last = max(chain.made_in.get(name, 0) for name in (asked.feature, asked.to))
    mine = chain.feature(asked.feature, until=last)
    if asked.what == "wall":
        # Of what is left between two walls each has its own, off by half of what its feature is wider.
        mine = mine + added(_wider(chain, each).times(0.5) for each in (asked.feature, asked.to))
    if not asked.to:
        first = min(chain.made_in.values())
        return mine - chain.cut(first, at)
    # What was in the blank lies where it is told.
    return mine - chain.feature(asked.to, at, last)


def _wider(chain: Chain, name: str) -> Off:
    """How much wider a feature comes out, both of whose walls land by themselves; a face has but one place."""
    feature, index = chain.plan.job.part.feature(name), chain.made_in.get(name)
    if feature is None or index is None or (feature.width is None and feature.diameter is None):
        return NOTHING
    one, other = (
        chain.landing(index, f"{name} {wall} wall", f"the {wall} wall of {name}") for wall in ("one", "other")
    )
    return one - other
