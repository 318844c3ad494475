"""Pictures over time as SVG: a run with its tool blocks and a lane for each station, flow beside batch."""

from __future__ import annotations

from typing import assert_never

from ledgecliff.core.drawing.flow_layout import flow_layout
from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.drawing.loads_layout import loads_layout
from ledgecliff.core.drawing.marks import Box
from ledgecliff.core.drawing.run_layout import PAD, Piece, RunLayout, run_layout
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.plain_text import xml_escaped
from ledgecliff.core.runs.picture import RunPicture
from ledgecliff.core.runs.posting import clock_words
from ledgecliff.core.scheduling.backlog import Backlog, Split
from ledgecliff.core.scheduling.flow import FlowAsked

from .text_width import text_width

_INK, _QUIET, _PAPER, _WAIT, _HAND, _BOUND = "#20262b", "#525a60", "#fbf8ef", "#7c8186", "#c07a00", "#1d6b4a"
_RULE = "#b9b4a6"
_THIN, _DASHED = ' stroke-width=".6"', ' stroke-width="1.4" stroke-dasharray="7 3"'
#: Blocks beside each other are told apart by tint; the word in them says which tool.
_TINTS = ("#cdd3df", "#f1e2bd")
_HATCH = (
    f'<defs><pattern id="wait" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
    f'<line x1="0" y1="0" x2="0" y2="6" stroke="{_WAIT}" stroke-width="1.4"/></pattern></defs>'
)


def run_svg(picture: RunPicture, width: float) -> str:
    """One ``<svg>`` element of ``width`` pixels, as high as its lanes ask for."""
    words = f"{len(picture.blocks)} tool blocks over {clock_words(picture.minutes)}"
    return _element(run_layout(picture, width, text_width), words)


def flow_svg(asked: FlowAsked, width: float) -> str:
    """Both ways to make many parts one under the other."""
    layout = flow_layout(asked.sides, asked.ways(), width, text_width)
    return _element(layout, f"Batch by side and flow of {asked.parts} parts")


def loads_svg(backlog: Backlog, split: Split, width: float) -> str:
    """The loads of a backlog over time."""
    ids = [derived_id(job.name) for job in backlog.jobs]  # nothing is picked on paper
    return _element(loads_layout(backlog, split, ids, width, text_width), f"{len(split.loads)} loads")


def _element(layout: RunLayout, words: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{layout.width:.0f}" height="{layout.height:.0f}" '
        f'viewBox="0 0 {layout.width:.0f} {layout.height:.0f}" role="img" aria-label="{xml_escaped(words)}">'
        f"<style>text{{font-family:B612,sans-serif;font-size:{TEXT_SIZE:g}px}}</style>{_HATCH}"
        f"{''.join(map(_drawn, layout.pieces))}</svg>"
    )


def _drawn(piece: Piece) -> str:
    box, tip = piece.box, f"<title>{xml_escaped(piece.tip)}</title>"
    match piece.kind:
        case "block":
            words = _text(piece.words, box.left + PAD, box.middle[1], more=' font-weight="bold"')
            return f"<g>{tip}{_box(box, _TINTS[piece.second], _INK)}{words}</g>"
        case "bar":
            words = _text(piece.words, box.left + PAD, box.middle[1])
            return f"<g>{tip}{_box(box, _PAPER, _INK, 2.2 if piece.frozen else 1.0)}{words}</g>"
        case "wait":
            return f"<g>{tip}{_box(box, 'url(#wait)', 'none')}</g>"
        case "act":
            corners = ((box.left, box.top), (box.right, box.middle[1]), (box.left, box.bottom))
            return f'<g>{tip}<polygon points="{_points(corners)}" fill="{_HAND}"/></g>'
        case "name":
            return f"<g>{tip}{_text(piece.words, box.left, box.middle[1])}</g>"
        case "title":
            return _text(piece.words, box.left, box.middle[1], more=' font-weight="bold"')
        case "work":
            return f"<g>{tip}{_box(box, _TINTS[0], 'none')}</g>"
        case "cut":
            return f"<g>{tip}{_box(box, _WAIT, 'none')}</g>"
        case "under":
            return _line(box, _RULE, _THIN)
        case "hour":
            words = _text(piece.words, box.left, box.middle[1] + PAD, more=' text-anchor="middle"', colour=_QUIET)
            return _line(Box(box.left, box.top, 0.0, 4.0), _QUIET) + words
        case "bound":
            return f"<g>{tip}{_line(box, _BOUND, _DASHED)}</g>"
        case _:
            assert_never(piece.kind)


def _points(corners: tuple[tuple[float, float], ...]) -> str:
    return " ".join(f"{x:.1f},{y:.1f}" for x, y in corners)


def _line(box: Box, colour: str, more: str = "") -> str:
    return (
        f'<line x1="{box.left:.1f}" y1="{box.top:.1f}" x2="{box.right:.1f}" y2="{box.bottom:.1f}" '
        f'stroke="{colour}"{more}/>'
    )


def _box(box: Box, fill: str, line: str, thick: float = 1.0) -> str:
    return (
        f'<rect x="{box.left:.1f}" y="{box.top:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
        f'fill="{fill}" stroke="{line}" stroke-width="{thick:g}"/>'
    )


def _text(words: str, x: float, middle: float, *, colour: str = _INK, more: str = "") -> str:
    at = f'x="{x:.1f}" y="{middle + 0.35 * TEXT_SIZE:.1f}"'
    return f'<text {at} fill="{colour}"{more}>{xml_escaped(words)}</text>' if words else ""
