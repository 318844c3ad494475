"""The whole job: one immutable document from which everything else is computed."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..frames import AXES
from .base import Model, Name, Text
from .holding import Hold
from .machine import Machine
from .operations import Operation
from .part import Part
from .setup import Setup
from .stock import Stock

FORMAT: Literal["ledgecliff-job"] = "ledgecliff-job"
VERSION: Literal[5] = 5


def fixture_words(hold: Hold) -> tuple[str, str]:
    """What kind of fixture a hold names, and its name."""
    match hold.by:
        case "vise":
            return "vise", hold.vise
        case "plate":
            return "plate", hold.plate
        case "board":
            return "spoilboard", hold.board
        case "v-block":
            return "V-block", hold.v_block
        case "chuck":
            return "chuck", hold.chuck
        case "jig":
            return "jig", hold.jig


def made_on(operation: Operation) -> tuple[str, ...]:
    """Names of the features whose shape says what ``operation`` removes."""
    match operation.removes:
        case "bore" | "hole" | "pocket" | "slot":
            return (operation.on,)
        case "edge break":
            return operation.on
        case _:
            return ()


class Job(Model):
    format: Literal["ledgecliff-job"] = FORMAT
    version: Literal[5] = VERSION
    title: Name
    note: Text = ""
    part: Part
    stock: Stock
    machine: Machine
    setups: Annotated[tuple[Setup, ...], Field(min_length=1, max_length=60)]

    @model_validator(mode="after")
    def _names_exist(self) -> Job:
        """References must lead somewhere: vises, tools, features; and names must be unique."""
        for what, names in (
            ("setups", [setup.name for setup in self.setups]),
            ("features", [feature.name for feature in self.part.features]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} share the name '{twice}'; rename one of them")
        tools = {cutter.tool for cutter in self.machine.cutters}
        for setup in self.setups:
            self._check_setup(setup, tools)
        self._check_first(self.setups[0])
        for feature in self.part.features:
            self._check_feature(feature.partner, f"feature '{feature.name}'")
            if feature.tolerance is not None:
                self._check_feature(feature.tolerance.to, f"feature '{feature.name}', tolerance")
        return self

    def _check_setup(self, setup: Setup, tools: set[int]) -> None:
        where = f"setup '{setup.name}'"
        if self.machine.fixture(setup.hold) is None:
            kind, name = fixture_words(setup.hold)
            raise ValueError(f"{where}: there is no {kind} '{name}' on the machine; add it or name another")
        for tool in (setup.hover.tool, *(operation.tool for operation in setup.operations)):
            if tool not in tools:
                raise ValueError(f"{where}: tool T{tool} is not in the machine's cutters; add it or call another")
        for datum in (setup.datum.x, setup.datum.y, setup.datum.z):
            self._check_feature(datum.feature, f"{where}, datum")
            named = self.part.feature(datum.feature) if datum.feature else None
            if named is not None and not named.is_round():
                raise ValueError(f"{where}, datum: '{named.name}' is not round; a zero needs a bore with a diameter")
        self._check_cycles(setup, where)
        for operation in setup.operations:
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

    def _check_cycles(self, setup: Setup, where: str) -> None:
        operations = [operation.name for operation in setup.operations]
        for cycle in setup.probing.cycles or ():
            here = f"{where}, cycle '{cycle.name}'"
            self._check_feature(cycle.feature, here)
            feature = self.part.feature(cycle.feature) if cycle.feature else None
            if feature is not None and cycle.kind in ("bore", "boss") and not feature.is_round():
                raise ValueError(f"{here}: '{feature.name}' is not round; name a feature with a diameter")
            if feature is not None and cycle.kind in ("web", "pocket", "rectangle", "corner") and feature.width is None:
                raise ValueError(f"{here}: '{feature.name}' has no width; enter its width or touch another feature")
            if cycle.after is not None and cycle.after not in operations:
                raise ValueError(f"{here}: there is no operation '{cycle.after}' in this setup; name one of its own")

    @staticmethod
    def _check_first(setup: Setup) -> None:
        carried = [axis for axis in AXES if setup.datum.axis(axis).source == "carried over"]
        if carried or getattr(setup.hold, "registered", False):
            what = f"{carried[0].upper()} zero" if carried else "place on the board"
            raise ValueError(
                f"setup '{setup.name}': nothing comes before it that its {what} could be carried over from"
            )

    def _check_feature(self, name: str | None, where: str) -> None:
        if name is not None and self.part.feature(name) is None:
            raise ValueError(f"{where}: there is no feature '{name}' on the part; name one that exists")
