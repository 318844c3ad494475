"""Which recognised feature is which named one: after a rename, an edit, or another version of the model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..model.base import Point
from ..model.part import Feature, FeatureKind
from ..solids.geometry import PartGeometry
from .recognise import recognise
from .recognised import SAME_LINE, Recognised, parallel, square_name

#: Kinds that a machinist may call by either name.
_ALIKE: tuple[frozenset[FeatureKind], ...] = (
    frozenset(("hole", "bore")),
    frozenset(("edge break", "chamfer", "countersink")),
    frozenset(("counterbore", "hole", "bore")),
    frozenset(("boss", "outer round")),
    frozenset(("pocket", "slot")),
)
#: On the same axis or plane, and of the same size, within this (mm).
SAME_PLACE = 0.02
#: A feature of a changed model may have moved by this (mm, and as a share of the part's size) or grown by that share.
_MOVED, _MOVED_SHARE, _GROWN = 5.0, 0.08, 0.35


def as_feature(found: Recognised) -> Feature:
    """A named feature of the job from a recognised one."""
    square = found.is_square()
    along = None if found.lengthwise is None else square_name(np.abs(np.array(found.lengthwise)))
    return Feature(
        name=found.name,
        kind=found.kind,
        at=_point(found.at),
        opens_to=found.nearest_direction(),
        skew=None if square else _point(found.direction),
        diameter=_rounded(found.diameter),
        depth=_rounded(found.depth),
        through=found.through,
        length=_rounded(found.length),
        width=_rounded(found.width),
        radius=_rounded(found.radius),
        lengthwise=along if square else None,
    )


def _rounded(value: float | None) -> float | None:
    """To a ten-thousandth of a millimetre: what kernels state as 23.000000000000448 is 23."""
    return None if value is None else round(value, 4)


def _point(triple: Sequence[float] | Array) -> Point:
    x, y, z = (round(float(value), 6) + 0.0 for value in triple)
    return Point(x=x, y=y, z=z)


def alike(a: FeatureKind, b: FeatureKind) -> bool:
    return a == b or any({a, b} <= kinds for kinds in _ALIKE)


@lru_cache(maxsize=64)
def faces_of(feature: Feature, geometry: PartGeometry) -> tuple[int, ...]:
    """The model faces of a named feature; empty where the model has nothing like it there."""
    found = found_for(feature, geometry)
    return found.faces if found else ()


@dataclass(frozen=True, eq=False)
class _Index:
    """The recognised features of a part as arrays, to look only at those that may be meant."""

    found: tuple[Recognised, ...]
    at: Array
    direction: Array
    diameter: Array


@lru_cache(maxsize=16)
def _index(geometry: PartGeometry) -> _Index:
    found = recognise(geometry)
    return _Index(
        found,
        np.array([each.at for each in found]).reshape(-1, 3),
        np.array([each.direction for each in found]).reshape(-1, 3),
        np.array([np.nan if each.diameter is None else each.diameter for each in found]),
    )


@lru_cache(maxsize=2048)
def found_for(feature: Feature, geometry: PartGeometry) -> Recognised | None:
    """The recognised feature at the very place of a named one, of its kind and size."""
    index = _index(geometry)
    way = feature.direction()
    near = np.abs(index.direction @ way) > 1.0 - SAME_LINE
    if feature.diameter is not None:
        near &= np.abs(index.diameter - feature.diameter) <= SAME_PLACE
        near &= np.linalg.norm(np.cross(index.at - _at(feature), way), axis=1) < 2.0 * SAME_PLACE
    candidates = [
        found
        for k in np.flatnonzero(near).tolist()
        if alike((found := index.found[k]).kind, feature.kind) and same(feature, found)
    ]
    return min(candidates, key=lambda found: (found.kind != feature.kind, _apart(feature, found)), default=None)


def same(feature: Feature, found: Recognised) -> bool:
    """Whether both are at one place: on one axis for round ones, whose named point may be at either end."""
    if feature.diameter is not None:
        if found.diameter is None or abs(found.diameter - feature.diameter) > SAME_PLACE:
            return False
        return parallel(feature.direction(), found.vector) and _off_axis(feature, found) < SAME_PLACE
    if not parallel(feature.direction(), found.vector):
        return False
    if found.kind == "face":
        return (
            abs(float((_at(feature) - np.array(found.at)) @ found.vector)) < SAME_PLACE
            and _apart(feature, found) < 0.5 * (found.length or 0.0) + SAME_PLACE
        )
    return _apart(feature, found) < max(SAME_PLACE, 0.25 * (found.width or 0.0))


def _at(feature: Feature) -> Array:
    return np.array(feature.at.as_tuple())


def _apart(feature: Feature, found: Recognised) -> float:
    return float(np.linalg.norm(_at(feature) - np.array(found.at)))


def _off_axis(feature: Feature, found: Recognised) -> float:
    return float(np.linalg.norm(np.cross(_at(feature) - np.array(found.at), found.vector)))


# --- a changed model ------------------------------------------------------------------------------


@dataclass(frozen=True)
class Reimport:
    """How the named features fared with another version of the model.

    ``features`` carry their names over; ``moved`` lists those whose place or size changed, with what
    changed in words; ``lost`` those that nothing in the new model matches, kept as they were.
    """

    features: tuple[Feature, ...]
    kept: tuple[str, ...]
    moved: tuple[tuple[str, str], ...]
    lost: tuple[str, ...]


def match_features(features: tuple[Feature, ...], geometry: PartGeometry) -> Reimport:
    """Gives each named feature the recognised one it most likely is now, each of them used once.

    The pairs are those with the least sum of distances (assignment problem, solved by SciPy).
    """
    from scipy.optimize import linear_sum_assignment  # slow to import, and only a changed model needs it

    found = recognise(geometry)
    reach = max(_MOVED, _MOVED_SHARE * float(np.linalg.norm(geometry.high - geometry.low)))
    none = 10.0 * reach
    # What lies on further parts of the blank follows from the first one's.
    features = tuple(feature for feature in features if feature.on_copy is None)
    cost = np.array([[_unlike(feature, other, reach, none) for other in found] for feature in features])
    pairs = dict(zip(*(side.tolist() for side in linear_sum_assignment(cost)), strict=True)) if cost.size else {}
    result, kept, moved, lost = [], [], [], []
    for k, feature in enumerate(features):
        partner = found[pairs[k]] if k in pairs and cost[k, pairs[k]] < none else None
        if feature.found:
            # No model has it, and it is where it was found whatever the model says.
            result.append(feature)
            kept.append(feature.name)
            continue
        if partner is None:
            result.append(feature)
            lost.append(feature.name)
            continue
        changed, words = _carried(feature, partner)
        result.append(changed)
        if words:
            moved.append((feature.name, words))
        else:
            kept.append(feature.name)
    return Reimport(tuple(result), tuple(kept), tuple(moved), tuple(lost))


def _unlike(feature: Feature, found: Recognised, reach: float, none: float) -> float:
    if not alike(feature.kind, found.kind) or not parallel(feature.direction(), found.vector):
        return none
    is_hole = feature.diameter is not None and feature.kind not in ("counterbore", "countersink", "edge break")
    apart = _off_axis(feature, found) if is_hole and found.through else _apart(feature, found)
    sizes = [(feature.diameter, found.diameter), (feature.width, found.width), (feature.length, found.length)]
    grown = max((abs(a - b) / max(a, b) for a, b in sizes if a is not None and b is not None), default=0.0)
    if apart > reach or grown > _GROWN or (feature.diameter is None) != (found.diameter is None):
        return none
    return apart + grown * reach + (0.01 * reach if feature.kind != found.kind else 0.0)


def _carried(feature: Feature, found: Recognised) -> tuple[Feature, str]:
    """The named feature with the place and sizes of ``found``, and what changed in words."""
    now = as_feature(found)
    words = []
    at = feature.at
    if not same(feature, found):
        at = now.at
        shift = np.array(now.at.as_tuple()) - _at(feature)
        if feature.is_round():
            shift = shift - (shift @ found.vector) * found.vector
            at = _point(_at(feature) + shift)
        if np.linalg.norm(shift) > SAME_PLACE:
            words.append(
                "moved by " + ", ".join(f"{n} {v:+.3f}" for n, v in zip("XYZ", shift, strict=True) if abs(v) > 1e-6)
            )
    sizes = {}
    for name in ("diameter", "depth", "length", "width", "radius"):
        old, new = getattr(feature, name), getattr(now, name)
        if old is not None and new is not None and abs(old - new) > SAME_PLACE:
            sizes[name] = new
            words.append(f"{name} {old:g} is now {new:g}")
    return feature.model_copy(update={"at": at, **sizes}), "; ".join(words)
