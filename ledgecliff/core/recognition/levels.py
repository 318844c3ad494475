"""Levels: the plane faces that lie in one plane, and each of them as a feature."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..model.orientation import DIRECTIONS, PartDirection, direction_vector
from ..solids.geometry import Plane, triple
from .faces import FaceMap
from .recognised import Recognised

#: Faces whose normals and offsets differ by less are one level (cosine; mm).
SAME_NORMAL, SAME_LEVEL = 1.0 - 1e-6, 0.005


@dataclass(frozen=True, eq=False)
class Level:
    """Plane faces in one plane: outward normal, offset, and their overall sizes in the plane."""

    faces: tuple[int, ...]
    normal: Array
    offset: float
    middle: Array
    across: Array
    along: Array
    size: tuple[float, float]
    area: float
    residual: float


def _truly(faces: FaceMap, across: Array, along: Array, low: Array, high: Array) -> tuple[Array, Array]:
    """Ends (2,) of a face along two directions; where facets end with the whole part, its true ends."""
    turn = np.array([across, along])
    if float(np.abs(turn).max(axis=1).min()) < 1.0 - 1e-9:
        return low, high  # skewed, the part's own ends say nothing
    part = faces.geometry
    facets = np.sort(np.array(part.facet_corners) @ turn.T, axis=0)
    true = np.sort(np.array([part.low, part.high]) @ turn.T, axis=0)
    ends = np.where(np.abs(np.array([low, high]) - facets) < 1e-6, true, [low, high])
    return ends[0], ends[1]


def frame_of(normal: Array, edge: Array | None = None) -> tuple[Array, Array]:
    """Two unit vectors in the plane square to ``normal``: along P's axes where that can be, or along ``edge``."""
    if edge is None or float(np.linalg.norm(edge - (edge @ normal) * normal)) < 1e-6:
        edge = np.eye(3)[int(np.argmin(np.abs(normal)))]
    across = edge - (edge @ normal) * normal
    across = across / np.linalg.norm(across)
    return across, np.cross(normal, across)


def levels(faces: FaceMap) -> list[Level]:
    groups: list[tuple[Plane, list[int]]] = []
    for k in faces.of_kind(Plane):
        plane = faces.geometry.faces[k]
        assert isinstance(plane, Plane)
        same = next(
            (
                members
                for first, members in groups
                if abs(first.offset - plane.offset) < SAME_LEVEL
                and float(np.dot(first.normal, plane.normal)) > SAME_NORMAL
            ),
            None,
        )
        if same is None:
            groups.append((plane, [k]))
        else:
            same.append(k)
    return [_level(faces, members) for _, members in groups]


def _level(faces: FaceMap, members: list[int]) -> Level:
    planes = [face for k in members if isinstance(face := faces.geometry.faces[k], Plane)]
    normal = np.array(planes[0].normal)
    points = np.concatenate([faces.points(k) for k in members])
    across, along = frame_of(normal, _longest_edge(faces, members))
    flat = points @ np.column_stack([across, along])
    low, high = flat.min(axis=0), flat.max(axis=0)
    low, high = _truly(faces, across, along, low, high)
    centre = (low + high) / 2.0
    middle = centre[0] * across + centre[1] * along + planes[0].offset * normal
    return Level(
        faces=tuple(members),
        normal=normal,
        offset=planes[0].offset,
        middle=middle,
        across=across,
        along=along,
        size=(float(high[0] - low[0]), float(high[1] - low[1])),
        area=sum(plane.area for plane in planes),
        residual=max(plane.residual for plane in planes),
    )


def _seen_together(faces: FaceMap, level: Level) -> list[Level]:
    """The level itself where some side sees all of it, else its faces grouped by the sides that see them."""
    if len(level.faces) == 1 or sees(faces, level.faces):
        return [level]
    groups: dict[tuple[PartDirection, ...], list[int]] = {}
    for k in level.faces:
        groups.setdefault(sees(faces, (k,)), []).append(k)
    return [_level(faces, members) for members in groups.values()]


def _longest_edge(faces: FaceMap, members: list[int]) -> Array | None:
    """The direction in which a level's longest straight border with another plane runs."""
    best, direction = 0.0, None
    for k in members:
        face = faces.geometry.faces[k]
        for border in faces.borders[k]:
            other = faces.geometry.faces[border.other]
            if isinstance(face, Plane) and isinstance(other, Plane) and border.length > best + 1e-6:
                cross = np.cross(face.normal, other.normal)
                if np.linalg.norm(cross) > 1e-3:
                    best, direction = border.length, cross / np.linalg.norm(cross)
    return direction


def sees(faces: FaceMap, which: Iterable[int], ways: Iterable[PartDirection] = DIRECTIONS) -> tuple[PartDirection, ...]:
    """The square directions from which all of ``which`` are wholly seen."""
    chosen = tuple(which)
    return tuple(way for way in ways if all(faces.sees_all(k, direction_vector(way)) for k in chosen))


def face_features(faces: FaceMap, found: list[Level]) -> list[Recognised]:
    """Every level as a feature; walls that lie in one plane by chance, but open to different sides, apart."""
    found = [part for level in found for part in _seen_together(faces, level)]
    return [
        Recognised(
            kind="face",
            at=triple(level.middle),
            direction=triple(level.normal),
            length=max(level.size),
            width=min(level.size),
            sees=sees(faces, level.faces),
            own_way=all(faces.sees_all(k, level.normal) for k in level.faces),
            faces=level.faces,
            residual=level.residual,
        )
        for level in found
    ]
