"""From which side every feature can be cut, and the fewest sides that cut the part out of the blank.

A side is named by the part direction that is up in its setup.  What lies on the surface of the blank
needs no cutting.  A face can be cut from a side when nothing is left on it once all that is seen from there is
gone; sides are enough when no more is left than all six leave.  Both are asked of the solids (``sides.left``).
A feature that no square direction reaches needs a tilted setup along its own.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations

from ..frames import Array
from ..model.orientation import DIRECTIONS, PartDirection, direction_vector
from ..model.part import Feature, FeatureKind
from ..recognition.faces import face_map
from ..recognition.matching import found_for
from ..recognition.recognise import recognise
from ..recognition.recognised import Recognised, parallel, square_name
from ..solids.geometry import COARSE_DEFLECTION, PartGeometry, Triple
from ..solids.in_process_stock import InProcessStock
from .left import covered_after, covered_faces, leaves_no_more, left_by_sides, standing

#: Sets of no more sides than this are all tried.
_FEW = 2
#: Kinds that only measure what other features already are.
_MEASURES: tuple[FeatureKind, ...] = ("web",)


@dataclass(frozen=True)
class Reach:
    """One feature to be cut and the sides (part directions up) from which all of it can be.

    ``skew`` is the unit direction (3,) of a tilted setup that reaches what no square side does.  A flat
    square face has the side it ``faces``, from which the end of a tool cuts it, and its rough area (mm²).
    ``pieces`` are, for each of its faces that stock lies on, the sides from which that one can be cut: of a bore with
    a chamfer at one end and a counterbore at the other no single side reaches all.
    """

    name: str
    kind: FeatureKind
    sides: tuple[PartDirection, ...]
    skew: Triple | None = None
    faces: PartDirection | None = None
    area: float = 0.0
    pieces: tuple[tuple[PartDirection, ...], ...] = ()

    @property
    def partly(self) -> tuple[PartDirection, ...]:
        """Sides that reach some of it but not all."""
        return tuple(
            side for side in DIRECTIONS if side not in self.sides and any(side in piece for piece in self.pieces)
        )

    def is_made_by(self, planned: Collection[PartDirection]) -> bool:
        """Whether setups with these sides up reach all of it together."""
        return all(any(side in planned for side in piece) for piece in self.pieces)


@dataclass(frozen=True)
class Coverage:
    """``fewest`` are all smallest sets of sides that reach every feature that a square side reaches."""

    features: tuple[Reach, ...]
    fewest: tuple[tuple[PartDirection, ...], ...]

    def tilted(self) -> tuple[Reach, ...]:
        """Features that need a tilted setup of their own."""
        return tuple(reach for reach in self.features if not reach.sides and reach.skew is not None)


@lru_cache(maxsize=16)
def coverage(features: tuple[Feature, ...], geometry: PartGeometry, blank: InProcessStock) -> Coverage:
    """Reach of everything that must be cut out of ``blank``, and which sides are enough."""
    reaches = reaches_of(features, geometry, blank)
    return Coverage(reaches, fewest_sides(geometry, blank, reaches))


@lru_cache(maxsize=16)
def reaches_of(features: tuple[Feature, ...], geometry: PartGeometry, blank: InProcessStock) -> tuple[Reach, ...]:
    """Reach of everything that must be cut out of ``blank``; named features keep their names."""
    names = _given_names(features, geometry)
    cut = sides_of_faces(geometry, blank)
    return tuple(
        Reach(
            names.get(found.name, found.name),
            found.kind,
            sides,
            _tilt(found, sides),
            *_facing(found),
            pieces=tuple(cut[face] for face in found.faces if face in cut),
        )
        for found in recognise(geometry)
        if found.kind not in _MEASURES and any(face in cut for face in found.faces)
        for sides in [_common(cut, found.faces)]
    )


@lru_cache(maxsize=16)
def sides_of_faces(geometry: PartGeometry, blank: InProcessStock) -> dict[int, tuple[PartDirection, ...]]:
    """For each face that stock lies on, the sides from which it is cut free."""
    covered, after = covered_faces(blank.solid, geometry), covered_after(geometry, blank)
    return {
        face: tuple(
            side
            for side in DIRECTIONS
            if face not in after[side] or is_in_sight(face, direction_vector(side), geometry)
        )
        for face in sorted(covered)
    }


def is_in_sight(face: int, way: Array, geometry: PartGeometry) -> bool:
    """Whether all of a face is seen from ``way`` (3,), so that what still lies on it there is a film of facets.

    Facets of a round wall lean a little this way and that, and those above hide some of those below.  No plan rests
    on this: which sides are enough, and what is left in the end, are volumes.
    """
    faces = face_map(geometry)
    places = faces.samples(face) + 1.5 * COARSE_DEFLECTION * faces.sample_normals(face)
    return all(faces.is_free(place, way) for place in places)


def _common(cut: dict[int, tuple[PartDirection, ...]], faces: tuple[int, ...]) -> tuple[PartDirection, ...]:
    """Sides that cut free every one of some faces that stock lies on."""
    return tuple(side for side in DIRECTIONS if all(side in cut[face] for face in faces if face in cut))


def reach_of(feature: Feature, geometry: PartGeometry) -> tuple[PartDirection, ...]:
    """Sides that reach a named feature; by its own direction where the model shows nothing like it."""
    found = found_for(feature, geometry)
    if found is not None:
        return found.sees
    ways = [feature.direction()] + ([-feature.direction()] if feature.through else [])
    return tuple(way for way in DIRECTIONS if any(float(direction_vector(way) @ v) > 1.0 - 1e-6 for v in ways))


@lru_cache(maxsize=16)
def fewest_sides(
    geometry: PartGeometry, blank: InProcessStock, reaches: tuple[Reach, ...]
) -> tuple[tuple[PartDirection, ...], ...]:
    """All smallest sets of sides after which no more is left than all six leave."""
    for count in range(len(DIRECTIONS) + 1):
        sets = enough_sides(geometry, blank, reaches, count)
        if sets:
            return () if count == 0 else sets
    return ()


@lru_cache(maxsize=64)
def enough_sides(
    geometry: PartGeometry, blank: InProcessStock, reaches: tuple[Reach, ...], count: int
) -> tuple[tuple[PartDirection, ...], ...]:
    """All sets of ``count`` sides that are enough, each of which takes something that the others leave.

    First those from which most flat faces are cut with the end of the tool instead of its side.
    """
    left = left_by_sides(geometry, blank)
    least = standing(left.left(blank, frozenset(DIRECTIONS)).solid, geometry)

    def is_enough(sides: frozenset[PartDirection]) -> bool:
        return leaves_no_more(left.left(blank, sides).solid, geometry, least)

    # A side without which the other five are not enough is in every set that is; of small sets there are few anyway.
    needed = _needed_sides(geometry, blank, least) if count > _FEW else frozenset()
    chosen = [
        sides for sides in combinations(DIRECTIONS, count) if needed <= set(sides) and is_enough(frozenset(sides))
    ]
    return tuple(sorted(chosen, key=lambda sides: -_cut_face_on(reaches, sides)))


@lru_cache(maxsize=16)
def _needed_sides(geometry: PartGeometry, blank: InProcessStock, least: float) -> frozenset[PartDirection]:
    left = left_by_sides(geometry, blank)
    return frozenset(
        side
        for side in DIRECTIONS
        if not leaves_no_more(left.left(blank, frozenset(DIRECTIONS) - {side}).solid, geometry, least)
    )


def _cut_face_on(reaches: tuple[Reach, ...], chosen: tuple[PartDirection, ...]) -> float:
    """Area of flat faces that the ends of the tools cut from the chosen sides (mm²)."""
    return round(sum(reach.area for reach in reaches if reach.faces in chosen), 3)


def _given_names(features: tuple[Feature, ...], geometry: PartGeometry) -> dict[str, str]:
    """The job's own names by those that recognition gives."""
    pairs = ((found_for(feature, geometry), feature) for feature in features)
    return {found.name: feature.name for found, feature in pairs if found is not None}


def _facing(found: Recognised) -> tuple[PartDirection | None, float]:
    if found.kind != "face":
        return None, 0.0
    return square_name(found.vector), (found.length or 0.0) * (found.width or 0.0)


def _tilt(found: Recognised, sides: tuple[PartDirection, ...]) -> Triple | None:
    if sides or not found.own_way or any(parallel(found.vector, direction_vector(way)) for way in DIRECTIONS):
        return None
    return found.direction
