"""Makes the STEP models of the demo jobs from their dimensions: ``python tools/make_demo_models.py``.

*Float housing* (the example of docs/methods): 96 x 64 x 28.  *Lamp lid*: an acetal shell 88 x 62 x 20 with walls
of 2.5 under a top of 3; it opens downward.  *Gate hinge*: a leaf 116 x 52 x 24, with the nest that holds it and
what moves on that.  *Sluice valve block*, *gland spindle*
and *hinge leaf*: as their jobs have them.  P zero at the lowest left front corner of each part.
"""

from __future__ import annotations

import re
import shutil
import sys
import tempfile
from pathlib import Path
from unittest import mock

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

sys.path.insert(0, str(Path(__file__).parents[1]))
from ledgecliff.core.cutting.views import shadows_of
from ledgecliff.core.model.part import ModelReference
from ledgecliff.store import part_models
from ledgecliff.store.geometry_archive import write_shadows
from tools import demo_gate_hinge as hinge
from tools import demo_gland_spindle as spindle
from tools import demo_hinge_leaves as leaves
from tools import demo_sluice_valve as valve

UP, RIGHT = gp_Dir(0, 0, 1), gp_Dir(1, 0, 0)
#: Into the part from where a bore opens.
INTO = {"+Z": gp_Dir(0, 0, -1), "+Y": gp_Dir(0, -1, 0), "+X": gp_Dir(-1, 0, 0), "-Y": gp_Dir(0, 1, 0), "-X": RIGHT}
LENGTH, WIDTH, HEIGHT = 96.0, 64.0, 28.0
BORE_X, BORE_Y = 30.0, 32.0
LID_LENGTH, LID_WIDTH, LID_HEIGHT = 88.0, 62.0, 20.0
DEMO = Path(__file__).parents[1] / "ledgecliff" / "demo"


def cylinder(x, y, z, diameter, height, direction=UP):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z), direction), diameter / 2, height).Shape()


def box(x0, y0, z0, x1, y1, z1):
    return BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape()


def edge_break(z, radius_below, radius_above):
    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(BORE_X, BORE_Y, z), UP), radius_below, radius_above, 1.0).Shape()


def float_housing():
    """The finished part as one kernel solid."""
    cuts = [
        cylinder(BORE_X, BORE_Y, -1, 22, HEIGHT + 2),
        cylinder(BORE_X, BORE_Y, -1, 30, 6),
        edge_break(HEIGHT - 1, 11, 12),
        edge_break(0, 16, 15),
        # Pocket x 50 to 72, y 14 to 50, floor at z 6, corner radius 5.
        box(50, 19, 6, 72, 45, 30),
        box(55, 14, 6, 67, 50, 30),
        *(cylinder(x, y, 6, 10, 24) for x in (55, 67) for y in (19, 45)),
        *(cylinder(x, y, -1, 5.5, HEIGHT + 2) for x in (12, 80) for y in (12, 52)),
        cylinder(66, 32, 12, 10, 40, RIGHT),
    ]
    part = box(0, 0, 0, LENGTH, WIDTH, HEIGHT)
    for cut in cuts:
        part = BRepAlgoAPI_Cut(part, cut).Shape()
    return unified(part)


def rounded_box(x0, y0, z0, x1, y1, z1, radius):
    """A box whose upright edges are rounded."""
    middle = box(x0 + radius, y0, z0, x1 - radius, y1, z1)
    across = box(x0, y0 + radius, z0, x1, y1 - radius, z1)
    corners = [
        cylinder(x, y, z0, 2 * radius, z1 - z0) for x in (x0 + radius, x1 - radius) for y in (y0 + radius, y1 - radius)
    ]
    shape = middle
    for other in (across, *corners):
        shape = BRepAlgoAPI_Fuse(shape, other).Shape()
    return unified(shape)


def unified(shape):
    unify = ShapeUpgrade_UnifySameDomain(shape, True, True, True)
    unify.Build()
    return unify.Shape()


def lamp_lid():
    """Shell with a step for its seal, two screw bosses inside, a gland hole and two vents through the top."""
    part = rounded_box(0, 0, 0, LID_LENGTH, LID_WIDTH, LID_HEIGHT, 10)
    inside = rounded_box(2.5, 2.5, -1, LID_LENGTH - 2.5, LID_WIDTH - 2.5, LID_HEIGHT - 3, 7.5)
    for x in (14, LID_LENGTH - 14):
        inside = BRepAlgoAPI_Cut(inside, cylinder(x, LID_WIDTH / 2, 4, 9, 20)).Shape()
    cuts = [
        inside,
        rounded_box(1.3, 1.3, -1, LID_LENGTH - 1.3, LID_WIDTH - 1.3, 2, 8.7),
        cylinder(LID_LENGTH / 2, LID_WIDTH / 2, 0, 12, LID_HEIGHT + 1),
        *(cylinder(x, LID_WIDTH / 2, 0, 3.3, 14) for x in (14, LID_LENGTH - 14)),
        *(rounded_box(30, y - 2, 10, 58, y + 2, LID_HEIGHT + 1, 1.999) for y in (15, LID_WIDTH - 15)),
    ]
    for cut in cuts:
        part = BRepAlgoAPI_Cut(part, cut).Shape()
    return unified(part)


def gate_hinge():
    """A leaf with rounded corners, an eye bored through, four bolt holes, and a counterbore from below."""
    part = rounded_box(0, 0, 0, hinge.LENGTH, hinge.WIDTH, hinge.HEIGHT, 10)
    cuts = [
        cylinder(hinge.EYE_X, hinge.EYE_Y, -1, 20, hinge.HEIGHT + 2),
        cylinder(hinge.EYE_X, hinge.EYE_Y, -1, 32, 6),
        *(cylinder(x, y, -1, 9, hinge.HEIGHT + 2) for x, y in hinge.BOLTS),
    ]
    for cut in cuts:
        part = BRepAlgoAPI_Cut(part, cut).Shape()
    return unified(part)


def hinge_nest():
    """A base with a pad to the left, two pins in front and a bore; the middle of its seat is its zero."""
    nest = box(-80, -50, -20, 80, 50, 0)
    for more in (box(-70, -14, 0, -58, 14, 14), *(cylinder(x, -31, 0, 10, 14) for x in (-30, 30))):
        nest = BRepAlgoAPI_Fuse(nest, more).Shape()
    return unified(BRepAlgoAPI_Cut(nest, cylinder(70, 40, -21, 10, 22)).Shape())


def cut(part, *others):
    for other in others:
        part = BRepAlgoAPI_Cut(part, other).Shape()
    return unified(part)


def sluice_valve_block():
    """A block with a bore from above and a port from each side."""
    bores = (cylinder(*at, diameter, deep, INTO[to]) for _, at, to, diameter, deep in valve.BORES)
    return cut(box(0, 0, 0, valve.LENGTH, valve.WIDTH, valve.HEIGHT), *bores)


def gland_spindle():
    """A round with a square on one end, a hole across and one from that end."""
    round_, half, start, end = spindle.DIAMETER, spindle.SQUARE / 2, spindle.SQUARE_FROM, spindle.LENGTH
    return cut(
        cylinder(0, 0, 0, round_, end, RIGHT),
        box(start, -round_, half, end + 1, round_, round_),
        box(start, -round_, -round_, end + 1, round_, -half),
        box(start, half, -round_, end + 1, round_, round_),
        box(start, -round_, -round_, end + 1, -half, round_),
        cylinder(spindle.HOLE_X, 0, -round_, spindle.HOLE, 2 * round_),
        cylinder(end - spindle.END_DEEP, 0, 0, spindle.END_HOLE, 2 * spindle.END_DEEP, RIGHT),
    )


def hinge_leaf():
    """A plate with four holes, sunk from below."""
    holes = [cylinder(x, y, -1, 9, leaves.HEIGHT + 2) for x, y in leaves.BOLTS]
    heads = [cylinder(x, y, -1, 15, 7) for x, y in leaves.BOLTS]
    return cut(box(0, 0, 0, leaves.LENGTH, leaves.WIDTH, leaves.HEIGHT), *holes, *heads)


def write(shape, name: str) -> None:
    """The shape as STEP; the same shape gives the same bytes."""
    out = DEMO / f"{name.replace(' ', '_')}.step"
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(out))
    # The kernel stamps the time and its own name into the header.
    text = re.sub(
        r"FILE_NAME\(.*?\);",
        f"FILE_NAME('{out.name}','2026-01-01T00:00:00',('Brackwater Tide Works'),('Brackwater Tide Works'),'','','');",
        out.read_text(encoding="utf-8"),
        flags=re.DOTALL,
    )
    text = re.sub(r"Open CASCADE STEP translator [0-9. ]+|Open CASCADE Model", name, text)
    out.write_text(text, encoding="utf-8")


def ship_archives() -> None:
    """What the kernel reads of the demos' models, so that a demo opens at once where none was opened before."""
    shutil.rmtree(part_models.SHIPPED, ignore_errors=True)
    part_models.SHIPPED.mkdir()
    with (
        tempfile.TemporaryDirectory() as folder,
        mock.patch.object(part_models, "cache_folder", return_value=Path(folder)),
    ):
        for path in sorted(DEMO.glob("*.step")):
            reference = ModelReference(path=path.name, sha256=part_models.checksum_of(path))
            geometry = part_models.read_model(path, reference)
            geometry.fine_mesh()
            shutil.copy(Path(folder) / f"{reference.key}.npz", part_models.SHIPPED)
            write_shadows(shadows_of(geometry), geometry.coarse, part_models.shipped_shadows(reference))


if __name__ == "__main__":
    write(float_housing(), "float housing")
    write(lamp_lid(), "lamp lid")
    write(gate_hinge(), "gate hinge")
    write(hinge_nest(), "hinge nest")
    write(box(64, -10, 2, 84, 10, 12), "hinge nest right toe")
    write(box(-10, 32, 2, 10, 46, 12), "hinge nest rear toe")
    write(sluice_valve_block(), "sluice valve block")
    write(gland_spindle(), "gland spindle")
    write(hinge_leaf(), "hinge leaf")
    ship_archives()
