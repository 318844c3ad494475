"""The shop's library: shipped, saved apart from jobs, and never lost."""

from __future__ import annotations

import os
import tempfile
import unittest
from unittest import mock

from pydantic import ValidationError

from ledgecliff.core.model.shop import Shop
from ledgecliff.store import shop as shop_store


class ShopTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        patch = mock.patch.dict(os.environ, XDG_CONFIG_HOME=folder.name)
        patch.start()
        self.addCleanup(patch.stop)

    def test_without_a_file_the_shipped_one(self):
        self.assertFalse(shop_store.shop_file().exists())
        self.assertEqual(shop_store.read_shop(), shop_store.shipped_shop())
        self.assertTrue(shop_store.read_shop().parallels)

    def test_round_trip(self):
        shop = shop_store.shipped_shop()
        changed = shop.model_copy(update={"material": "brass", "fixtures": (), "stations": ()})
        self.assertTrue(shop_store.write_shop(changed).exists())
        self.assertEqual(shop_store.read_shop(), changed)

    def test_a_damaged_file_is_named_and_left_alone(self):
        path = shop_store.write_shop(shop_store.shipped_shop())
        for text, words in (("{", "no whole JSON document"), ('{"name": 5}', "shop library.*format|name|machine")):
            path.write_text(text)
            with self.assertRaisesRegex(shop_store.ShopFileError, words):
                shop_store.read_shop()
            self.assertEqual(path.read_text(), text)

    def test_names_are_unique_and_there_is_something_to_hold_with(self):
        shop = shop_store.shipped_shop()
        with self.assertRaisesRegex(ValidationError, "two fixtures share the name"):
            Shop.model_validate(shop.model_dump() | {"fixtures": [shop.fixtures[0].model_dump()] * 2, "stations": []})
        bare = shop.machine.model_dump() | {"fixtures": [], "stations": []}
        with self.assertRaisesRegex(ValidationError, "at least one vise"):
            Shop.model_validate(shop.model_dump() | {"machine": bare})
