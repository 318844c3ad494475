"""Patterns: where their stations lie, how they are counted, and what re-cut faces do."""

from __future__ import annotations

import cmath
import math
import random
import unittest

from pydantic import ValidationError

from ledgecliff.core.model.base import Point
from ledgecliff.core.model.pattern import Grid, Group, Listed, OfInstance, OnFace, Pattern, Recut, Ring
from ledgecliff.core.model.stations import Station
from ledgecliff.core.patterns.places import places_of, recut_group, recut_words, station_at
from ledgecliff.core.quantities import spell
from tests.draws import draws

MASTER = Station(id="a" * 12, name="first", fixture="vise", at=Point(x=-300, y=-200, z=-400))


def pattern(**fields):
    return Pattern.model_validate(fields)


def grid(columns, rows, **more):
    pitch = {"column_pitch": 74.0, "row_pitch": 118.0} | {k: v for k, v in more.items() if k.endswith("pitch")}
    rest = {k: v for k, v in more.items() if not k.endswith("pitch")}
    return pattern(layout={"kind": "grid", "columns": columns, "rows": rows, **pitch}, **rest)


def at(pattern, number=None, master=MASTER):
    """Places on the machine in the order of counting, or of one number."""
    found = [station_at(pattern, place, master).at.as_tuple() for place in places_of(pattern)]
    return found if number is None else found[number - 1]


class CountedTest(unittest.TestCase):
    """Keys stay with the place, whatever it is counted as."""

    def keys(self, **numbering):
        return [place.key for place in places_of(grid(3, 2, numbering=numbering))]

    def test_rows_from_the_left_front(self):
        self.assertEqual(self.keys(), ["1-1", "2-1", "3-1", "1-2", "2-2", "3-2"])

    def test_columns(self):
        self.assertEqual(self.keys(along="columns"), ["1-1", "1-2", "2-1", "2-2", "3-1", "3-2"])

    def test_from_the_right_and_the_back(self):
        self.assertEqual(self.keys(from_right=True), ["3-1", "2-1", "1-1", "3-2", "2-2", "1-2"])
        self.assertEqual(self.keys(from_back=True), ["1-2", "2-2", "3-2", "1-1", "2-1", "3-1"])

    def test_to_and_fro(self):
        self.assertEqual(self.keys(to_and_fro=True), ["1-1", "2-1", "3-1", "3-2", "2-2", "1-2"])
        self.assertEqual(self.keys(to_and_fro=True, along="columns"), ["1-1", "1-2", "2-2", "2-1", "3-1", "3-2"])

    def test_left_is_left_whichever_way_the_pitch_goes(self):
        """Counted from the left and front, X and then Y never fall."""
        places = at(grid(4, 3, column_pitch=-50.0, row_pitch=-40.0))
        self.assertEqual(places, sorted(places, key=lambda each: (each[1], each[0])))

    def test_names(self):
        counted = grid(2, 1, numbering={"first": 11, "prefix": "S"})
        self.assertEqual([place.name for place in places_of(counted)], ["S11", "S12"])

    def test_faces_go_on_or_begin_anew(self):
        faces = [{"carrier": "b" * 12}, {"carrier": "c" * 12}]
        self.assertEqual([p.name for p in places_of(grid(2, 1, faces=faces))], ["1", "2", "3", "4", "5", "6"])
        anew = grid(2, 1, faces=faces, numbering={"each_face_anew": True})
        self.assertEqual([p.name for p in places_of(anew)], ["1.1", "1.2", "2.1", "2.2", "3.1", "3.2"])

    def test_names_are_never_shared(self):
        chance = random.Random(1)
        for _ in range(draws(60, 600)):
            numbering = {
                "along": chance.choice(("rows", "columns")), "from_right": chance.random() < 0.5,
                "from_back": chance.random() < 0.5, "to_and_fro": chance.random() < 0.5,
                "each_face_anew": chance.random() < 0.5, "first": chance.randrange(40),
            }  # fmt: skip
            faces = [{"carrier": f"{k:012x}"} for k in range(1, chance.randrange(1, 4))]
            made = grid(chance.randrange(1, 9), chance.randrange(1, 6), numbering=numbering, faces=faces)
            places = places_of(made)
            self.assertEqual(len({place.name for place in places}), made.count)
            self.assertEqual(len({place.key for place in places}), made.count)


class WhereTest(unittest.TestCase):
    def test_a_grid_by_hand(self):
        places = at(grid(5, 2))
        self.assertEqual(places[0], (-300, -200, -400))
        self.assertEqual(places[4], (-300 + 4 * 74, -200, -400))
        self.assertEqual(places[7], (-300 + 2 * 74, -200 + 118, -400))

    def test_turned_grids_and_rings_by_complex_numbers(self):
        chance = random.Random(2)
        for _ in range(draws(60, 1000)):
            start = complex(MASTER.at.x, MASTER.at.y)
            turn, pitch, apart = chance.uniform(-180, 180), chance.uniform(20, 90), chance.uniform(20, 90)
            layout = {"kind": "grid", "columns": 3, "rows": 4, "column_pitch": pitch, "row_pitch": apart}
            turned = pattern(layout=layout | {"turn_deg": turn})
            for place in places_of(turned):
                step = complex((place.column - 1) * pitch, (place.row - 1) * apart)
                self.assert_at(turned, place, start + step * cmath.exp(1j * math.radians(turn)), 0.0)
            count, middle = chance.randrange(2, 9), complex(chance.uniform(-90, 90), chance.uniform(10, 90))
            step_deg, along = chance.uniform(5, 359 / count), chance.random() < 0.5
            ring = pattern(
                layout=Ring(count=count, middle_x=middle.real, middle_y=middle.imag, step_deg=step_deg,
                            turns_along=along)
            )  # fmt: skip
            for place in places_of(ring):
                angle = step_deg * (place.column - 1)
                expected = start + middle - middle * cmath.exp(1j * math.radians(angle))
                self.assert_at(ring, place, expected, angle if along else 0.0)

    def assert_at(self, pattern, place, expected, turn_deg):
        station = station_at(pattern, place, MASTER)
        self.assertAlmostEqual(station.at.x, expected.real, places=9)
        self.assertAlmostEqual(station.at.y, expected.imag, places=9)
        self.assertEqual(station.at.z, MASTER.at.z)
        self.assertAlmostEqual(math.remainder(station.turn_deg - turn_deg, 360.0), 0.0, places=9)

    def test_a_list(self):
        places = [{"id": f"{k:012x}", "step": {"x": 10.0 * k, "y": -5.0 * k, "z": 2.0}, "turn_deg": 90} for k in (1, 2)]
        listed = pattern(layout=Listed.model_validate({"places": places}))
        self.assertEqual(at(listed), [(-300, -200, -400), (-290, -205, -398), (-280, -210, -398)])
        self.assertEqual(station_at(listed, places_of(listed)[1], MASTER).turn_deg, 90)

    def test_it_goes_with_its_master(self):
        away = MASTER.model_copy(update={"at": Point(x=-280, y=-207, z=-395)})
        for made in (grid(4, 3), pattern(layout=Ring(count=5, middle_y=60, turns_along=True))):
            for before, after in zip(at(made), at(made, master=away), strict=True):
                for a, b, by in zip(before, after, (20, -7, 5), strict=True):
                    self.assertAlmostEqual(b - a, by, places=9)

    def test_shifts_of_group_and_own_add_up(self):
        made = grid(
            2, 2, grouped_by="rows",
            groups=[{"key": "row 2", "name": "back", "shift": {"x": 1.5, "y": 0.25, "z": 0.0}}],
            instances=[{"place": "2-2", "shift": {"x": -0.5, "y": 0.0, "z": 0.125}}],
        )  # fmt: skip
        plain = at(grid(2, 2))
        moved = [
            tuple(round(b - a, 9) for a, b in zip(x, y, strict=True)) for x, y in zip(plain, at(made), strict=True)
        ]
        self.assertEqual(moved, [(0, 0, 0), (0, 0, 0), (1.5, 0.25, 0), (1.0, 0.25, 0.125)])

    def test_groups(self):
        faces = [OnFace(carrier="b" * 12)]
        by = {kind: [p.group for p in places_of(grid(2, 2, grouped_by=kind, faces=faces))] for kind in
              ("all", "rows", "columns", "faces")}  # fmt: skip
        other = "b" * 12
        self.assertEqual(by["all"], ["all"] * 8)
        self.assertEqual(by["rows"], ["row 1", "row 1", "row 2", "row 2"] + [f"{other}/row {k}" for k in (1, 1, 2, 2)])
        self.assertEqual(by["columns"][:4], ["column 1", "column 2"] * 2)
        self.assertEqual(by["faces"], ["face"] * 4 + [f"{other}/face"] * 4)
        own = grid(3, 1, grouped_by="own", groups=[{"key": "d" * 12, "name": "odd", "places": ["1-1", "3-1"]}])
        self.assertEqual([p.group for p in places_of(own)], ["d" * 12, "all", "d" * 12])


class RecutTest(unittest.TestCase):
    """The part goes where the fixture's material went: against the way its face looks."""

    def test_two_rows_from_the_middle_spread(self):
        left = recut_group(Group(key="row 1", name="left"), Recut(looks="+X", depth=0.2, on="2026-04-14"))
        right = recut_group(Group(key="row 2", name="right"), Recut(looks="-X", depth=0.2, on="2026-04-14"))
        self.assertEqual(left.shift.as_tuple(), (-0.2, 0, 0))
        self.assertEqual(right.shift.as_tuple(), (0.2, 0, 0))
        self.assertAlmostEqual(right.shift.x - left.shift.x, 0.4)

    def test_every_side_by_hand(self):
        """A face that looks to the front loses material at its front: what rests in front of it moves back."""
        for looks, moved in {
            "+X": (-0.5, 0, 0), "-X": (0.5, 0, 0), "+Y": (0, -0.5, 0), "-Y": (0, 0.5, 0), "+Z": (0, 0, -0.5),
            "-Z": (0, 0, 0.5),
        }.items():  # fmt: skip
            group = recut_group(Group(key="all", name="g"), Recut(looks=looks, depth=0.5, on="2026-04-14"))
            self.assertEqual(group.shift.as_tuple(), moved, looks)

    def test_it_is_said_why(self):
        said = spell(recut_words(Recut(looks="-Y", depth=0.2, on="2026-04-14")), "mm")
        self.assertIn("looks to the front (-Y)", said)
        self.assertIn("0.200 mm to the back: Y +0.200 mm", said)
        said = spell(recut_words(Recut(looks="+X", depth=0.2, on="2026-04-14")), "mm")
        self.assertIn("looks right (+X)", said)
        self.assertIn("to the left: X -0.200 mm", said)

    def test_one_after_the_other_adds_up_and_is_kept(self):
        group = Group(key="all", name="g", shift=Point(x=0, y=1, z=0))
        for depth, day in ((0.2, "2026-04-14"), (0.1, "2026-05-02")):
            group = recut_group(group, Recut(looks="-Y", depth=depth, on=day))
        self.assertAlmostEqual(group.shift.y, 1.3)
        self.assertEqual([each.depth for each in group.recuts], [0.2, 0.1])
        self.assertIsNone(group.stale_since())

    def test_a_recut_after_the_shift_was_found_makes_it_stale(self):
        recut = Recut(looks="-Y", depth=0.2, on="2026-04-14")
        for day, stale in (("2026-04-13", True), ("2026-04-14", False), ("2026-04-15", False), (None, True)):
            group = Group(key="all", name="g", shifted_on=day, recuts=(recut,))
            self.assertEqual(group.stale_since() is not None, stale, day)


class RefusedTest(unittest.TestCase):
    def assert_refused(self, words, **fields):
        with self.assertRaises(ValidationError) as caught:
            pattern(**fields)
        self.assertIn(words, str(caught.exception))

    def test_stations_on_one_another(self):
        self.assert_refused("3 columns lie on one another", layout={"kind": "grid", "columns": 3})
        self.assert_refused("no radius", layout={"kind": "ring", "count": 3, "turns_along": True})
        ring = {"kind": "ring", "count": 6, "middle_x": 50.0, "turns_along": True}
        self.assert_refused("come round to the first", layout=ring | {"step_deg": 72.0})
        self.assertEqual(pattern(layout=ring | {"step_deg": 60.0}).count, 6)

    def test_skipped_without_a_reason(self):
        self.assert_refused("say why", instances=[{"place": "1-1", "state": "skipped", "reason": "  "}])
        self.assertEqual(OfInstance(place="1-1", state="skipped", reason="bad blank").reason, "bad blank")

    def test_too_many(self):
        big = {"kind": "grid", "columns": 30, "rows": 20, "column_pitch": 10.0, "row_pitch": 10.0}
        self.assert_refused("600 stations", layout=big)

    def test_named_twice(self):
        self.assert_refused("instances are the same", instances=[{"place": "1-1"}, {"place": "1-1"}])
        self.assert_refused("two groups", grouped_by="own", groups=[
            {"key": "d" * 12, "name": "a", "places": ["1-1"]}, {"key": "e" * 12, "name": "b", "places": ["1-1"]},
        ])  # fmt: skip


class GridTest(unittest.TestCase):
    def test_keys_outlive_a_grid_that_grows(self):
        """What is known of an instance stays with its place."""
        small, large = (
            places_of(Pattern(layout=Grid(columns=n, rows=2, column_pitch=50, row_pitch=50))) for n in (3, 5)
        )
        where = {place.key: (place.column, place.row) for place in large}
        self.assertTrue(all(where[place.key] == (place.column, place.row) for place in small))
