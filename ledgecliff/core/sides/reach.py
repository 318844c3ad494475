"""From which side every feature can be cut, and the fewest sides that reach them all.

A side is named by the part direction that is up in its setup.  What lies on the surface of the blank
needs no cutting.  A feature that opens in no square direction needs a tilted setup along its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

from ..frames import DIRECTIONS, PartDirection, direction_vector
from ..model.part import Feature, FeatureKind
from ..recognition.faces import FAR, FaceMap, face_map
from ..recognition.found import Found, parallel, square_name
from ..recognition.matching import found_for
from ..recognition.recognise import recognise
from ..solids.geometry import PartGeometry, Triple
from ..solids.tracked import InProcessStock

#: Kinds that only measure what other features already are.
_MEASURES: tuple[FeatureKind, ...] = ("web",)
#: A face closer to the surface of the blank than this needs no cutting (mm).
_ON_BLANK = 0.05


@dataclass(frozen=True)
class Reach:
    """One feature to be cut and the sides (part directions up) from which all of it can be.

    ``skew`` is the unit direction (3,) of a tilted setup that reaches what no square side does.  A flat
    square face has the side it ``faces``, from which the end of a tool cuts it, and its rough area (mm²).
    """

    name: str
    kind: FeatureKind
    sides: tuple[PartDirection, ...]
    skew: Triple | None = None
    faces: PartDirection | None = None
    area: float = 0.0

    @property
    def is_out_of_reach(self) -> bool:
        return not self.sides and self.skew is None


@dataclass(frozen=True)
class Coverage:
    """``fewest`` are all smallest sets of sides that reach every feature that a square side reaches."""

    features: tuple[Reach, ...]
    fewest: tuple[tuple[PartDirection, ...], ...]

    def tilted(self) -> tuple[Reach, ...]:
        """Features that need a tilted setup of their own."""
        return tuple(reach for reach in self.features if not reach.sides and reach.skew is not None)

    def out_of_reach(self) -> tuple[Reach, ...]:
        return tuple(reach for reach in self.features if reach.is_out_of_reach)

    def only_from(self, side: PartDirection) -> tuple[Reach, ...]:
        return tuple(reach for reach in self.features if reach.sides == (side,))


@lru_cache(maxsize=16)
def coverage(features: tuple[Feature, ...], geometry: PartGeometry, blank: InProcessStock) -> Coverage:
    """Reach of everything that must be cut out of ``blank``; named features keep their names."""
    names = _given_names(features, geometry)
    reaches = [
        Reach(names.get(found.name, found.name), found.kind, found.sees, _tilt(found), *_facing(found))
        for found in _to_cut(geometry, blank)
    ]
    return Coverage(tuple(reaches), fewest_sides(tuple(reaches)))


def reach_of(feature: Feature, geometry: PartGeometry) -> tuple[PartDirection, ...]:
    """Sides that reach a named feature; by its own direction where the model shows nothing like it."""
    found = found_for(feature, geometry)
    if found is not None:
        return found.sees
    ways = [feature.direction()] + ([-feature.direction()] if feature.through else [])
    return tuple(way for way in DIRECTIONS if any(float(direction_vector(way) @ v) > 1.0 - 1e-6 for v in ways))


def fewest_sides(reaches: tuple[Reach, ...]) -> tuple[tuple[PartDirection, ...], ...]:
    """All smallest sets of sides such that each feature is reached by one of them (set cover, by trying)."""
    if not any(reach.sides for reach in reaches):
        return ()
    found = (covering_sets(reaches, count) for count in range(1, len(DIRECTIONS) + 1))
    return next((sets for sets in found if sets), ())


def covering_sets(reaches: tuple[Reach, ...], count: int) -> tuple[tuple[PartDirection, ...], ...]:
    """All sets of ``count`` sides of which each feature that any side reaches is reached by one.

    First those from which most flat faces are cut with the end of the tool instead of its side.
    """
    wanted = [frozenset(reach.sides) for reach in reaches if reach.sides]
    covers = [chosen for chosen in combinations(DIRECTIONS, count) if all(set(chosen) & w for w in wanted)]
    return tuple(sorted(covers, key=lambda chosen: -_cut_face_on(reaches, chosen)))


def _cut_face_on(reaches: tuple[Reach, ...], chosen: tuple[PartDirection, ...]) -> float:
    """Area of flat faces that the ends of the tools cut from the chosen sides (mm²)."""
    return round(sum(reach.area for reach in reaches if reach.faces in chosen), 3)


def _given_names(features: tuple[Feature, ...], geometry: PartGeometry) -> dict[str, str]:
    """The job's own names by those that recognition gives."""
    pairs = ((found_for(feature, geometry), feature) for feature in features)
    return {found.name: feature.name for found, feature in pairs if found is not None}


def _facing(found: Found) -> tuple[PartDirection | None, float]:
    if found.kind != "face":
        return None, 0.0
    return square_name(found.vector), (found.length or 0.0) * (found.width or 0.0)


def _tilt(found: Found) -> Triple | None:
    if found.sees or not found.own_way or any(parallel(found.vector, direction_vector(way)) for way in DIRECTIONS):
        return None
    return found.direction


@lru_cache(maxsize=16)
def _to_cut(geometry: PartGeometry, blank: InProcessStock) -> tuple[Found, ...]:
    """What must be cut, whatever it is called."""
    faces = face_map(geometry)
    wanted = (found for found in recognise(geometry) if found.kind not in _MEASURES)
    return tuple(found for found in wanted if _needs_cutting(found, faces, blank))


def _needs_cutting(found: Found, faces: FaceMap, blank: InProcessStock) -> bool:
    """Whether stock lies over some place of the feature's faces."""
    for face in found.faces:
        for point, normal in zip(faces.samples(face), faces.sample_normals(face), strict=True):
            lifted = point + _ON_BLANK * normal
            if len(blank.solid.ray_cast(tuple(lifted), tuple(lifted + FAR * normal))) % 2:
                return True
    return not found.faces
