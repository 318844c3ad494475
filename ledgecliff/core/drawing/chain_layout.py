"""A pair's chain on paper (pixels): a column for each setup, in it what was cut, the zero, the part and what holds it,
and between them lines as thick as what they add."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..budget.links import Link, Node, NodeKind, NodesOf
from ..quantities import Unit, format_scatter
from .items import Point2
from .marks import Box

#: Room at the sides and for headings, how high a node is, and from one lane to the next (pixels).
_SIDE, _HEAD, _HIGH, _LANE = 12.0, 22.0, 22.0, 50.0
#: A node is never wider nor narrower, and leaves so much to the next column's for what is written between them.
_WIDEST, _NARROWEST, _BETWEEN = 190.0, 92.0, 100.0
#: How far beside the others a line is led that goes past the part, and how thick what adds all is (pixels).
_ASIDE, _THICKEST = 12.0, 9.0
#: And how far under the part a line that passes columns in between.
_UNDER = 20.0
#: Words beside a line are so wide and high, and so far from it.
_WORDS_WIDE, _WORDS_HIGH, _OFF = 100.0, 15.0, 5.0
_LANES: tuple[NodeKind, ...] = ("zero", "part", "fixture")


@dataclass(frozen=True, eq=False)
class NodeBox:
    node: Node
    box: Box
    words: str


@dataclass(frozen=True, eq=False)
class LinkLine:
    """Of the link of that ``number``: its line, how ``thick``, what it adds in ``words``, ``at`` a box beside it
    to whose ``side`` they stand, and all that enters as a ``tip``."""

    number: int
    points: tuple[Point2, ...]
    thick: float
    words: str
    at: Box
    side: str
    tip: str


@dataclass(frozen=True, eq=False)
class ChainLayout:
    headings: tuple[tuple[Box, str], ...]
    nodes: tuple[NodeBox, ...]
    lines: tuple[LinkLine, ...]
    #: Between what is one with the other, as nothing is added there.
    plain: tuple[tuple[Point2, ...], ...]
    width: float
    height: float

    def node_at(self, at: Point2) -> Node | None:
        return next((each.node for each in self.nodes if _within(each.box, at)), None)

    def line_at(self, at: Point2) -> LinkLine | None:
        """The line that a place is on, or on whose words."""
        near = ((_distance(each.points, at) - each.thick / 2.0, each) for each in self.lines)
        on = min(near, key=lambda found: found[0], default=None)
        if on is not None and on[0] < _OFF:
            return on[1]
        return next((each for each in self.lines if _within(each.at, at)), None)


def chain_layout(
    links: Sequence[Link], features: Sequence[Node], setups: Sequence[str], width: float, unit: Unit
) -> ChainLayout:
    """``features`` are the pair's own, ``setups`` the names of a plan's setups, in their order; of many it is wider
    than ``width``."""
    ends = dict.fromkeys((*features, *(node for link in links for node in (link.a, link.b))))
    columns = sorted({node.setup for node in ends}, key=lambda setup: -1 if setup is None else setup)
    usual = {index: NodesOf(setups[index], index) for index in columns if index is not None}
    nodes = list(ends | dict.fromkeys(node for each in usual.values() for node in (each.zero, each.part)))
    pitch = max((width - 2.0 * _SIDE) / max(len(columns), 1), _NARROWEST + _BETWEEN)
    wide = min(_WIDEST, pitch - _BETWEEN)
    middles = {setup: _SIDE + (k + 0.5) * pitch for k, setup in enumerate(columns)}
    cut: dict[int | None, list[Node]] = {setup: [] for setup in columns}
    for node in nodes:
        if node.kind == "feature":
            cut[node.setup].append(node)
    above = max((len(each) for each in cut.values()), default=0)
    boxes = {}
    for node in nodes:
        if node.kind == "feature":
            # The one that is seen from stands nearer to the zero.
            lane = above - len(cut[node.setup]) + cut[node.setup].index(node)
        else:
            lane = above + _LANES.index("part" if node.kind == "blank" else node.kind)
        boxes[node] = Box(middles[node.setup] - wide / 2.0, _HEAD + lane * _LANE, wide, _HIGH)
    whole = sum(link.u**2 for link in links) or 1.0
    lines = tuple(_line(number, link, boxes, pitch, whole, unit) for number, link in enumerate(links))
    headings = tuple(
        (Box(middles[setup] - pitch / 2.0, 0.0, pitch, _HEAD), setups[setup]) for setup in columns if setup is not None
    )
    shown = tuple(NodeBox(node, box, _words(node)) for node, box in boxes.items())
    one = [(a, b) for a, b in _one(list(ends), usual) if not _linked(links, a, b)]
    plain = tuple(_line_between(boxes[a], boxes[b], pitch)[0] for a, b in one)
    height = _HEAD + (above + len(_LANES) - 1) * _LANE + _HIGH + 4.0
    return ChainLayout(headings, shown, lines, plain, len(columns) * pitch + 2.0 * _SIDE, height)


def _one(ends: Sequence[Node], usual: Mapping[int, NodesOf]) -> Iterator[tuple[Node, Node]]:
    """What is one where no link is between: what was cut and its zero, that and the part, and the part all the way."""
    for node in ends:
        if node.kind == "feature" and node.setup is not None:
            yield node, usual[node.setup].zero
    for each in usual.values():
        yield each.zero, each.part
    for before, after in pairwise(usual.values()):
        yield before.part, after.part


def _linked(links: Sequence[Link], a: Node, b: Node) -> bool:
    return any({link.a, link.b} == {a, b} for link in links)


def _words(node: Node) -> str:
    """What stands in its box, the setup standing over it."""
    words: dict[NodeKind, str] = {"zero": "zero", "part": "the part", "fixture": "what holds it"}
    return words.get(node.kind, node.words)


def _line(number: int, link: Link, boxes: Mapping[Node, Box], pitch: float, whole: float, unit: Unit) -> LinkLine:
    share = link.u**2 / whole
    words = f"{format_scatter(link.u, unit)} · {100.0 * share:.0f} %"
    thick = 1.0 + (_THICKEST - 1.0) * share
    tip = "\n".join(f"{each.source.name}: {format_scatter(each.u, unit)}" for each in link.enters)
    points, at, side = _line_between(boxes[link.a], boxes[link.b], pitch)
    return LinkLine(number, points, thick, words, at, side, tip)


#: A line, and where its words stand, to which side.
_Drawn = tuple[tuple[Point2, ...], Box, str]


def _line_between(one: Box, other: Box, pitch: float) -> _Drawn:
    upper, lower = sorted((one, other), key=lambda box: (box.top, box.left))
    if upper.left != lower.left:
        return _across(upper, lower) if abs(upper.left - lower.left) < 1.5 * pitch else _under(upper, lower)
    return _past(upper, lower) if lower.top - upper.top > 1.5 * _LANE else _down(upper, lower)


def _down(upper: Box, lower: Box) -> _Drawn:
    x, begins, ends = upper.left + upper.width / 2.0, upper.top + _HIGH, lower.top
    top = (begins + ends - _WORDS_HIGH) / 2.0
    return ((x, begins), (x, ends)), Box(x + _THICKEST / 2.0 + 2.0, top, _WORDS_WIDE, _WORDS_HIGH), "left"


def _past(upper: Box, lower: Box) -> _Drawn:
    """Round what is between them, at its left."""
    x, begins, ends = upper.left - _ASIDE, upper.top + _HIGH / 2.0, lower.top + _HIGH / 2.0
    at = Box(x - _OFF - _WORDS_WIDE, upper.top + _HIGH + 2.0, _WORDS_WIDE, _WORDS_HIGH)
    return ((upper.left, begins), (x, begins), (x, ends), (lower.left, ends)), at, "right"


def _across(one: Box, other: Box) -> _Drawn:
    left, right = sorted((one, other), key=lambda box: box.left)
    start = (left.left + left.width, left.top + _HIGH / 2.0)
    end = (right.left, right.top + _HIGH / 2.0)
    middle, top = (start[0] + end[0]) / 2.0, min(start[1], end[1])
    wide = min(_WORDS_WIDE, end[0] - start[0])
    at = Box(middle - wide / 2.0, top - _WORDS_HIGH - _THICKEST / 2.0, wide, _WORDS_HIGH)
    return (start, end), at, "middle"


def _under(one: Box, other: Box) -> _Drawn:
    """Under the columns in between."""
    left, right = sorted((one, other), key=lambda box: box.left)
    begins, ends = left.left + 0.8 * left.width, right.left + 0.2 * right.width
    low = max(left.top, right.top) + _HIGH + _UNDER
    points = ((begins, left.top + _HIGH), (begins, low), (ends, low), (ends, right.top + _HIGH))
    at = Box(left.left + left.width + 2.0, low - _WORDS_HIGH - _OFF, min(_WORDS_WIDE, _BETWEEN), _WORDS_HIGH)
    return points, at, "left"


def _within(box: Box, at: Point2) -> bool:
    return box.left <= at[0] <= box.left + box.width and box.top <= at[1] <= box.top + box.height


def _distance(points: Sequence[Point2], at: Point2) -> float:
    """From a line of several pieces."""
    found = float("inf")
    for (ax, ay), (bx, by) in pairwise(points):
        along, up = bx - ax, by - ay
        length = along**2 + up**2
        share = 0.0 if length == 0.0 else min(max(((at[0] - ax) * along + (at[1] - ay) * up) / length, 0.0), 1.0)
        found = min(found, ((ax + share * along - at[0]) ** 2 + (ay + share * up - at[1]) ** 2) ** 0.5)
    return found
