"""From a model to a fixture: what of it can be named, and what names lead to."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits import own_fixtures as edits
from ledgecliff.core.edits.parts import remove_feature, rename_feature
from ledgecliff.core.edits.placing import place
from ledgecliff.core.edits.shop import SHELVES, add_new, keep_fixture, things_on
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import OwnHold
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.store.shop import shipped_shop
from tests.jobs import block_job, feature, setup
from tests.own_fixture_models import NEST, geometry_of, models, nest, reference, rod

EYE = feature("eye", "bore", (20, 10, 20), diameter=12, through=True)


def pegged():
    """The nest with a peg of 12 at (5, 3) that stands 8 up."""
    return nest() + rod(5, 3, -1, 8, 12)


def held(**datum):
    axes = {"x": AxisDatum(source="stock centre"), "y": AxisDatum(source="stock centre"),
            "z": AxisDatum(source="stock top")} | datum  # fmt: skip
    return block_job(setup(hold=OwnHold(), datum=Datum(**axes)), fixtures=(NEST,), features=(EYE,))


class OfferedTest(unittest.TestCase):
    def test_what_the_nest_has(self):
        geometry = geometry_of("nest", pegged())
        made = edits.fixture_from("nest", reference("nest"), geometry)
        self.assertEqual((made.seat, made.faces[0].facing), (0.0, "+Z"))
        faces = {(each.thing.facing, round(each.thing.level, 3)) for each in edits.faces_offered(made, geometry)}
        self.assertLessEqual({("+X", -40.0), ("+Y", -30.0), ("+Z", 12.0), ("-Y", -40.0)}, faces)
        self.assertFalse([each for each in faces if each[0] == "-Z"])
        self.assertNotIn(("+Z", 0.0), faces)  # the seat is named already
        bores = [each.thing for each in edits.bores_offered(made, geometry)]
        self.assertEqual([(b.x, b.y, b.top, round(b.diameter, 2), b.depth) for b in bores], [(50, 30, 0, 10, 20)])
        spigots = [each.thing for each in edits.spigots_offered(made, geometry)]
        self.assertEqual([(s.x, s.y, round(s.diameter, 2)) for s in spigots], [(5, 3, 12)])
        pins = {(each.thing.facing, round(each.thing.level, 3)) for each in edits.pins_offered(made, geometry)}
        self.assertEqual(pins, {("+X", 11.0), ("-X", -1.0), ("+Y", 9.0), ("-Y", -3.0)})

    def test_each_that_is_offered_is_found_on_the_model(self):
        from ledgecliff.core.holding.own_fixtures import face_region

        geometry = geometry_of("nest", pegged())
        made = edits.fixture_from("nest", reference("nest"), geometry)
        for each in (*edits.faces_offered(made, geometry), *edits.pins_offered(made, geometry)):
            with self.subTest(words=each.words):
                region = face_region(made, each.thing, geometry)
                self.assertIsNotNone(region)
                k = each.thing.axis
                outermost = (each.thing.sign * region[:, :, k]).max()
                self.assertAlmostEqual(float(outermost), each.thing.sign * each.thing.level, delta=1e-3)

    def test_nothing_to_lie_on(self):
        upturned = geometry_of("nest", box((0, 0, 0), (9, 9, 9)).rotate((30.0, 20.0, 0.0)))
        with self.assertRaisesRegex(InvalidValueError, "no flat face of the model looks up"):
            edits.fixture_from("nest", reference("nest"), upturned)


class NamesTest(unittest.TestCase):
    def test_a_fixture_comes_to_hold_a_setup(self):
        made = edits.fixture_from("nest", reference("nest"), geometry_of("nest", nest()))
        job = edits.with_fixture(block_job(), 0, made)
        self.assertEqual(job.setups[0].hold, OwnHold())
        self.assertEqual(edits.own_fixture(job, 0).name, "nest")
        twice = edits.with_fixture(job, 0, made)
        self.assertEqual(edits.own_fixture(twice, 0).name, "nest 2")
        with self.assertRaisesRegex(InvalidValueError, "is no fixture from a model"):
            edits.own_fixture(block_job(), 0)

    def test_other_names_are_followed(self):
        job = held(x=AxisDatum(source="fixture face", face="left pad"))
        cycle = ProbeCycle(name="pad", kind="surface", on="fixture face", face="left pad")
        job = set_value(job, ("setups", 0, "probing", "cycles"), (cycle,))
        job = edits.rename_thing(job, 0, "faces", 1, "anvil")
        self.assertEqual((job.setups[0].datum.x.face, job.setups[0].probing.cycles[0].face), ("anvil", "anvil"))
        with self.assertRaisesRegex(InvalidValueError, "'seat' is taken"):
            edits.rename_thing(job, 0, "faces", 1, "seat")
        job = edits.with_thing(job, 0, edits.spigots_offered(NEST, geometry_of("nest", pegged()))[0].thing)
        job = edits.put_over(job, 0, ("eye", edits.own_fixture(job, 0).spigots[0].name))
        job = edits.rename_thing(job, 0, "spigots", 0, "peg")
        self.assertEqual(job.setups[0].hold.over.spigot, "peg")
        self.assertEqual(rename_feature(job, 0, "hinge eye").setups[0].hold.over.feature, "hinge eye")
        with self.assertRaisesRegex(InvalidValueError, "over a spigot"):
            remove_feature(job, 0)
        with self.assertRaisesRegex(InvalidValueError, "still refers to it"):
            edits.without_thing(job, 0, "spigots", 0)
        called = edits.call_fixture(job, 0, "hinge nest")
        self.assertEqual(called.machine.fixture_at(called.setups[0].station).name, "hinge nest")

    def test_what_is_still_used_stays(self):
        job = held(x=AxisDatum(source="fixture face", face="left pad"))
        with self.assertRaisesRegex(InvalidValueError, "Op 10 still refers to it"):
            edits.without_thing(job, 0, "faces", 1)
        self.assertEqual([face.name for face in edits.own_fixture(edits.without_thing(job, 0, "faces", 2), 0).faces],
                         ["seat", "left pad"])  # fmt: skip
        with self.assertRaisesRegex(InvalidValueError, "no face of it is a seat"):
            edits.without_thing(held(), 0, "faces", 0)

    def test_stood_otherwise(self):
        """On its back the largest face that looks up is its underside, 20 over the base's top."""
        job = edits.stand(held(), 0, "up", "-Z", geometry_of("nest", nest()))
        fixture = edits.own_fixture(job, 0)
        self.assertEqual((fixture.seat, [face.name for face in fixture.faces]), (20.0, ["seat"]))
        self.assertEqual(fixture.moving, NEST.moving)

    def test_screws_and_parts_that_move(self):
        job = edits.with_screw(held(), 0)
        self.assertEqual(len(edits.own_fixture(job, 0).screws), 1)
        self.assertEqual(edits.own_fixture(edits.without_screw(job, 0), 0).screws, ())
        job = edits.with_moving_part(job, 0, "toe", reference("clamp"), "-Y")
        self.assertEqual([part.name for part in edits.own_fixture(job, 0).moving], ["toe", "toe 2"])

    def test_bores_over_spigots(self):
        plan = make_plan(held(), models())
        self.assertEqual(edits.overs_offered(plan.setups[0]), ())
        spigot = edits.spigots_offered(NEST, geometry_of("nest", pegged()))[0].thing
        for diameter, count in ((12.5, 1), (11.5, 0)):
            job = edits.with_thing(held(), 0, spigot)
            job = set_value(job, ("part", "features", 0, "diameter"), diameter)
            self.assertEqual(len(edits.overs_offered(make_plan(job, models()).setups[0])), count)


class BesideTest(unittest.TestCase):
    def test_dragged_only_where_nothing_holds_it(self):
        both = place(make_plan(held(), models()).setups[0], "stock", (7.0, 4.0), 1.0)
        self.assertEqual((both.moved, both.values), ((0.0, 0.0), ()))
        job = edits.without_thing(held(), 0, "faces", 2)  # nothing along Y
        along_y = place(make_plan(job, models()).setups[0], "stock", (7.0, 4.0), 1.0)
        self.assertEqual(along_y.moved, (0.0, 4.0))
        self.assertEqual(along_y.values, ((("setups", 0, "hold", "y"), 4.0),))

    def test_what_an_offset_means(self):
        """Where the model's file lies says nothing; what it is does, and so does where its faces are."""
        job = held()
        at = (*edits.fixture_path(job, 0), "model")
        elsewhere = set_value(job, (*at, "path"), "other/nest.step")
        changed = set_value(job, (*at, "sha256"), "f" * 64)
        first = meaning_of(job, job.setups[0])
        self.assertEqual(meaning_of(elsewhere, elsewhere.setups[0]), first)
        self.assertNotEqual(meaning_of(changed, changed.setups[0]), first)
        moved = set_value(job, (*edits.fixture_path(job, 0), "zero", "x"), 1.0)
        self.assertNotEqual(meaning_of(moved, moved.setups[0]), first)

    def test_on_the_shelf(self):
        shop, job = shipped_shop(), held()
        machine = job.machine_of(job.setups[0])
        station = machine.station(job.setups[0].station)
        kept = keep_fixture(shop, NEST, station)
        shelf = next(each for each in SHELVES if each.title == "Fixtures from models")
        self.assertEqual([thing.name for _, thing in things_on(kept, shelf)], ["nest"])
        with self.assertRaisesRegex(InvalidValueError, "made from a model in a job"):
            add_new(shop, shelf)

    def test_the_places_of_a_pin_are_those_of_its_round(self):
        geometry = geometry_of("nest", pegged())
        pin = next(each.thing for each in edits.pins_offered(NEST, geometry) if each.thing.facing == "+Y")
        np.testing.assert_allclose(pin.at.as_tuple()[:2], (5.0, 9.0), atol=1e-3)


if __name__ == "__main__":
    unittest.main()
