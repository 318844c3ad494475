"""The hold lens: how the part lies, what holds it, and every size of that."""

from __future__ import annotations

from functools import partial
from typing import Literal, cast

from PySide6.QtCore import Signal

from ledgecliff.app.hold_fields import names_section, places_section
from ledgecliff.core.changing import remove_item, value_at
from ledgecliff.core.edits import lying
from ledgecliff.core.edits.fences import SIDES, Side, with_fence, with_zero_by_fence
from ledgecliff.core.edits.setups import (
    HolderKind,
    add_holder,
    hold_with,
    with_jaws,
    with_reference_bore,
    with_stop,
)
from ledgecliff.core.edits.standing import Standing, standing_on, to_choose
from ledgecliff.core.edits.vise_choices import (
    JawKind,
    Pair,
    jaws_now,
    jaws_offered,
    parallels_now,
    parallels_offered,
    shape_of,
    with_parallels,
)
from ledgecliff.core.holding import jaw_names
from ledgecliff.core.model.holding import BoardHold, ChuckHold, Hold, Jaws, OwnHold, SoftJaws, Vise, ViseHold, VJaws
from ledgecliff.core.model.job import fixture_words
from ledgecliff.core.model.orientation import DIRECTIONS, Orientation, PartDirection, shown
from ledgecliff.core.model.own_fixture import OwnFixture
from ledgecliff.core.model.shop import NamedJaws
from ledgecliff.core.quantities import spell

from ..axis_fields import index_section
from ..fields import ChoiceField
from ..hold_fields import CLOSES, CLOSES_HELP, OPENS, fixture_path, hold_sections
from .base import LensPanel
from .hold_own import OwnFixtureGroup

StopChoice = tuple[Literal["left", "right"] | None, bool]
#: Stops that stay, and a block that is only held there while the stock is clamped.
STOPS: tuple[tuple[str, object], ...] = (
    ("none", None), ("at the left", ("left", False)), ("at the right", ("right", False)),
    ("across the jaws' left end", ("left", True)), ("across the jaws' right end", ("right", True)),
)  # fmt: skip
#: What is added to a hold one by one, by the kind of hold.
_HOLDERS: dict[str, tuple[HolderKind, ...]] = {
    "plate": ("dowel", "clamp", "support"), "board": ("screw", "support"), "jig": ("clamp",), "own": ("clamp",),
    "vise": ("support",), "v-block": ("support",),
}  # fmt: skip
_LISTS: dict[HolderKind, str] = {"dowel": "dowels", "clamp": "clamps", "screw": "screws", "support": "supports"}


class HoldPanel(LensPanel):
    #: A fixture of the shop's own is chosen (a ``Standing``), whose model may have to be read first.
    fixture_taken = Signal(object)

    def key(self) -> object:
        hold = self._hold()
        counts = tuple(len(getattr(hold, name, ())) for name in _LISTS.values())
        return (
            self.setup_index,
            self._tilt(),
            [section.fields[0].label for section in index_section(self.job, self.setup_index)],
            self._own(),
            fixture_words(self.machine, self.job.setups[self.setup_index]),
            shape_of(hold),
            counts,
            getattr(hold, "registered", False),
            getattr(getattr(hold, "fence", None), "side", None),
            self.document.shop,
            self.document.unit,
        )

    def _hold(self) -> Hold:
        return self.job.setups[self.setup_index].hold

    def _own(self) -> object:
        """A fixture of the shop's own is shown by what it has; places and sizes alone are only refreshed."""
        fixture = self.machine.fixture_at(self.job.setups[self.setup_index].station)
        if not isinstance(fixture, OwnFixture):
            return None
        named = (fixture.faces, fixture.bores, fixture.spigots, fixture.moving)
        held = getattr(self._hold(), "over", None) is not None
        return (
            tuple(tuple(each.name for each in things) for things in named),
            len(fixture.screws),
            held,
            [face.use for face in fixture.faces],
            fixture.stands,
        )

    def _tilt(self) -> str:
        """As it really lies: a station or a rotary axis may turn it."""
        return self.plan.setups[self.setup_index].setup.orientation.tilt_words()

    def build(self) -> None:
        self.add_sections((names_section(self.setup_index),))
        self.add_heading("How the part lies", folds=True)
        self.add_choice(
            ChoiceField(
                "Part up",
                "Which part direction points up in this setup.",
                lambda: [(shown(direction), direction) for direction in DIRECTIONS],
                lambda: self.document.plan and self._orientation().up,
                lambda value: self._orient(up=cast(PartDirection, value)),
            )
        )
        self.add_choice(
            ChoiceField(
                "Part to the right",
                "Which part direction points to machine +X.",
                lambda: [(shown(d), d) for d in DIRECTIONS if d[1] != self._orientation().up[1]],
                lambda: self.document.plan and self._orientation().right,
                lambda value: self._orient(right=cast(PartDirection, value)),
            )
        )
        self.add_choice(
            ChoiceField(
                "Face up",
                "Lays a named face, or what a feature opens to, straight up, skewed ones too.",
                lambda: [("as said above", None), *((each.name, each.name) for each in self.job.part.features)],
                lambda: None,
                self._lay_face_up,
            )
        )
        if self._tilt():
            self.add_quiet(f"and then {self._tilt()}")
        self.add_sections((places_section(self.setup_index, lambda: self.document.unit),))
        self.add_sections(index_section(self.job, self.setup_index))
        self.add_heading("What holds it", folds=True)
        self.add_choice(
            ChoiceField(
                "Held by",
                "What stands on the machine, then what the shop has besides.",
                lambda: [(each.name, each) for each in to_choose(self.machine, self.document.shop)],
                self._standing,
                self._take_fixture,
            )
        )
        self.add_buttons(
            ("A fixture from a model…", "A fixture of your own, as a STEP or STL model has it",
             lambda: self.model_wanted.emit("fixture")),
        )  # fmt: skip
        if isinstance(self._hold(), ViseHold):
            self._build_vise()
        if isinstance(self._hold(), ChuckHold):
            self._build_chuck()
        if isinstance(self._hold(), OwnHold):
            OwnFixtureGroup(self).build()
        self._build_lists()
        self._build_fence()
        self.add_sections(hold_sections(self.job, self.setup_index, lambda: self.plan))

    def _build_vise(self) -> None:
        index = self.setup_index
        self.add_choice(
            ChoiceField(
                "Closes",
                CLOSES_HELP,
                lambda: list(CLOSES),
                lambda: self._fixture().centring,
                lambda centring: self.document.set_value(
                    "how the vise closes", (*fixture_path(self.job, index), "centring"), centring
                ),
            )
        )
        self.add_choice(
            ChoiceField(
                "Jaws",
                "Plain jaws with parallels, stepped jaws, soft jaws cut to the outline, or a groove for round stock.",
                lambda: list(jaws_offered(self._jaw_sets())),
                lambda: jaws_now(self._vise(), self._jaw_sets()),
                lambda jaws: self.document.apply(
                    "jaws", lambda job: with_jaws(job, index, cast("JawKind | Jaws", jaws))
                ),
            )
        )
        hold = self._vise()
        if hold.on_parallels and self.document.shop is not None:
            self.add_choice(
                ChoiceField(
                    "Parallels",
                    "From the shop's sets; sizes can also be typed below.",
                    self._parallels,
                    lambda: parallels_now(self._vise(), self.document.shop.parallels if self.document.shop else ()),
                    self._take_parallels,
                )
            )
        if isinstance(hold.jaws, VJaws):
            path = ("setups", index, "hold", "jaws", "both")
            self.add_choice(
                ChoiceField(
                    "Groove in",
                    "One jaw with a groove and a flat one, or grooves opposite each other in both.",
                    lambda: [(f"the {jaw_names(self._fixture())[0]}", False), ("both jaws", True)],
                    lambda: getattr(self._vise().jaws, "both", False),
                    lambda both: self.document.set_value("which jaws have the groove", path, both),
                )
            )
        if isinstance(hold.jaws, SoftJaws):
            self.add_choice(
                ChoiceField(
                    "Reference bore",
                    "A bore in a soft jaw at a known place, probed instead of the part.",
                    lambda: [("none", False), (f"in the {jaw_names(self._fixture())[0]}", True)],
                    lambda: getattr(self._vise().jaws, "bore", None) is not None,
                    lambda wanted: self.document.apply(
                        "reference bore", lambda job: with_reference_bore(job, index, bool(wanted))
                    ),
                )
            )
        self.add_choice(
            ChoiceField(
                "Stop",
                "What the stock is pushed against along the jaws; a block across their end is taken away after.",
                lambda: list(STOPS),
                self._stop,
                self._take_stop,
            )
        )

    def _build_chuck(self) -> None:
        path = (*fixture_path(self.job, self.setup_index), "opens")
        self.add_choice(
            ChoiceField(
                "Opens",
                "To which side its stock stands out; one that stands on the table opens up.",
                lambda: list(OPENS),
                lambda: value_at(self.job, path),
                lambda opens: self.document.set_value("how the chuck stands", path, opens),
            )
        )

    def _fixture(self) -> Vise:
        fixture = self.machine.fixture_at(self.job.setups[self.setup_index].station)
        assert isinstance(fixture, Vise), "asked of a vise alone"
        return fixture

    def _vise(self) -> ViseHold:
        hold = self._hold()
        assert isinstance(hold, ViseHold), "asked of a vise alone"
        return hold

    def _jaw_sets(self) -> tuple[NamedJaws, ...]:
        return self.document.shop.jaws if self.document.shop else ()

    def _stop(self) -> tuple[str, bool] | None:
        stop = self._vise().stop
        return None if stop is None else (stop.side, stop.at_jaw_end)

    def _take_stop(self, value: object) -> None:
        index, (side, at_jaw_end) = self.setup_index, cast(StopChoice, value or (None, False))
        self.document.apply("stop", lambda job: with_stop(job, index, side, at_jaw_end=at_jaw_end))

    def _parallels(self) -> list[tuple[str, object]]:
        shop = self.document.shop
        offered = parallels_offered(shop.parallels if shop else ())
        return [*((spell(words, self.document.unit), pair) for words, pair in offered), ("as typed below", None)]

    def _take_parallels(self, pair: object) -> None:
        if pair is not None:
            index = self.setup_index
            self.document.apply("parallels", lambda job: with_parallels(job, index, cast("Pair", pair)))

    def _build_lists(self) -> None:
        """Dowels and clamps of a plate, screws of a board, supports: one more, or the last one away."""
        kinds: tuple[HolderKind, ...] = _HOLDERS.get(self._hold().by, ())
        for kind in kinds:
            count = len(getattr(self._hold(), _LISTS[kind]))
            buttons = self.add_buttons(
                (f"Add a {kind}", f"One more {kind}; then type or drag its place", partial(self._more, kind)),
                (f"Remove last {kind}", f"One {kind} less", partial(self._less, kind)),
            )
            buttons[1].setEnabled(count > 0)

    def _build_fence(self) -> None:
        """A board's strip to push blanks against."""
        if not isinstance(self._hold(), BoardHold):
            return
        index = self.setup_index
        self.add_choice(
            ChoiceField(
                "Fence",
                "A strip screwed down and cut true in place, which gives the blank a direction and one side's place.",
                lambda: [("none", None), *((f"at the {side}", side) for side in SIDES)],
                lambda: getattr(getattr(self._hold(), "fence", None), "side", None),
                lambda side: self.attempt(
                    lambda: self.document.apply("fence", lambda _job: with_fence(self.plan, index, cast("Side", side)))
                ),
            )
        )
        if getattr(self._hold(), "fence", None) is not None:
            self.add_buttons(
                (
                    "Zero from the fence",
                    "The zero across it is known from the cut and needs no touch; it stays where it is",
                    lambda: self.document.apply("zero", lambda _job: with_zero_by_fence(self.plan, index)),
                )
            )

    def _more(self, kind: HolderKind) -> None:
        index, plan = self.setup_index, self.plan
        self.attempt(lambda: self.document.apply(kind, lambda job: add_holder(job, index, kind, plan)))

    def _less(self, kind: HolderKind) -> None:
        path = ("setups", self.setup_index, "hold", _LISTS[kind])
        last = len(getattr(self._hold(), _LISTS[kind])) - 1
        self.document.apply(f"remove {kind}", lambda job: remove_item(job, path, last))

    def _standing(self) -> Standing | None:
        """What holds it now, of those to choose."""
        station = self.job.setups[self.setup_index].station
        return next((each for each in standing_on(self.machine) if each.station.id == station), None)

    def _take_fixture(self, value: object) -> None:
        index, standing = self.setup_index, cast(Standing, value)
        if isinstance(standing.fixture, OwnFixture):
            self.fixture_taken.emit(standing)
        else:
            self.document.apply("what holds it", lambda job: hold_with(job, index, standing))

    def _lay_face_up(self, name: object) -> None:
        if name is not None:
            index = self.setup_index
            self.document.apply("how the part lies", lambda job: lying.lay_face_up(job, index, str(name)))

    def _orientation(self) -> Orientation:
        return self.job.setups[self.setup_index].orientation

    def _orient(self, up: PartDirection | None = None, right: PartDirection | None = None) -> None:
        index = self.setup_index
        self.document.apply("how the part lies", lambda job: lying.orient_setup(job, index, up, right))
