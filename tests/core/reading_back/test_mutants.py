"""Reading back notices nearly every slip that changes what a program does."""

from __future__ import annotations

import os
import unittest

from tests.mutants import survivors

_SLIPS = 1000 if os.environ.get("LEDGECLIFF_ALL_DRAWS") else 120


class SlipsTest(unittest.TestCase):
    def test_nine_of_ten_are_noticed(self):
        """By lot, of those that change a move, an offset, a stop or the end; the rest is listed in docs/probing.md."""
        noticed, passed = survivors(_SLIPS, seed=7)
        self.assertGreaterEqual(noticed, 0.9 * _SLIPS, passed)
