"""Makes the STEP model of the float housing from its published dimensions (handbook, example A).

    python tools/make_float_housing.py OUT.step

Finished part 96 x 64 x 28, P zero at its lowest left front corner.
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

UP, RIGHT = gp_Dir(0, 0, 1), gp_Dir(1, 0, 0)
LENGTH, WIDTH, HEIGHT = 96.0, 64.0, 28.0
BORE_X, BORE_Y = 30.0, 32.0


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
    unify = ShapeUpgrade_UnifySameDomain(part, True, True, True)
    unify.Build()
    return unify.Shape()


def main() -> None:
    out = Path(sys.argv[1])
    writer = STEPControl_Writer()
    writer.Transfer(float_housing(), STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(out))
    # The kernel stamps the time and its own name into the header; the same part shall give the same bytes.
    text = out.read_text(encoding="utf-8")
    text = re.sub(
        r"FILE_NAME\(.*?\);",
        "FILE_NAME('float_housing.step','2026-01-01T00:00:00',('Brackwater Tide Works'),"
        "('Brackwater Tide Works'),'','','');",
        text,
        flags=re.DOTALL,
    )
    text = re.sub(r"Open CASCADE STEP translator [0-9. ]+|Open CASCADE Model", "float housing", text)
    out.write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main()
