"""The library thing by thing and whole again; what the shop has changed since a job was planned, and what the job."""

from __future__ import annotations

import random
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.library.planned_with import (
    Changed,
    Revision,
    _values,
    changed_since_planned,
    library_findings,
    taken_over,
)
from ledgecliff.core.library.things import (
    Key,
    changed_things,
    said_difference,
    shop_of,
    thing_name,
    things_of,
    things_of_machine,
)
from ledgecliff.core.model.holding import Vise
from ledgecliff.store.shop import shipped_shop
from tests.helpers import demo, fixed, shipped_plan


def history(*machines):
    """As the shop kept each of them in turn."""
    found, before = {}, {}
    for day, machine in enumerate(machines, start=1):
        after = things_of_machine(machine)
        for key, body in changed_things(before, after).items():
            found.setdefault(key, []).append(Revision(body, f"2026-03-{day:02d}T07:00:00+00:00", "Bo"))
        before = after
    return found


def with_fixture(machine, **fields):
    """The machine with its first fixture changed."""
    first, *others = machine.fixtures
    return machine.model_copy(update={"fixtures": (first.model_copy(update=fields), *others)})


class ThingsTest(unittest.TestCase):
    def test_taken_apart_and_whole_again(self):
        shop = shipped_shop()
        self.assertEqual(shop_of(things_of(shop)), shop)
        shuffled = list(things_of(shop).items())
        random.Random(3).shuffle(shuffled)
        self.assertEqual(shop_of(dict(shuffled)), shop, "whatever order they come in")
        for name in ("float-housing", "gland-spindle", "hinge-leaves", "dial-ring-on-pins"):
            machine = shipped_plan(name).job.machines[0]
            if machine.standing(Vise):
                other = shop.model_copy(update={"machine": machine})
                self.assertEqual(shop_of(things_of(other)), other, name)

    def test_one_change_is_of_one_thing(self):
        shop = shipped_shop()
        before = things_of(shop)
        for path, kind in (
            (("machine", "fixtures", 0, "jaw_height"), "fixture"), (("machine", "cutters", 1, "length"), "tool"),
            (("machine", "probe", "length"), "probe"), (("machine", "accuracy"), "machine"),
            (("material",), "shop"), (("fixtures", 0, "jaw_width"), "fixture"),
            (("machine", "stations", 0, "at", "x"), "station"),
        ):  # fmt: skip
            after = things_of(set_value(shop, path, "brass" if path == ("material",) else 61.5))
            self.assertEqual([key.kind for key in changed_things(before, after)], [kind], path)

    def test_differences_in_words(self):
        shop = shipped_shop()
        key = next(key for key in things_of(shop) if key.kind == "fixture" and key.where != "shelf")
        mine, theirs = (
            things_of(shop)[key],
            things_of(set_value(shop, ("machine", "fixtures", 0, "jaw_height"), 77.0))[key],
        )
        self.assertIn("there 77", said_difference(mine, theirs))
        self.assertEqual(
            said_difference(mine, {**mine, "place": 9}), "", "where it stands in the list is not what it is"
        )
        self.assertIn("gone", said_difference(mine, None))
        self.assertEqual(thing_name(Key("tool", "m", "5"), {"thing": {"name": "drill"}}), "T5 drill")

    def test_what_does_not_fit_together_is_refused(self):
        things = things_of(shipped_shop())
        fixture = next(key for key in things if key.kind == "fixture" and key.where != "shelf")
        del things[fixture]
        with self.assertRaisesRegex(InvalidValueError, "shop's library"):
            shop_of(things)


class PlannedWithTest(unittest.TestCase):
    def setUp(self):
        self.job = demo()
        self.machine = self.job.machines[0]
        self.name = self.machine.fixtures[0].name

    def told(self, *machines, job=None):
        return [(each.name, each.values) for each in changed_since_planned(job or self.job, history(*machines))]

    def test_only_what_the_shop_has_changed(self):
        height = self.machine.fixtures[0].jaw_height
        later = with_fixture(self.machine, jaw_height=height + 3)
        self.assertEqual(self.told(self.machine), [])
        ((name, values),) = self.told(self.machine, later)
        self.assertEqual((name, [value[1:] for value in values]), (self.name, [(height, height + 3)]))
        # The job's own change is not the shop's, and is not taken away from it.
        own = set_value(self.job, ("machines", 0, "fixtures", 0, "jaw_width"), 111.0)
        self.assertEqual(self.told(self.machine, job=own), [])
        (change,) = changed_since_planned(own, history(self.machine, later))
        after = taken_over(own, change).machines[0].fixtures[0]
        self.assertEqual((after.jaw_height, after.jaw_width), (height + 3, 111.0))
        # There and back again is no change; nor is what the shop was never told of.
        self.assertEqual(self.told(self.machine, later, self.machine), [])
        self.assertEqual(self.told(later), [])
        other = self.machine.model_copy(update={"id": "another"})
        self.assertEqual(self.told(other, with_fixture(other, jaw_height=99.0)), [], "of another machine")

    def test_once_taken_over_nothing_is_left(self):
        chance = random.Random(5)
        for _ in range(12):
            later = with_fixture(self.machine, jaw_height=chance.uniform(30, 60), grip_min=chance.uniform(1, 3))
            later = later.model_copy(update={"accuracy": chance.uniform(0.001, 0.02)})
            cutters = [each.model_copy(update={"length": each.length + chance.uniform(0, 5)}) for each in later.cutters]
            later = later.model_copy(update={"cutters": tuple(cutters)})
            then, job = history(self.machine, later), self.job
            for change in changed_since_planned(job, then):
                job = taken_over(job, change)
            self.assertEqual(changed_since_planned(job, then), ())
            self.assertEqual(job.machines[0], later)

    def test_deep_inside_only_what_was_changed_is_taken(self):
        own = set_value(self.job, ("machines", 0, "travel_max", "y"), 401.0)
        later = set_value(self.machine, ("travel_max", "x"), 801.0)
        (change,) = changed_since_planned(own, history(self.machine, later))
        after = taken_over(own, change).machines[0].travel_max
        self.assertEqual((after.x, after.y), (801.0, 401.0))

    def test_where_a_thing_is_from_is_not_what_it_is(self):
        """The file of a fixture's model lies elsewhere for the library; another file by its checksum is another."""
        key = Key("fixture", self.machine.id, self.name)

        def told(**model):
            before = {"thing": {"name": self.name, "model": {"path": "a.stl", "sha256": "1"}}, "place": 0}
            after = {"thing": {"name": self.name, "model": {"path": "a.stl", "sha256": "1"} | model}, "place": 3}
            return list(_values(before, after, [before]))

        self.assertEqual(told(path="b.stl"), [])
        self.assertEqual(told(sha256="2"), [(("thing", "model", "sha256"), "1", "2")])
        change = Changed(key, self.name, "2026-03-01", "Bo", tuple(told(sha256="2")), {})
        with self.assertRaisesRegex(InvalidValueError, "another model in the shop"):
            taken_over(self.job, change)

    def test_in_words(self):
        """What lies in a thing is told without that; long texts and long lists are cut, and it is said by how much."""
        key, long = Key("fixture", self.machine.id, self.name), "x" * 41
        values = [(("thing", "jaw_width"), 100.0, 101.5), (("accuracy",), None, "x" * 40), (("a", "b"), long, 1)]

        def words(*more):
            return Changed(key, "vise", "2026-03-01", "Bo", (*values, *more), {}).words()

        said = f"vise: jaw width was 100 and is 101.5; accuracy was nothing and is {'x' * 40}; "
        said += f"a b was {'x' * 40}… and is 1"
        self.assertEqual(words(), said)
        fourth = (("c",), 1, 2)
        self.assertEqual(words(fourth), said + "; c was 1 and is 2")
        self.assertEqual(words(fourth, (("d",), 3, 4), (("e",), 3, 4)), said + "; c was 1 and is 2 and 2 more")

    def test_of_another_kind_by_now_it_is_taken_whole(self):
        job = shipped_plan("gland-spindle").job
        machine = job.machines[0]
        number = next(k for k, each in enumerate(machine.carriers) if each.kind == "rotary")
        found = set_value(job, ("machines", 0, "carriers", number, "found_on"), "2026-11-02").machines[0]
        (change,) = changed_since_planned(job, history(machine, found))
        self.assertEqual(taken_over(job, change).machines[0], found)

    def test_what_is_gone(self):
        self.job = set_value(self.job, ("setups",), self.job.setups[:1])
        idle = next(each for each in self.machine.cutters if each.tool not in self.called())
        without = self.machine.model_copy(update={"cutters": tuple(c for c in self.machine.cutters if c != idle)})
        (change,) = changed_since_planned(self.job, history(self.machine, without))
        self.assertTrue(change.is_gone)
        with self.assertRaisesRegex(InvalidValueError, "not in the shop any more"):
            taken_over(self.job, change)
        # A copy that the job has changed by itself was never the shop's, and is not missed.
        number = self.machine.cutters.index(idle)
        own = set_value(self.job, ("machines", 0, "cutters", number, "length"), idle.length + 1)
        self.assertEqual(changed_since_planned(own, history(self.machine, without)), ())

    def called(self):
        return {step.tool for setup in self.job.setups for step in setup.operations} | {
            setup.hover.tool for setup in self.job.setups
        }

    def test_found_where_it_is_used_and_cured_by_one_step(self):
        later = with_fixture(self.machine, jaw_height=self.machine.fixtures[0].jaw_height + 1)
        (finding,) = library_findings(self.job, history(self.machine, later))
        self.assertEqual((finding.code, finding.severity), ("SHOP_HAS_CHANGED", "warning"))
        self.assertIn("(Bo, 2026-03-02)", finding.message())
        cured = fixed(self.job, finding)
        self.assertEqual(cured.machines[0], later)
        self.assertEqual(list(library_findings(cured, history(self.machine, later))), [])
        self.job = set_value(self.job, ("setups",), self.job.setups[:1])
        number, idle = next((k, c) for k, c in enumerate(self.machine.cutters) if c.tool not in self.called())
        unused = set_value(self.job, ("machines", 0, "cutters", number, "length"), idle.length + 9).machines[0]
        self.assertEqual(list(library_findings(self.job, history(self.machine, unused))), [], "nothing uses it")

    def test_what_the_job_cannot_have_is_refused_and_told_all_the_same(self):
        """Which way an axis turns is not known any more, and a setup of the job stands turned on it."""
        job = shipped_plan("gland-spindle").job
        machine = job.machines[0]
        number = next(k for k, each in enumerate(machine.carriers) if each.kind == "rotary")
        lost = set_value(machine, ("carriers", number, "sense"), None)
        then = history(machine, lost)
        (change,) = changed_since_planned(job, then)
        with self.assertRaisesRegex(InvalidValueError, "cannot be taken over"):
            taken_over(job, change)
        (finding,) = library_findings(job, then)
        self.assertEqual(finding.fixes, ())


if __name__ == "__main__":
    unittest.main()
