"""Commands about probing, measuring, touching off and toolpath programs, as a shell would call them."""

from __future__ import annotations

import json

import ezdxf

from ledgecliff.store.demo import demo_job
from tests.command_line.test_main import DEMO, CommandTest, run


class FitTest(CommandTest):
    def fit(self, shape, rows, *more):
        path = self.folder / "points.csv"
        path.write_text(rows, encoding="utf-8")
        return run("fit", shape, str(path), *more)

    def test_circle_through_a_right_angle(self):
        status, out, _ = self.fit("circle", "x,y\n0,0\n8,0\n0,6\n\n8,6\n", "--json")
        result = json.loads(out)
        self.assertEqual(status, 0)
        self.assertEqual((result["centre"], result["radius"], result["points"]), ([4.0, 3.0], 5.0, 4))
        self.assertEqual(result["direction"], [0.0, 0.0, 1.0])
        self.assertEqual(len(result["residuals"]), 4)

    def test_plane_and_line_say_their_direction(self):
        _, out, _ = self.fit("plane", "0;0;1\n10;0;1\n0;10;1\n", "--json")
        self.assertEqual(json.loads(out)["direction"], [0.0, 0.0, 1.0])
        _, out, _ = self.fit("line", "0\t0\n3\t4\n", "--json")
        self.assertEqual((json.loads(out)["direction"], json.loads(out)["spread"]), ([0.6, 0.8], None))

    def test_plain_words(self):
        status, out, _ = self.fit("circle", "0,0\n8,0\n0,6\n")
        self.assertEqual(status, 0)
        self.assertIn("radius           +5.000000", out)

    def test_bad_files_name_the_row(self):
        for rows, said in (
            ("0,0\n1,0\n2,x\n", "row 3"),
            ("0,0\n1,0,0\n", "every row needs 2"),
            ("x,y\n", "holds no points"),
            ("0,0\n1,1\n2,2\n", "one line"),
        ):
            with self.subTest(rows=rows):
                status, out, error = self.fit("circle", rows)
                self.assertEqual((status, out), (2, ""))
                self.assertIn(said, error)


class ProbePlanTest(CommandTest):
    def test_steps_in_order_with_what_is_known(self):
        status, out, _ = run("probe-plan", DEMO, "--json")
        self.assertEqual(status, 0)
        first, second = json.loads(out)["setups"]
        titles = [step["title"] for step in first["steps"]]
        self.assertEqual(titles, ["stock, both sides in X", "stock, both sides in Y", "Z from stock top"])
        self.assertEqual(second["steps"][0]["after"]["x"], {"state": "set", "uncertainty": 0.002})
        self.assertEqual(second["before"]["z"], {"state": "guessed", "uncertainty": 3.0})
        touch = first["steps"][0]["touches"][0]
        self.assertEqual((touch["moving"], touch["contact"]["x"], touch["start"]["x"]), ("+X", -50.0, -57.0))

    def test_needs_that_fail_come_with_numbers(self):
        job = self.job((("setups", 0, "probing", "overtravel"), 2.0))
        status, out, _ = run("probe-plan", job, "--json")
        problem = json.loads(out)["setups"][0]["steps"][0]["problems"][0]
        self.assertEqual((status, problem["code"], problem["need"]), (1, "TOUCH_OUTSIDE_WINDOW", 1))
        self.assertEqual((problem["value"], problem["limit"]), (3.4, 2.0))
        self.assertIn("TOUCH_OUTSIDE_WINDOW", run("probe-plan", job)[1])


class TrueWorldTest(CommandTest):
    def world(self, text):
        path = self.folder / "world.json"
        path.write_text(text, encoding="utf-8")
        return str(path)

    def test_the_stated_place_is_what_is_found(self):
        """Op 20 lies 0.5 off along X; the offset is found 0.5 off the planned one, whatever the seed."""
        planned = json.loads(run("rehearse", DEMO, "--json", "--world", self.world("{}"))[1])["setups"][1]["true"]
        world = self.world('{"setups": [{"name": "Op 20", "part_off": {"x": 0.5, "y": 0, "z": 0}}]}')
        for seed in ("1", "2"):
            setup = json.loads(run("rehearse", DEMO, "--json", "--world", world, "--seed", seed)[1])["setups"][1]
            self.assertAlmostEqual(setup["true"]["x"] - planned["x"], 0.5, places=5)
            self.assertAlmostEqual(setup["difference"]["x"], 0.0, delta=0.004)

    def test_ball_errors_show_where_they_matter(self):
        """A ball 0.05 larger than calibrated: centres do not care, a single surface is off by it."""
        world = self.world('{"probe": {"radius_off": 0.05, "repeatability": 0}}')
        setups = json.loads(run("rehearse", DEMO, "--json", "--world", world)[1])["setups"]
        self.assertAlmostEqual(setups[0]["difference"]["x"], 0.0, delta=0.001)
        self.assertAlmostEqual(setups[0]["difference"]["z"], 0.05, delta=0.001)

    def test_a_missed_trigger_stops_it(self):
        status, out, _ = run("rehearse", DEMO, "--json", "--world", self.world('{"probe": {"missed": [3]}}'))
        self.assertEqual(status, 1)
        self.assertIn("a trigger was missed", json.loads(out)["setups"][0]["alarms"][0])

    def test_a_drawn_world_is_kept_and_gives_the_same_again(self):
        kept = self.folder / "kept.json"
        status, first, _ = run("rehearse", DEMO, "--json", "--seed", "5", "--keep-world", str(kept))
        self.assertEqual(status, 0)
        self.assertEqual(run("rehearse", DEMO, "--json", "--world", str(kept))[1], first)
        other = json.loads(run("rehearse", DEMO, "--json", "--world", str(kept), "--seed", "6")[1])
        self.assertEqual(other["setups"][0]["true"], json.loads(first)["setups"][0]["true"])
        self.assertNotEqual(other["setups"][0]["found"], json.loads(first)["setups"][0]["found"])

    def test_bad_worlds_name_the_field(self):
        for text, words in (
            ('{"setups": [{"name": "Op 99"}]}', "no setup 'Op 99'"),
            ('{"probe": {"delay_s": -1}}', "delay s"),
            ('{"probing": 1}', "probing"),
            ("{", "is not JSON"),
            ('{"tools": [{"number": 77, "longer": 1}]}', "no tool '77'; it has "),
            ('{"axes": [{"axis": "tilt"}]}', "no rotary axis 'tilt'; it has none"),
            ('{"offsets": [{"code": "G77", "at": {"x": 0, "y": 0, "z": 0}}]}', "no offset 'G77'"),
            ('{"setups": [{"name": "Op 10", "debris": [{"x": 0, "y": 0, "thickness": 0.2}]}]}', "nothing carries"),
        ):
            status, _, error = run("rehearse", DEMO, "--world", self.world(text))
            self.assertEqual(status, 2)
            self.assertIn(words, error)


class MeasureTest(CommandTest):
    def test_a_rehearsal_measured_again_gives_what_the_program_found(self):
        touches = self.folder / "touches.json"
        status, _, _ = run("rehearse", DEMO, "--record", "Op 20", str(touches), "--json")
        self.assertEqual(status, 0)
        status, out, _ = run("measure", DEMO, "--touches", str(touches), "--json")
        bore = json.loads(out)["steps"][0]
        self.assertEqual(status, 0)
        # Read in the WCS that the program set from these very touches, its centre is nought.
        self.assertAlmostEqual(bore["results"]["x"]["value"], 0.0, delta=2e-4)
        self.assertAlmostEqual(bore["results"]["size x"]["value"], 22.0, delta=0.02)
        self.assertEqual(len(bore["contacts"]), 4)
        self.assertEqual(len(bore["deviations"]), 4)
        self.assertEqual(bore["at_s"], sorted(bore["at_s"]))
        self.assertGreater(bore["at_s"][0], 0.0)
        # Set by eye to within 3: the first probing moves the offset further than clamping ever would.
        self.assertEqual(json.loads(out)["offset"], "G55")
        self.assertTrue(any(change["confirm"] for change in json.loads(out)["changes"].values()))

    def test_a_probed_offset_is_kept_once_it_is_confirmed(self):
        touches, register = str(self.folder / "touches.json"), str(self.folder / "register.db")
        run("rehearse", DEMO, "--record", "Op 20", touches)
        keep = ("measure", DEMO, "--touches", touches, "--keep", "--register", register)
        status, _, err = run(*keep)
        self.assertEqual(status, 2)
        self.assertIn("more than clamping does. A chip, another part, or the wrong offset?", err)
        self.assertEqual(run(*keep, "--confirmed")[0], 0)
        _, out, _ = run("offsets", "list", "--job", DEMO, "--search", "g55", "--register", register, "--json")
        (entry,) = json.loads(out)["offsets"]
        self.assertEqual((entry["origin"], entry["use"]["setup"], entry["state"]), ("touches", "Op 20", "in use"))
        wcs = json.loads((self.folder / "touches.json").read_text())["wcs"]
        self.assertAlmostEqual(entry["value"]["x"], wcs["x"], places=5)

    def test_table_and_drawing_as_files(self):
        cheek = str(demo_job("winch-cheek"))
        touches = self.folder / "touches.json"
        run("rehearse", cheek, "--record", "Op 10", str(touches))
        data = json.loads(touches.read_text(encoding="utf-8")) | {"reference": "shaft bore", "towards": "hole 7"}
        touches.write_text(json.dumps(data), encoding="utf-8")
        table, drawing = self.folder / "t.csv", self.folder / "t.dxf"
        status, out, _ = run("measure", cheek, "--touches", str(touches), "--csv", str(table), "--dxf", str(drawing))
        self.assertEqual((status, "from shaft bore" in out), (0, True))
        lines = table.read_text(encoding="utf-8").splitlines()
        self.assertEqual((len(lines), lines[0].split(",")[0]), (13, "feature"))
        read = ezdxf.readfile(drawing)
        self.assertEqual(len(read.modelspace().query("CIRCLE")), 13)
        self.assertGreater(len(read.modelspace().query("DIMENSION")), 12)

    def test_bad_files_name_the_field(self):
        path = self.folder / "touches.json"
        for text, words in (
            ('{"setup": "Op 10", "touches": []}', "touches"),
            ('{"setup": "Op 99", "touches": [{"step": "a", "x": 0, "y": 0, "z": 0}]}', "no setup 'Op 99'"),
            ('{"setup": "Op 10", "touches": [{"step": "a", "x": 0, "y": 0, "z": 0}]}', "no step 'a'"),
        ):
            path.write_text(text, encoding="utf-8")
            status, _, error = run("measure", DEMO, "--touches", str(path))
            self.assertEqual(status, 2)
            self.assertIn(words, error)


class TapeTest(CommandTest):
    def tape(self, data, *more):
        path = self.folder / "readings.json"
        path.write_text(json.dumps(data), encoding="utf-8")
        return run("tape", str(path), *more)

    def test_worked_numbers_by_hand(self):
        edge = {"method": "edge", "side": "left", "reading": -412.63, "diameter": 10, "should_read": -48.02}
        status, out, _ = self.tape({"x": edge, "before": {"x": -400.0}}, "--json")
        axis = json.loads(out)["axes"]["x"]
        self.assertEqual((status, axis["offset"], axis["moved"], axis["doubt"]), (0, -359.61, 40.39, None))
        self.assertIn({"text": "surface", "mm": -407.63}, axis["lines"])
        self.assertIn("-359.610", self.tape({"x": edge})[1])

    def test_a_slip_is_named_against_the_plan(self):
        """Op 10 of the demo has X zero at -520: a radius taken twice puts it 5 off, more than the guess of 3."""
        edge = {"method": "edge", "side": "left", "reading": -575.0, "diameter": 10, "should_read": -50.0}
        self.assertEqual(self.tape({"x": edge}, "--job", DEMO)[0], 0)
        # Typed as if the radius had been taken off already.
        status, out, _ = self.tape({"x": edge | {"reading": -570.0}}, "--job", DEMO, "--json")
        self.assertEqual(status, 1)
        self.assertIn("radius is forgotten, or taken twice", json.loads(out)["axes"]["x"]["doubt"])

    def test_lengths_must_count_as_the_machines_do(self):
        data = {"offset": "G54", "lengths_from": "reference plane", "z": {
            "method": "indicator against reference", "reading": -212.4, "reference_reading": -231.865}}  # fmt: skip
        self.assertEqual(self.tape(data)[0], 0)
        status, _, err = self.tape(data, "--job", DEMO)
        self.assertEqual(status, 2)
        self.assertIn("count from the gauge line, not from the reference plane", err)

    def test_bad_readings_name_the_field(self):
        for data, words in (
            ({"x": {"method": "edge", "side": "front", "reading": 0, "diameter": 1}}, "says nothing of X"),
            ({"x": {"method": "edge", "side": "left", "reading": "far", "diameter": 1}}, "reading"),
            (
                {"offset": "G59", "x": {"method": "known value", "value": 1}},
                "no setup of the job keeps its zero in G59",
            ),
        ):
            status, _, error = self.tape(data, "--job", DEMO)
            self.assertEqual(status, 2)
            self.assertIn(words, error)


class ReadTest(CommandTest):
    program = "G21 G90 G54\nT2 M6 (T2 12 mm end mill)\nG43 H2\nG0 X0 Y0 Z10\nG1 Z-5 F300\nG2 X20 Y0 I10 J0\nM30\n"

    def read(self, text, *more):
        path = self.folder / "part.ngc"
        path.write_text(text, encoding="utf-8")
        return run("read", str(path), *more)

    def test_extents_and_calls(self):
        status, out, _ = self.read(self.program, "--json", "--job", DEMO)
        (program,) = json.loads(out)["programs"]
        self.assertEqual((status, program["findings"], program["complete"]), (0, [], True))
        (row,) = program["extents"]
        self.assertEqual((row["offset"], row["tool"], row["y"]), ("G54", 2, {"low": 0.0, "high": 10.0}))
        self.assertEqual(program["tools"][0]["h"], [2])
        self.assertIn("G54 T2: X +0.000 to +20.000", self.read(self.program)[1])

    def test_a_hazard_is_told_with_its_line(self):
        status, out, _ = self.read(self.program.replace("H2", "H4"))
        self.assertEqual(status, 1)
        self.assertIn("hazard: line 3: T2 runs with the length of H4", out)

    def checked(self, text, **changes):
        """The codes that ``check`` adds for a program of the demo's second operation of Op 10 (T2, G54)."""
        path = ("setups", 0, "operations", 1, "program")
        job = self.job((path, "part.ngc"), *((("setups", 0, "operations", 1, key), v) for key, v in changes.items()))
        if text is not None:
            (self.folder / "part.ngc").write_text(text, encoding="utf-8")
        status, out, _ = run("check", job, "--json")
        return status, {row["code"] for row in json.loads(out)["findings"]} - {"FEATURE_NOT_REACHED", "NOT_FINISHED"}

    def test_programs_of_operations_are_checked_with_the_job(self):
        self.assertEqual(self.checked(self.program), (0, set()))
        # In Op 20's offset its depth is below the parallels as well.
        other = (1, {"OFFSET_NOT_THE_SETUPS", "BELOW_FLOOR"})
        self.assertEqual(self.checked(self.program.replace("G54", "G55")), other)
        self.assertEqual(self.checked(self.program, tool=3), (1, {"TOOL_NOT_THE_OPERATIONS"}))
        self.assertEqual(self.checked(self.program.replace("H2", "H3")), (1, {"LENGTH_NUMBER_OTHER"}))
        (self.folder / "part.ngc").unlink()
        self.assertEqual(self.checked(None), (0, {"PROGRAM_NOT_FOUND"}))

    def test_a_program_that_is_not_read_is_an_error(self):
        status, out, _ = self.read(self.program.replace("G1 Z-5", "G20 G21 Z-5"), "--json")
        (program,) = json.loads(out)["programs"]
        self.assertEqual((status, program["read"], program["extents"]), (1, False, []))
        self.assertIn("NOT READ", self.read(self.program.replace("G1 Z-5", "G20 G21 Z-5"))[1])

    def test_subprograms_in_the_file_and_beside_it(self):
        text = self.program.replace("M30", "M98 P100\nM98 P200\nM30\nO0100\nG1 X50\nM99")
        (self.folder / "O0200.NC").write_text("%\nO0200\nX70\nM99\n%\n", encoding="utf-8")
        status, out, _ = self.read(text, "--json")
        (program,) = json.loads(out)["programs"]
        self.assertEqual((status, program["complete"]), (0, True))
        self.assertEqual(program["extents"][0]["x"], {"low": 0.0, "high": 70.0})
        (self.folder / "200.ngc").write_text("X90\n", encoding="utf-8")
        (program,) = json.loads(self.read(text, "--json")[1])["programs"]
        self.assertIn("'200.ngc' or 'O0200.NC'", program["findings"][-1]["message"])

    def test_a_program_without_a_unit_is_read_in_the_controls(self):
        inch = self.job((("machines", 0, "program_units"), "in"))
        _, out, _ = self.read("G90 G54\nT2 M6\nG43 H2\nG0 X1 Z1\nM30\n", "--json", "--job", inch)
        (program,) = json.loads(out)["programs"]
        self.assertEqual(program["extents"][0]["x"]["high"], 25.4)

    def test_what_is_no_file(self):
        status, _, error = run("read", str(self.folder / "nothing.ngc"))
        self.assertEqual(status, 2)
        self.assertIn("cannot be read", error)
