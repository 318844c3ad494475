"""All features of a part, named, in an order that does not depend on how the file lists its faces."""

from __future__ import annotations

import math
import re
from collections import Counter
from dataclasses import replace
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..model.part import FeatureKind
from ..solids.geometry import PartGeometry, triple
from .edges import chamfers, outer_rounds
from .faces import face_map
from .levels import face_features, levels
from .patterns import pattern_names
from .pockets import pockets, windows
from .recognised import Recognised, parallel, square_name
from .rounds import round_features
from .widths import opposites

_ORDER: tuple[FeatureKind, ...] = (
    "hole", "counterbore", "countersink", "boss", "outer round",
    "pocket", "slot", "web", "edge break", "chamfer", "face",
)  # fmt: skip


#: Openings right through are looked for along so many axes at most.
_MOST_WAYS = 9
#: A feature of one part is the same among several where it lies so near (mm).
_SAME_AT = 0.01


@lru_cache(maxsize=16)
def recognise(geometry: PartGeometry) -> tuple[Recognised, ...]:
    """Every recognised feature of a part, each with a name of its own; of several parts those of each of them, and
    nothing of what only lies between them."""
    found = _recognised(geometry)
    if geometry.single is None:
        return found
    return _named(sorted(_on_each(found, geometry, recognise(geometry.single)), key=_rank))


def _on_each(found: tuple[Recognised, ...], geometry: PartGeometry, single: tuple[Recognised, ...]) -> list[Recognised]:
    """The features of one part on each of them: as ``found`` among the others, which may stand in its way; where
    faces of several run into one, as it is by itself."""
    faces = len(geometry.single.faces) if geometry.single is not None else 0
    result = []
    for number, shift in enumerate(((0.0, 0.0, 0.0), *geometry.shifts)):
        for one in single:
            at = triple(np.add(one.at, shift))
            near = (each for each in found if each.kind == one.kind and math.dist(each.at, at) < _SAME_AT)
            moved = replace(one, at=at, faces=tuple(face + number * faces for face in one.faces))
            result.append(next(near, moved))
    # What was found in the blank has faces beyond those of all parts.
    drawn = faces * (len(geometry.shifts) + 1)
    return result + [each for each in found if each.faces and min(each.faces) >= drawn]


def _recognised(geometry: PartGeometry) -> tuple[Recognised, ...]:
    faces = face_map(geometry)
    rounds = round_features(faces)
    in_holes = {k for found in rounds if found.kind not in ("boss", "outer round") for k in found.faces}
    in_one_plane = levels(faces)
    through = windows(faces, in_one_plane, _ways(rounds))
    walled = pockets(faces, in_one_plane, in_holes | {k for window in through for k in window.faces}) + through
    narrow = chamfers(faces, in_one_plane)
    of_narrow = {k for chamfer in narrow for k in chamfer.faces}
    wide = [level for level in in_one_plane if not set(level.faces) <= of_narrow]
    found = [
        *rounds,
        *walled,
        *opposites(faces, wide, [set(pocket.faces) for pocket in walled]),
        *narrow,
        *outer_rounds(faces),
        *face_features(faces, wide),
    ]
    return _named(sorted(found, key=_rank))


def _ways(found: list[Recognised]) -> list[Array]:
    """The axes of P and the skewed ones along which something opens."""
    ways = list(np.eye(3))
    for feature in found:
        if len(ways) < _MOST_WAYS and not any(parallel(way, feature.vector) for way in ways):
            ways.append(feature.vector)
    return ways


def _rank(found: Recognised) -> tuple[int, float, tuple[float, ...]]:
    size = found.diameter or found.width or 0.0
    return _ORDER.index(found.kind), -round(size, 3), tuple(round(value, 3) for value in found.at)


def _named(found: list[Recognised]) -> tuple[Recognised, ...]:
    """Names by kind and number, as ``hole 3``; a lone square face by where it looks, as ``face +Z``; equal holes in a
    row or on a circle by that and their place in it, as ``row 1, hole 2``."""
    in_pattern = pattern_names(found)
    ways = Counter(square_name(f.vector) for f in found if f.kind == "face")
    counts: Counter[str] = Counter()
    named = []
    for k, feature in enumerate(found):
        if k in in_pattern:
            named.append(replace(feature, name=in_pattern[k]))
            continue
        way = square_name(feature.vector)
        if feature.kind == "face" and way is not None and ways[way] == 1:
            named.append(replace(feature, name=f"face {way}"))
            continue
        stem = f"face {way}" if feature.kind == "face" and way is not None else feature.called or feature.kind
        counts[stem] += 1
        named.append(replace(feature, name=f"{stem} {counts[stem]}"))
    return tuple(_patterns_in_order(named, sorted(in_pattern)))


def _patterns_in_order(named: list[Recognised], places: list[int]) -> list[Recognised]:
    """Holes of patterns, at the ``places`` that they have among others, by pattern and by their number in it."""
    ordered = sorted((named[k] for k in places), key=lambda f: [int(n) for n in re.findall(r"\d+", f.name)])
    ordered.sort(key=lambda f: f.name.split(" ")[0])
    result = list(named)
    for place, feature in zip(places, ordered, strict=True):
        result[place] = feature
    return result
