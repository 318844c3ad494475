"""A pair's chain on paper: every link once, from node to node, with words that cover nothing."""

from __future__ import annotations

import itertools
import unittest

from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.budget.links import Link, NodesOf, ends_of, links_of
from ledgecliff.core.drawing.chain_layout import chain_layout
from ledgecliff.store.demo import demo_names
from tests.draws import draws
from tests.helpers import shipped_plan


def overlap(one, other):
    """How far two boxes lie in one another (pixels)."""
    wide = min(one.left + one.width, other.left + other.width) - max(one.left, other.left)
    high = min(one.top + one.height, other.top + other.height) - max(one.top, other.top)
    return min(wide, high)


def on_edge(box, point):
    x, y = point
    across = box.left - 1e-6 <= x <= box.left + box.width + 1e-6
    up = box.top - 1e-6 <= y <= box.top + box.height + 1e-6
    edges = (x - box.left, x - box.left - box.width, y - box.top, y - box.top - box.height)
    return across and up and min(map(abs, edges)) < 1e-6


class ChainLayoutTest(unittest.TestCase):
    def layouts(self, width):
        for name in demo_names()[:: draws(2, 1)]:
            plan = shipped_plan(name)
            names = [each.setup.name for each in plan.setups]
            for pair in budget_of(plan).pairs:
                links = links_of(plan, pair)
                yield name, pair, links, chain_layout(links, ends_of(plan, pair), names, width, "mm")

    def test_every_link_once_from_node_to_node(self):
        for name, pair, links, layout in self.layouts(1000.0):
            boxes = {each.node: each.box for each in layout.nodes}
            self.assertEqual([line.number for line in layout.lines], list(range(len(links))))
            for line, link in zip(layout.lines, links, strict=True):
                ends = (line.points[0], line.points[-1])
                told = [any(on_edge(boxes[node], end) for end in ends) for node in (link.a, link.b)]
                self.assertEqual(told, [True, True], (name, pair.asked.key, link.a.words, link.b.words))
                self.assertEqual(line.tip.count("\n") + 1, len(link.enters))
            thick = sorted(range(len(links)), key=lambda k: layout.lines[k].thick)
            self.assertEqual([round(links[k].u, 9) for k in thick], sorted(round(link.u, 9) for link in links))

    def test_nothing_covers_anything(self):
        for width in (0.0, 760.0, 1000.0, 1500.0):
            for name, pair, _, layout in self.layouts(width):
                boxes = [each.box for each in layout.nodes]
                for one, other in itertools.combinations(boxes, 2):
                    self.assertLess(overlap(one, other), 0.0, (name, pair.asked.key))
                words = [line.at for line in layout.lines]
                for one, other in itertools.chain(itertools.combinations(words, 2), itertools.product(words, boxes)):
                    self.assertLessEqual(overlap(one, other), 3.0, (name, pair.asked.key, width))
                for box in (*boxes, *words):
                    self.assertGreaterEqual(box.left, 0.0)
                    self.assertLessEqual(box.left + box.width, max(width, layout.width))
                    self.assertLessEqual(box.top + box.height, layout.height)

    def test_no_line_goes_through_a_node(self):
        """Past the part to what holds it, and under the setups in between."""
        asides = 0
        for name, pair, _, layout in self.layouts(1000.0):
            for points in (*(line.points for line in layout.lines), *layout.plain):
                asides += len(points) > 2
                for (ax, ay), (bx, by) in itertools.pairwise(points):
                    for k in range(1, 40):
                        x, y = ax + k / 40.0 * (bx - ax), ay + k / 40.0 * (by - ay)
                        for each in layout.nodes:
                            box = each.box
                            inside = box.left + 0.5 < x < box.left + box.width - 0.5
                            inside = inside and box.top + 0.5 < y < box.top + box.height - 0.5
                            self.assertFalse(inside, (name, pair.asked.key, each.words))
        self.assertGreater(asides, 0)

    def test_where_a_fixture_stands_goes_round_the_part(self):
        plan = shipped_plan("float-housing-by-jaw")
        enters = budget_of(plan).pairs[0].enters[:1]
        here = NodesOf("Op 10", 0)
        layout = chain_layout((Link(here.fixture, here.zero, enters),), (), ("Op 10",), 600.0, "mm")
        part = next(each.box for each in layout.nodes if each.node == here.part)
        (line,) = layout.lines
        self.assertLess(min(x for x, _ in line.points), part.left)
        self.assertLess(line.at.left + line.at.width, part.left)
        self.assertEqual(len(layout.plain), 1, "the zero and the part are one")

    def test_one_hangs_on_the_other(self):
        """From what the feature is seen from there is a way to it, over links and what is one."""
        for name, pair, links, layout in self.layouts(1000.0):
            boxes = {each.node: each.box for each in layout.nodes}
            together = {node: {node} for node in boxes}

            def join(a, b, together=together):
                whole = together[a] | together[b]
                for node in whole:
                    together[node] = whole

            for link in links:
                join(link.a, link.b)
            for points in layout.plain:
                a, b = (
                    next(node for node, box in boxes.items() if on_edge(box, end)) for end in (points[0], points[-1])
                )
                join(a, b)
            features = [node for node in boxes if node.kind == "feature" and node.setup is not None]
            for node in features[1:]:
                self.assertIn(node, together[features[0]], (name, pair.asked.key))

    def test_what_is_picked(self):
        for _, _, links, layout in self.layouts(1000.0):
            for line in layout.lines:
                (ax, ay), (bx, by) = line.points[len(line.points) // 2 - 1 : len(line.points) // 2 + 1]
                self.assertEqual(layout.line_at(((ax + bx) / 2.0, (ay + by) / 2.0)).number, line.number)
                words = (line.at.left + line.at.width / 2.0, line.at.top + line.at.height / 2.0)
                self.assertEqual(layout.line_at(words).number, line.number)
            for each in layout.nodes:
                middle = (each.box.left + each.box.width / 2.0, each.box.top + each.box.height / 2.0)
                self.assertIs(layout.node_at(middle), each.node)
            self.assertIsNone(layout.node_at((-5.0, -5.0)))
            self.assertIsNone(layout.line_at((-50.0, -50.0)))
            self.assertTrue(links)


if __name__ == "__main__":
    unittest.main()
