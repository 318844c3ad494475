"""A ``Drawing`` as SVG: the same lines, fills, dimensions and marks as on the stage."""

from __future__ import annotations

from collections.abc import Iterable

from ledgecliff.core.drawing.items import (
    Ball,
    Dimension,
    Drawing,
    Fill,
    Item,
    Label,
    Ladder,
    Lines,
    Point2,
    Spot,
    Stroke,
    Touchable,
    Zero,
)
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.quantities import Unit, format_length, spell

_LANE, _LADDER_ROOM, _MARGIN, _ROW = 26.0, 190.0, 10.0, 15.0
_ANCHORS = {"left": "start", "centre": "middle", "right": "end"}
_STYLES = """
.visible{stroke:#20262b;stroke-width:1.2}.hidden{stroke:#7c8186;stroke-width:.8;stroke-dasharray:5 3}
.holding{stroke:#525a60;stroke-width:.9}.phantom{stroke:#1d6b4a;stroke-width:.8;stroke-dasharray:8 3 2 3}
.hidden_holding{stroke:#7c8186;stroke-width:.7;stroke-dasharray:2 3}
.center{stroke:#525a60;stroke-width:.8;stroke-dasharray:10 3 2 3}.thin{stroke:#7c8186;stroke-width:.6}
.approach{stroke:#285f9e;stroke-width:.9;stroke-dasharray:1 3}.search{stroke:#285f9e;stroke-width:1.4}
.raw{fill:#f1e2bd}.finished{fill:#dde6ea}.jaw{fill:#e6e7e5}.parallel{fill:#cdd3df}.section{fill:#e3bfae}
.line{fill:none}.zero{stroke:#1d6b4a;stroke-width:1.8;fill:none}.ball{stroke:#285f9e;fill:#fff}
text{font-family:B612,sans-serif;font-size:11px;fill:#20262b}
"""


def svg(drawing: Drawing, unit: Unit, width: float, height: float) -> str:
    """The drawing fitted into ``width`` x ``height`` user units, as one ``<svg>`` element."""
    return _Svg(drawing, unit, width, height).text()


def svg_page(drawings: tuple[Drawing, ...], unit: Unit, width: float = 900.0, height: float = 420.0) -> str:
    """Drawings one below the other as a whole SVG document."""
    nested = "".join(
        svg(drawing, unit, width, height).replace("<svg", f'<svg y="{k * height:.0f}"', 1)
        for k, drawing in enumerate(drawings)
    )
    whole = height * len(drawings)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:.0f} {whole:.0f}" width="{width:.0f}" '
        f'height="{whole:.0f}">{nested}</svg>\n'
    )


class _Svg:
    def __init__(self, drawing: Drawing, unit: Unit, width: float, height: float) -> None:
        self._drawing, self._unit = drawing, unit
        dimensions = [item for item in drawing.items if isinstance(item, Dimension)]
        lanes = {
            side: max((item.lane for item in dimensions if item.side == side), default=0)
            for side in ("left", "right", "below")
        }
        left = lanes["left"] * 60.0 + _MARGIN
        right = lanes["right"] * 60.0 + _MARGIN
        if any(isinstance(item, Ladder) for item in drawing.items):
            right = max(right, _LADDER_ROOM)
        below = lanes["below"] * _LANE + _MARGIN
        span_x = max(drawing.high[0] - drawing.low[0], 1e-6)
        span_y = max(drawing.high[1] - drawing.low[1], 1e-6)
        self._scale = min((width - left - right) / span_x, (height - below - 2 * _MARGIN) / span_y)
        self._x = left + (width - left - right - span_x * self._scale) / 2.0 - drawing.low[0] * self._scale
        self._height = span_y * self._scale + below + 2 * _MARGIN
        self._y = 2 * _MARGIN + drawing.high[1] * self._scale
        self._width = width

    def _at(self, point: Point2) -> Point2:
        return (self._x + point[0] * self._scale, self._y - point[1] * self._scale)

    def text(self) -> str:
        body = "".join(piece for item in self._drawing.items for piece in self._item(item))
        return (
            f'<svg xmlns="http://www.w3.org/2000/svg" width="{self._width:.0f}" height="{self._height:.0f}" '
            f'viewBox="0 0 {self._width:.0f} {self._height:.0f}" role="img" '
            f'aria-label="{xml_escaped(self._drawing.name)}">'
            f"<style>{_STYLES}</style>{body}</svg>"
        )

    def _item(self, item: Item) -> Iterable[str]:
        match item:
            case Fill():
                rings = " ".join(self._path(ring) + "Z" for ring in item.rings)
                yield f'<path class="{item.surface}" fill-rule="evenodd" d="{rings}"/>'
            case Lines():
                paths = " ".join(self._path(((ax, ay), (bx, by))) for (ax, ay), (bx, by) in item.segments.tolist())
                if paths:
                    yield f'<path class="line {item.line}" d="{paths}"/>'
            case Stroke():
                yield f'<path class="line {item.line}" d="{self._path(item.points)}"/>'
            case Label():
                yield self._words(self._at(item.at), spell(item.text, self._unit), _ANCHORS[item.anchor])
            case Dimension():
                yield from self._dimension(item)
            case Zero():
                yield from self._zero(item)
            case Spot():
                x, y = self._at(item.at)
                yield f'<path class="line thin" d="M{x - 4:.1f} {y:.1f}h8M{x:.1f} {y - 4:.1f}v8"/>'
            case Touchable():
                yield self._line(self._at(item.start), self._at(item.end), "search")
            case Ball():
                yield from self._ball(item)
            case Ladder():
                yield from self._ladder(item)

    def _path(self, points: Iterable[Point2]) -> str:
        return "".join(
            f"{'L' if k else 'M'}{x:.1f} {y:.1f}" for k, (x, y) in enumerate(self._at(point) for point in points)
        )

    def _words(self, at: Point2, text: str, anchor: str) -> str:
        return f'<text x="{at[0]:.1f}" y="{at[1] + 4:.1f}" text-anchor="{anchor}">{xml_escaped(text)}</text>'

    def _line(self, a: Point2, b: Point2, style: str) -> str:
        return f'<path class="line {style}" d="M{a[0]:.1f} {a[1]:.1f}L{b[0]:.1f} {b[1]:.1f}"/>'

    def _dimension(self, item: Dimension) -> Iterable[str]:
        start, end = self._at(item.start), self._at(item.end)
        low, high = self._at(self._drawing.low), self._at(self._drawing.high)
        text = format_length(item.mm, self._unit, sign=item.signed)
        if item.side == "below":
            y = low[1] + item.lane * _LANE - 8.0
            a, b = (start[0], y), (end[0], y)
        else:
            x = low[0] - item.lane * 60.0 + 24.0 if item.side == "left" else high[0] + item.lane * 60.0 - 24.0
            a, b = (x, start[1]), (x, end[1])
        yield self._line(start, a, "thin")
        yield self._line(end, b, "thin")
        yield self._line(a, b, "holding")
        for tip, other in ((a, b), (b, a)):
            yield self._tick(tip, other)
        middle = ((a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0)
        half = len(text) * 3.3 + 2.0
        x, y = middle[0] - half, middle[1] - 7.0
        yield f'<rect x="{x:.1f}" y="{y:.1f}" width="{2 * half:.1f}" height="14" fill="#fff"/>'
        yield self._words(middle, text, "middle")

    @staticmethod
    def _tick(tip: Point2, other: Point2) -> str:
        """A slim arrow head at ``tip``."""
        dx, dy = other[0] - tip[0], other[1] - tip[1]
        length = max((dx * dx + dy * dy) ** 0.5, 1e-6)
        ux, uy = dx / length * 6.0, dy / length * 6.0
        corners = (
            tip,
            (tip[0] + ux - uy * 0.3, tip[1] + uy + ux * 0.3),
            (tip[0] + ux + uy * 0.3, tip[1] + uy - ux * 0.3),
        )
        path = "L".join(f"{x:.1f} {y:.1f}" for x, y in corners)
        return f'<path fill="#525a60" d="M{path}Z"/>'

    def _zero(self, item: Zero) -> Iterable[str]:
        x, y = self._at(item.at)
        for dx, dy, letter in ((32.0, 0.0, item.letters[0]), (0.0, -32.0, item.letters[1])):
            yield f'<path class="zero" d="M{x:.1f} {y:.1f}L{x + dx:.1f} {y + dy:.1f}"/>'
            yield self._words((x + dx * 1.25, y + dy * 1.25), letter, "middle")
        yield f'<circle class="zero" cx="{x:.1f}" cy="{y:.1f}" r="5" style="fill:#fff"/>'

    def _ball(self, item: Ball) -> Iterable[str]:
        at, start, end = self._at(item.at), self._at(item.start), self._at(item.end)
        yield self._line(start, end, "approach")
        yield self._line(start, at, "search")
        radius = max(item.radius * self._scale, 3.0)
        yield f'<circle class="ball" cx="{at[0]:.1f}" cy="{at[1]:.1f}" r="{radius:.1f}"/>'
        yield self._words((start[0], start[1] - 9.0), str(item.number), "middle")

    def _ladder(self, item: Ladder) -> Iterable[str]:
        edge = self._at(self._drawing.high)[0] + 6.0
        last = -1e9
        for rung in sorted(item.rungs, key=lambda rung: -rung.y):
            height = self._at((0.0, rung.y))[1]
            row = max(height, last + _ROW)
            last = row
            yield f'<path class="line thin" d="M{edge:.1f} {height:.1f}l8 0L{edge + 18:.1f} {row:.1f}"/>'
            yield self._words((edge + 76.0, row), format_length(rung.mm, self._unit, sign=True), "end")
            yield self._words((edge + 82.0, row), rung.text, "start")
