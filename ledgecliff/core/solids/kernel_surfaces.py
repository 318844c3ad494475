"""The faces of a kernel shape as planes, cylinders, cones and the rest.

Many programs write every face as a spline.  What such a face really is the kernel finds out (canonical
recognition); how far its corners stand off what was found is measured here, and kept as its residual.

Like ``kernel`` only the process that reads models imports this module.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.GeomAbs import GeomAbs_SurfaceType as Kind
from OCP.gp import gp_Cone, gp_Cylinder, gp_Pln, gp_Sphere
from OCP.GProp import GProp_GProps
from OCP.ShapeAnalysis import ShapeAnalysis_CanonicalRecognition
from OCP.TopAbs import TopAbs_REVERSED

from ..frames import Array
from ..quantities import said_bare
from .geometry import Cone, Cylinder, Freeform, Plane, Surface, triple
from .meshes import Mesh

#: A spline is taken for a plane, cylinder or cone where its corners lie so near to one (mm).
_RECOGNISED = 0.005
#: The area of a spline face is summed up until it changes by no more than this share.
_SPLINE_AREA = 1e-5
#: What is neither of these, in words, one and many.
_KINDS = {
    Kind.GeomAbs_Sphere: "sphere",
    Kind.GeomAbs_Torus: "torus",
    Kind.GeomAbs_BezierSurface: "spline",
    Kind.GeomAbs_BSplineSurface: "spline",
    Kind.GeomAbs_SurfaceOfRevolution: "surface of revolution",
    Kind.GeomAbs_SurfaceOfExtrusion: "extruded surface",
    Kind.GeomAbs_OffsetSurface: "offset surface",
}
_MANY = {"torus": "tori", "surface of revolution": "surfaces of revolution"}


def surfaces_of(faces: list[Any], mesh: Mesh, face_of: NDArray[np.int64]) -> tuple[Surface, ...]:
    """What each face is; ``face_of`` (M,) says to which of them each triangle of ``mesh`` belongs."""
    order = np.argsort(face_of, kind="stable")
    starts = np.searchsorted(face_of[order], np.arange(len(faces) + 1))
    triangles = [mesh.triangles[order[starts[k] : starts[k + 1]]] for k in range(len(faces))]
    return tuple(_surface(face, mesh.vertices[of_face]) for face, of_face in zip(faces, triangles, strict=True))


def words_about(surfaces: Sequence[Surface]) -> list[str]:
    """What was recognised although the file does not state it, and what stayed neither flat nor round."""
    notes = []
    known = [face for face in surfaces if not isinstance(face, Freeform) and face.was_spline]
    if known:
        kinds = Counter(type(face).__name__.lower() for face in known)
        off = max(face.residual for face in known)
        listed = ", ".join(_counted(number, kind) for kind, number in sorted(kinds.items()))
        notes.append(f"{_counted(len(known), 'spline face')} recognised as {listed}, within {said_bare(off)}")
    left = Counter(face.kind for face in surfaces if isinstance(face, Freeform))
    if left:
        listed = ", ".join(_counted(number, kind) for kind, number in sorted(left.items()))
        notes.append(f"{sum(left.values())} of {len(surfaces)} faces are no planes, cylinders or cones: {listed}")
    return notes


def _counted(number: int, kind: str) -> str:
    return f"{number} {kind if number == 1 else _MANY.get(kind, kind + 's')}"


def _surface(face: Any, corners: Array) -> Surface:
    """``corners`` (K, 3, 3) are those of the face's triangles."""
    surface = BRepAdaptor_Surface(face)
    outward = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
    area = _area(face)
    match surface.GetType():
        case Kind.GeomAbs_Plane:
            return _plane(surface.Plane(), outward, area)
        case Kind.GeomAbs_Cylinder:
            return _cylinder(surface, outward, area)
        case Kind.GeomAbs_Cone:
            return _cone(surface, outward, area)
        case Kind.GeomAbs_Sphere | Kind.GeomAbs_Torus as kind:
            return Freeform(area, kind=_KINDS[kind])
        case kind:
            area = _area(face, _SPLINE_AREA)
            found = _recognised(face, corners, area) if len(corners) else None
            return found or Freeform(area, kind=_KINDS.get(kind, "other surface"))


def _area(face: Any, within: float | None = None) -> float:
    """Of a face (mm²); ``within`` a share of itself, which costs time, where its own kind does not make it exact."""
    properties = GProp_GProps()
    if within is None:
        BRepGProp.SurfaceProperties_s(face, properties)
    else:
        BRepGProp.SurfaceProperties_s(face, properties, within)
    return float(properties.Mass())


def _plane(plane: Any, outward: float, area: float) -> Plane:
    axes, at = plane.Position(), plane.Location()
    # A left-handed placement turns the natural normal (u x v) round.
    flip = outward * (1.0 if axes.Direct() else -1.0)
    normal = _vector(axes.Direction()) * flip
    return Plane(triple(normal), float(normal @ _vector(at)), area)


def _cylinder(surface: Any, outward: float, area: float) -> Cylinder:
    cylinder = surface.Cylinder()
    axes = cylinder.Position()
    start, end = surface.FirstVParameter(), surface.LastVParameter()
    return Cylinder(
        point=triple(_vector(cylinder.Location())),
        axis=triple(_vector(axes.Direction())),
        radius=cylinder.Radius(),
        start=min(start, end),
        end=max(start, end),
        inside=outward * (1.0 if axes.Direct() else -1.0) < 0.0,
        sweep_deg=_sweep_deg(surface),
        area=area,
    )


def _cone(surface: Any, outward: float, area: float) -> Cone:
    """The kernel measures along the slope; here along the axis."""
    cone = surface.Cone()
    axes, half = cone.Position(), cone.SemiAngle()
    along = sorted((surface.FirstVParameter(), surface.LastVParameter()))
    start, end = (v * np.cos(half) for v in along)
    radii = tuple(float(cone.RefRadius() + v * np.sin(half)) for v in along)
    return Cone(
        point=triple(_vector(cone.Location())),
        axis=triple(_vector(axes.Direction())),
        start_radius=radii[0],
        end_radius=radii[1],
        start=float(start),
        end=float(end),
        inside=outward * (1.0 if axes.Direct() else -1.0) < 0.0,
        sweep_deg=_sweep_deg(surface),
        area=area,
    )


def _sweep_deg(surface: Any) -> float:
    return float(np.degrees(surface.LastUParameter() - surface.FirstUParameter()))


def _vector(of: Any) -> Array:
    return np.array([of.X(), of.Y(), of.Z()])


# --- faces that are stated as something else ----------------------------------------------------


def _recognised(face: Any, corners: Array, area: float) -> Surface | None:
    """The plane, cylinder, cone or sphere that a face is whatever it is stated as; None where it is none."""
    looking = ShapeAnalysis_CanonicalRecognition(face)
    plane, cylinder, cone, sphere = gp_Pln(), gp_Cylinder(), gp_Cone(), gp_Sphere()
    if looking.IsPlane(_RECOGNISED, plane):
        return _flat(plane, corners, area)
    if looking.IsCylinder(_RECOGNISED, cylinder):
        point, axis = _vector(cylinder.Location()), _vector(cylinder.Axis().Direction())
        return _round(point, axis, cylinder.Radius(), 0.0, corners, area)
    if looking.IsCone(_RECOGNISED, cone):
        point, axis = _vector(cone.Location()), _vector(cone.Axis().Direction())
        return _round(point, axis, cone.RefRadius(), float(np.tan(cone.SemiAngle())), corners, area)
    if looking.IsSphere(_RECOGNISED, sphere):
        return Freeform(area, kind="sphere")
    return None


def _flat(plane: Any, corners: Array, area: float) -> Plane | None:
    normal = _vector(plane.Axis().Direction())
    outward = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0)
    if float(outward @ normal) < 0.0:
        normal = -normal
    offset = float(normal @ _vector(plane.Location()))
    residual = float(np.abs(corners.reshape(-1, 3) @ normal - offset).max())
    # What the kernel says of its own finding is not enough.
    return Plane(triple(normal), offset, area, residual, was_spline=True) if residual <= _RECOGNISED else None


def _round(point: Array, axis: Array, radius: float, slope: float, corners: Array, area: float) -> Surface | None:
    """A cylinder, or a cone whose radius grows by ``slope`` along its axis, as far as its corners reach."""
    places = corners.reshape(-1, 3) - point
    along = places @ axis
    radial = places - along[:, None] * axis
    far = np.linalg.norm(radial, axis=1)
    residual = float(np.abs(far - (radius + slope * along)).max())
    if residual > _RECOGNISED:
        return None
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    inside = float((normals * radial.reshape(-1, 3, 3).mean(axis=1)).sum()) < 0.0
    start, end = float(along.min()), float(along.max())
    sweep = _swept_deg(radial, axis, far > 1e-6)
    if slope == 0.0:
        return Cylinder(
            point=triple(point),
            axis=triple(axis),
            radius=radius,
            start=start,
            end=end,
            inside=inside,
            sweep_deg=sweep,
            area=area,
            residual=residual,
            was_spline=True,
        )
    return Cone(
        point=triple(point),
        axis=triple(axis),
        start_radius=radius + slope * start,
        end_radius=radius + slope * end,
        start=start,
        end=end,
        inside=inside,
        sweep_deg=sweep,
        area=area,
        residual=residual,
        was_spline=True,
    )


def _swept_deg(radial: Array, axis: Array, known: Array) -> float:
    """How far round the axis corners (N, 3) reach: all but the widest gap between triangles' corners."""
    across = np.linalg.svd(axis[None, :])[2][1:]
    flat = radial.reshape(-1, 3) @ across.T
    # Each triangle covers the arc between its own corners, which is less than half a round.
    angles = np.arctan2(flat[:, 1], flat[:, 0]).reshape(-1, 3)
    reach = (angles - angles[:, :1] + np.pi) % (2.0 * np.pi) - np.pi
    spans = np.stack([angles[:, 0] + reach.min(axis=1), angles[:, 0] + reach.max(axis=1)], axis=1)
    spans = spans[known.reshape(-1, 3).all(axis=1)]
    if not len(spans):
        return 0.0
    spans[:, 1] -= spans[:, 0]
    starts = spans[:, 0] % (2.0 * np.pi)
    order = np.argsort(starts, kind="stable")
    first, reached, gap = float(starts[order[0]]), float(starts[order[0]]), 0.0
    for k in order:
        gap = max(gap, float(starts[k]) - reached)
        reached = max(reached, float(starts[k] + spans[k, 1]))
    gap = max(gap, first + 2.0 * np.pi - reached)
    return float(np.degrees(2.0 * np.pi - gap)) if gap > 1e-6 else 360.0
