"""``PartGeometry`` as a file of plain arrays: what the kernel worker hands over and the cache keeps."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

import numpy as np

from ledgecliff.core.solids.geometry import Cylinder, Mesh, PartGeometry, Plane

#: Goes up when what is read from a model changes, so that old cache entries are not used.
ARCHIVE_VERSION = 3


def write_geometry(geometry: PartGeometry, path: Path) -> None:
    surfaces = {
        "sha256": geometry.sha256,
        "face_count": geometry.face_count,
        "planes": [asdict(plane) for plane in geometry.planes],
        "cylinders": [asdict(cylinder) for cylinder in geometry.cylinders],
    }
    with path.open("wb") as file:
        np.savez(
            file,
            surfaces=np.array(json.dumps(surfaces)),
            coarse_vertices=geometry.coarse.vertices,
            coarse_triangles=geometry.coarse.triangles,
            fine_vertices=geometry.fine.vertices,
            fine_triangles=geometry.fine.triangles,
        )


def read_geometry(path: Path) -> PartGeometry:
    """Raises ValueError, KeyError, OSError or zipfile.BadZipFile when the archive is damaged."""
    with np.load(path, allow_pickle=False) as arrays:
        surfaces = json.loads(str(arrays["surfaces"]))
        return PartGeometry(
            sha256=surfaces["sha256"],
            coarse=Mesh(arrays["coarse_vertices"], arrays["coarse_triangles"]),
            fine=Mesh(arrays["fine_vertices"], arrays["fine_triangles"]),
            planes=tuple(Plane(tuple(p["normal"]), p["offset"], p["area"]) for p in surfaces["planes"]),
            cylinders=tuple(
                Cylinder(**{**c, "point": tuple(c["point"]), "axis": tuple(c["axis"])}) for c in surfaces["cylinders"]
            ),
            face_count=surfaces["face_count"],
        )
