"""Blanks that vary on the command line."""

from __future__ import annotations

import json

from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from tests.command_line.test_main import CommandTest, run
from tests.core.test_clean_up import SIZES
from tests.core.test_fence import board_plan
from tests.core.test_supports import held


class CleanUpTest(CommandTest):
    def told(self, *words):
        status, out, error = run("clean-up", *words, "--json")
        self.assertEqual((status, error), (0, ""))
        return json.loads(out)

    def file(self, text):
        path = self.folder / f"sizes {len(text)}.csv"
        path.write_text(text, encoding="utf-8")
        return str(path)

    def test_groups_of_a_file(self):
        told = self.told(self.file("\n".join(map(str, SIZES))), "--finished", "96", "--least", "0.3", "--spread", "0.4")
        first = told["groups"][0]
        self.assertEqual(first["sizes"], [96.8, 96.88, 96.95, 97.05, 97.1, 97.18])
        self.assertEqual((first["equal_load"], first["equal_least"], first["least"]), (0.495, 0.4, 0.305))
        self.assertEqual(told["odds"]["edge"], 0.75)
        self.assertEqual(self.told(self.file("97.2"), "--finished", "96", "--least", "0.3", "--edge", "0.95")["odds"],
                         {"centre": 1.0, "edge": 0.0})  # fmt: skip

    def test_odds_of_a_distribution(self):
        common = ("--nominal", "97.2", "--finished", "96", "--least", "0.3", "--edge", "0.6")
        self.assertEqual(self.told(*common, "--varies", "0.8")["odds"], {"centre": 0.875, "edge": 0.6875})
        odds = self.told(*common, "--varies", "0.4", "--shape", "normal")["odds"]
        self.assertEqual((round(odds["centre"], 3), round(odds["edge"], 3)), (0.933, 0.773))

    def test_lengths_carry_their_units(self):
        told = self.told(
            "--nominal", "3.826772 in", "--varies", "0.8", "--finished", "3.779528 in", "--least", "300 um"
        )
        self.assertAlmostEqual(told["odds"]["centre"], 0.875, places=4)

    def test_in_words(self):
        _, out, _ = run("clean-up", self.file("\n".join(map(str, SIZES))), "--finished", "96", "--least", "0.3")
        self.assertIn("group 1: 6 blanks, 96.800 mm to 97.180 mm: 0.495 mm at the stop for equal load", out)
        self.assertIn("75.00% by the stop's edge with 0.675 mm there", out)

    def test_refused(self):
        sizes = self.file("97.2")
        for words, why in (
            (("--finished", "96", "--least", "0.3"), "name a file"),
            (
                (sizes, "--nominal", "97", "--varies", "1", "--finished", "96", "--least", "0.3"),
                "leave one of them out",
            ),
            ((sizes, "--finished", "0", "--least", "0.3"), "longer than nought"),
            ((sizes, "--finished", "96", "--least", "-0.3"), "nought or more"),
            ((sizes, "--finished", "96", "--least", "0.3", "--spread", "-1"), "at least nothing"),
            (("--nominal", "97", "--varies", "-1", "--finished", "96", "--least", "0.3"), "leave its sign out"),
            ((self.file("a,b\n1,2"), "--finished", "96", "--least", "0.3"), "which one column"),
            ((str(self.folder / "none.csv"), "--finished", "96", "--least", "0.3"), "cannot be read"),
        ):
            status, _, error = run("clean-up", *words)
            self.assertEqual(status, 2, words)
            self.assertIn(why, error)


class BlanksTest(CommandTest):
    """The batch of a job: changed, written and said back."""

    def setUp(self):
        super().setUp()
        self.job = self.folder / "shoes.json"
        write_job(read_job(demo_job("rack-shoes")), self.job)

    def told(self, *words):
        status, out, error = run("blanks", str(self.job), *words, "--json")
        self.assertEqual(status, 0, error)
        self.assertEqual(json.loads(run("blanks", str(self.job), "--json")[1]), json.loads(out))
        return json.loads(out)

    def test_from_sizes_to_a_group_that_is_run(self):
        sizes = self.folder / "sizes.csv"
        sizes.write_text("blank;length\n1;62,80\n2;63,05\n3;63,90\n4;63,41\n", encoding="utf-8")
        told = self.told("--sizes", str(sizes), "--spread", "0.4 mm", "--least", "0.3")
        self.assertEqual([each["sizes"] for each in told["groups"]], [[62.8, 63.05], [63.41], [63.9]])
        self.assertEqual(told["groups"][0]["at_stop"], 0.4625)
        # 1.25 come off at the stop as planned, so that none is long enough but the longest.
        self.assertEqual((told["at_stop"], told["short"], told["odds"]["edge"]), (1.25, [1, 2, 4], 0.25))
        told = self.told("--take", "1", "--setup", "Op 10")
        self.assertEqual((told["at_stop"], told["short"]), (0.4625, []))
        shoe = read_job(self.job)
        self.assertAlmostEqual(shoe.stock.measured.x, 62.925)
        before = shoe.setups[0].pattern.groups
        self.told("--rule", "equal least", "--take", "3", "--setup", "Op 10", "--stop-moved")
        self.assertNotEqual(read_job(self.job).setups[0].pattern.groups, before)

    def test_in_words_and_refused(self):
        status, _, error = run("blanks", str(self.job))
        self.assertEqual(status, 2)
        self.assertIn("says nothing of several blanks", error)
        status, _, error = run("blanks", str(self.job), "--setup", "Op 10")
        self.assertEqual(status, 2)
        self.assertIn("name the group", error)
        before = self.job.read_text(encoding="utf-8")
        status, out, error = run("blanks", str(self.job), "--odds", "normal", "--stop", "minus")
        self.assertEqual(status, 0, error)
        self.assertIn("of blanks spread normally, by what the stock varies", out)
        self.assertNotEqual(self.job.read_text(encoding="utf-8"), before)
        status, _, error = run("blanks", str(self.job), "--take", "1")
        self.assertEqual(status, 2)
        self.assertIn("there are 0", error)


class MeasuredTest(CommandTest):
    def test_the_blank_of_one_instance(self):
        path = self.folder / "shoes.json"
        write_job(read_job(demo_job("rack-shoes")), path)
        command = ("stations", str(path), "--setup", "Op 10", "--json", "--blank", "3")
        status, out, error = run(*command, "61 mm", "-", "0.7 in")
        self.assertEqual(status, 0, error)
        self.assertEqual(json.loads(out)["setups"][0]["instances"][2]["measured"], {"x": 61.0, "z": 17.78})
        self.assertIn("INSTANCE_TOO_SMALL", run("check", str(path), "--json")[1])
        status, out, _ = run(*command, "-", "-", "-")
        self.assertEqual(json.loads(out)["setups"][0]["instances"][2]["measured"], {})
        status, _, error = run(*command, "-1", "-", "-")
        self.assertEqual(status, 2)
        self.assertIn("measured", error)


class FenceTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "board.json"
        write_job(board_plan(None, made=False).job, self.path)

    def told(self, *words):
        status, out, error = run("fence", str(self.path), "--setup", "Op 10", *words, "--json")
        self.assertEqual(status, 0, error)
        return json.loads(out)

    def test_put_sized_zeroed_and_taken_away(self):
        self.assertEqual(self.told(), {"setup": "Op 10", "side": None})
        told = self.told("--side", "left", "--length", "1 in", "--cut", "0.5", "--zero")
        self.assertEqual((told["side"], told["length"], told["cut"]), ("left", 25.4, 0.5))
        # Laid against it by 0.02, cut by 0.01.
        self.assertAlmostEqual(told["repeats"], 0.02236, places=4)
        self.assertEqual(read_job(self.path).setups[0].datum.x.source, "fixture value")
        self.assertEqual(self.told()["side"], "left")
        self.assertIsNone(self.told("--side", "none")["side"])
        status, _, error = run("fence", str(self.path), "--setup", "Op 10", "--length", "30")
        self.assertEqual(status, 2)
        self.assertIn("there is no fence", error)
        self.assertIn("no fence", run("fence", str(self.path), "--setup", "Op 10")[1])


class SupportTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "long.json"
        write_job(held().job, self.path)

    def told(self, *words):
        status, out, error = run("support", str(self.path), "--setup", "Op 10", *words, "--json")
        self.assertEqual(status, 0, error)
        return json.loads(out)["supports"]

    def test_put_sized_written_as_a_model_and_taken_away(self):
        import trimesh

        self.assertEqual(self.told(), [])
        (one,) = self.told("--add", "--x", "240", "--y", "20", "--length", "20", "--width", "3 cm", "--cut", "0.5")
        self.assertEqual((one["stands_on"], one["height"], one["block"]), ("table", 90.0, 90.5))
        self.assertEqual((one["area"], one["share"], one["slopes"], one["cut_by_step"]), (600.0, 1.0, 0.0, True))
        model = self.folder / "support.stl"
        self.assertEqual(self.told("--stl", str(model)), [one])
        mesh = trimesh.load_mesh(str(model))
        self.assertTrue(mesh.is_watertight)
        self.assertAlmostEqual(mesh.volume, 20 * 30 * 90, delta=0.1)
        # From the middle of the jaws, the fixed jaw's face and the bed: 110 to the right, 20 before, 60 down to 30 up.
        for end, (x, y, z) in zip(mesh.bounds, ((100, -35, -60), (120, -5, 30)), strict=True):
            self.assertAlmostEqual(max(abs(end - (x, y, z))), 0.0, places=4)
        self.assertEqual(self.told("--remove"), [])

    def test_in_words_and_refused(self):
        self.told("--add")
        status, out, _ = run("support", str(self.path), "--setup", "Op 10")
        self.assertEqual(status, 0)
        self.assertIn("support 1  x ", out)
        before = self.path.read_text(encoding="utf-8")
        for words, why in (
            (("--number", "2", "--x", "3"), "there is no number 2"), (("--length", "-3"), "length"),
            (("--number", "3", "--stl", str(self.folder / "s.stl")), "there is no such support"),
        ):  # fmt: skip
            status, _, error = run("support", str(self.path), "--setup", "Op 10", *words)
            self.assertEqual(status, 2, words)
            self.assertIn(why, error)
        self.assertEqual(self.path.read_text(encoding="utf-8"), before)
