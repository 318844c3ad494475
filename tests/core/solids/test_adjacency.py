"""What hangs together by links, against a graph library's answer."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ledgecliff.core.solids.adjacency import components


def by_library(count: int, a: np.ndarray, b: np.ndarray) -> np.ndarray:
    links = coo_matrix((np.ones(len(a)), (a, b)), shape=(count, count))
    return connected_components(links, directed=False)[1]


class ComponentsTest(unittest.TestCase):
    def test_as_a_graph_library_numbers_them(self) -> None:
        rng = np.random.default_rng(13)
        for count in (1, 2, 9, 60, 900):
            for links in (0, count // 3, count // 2, count, 3 * count):
                with self.subTest(count=count, links=links):
                    a, b = rng.integers(0, count, (2, links))
                    np.testing.assert_array_equal(components(count, a, b), by_library(count, a, b))

    def test_a_long_chain_and_stars_in_any_numbering_are_one(self) -> None:
        rng = np.random.default_rng(14)
        chain = rng.permutation(5000)
        self.assertEqual(set(components(5000, chain[:-1], chain[1:]).tolist()), {0})
        ends = np.arange(500)
        self.assertEqual(set(components(501, np.full(500, 500), ends).tolist()), {0})

    def test_what_no_link_joins_stays_apart(self) -> None:
        labels = components(6, np.array([4, 5]), np.array([1, 3]))
        self.assertEqual(labels.tolist(), [0, 1, 2, 3, 1, 3])


if __name__ == "__main__":
    unittest.main()
