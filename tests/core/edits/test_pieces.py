"""Pieces taken along: back into the same job they give the same again; elsewhere what is meant is found, or refused."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.cycles import take_over
from ledgecliff.core.edits.pieces import PIECE_KINDS, as_template, piece_from, taken, with_piece
from ledgecliff.core.edits.setups import remove_setup
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.first_plan.zeros import depths_from
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.shop import TouchDefaults
from ledgecliff.core.new_job import job_for_block
from ledgecliff.core.plan import make_plan
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_text, read_job
from ledgecliff.store.shop import read_shop
from tests.helpers import changed, demo, models

ID = "abcdefabcdef"


def other_job():
    return read_job(demo_job("winch-cheek"))


class SameJobTest(unittest.TestCase):
    def test_a_setup_taken_out_and_put_in_again(self):
        job = demo()
        piece = piece_from(taken(job, 1, "setup").model_dump_json())
        again = with_piece(remove_setup(job, 1), piece, 0, job.setups[1].id)
        self.assertEqual(again, job)

    def test_a_setup_beside_itself_has_a_name_an_id_and_a_code_of_its_own(self):
        job = with_piece(demo(), taken(demo(), 1, "setup"), 1, ID)
        new = job.setups[2]
        self.assertEqual((new.id, new.name, new.offset), (ID, "Op 30", "G56"))
        same = new.model_copy(update={"id": job.setups[1].id, "name": "Op 20", "offset": "G55"})
        self.assertEqual(same, job.setups[1])
        plan = make_plan(job, models())
        self.assertNotIn("OFFSET_SHARED", {found.code for found in findings_of(plan)})

    def test_operations_and_steps_get_names_of_their_own(self):
        job = take_over(demo(), 0)
        operations = with_piece(job, taken(job, 0, "operations", ["face the top"]), 0, ID).setups[0].operations
        self.assertEqual([each.name for each in operations][-1], "face the top 2")
        steps = with_piece(job, taken(job, 0, "steps"), 0, ID).setups[0].probing.cycles
        self.assertEqual(len({each.name for each in steps}), 2 * len(job.setups[0].probing.cycles))

    def test_a_hold_goes_to_where_the_setup_is_clamped(self):
        """Held as Op 10 is, Op 20 stays in its own vise."""
        job = with_piece(demo(), taken(demo(), 0, "hold"), 1, ID)
        self.assertEqual(job.setups[1].hold, demo().setups[0].hold)
        self.assertEqual(job.setups[1].station, demo().setups[1].station)

    def test_every_kind_comes_through_as_text(self):
        job = take_over(demo(), 0)
        for kind in PIECE_KINDS:
            piece = taken(job, 0, kind)
            self.assertEqual(piece_from(piece.model_dump_json()), piece)


class OtherJobTest(unittest.TestCase):
    def test_tools_are_found_again_by_what_they_are(self):
        """T2 of 12 mm is T7 there, and T2 is another cutter."""
        job = demo()
        cutters = list(job.machine.cutters)
        swapped = [each.model_copy(update={"tool": {2: 7, 3: 2}.get(each.tool, each.tool)}) for each in cutters]
        there = changed((("setups",), job.setups[1:]), (("setups", 0, "operations"), ()))
        there = set_value(
            set_value(there, ("setups", 0, "hover", "tool"), 1), ("machines", 0, "cutters"), tuple(swapped)
        )
        piece = taken(job, 0, "operations")
        added = with_piece(there, piece, 0, ID).setups[0].operations
        told = {each.name: each.tool for each in added}
        self.assertEqual(
            (told["face the top"], told["outline down to the hat"], told["pocket and bolt holes"]), (1, 7, 2)
        )

    def test_programs_belong_to_the_job_they_were_made_for(self):
        job = changed((("setups", 0, "operations", 0, "program"), "face.ngc"))
        self.assertEqual(with_piece(job, taken(job, 0, "operations"), 1, ID).setups[1].operations[-4].program, "")

    def test_what_is_missing_there_is_named_and_nothing_is_lost(self):
        own, other = take_over(demo(), 1), other_job()
        bare = changed((("setups",), demo().setups[:1]), (("setups", 0, "operations"), ()))
        bare = set_value(bare, ("setups", 0, "hover", "tool"), 1)
        bare = set_value(bare, ("machines", 0, "cutters"), bare.machine.cutters[:1])
        for there, piece, why in (
            (bare, taken(demo(), 0, "operations"), r"has no cutter like T2 .*; add it to the tool table first"),
            (bare, taken(other, 1, "hold"), "has no plate; put one on it first"),
            (bare, taken(own, 1, "steps"), "are proposed; take them over first"),
            (take_over(other, 1), taken(own, 1, "steps"), "there is no feature 'main bore'"),
            (other, taken(demo(), 0, "operations", ["pocket and bolt holes"]), "no feature|has no cutter like"),
        ):
            before = job_text(there)
            with self.assertRaisesRegex(InvalidValueError, why):
                with_piece(there, piece, len(there.setups) - 1, ID)
            self.assertEqual(job_text(there), before)

    def test_what_is_no_piece(self):
        for text, why in (
            ("", "is no piece of a job"), ("{}", "is no piece|kind"), ('{"format": "other"}', "no piece"),
            ('{"format": "ledgecliff-piece", "kind": "lunch", "title": "x"}', "piece, kind"), ("[1, 2", "no piece"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, why, msg=text):
                piece_from(text)
        with self.assertRaisesRegex(InvalidValueError, "there is no 'lunch'; the setup has face the top"):
            taken(demo(), 0, "operations", ["lunch"])
        with self.assertRaisesRegex(InvalidValueError, "take them over first"):
            taken(demo(), 0, "steps")


class TemplateTest(unittest.TestCase):
    def test_the_same_with_another_identity(self):
        job = changed((("setups", 0, "operations", 0, "program"), "face.ngc"))
        new = as_template(job, "Another housing", ID, ["0" * 12, "1" * 12])
        self.assertEqual(
            (new.id, new.title, [setup.id for setup in new.setups]), (ID, "Another housing", ["0" * 12, "1" * 12])
        )
        self.assertEqual(new.setups[0].operations[0].program, "")
        self.assertFalse(new.stock.is_measured, "nobody has held a caliper to that blank")
        self.assertEqual([setup.hold for setup in new.setups], [setup.hold for setup in job.setups])
        self.assertEqual(new.part, job.part)


class ShopDefaultsTest(unittest.TestCase):
    def test_new_setups_begin_as_the_shop_says(self):
        shop = read_shop().model_copy(
            update={"touches": TouchDefaults(stand_off=3, overtravel=4, depth=6, clearance=25)}
        )
        routine = job_for_block(Size(x=90, y=60, z=20), "block", shop, ID).setups[0].probing
        said = (routine.stand_off, routine.overtravel, routine.depth, routine.clearance)
        self.assertEqual(said, (3.0, 4.0, 6.0, 25.0))
        self.assertEqual(depths_from(6.0)[:3], [6.0, 5.0, 4.0])
        self.assertEqual(depths_from(8.0)[0], 8.0)


if __name__ == "__main__":
    unittest.main()
