"""What is worked out once: for each value by itself, and without keeping another thread waiting."""

from __future__ import annotations

import unittest
from dataclasses import dataclass
from threading import Barrier, Event, Thread

from ledgecliff.core.once import lazy, once_each


@dataclass(frozen=True, eq=False)
class Square:
    side: float
    asked: list[str]

    @lazy
    def area(self) -> float:
        """In square millimetres."""
        self.asked.append("area")
        return self.side**2


class LazyTest(unittest.TestCase):
    def test_once_for_each_value(self):
        asked: list[str] = []
        one, other = Square(2.0, asked), Square(3.0, asked)
        self.assertEqual([one.area, other.area, one.area, other.area], [4.0, 9.0, 4.0, 9.0])
        self.assertEqual(asked, ["area", "area"])
        self.assertEqual(Square.area.__doc__, "In square millimetres.")

    def test_a_fault_is_not_kept(self):
        one = Square("two", [])  # type: ignore[arg-type]
        for _ in range(2):
            with self.assertRaises(TypeError):
                self.assertIsNone(one.area)
        self.assertEqual(one.asked, ["area", "area"])

    def test_one_value_does_not_wait_for_another(self):
        """While a thread is busy with an older plan's, the newer one's is there at once."""
        begun, go_on = Event(), Event()

        class Plan:
            def __init__(self, older: bool) -> None:
                self.older = older

            @lazy
            def touches(self) -> str:
                if self.older:
                    begun.set()
                    go_on.wait(30.0)
                return "older" if self.older else "newer"

        older, newer, got = Plan(True), Plan(False), []
        busy = Thread(target=lambda: got.append(older.touches))
        busy.start()
        self.addCleanup(busy.join)
        self.addCleanup(go_on.set)
        self.assertTrue(begun.wait(30.0))
        other = Thread(target=lambda: got.append(newer.touches))
        other.start()
        other.join(10.0)
        self.assertEqual(got, ["newer"])

    def test_what_two_threads_work_out_at_once_is_one_object(self):
        both, made = [], []
        inside = Barrier(2, timeout=30.0)

        class Stock:
            @lazy
            def mesh(self) -> object:
                inside.wait()  # until the other is in here as well
                mine = object()
                made.append(mine)
                return mine

        stock = Stock()
        threads = [Thread(target=lambda: both.append(stock.mesh)) for _ in range(2)]
        for each in threads:
            each.start()
        for each in threads:
            each.join()
        self.assertEqual(len(made), 2)
        self.assertIs(both[0], both[1])
        self.assertIs(stock.mesh, both[0])


class OnceEachTest(unittest.TestCase):
    def test_by_identity_and_as_long_as_it_lives(self):
        done = []

        @once_each
        def circumference(square: Square) -> float:
            done.append(square.side)
            return 4.0 * square.side

        one, twin = Square(2.0, []), Square(2.0, [])
        self.assertEqual([circumference(one), circumference(one), circumference(twin)], [8.0, 8.0, 8.0])
        self.assertEqual(done, [2.0, 2.0])
