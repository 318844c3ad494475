"""The picture of a run as SVG: tool blocks over time, a lane for each station, waits hatched, the operator's marks."""

from __future__ import annotations

from collections.abc import Iterator

from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.runs.picture import Lane, RunPicture
from ledgecliff.core.runs.posting import clock_words

from .text_width import text_width

#: Heights of the band, of a lane and of the scale below; the room at the left for names, and round words (pixels).
_BAND, _LANE, _SCALE, _GAP, _PAD = 26.0, 24.0, 22.0, 6.0, 3.0
_MOST_NAMES = 200.0
_INK, _QUIET, _PAPER, _WAIT, _HAND, _BOUND = "#20262b", "#525a60", "#fbf8ef", "#7c8186", "#c07a00", "#1d6b4a"
#: Blocks beside each other are told apart by tint; the word in them says which tool.
_TINTS = ("#cdd3df", "#f1e2bd")
_HATCH = (
    f'<defs><pattern id="wait" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
    f'<line x1="0" y1="0" x2="0" y2="6" stroke="{_WAIT}" stroke-width="1.4"/></pattern></defs>'
)


def run_svg(picture: RunPicture, width: float) -> str:
    """One ``<svg>`` element of ``width`` pixels, as high as its lanes ask for."""
    left = min(max((text_width(_name(lane)) for lane in picture.lanes), default=0.0), _MOST_NAMES) + 3.0 * _PAD
    ends = max(picture.minutes, picture.bound, *(wait.end for lane in picture.lanes for wait in lane.waits), 1e-6)
    per_minute = (width - left - 4.0 * _PAD) / ends
    height = _BAND + _GAP + _LANE * len(picture.lanes) + _SCALE
    parts = [_HATCH, *_band(picture, left, per_minute)]
    for number, lane in enumerate(picture.lanes):
        parts += _lane(lane, _BAND + _GAP + number * _LANE, left, per_minute, width)
    parts += _scale(picture, left, per_minute, height)
    words = xml_escaped(f"{len(picture.blocks)} tool blocks over {clock_words(picture.minutes)}")
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{width:.0f}" height="{height:.0f}" '
        f'viewBox="0 0 {width:.0f} {height:.0f}" role="img" aria-label="{words}">'
        f"<style>text{{font-family:B612,sans-serif;font-size:{TEXT_SIZE:g}px}}</style>{''.join(parts)}</svg>"
    )


def _name(lane: Lane) -> str:
    return f"{lane.name}  {lane.offset}".rstrip()


def _band(picture: RunPicture, left: float, per_minute: float) -> Iterator[str]:
    for number, block in enumerate(picture.blocks):
        x, wide = left + block.start * per_minute, (block.end - block.start) * per_minute
        yield _box(x, 0.0, wide, _BAND, _TINTS[number % 2], _INK)
        yield _words(block.tool, x, _BAND / 2.0, wide, block.tool, bold=True)


def _lane(lane: Lane, top: float, left: float, per_minute: float, width: float) -> Iterator[str]:
    middle = top + _LANE / 2.0
    under = top + _LANE
    yield f'<line x1="0" y1="{under:.1f}" x2="{width:.1f}" y2="{under:.1f}" stroke="#b9b4a6" stroke-width=".6"/>'
    yield _text(_cut(_name(lane), left - 2.0 * _PAD), _PAD, middle)
    for wait in lane.waits:
        x, wide = left + wait.start * per_minute, (wait.end - wait.start) * per_minute
        yield (
            f'<rect x="{x:.1f}" y="{top + 5.0:.1f}" width="{wide:.1f}" height="{_LANE - 10.0:.1f}" fill="url(#wait)">'
            f"<title>{xml_escaped(wait.words)}</title></rect>"
        )
    for bar in lane.bars:
        x, wide = left + bar.start * per_minute, (bar.end - bar.start) * per_minute
        yield _box(x, top + 3.0, wide, _LANE - 6.0, _PAPER, _INK, 2.2 if bar.frozen else 1.0)
        yield _words(bar.words, x, middle, wide, f"{bar.tool} {bar.words}")
    for act in lane.acts:
        x, wide = left + act.start * per_minute, (act.end - act.start) * per_minute
        tip = f"{x:.1f},{top + 3.0:.1f} {x + max(wide, 7.0):.1f},{middle:.1f} {x:.1f},{top + _LANE - 3.0:.1f}"
        yield f'<polygon points="{tip}" fill="{_HAND}"><title>{xml_escaped(act.words)}</title></polygon>'


def _scale(picture: RunPicture, left: float, per_minute: float, height: float) -> Iterator[str]:
    for mark in picture.marks:
        x = left + mark * per_minute
        yield (
            f'<line x1="{x:.1f}" y1="{height - _SCALE:.1f}" x2="{x:.1f}" y2="{height - _SCALE + 4.0:.1f}" '
            f'stroke="{_QUIET}"/>'
        )
        yield _text(clock_words(mark), x, height - _SCALE / 2.0 + 3.0, anchor="middle", colour=_QUIET)
    if picture.bound > 0.0:
        x = left + picture.bound * per_minute
        yield (
            f'<line x1="{x:.1f}" y1="0" x2="{x:.1f}" y2="{height - _SCALE:.1f}" stroke="{_BOUND}" stroke-width="1.4" '
            'stroke-dasharray="7 3"><title>no order ends before</title></line>'
        )


def _box(x: float, y: float, wide: float, high: float, fill: str, line: str, thick: float = 1.0) -> str:
    return (
        f'<rect x="{x:.1f}" y="{y:.1f}" width="{max(wide, 0.5):.1f}" height="{high:.1f}" fill="{fill}" '
        f'stroke="{line}" stroke-width="{thick:g}"/>'
    )


def _words(words: str, x: float, middle: float, wide: float, all_of_it: str, *, bold: bool = False) -> str:
    """In a bar as far as they have room; a tip says all of it."""
    shown = _cut(words, wide - 2.0 * _PAD)
    tip = f"<title>{xml_escaped(all_of_it)}</title>"
    if not shown:
        at = f'x="{x:.1f}" y="{middle - 8.0:.1f}" width="{max(wide, 0.5):.1f}" height="16"'
        return f'<rect {at} fill="none" pointer-events="all">{tip}</rect>'
    return _text(shown, x + _PAD, middle, bold=bold, more=tip)


def _cut(words: str, wide: float) -> str:
    if text_width(words) <= wide:
        return words
    room = wide - text_width("…")
    kept = next((words[:n] for n in range(len(words) - 1, 0, -1) if text_width(words[:n]) <= room), "")
    return f"{kept.rstrip()}…" if kept else ""


def _text(
    words: str,
    x: float,
    middle: float,
    *,
    anchor: str = "start",
    colour: str = _INK,
    bold: bool = False,
    more: str = "",
) -> str:
    weight = ' font-weight="bold"' if bold else ""
    at = f'x="{x:.1f}" y="{middle + 0.35 * TEXT_SIZE:.1f}" text-anchor="{anchor}"'
    return f'<text {at} fill="{colour}"{weight}>{xml_escaped(words)}{more}</text>'
