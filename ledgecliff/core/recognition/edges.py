"""Outer edges: chamfers, and rounds with material inside."""

from __future__ import annotations

import numpy as np

from ..solids.geometry import Cylinder, Plane, triple
from .faces import FaceMap
from .levels import SAME_LEVEL, Level, sees
from .recognised import Recognised, parallel

#: Faces that go so far round together are a whole round; so near to half of one they are half (degrees).
_ALL_ROUND_DEG, _HALF_WITHIN_DEG = 355.0, 10.0
#: A chamfer is at most this wide (mm), or this share of the faces beside it.
_CHAMFER_WIDE, _CHAMFER_SHARE = 6.0, 0.25


def chamfers(faces: FaceMap, found: list[Level]) -> list[Recognised]:
    """Narrow slanted faces between two wider ones, and narrow outer rounds that run into both."""
    result = []
    for level in found:
        for k in level.faces:
            sides = sorted(faces.borders[k], key=lambda border: -border.length)[:2]
            others = [faces.geometry.faces[border.other] for border in sides]
            if len(sides) < 2 or not all(isinstance(other, Plane) for other in others):
                continue
            if not all(-0.95 < border.fold < -0.3 for border in sides):
                continue
            plane = faces.geometry.faces[k]
            length = max(border.length for border in sides)
            width = plane.area / max(length, 1e-9)
            beside = min(other.area / max(length, 1e-9) for other in others)
            if sides[1].length < 0.5 * length or width > min(_CHAMFER_WIDE, _CHAMFER_SHARE * beside) or width > length:
                continue
            middle = faces.points(k).mean(axis=0)
            result.append(
                Recognised(
                    kind="chamfer",
                    at=triple(middle),
                    direction=triple(level.normal),
                    width=width,
                    length=length,
                    depth=width * min(abs(border.fold) for border in sides),
                    sees=sees(faces, (k,)),
                    own_way=faces.sees_all(k, level.normal),
                    faces=(k,),
                    residual=plane.residual,
                )
            )
    return result


def outer_rounds(faces: FaceMap) -> list[Recognised]:
    """Rounded outer corners and edges: part of a cylinder with material inside; faces of one round together."""
    groups: list[list[int]] = []
    for k in faces.of_kind(Cylinder):
        face = faces.geometry.faces[k]
        assert isinstance(face, Cylinder)
        if face.inside or face.sweep_deg > 200.0:
            continue
        same = next((group for group in groups if _one_round(faces, group[0], k)), None)
        if same is None:
            groups.append([k])
        else:
            same.append(k)
    return [found for group in groups if (found := _outer_round(faces, tuple(group))) is not None]


def _one_round(faces: FaceMap, a: int, b: int) -> bool:
    """Whether two faces lie on one cylinder."""
    one, other = faces.geometry.faces[a], faces.geometry.faces[b]
    assert isinstance(one, Cylinder) and isinstance(other, Cylinder), "chosen by kind"
    off = np.cross(np.array(other.point) - np.array(one.point), np.array(one.axis))
    on_axis = parallel(np.array(one.axis), np.array(other.axis)) and float(np.linalg.norm(off)) < SAME_LEVEL
    return on_axis and abs(one.radius - other.radius) < SAME_LEVEL


def _outer_round(faces: FaceMap, group: tuple[int, ...]) -> Recognised | None:
    """None where the faces go all round: a boss, or the part's own outside."""
    first = faces.geometry.faces[group[0]]
    assert isinstance(first, Cylinder), "chosen by kind"
    axis, point = np.array(first.axis), np.array(first.point)
    along = np.concatenate([faces.points(k) for k in group]) @ axis - float(point @ axis)
    sweep, residual = 0.0, 0.0
    for k in group:
        face = faces.geometry.faces[k]
        assert isinstance(face, Cylinder), "chosen by kind"
        # Pieces beside each other add up; pieces one above the other do not.
        share = (face.end - face.start) / max(float(np.ptp(along)), 1e-9)
        sweep, residual = sweep + face.sweep_deg * min(share, 1.0), max(residual, face.residual)
    if sweep >= _ALL_ROUND_DEG:
        return None
    return Recognised(
        kind="outer round",
        at=triple(point + float(along.min() + along.max()) / 2.0 * axis),
        direction=triple(axis),
        diameter=2.0 * first.radius,
        radius=first.radius,
        depth=float(np.ptp(along)),
        sees=sees(faces, group),
        faces=group,
        residual=residual,
        called="half round" if abs(sweep - 180.0) < _HALF_WITHIN_DEG else "",
    )
