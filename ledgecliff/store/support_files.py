"""Supports as models, for whoever programs the cut of a sloping one."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.blanks import moved
from ledgecliff.core.holding.supports import SupportSeat
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.solids.meshes import Mesh
from ledgecliff.core.solids.welding import with_owners

from .atomic import write_atomic


def support_stl(setup: SetupPlan, supports: tuple[SupportSeat, ...]) -> bytes:
    """Binary STL of supports as they are left once they are cut, in mm from the zero of what holds the stock."""
    import trimesh  # it takes its time to import
    from trimesh.exchange.stl import export_stl

    level, found = setup.clamping.level, []
    for each in supports:
        if each.block is not None:
            mesh: Mesh = with_owners(moved(each.block.solid(), level.tf_s_u))[0]
            found.append(trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False))
    return bytes(export_stl(trimesh.util.concatenate(found)))


def write_support_stl(setup: SetupPlan, supports: tuple[SupportSeat, ...], path: Path) -> Path:
    """Raises WriteError."""
    write_atomic(path, support_stl(setup, supports))
    return path
