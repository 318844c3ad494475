"""The part of the hold lens that is for fixtures of the shop's own: what their faces, rounds and parts are for."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal, cast

from ledgecliff.core.changing import value_at
from ledgecliff.core.edits import own_fixtures as edits
from ledgecliff.core.model.holding import OwnHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.orientation import DIRECTIONS, PartDirection, shown
from ledgecliff.core.model.own_fixture import FaceUse, FixtureBore, FixtureFace, OwnFixture, Spigot
from ledgecliff.core.quantities import spell
from ledgecliff.core.solids.geometry import PartGeometry

from ..fields import ChoiceField
from .base import LensPanel

Things = Literal["faces", "bores", "spigots", "moving"]
#: The choice that takes a face out of the fixture's own list.
_NOT_NAMED = "not named"


class OwnFixtureGroup:
    """Adds its groups to a panel whose setup is held so."""

    def __init__(self, panel: LensPanel) -> None:
        self._panel = panel

    @property
    def _index(self) -> int:
        return self._panel.setup_index

    def _fixture(self) -> OwnFixture:
        return edits.own_fixture(self._panel.job, self._index)

    def _hold(self) -> OwnHold:
        return cast(OwnHold, self._panel.job.setups[self._index].hold)

    def _geometry(self) -> PartGeometry:
        return self._panel.plan.models.fixtures.geometry(self._fixture().model)

    def build(self) -> None:
        panel = self._panel
        panel.add_choice(
            ChoiceField(
                "Over a spigot",
                "A bore of the part that goes over a round of the fixture, instead of being pushed against its faces.",
                self._overs,
                self._over,
                self._put_over,
            )
        )
        if len(self._fixture().bores) > 1:
            path = ("setups", self._index, "hold", "bore")
            panel.add_choice(
                ChoiceField(
                    "Bore for the zero",
                    "The bore of the fixture that a zero is found in.",
                    lambda: [(bore.name, bore.name) for bore in self._fixture().bores],
                    lambda: (self._fixture().bore(self._hold().bore) or self._fixture().bores[0]).name,
                    lambda name: panel.document.set_value("bore for the zero", path, name),
                )
            )
        self._build_faces()
        self._build_rounds()
        self._build_moving()
        self._build_screws()
        self._build_stands()

    def _build_faces(self) -> None:
        panel = self._panel
        panel.add_heading("What its faces are for", folds=True)
        for k in range(len(self._fixture().faces)):
            panel.add_choice(self._use_choice(k))
        self._add_of("A face", "Flat faces of the model, the largest first; names can be typed below.", "faces")
        self._add_of("A pin's side", "Upright pins of the model, that a part is pushed against.", "pins")

    def _build_rounds(self) -> None:
        panel = self._panel
        panel.add_heading("Bores and spigots", folds=True)
        self._add_of("A bore", "Upright bores of the model: their places are known, and can be probed.", "bores")
        self._add_of("A spigot", "Upright rounds of the model that a bore of the part may go over.", "spigots")
        fixture = self._fixture()
        kinds: tuple[tuple[Things, str, int], ...] = (
            ("bores", "bore", len(fixture.bores)), ("spigots", "spigot", len(fixture.spigots)),
        )  # fmt: skip
        for kind, word, count in kinds:
            if count:
                remove = partial(self._remove, kind, count - 1)
                panel.add_buttons((f"Remove the last {word}", f"The last {word} is not named any more", remove))
        for k, spigot in enumerate(fixture.spigots):
            why = "Whether it takes up its play and grips the bore from within."
            ways: list[tuple[str, object]] = [("stays as it is", False), ("expands and grips", True)]
            panel.add_choice(self._choice_at(spigot.name, why, ways, ("spigots", k, "expands")))

    def _build_moving(self) -> None:
        panel = self._panel
        panel.add_heading("What moves to clamp", folds=True)
        for k, part in enumerate(self._fixture().moving):
            why = "In the fixture's own frame; it is drawn where it has met the part."
            ways: list[tuple[str, object]] = [(shown(direction), direction) for direction in DIRECTIONS]
            panel.add_choice(self._choice_at(f"{part.name} moves to", why, ways, ("moving", k, "to")))
        count = len(self._fixture().moving)
        panel.add_buttons(
            ("Add a part that moves…", "A STEP or STL model of it, drawn open where it belongs on the fixture",
             lambda: panel.model_wanted.emit("moving part")),
        )  # fmt: skip
        if count:
            panel.add_buttons(
                ("Remove the last part", "It moves no more", lambda: self._remove("moving", count - 1)),
            )  # fmt: skip

    def _build_screws(self) -> None:
        panel, index = self._panel, self._index
        panel.add_heading("Screws through the part into it", folds=True)
        buttons = panel.add_buttons(
            ("Add a screw", "One more; then type its place", lambda: self._apply(
                "screw", lambda job: edits.with_screw(job, index))),
            ("Remove the last screw", "One screw less", lambda: self._apply(
                "remove screw", lambda job: edits.without_screw(job, index))),
        )  # fmt: skip
        buttons[1].setEnabled(bool(self._fixture().screws))

    def _build_stands(self) -> None:
        panel = self._panel
        panel.add_heading("How its model stands", folds=True)
        panel.add_choice(
            ChoiceField(
                "Model up",
                "Which direction of the model points up.",
                lambda: [(shown(way), way) for way in DIRECTIONS],
                lambda: self._fixture().stands.up,
                lambda way: self._stand("up", way),
            )
        )
        panel.add_choice(
            ChoiceField(
                "Model to the right",
                "Which direction of the model points to machine +X.",
                lambda: [(shown(way), way) for way in DIRECTIONS if way[1] != self._fixture().stands.up[1]],
                lambda: self._fixture().stands.right,
                lambda way: self._stand("right", way),
            )
        )

    # --- what is chosen -----------------------------------------------------------------------

    def _apply(self, words: str, change: Callable[[Job], Job]) -> None:
        self._panel.document.apply(words, change)

    def _choice_at(
        self, label: str, why: str, ways: list[tuple[str, object]], place: tuple[str | int, ...]
    ) -> ChoiceField:
        """A choice of a value of the fixture."""
        panel = self._panel
        path = (*edits.fixture_path(panel.job, self._index), *place)
        return ChoiceField(
            label, why, lambda: ways, lambda: value_at(panel.job, path),
            lambda way: panel.document.set_value(label, path, way),
        )  # fmt: skip

    def _use_choice(self, index: int) -> ChoiceField:
        """What a face is for, or that it is not named any more."""
        face = self._fixture().faces[index]
        uses: list[tuple[str, object]] = [(edits.USE_WORDS[use], use) for use in edits.FACE_USES]
        return ChoiceField(
            face.name, f"Looks to {shown(face.facing)}.", lambda: [*uses, (_NOT_NAMED, None)],
            lambda: self._fixture().faces[index].use, lambda use: self._use(index, cast("FaceUse | None", use)),
        )  # fmt: skip

    def _put_over(self, over: object) -> None:
        chosen = cast("tuple[str, str] | None", over)
        self._apply("over a spigot", lambda job: edits.put_over(job, self._index, chosen))

    def _overs(self) -> list[tuple[str, object]]:
        offered = edits.overs_offered(self._panel.plan.setups[self._index])
        found = [(spell(words, self._panel.document.unit), over) for words, over in offered]
        return [("none: pushed against its faces", None), *found]

    def _over(self) -> object:
        over = self._hold().over
        return None if over is None else (over.feature, over.spigot)

    def _use(self, index: int, use: FaceUse | None) -> None:
        if use is None:
            self._remove("faces", index)
            return
        path = (*edits.fixture_path(self._panel.job, self._index), "faces", index, "use")
        self._panel.document.set_value("what a face is for", path, use)

    def _remove(self, kind: Things, index: int) -> None:
        self._apply(f"remove from {kind}", lambda job: edits.without_thing(job, self._index, kind, index))

    def _stand(self, name: str, way: object) -> None:
        wanted = cast(PartDirection, way)
        self._apply("how the model stands", lambda job: edits.stand(job, self._index, name, wanted, self._geometry()))

    def _add_of(self, label: str, why: str, of: str) -> None:
        offered = {
            "faces": edits.faces_offered,
            "pins": edits.pins_offered,
            "bores": edits.bores_offered,
            "spigots": edits.spigots_offered,
        }[of]

        def found() -> list[tuple[str, object]]:
            things = offered(self._fixture(), self._geometry())
            unit = self._panel.document.unit
            return [("add one…", None), *((spell(each.words, unit), each.thing) for each in things)]

        def take(thing: object) -> None:
            if thing is not None:
                index, wanted = self._index, cast("FixtureFace | FixtureBore | Spigot", thing)
                self._apply(f"add to its {of}", lambda job: edits.with_thing(job, index, wanted))

        self._panel.add_choice(ChoiceField(label, why, found, lambda: None, take))
