"""Reading back notices nearly every slip that changes what a program does."""

from __future__ import annotations

import unittest

from tests.draws import draws
from tests.mutants import survivors

_SLIPS = draws(80, 1000)


class SlipsTest(unittest.TestCase):
    def test_nine_of_ten_are_noticed(self):
        """By lot, of those that change a move, an offset, a stop or the end; the rest is listed in docs/probing.md."""
        noticed, passed = survivors(_SLIPS, seed=7)
        self.assertGreaterEqual(noticed, 0.9 * _SLIPS, passed)
