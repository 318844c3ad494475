"""``PartGeometry`` as files of plain arrays: what the kernel worker hands over and the cache keeps."""

from __future__ import annotations

import hashlib
import json
import os
import zipfile
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from ledgecliff.core.model.orientation import DIRECTIONS, PartDirection
from ledgecliff.core.solids.geometry import Cone, Cylinder, Freeform, PartGeometry, Plane, Surface, Triple
from ledgecliff.core.solids.meshes import Mesh

#: Goes up when what is read from a model changes, so that old cache entries are not used.
ARCHIVE_VERSION = 5
#: Marks a line on the worker's standard error that tells how far it is.
PROGRESS = "@progress"
#: What reading a damaged archive may raise.
BROKEN = (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile)
_KINDS: dict[str, type[Any]] = {"plane": Plane, "cylinder": Cylinder, "cone": Cone, "freeform": Freeform}


def write_geometry(geometry: PartGeometry, path: Path) -> None:
    """All but the fine mesh, whole or not at all."""
    names = {kind: name for name, kind in _KINDS.items()}
    surfaces = {
        "key": geometry.key,
        "notes": geometry.notes,
        "extents": geometry.extents,
        "faces": [{"is": names[type(face)], **asdict(face)} for face in geometry.faces],
    }
    _write(
        path,
        surfaces=np.array(json.dumps(surfaces)),
        vertices=geometry.coarse.vertices,
        triangles=geometry.coarse.triangles,
        face_of=geometry.face_of,
    )


def write_mesh(mesh: Mesh, path: Path) -> None:
    _write(path, vertices=mesh.vertices, triangles=mesh.triangles)


def write_shadows(shadows: Mapping[PartDirection, Mesh], coarse: Mesh, path: Path) -> None:
    """Shadows of ``coarse``, under its checksum: facets of another mesh throw others."""
    arrays = {f"{up} {what}": getattr(mesh, what) for up, mesh in shadows.items() for what in ("vertices", "triangles")}
    _write(path, of=np.array(_checksum(coarse)), **arrays)


def read_shadows(path: Path, coarse: Mesh) -> dict[PartDirection, Mesh]:
    """None where the file is not there, is damaged, or is of another mesh: they are worked out then."""
    try:
        with np.load(path, allow_pickle=False) as arrays:
            if str(arrays["of"]) != _checksum(coarse):
                return {}
            return {up: Mesh(arrays[f"{up} vertices"], arrays[f"{up} triangles"]) for up in DIRECTIONS}
    except BROKEN:
        return {}


def _checksum(mesh: Mesh) -> str:
    content = hashlib.sha256(np.ascontiguousarray(mesh.vertices, dtype="<f8").tobytes())
    content.update(np.ascontiguousarray(mesh.triangles, dtype="<i8").tobytes())
    return content.hexdigest()


def _write(path: Path, **arrays: Any) -> None:
    partial = path.with_suffix(f".{os.getpid()}.part")
    with partial.open("wb") as file:
        np.savez(file, **arrays)
    partial.replace(path)


def read_mesh(path: Path) -> Mesh:
    """Raises ValueError, KeyError, OSError or zipfile.BadZipFile when the archive is damaged."""
    with np.load(path, allow_pickle=False) as arrays:
        return Mesh(arrays["vertices"], arrays["triangles"])


def read_geometry(path: Path, fine: Callable[[], Mesh], shadows: Path | None = None) -> PartGeometry:
    """``fine`` gives the fine mesh when it is wanted, ``shadows`` is where they may be.  Raises like ``read_mesh``."""
    with np.load(path, allow_pickle=False) as arrays:
        surfaces = json.loads(str(arrays["surfaces"]))
        coarse = Mesh(arrays["vertices"], arrays["triangles"])
        return PartGeometry(
            key=surfaces["key"],
            coarse=coarse,
            fine_mesh=fine,
            faces=tuple(_face(row) for row in surfaces["faces"]),
            face_of=arrays["face_of"],
            notes=tuple(surfaces["notes"]),
            extents=_extents(surfaces["extents"]),
            shadows={} if shadows is None else read_shadows(shadows, coarse),
        )


def _extents(corners: list[list[float]] | None) -> tuple[Triple, Triple] | None:
    if corners is None:
        return None
    (a, b, c), (d, e, f) = corners
    return (a, b, c), (d, e, f)


def _face(row: dict[str, Any]) -> Surface:
    values = {name: tuple(value) if isinstance(value, list) else value for name, value in row.items() if name != "is"}
    face: Surface = _KINDS[row["is"]](**values)
    return face
