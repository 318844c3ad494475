"""A registration sheet as SVG in true size: one group a layer, arcs as arcs, Y up as on the machine."""

from __future__ import annotations

from ledgecliff.core.layered_drawing import Circle, Entity, Measure, Path, Sheet, Words
from ledgecliff.core.model.part import MM_PER
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.quantities import Unit, format_length, spell
from ledgecliff.core.registration.outlines import Edge

#: Room round the drawing and for its title (mm).
_MARGIN, _TITLE = 15.0, 12.0
_STYLES = """
path,circle,line{fill:none;stroke:#20262b;stroke-width:.35}text{font-family:B612,sans-serif;fill:#20262b}
.BLANK path,.BLANK-BEFORE path{stroke:#8a6d1f;stroke-dasharray:4 2}.PART-OUTLINE path{stroke:#285f9e}
.CUTTER-CENTRE-LINE path{stroke:#9a3d1b;stroke-dasharray:8 2 1.5 2}.DIMENSIONS line{stroke:#525a60;stroke-width:.25}
.TO-STAY-OUT-OF path{stroke:#525a60;stroke-dasharray:2 2}
.WCS-ZERO path{stroke:#1d6b4a;stroke-width:.5}.PIECE-TURNED path{stroke:#1d6b4a;stroke-width:.5}
"""


def sheet_svg(sheet: Sheet, unit: Unit) -> str:
    """A whole document whose user unit is a millimetre, at true size in ``unit``."""
    (left, low), (right, high) = sheet.bounds()
    left, low, right, high = left - _MARGIN, low - _MARGIN, right + _MARGIN, high + _MARGIN + _TITLE
    width, height = right - left, high - low
    size = f'width="{width / MM_PER[unit]:.7f}{unit}" height="{height / MM_PER[unit]:.7f}{unit}"'
    layers = "".join(_layer(sheet, layer, unit) for layer in sheet.layers)
    words = spell(sheet.title, unit)
    title = _text((left + 4.0, high - 8.0), words, 5.0)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="{_n(left)} {_n(-high)} {_n(width)} {_n(height)}">'
        f"<title>{xml_escaped(words)}</title><style>{_STYLES}</style>{title}{layers}</svg>\n"
    )


def _layer(sheet: Sheet, layer: str, unit: Unit) -> str:
    name = xml_escaped(layer.replace(" ", "-"))
    drawn = "".join(_entity(entity, unit) for entity in sheet.entities if entity.layer == layer)
    return f'<g id="{name}" class="{name}">{drawn}</g>'


def _entity(entity: Entity, unit: Unit) -> str:
    match entity:
        case Path():
            return f'<path d="{_way(entity.edges)}"/>'
        case Circle():
            x, y = entity.centre
            return f'<circle cx="{_n(x)}" cy="{_n(-y)}" r="{_n(entity.diameter / 2.0)}"/>'
        case Words():
            return _text(entity.at, spell(entity.text, unit), entity.height)
        case Measure():
            return _measure(entity, unit)


def _way(edges: tuple[Edge, ...]) -> str:
    x, y = edges[0].start
    steps = [f"M{_n(x)} {_n(-y)}"]
    for edge in edges:
        end = f"{_n(edge.end[0])} {_n(-edge.end[1])}"
        if edge.bulge:
            # Y points down on paper, so what turns against the clock there turns with it here.
            large, sweep = int(abs(edge.bulge) > 1.0), int(edge.bulge < 0)
            steps.append(f"A{_n(edge.radius)} {_n(edge.radius)} 0 {large} {sweep} {end}")
        else:
            steps.append(f"L{end}")
    return " ".join([*steps, "Z"])


def _measure(measure: Measure, unit: Unit) -> str:
    """Two lines out and the dimension's own, with its value in the middle of it."""
    k = 0 if measure.along == "x" else 1
    ends = []
    lines = ""
    for place in (measure.start, measure.end):
        foot = (place[0], measure.line) if k == 0 else (measure.line, place[1])
        ends.append(foot)
        lines += _line(place, foot)
    middle = ((ends[0][0] + ends[1][0]) / 2.0 + 1.0, (ends[0][1] + ends[1][1]) / 2.0 + 1.0)
    return lines + _line(*ends) + _text(middle, format_length(measure.mm, unit), 3.5)


def _line(a: tuple[float, float], b: tuple[float, float]) -> str:
    return f'<line x1="{_n(a[0])}" y1="{_n(-a[1])}" x2="{_n(b[0])}" y2="{_n(-b[1])}"/>'


def _text(at: tuple[float, float], words: str, height: float) -> str:
    return f'<text x="{_n(at[0])}" y="{_n(-at[1])}" font-size="{_n(height)}">{xml_escaped(words)}</text>'


def _n(value: float) -> str:
    return f"{value:.5f}".rstrip("0").rstrip(".") if abs(value) > 5e-6 else "0"
