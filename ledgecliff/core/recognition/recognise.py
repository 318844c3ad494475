"""All features of a part, named, in an order that does not depend on how the file lists its faces."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..model.part import FeatureKind
from ..solids.geometry import PartGeometry
from . import flats
from .faces import face_map
from .found import Found, parallel, square_name
from .rounds import round_features

_ORDER: tuple[FeatureKind, ...] = (
    "hole", "counterbore", "countersink", "boss", "outer round",
    "pocket", "slot", "web", "edge break", "chamfer", "face",
)  # fmt: skip


#: Openings right through are looked for along so many axes at most.
_MOST_WAYS = 9


@lru_cache(maxsize=16)
def recognise(geometry: PartGeometry) -> tuple[Found, ...]:
    """Every recognised feature of a part, each with a name of its own."""
    faces = face_map(geometry)
    rounds = round_features(faces)
    in_holes = {k for found in rounds if found.kind not in ("boss", "outer round") for k in found.faces}
    levels = flats.levels(faces)
    windows = flats.windows(faces, levels, _ways(rounds))
    pockets = flats.pockets(faces, levels, in_holes | {k for window in windows for k in window.faces})
    pockets += windows
    chamfers = flats.chamfers(faces, levels)
    narrow = {k for found in chamfers for k in found.faces}
    wide = [level for level in levels if not set(level.faces) <= narrow]
    found = [
        *rounds,
        *pockets,
        *flats.opposites(faces, wide, [set(pocket.faces) for pocket in pockets]),
        *chamfers,
        *flats.outer_rounds(faces),
        *flats.face_features(faces, wide),
    ]
    return _named(sorted(found, key=_rank))


def _ways(found: list[Found]) -> list[Array]:
    """The axes of P and the skewed ones along which something opens."""
    ways = list(np.eye(3))
    for feature in found:
        if len(ways) < _MOST_WAYS and not any(parallel(way, feature.vector) for way in ways):
            ways.append(feature.vector)
    return ways


def _rank(found: Found) -> tuple[int, float, tuple[float, ...]]:
    size = found.diameter or found.width or 0.0
    return _ORDER.index(found.kind), -round(size, 3), tuple(round(value, 3) for value in found.at)


def _named(found: list[Found]) -> tuple[Found, ...]:
    """Names by kind and number, as ``hole 3``; a lone square face by where it looks, as ``face +Z``."""
    ways = Counter(square_name(f.vector) for f in found if f.kind == "face")
    counts: Counter[str] = Counter()
    named = []
    for feature in found:
        way = square_name(feature.vector)
        if feature.kind == "face" and way is not None and ways[way] == 1:
            named.append(replace(feature, name=f"face {way}"))
            continue
        stem = f"face {way}" if feature.kind == "face" and way is not None else feature.kind
        counts[stem] += 1
        named.append(replace(feature, name=f"{stem} {counts[stem]}"))
    return tuple(named)
