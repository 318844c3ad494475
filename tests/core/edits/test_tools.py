"""Edits of the tool table, and what can be chosen for a vise."""

from __future__ import annotations

import unittest
from typing import get_args

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.setups import with_jaws, with_reference_bore, with_stop
from ledgecliff.core.edits.tools import add_tool, free_number, without_compensation
from ledgecliff.core.edits.vise_choices import (
    JawKind,
    jaws_now,
    jaws_offered,
    parallels_now,
    parallels_offered,
    shape_of,
    with_parallels,
)
from ledgecliff.core.quantities import spell
from ledgecliff.store.shop import shipped_shop
from tests.helpers import demo

MACHINE = ("machines", 0)


class ToolTableTest(unittest.TestCase):
    def test_the_next_number_is_nobodys(self):
        job = demo()
        for _ in range(40):
            taken = {job.machines[0].probe.tool, *(cutter.tool for cutter in job.machines[0].cutters)}
            number = free_number(job.machines[0])
            self.assertNotIn(number, taken)
            self.assertTrue(set(range(1, number)) <= taken, "none below is free")
            job = add_tool(job, MACHINE)
            self.assertEqual((job.machines[0].cutters[-1].tool, job.machines[0].cutters[-1].is_set), (number, False))

    def test_nothing_is_left_in_the_radius_column(self):
        job = set_value(demo(), (*MACHINE, "cutters", 1, "compensation"), 4.0)
        cleared = without_compensation(job, MACHINE)
        self.assertEqual({cutter.compensation for cutter in cleared.machines[0].cutters}, {0.0})
        self.assertEqual(set_value(cleared, (*MACHINE, "cutters", 1, "compensation"), 4.0), job, "and nothing else")


class ViseChoicesTest(unittest.TestCase):
    def setUp(self):
        self.job, self.shop = demo(), shipped_shop()

    def test_what_is_taken_is_what_stands_there(self):
        for _, jaws in jaws_offered(self.shop.jaws):
            hold = with_jaws(self.job, 0, jaws).setups[0].hold
            now = jaws_now(hold, self.shop.jaws)
            # A kind comes in the usual sizes, which may be those of a set.
            self.assertTrue(now == jaws or (jaws in get_args(JawKind) and now.kind == jaws), (now, jaws))
            self.assertEqual(jaws_now(hold, ()), hold.jaws.kind)
        for words, pair in parallels_offered(self.shop.parallels):
            hold = with_parallels(self.job, 0, pair).setups[0].hold
            self.assertEqual(parallels_now(hold, self.shop.parallels), pair)
            self.assertTrue(spell(words, "mm").startswith(f"{pair[0]:g} "))
            self.assertEqual(hold.model_copy(update={name: getattr(self.job.setups[0].hold, name) for name in (
                "parallels_height", "parallels_thickness", "parallels_length")}), self.job.setups[0].hold)  # fmt: skip

    def test_sizes_of_no_set_are_none_of_them(self):
        odd = set_value(self.job, ("setups", 0, "hold", "parallels_height"), 37.77).setups[0].hold
        self.assertIsNone(parallels_now(odd, self.shop.parallels))

    def test_every_kind_is_offered_first(self):
        kinds = [value for _, value in jaws_offered(())]
        self.assertEqual(kinds, list(get_args(JawKind)))

    def test_the_shape_is_another_when_fields_are_others_and_the_same_when_sizes_are(self):
        shapes = [shape_of(job.setups[0].hold) for job in (
            self.job, with_jaws(self.job, 0, "stepped"), with_jaws(self.job, 0, "soft"), with_stop(self.job, 0, "left"),
            with_stop(self.job, 0, "right"), with_reference_bore(with_jaws(self.job, 0, "soft"), 0, True),
        )]  # fmt: skip
        self.assertEqual(len(set(shapes)), len(shapes))
        higher = set_value(self.job, ("setups", 0, "hold", "parallels_height"), 30.0)
        self.assertEqual(shape_of(higher.setups[0].hold), shapes[0])
