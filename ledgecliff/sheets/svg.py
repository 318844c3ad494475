"""Drawings as SVG: the same marks as on the stage."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import assert_never

from ledgecliff.core.drawing.items import Drawing, Fill, Lines, Point2
from ledgecliff.core.drawing.layout import MARGIN, TEXT_SIZE, TITLE, lay_out, room_needed
from ledgecliff.core.drawing.marks import Band, Disc, Head, Layout, Mark, Patch, Run, Words
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.quantities import Unit

from .text_width import text_width

_ANCHORS = {"left": "start", "centre": "middle", "right": "end"}
#: The baseline lies so far under the middle of the words.
_BASELINE = 0.35 * TEXT_SIZE
_STYLES = f"""
.visible{{stroke:#20262b;stroke-width:1.2}}.hidden{{stroke:#7c8186;stroke-width:.8;stroke-dasharray:5 3}}
.holding{{stroke:#525a60;stroke-width:.9}}.phantom{{stroke:#1d6b4a;stroke-width:.8;stroke-dasharray:8 3 2 3}}
.hidden_holding{{stroke:#7c8186;stroke-width:.7;stroke-dasharray:2 3}}
.center{{stroke:#525a60;stroke-width:.8;stroke-dasharray:10 3 2 3}}.thin{{stroke:#7c8186;stroke-width:.6}}
.approach{{stroke:#285f9e;stroke-width:.9;stroke-dasharray:1 3}}.search{{stroke:#285f9e;stroke-width:1.4}}
.zero{{stroke:#1d6b4a;stroke-width:1.8}}.picked{{stroke:#c07a00;stroke-width:2.4}}
.head.holding{{fill:#525a60}}.head.search{{fill:#285f9e}}.head.zero{{fill:#1d6b4a}}.head.picked{{fill:#c07a00}}
.raw{{fill:#f1e2bd}}.finished{{fill:#dde6ea}}.jaw{{fill:#e6e7e5}}.parallel{{fill:#cdd3df}}.section{{fill:#e3bfae}}.taken{{fill:#d9a58c;fill-opacity:.5}}
.line{{fill:none}}text{{font-family:B612,sans-serif;font-size:{TEXT_SIZE:g}px}}
"""
_COLOURS = {
    "ink": "#20262b", "quiet": "#525a60", "paper": "#ffffff", "zero": "#1d6b4a", "accent": "#c07a00",
    "accent_soft": "#f6dd9f", "touch": "#285f9e",
}  # fmt: skip


def svg(drawing: Drawing, unit: Unit, width: float, height: float) -> str:
    """A drawing as one ``<svg>`` element of ``width`` and at most ``height`` pixels."""
    (layout,) = lay_out([drawing], width, height, unit, text_width)
    tall = (drawing.high[1] - drawing.low[1]) * layout.placing.scale
    needed = math.ceil(MARGIN + TITLE + tall + room_needed(drawing, narrow=False)[2] + MARGIN)
    if needed < height:
        height = needed
        (layout,) = lay_out([drawing], width, height, unit, text_width)
    return _element([layout], width, height)


def svg_page(drawings: Sequence[Drawing], unit: Unit, width: float, height: float) -> str:
    """Drawings one below the other, to one scale, as a whole SVG document."""
    return _element(lay_out(drawings, width, height, unit, text_width), width, height) + "\n"


def _element(layouts: Sequence[Layout], width: float, height: float) -> str:
    body = "".join(f"<g>{''.join(_mark(mark, layout) for mark in layout.marks)}</g>" for layout in layouts)
    label = xml_escaped(", ".join(layout.name for layout in layouts))
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" '
        f'viewBox="0 0 {width:.0f} {height:.0f}" role="img" aria-label="{label}"><style>{_STYLES}</style>{body}</svg>'
    )


def _mark(mark: Mark, layout: Layout) -> str:
    match mark:
        case Fill():
            rings = " ".join(_path(map(layout.placing.point, ring)) + "Z" for ring in mark.rings)
            return f'<path class="{mark.surface}" fill-rule="evenodd" d="{rings}"/>'
        case Lines():
            ends = (map(layout.placing.point, ((ax, ay), (bx, by))) for (ax, ay), (bx, by) in mark.segments.tolist())
            picked = bool(layout.picked) and mark.source == layout.picked
            return _line(" ".join(_path(each) for each in ends), mark.line, picked=picked)
        case Run():
            return _line(_path(mark.points), mark.line, picked=mark.picked)
        case Band():
            return (
                f'<path d="{_path((mark.start, mark.end))}" stroke="{_COLOURS[mark.colour]}" '
                f'stroke-width="{mark.width:g}" stroke-opacity="{mark.alpha:g}"/>'
            )
        case Head():
            return f'<path class="head {mark.line}{" picked" * mark.picked}" d="{_path(mark.corners)}Z"/>'
        case Disc():
            return _disc(mark)
        case Patch():
            box = mark.box
            return (
                f'<rect x="{box.left:.1f}" y="{box.top:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
                f'fill="{_COLOURS[mark.colour]}" fill-opacity="{mark.alpha:g}"/>'
            )
        case Words():
            x, y = mark.at
            weight = ' font-weight="bold"' * mark.bold
            return (
                f'<text x="{x:.1f}" y="{y + _BASELINE:.1f}" text-anchor="{_ANCHORS[mark.anchor]}" '
                f'fill="{_COLOURS[mark.colour]}"{weight}>{xml_escaped(mark.text)}</text>'
            )
        case _:
            assert_never(mark)


def _disc(disc: Disc) -> str:
    (x, y), r = disc.at, disc.radius
    style = f"{disc.line}{' picked' * disc.picked}"
    ring = f'<circle class="{style}" cx="{x:.1f}" cy="{y:.1f}" r="{r:.1f}" fill="{_COLOURS[disc.fill]}"/>'
    if not disc.quartered:
        return ring
    return (
        f'{ring}<path class="head {style}" d="M{x:.1f} {y:.1f}h{-r:.1f}A{r:.1f} {r:.1f} 0 0 0 {x:.1f} {y + r:.1f}Z"/>'
    )


def _line(path: str, line: str, *, picked: bool) -> str:
    return f'<path class="line {line}{" picked" * picked}" d="{path}"/>' if path else ""


def _path(points: Iterable[Point2]) -> str:
    return "".join(f"{'L' if k else 'M'}{x:.1f} {y:.1f}" for k, (x, y) in enumerate(points))
