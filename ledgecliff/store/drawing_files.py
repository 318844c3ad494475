"""Every drawing of the turns written as DXF and SVG, and drawings read by the ending of their name."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.core.errors import DrawingFileError
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit
from ledgecliff.core.turns.drawings import turn_sheets

from .atomic import make_folder, write_atomic
from .drawing_shapes import DrawnShapes


def write_turn_drawings(plan: Plan, folder: Path) -> list[Path]:
    """Two files a drawing, in the unit of the machine's control; all texts are made before the first is written.

    Raises InternalError where the plan's stock lacks some of the part.
    """
    plan.check_part_is_left()
    from ledgecliff.sheets.sheet_svg import sheet_svg  # slow to import, and ezdxf as well

    from .dxf_files import dxf_text

    unit = plan.job.machine.program_units
    texts: dict[str, str] = {}
    for sheet in turn_sheets(plan):
        texts[f"{sheet.name}.dxf"] = dxf_text(sheet, unit)
        texts[f"{sheet.name}.svg"] = sheet_svg(sheet, unit)
    make_folder(folder)
    for name, text in texts.items():
        write_atomic(folder / name, text)
    return [folder / name for name in texts]


def read_drawing(path: Path, unit: Unit | None = None) -> DrawnShapes:
    """Circles and closed outlines of a DXF or SVG file (mm).  Raises DrawingFileError."""
    from .dxf_files import read_dxf
    from .svg_files import read_svg

    match path.suffix.lower():
        case ".dxf":
            return read_dxf(path, unit)
        case ".svg":
            return read_svg(path, unit)
        case _:
            raise DrawingFileError(f"'{path.name}' is neither .dxf nor .svg; export the drawing as one of them.")
