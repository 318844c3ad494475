"""DXF in and out: sheets with named layers and true arcs, outlines and hole patterns back.  Only here is ezdxf used.

Lengths are written in the unit that the file states ($INSUNITS), 4 for millimetres and 1 for inches.
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import assert_never

import ezdxf
from ezdxf import units as dxf_units
from ezdxf.document import Drawing
from ezdxf.enums import TextEntityAlignment
from ezdxf.layouts import Modelspace
from ezdxf.lldxf.const import DXFError

from ledgecliff.core.drawing.items import Fill, Line, Lines, Point2, Surface
from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.drawing.marks import Band, Disc, Head, Layout, Mark, Patch, Placing, Run
from ledgecliff.core.drawing.marks import Words as DrawnWords
from ledgecliff.core.errors import DrawingFileError
from ledgecliff.core.layered_drawing import Circle, Measure, Path, Sheet, Words
from ledgecliff.core.model.part import MM_PER
from ledgecliff.core.plain_text import one_line
from ledgecliff.core.quantities import Unit, spell
from ledgecliff.core.registration.outlines import Edge

from .drawing_shapes import DrawnShapes

_CODES = {"mm": dxf_units.MM, "in": dxf_units.IN}
_MM_PER_CODE = {dxf_units.MM: 1.0, dxf_units.IN: 25.4, dxf_units.CM: 10.0, dxf_units.M: 1000.0}
#: What reading a broken file may come to.
_BROKEN = (DXFError, ValueError, LookupError, StopIteration, AttributeError, TypeError, ArithmeticError)
#: How lines of each style are broken.
_PATTERNS: dict[Line, str] = {
    "visible": "CONTINUOUS", "hidden": "DASHED", "holding": "CONTINUOUS", "hidden_holding": "DOT",
    "phantom": "DASHDOT", "center": "CENTER", "thin": "CONTINUOUS", "approach": "DOT", "search": "CONTINUOUS",
    "zero": "CONTINUOUS",
}  # fmt: skip
_FACE_COLOURS: dict[Surface, int] = {"raw": 51, "finished": 151, "jaw": 9, "parallel": 171, "section": 31, "taken": 21}
_ALIGNED = {
    "left": TextEntityAlignment.MIDDLE_LEFT,
    "centre": TextEntityAlignment.MIDDLE_CENTER,
    "right": TextEntityAlignment.MIDDLE_RIGHT,
}
#: Ends nearer than this meet (mm).
_MEETS = 1e-3
#: A drawing larger than this is none of a pin pattern or an outline.
_LARGEST_BYTES = 40_000_000


def dxf_text(sheet: Sheet, unit: Unit) -> str:
    """The sheet as DXF (R2010)."""
    document = ezdxf.new("R2010", setup=True)
    document.units = _CODES[unit]
    document.header["$MEASUREMENT"] = int(unit == "mm")
    space, scale = document.modelspace(), 1.0 / MM_PER[unit]
    for number, layer in enumerate(sheet.layers):
        document.layers.add(_layer(layer), color=1 + number % 6)
    for entity in sheet.entities:
        _add(space, entity, scale, unit)
    low, high = sheet.bounds()
    document.layers.add("TITLE")
    height = 5.0 * scale
    title = space.add_text(one_line(spell(sheet.title, unit)), height=height, dxfattribs={"layer": "TITLE"})
    title.set_placement((low[0] * scale, (high[1] + 8.0) * scale))
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


def drawings_dxf(layouts: Sequence[Layout], height: float, unit: Unit) -> str:
    """Drawings laid out on paper of ``height`` pixels as DXF (R2010) in true size; lines by their style on layers."""
    document = ezdxf.new("R2010", setup=True)
    document.units = _CODES[unit]
    document.header["$MEASUREMENT"] = int(unit == "mm")
    for number, (line, pattern) in enumerate(_PATTERNS.items()):
        document.layers.add(line.upper(), color=1 + number % 6, linetype=pattern)
    for layer in ("FACES", "WORDS"):
        document.layers.add(layer, color=8)
    for layout in layouts:
        to_file = 1.0 / (layout.placing.scale * MM_PER[unit])
        for mark in layout.marks:
            _put(document.modelspace(), mark, layout.placing, height, to_file)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue()


def _put(space: Modelspace, mark: Mark, placing: Placing, height: float, to_file: float) -> None:
    """One mark; patches under words are for papers that cannot leave a gap."""

    def at(place: Point2) -> tuple[float, float]:
        return (place[0] * to_file, (height - place[1]) * to_file)

    match mark:
        case Fill():
            hatch = space.add_hatch(color=_FACE_COLOURS[mark.surface], dxfattribs={"layer": "FACES", "hatch_style": 0})
            for ring in mark.rings:
                hatch.paths.add_polyline_path([at(placing.point(place)) for place in ring], is_closed=True)
        case Lines():
            for (ax, ay), (bx, by) in mark.segments.tolist():
                ends = at(placing.point((ax, ay))), at(placing.point((bx, by)))
                space.add_line(*ends, dxfattribs={"layer": mark.line.upper()})
        case Run():
            space.add_lwpolyline([at(place) for place in mark.points], dxfattribs={"layer": mark.line.upper()})
        case Band():
            space.add_line(at(mark.start), at(mark.end), dxfattribs={"layer": "SEARCH"})
        case Head():
            a, b, c = (at(place) for place in mark.corners)
            space.add_solid([a, b, c, c], dxfattribs={"layer": mark.line.upper()})
        case Disc():
            space.add_circle(at(mark.at), mark.radius * to_file, dxfattribs={"layer": mark.line.upper()})
        case DrawnWords():
            size = 0.7 * TEXT_SIZE * to_file
            text = space.add_text(one_line(mark.text), height=size, dxfattribs={"layer": "WORDS"})
            text.set_placement(at(mark.at), align=_ALIGNED[mark.anchor])
        case Patch():
            pass
        case _:
            assert_never(mark)


def _layer(name: str) -> str:
    return name.replace(" ", "-")


def _add(space: Modelspace, entity: Path | Circle | Measure | Words, scale: float, unit: Unit) -> None:
    attributes = {"layer": _layer(entity.layer)}
    match entity:
        case Path():
            points = [(e.start[0] * scale, e.start[1] * scale, e.bulge) for e in entity.edges]
            space.add_lwpolyline(points, format="xyb", close=True, dxfattribs=attributes)
        case Circle():
            centre = (entity.centre[0] * scale, entity.centre[1] * scale)
            space.add_circle(centre, entity.diameter / 2.0 * scale, dxfattribs=attributes)
        case Words():
            text = space.add_text(
                one_line(spell(entity.text, unit)), height=entity.height * scale, dxfattribs=attributes
            )
            text.set_placement((entity.at[0] * scale, entity.at[1] * scale))
        case Measure():
            along_x = entity.along == "x"
            dimension = space.add_linear_dim(
                base=(entity.base[0] * scale, entity.base[1] * scale),
                p1=(entity.start[0] * scale, entity.start[1] * scale),
                p2=(entity.end[0] * scale, entity.end[1] * scale),
                angle=0.0 if along_x else 90.0,
                override={"dimtxt": 3.5 * scale, "dimasz": 2.5 * scale, "dimdec": 3 if unit == "mm" else 4},
                dxfattribs=attributes,
            )
            dimension.render()


def read_dxf(path: FilePath, unit: Unit | None = None) -> DrawnShapes:
    """Circles and closed outlines of a DXF file, in mm.

    ``unit`` is taken where the file states none.  Raises DrawingFileError.
    """
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise DrawingFileError(f"'{path.name}' is too large for a drawing of a pattern or an outline.")
        document = ezdxf.readfile(path)
    except OSError as error:
        raise DrawingFileError(f"'{path}' cannot be read: {error.strerror or error}.") from None
    except _BROKEN as error:
        reason = str(error) or "it is cut off"
        raise DrawingFileError(f"'{path.name}' is not a DXF file that can be read: {reason}.") from None
    scale = _scale(document, path.name, unit)
    circles: list[tuple[float, float, float]] = []
    closed: list[tuple[Edge, ...]] = []
    loose: list[Edge] = []
    for entity in document.modelspace():
        match entity.dxftype():
            case "CIRCLE":
                x, y, _ = entity.dxf.center
                circles.append((x * scale, y * scale, 2.0 * entity.dxf.radius * scale))
            case "LWPOLYLINE":
                points = [(x * scale, y * scale, b) for x, y, b in entity.get_points("xyb")]
                edges = _polyline(points, closed=entity.closed)
                if entity.closed or math.dist(points[0][:2], points[-1][:2]) < _MEETS:
                    closed.append(edges)
                else:
                    loose += edges
            case "LINE":
                start, end = entity.dxf.start, entity.dxf.end
                loose.append(Edge((start.x * scale, start.y * scale), (end.x * scale, end.y * scale)))
            case "ARC":
                start, end = entity.start_point, entity.end_point
                sweep = math.radians((entity.dxf.end_angle - entity.dxf.start_angle) % 360.0)
                ends = (start.x * scale, start.y * scale), (end.x * scale, end.y * scale)
                loose.append(Edge(*ends, math.tan(sweep / 4.0)))
    return DrawnShapes(tuple(circles), (*closed, *_chained(loose)))


def _scale(document: Drawing, name: str, unit: Unit | None) -> float:
    code = document.units
    if code in _MM_PER_CODE:
        return float(_MM_PER_CODE[code])
    if unit is None:
        raise DrawingFileError(f"'{name}' states no length unit; say whether it is in mm or in.")
    return MM_PER[unit]


def _polyline(points: list[tuple[float, float, float]], *, closed: bool) -> tuple[Edge, ...]:
    ends = [*points[1:], points[0]] if closed else points[1:]
    edges = (Edge((x, y), (u, v), b) for (x, y, b), (u, v, _) in zip(points, ends, strict=False))
    return tuple(edge for edge in edges if math.dist(edge.start, edge.end) > 1e-9)


def _chained(loose: list[Edge]) -> list[tuple[Edge, ...]]:
    """Closed ways made of single lines and arcs that meet end to end; what stays open is no outline."""
    rest, found = list(loose), []
    while rest:
        way = [rest.pop(0)]
        while math.dist(way[-1].end, way[0].start) > _MEETS:
            following = _following(rest, way[-1].end)
            if following is None:
                break
            way.append(following)
        else:
            if len(way) > 1:
                found.append(tuple(way))
    return found


def _following(rest: list[Edge], end: tuple[float, float]) -> Edge | None:
    for k, edge in enumerate(rest):
        if math.dist(edge.start, end) < _MEETS:
            return rest.pop(k)
        if math.dist(edge.end, end) < _MEETS:
            edge = rest.pop(k)
            return Edge(edge.end, edge.start, -edge.bulge)
    return None
