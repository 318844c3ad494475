"""Edits of the shop's library: every shelf gives, takes and refuses alike."""

from __future__ import annotations

import unittest

from ledgecliff.core.edits.shop import (
    SHELVES,
    add_new,
    heights_text,
    keep_fixture,
    keep_machine,
    remove,
    things_on,
    with_heights,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.shop import Shop
from ledgecliff.store.shop import shipped_shop
from tests.helpers import demo

#: Fixtures from models are made in a job (``tests.core.edits.test_own_fixtures``).
MADE_HERE = [shelf for shelf in SHELVES if shelf.new is not None]


class ShelfTest(unittest.TestCase):
    def setUp(self):
        self.shop = shipped_shop()

    def test_what_is_added_lies_on_its_own_shelf_only_and_goes_again(self):
        for shelf in MADE_HERE:
            with self.subTest(shelf=shelf.title):
                more = add_new(self.shop, shelf)
                grown = [each.title for each in SHELVES if len(things_on(more, each)) > len(things_on(self.shop, each))]
                self.assertEqual(grown, [shelf.title])
                index = next(k for k, thing in things_on(more, shelf) if thing.name == "new")
                self.assertEqual(remove(more, shelf, index), self.shop)

    def test_names_and_tool_numbers_stay_apart(self):
        shop = self.shop
        for _ in range(3):
            for shelf in MADE_HERE:
                shop = add_new(shop, shelf)
        names = [thing.name for shelf in SHELVES for _, thing in things_on(shop, shelf)]
        self.assertEqual(len(names), len(set(names)))
        tools = [cutter.tool for cutter in shop.machine.cutters] + [shop.machine.probe.tool]
        self.assertEqual(len(tools), len(set(tools)))

    def test_a_grown_library_reads_back_as_it_was(self):
        shop = self.shop
        for shelf in MADE_HERE:
            shop = add_new(shop, shelf)
        self.assertEqual(Shop.model_validate_json(shop.model_dump_json()), shop)

    def test_heights_are_typed_and_kept_in_order(self):
        shop = with_heights(self.shop, 0, "40, 12.5,30 ,")
        self.assertEqual(heights_text(shop.parallels[0].heights), "12.5, 30, 40")

    def test_heights_that_cannot_be(self):
        for text in ("", "ten", "20; 30", "-5", "0", "nan"):
            with self.subTest(text=text), self.assertRaises(InvalidValueError) as caught:
                with_heights(self.shop, 0, text)
            self.assertIn("height", str(caught.exception))

    def test_a_jobs_fixture_replaces_the_one_of_its_name(self):
        vise = demo().machine.fixtures[0]
        station = demo().machine.stations[0]
        once = keep_fixture(self.shop, vise, station)
        wider = vise.model_copy(update={"jaw_width": vise.jaw_width + 25.0})
        twice = keep_fixture(once, wider, station)
        self.assertEqual([each for each in twice.fixtures if each.name == vise.name], [wider])
        self.assertEqual(len(twice.fixtures), len(once.fixtures))

    def test_a_jobs_machine_is_what_new_jobs_begin_with(self):
        other = demo().machine.model_copy(update={"name": "other mill"})
        self.assertEqual(keep_machine(self.shop, other).machine.name, "other mill")
