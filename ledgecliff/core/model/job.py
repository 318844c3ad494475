"""The whole job: one immutable document from which everything else is computed."""

from __future__ import annotations

import itertools
from typing import Annotated, Literal, assert_never

from pydantic import Field, model_validator

from ..frames import AXES
from .base import Model, Name, Text
from .bench import AnyBenchStep, BenchStep, Fill, MakeFixture, TakeOut
from .cycles import WIDTHS
from .holding import BoardHold, Fixture, OwnHold
from .identity import Id
from .machine import Machine
from .operations import Operation, goes_to_parting
from .own_fixture import FixtureFace, OwnFixture
from .part import WIDE, Feature, Part
from .parting import PartingPlane
from .setup import FROM_BEFORE, DatumSource, Setup
from .stations import Mount, Rotary, Station
from .stock import Stock

FORMAT: Literal["ledgecliff-job"] = "ledgecliff-job"
VERSION: Literal[8] = 8


#: What each kind of fixture is called.
KIND_WORDS = {
    "vise": "vise", "plate": "plate", "board": "spoilboard", "v-block": "V-block", "chuck": "chuck", "jig": "jig",
    "own": "own fixture",
}  # fmt: skip


def fixture_words(machine: Machine, setup: Setup) -> tuple[str, str]:
    """What kind of fixture holds a setup, and its name."""
    fixture = machine.fixture_at(setup.station)
    return KIND_WORDS[fixture.kind], fixture.name


def made_on(operation: Operation) -> tuple[str, ...]:
    """Names of the features whose shape says what ``operation`` removes."""
    match operation.removes:
        case "bore" | "hole" | "pocket" | "slot":
            return (operation.on,)
        case "edge break":
            return operation.on
        case "face" | "outline" | "seen" | "region" | "pin bores" | "frame slot":
            return ()
        case _:
            assert_never(operation)


def _face_of(fixture: Fixture, name: str) -> FixtureFace | None:
    return fixture.face(name) if isinstance(fixture, OwnFixture) else None


def _lacks(feature: Feature, source: DatumSource, *, upward: bool) -> str:
    """Why a feature cannot give an axis its zero, however the part lies; empty where it can."""
    if upward:
        bottomless = feature.through or (feature.kind == "slot" and feature.depth is None)
        if feature.kind == "face" or (feature.kind in ("pocket", "slot") and not bottomless):
            return ""
        return "has no floor; a Z zero needs a face, or a pocket or slot with a floor"
    if feature.kind in WIDE:
        return "" if feature.width is not None else "has no width; enter its width or choose another feature"
    if source != "feature":
        return "has no walls; a zero from a wall needs a pocket, slot or web"
    if feature.is_round() or feature.kind == "face":
        return ""
    return "is not round and has no width; a zero needs a bore, a pocket, slot or web, or a face"


#: Whether each setup has a work offset of its own, or one is kept through all of them and found again after each turn.
Codes = Literal["one a setup", "one for all"]


class Job(Model):
    """``id`` says which job it is, ``title`` what people call it, ``revision`` which version of it this is (as the shop
    counts: 1, 2, A, B); ``codes`` which work offsets its setups keep their
    zeros in, on each machine, ``parting`` where what is cut from two sides meets, and ``bench`` what is done beside the
    machine between them.  ``tolerance_share`` is how much of a tolerance what setups leave may take."""

    format: Literal["ledgecliff-job"] = FORMAT
    version: Literal[8] = VERSION
    id: Id
    title: Name
    revision: Annotated[str, Field(min_length=1, max_length=20)] = "1"
    note: Text = ""
    codes: Codes = "one a setup"
    part: Part
    stock: Stock
    parting: PartingPlane | None = None
    tolerance_share: Annotated[float, Field(gt=0, le=1)] = 0.5
    bench: Annotated[tuple[BenchStep, ...], Field(max_length=60)] = ()
    machines: Annotated[tuple[Machine, ...], Field(min_length=1, max_length=12)]
    setups: Annotated[tuple[Setup, ...], Field(min_length=1, max_length=60)]

    def bench_before(self, index: int) -> tuple[AnyBenchStep, ...]:
        """The steps beside the machine before a setup; after all of them where ``index`` is their number."""
        place = self.setups[index].id if index < len(self.setups) else None
        return tuple(step for step in self.bench if step.before == place)

    @property
    def machine(self) -> Machine:
        """The machine of the first setup, which is that of all where a job goes over one."""
        return self.machine_of(self.setups[0])

    def held_before(self, index: int) -> Setup | None:
        """The setup whose zero a setup's work offset still holds when that is clamped, so that it must be found anew:
        the last one before it in the same offset.  None where nothing held it, or all of it is carried over."""
        setup = self.setups[index]
        if all(setup.datum.axis(axis).source in FROM_BEFORE for axis in AXES):
            return None
        same = (each for each in self.setups[:index] if (each.machine, each.offset) == (setup.machine, setup.offset))
        return max(same, key=self.setups.index, default=None)

    def machine_of(self, setup: Setup) -> Machine:
        """The machine that a setup names, with the probe that it is probed with."""
        return self.machines[self._machine_number(setup)].probing_with(setup.probing.probe)

    def number_of(self, machine: Machine) -> int:
        """Which of the job's machines one is, by its id: a setup may see it with another of its probes."""
        return next(k for k, each in enumerate(self.machines) if each.id == machine.id)

    def probe_path(self, setup: Setup) -> tuple[str | int, ...]:
        """Where the probe stands in the job that a setup is probed with."""
        number = self._machine_number(setup)
        others = [probe.tool for probe in self.machines[number].more_probes]
        if setup.probing.probe in others:
            return ("machines", number, "more_probes", others.index(setup.probing.probe))
        return ("machines", number, "probe")

    def machine_path(self, setup: Setup) -> tuple[str, int]:
        """Where the machine of a setup stands in the job."""
        return ("machines", self._machine_number(setup))

    def _machine_number(self, setup: Setup) -> int:
        return next(k for k, machine in enumerate(self.machines) if machine.id == setup.machine)

    @model_validator(mode="after")
    def _names_exist(self) -> Job:
        """References must lead somewhere: vises, tools, features; and names must be unique."""
        ids = [setup.id for setup in self.setups]
        if len(set(ids)) != len(ids):
            raise ValueError("two setups share one id; take the id out of one of them, and save the job")
        known = [machine.id for machine in self.machines]
        if len(set(known)) != len(known):
            raise ValueError("two machines share one id; take one of them out, and give its setups to the other")
        for what, names in (
            ("machines", [machine.name for machine in self.machines]),
            ("setups", [setup.name for setup in self.setups]),
            ("features", [feature.name for feature in self.part.features]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} share the name '{twice}'; rename one of them")
        for setup in self.setups:
            self._check_setup(setup)
        for before, after in itertools.pairwise(self.setups):
            self._check_goes_on(before, after)
        self._check_first(self.setups[0])
        self._check_bench()
        for feature in self.part.features:
            self._check_feature(feature.partner, f"feature '{feature.name}'")
            if feature.tolerance is not None:
                self._check_feature(feature.tolerance.to, f"feature '{feature.name}', tolerance")
        return self

    def _check_bench(self) -> None:
        known = [step.id for step in self.bench]
        if len(set(known)) != len(known):
            raise ValueError("two steps beside the machine share one id; take one of them out")
        places = {None, *(setup.id for setup in self.setups)}
        for step in self.bench:
            where = f"step '{step.name}' beside the machine"
            if step.before not in places:
                raise ValueError(f"{where}: the setup it comes before is not in the job; name one that is, or none")
            if isinstance(step, Fill | TakeOut):
                self._check_feature(step.feature, where)
            if isinstance(step, MakeFixture):
                self._check_making(step, where)

    def _check_making(self, step: MakeFixture, where: str) -> None:
        if step.before is None:
            raise ValueError(f"{where}: a fixture is made before the setup that it holds; say which one")
        setup = next(each for each in self.setups if each.id == step.before)
        if self.machine_of(setup).cutter(step.tool) is None:
            raise ValueError(f"{where}: tool T{step.tool} is not in the machine's cutters; add it or call another")

    def _check_setup(self, setup: Setup) -> None:
        where = f"setup '{setup.name}'"
        if all(machine.id != setup.machine for machine in self.machines):
            raise ValueError(f"{where}: the machine it goes over is not in the job; name one that is")
        probes = [probe.tool for probe in self.machines[self._machine_number(setup)].probes]
        if setup.probing.probe is not None and setup.probing.probe not in probes:
            raise ValueError(
                f"{where}: there is no probe T{setup.probing.probe} on the machine; name one of "
                + ", ".join(f"T{tool}" for tool in probes)
            )
        machine = self.machine_of(setup)
        tools = {cutter.tool for cutter in machine.cutters}
        station = machine.station(setup.station)
        if station is None:
            raise ValueError(f"{where}: the station it is clamped at is not on the machine; name one that is")
        fixture = machine.fixture(station.fixture)
        if fixture is not None and fixture.kind != setup.hold.by:
            raise ValueError(
                f"{where}: at '{station.name}' stands a {KIND_WORDS[fixture.kind]}, which does not hold as a "
                f"{KIND_WORDS[setup.hold.by]} does; choose what holds it anew"
            )
        self._check_index(machine, setup, station, where)
        mark = setup.hold.mark if isinstance(setup.hold, BoardHold) else None
        marking = () if mark is None else (mark.tool,)
        for tool in (setup.hover.tool, *marking, *(operation.tool for operation in setup.operations)):
            if tool not in tools:
                raise ValueError(f"{where}: tool T{tool} is not in the machine's cutters; add it or call another")
        for datum in (setup.datum.x, setup.datum.y, setup.datum.z):
            self._check_feature(datum.feature, f"{where}, datum")
            named = self.part.feature(datum.feature) if datum.feature else None
            if named is not None and (lacks := _lacks(named, datum.source, upward=datum is setup.datum.z)):
                raise ValueError(f"{where}, datum: '{named.name}' {lacks}")
            if datum.source == "dowel" and (datum.dowel or 0) > len(getattr(setup.hold, "dowels", ())):
                raise ValueError(f"{where}, datum: there is no dowel {datum.dowel}; name one that the part is against")
            if datum.face is not None and fixture is not None and _face_of(fixture, datum.face) is None:
                raise ValueError(f"{where}, datum: '{fixture.name}' has no face '{datum.face}'; name one that it has")
        if isinstance(setup.hold, OwnHold) and setup.hold.over is not None:
            self._check_feature(setup.hold.over.feature, f"{where}, hold")
        self._check_cycles(setup, where)
        self._check_words(machine, setup, where)
        self._check_pattern(machine, setup, where)
        for operation in setup.operations:
            if goes_to_parting(operation) and self.parting is None:
                raise ValueError(
                    f"{where}, operation '{operation.name}': there is no parting plane for it to go to; state one, "
                    "or let it go its own way"
                )
            for name in operation.features:
                self._check_feature(name, f"{where}, operation '{operation.name}'")
            for name in made_on(operation):
                self._check_feature(name, f"{where}, operation '{operation.name}'")
            if operation.removes in ("bore", "hole"):
                made = self.part.feature(made_on(operation)[0])
                if made is not None and not made.is_round():
                    raise ValueError(
                        f"{where}, operation '{operation.name}': '{made.name}' is not round; "
                        "name a hole with a diameter"
                    )

    @classmethod
    def _check_pattern(cls, machine: Machine, setup: Setup, where: str) -> None:
        """Its faces are there, and its axes can be asked to turn to them."""
        pattern, station = setup.pattern, machine.station(setup.station)
        if pattern is None or station is None:
            return
        for face in pattern.faces:
            carrier = next((each for each in machine.carriers if each.id == face.carrier), None)
            if not isinstance(carrier, Mount):
                raise ValueError(f"{where}, pattern: a face it is repeated on is not on the machine; take it out")
            if carrier.id == station.on:
                raise ValueError(f"{where}, pattern: '{carrier.name}' has the master already; take it out of the faces")
            there = station.model_copy(update={"on": carrier.id})
            on_face = setup.model_copy(update={"index": face.index})
            cls._check_index(machine, on_face, there, f"{where}, pattern on '{carrier.name}'")
        operations = {operation.name for operation in setup.operations}
        strange = next((name for name in pattern.over_groups if name not in operations), None)
        if strange is not None:
            raise ValueError(f"{where}, pattern: there is no operation '{strange}' in this setup; name one of its own")

    @staticmethod
    def _check_index(machine: Machine, setup: Setup, station: Station, where: str) -> None:
        rotaries = {each.word: each for each in machine.carried_by(station) if isinstance(each, Rotary)}
        words = [angle.word for angle in setup.index]
        if len(set(words)) != len(words):
            raise ValueError(f"{where}: a rotary axis is at two places at once; state it once")
        for word in words:
            if word not in rotaries:
                raise ValueError(f"{where}: no rotary axis {word} carries '{station.name}'; take its angle out")
            if rotaries[word].sense is None and any(a.word == word and a.degrees for a in setup.index):
                raise ValueError(f"{where}: which way {word} turns is not known; try it, and state its sense")

    @staticmethod
    def _check_words(machine: Machine, setup: Setup, where: str) -> None:
        said = setup.probing.words
        cycles = setup.probing.cycles or ()
        names = [*said.begins, *said.ends, *said.failed]
        names += [name for cycle in cycles for name in (*cycle.words_before, *cycle.words_after)]
        strange = next((name for name in names if machine.word(name) is None), None)
        if strange is not None:
            raise ValueError(f"{where}: '{machine.name}' has no word called '{strange}'; add it to the machine's words")

    def _check_cycles(self, setup: Setup, where: str) -> None:
        operations = [operation.name for operation in setup.operations]
        for cycle in setup.probing.cycles or ():
            here = f"{where}, cycle '{cycle.name}'"
            self._check_feature(cycle.feature, here)
            feature = self.part.feature(cycle.feature) if cycle.feature else None
            if feature is not None and cycle.kind in ("bore", "boss") and not feature.is_round():
                raise ValueError(f"{here}: '{feature.name}' is not round; name a feature with a diameter")
            fixture = self.machine_of(setup).fixture_at(setup.station)
            if cycle.face is not None and _face_of(fixture, cycle.face) is None:
                raise ValueError(f"{here}: '{fixture.name}' has no face '{cycle.face}'; name one that it has")
            if cycle.on == "dowel" and (cycle.dowel or 0) > len(getattr(setup.hold, "dowels", ())):
                raise ValueError(f"{here}: there is no dowel {cycle.dowel}; name one that the part is against")
            if feature is not None and cycle.kind == "surface" and feature.kind not in (*WIDE, "face"):
                raise ValueError(f"{here}: '{feature.name}' has no wall, floor or face; touch another feature")
            if feature is not None and cycle.kind in (*WIDTHS, "rectangle", "corner") and feature.width is None:
                raise ValueError(f"{here}: '{feature.name}' has no width; enter its width or touch another feature")
            if cycle.after is not None and cycle.after not in operations:
                raise ValueError(f"{here}: there is no operation '{cycle.after}' in this setup; name one of its own")

    @staticmethod
    def _check_first(setup: Setup) -> None:
        carried = [axis for axis in AXES if setup.datum.axis(axis).source in FROM_BEFORE]
        if carried or getattr(setup.hold, "registered", False):
            what = f"{carried[0].upper()} zero" if carried else "place on the board"
            raise ValueError(
                f"setup '{setup.name}': nothing comes before it that its {what} could be carried over from"
            )

    @staticmethod
    def _check_goes_on(before: Setup, after: Setup) -> None:
        """On another machine nothing lies as it lay, and no code is the same one."""
        carried = any(after.datum.axis(axis).source in FROM_BEFORE for axis in AXES)
        if before.machine != after.machine and (carried or getattr(after.hold, "registered", False)):
            raise ValueError(
                f"setup '{after.name}': it goes over another machine than '{before.name}', from which nothing can be "
                "carried over; find its zero there"
            )

    def _check_feature(self, name: str | None, where: str) -> None:
        if name is not None and self.part.feature(name) is None:
            raise ValueError(f"{where}: there is no feature '{name}' on the part; name one that exists")
