"""A pair's chain as it runs along the route: from the one feature over zeros and how the part lies, setup by setup, to
the other, and what each link adds.

Every source is in one link, so that the squares of the links add up to the pair's.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..plan import Plan
from .chain import made_in
from .offs import Kind, Source
from .pair import Enters, Pair

NodeKind = Literal["feature", "zero", "part", "fixture", "blank"]


@dataclass(frozen=True)
class Node:
    """What a link begins or ends at: its ``kind``, of which setup (its number; None of the blank), and its words.
    ``source`` is the key of what is drawn of it on the stage."""

    kind: NodeKind
    setup: int | None
    words: str
    source: str


@dataclass(frozen=True, eq=False)
class Link:
    """Between two nodes: ``u`` (standard, mm, the way the pair is worst) of what ``enters`` there."""

    a: Node
    b: Node
    enters: tuple[Enters, ...]

    @property
    def u(self) -> float:
        return math.hypot(*(each.u for each in self.enters))

    @property
    def setups(self) -> frozenset[int]:
        return frozenset(node.setup for node in (self.a, self.b) if node.setup is not None)


_READ: tuple[Kind, ...] = ("reading", "station")
_LIES: tuple[Kind, ...] = ("lies", "skew", "play")
_AXES: tuple[Kind, ...] = ("centre", "index")


def links_of(plan: Plan, pair: Pair) -> tuple[Link, ...]:
    """From what the feature is seen from to the feature, in the order of the setups; links that add nothing are left
    out, and their ends are one."""
    made = made_in(plan)
    last = made.get(pair.asked.feature, 0)
    first = min(made.get(pair.asked.to, min(made.values(), default=0)), last)
    last = max(last, made.get(pair.asked.to, last))
    names = [name for name in (pair.asked.to, pair.asked.feature) if name]
    names.sort(key=lambda name: made.get(name, -1))
    links: list[Link] = []
    left = list(pair.enters)

    def take(a: Node, b: Node, *kinds: Kind, of: int | None, words: tuple[str, ...] = ()) -> None:
        """A link of every source that is left of those kinds, of a setup, and that names one of some words."""
        found = [each for each in left if _is(plan, each.source, kinds, of, words)]
        for each in found:
            left.remove(each)
        if found:
            links.append(Link(a, b, tuple(found)))

    nodes = [NodesOf(each.setup.name, index) for index, each in enumerate(plan.setups)]
    blank = Node("blank", None, "the blank", "stock")
    for name in names[:1]:
        take(_feature(name, made), nodes[first].zero, "lands", of=first, words=(f" {name} ",))
    for index in range(last + 1):
        here = nodes[index]
        if index:
            take(nodes[index - 1].part, here.part, *_AXES, "treatment", of=index)
        take(here.zero, here.part, *_READ, of=index)
        take(here.part, here.fixture, *_LIES, of=index)
        take(here.fixture, here.zero, "stands", of=index)
        mine = tuple(f" {name} " for name in names if made.get(name) == index)
        for each in mine:
            take(here.zero, _feature(each.strip(), made), "lands", of=index, words=(each,))
        take(here.zero, here.part, "lands", of=index)
    take(blank, nodes[first].part, "blank", of=None)
    # Of axes that are named by themselves, and of whatever else there is.
    begins = nodes[first].part if first != last else nodes[last].zero
    take(begins, nodes[last].part, *_AXES, of=None)
    if left:
        links.append(Link(begins, nodes[last].part, tuple(left)))
    return _merged(links)


def ends_of(plan: Plan, pair: Pair) -> tuple[Node, ...]:
    """The features that a pair is of, also where no link ends at them."""
    made = made_in(plan)
    return tuple(_feature(name, made) for name in (pair.asked.to, pair.asked.feature) if name)


def _merged(links: list[Link]) -> tuple[Link, ...]:
    """One link between two nodes, where it came first."""
    found: dict[tuple[Node, Node], Link] = {}
    for each in links:
        before = found.get((each.a, each.b))
        enters = each.enters if before is None else (*before.enters, *each.enters)
        found[each.a, each.b] = Link(each.a, each.b, enters)
    return tuple(found.values())


class NodesOf:
    """What every setup has."""

    def __init__(self, name: str, index: int) -> None:
        self.zero = Node("zero", index, f"zero of {name}", "wcs")
        self.part = Node("part", index, f"the part in {name}", "stock")
        self.fixture = Node("fixture", index, f"what holds it in {name}", "fixture")


def _feature(name: str, made: dict[str, int]) -> Node:
    return Node("feature", made.get(name), name, name)


def _is(plan: Plan, source: Source, kinds: tuple[Kind, ...], of: int | None, words: tuple[str, ...]) -> bool:
    if source.kind not in kinds:
        return False
    owner = next((k for k, each in enumerate(plan.setups) if each.setup.id in source.key.split()[:2]), None)
    return owner == of and all(word in f"{source.key} " for word in words)
