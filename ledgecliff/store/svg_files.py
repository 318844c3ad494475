"""Outlines and hole patterns out of SVG files.  Only here is svgelements used."""

from __future__ import annotations

import itertools
import math
from pathlib import Path as FilePath
from xml.etree.ElementTree import ParseError

import svgelements

from ledgecliff.core.errors import DrawingFileError
from ledgecliff.core.model.part import MM_PER
from ledgecliff.core.quantities import Unit
from ledgecliff.core.registration.outlines import Edge

from .drawing_shapes import DrawnShapes

#: Asked for so many dots an inch, lengths come in millimetres.
_PPI = 25.4
_CURVE_STEPS = 24
_LARGEST_BYTES = 40_000_000


def read_svg(path: FilePath, unit: Unit | None = None) -> DrawnShapes:
    """Circles and closed outlines of an SVG file in mm, Y up, about the zero of its own coordinates.

    ``unit`` is that of its numbers where the file states no true size.  Raises DrawingFileError.
    """
    try:
        if path.stat().st_size > _LARGEST_BYTES:
            raise DrawingFileError(f"'{path.name}' is too large for a drawing of a pattern or an outline.")
        drawing = svgelements.SVG.parse(str(path), reify=True, ppi=_PPI)
    except OSError as error:
        raise DrawingFileError(f"'{path}' cannot be read: {error.strerror or error}.") from None
    except (ParseError, ValueError, TypeError, AttributeError) as error:
        raise DrawingFileError(f"'{path.name}' is not an SVG file that can be read: {error}.") from None
    if not isinstance(drawing, svgelements.SVG):
        raise DrawingFileError(f"'{path.name}' is not an SVG file: what it holds is no drawing.")
    place = _Place(drawing, path.name, unit)
    circles, outlines = [], []
    for element in drawing.elements():
        if isinstance(element, (svgelements.Circle, svgelements.Ellipse)):
            if abs(element.rx - element.ry) < 1e-6 * abs(element.rx):
                centre = place(complex(element.cx, element.cy))
                circles.append((centre.real, centre.imag, 2.0 * float(element.rx) * place.scale))
        elif isinstance(element, svgelements.Shape):
            for sub in svgelements.Path(element).as_subpaths():
                edges = _edges(svgelements.Path(sub), place)
                if len(edges) > 1 and math.dist(edges[0].start, edges[-1].end) < 1e-3:
                    outlines.append(edges)
    return DrawnShapes(tuple(circles), tuple(outlines))


class _Place:
    """From what the parser gives to millimetres with Y up, about the zero of the file's own coordinates."""

    def __init__(self, drawing: svgelements.SVG, name: str, unit: Unit | None) -> None:
        stated = str(drawing.values.get("attributes", {}).get("width", ""))
        true_size = stated.rstrip().lower().endswith(("mm", "cm", "in"))
        if not true_size and unit is None:
            raise DrawingFileError(f"'{name}' states no true size; say whether its numbers are mm or in.")
        box = drawing.viewbox
        self._zero = complex(0.0, 0.0)
        across = float(drawing.width) / float(box.width) if box is not None and box.width else 1.0
        self.scale = 1.0 if true_size or unit is None else MM_PER[unit] / across
        if box is not None:
            self._zero = complex(float(box.x or 0.0), float(box.y or 0.0)) * across * self.scale

    def __call__(self, point: complex) -> complex:
        moved = complex(point) * self.scale + self._zero
        return moved.conjugate()


def _edges(path: svgelements.Path, place: _Place) -> tuple[Edge, ...]:
    made: list[Edge] = []
    for segment in path:
        if isinstance(segment, svgelements.Move) or segment.start is None or segment.end is None:
            continue
        if isinstance(segment, svgelements.Arc) and abs(segment.rx - segment.ry) < 1e-6 * abs(segment.rx):
            # Y is turned over, and with it the sense of the sweep.
            made.append(_edge(place, segment.start, segment.end, -math.tan(float(segment.sweep) / 4.0)))
        elif isinstance(segment, (svgelements.Line, svgelements.Close)):
            made.append(_edge(place, segment.start, segment.end))
        else:
            points = [segment.point(k / _CURVE_STEPS) for k in range(_CURVE_STEPS + 1)]
            made += [_edge(place, a, b) for a, b in itertools.pairwise(points)]
    return tuple(edge for edge in made if math.dist(edge.start, edge.end) > 1e-7)


def _edge(place: _Place, start: complex, end: complex, bulge: float = 0.0) -> Edge:
    a, b = place(complex(start)), place(complex(end))
    return Edge((a.real, a.imag), (b.real, b.imag), bulge)
