"""A fixture of the shop's own for tests, made of boxes and rounds whose places are known by hand.

Its model's zero is the middle of its top: a base of 120 x 80 x 20 under it, a pad that looks to +X at -40, one that
looks to +Y at -30, a bore of 10 at (50, 30), and a clamp that is drawn 70 to the right and moves to -X.
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.model.own_fixture import FixtureBore, FixtureFace, MovingPart, OwnFixture
from ledgecliff.core.model.part import ModelReference
from ledgecliff.core.solids.fitting import fitted_faces
from ledgecliff.core.solids.geometry import FixtureModels, Models, PartGeometry
from ledgecliff.core.solids.meshes import mesh_of
from tests.jobs import point


def reference(name: str) -> ModelReference:
    return ModelReference(path=f"{name}.step", sha256=(name.encode().hex() + "0" * 64)[:64])


def geometry_of(name: str, solid: manifold3d.Manifold) -> PartGeometry:
    mesh = mesh_of(solid)
    faces, face_of = fitted_faces(mesh)
    return PartGeometry(reference(name).key, mesh, lambda: mesh, faces, face_of)


def rod(x: float, y: float, low: float, high: float, diameter: float, corners: int = 360) -> manifold3d.Manifold:
    upright = manifold3d.Manifold.cylinder(high - low, diameter / 2.0, circular_segments=corners)
    return upright.translate((x, y, low))


@cache
def nest() -> manifold3d.Manifold:
    solid = box((-60, -40, -20), (60, 40, 0)) + box((-50, -20, -1), (-40, 20, 12)) + box((-30, -38, -1), (30, -30, 12))
    return solid - rod(50, 30, -21, 1, 10)


@cache
def clamp() -> manifold3d.Manifold:
    return box((70, -8, 2), (90, 8, 10))


SEAT = FixtureFace(name="seat", use="seat", facing="+Z", at=point(0, 0, 0))
LEFT = FixtureFace(name="left pad", use="against", facing="+X", at=point(-40, 0, 6))
FRONT = FixtureFace(name="front pad", use="against", facing="+Y", at=point(0, -30, 6))
BORE = FixtureBore(name="corner bore", x=50, y=30, top=0, diameter=10, depth=20)
TOE = MovingPart(name="toe", model=reference("clamp"), to="-X", travel=60)
NEST = OwnFixture(name="nest", model=reference("nest"), faces=(SEAT, LEFT, FRONT), bores=(BORE,), moving=(TOE,))


def models(*more: tuple[str, manifold3d.Manifold]) -> Models:
    """Of the nest and its clamp, and of whatever else is named; ``more`` takes the place of those."""
    solids = {"nest": nest(), "clamp": clamp(), **dict(more)}
    return Models(
        fixtures=FixtureModels(tuple((reference(name).key, geometry_of(name, solid)) for name, solid in solids.items()))
    )


def write_stl(path: Path, solid: manifold3d.Manifold) -> Path:
    """A binary STL file in mm."""
    mesh = mesh_of(solid)
    corners = mesh.vertices[mesh.triangles].astype("<f4")
    kind = [("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")]
    rows = np.zeros(len(corners), dtype=np.dtype(kind))
    rows["corners"] = corners
    path.write_bytes(b" " * 80 + np.uint32(len(rows)).tobytes() + rows.tobytes())
    return path
